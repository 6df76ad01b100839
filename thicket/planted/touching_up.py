"""The ground touched up by hand: what a brush raises and lowers along a stroke, as an edit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from thicket.document.edits import PaintLayers, RaiseGround
from thicket.document.level import Level
from thicket.document.rasters import RAISED_UNIT
from thicket.ground.heights import Ground
from thicket.planted.brush_limits import Limits
from thicket.planted.level import PlantedLevel
from thicket.planting.strokes import GROUND_VERBS, Stroke, cover, ease_margin, smooth_cells
from thicket.refused import Refused

Box = tuple[int, int, int, int]
Holds = Callable[[np.ndarray, np.ndarray], np.ndarray]
MOST_RAISED = 100.0
"""One stroke raises by at most so many m."""


@dataclass(frozen=True)
class GroundBrush:
    """A stroke whose verb is one of `GROUND_VERBS`, over the terrain.

    *raise* and *lower* work by `amount` m at full strength; *smooth* toward the mean of the ground around
    each vertex; *flatten* toward the altitude `toward` in m, or where it is None that of the ground where
    the stroke begins; *slope* toward an even slope between the ground where the stroke begins and where it
    ends; *cover* lays the ground layer `layer` over the others. `limits` are
    those of the ground where alone it works.
    """

    stroke: Stroke
    amount: float = 1.0
    toward: float | None = None
    layer: str = ""
    limits: Limits = Limits()

    def __post_init__(self) -> None:
        if self.stroke.verb not in GROUND_VERBS:
            raise Refused(f"verb: the ground has no brush verb called {self.stroke.verb!r}")
        if self.stroke.on:
            raise Refused("on: placed meshes are not touched up; only the terrain is")
        if not 0 < self.amount <= MOST_RAISED:
            raise Refused(f"amount: a stroke raises by more than 0 m and at most {MOST_RAISED:g} m")

    @property
    def what(self) -> str:
        """What it does, in words."""
        return f"{GROUND_VERBS[self.stroke.verb]} the ground{f' with {self.layer}' if self.layer else ''}"

    def edit(self, planted: PlantedLevel, holds: Holds | None = None) -> RaiseGround | PaintLayers:
        """What it does to a level's ground; `holds`, of places x, z (n,), where alone it may.

        Raises: Refused when it lies outside the level or changes nothing.
        """
        level, ground = planted.level, planted.ground
        box = self._vertices(ground)

        def may(x: np.ndarray, z: np.ndarray) -> np.ndarray:
            return self.limits.shares(planted.rasters, x, z) * (1 if holds is None else holds(x, z))

        if self.stroke.verb == "cover":
            rows, columns = ground.cells
            box = box[0], box[1], min(box[2], columns), min(box[3], rows)
            box, delta = _cut(box, self._covered(level, box), may, ground.cell, 0.5)
            return PaintLayers(names=level.layers.names, box=box, delta=delta)
        box, delta = _cut(box, self._delta(ground, box), may, ground.cell, 0.0)
        return RaiseGround(box=box, delta=delta)

    def _covered(self, level: Level, box: Box) -> np.ndarray:
        """By how much it changes the weights of the layers over a box of cells, int16 (rows, columns,
        layers). Raises: Refused when the level has no such layer."""
        layers, (col0, row0, col1, row1) = level.layers, box
        if self.layer not in layers.names:
            raise Refused(f"layer: {level.name} has no ground layer {self.layer!r}")
        was = layers.weights[row0:row1, col0:col1]
        works = cover(self.stroke, level.heights.ground.cell, col0, row0, was.shape[:2])
        works *= np.float32(self.stroke.strength)
        now = was * (1 - works[..., None])
        now[..., layers.names.index(self.layer)] += 255 * works
        return (np.rint(now) - was).astype(np.int16)

    def _vertices(self, ground: Ground) -> Box:
        """The vertices that it reaches or reads, inside the level. Raises: Refused when there are none."""
        (x0, z0, x1, z1), cell = self.stroke.box, ground.cell
        if x1 < 0 or z1 < 0 or x0 > ground.width or z0 > ground.length:
            raise Refused(
                f"path: the stroke lies outside the level, which is {ground.width:g} m × {ground.length:g} m"
            )
        by = ease_margin(self.stroke.radius, cell) if self.stroke.verb == "smooth" else 0
        rows, columns = ground.heights.shape
        return (
            max(int(x0 / cell) - by, 0),
            max(int(z0 / cell) - by, 0),
            min(int(x1 / cell) + 2 + by, columns),
            min(int(z1 / cell) + 2 + by, rows),
        )

    def _delta(self, ground: Ground, box: Box) -> np.ndarray:
        """By how much it raises each vertex of a box, in steps of 1 / `RAISED_UNIT` m."""
        col0, row0, col1, row1 = box
        stroke, cell = self.stroke, ground.cell
        heights = ground.heights[row0:row1, col0:col1]
        # A stroke covers cells by their centres; vertices lie half a cell before those.
        shifted = replace(stroke, path=[(x + cell / 2, z + cell / 2) for x, z in stroke.path])
        works = cover(shifted, cell, col0, row0, heights.shape) * np.float32(stroke.strength)
        match stroke.verb:
            case "raise":
                by = works * self.amount
            case "lower":
                by = works * -self.amount
            case "smooth":
                low = heights.mean()
                by = (smooth_cells(stroke.radius, cell)(heights - low) + low - heights) * works
            case "flatten":
                toward = self._begins(ground) if self.toward is None else self.toward
                by = (np.float32(toward) - heights) * works
            case _:
                by = (self._ramp(ground, box) - heights) * works
        return np.rint(by.astype(np.float64) * RAISED_UNIT).astype(np.int32)

    def _begins(self, ground: Ground) -> float:
        x, z = np.asarray(self.stroke.path, float)[:1].T.copy()
        return float(ground.height_at(x, z)[0])

    def _ramp(self, ground: Ground, box: Box) -> np.ndarray:
        """The altitudes, over a box of vertices, of the slope from where the stroke begins to where it ends.

        Raises: Refused when both are one place.
        """
        path = np.asarray(self.stroke.path, float)
        way = path[-1] - path[0]
        if float(np.hypot(*way)) < ground.cell:
            raise Refused("path: a slope needs two places; drag from one to the other")
        low, high = ground.height_at(*path[[0, -1]].T.copy()).astype(float)
        z, x = np.mgrid[box[1] : box[3], box[0] : box[2]] * ground.cell
        along = ((x - path[0, 0]) * way[0] + (z - path[0, 1]) * way[1]) / float(way @ way)
        return (low + np.clip(along, 0, 1) * (high - low)).astype(np.float32)


def _cut(box: Box, delta: np.ndarray, may: Holds, cell: float, centre: float) -> tuple[Box, np.ndarray]:
    """What of a difference over a box is not 0, by how far it may be made at each place; values lie so
    many cells beside the grid's corners.

    Raises: Refused when nothing is left.
    """
    z, x = (np.mgrid[box[1] : box[3], box[0] : box[2]] + centre) * cell
    share = may(x.ravel(), z.ravel()).reshape(delta.shape[:2])
    by = delta * (share if delta.ndim == 2 else share[..., None])
    delta = np.rint(by).astype(delta.dtype)
    some = (delta.reshape(*delta.shape[:2], -1) != 0).sum(axis=2) > 0
    if not some.any():
        raise Refused("path: the ground there stays as it is")
    rows, columns = np.flatnonzero(some.any(axis=1)), np.flatnonzero(some.any(axis=0))
    cut = np.ascontiguousarray(delta[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1])
    col0, row0 = box[0] + int(columns[0]), box[1] + int(rows[0])
    return (col0, row0, col0 + cut.shape[1], row0 + cut.shape[0]), cut
