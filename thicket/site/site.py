"""A level as site conditions see it, and windows of its cells.

A window is (col0, row0, col1, row1) in cells, half open.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from thicket.ground.shapes import Shape
from thicket.site.parameters import Parameters

Window = tuple[int, int, int, int]


@dataclass(frozen=True, eq=False)
class Site:
    """A level as conditions see it.

    heights float32 (rows + 1, columns + 1) in m; cell in m; layers uint8 (rows, columns) by name, 255 for
    all; masks uint8 or uint16 of any size by name, stretched over the level; shapes by number; wetness, gives
    the wetness raster of the whole ground at the vertices; plants, gives the places (n, 2) of a stand's
    plants in a box of level metres; painting, what is painted of a stand at the cells of a window, float32
    −1 to 1; density, how dense a stand is there, float32 0–1; meshes, gives points over the placed meshes
    that a condition counts, but for those of some numbers.
    """

    heights: np.ndarray
    cell: float
    layers: Mapping[str, np.ndarray] = field(default_factory=dict)
    masks: Mapping[str, np.ndarray] = field(default_factory=dict)
    shapes: Mapping[int, Shape] = field(default_factory=dict)
    wetness: Callable[[], np.ndarray] | None = None
    plants: Callable[[int, tuple[float, float, float, float]], np.ndarray] | None = None
    meshes: Callable[[Parameters, Sequence[int]], list[Nearby]] | None = None
    painting: Callable[[int, Window], np.ndarray] | None = None
    density: Callable[[int, Window], np.ndarray] | None = None

    @property
    def cells(self) -> tuple[int, int]:
        """Rows and columns of cells."""
        return self.heights.shape[0] - 1, self.heights.shape[1] - 1

    @property
    def whole(self) -> Window:
        """The window of all cells."""
        rows, columns = self.cells
        return 0, 0, columns, rows

    def chosen(self, c: Parameters) -> list[Shape]:
        """The shapes of its kind that a condition counts."""
        return [
            shape for n, shape in self.shapes.items() if shape.kind == c.kind and counts(c, n, shape.group)
        ]


def counts(c: Parameters, number: int, group: str) -> bool:
    """Whether a condition counts a shape or placed mesh, by its number and group: those that it names, or
    all."""
    return not (c.shapes or c.groups) or number in c.shapes or (group != "" and group in c.groups)


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


class Nearby(NamedTuple):
    """Points spread over one placed mesh: at and normal float64 (m, 3) in level metres, and a tree of at."""

    at: np.ndarray
    normal: np.ndarray
    tree: cKDTree

    @property
    def nbytes(self) -> int:
        return 3 * self.at.nbytes + self.normal.nbytes


@dataclass(frozen=True, eq=False)
class PlacesOnMeshes:
    """Places on placed meshes, as conditions see them.

    at and up float64 (n, 3), in level metres and outward; mesh int64 (n,), which mesh each is on; base
    float64 (n,), the altitude of its origin; site, the level; nearby, by mesh; plants, gives the places
    (m, 3) of a stand's plants; terrain, gives a condition's values on the terrain above or below the places;
    texture, gives the texture coordinates at the places, float64 (n, 2), 0–1 across and down an image.
    """

    at: np.ndarray
    up: np.ndarray
    mesh: np.ndarray
    base: np.ndarray
    site: Site
    nearby: Callable[[int], Nearby]
    plants: Callable[[int], np.ndarray]
    terrain: Callable[[Parameters], np.ndarray]
    texture: Callable[[], np.ndarray]

    def within(self, radius: float, measure: Callable[[Nearby, int, np.ndarray], float]) -> np.ndarray:
        """What a measure gives of each place's surroundings: it is given the points near it on its own
        mesh, by index, but for those that face away from it. float32 (n,); 0 where there are none."""
        out = np.zeros(len(self.at), np.float32)
        for mesh in np.unique(self.mesh):
            near, mine = self.nearby(int(mesh)), np.flatnonzero(self.mesh == mesh)
            for k, found in zip(mine, near.tree.query_ball_point(self.at[mine], radius)):
                same = np.array(found, int)
                same = same[near.normal[same] @ self.up[k] > -0.5] if len(same) else same
                if len(same):
                    out[k] = measure(near, int(k), same)
        return out
