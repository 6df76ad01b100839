"""What site conditions look at: one raster of values for each, for any window of the level.

A window is (col0, row0, col1, row1) in cells, half open. Each field takes as much ground around the window as
its operation needs, so a tile gives the values that the whole gives, bit for bit. Depression filling and flow
alone need the whole ground; their raster is handed in.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numba as nb
import numpy as np

from thicket.ground.heights import sample
from thicket.ground.hollow import disc, topographic_position_index, unevenness
from thicket.ground.noise import noise_field
from thicket.ground.relief import facing_of_cells, slope_and_aspect, to_cells
from thicket.ground.shapes import Shape, depth_field, distance_field
from thicket.refused import Refused
from thicket.site.conditions import Condition, suitability

Window = tuple[int, int, int, int]
DISTANCES = ("path", "area", "obstacle", "stand")


@dataclass(frozen=True, eq=False)
class Site:
    """A level as conditions see it.

    heights float32 (rows + 1, columns + 1) in m; cell in m; layers uint8 (rows, columns) by name, 255 for
    all; masks uint8 or uint16 of any size by name, stretched over the level; shapes by number; wetness, gives
    the wetness raster of the whole ground at the vertices; plants, gives the places (n, 2) of a stand's
    plants in a box of level metres.
    """

    heights: np.ndarray
    cell: float
    layers: Mapping[str, np.ndarray] = field(default_factory=dict)
    masks: Mapping[str, np.ndarray] = field(default_factory=dict)
    shapes: Mapping[int, Shape] = field(default_factory=dict)
    wetness: Callable[[], np.ndarray] | None = None
    plants: Callable[[int, tuple[float, float, float, float]], np.ndarray] | None = None

    @property
    def cells(self) -> tuple[int, int]:
        """Rows and columns of cells."""
        return self.heights.shape[0] - 1, self.heights.shape[1] - 1

    @property
    def whole(self) -> Window:
        rows, columns = self.cells
        return 0, 0, columns, rows

    def chosen(self, condition: Condition) -> list[Shape]:
        """The shapes that a distance condition counts."""
        wanted = condition.shapes or tuple(self.shapes)
        return [self.shapes[n] for n in wanted if n in self.shapes and self.shapes[n].kind == condition.kind]


def margin(condition: Condition, cell: float) -> int:
    """Cells around a window that a field's values in it depend on; a distance's depends on
    `Condition.reach`."""
    if condition.kind in ("hollow", "flat"):
        return int(disc(condition.radius, cell)[0]) + 1
    return 1 if condition.kind == "slope" else 0


def _grown(heights: np.ndarray, window: Window, by: int) -> tuple[np.ndarray, tuple[slice, slice]]:
    """The vertices of a window with a margin, cut at the level's edge; and where the window's own vertices
    lie in it."""
    col0, row0, col1, row1 = window
    a, b = max(row0 - by, 0), max(col0 - by, 0)
    cut = heights[a : row1 + 1 + by, b : col1 + 1 + by]
    return cut, (slice(row0 - a, row1 + 1 - a), slice(col0 - b, col1 + 1 - b))


def _altitude(site: Site, c: Condition, window: Window) -> np.ndarray:
    return to_cells(_grown(site.heights, window, 0)[0])


def _slope(site: Site, c: Condition, window: Window) -> np.ndarray:
    cut, inner = _grown(site.heights, window, 1)
    return to_cells(slope_and_aspect(cut, site.cell, threads=1)[0][inner])


def _facing(site: Site, c: Condition, window: Window) -> np.ndarray:
    return facing_of_cells(_grown(site.heights, window, 0)[0], site.cell)


def _hollow(site: Site, c: Condition, window: Window) -> np.ndarray:
    cut, inner = _grown(site.heights, window, margin(c, site.cell))
    return to_cells(topographic_position_index(cut, site.cell, c.radius, threads=1)[inner])


def _flat(site: Site, c: Condition, window: Window) -> np.ndarray:
    cut, inner = _grown(site.heights, window, margin(c, site.cell))
    rows, columns = inner
    cells = slice(rows.start, rows.stop - 1), slice(columns.start, columns.stop - 1)
    return unevenness(to_cells(cut), site.cell, c.radius, threads=1)[cells]


def _wetness(site: Site, c: Condition, window: Window) -> np.ndarray:
    if site.wetness is None:
        raise Refused("wetness has not been computed for this ground")
    return to_cells(_grown(site.wetness(), window, 0)[0])


def _layer(site: Site, c: Condition, window: Window) -> np.ndarray:
    col0, row0, col1, row1 = window
    total = np.zeros((row1 - row0, col1 - col0), np.int32)
    for name in c.layers:
        if name not in site.layers:
            raise Refused(f"this level has no ground layer {name!r}")
        total += site.layers[name][row0:row1, col0:col1]
    return np.minimum(total, 255).astype(np.float32) / np.float32(255)


def _noise(site: Site, c: Condition, window: Window) -> np.ndarray:
    return noise_field(c.noise, site.cell, window)


def _mask(site: Site, c: Condition, window: Window) -> np.ndarray:
    if c.mask not in site.masks:
        raise Refused(f"this level has no mask image {c.mask!r}")
    mask = site.masks[c.mask]
    rows, columns = site.cells
    v, u = np.meshgrid(
        (np.arange(window[1], window[3]) + 0.5) * (mask.shape[0] / rows) - 0.5,
        (np.arange(window[0], window[2]) + 0.5) * (mask.shape[1] / columns) - 0.5,
        indexing="ij",
    )
    full = np.float32(np.iinfo(mask.dtype).max)
    return sample(mask, u.ravel(), v.ravel()).reshape(u.shape) / full


def far_away(condition: Condition) -> np.float32:
    """The distance that stands for all distances beyond the condition's reach."""
    return np.float32(max(condition.reach, 0.0) + 1.0)


