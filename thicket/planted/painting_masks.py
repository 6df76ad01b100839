"""Mask images painted by hand, as an edit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from thicket.document.edits import PaintMask
from thicket.document.edits.masks import mask_of
from thicket.ground.heights import sample
from thicket.planted.brush_limits import Limits
from thicket.planted.level import PlantedLevel
from thicket.planted.touching_up import Holds
from thicket.planting.strokes import MASK_VERBS, Stroke, cover, ease_margin, smooth_cells
from thicket.refused import Refused


@dataclass(frozen=True)
class MaskBrush:
    """A stroke whose verb is one of `MASK_VERBS`, over the mask image `name` as it lies over the terrain.

    *whiten* and *blacken* work toward white and black, *even* toward `grey`, 0–1; *smooth* toward the mean of
    what lies around. `limits` are those of the ground where alone it works.
    """

    stroke: Stroke
    name: str
    grey: float = 0.5
    limits: Limits = Limits()

    def __post_init__(self) -> None:
        if self.stroke.verb not in MASK_VERBS:
            raise Refused(f"verb: a mask image has no brush verb called {self.stroke.verb!r}")
        if self.stroke.on:
            raise Refused("on: mask images are painted on the terrain")
        if not 0 <= self.grey <= 1:
            raise Refused("toward: a grey lies between 0 for black and 1 for white")

    @property
    def what(self) -> str:
        """What it does, in words."""
        return f"{MASK_VERBS[self.stroke.verb]} the mask image {self.name}"

    def edit(self, planted: PlantedLevel, holds: Holds | None = None) -> PaintMask:
        """What it does to a level's mask; `holds`, of places x, z (n,), where alone it may.

        Raises: Missing when there is no such mask, Refused when it changes nothing.
        """
        mask = mask_of(planted.level, self.name)
        rows, columns = mask.values.shape
        across, down = planted.width / columns, planted.length / rows
        margin = 1
        if self.stroke.verb == "smooth":
            margin = ease_margin(self.stroke.radius, min(across, down))
        x0, z0, x1, z1 = self.stroke.box
        col0, row0 = max(int(x0 / across) - margin, 0), max(int(z0 / down) - margin, 0)
        col1, row1 = min(int(x1 / across) + 1 + margin, columns), min(int(z1 / down) + 1 + margin, rows)
        if col0 >= col1 or row0 >= row1 or x1 < 0 or z1 < 0:
            raise Refused(
                f"path: the stroke lies outside the level, which is {planted.width:g} m × "
                f"{planted.length:g} m"
            )
        z, x = np.mgrid[row0:row1, col0:col1] + 0.5
        x, z = x * across, z * down
        works = _covered(self.stroke, x, z, min(across, down)) * np.float32(self.stroke.strength)
        works *= self.limits.shares(planted.rasters, x, z)
        if holds is not None:
            works *= holds(x.ravel(), z.ravel()).reshape(x.shape)
        was = mask.values[row0:row1, col0:col1].astype(np.float32)
        delta = np.rint((self._aim(was, mask.white, min(across, down)) - was) * works).astype(np.int32)
        if not delta.any():
            if works.any():
                raise Refused(f"path: {self.name} stays as it is there")
            wide = max(across, down)
            raise Refused(f"path: the values of {self.name} are {wide:.3g} m wide: too wide for this brush")
        some_rows, some_columns = (np.flatnonzero(delta.any(axis=k)) for k in (1, 0))
        r0, r1, c0, c1 = some_rows[0], some_rows[-1] + 1, some_columns[0], some_columns[-1] + 1
        return PaintMask(
            name=self.name,
            shape=(rows, columns),
            white=mask.white,
            box=(col0 + int(c0), row0 + int(r0), col0 + int(c1), row0 + int(r1)),
            delta=np.ascontiguousarray(delta[r0:r1, c0:c1]),
        )

    def _aim(self, was: np.ndarray, white: int, cell: float) -> np.ndarray | np.float32:
        """What it works toward, in steps of the mask."""
        match self.stroke.verb:
            case "whiten":
                return np.float32(white)
            case "blacken":
                return np.float32(0)
            case "even":
                return np.float32(self.grey * white)
            case _:
                return smooth_cells(self.stroke.radius, cell)(was)


def _covered(stroke: Stroke, x: np.ndarray, z: np.ndarray, cell: float) -> np.ndarray:
    """How strongly a stroke covers places in rows and columns, float32 0–1: read from square cells, which the
    values of a mask need not be."""
    col0, row0 = int(x[0, 0] / cell) - 1, int(z[0, 0] / cell) - 1
    shape = int(z[-1, 0] / cell) + 3 - row0, int(x[0, -1] / cell) + 3 - col0
    covered = cover(stroke, cell, col0, row0, shape)
    u, v = (x / cell - 0.5 - col0).ravel(), (z / cell - 0.5 - row0).ravel()
    return sample(covered, u, v).reshape(x.shape)
