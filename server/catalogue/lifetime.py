"""Levels themselves: copied, removed, and brought back within a month."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.db import models, transaction
from django.utils import timezone
from ninja.errors import HttpError

from server.document.files import clear_files
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level, Membership
from server.slugs import free_slug
from server.stands.models import MeshTouch
from thicket.refused import Refused

RESTORABLE_FOR = timedelta(days=30)
"""How long a removed level can be brought back."""


def copy(user: User, level: Level, name: str) -> Level:
    """A level like another, led by who copies it: ground, shapes, masks, stock, placed meshes, stands with
    their painting, and single plants. What was done in the old one, its members and its snapshots stay there.

    Raises: Refused when there is a level of that name.
    """
    if Level.objects.filter(name=name, removed_at=None).exists():
        raise Refused(f"name: there is a level called {name!r} already")
    with transaction.atomic():
        new = Level.objects.get(pk=level.pk)
        new.pk, new.slug, new.name = None, free_slug(name, Level.objects.all(), "level"), name
        new.version, new._state.adding = 1, True
        new.save()
        Membership.objects.create(user=user, level=new, role=Membership.Role.LEAD)
        for rows in (
            level.ground_tiles,
            level.masks,
            level.stock,
            level.layer_textures,
            level.shapes,
            level.surfaces,
        ):
            _copy_rows(rows.all(), level=new)
        stands = _copy_rows(level.stands.all(), level=new)
        for old, fresh in stands.items():
            stand = level.stands.get(pk=old)
            on_meshes = MeshTouch.objects.filter(stand=stand)
            for rows in (stand.touch_tiles, stand.pins, stand.uprooted, on_meshes):
                more = {"level": new} if hasattr(rows.model, "level") else {}
                _copy_rows(rows.all(), stand_id=fresh, **more)
    return new


def _copy_rows(rows: models.QuerySet, **fields: object) -> dict[int, int]:
    """Store rows again with other values in some fields; the new primary keys by the old ones."""
    out = {}
    for row in rows.iterator(chunk_size=20):
        old, row.pk = row.pk, None
        for name, value in fields.items():
            setattr(row, name, value)
        row._state.adding = True
        row.save(force_insert=True)
        out[old] = row.pk
    return out


def remove(level: Level) -> None:
    """Take a level off everybody's list; it can be brought back for a month."""
    Level.objects.filter(pk=level.pk).update(removed_at=timezone.now())


def removed_of(user: User) -> list[Level]:
    """The removed levels that a user leads, the newest first."""
    rows = Level.objects.filter(
        memberships__user=user, memberships__role=Membership.Role.LEAD, removed_at__isnull=False
    )
    return list(rows.order_by("-removed_at"))


def bring_back(user: User, slug: str) -> Level:
    """Bring a removed level back.

    Raises: HttpError 404 when the user leads no removed level of that address.
    """
    level = next((level for level in removed_of(user) if level.slug == slug), None)
    if level is None:
        raise HttpError(404, f"There is no removed level {slug[:60]!r} that you lead.")
    Level.objects.filter(pk=level.pk).update(removed_at=None)
    return level


def clear_out() -> None:
    """Have the worker delete the levels whose month is over, if there are any."""
    old = Level.objects.filter(removed_at__lt=timezone.now() - RESTORABLE_FOR)
    if old.exists() and not starting.under_way("clear out levels"):
        starting.start("clear out levels", "clear out levels")


@work("clear out levels")
def _clear_out(job: Job, progress: Progress) -> None:
    for level in Level.objects.filter(removed_at__lt=timezone.now() - RESTORABLE_FOR):
        progress.report(0.5, f"Deleting {level.name}")
        level.entries.all().delete()
        level.delete()
    clear_files()
