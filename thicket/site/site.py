"""A level as site conditions see it, and windows of its cells.

A window is (col0, row0, col1, row1) in cells, half open.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from thicket.ground.shapes import Shape

Window = tuple[int, int, int, int]


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

    def chosen(self, kind: str, numbers: Sequence[int]) -> list[Shape]:
        """The shapes of a kind that a distance counts: those of these numbers, or all."""
        wanted = numbers or tuple(self.shapes)
        return [self.shapes[n] for n in wanted if n in self.shapes and self.shapes[n].kind == kind]


def grown(heights: np.ndarray, window: Window, by: int) -> tuple[np.ndarray, tuple[slice, slice]]:
    """The vertices of a window with a margin of so many cells, cut at the level's edge; and where the
    window's own vertices lie in it."""
    col0, row0, col1, row1 = window
    a, b = max(row0 - by, 0), max(col0 - by, 0)
    cut = heights[a : row1 + 1 + by, b : col1 + 1 + by]
    return cut, (slice(row0 - a, row1 + 1 - a), slice(col0 - b, col1 + 1 - b))


def box_gap(box: tuple[float, float, float, float], window: Window, cell: float) -> float:
    """How far a box in level metres lies from a window, in m; 0 when they meet."""
    dx = max(box[0] - window[2] * cell, window[0] * cell - box[2], 0.0)
    dz = max(box[1] - window[3] * cell, window[1] * cell - box[3], 0.0)
    return float(np.hypot(dx, dz))
