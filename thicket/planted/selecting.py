"""Many single plants at once: found by an outline, an item or by being pinned."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import shapely

from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planting.stands import Plants, join
from thicket.refused import Refused

MOST = 10_000


def selected(
    planted: PlantedLevel,
    stands: Iterable[int],
    outline: Sequence[tuple[float, float]] | None,
    item: str,
    pinned: bool,
    only: np.ndarray | None = None,
) -> tuple[list[tuple[Planting, Plants]], int]:
    """The single plants of some stands, by number, inside an outline (x, z), or anywhere; of one item, or
    any; pinned ones alone, or all; only those of some ids, uint64 (n,), when they are given.

    Returns: plants by planting, `MOST` in all at the most, those of the first stands first; and how many
    there are. Raises: Refused when the outline is none.
    """
    shape = None
    if outline is not None:
        shape = shapely.Polygon(outline).buffer(0)
        if shape.is_empty:
            raise Refused("outline: it encloses nothing; draw round what is to be selected")
        shapely.prepare(shape)
    found: list[tuple[Planting, Plants]] = []
    total = 0
    for planting in map(planted.planting, stands):
        if planting.stand.sward:
            continue
        box = shape.bounds if shape is not None else planting.everywhere
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(box)])
        keep = np.ones(len(plants), bool)
        if item:
            keep &= (np.array(planting.items) == item)[plants.item]
        if pinned:
            keep &= np.isin(plants.id, planting.pins.id)
        if only is not None:
            keep &= np.isin(plants.id, only)
        if shape is not None:
            keep[keep] = shapely.contains_xy(shape, plants.form[keep, 0], plants.form[keep, 2])
        count = int(keep.sum())
        room = MOST - sum(len(plants) for _, plants in found)
        total += count
        if count and room > 0:
            found.append((planting, plants.take(np.flatnonzero(keep)[:room])))
    return found, total
