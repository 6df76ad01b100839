"""Versions of items on the shelf: edited, mended or given another source; every level follows that does not
hold its own."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from uuid import UUID, uuid4

from django.contrib.auth.models import User
from django.db import transaction
from django.dispatch import receiver
from ninja.errors import HttpError

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.journal.models import Entry
from server.journal.undoing import moved
from server.levels.models import Level
from server.sight.costing import drawing_of, items_of
from server.steps import note_effect
from server.stock.bringing import made_of, mended, put_made
from server.stock.models import ShelfItem, ShelfVersion, StockItem
from server.stock.shelf import check_name, item_file, leave, planted_in
from thicket.document.edits import Edit, HoldItem, VersionItem
from thicket.document.edits.stock import item_of
from thicket.planted.forecast import forecast_item
from thicket.refused import Conflict
from thicket.stock.making import Made, changed, succeeded
from thicket.stock.traits import Edit as TraitsEdit

WHAT_LENGTH = 200


def item_for(slug: str, revision: int | None = None) -> ShelfItem:
    """An item on the shelf.

    Raises: HttpError 404 when there is none; 409 when it is no longer at the revision that was looked at.
    """
    item = ShelfItem.objects.filter(slug=slug, gone=False).first()
    if item is None:
        raise HttpError(404, f"There is no stock item {slug[:60]!r} on the shelf.")
    if revision is not None and item.revision != revision:
        raise HttpError(
            409,
            f"{item.name} has been changed by {item.by or 'somebody else'} since: look at it again first.",
        )
    return item


def edit(user: User, item: ShelfItem, named: dict, given: TraitsEdit) -> None:
    """Rename and regroup an item, and change what is known of its mesh; the plants of every level that uses
    it follow.

    Parameters: named, its name, group, tags and note.
    Raises: Refused when the name is taken or the edit cannot be made.
    """
    check_name(named["name"], item)
    was = made_of(item)
    made = changed(item.slug, was, given)
    with transaction.atomic():
        ShelfItem.objects.filter(pk=item.pk).update(**named)
        renamed = item.name != named["name"]
        item.name = named["name"]
        if (made.glb, made.crown, made.trunk, made.traits) != (was.glb, was.crown, was.trunk, was.traits):
            put_version(user, item, made, f"{item.name}: edited")
        elif renamed:
            _follow(user, item, item.revision, f"{item.name}: renamed")


def mend(user: User, item: ShelfItem, what: str) -> None:
    """Do what a finding of an item offers."""
    put_version(user, item, mended(made_of(item), what), f"{item.name}: mended ({what})")


def replace_source(user: User, item: ShelfItem, made: Made, mend: str = "") -> None:
    """Give an item what was made of another file, or of a mended copy of itself. Its traits stay, and its
    anchors where the new file has none."""
    what = f"mended ({mend})" if mend else "another source"
    put_version(user, item, succeeded(item.slug, made_of(item), made), f"{item.name}: {what}")


def put_version(user: User, item: ShelfItem, made: Made, what: str) -> None:
    """Make a new version of an item the one in use, on the shelf and in every level that does not hold its
    own."""
    with transaction.atomic():
        row = ShelfItem.objects.select_for_update().get(pk=item.pk)
        if not row.versions.filter(revision=row.revision).exists():
            _keep_version(row, row.by, "as it was put on the shelf")
        newest = row.versions.order_by("-revision").values_list("revision", flat=True).first()
        was, row.revision, row.by = row.revision, newest + 1, user
        put_made(row, made)
        row.save()
        _keep_version(row, user, what)
        _follow(user, row, was, what)


def use_version(user: User, item: ShelfItem, revision: int) -> None:
    """Go back, or forth, to a version that an item has had, everywhere.

    Raises: HttpError 404 when it has had none of that number.
    """
    with transaction.atomic():
        row = ShelfItem.objects.select_for_update().get(pk=item.pk)
        was = row.revision
        _take_version(row, revision)
        _follow(user, row, was, f"{row.name}: version {revision} again")


def _take_version(row: ShelfItem, revision: int) -> None:
    version = row.versions.filter(revision=revision).first()
    if version is None:
        raise HttpError(404, f"{row.name} has had no version {revision}.")
    put_made(row, made_of(version))
    row.revision, row.by = revision, version.by
    row.save()


def _keep_version(row: ShelfItem, by: User | None, what: str) -> None:
    version = ShelfVersion(item=row, revision=row.revision, name=row.name, what=what[:WHAT_LENGTH], by=by)
    put_made(version, made_of(row))
    version.save()


def _follow(user: User, item: ShelfItem, was: int, what: str) -> None:
    """Let the levels that use an item follow its shelf, with an entry in the journal of each; undo of any
    takes it back in all, and on the shelf."""
    group = f"{item.slug} {uuid4()}"
    more = {"shelf": {"item": item.slug, "was": was, "now": item.revision}} if was != item.revision else {}
    edit = version_edit(item, item.slug, item.name)
    for level in Level.objects.filter(stock__slug=item.slug, stock__held=False).order_by("pk"):
        done = commit_made(user, level, uuid4(), lambda row: (edit, what), more=more, group=group)
        transaction.on_commit(partial(note_effect, done))


def version_edit(source: ShelfItem | ShelfVersion, slug: str, name: str) -> VersionItem:
    """The edit that gives a level a version of an item."""
    return VersionItem(
        item=item_file(source, slug, name), mesh=source.glb, silhouette=bytes(source.silhouette)
    )


@receiver(moved)
def _shelf_too(sender: object, entry: Entry, back: bool, **_: object) -> None:
    """Take a new version of an item back on the shelf, too, or put it there again.

    Raises: Conflict when the item has been changed since.
    """
    change = entry.change.get("shelf")
    if not change:
        return
    have, want = (change["now"], change["was"]) if back else (change["was"], change["now"])
    row = ShelfItem.objects.select_for_update().get(slug=change["item"])
    if row.revision != have:
        raise Conflict(f"{row.name} has been changed since; undo that first")
    _take_version(row, want)


@action
def hold(user: User, level: Level, key: UUID, slug: str, held: bool) -> Done:
    """Hold a level at the version of an item that it has, or let it follow the shelf again, from now on.

    Raises: Missing when the level does not use it.
    """

    def make(row: Level) -> tuple[Edit, str]:
        item = item_of(planted_of(row).level, slug)
        edit: Edit = HoldItem(slug=slug, held=held)
        shelf = ShelfItem.objects.filter(slug=slug).first()
        if shelf and not held and shelf.revision != item.version:
            edit = version_edit(shelf, slug, item.name)
        return edit, f"{item.name} {'held at this version' if held else 'follows the shelf again'}"

    return commit_made(user, level, key, make)


def used_in(slug: str) -> list[tuple[Level, StockItem, list[str]]]:
    """The levels that use an item, their own of it, and the names of the stands that plant it."""
    rows = StockItem.objects.filter(slug=slug).select_related("level").defer("silhouette")
    return [(row.level, row, planted_in(row.level, slug)) for row in rows]


def remove(user: User, item: ShelfItem) -> None:
    """Take an item that nothing plants off the shelf, and out of the levels that use it.

    Raises: HttpError 409 when it is planted, saying where.
    """
    used = [(level.name, stands) for level, _, stands in used_in(item.slug) if stands]
    if used:
        where = "; ".join(f"{', '.join(stands[:4])} in {name}" for name, stands in used[:5])
        raise HttpError(409, f"{item.name} is planted: {where}. Exchange it for another there first.")
    with transaction.atomic():
        ShelfItem.objects.filter(pk=item.pk).update(gone=True, by=user)
        for level in Level.objects.filter(stock__slug=item.slug):
            transaction.on_commit(partial(note_effect, leave(user, level, uuid4(), item.slug)))


def removed_item(slug: str) -> ShelfItem:
    """An item that was taken off the shelf.

    Raises: HttpError 404 when there is none.
    """
    item = ShelfItem.objects.filter(slug=slug, gone=True).first()
    if item is None:
        raise HttpError(404, f"There is no stock item {slug[:60]!r} that was taken off the shelf.")
    return item


def put_back(item: ShelfItem) -> ShelfItem:
    """Put an item that was taken off the shelf back.

    Raises: Refused when its name has been taken since.
    """
    check_name(item.name, item)
    item.gone = False
    item.save(update_fields=["gone"])
    return item


def compared(level: Level, item: ShelfItem, made: Made) -> dict:
    """What another source of an item would change in a level; see `thicket.planted.forecast.ItemForecast`."""
    found = forecast_item(planted_of(level), item.slug, made, items_of(level), *drawing_of(level))
    views = [{"name": name, "change": change} for name, change in found.views.items()]
    return {"views": views, "gained": found.gained, "lost": found.lost}


def members(levels: Sequence[Level], user: User) -> set[int]:
    """The primary keys of those of the levels that a user is a member of."""
    return set(user.memberships.filter(level__in=levels).values_list("level_id", flat=True))
