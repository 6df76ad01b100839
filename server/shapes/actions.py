"""Shapes kept, with the plants that come and go by them."""

from __future__ import annotations

from itertools import count
from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from server.shapes.rows import SEEN
from thicket.document.edits import ChangeShapes
from thicket.document.level_file import ShapeFile
from thicket.refused import Missing, Refused


def edit_of(level: Level, put: list[dict], remove: list[int]) -> ChangeShapes:
    """The edit that puts shapes, with `id` where they are known, and removes some; new ones are given the
    next numbers.

    Raises: Refused when one is none.
    """
    if not put and not remove:
        raise Refused("put: say which shapes are to be put or removed")
    numbers = count(level.shape_numbers + 1)
    changes: dict[int, ShapeFile | None] = dict.fromkeys(remove)
    for given in put:
        number = given.get("id") or next(numbers)
        if given.get("id") and number not in planted_of(level).shapes:
            raise Missing(f"id: {level.name} has no shape {number}; somebody may have removed it")
        changes[number] = _file(number, given)
    return ChangeShapes.model_construct(kind="shapes", put=changes)


def _file(number: int, given: dict) -> ShapeFile:
    own = {name: given[name] for name in ("kind", "name", "points", "width", "clear", "group", "trail")}
    return ShapeFile(number=number, **own, details={name: given[name] for name in SEEN})  # type: ignore[arg-type]


@action
def change_shapes(user: User, level: Level, key: UUID, what: str, put: list[dict], remove: list[int]) -> Done:
    """Put and remove shapes as one journal entry; a key that is known counts once."""
    return commit_made(user, level, key, lambda row: (edit_of(row, put, remove), what))
