"""Strokes on a stand's touch: applied, tried, taken back and done again."""

from __future__ import annotations

import zlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.own_ground import kept_to_own, plot_at
from server.levels.planted import (
    forget_planted,
    paint_planted,
    planted_of,
    planting_of,
    rows_of,
    touch_revisions_of,
)
from server.sight.reckoning import cost_change, items_of, stand_cost
from server.sight.worst import change_at_worst
from server.stands.models import Stand
from server.stands.touch import LockedTouch
from thicket.document.edits import Painted
from thicket.ground.heights import at_cells
from thicket.ground.shapes import distance_field
from thicket.planted.brushing import Brush, Cells
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box
from thicket.planting.density import TOUCH_UNIT, density
from thicket.planting.stands import Plants
from thicket.planting.strokes import VERBS
from thicket.refused import Refused
from thicket.sight.views import View


@dataclass(frozen=True)
class TouchChange:
    """A change of touch: its box of cells (col0, row0, col1, row1), None for those of several stands, and the
    plants gained and lost."""

    box: Cells | None
    gained: int
    lost: int


def _difference(
    planting: Planting, box: tuple[int, int, int, int], before: np.ndarray, after: np.ndarray
) -> tuple[int, int]:
    """Plants gained and lost when touch in a box of cells changes."""
    if planting.stand.sward:
        return _sward_difference(planting, box, before, after)
    return planting.difference_in(planting.metres(box), before, after)


def _sward_difference(planting: Planting, box, before: np.ndarray, after: np.ndarray) -> tuple[int, int]:
    """The same for a sward, from its density."""
    col0, row0, col1, row1 = box
    cell, level = planting.touch_cell, planting.level
    z, x = np.mgrid[row0:row1, col0:col1] * cell + 0.5 * cell
    x, z = x.ravel(), z.ravel()
    suitability = planting.suitability.around(x, z, planting.cell)
    suitable = at_cells(suitability, planting.cell, x, z).reshape(before.shape)
    was, now = (
        np.minimum(density(suitable, touch) * planting.core.fullness, 1.0).astype(float)
        for touch in (before, after)
    )
    open_ = planting.around.rasters.openness(planting.settings.clear_of, cell, level.touch_shape)[
        row0:row1, col0:col1
    ]
    change = (now - was) * open_ * (planting.core.per_m2 * cell * cell)
    return round(float(change[change > 0].sum())), round(float(-change[change < 0].sum()))


def check_unlocked(stand: Stand) -> None:
    """Refuse to change a locked stand.

    Raises: HttpError 409.
    """
    if stand.locked:
        raise HttpError(409, f"{stand.name} is locked: unlock it first.")


def _view_cost(stands: list[Stand], view: View | None):
    if not view:
        return None
    stock = items_of(stands[0].level)
    return [stand_cost(planting_of(s), stock, view) for s in stands]


@partial(action, cut_to_own=True)
def paint(user: User, stands: list[Stand], brush: Brush, key: UUID, view: View | None = None) -> Entry:
    """Work with a brush on stands of one level, in one transaction with one journal entry. A key that is
    known counts once.

    Raises: HttpError 409 when one of them is locked; Refused when the brush has nothing to work on.
    """
    level = stands[0].level
    for stand in stands:
        check_unlocked(stand)
    before = planted_of(level)
    box, cost = brush.cells(before), _view_cost(stands, view)
    with transaction.atomic():
        entry = _paint(user, stands, brush, key, box)
    if view:
        changes = [cost_change(a, b) for a, b in zip(cost, _view_cost(stands, view))]
        entry.cost = {name: round(sum(c[name] for c in changes), 4) for name in changes[0]}
    entry.worst = change_at_worst(level, before, planting_of(stands[0]).metres(box))
    if entry.cost or entry.worst:
        Entry.objects.filter(pk=entry.pk).update(cost=entry.cost, worst=entry.worst)
    return entry


def _paint(user: User, stands: list[Stand], brush: Brush, key: UUID, box: Cells) -> Entry:
    """Lock, apply, journal; inside a transaction. Stands are taken by their numbers, so that nobody waits in
    a ring."""
    level, verb = stands[0].level, VERBS[brush.stroke.verb]
    where = {"": "", "level": " everywhere", "area": " in an area"}[brush.fill]
    parts, deltas, gained, lost = [], [], 0, 0
    for stand in sorted(stands, key=lambda s: s.number):
        change, delta, more, fewer = _brushed(user, stand, brush, box)
        parts.append(change | {"stand": stand.pk, "size": len(delta)})
        deltas.append(delta)
        gained, lost = gained + more, lost + fewer
    alone = len(stands) == 1
    return Entry.objects.create(
        level=level,
        user=user,
        stand=stands[0] if alone else None,
        key=key,
        gained=gained,
        lost=lost,
        delta=b"".join(deltas),
        kind=Entry.Kind.STROKE if alone else Entry.Kind.STROKES,
        plot="" if brush.fill else plot_at(level, brush.stroke.path),
        change=parts[0] if alone else {"parts": parts},
        what=f"{verb} {stands[0].name if alone else f'{len(stands)} stands'}{where}",
    )


