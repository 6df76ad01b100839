"""Painting on stands: strokes, fills, clearings and pictures."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from ninja.errors import HttpError

from server.document.own_ground import limited_to_own, mesh_limited_to_own
from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from server.stands.models import Stand
from thicket.document.edits import Edit, Paint, Painted
from thicket.planted.brushing import Brush, clearing, replacing
from thicket.planted.sheets import Box
from thicket.planting.stands import Plants
from thicket.planting.strokes import VERBS


def check_unlocked(stand: Stand) -> None:
    """Refuse to paint a stand that is locked, or off.

    Raises: HttpError 409.
    """
    if stand.locked:
        raise HttpError(409, f"{stand.name} is locked: unlock it first.")
    if stand.off:
        raise HttpError(409, f"{stand.name} is off: switch it on first.")


@action
def paint(user: User, stands: list[Stand], brush: Brush, key: UUID) -> Done:
    """Work with a brush on stands of one level, as one journal entry. A key that is known counts once.

    Raises: Conflict when one of them is locked; Refused when the brush has nothing to work on.
    """
    level, verb = stands[0].level, VERBS[brush.stroke.verb]
    where = {"": "", "level": " everywhere", "area": " in an area"}[brush.fill]
    what = f"{verb} {stands[0].name if len(stands) == 1 else f'{len(stands)} stands'}{where}"

    def make(row: Level) -> tuple[Edit, str]:
        for stand in stands:
            check_unlocked(stand)
        return _own(row, user, brush.painting(planted_of(row), {stand.number for stand in stands})), what

    return commit_made(user, level, key, make, cut=True, at=() if brush.fill else brush.stroke.path)


def _own(row: Level, user: User, edit: Paint) -> Paint:
    """Painting without what lies where the person may not plant.

    Raises: NotAllowed when nothing is left of it.
    """
    parts = tuple(
        Painted(stand=part.stand, box=part.box, delta=limited_to_own(row, user, part.delta, part.box))
        for part in edit.parts
    )
    meshes = tuple(mesh_limited_to_own(row, user, part) for part in edit.meshes)
    return Paint(cell=edit.cell, parts=parts, meshes=meshes)


@action
def clear(user: User, stand: Stand, key: UUID, area: int | None = None) -> Done:
    """Take a stand's painting away, everywhere or inside one area of the level.

    Raises: Refused when nothing is painted there, or the area is not one.
    """

    def make(row: Level) -> tuple[Edit, str]:
        check_unlocked(stand)
        edit, where = clearing(planted_of(row), [stand.number], area)
        return _own(row, user, edit), f"Painting of {stand.name} cleared{where}"

    return commit_made(user, stand.level, key, make, cut=True)


@action
def clear_all(user: User, level: Level, key: UUID, area: int | None) -> Done:
    """Take the painting of all stands that are not locked away, everywhere or inside an area.

    Raises: Refused when nothing is painted there, or the area is not one.
    """

    def make(row: Level) -> tuple[Edit, str]:
        planted = planted_of(row)
        open_ = [s.number for s in planted.level.in_order if not s.locked and not s.off]
        edit, where = clearing(planted, open_, area)
        return _own(row, user, edit), f"Painting of all stands cleared{where}"

    return commit_made(user, level, key, make, cut=True)


@action
def put_painting(user: User, stand: Stand, key: UUID, touch: np.ndarray, name: str) -> Done:
    """Take touch, int16 of the level's touch cells, for a stand's whole painting; name of the file that it
    comes from.

    Raises: Conflict when the stand is locked; Refused when it is painted like that already.
    """

    def make(row: Level) -> tuple[Edit, str]:
        check_unlocked(stand)
        edit = replacing(planted_of(row), stand.number, touch)
        return _own(row, user, edit), f"Painting of {stand.name} from {name}"

    return commit_made(user, stand.level, key, make, cut=True)


def attempt(stand: Stand, brush: Brush) -> tuple[Box, Plants]:
    """What the brush would leave standing in its box, without storing anything."""
    return brush.trial(planted_of(stand.level), stand.number)