def _shapes(site: Site, c: Condition, window: Window) -> np.ndarray:
    if c.depth:
        return depth_field(site.chosen(c), site.cell, window)
    near = [s for s in site.chosen(c) if box_gap(s.box, window, site.cell) <= c.reach + 1.0]
    return np.minimum(distance_field(near, site.cell, window), far_away(c))


def box_gap(box: tuple[float, float, float, float], window: Window, cell: float) -> float:
    """How far a box in level metres lies from a window, in m; 0 when they meet."""
    dx = max(box[0] - window[2] * cell, window[0] * cell - box[2], 0.0)
    dz = max(box[1] - window[3] * cell, window[1] * cell - box[3], 0.0)
    return float(np.hypot(dx, dz))


@nb.njit(nogil=True, cache=True)
def _nearest(places, cell, col0, row0, reach, out):
    rows, cols = out.shape
    for k in range(places.shape[0]):
        x, z = places[k]
        j0 = max(int(np.floor((z - reach) / cell - 0.5)) - row0, 0)
        j1 = min(int(np.ceil((z + reach) / cell - 0.5)) - row0 + 1, rows)
        i0 = max(int(np.floor((x - reach) / cell - 0.5)) - col0, 0)
        i1 = min(int(np.ceil((x + reach) / cell - 0.5)) - col0 + 1, cols)
        for j in range(j0, j1):
            dz = (row0 + j + 0.5) * cell - z
            for i in range(i0, i1):
                dx = (col0 + i + 0.5) * cell - x
                d = dx * dx + dz * dz
                if d < out[j, i]:
                    out[j, i] = d


def _stand(site: Site, c: Condition, window: Window) -> np.ndarray:
    if site.plants is None:
        raise Refused("the plants of the other stand are not known here")
    reach = float(far_away(c))
    col0, row0, col1, row1 = window
    box = (
        col0 * site.cell - reach,
        row0 * site.cell - reach,
        col1 * site.cell + reach,
        row1 * site.cell + reach,
    )
    out = np.full((row1 - row0, col1 - col0), reach * reach, np.float64)
    _nearest(np.ascontiguousarray(site.plants(c.stand, box), dtype=float), site.cell, col0, row0, reach, out)
    return np.sqrt(out).astype(np.float32)


_FIELDS: dict[str, Callable[[Site, Condition, Window], np.ndarray]] = {
    "altitude": _altitude,
    "slope": _slope,
    "facing": _facing,
    "hollow": _hollow,
    "wetness": _wetness,
    "layer": _layer,
    "noise": _noise,
    "path": _shapes,
    "area": _shapes,
    "obstacle": _shapes,
    "stand": _stand,
    "mask": _mask,
    "flat": _flat,
}


def values(site: Site, condition: Condition, window: Window) -> np.ndarray:
    """What a condition looks at, at the cell centres of a window.

    Returns: float32 (rows, columns) in the kind's unit. Distances are below 0 inside a shape and stop at
    `far_away`; facing is a compass bearing, `relief.FLAT` where the ground faces nowhere. Raises: Refused
    when the condition asks for a layer, mask or stand that is not there.
    """
    return _FIELDS[condition.kind](site, condition, window)


def suitable(site: Site, conditions: Sequence[Condition], window: Window) -> np.ndarray:
    """Suitability of a window from nothing, float32 0–1 (rows, columns)."""
    col0, row0, col1, row1 = window
    fields = [values(site, c, window) for c in conditions]
    return suitability(fields, conditions, (row1 - row0, col1 - col0))
