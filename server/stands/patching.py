"""Sheets re-planted only where something changed: what stands elsewhere is taken over from the sheet as it was.

Of every sheet that was planted, marks are kept of all that its plants follow from: what seldom changes as one digest, touch as
a number for each block of cells, and the footprints that reach it. When only touch or footprints differ, the box they differ in
is planted anew.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from server.stands.claims import Parts, Taken
from thicket.cache import ContentCache
from thicket.ground.rasters import block_sums
from thicket.hashing import hash_of
from thicket.planting.room import NO_DISCS, NOWHERE, differing
from thicket.planting.stands import Plants, join

if TYPE_CHECKING:
    from server.stands.engine import Planting
    from server.stands.sheets import Box, Sheet

BLOCK = 16
"""Touch is compared in blocks of so many cells a side."""
MOST = 0.6
"""A sheet of which more than this share would be planted anew is planted whole."""
SLACK = 0.05
"""Metres by which the box is planted wider, since a plant's stored place is rounded."""
NOTHING = Taken("", NO_DISCS, b"")
_WEIGHTS = np.random.Generator(np.random.Philox(77)).integers(1, 2**62, (BLOCK, BLOCK), np.int64) | 1


class Mark(NamedTuple):
    """What a sheet's plants follow from, and the key they are kept under. `origin` is the first block's column and row."""

    still: str
    blocks: np.ndarray
    origin: tuple[int, int]
    taken: Parts
    key: str


_marks = ContentCache(20_000)


def touch_blocks(touch: np.ndarray, cells: tuple[int, int, int, int]) -> tuple[np.ndarray, tuple[int, int]]:
    """A number for each block of touch cells that a window (col0, row0, col1, row1) meets, and the first block's column and row.

    Blocks lie on multiples of `BLOCK`; equal touch gives equal numbers.
    """
    rows, columns = touch.shape
    col0, row0 = (max(v, 0) // BLOCK for v in cells[:2])
    col1, row1 = -(-min(cells[2], columns) // BLOCK), -(-min(cells[3], rows) // BLOCK)
    return block_sums(touch, (col0, row0, col1, row1), _WEIGHTS), (col0, row0)


def touch_digest(window: np.ndarray) -> str:
    """A hash of the touch in a window, which must be contiguous."""
    return hash_of(touch_blocks(window, (0, 0, *window.shape[::-1]))[0]).hex()


def widened(box: Box, by: float) -> Box:
    """A box with so many m more on every side."""
    return box[0] - by, box[1] - by, box[2] + by, box[3] + by


def around_both(a: Box, b: Box) -> Box:
    """The box around two boxes."""
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def note(planting: Planting, sheet: Sheet, mark: Mark) -> None:
    """Keep a sheet's mark after it was planted."""
    _marks.put((planting.level.pk, planting.stand.number, sheet), mark)


def known(planting: Planting, sheet: Sheet) -> Mark | None:
    """The mark of a sheet as it was planted last."""
    return _marks.peek((planting.level.pk, planting.stand.number, sheet))


def apart(a: Box, b: Box) -> bool:
    """Whether two boxes have nothing in common."""
    return a[0] > b[2] or a[1] > b[3] or a[2] < b[0] or a[3] < b[1]


def _differing(old: Parts, new: Parts, within: Box | None) -> Box:
    """The box around the discs that only one of two states has; they are looked for only near a box when it is given."""
    found = NOWHERE
    for part in old.keys() | new.keys():
        was, now = old.get(part, NOTHING), new.get(part, NOTHING)
        if was.said != now.said:
            found = around_both(found, differing(was.discs, now.discs, within))
    return found


def _known_region(planting: Planting, sheet: Sheet, old: Mark) -> Box | None:
    """The box outside of which nothing about a planting differs from a mark; None when there is none."""
    if planting.changed_in is None:
        return None
    keys, region = planting.changed_in
    return region if keys.get(sheet) == old.key else None


def changed_box(planting: Planting, old: Mark, new: Mark, within: Box | None = None) -> Box | None:
    """The box in which plants may differ between two marks that are still alike, with all that its edge can reach; None when
    nothing differs."""
    found = NOWHERE
    where = np.argwhere(old.blocks != new.blocks)
    if len(where):
        ends = np.stack([where.min(0), where.max(0) + 1])[:, ::-1] + new.origin
        found = widened(tuple((ends * BLOCK * planting.touch_cell).ravel().tolist()), planting.touch_cell + planting.crowding)
    reach = planting.footprint + planting.settings.gap + 0.01
    found = around_both(found, widened(_differing(old.taken, new.taken, within), reach))
    return found if found[0] <= found[2] else None


def patched(planting: Planting, sheet: Sheet, mark: Mark, old_plants) -> Plants | None:
    """A sheet's plants from those it had; None when it is to be planted whole. `old_plants(key)` finds those, or None."""
    old = known(planting, sheet)
    if old is None or old.still != mark.still or old.blocks.shape != mark.blocks.shape or old.origin != mark.origin:
        return None
    was = old_plants(old.key)
    if was is None:
        return None
    box = changed_box(planting, old, mark, _known_region(planting, sheet, old))
    if box is None:
        return was
    x0, z0, x1, z1 = planting.window(sheet)
    box = box[0] - SLACK, box[1] - SLACK, box[2] + SLACK, box[3] + SLACK
    cut = max(box[0], x0), max(box[1], z0), min(box[2], x1), min(box[3], z1)
    if cut[2] <= cut[0] or cut[3] <= cut[1]:
        return was
    if (cut[2] - cut[0]) * (cut[3] - cut[1]) > MOST * (x1 - x0) * (z1 - z0):
        return None
    wider = max(cut[0] - SLACK, x0), max(cut[1] - SLACK, z0), min(cut[2] + SLACK, x1), min(cut[3] + SLACK, z1)
    fresh = planting.plants_in(wider)
    return in_order(join([was.take(~_within(was, cut)), fresh.take(_within(fresh, cut))]))


def _within(plants: Plants, box: Box) -> np.ndarray:
    x, z = plants.form[:, 0], plants.form[:, 2]
    return (x >= box[0]) & (x < box[2]) & (z >= box[1]) & (z < box[3])


def in_order(plants: Plants) -> Plants:
    """The plants by their ids, so that however a sheet was planted its bytes are the same."""
    return plants.take(np.argsort(plants.id, kind="stable"))
