"""What is kept with a level as a whole: atmosphere, drawing, tiers, wind and views, each change an action."""

from __future__ import annotations

from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.schemas import wind_of
from server.sight.worst import drawing_at_worst
from thicket.limits import VIEWS
from thicket.refused import Refused


@action
def set_field(
    user: User, level: Level, key: UUID, kind: Entry.Kind, what: str, field: str, fresh: dict
) -> Entry:
    """Set one of the level's fields that hold several values."""
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        before = {"drawing": row.drawing, "tiers": row.tiers}
        was = wind_of(row).model_dump() if field == "wind" else getattr(row, field)
        setattr(row, field, fresh)
        row.save(update_fields=[field])
        entry = Entry.objects.create(
            level=row, user=user, kind=kind, key=key, what=what, change={"before": was, "after": fresh}
        )
    if field in before:
        entry.worst = drawing_at_worst(row, before)
        entry.save(update_fields=["worst"])
    return entry


@action
def set_marks(user: User, level: Level, key: UUID, tier: str, marks: dict) -> Entry:
    """Set the budget marks of one of the level's tiers.

    Raises: Refused when the level has no such tier.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        if tier not in row.tiers:
            raise Refused(f"tier: {level.name} has no tier {tier[:60]!r}; somebody may have removed it")
        was = row.tiers[tier]
        row.tiers[tier] = was | {"marks": marks}
        row.save(update_fields=["tiers"])
        return Entry.objects.create(
            level=row,
            user=user,
            kind=Entry.Kind.MARKS,
            key=key,
            what=f"Budget marks of {tier}",
            change={"before": {tier: was}, "after": {tier: row.tiers[tier]}},
        )


@action
def keep_view(user: User, level: Level, key: UUID, view: dict) -> Entry:
    """Keep a view under its name, in place of one that has it.

    Raises: Refused when the level has as many as it may.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        names = [v["name"] for v in row.bookmarks]
        if view["name"] in names:
            views = [view if v["name"] == view["name"] else v for v in row.bookmarks]
        elif len(names) >= VIEWS:
            raise Refused(f"name: a level keeps at most {VIEWS} views; remove one first")
        else:
            views = [*row.bookmarks, view]
        return _put_views(user, row, key, f"View {view['name']} kept", views)


@action
def remove_view(user: User, level: Level, key: UUID, name: str) -> Entry:
    """Remove a kept view.

    Raises: HttpError 404 when there is none of that name.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        views = [v for v in row.bookmarks if v["name"] != name]
        if len(views) == len(row.bookmarks):
            raise HttpError(
                404, f"name: {level.name} has no view {name[:60]!r}; somebody may have removed it."
            )
        return _put_views(user, row, key, f"View {name} removed", views)


def _put_views(user: User, row: Level, key: UUID, what: str, views: list[dict]) -> Entry:
    change = {"before": {"bookmarks": row.bookmarks}, "after": {"bookmarks": views}}
    row.bookmarks = views
    row.save(update_fields=["bookmarks"])
    return Entry.objects.create(
        level=row, user=user, kind=Entry.Kind.VIEWS, key=key, what=what[:200], change=change
    )
