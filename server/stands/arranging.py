"""Stands themselves: added, duplicated, renamed, moved, locked, removed; and items exchanged in all of
them."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from server.slugs import free_slug
from server.stands.checking import check_items
from server.stands.models import Stand
from thicket.document.edits import AddStand, Edit, RemoveStand, SetStand, several
from thicket.document.level_file import StandFile
from thicket.document.settings import MixEntry
from thicket.planted.arranging import (
    SavedStand,
    begun,
    duplicate_edit,
    exchange_edit,
    move_edit,
    set_edit,
)


def _new_names(level: Level, name: str) -> tuple[int, str]:
    """A number that no stand of the level has had, and a slug for a name."""
    rows = Stand.every.filter(level=level)
    highest = rows.order_by("-number").values_list("number", flat=True).first() or 0
    return highest + 1, free_slug(name, rows, "stand")


def new_stand(
    level: Level,
    name: str,
    stratum: str,
    sward: bool,
    item: str,
    spacing: float | None = None,
    fullness: float | None = None,
    salt: object = "",
    on: Sequence[str] = (),
    mix: Sequence[MixEntry] = (),
) -> StandFile:
    """A new stand; see `thicket.planted.arranging.begun`."""
    number, slug = _new_names(level, name)
    return begun(
        planted_of(level), number, slug, name, stratum, sward, item, spacing, fullness, salt, on, mix
    )


@action
def add(
    user: User,
    level: Level,
    key: UUID,
    name: str,
    stratum: str,
    sward: bool,
    item: str,
    spacing: float | None = None,
    fullness: float | None = None,
    on: Sequence[str] = (),
    mix: Sequence[MixEntry] = (),
) -> Done:
    """A new stand of one stock item, or of a mix to which it belongs, at the end of its stratum, on the
    terrain or on placed meshes and groups of some names.

    Raises: Missing when the level has no such item; Refused when too many plants would stand.
    """

    def make(row: Level) -> tuple[Edit, str]:
        stand = new_stand(row, name, stratum, sward, item, spacing, fullness, key, on, mix)
        return AddStand(stand=stand), f"{name} added"

    return commit_made(user, level, key, make)


@action
def plant_set(user: User, level: Level, key: UUID, called: str, saved: list[SavedStand], on: str) -> Done:
    """Begin the stands of a set on a placed mesh, or a group, of a name, as one journal entry.

    Raises: Refused when the level has not all their items, or too many plants would stand.
    """

    def make(row: Level) -> tuple[Edit, str]:
        document, names = planted_of(row).level, []
        taken: set[str] = set()
        number, _ = _new_names(row, "stand")
        for k, given in enumerate(saved):
            name = f"{given.name}, {on}"[:80]
            slug = free_slug(name, Stand.every.filter(level=row), "stand", reserved=taken)
            taken.add(slug)
            names.append((number + k, slug, name))
        return set_edit(document, saved, [on], names, key), f"{called} planted on {on}"

    return commit_made(user, level, key, make)


@action
def duplicate(user: User, stand: Stand, key: UUID) -> Done:
    """A copy of a stand below it, with its settings and painting and a new seed."""

    def make(row: Level) -> tuple[Edit, str]:
        document = planted_of(row).level
        number, slug = _new_names(row, f"{stand.name} again"[:80])
        edit = duplicate_edit(document, document.stands[stand.number], number, slug, key)
        return edit, f"{stand.name} duplicated"

    return commit_made(user, stand.level, key, make)


@action
def move(user: User, stand: Stand, key: UUID, stratum: str, before: int | None) -> Done:
    """Put a stand into a stratum, before another of its stands, by number, or at the end."""

    def make(row: Level) -> tuple[Edit, str]:
        document = planted_of(row).level
        edit = move_edit(document, document.stands[stand.number], stratum, before)
        return edit, f"{stand.name} moved in {stratum}"

    return commit_made(user, stand.level, key, make)


@action
def change(user: User, stand: Stand, key: UUID, fields: dict) -> Done:
    """Rename, lock, colour or re-seed a stand.

    Raises: Conflict when it is locked and more than its lock is to change.
    """
    words = {
        "name": f"{stand.name} renamed {fields.get('name')}",
        "seed": f"{stand.name}: new seed",
        "colour": f"{stand.name}: colour",
        "locked": f"{stand.name} {'locked' if fields.get('locked') else 'unlocked'}",
    }
    edit = SetStand(number=stand.number, **fields)
    return commit_made(user, stand.level, key, lambda row: (edit, ", ".join(words[n] for n in fields)))


@action
def switch(user: User, level: Level, key: UUID, stands: list[Stand], off: bool) -> Done:
    """Switch stands off, so that nothing of them stands, is counted or handed over, or on again.

    Raises: Conflict when one of them is locked.
    """
    names = stands[0].name if len(stands) == 1 else f"{len(stands)} stands"
    edit = several([SetStand(number=stand.number, off=off) for stand in stands])
    what = f"{names} switched {'off' if off else 'on'}"
    return commit_made(user, level, key, lambda row: (edit, what))


@action
def group(user: User, level: Level, key: UUID, stands: list[Stand], name: str) -> Done:
    """List stands under a group of this name, or under none."""
    names = stands[0].name if len(stands) == 1 else f"{len(stands)} stands"
    edit = several([SetStand(number=stand.number, group=name) for stand in stands])
    what = f"{names} into {name}" if name else f"{names} out of groups"
    return commit_made(user, level, key, lambda row: (edit, what))


@action
def remove(user: User, stand: Stand, key: UUID) -> Done:
    """Remove a stand with all that is painted and set by hand of it; undo brings it back.

    Raises: Conflict when it is locked.
    """
    edit = RemoveStand(number=stand.number)
    return commit_made(user, stand.level, key, lambda row: (edit, f"{stand.name} removed"))


@action
def exchange(user: User, level: Level, key: UUID, item: str, by: str) -> Done:
    """Plant one item in another's stead in every mix and pin of the level.

    Raises: HttpError 422 for an unknown item; otherwise as `thicket.planted.arranging.exchange_edit`.
    """
    check_items(level, [by])

    def make(row: Level) -> tuple[Edit, str]:
        document = planted_of(row).level
        names = [document.stock[slug].name if slug in document.stock else slug for slug in (item, by)]
        what = f"{names[0]} exchanged for {names[1]} everywhere"
        return exchange_edit(document, item, by), what

    return commit_made(user, level, key, make)
