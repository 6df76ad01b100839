"""Strokes on a stand's touch: applied, tried, taken back and done again."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.journal.models import Entry
from server.sight.reckoning import items_of, stand_cost
from server.stands.engine import Box, Planting
from server.stands.models import Stand
from server.stands.touch import LockedTouch
from thicket.ground.heights import at_cells
from thicket.planting.density import TOUCH_UNIT, density
from thicket.planting.points import PointSet
from thicket.planting.stands import Plants
from thicket.planting.strokes import Stroke, stroke_delta
from thicket.sight.views import View

MARGIN = 2
"""Cells kept around a stroke's reach, so that what is interpolated at its rim is whole."""


@dataclass(frozen=True)
class TouchChange:
    """A change of touch: its box of cells (col0, row0, col1, row1), and the plants gained and lost."""

    box: tuple[int, int, int, int]
    gained: int
    lost: int


def cells_of(stand: Stand, box: Box) -> tuple[int, int, int, int]:
    """The cells a box in level metres reaches, with the margin, inside the level.

    Raises: ValueError when the box lies outside the level.
    """
    level = stand.level
    if box[2] <= 0 or box[3] <= 0 or box[0] >= level.width or box[1] >= level.length:
        raise ValueError(f"path: the stroke lies outside the level, which is {level.width:g} m × {level.length:g} m")
    col0, row0 = (max(int(v / level.cell) - MARGIN, 0) for v in box[:2])
    col1 = min(int(box[2] / level.cell) + 1 + MARGIN, level.columns)
    row1 = min(int(box[3] / level.cell) + 1 + MARGIN, level.rows)
    return col0, row0, col1, row1


def _difference(planting: Planting, box: tuple[int, int, int, int], before: np.ndarray, after: np.ndarray) -> tuple[int, int]:
    """Plants gained and lost when touch in a box of cells changes."""
    col0, row0, col1, row1 = box
    cell, fullness = planting.level.cell, planting.core.fullness
    suitable = planting.suitability[row0:row1, col0:col1]
    maps = [density(suitable, touch) for touch in (before, after)]
    if planting.stand.sward:
        was, now = (np.minimum(m * fullness, 1.0).astype(float) for m in maps)
        change = (now - was) * (planting.core.per_m2 * cell * cell)
        return round(float(change[change > 0].sum())), round(float(-change[change < 0].sum()))
    gained = lost = 0
    for sheet in planting.sheets_in((col0 * cell, row0 * cell, col1 * cell, row1 * cell)):
        points = _inside(planting.points(sheet), col0 * cell, row0 * cell, col1 * cell, row1 * cell)
        was, now = (points.threshold < at_cells(m, cell, points.x - col0 * cell, points.z - row0 * cell)
                    * np.float32(fullness) for m in maps)
        gained += int((now & ~was).sum())
        lost += int((was & ~now).sum())
    return gained, lost


def _inside(points: PointSet, x0: float, z0: float, x1: float, z1: float) -> PointSet:
    inside = (points.x >= x0) & (points.x < x1) & (points.z >= z0) & (points.z < z1)
    return PointSet(*(column[inside] for column in points))


def _view_cost(stand: Stand, view: View | None):
    return stand_cost(Planting(stand), items_of(stand.level), view) if view else None


def cost_change(before, after) -> dict[str, float]:
    """The difference of two costs, by what is counted."""
    if before is None or after is None:
        return {}
    names = ("triangles", "draw_calls", "shadow_triangles", "shadow_calls", "memory", "ms")
    return {name: round(getattr(after, name) - getattr(before, name), 4) for name in names}


def paint(user: User, stand: Stand, stroke: Stroke, key: UUID, view: View | None = None) -> Entry:
    """Apply a stroke in one transaction with its journal entry. A key that is known counts once."""
    known = Entry.objects.filter(key=key).first()
    if known:
        return known
    box = cells_of(stand, stroke.box)
    planting = Planting(stand)
    before_cost = _view_cost(stand, view)
    with transaction.atomic():
        locked = LockedTouch(stand, box)
        delta = stroke_delta(stroke, locked.window, stand.level.cell, box[0], box[1])
        after = locked.window + delta
        gained, lost = _difference(planting, box, locked.window, after)
        locked.write(after)
        entry = Entry.objects.create(
            level=stand.level, user=user, stand=stand, kind=Entry.Kind.STROKE, key=key,
            what=f"{stroke.verb.capitalize()} {stand.name}", change={"box": box},
            delta=zlib.compress(delta.tobytes(), 1), gained=gained, lost=lost)
    entry.cost = cost_change(before_cost, _view_cost(stand, view))
    if entry.cost:
        entry.save(update_fields=["cost"])
    return entry


def shift(entry: Entry, back: bool) -> TouchChange:
    """Take a stroke's own difference back, or apply it again; inside a transaction."""
    stand = entry.stand
    box = tuple(entry.change["box"])
    planting = Planting(stand)
    locked = LockedTouch(stand, box)
    delta = np.frombuffer(zlib.decompress(entry.delta), np.int16).reshape(locked.window.shape).astype(np.int32)
    after = np.clip(locked.window + (-delta if back else delta), -TOUCH_UNIT, TOUCH_UNIT).astype(np.int16)
    gained, lost = _difference(planting, box, locked.window, after)
    locked.write(after)
    return TouchChange(box, gained, lost)


def attempt(stand: Stand, stroke: Stroke) -> tuple[Box, Plants]:
    """What the stroke would leave standing in its box, without storing anything."""
    cells = cells_of(stand, stroke.box)
    col0, row0, col1, row1 = cells
    planting = Planting(stand)
    touch = planting.touch.copy()
    window = touch[row0:row1, col0:col1]
    window += stroke_delta(stroke, window, stand.level.cell, col0, row0)
    maps = planting.density.copy()
    maps[row0:row1, col0:col1] = density(planting.suitability[row0:row1, col0:col1], window)
    return planting.metres(cells), planting.plants_in(planting.metres(cells), maps)