def _lock(stand: Stand, box: Cells) -> tuple[Planting, LockedTouch]:
    """Lock a stand's touch in a box; and the level as it is now that nobody else can paint there: read anew
    when somebody has since it was read, so that nothing is carried over from before that."""
    locked = LockedTouch(stand, box)
    known = touch_revisions_of(stand)
    if any(known.get(at, 0) != revision for at, revision in locked.found.items()):
        forget_planted(stand.level)
    return planting_of(stand), locked


def _brushed(user: User, stand: Stand, brush: Brush, box: Cells) -> tuple[dict, bytes, int, int]:
    """Work on one stand, where the person may. What its entry holds of it, and plants gained and lost."""
    planting, locked = _lock(stand, box)
    delta = kept_to_own(stand.level, user, brush.delta(planting, locked.window, box), box)
    after = locked.window + delta
    gained, lost = _difference(planting, box, locked.window, after)
    paint_planted(stand, locked.write(after, planting.touch_map))
    return {"box": box, "cell": stand.level.touch_cell}, zlib.compress(delta.tobytes(), 1), gained, lost


@partial(action, cut_to_own=True)
def clear(user: User, stand: Stand, key: UUID, area: int | None = None) -> Entry:
    """Take a stand's painting away, everywhere or inside one area of the level, as one action that can be
    undone.

    Raises: Refused when nothing is painted there, or the area is not one.
    """
    check_unlocked(stand)
    inside, where = _inside(stand.level, area)
    box = _painted_box(planting_of(stand).touch, inside)
    if box is None:
        raise Refused(f"{stand.name} has no painting{where or ' to clear'}")
    with transaction.atomic():
        before = planted_of(stand.level)
        done = _clear(user, stand, inside, box)
        return _entered(user, stand, key, f"Painting of {stand.name} cleared{where}", box, before, done)


def _entered(
    user: User,
    stand: Stand,
    key: UUID,
    what: str,
    box: Cells,
    before: PlantedLevel,
    done: tuple[dict, bytes, int, int],
) -> Entry:
    """The journal's entry of a stand's painting in a box that has been set as one action; before, the level
    as it was planted until then; done, what `_set` says of it."""
    change, delta, gained, lost = done
    return Entry.objects.create(
        level=stand.level,
        user=user,
        stand=stand,
        kind=Entry.Kind.STROKE,
        key=key,
        what=what[:200],
        change=change,
        delta=delta,
        gained=gained,
        lost=lost,
        worst=change_at_worst(stand.level, before, planting_of(stand).metres(box)),
    )


def _inside(level: Level, area: int | None) -> tuple[np.ndarray, str]:
    """Which touch cells lie in an area of the level, all for None, and that in words.

    Raises: Refused when the level has no such area.
    """
    rows, columns = level.touch_shape
    if area is None:
        return np.ones((rows, columns), bool), ""
    shape = planted_of(level).shapes.get(area)
    if shape is None or shape.kind != "area":
        raise Refused(f"area: {level.name} has no area {area}")
    return distance_field([shape], level.touch_cell, (0, 0, columns, rows)) <= 0, f" in {shape.name}"


def _painted_box(touch: np.ndarray, inside: np.ndarray) -> tuple[int, int, int, int] | None:
    """The box of cells that holds all touch inside; None when there is none."""
    painted = np.argwhere((touch != 0) & inside)
    if not len(painted):
        return None
    (row0, col0), (row1, col1) = painted.min(0).tolist(), (painted.max(0) + 1).tolist()
    return col0, row0, col1, row1


def _clear(
    user: User, stand: Stand, inside: np.ndarray, box: tuple[int, int, int, int]
) -> tuple[dict, bytes, int, int]:
    """Set a stand's touch to 0 inside, where the person may; inside a transaction. What a stroke's entry
    holds of it, and plants gained and lost."""
    there = inside[box[1] : box[3], box[0] : box[2]]
    return _set(user, stand, box, lambda window: np.where(there, np.int16(0), window))


def _set(
    user: User, stand: Stand, box: Cells, work: Callable[[np.ndarray], np.ndarray]
) -> tuple[dict, bytes, int, int]:
    """Have `work` say what a stand's touch in a box is to be, where the person may; inside a transaction.
    What a stroke's entry holds of it, and plants gained and lost."""
    planting, locked = _lock(stand, box)
    wanted = work(locked.window)
    delta = kept_to_own(stand.level, user, (wanted - locked.window).astype(np.int16), box)
    after = locked.window + delta
    gained, lost = _difference(planting, box, locked.window, after)
    paint_planted(stand, locked.write(after, planting.touch_map))
    return {"box": box, "cell": stand.level.touch_cell}, zlib.compress(delta.tobytes(), 1), gained, lost


@partial(action, cut_to_own=True)
def put_painting(user: User, stand: Stand, key: UUID, touch: np.ndarray, name: str) -> Entry:
    """Take touch, int16 of the level's touch cells, for a stand's whole painting, as one action that can be
    undone; name of the file that it comes from.

    Raises: HttpError 409 when the stand is locked; Refused when it is painted like that already.
    """
    check_unlocked(stand)
    box = _painted_box(touch - planting_of(stand).touch, np.ones(touch.shape, bool))
    if box is None:
        raise Refused(f"{stand.name} is painted like that already")
    with transaction.atomic():
        before = planted_of(stand.level)
        part = touch[box[1] : box[3], box[0] : box[2]]
        done = _set(user, stand, box, lambda window: part)
        return _entered(user, stand, key, f"Painting of {stand.name} from {name}", box, before, done)


@partial(action, cut_to_own=True)
def clear_all(user: User, level: Level, key: UUID, area: int | None) -> Entry:
    """Take the painting of all stands that are not locked away, everywhere or inside an area, as one action.

    Raises: Refused when nothing is painted there, or the area is not one.
    """
    inside, where = _inside(level, area)
    stands = sorted((s for s in rows_of(level).values() if not s.locked), key=lambda s: s.order)
    boxes = {s.pk: _painted_box(planting_of(s).touch, inside) for s in stands}
    before, parts, deltas, gained, lost = planted_of(level), [], [], 0, 0
    with transaction.atomic():
        for stand in stands:
            box = boxes[stand.pk]
            if box:
                change, delta, more, fewer = _clear(user, stand, inside, box)
                parts.append(change | {"stand": stand.pk, "size": len(delta)})
                deltas.append(delta)
                gained, lost = gained + more, lost + fewer
        if not parts:
            raise Refused(f"{level.name} has no painting{where or ' to clear'} that is not locked")
        return Entry.objects.create(
            level=level,
            user=user,
            kind=Entry.Kind.STROKES,
            key=key,
            change={"parts": parts},
            what=f"Painting of all stands cleared{where}",
            delta=b"".join(deltas),
            gained=gained,
            lost=lost,
            worst=change_at_worst(level, before),
        )


def shift_all(entry: Entry, back: bool) -> TouchChange:
    """Take an action on several stands' touch back, or apply it again; inside a transaction."""
    gained = lost = at = 0
    stands = {s.pk: s for s in rows_of(entry.level).values()}
    for part in entry.change["parts"]:
        delta = entry.delta[at : at + part["size"]]
        at += part["size"]
        if part["stand"] in stands:
            change = shift(
                Entry(level=entry.level, stand=stands[part["stand"]], change=part, delta=delta), back
            )
            gained, lost = gained + change.gained, lost + change.lost
    return TouchChange(None, gained, lost)


def _delta(entry: Entry) -> tuple[tuple[int, int, int, int], np.ndarray]:
    """A stroke's box of touch cells and its difference there, int32; on other cells than it was painted on,
    resampled."""
    level, box = entry.stand.level, tuple(entry.change["box"])
    delta = np.frombuffer(zlib.decompress(entry.delta), np.int16).reshape(box[3] - box[1], box[2] - box[0])
    painted = Painted(stand=entry.stand.number, box=box, delta=delta)
    return painted.on(entry.change.get("cell", level.touch_cell), level.touch_cell, level.touch_shape)


def shift(entry: Entry, back: bool) -> TouchChange:
    """Take a stroke's own difference back, or apply it again; inside a transaction."""
    box, delta = _delta(entry)
    if not delta.size:
        return TouchChange(box, 0, 0)
    planting, locked = _lock(entry.stand, box)
    after = np.clip(locked.window + (-delta if back else delta), -TOUCH_UNIT, TOUCH_UNIT).astype(np.int16)
    gained, lost = _difference(planting, box, locked.window, after)
    paint_planted(entry.stand, locked.write(after, planting.touch_map))
    return TouchChange(box, gained, lost)


def attempt(stand: Stand, brush: Brush) -> tuple[Box, Plants]:
    """What the brush would leave standing in its box, without storing anything."""
    cells = brush.cells(planted_of(stand.level))
    col0, row0, col1, row1 = cells
    planting = planting_of(stand)
    touch, _ = planting.touch_map.window(cells)
    window = touch[: row1 - row0, : col1 - col0].copy()
    window += brush.delta(planting, window, cells)
    metres = planting.metres(cells)
    return metres, planting.plants_in(metres, window, metres[:2])
