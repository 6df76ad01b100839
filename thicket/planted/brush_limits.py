"""Where alone a brush works."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from thicket.ground.heights import at_cells
from thicket.ground.shapes import distances_at
from thicket.planted.suitability import SiteRasters
from thicket.refused import Refused
from thicket.site.conditions import Condition


@dataclass(frozen=True)
class Limits:
    """Where alone a brush works. layer: a ground layer's name; slope in degrees and altitude in m, bands;
    area: number of an area; present: only where the painted stand already is."""

    layer: str = ""
    slope: tuple[float, float] | None = None
    altitude: tuple[float, float] | None = None
    area: int | None = None
    present: bool = False

    def conditions(self) -> list[Condition]:
        """The limits of the ground as site conditions, each with an edge a little soft."""
        out = []
        if self.layer:
            out.append(Condition("layer", 0.5, 2.0, 0.25, 0.0, layers=(self.layer,)))
        if self.slope:
            out.append(Condition("slope", *self.slope, 1.0, 1.0))
        if self.altitude:
            out.append(Condition("altitude", *self.altitude, 0.5, 0.5))
        return out

    def check(self, rasters: SiteRasters) -> None:
        """Raises: Refused when the level has no such layer or area."""
        for lack in filter(None, map(rasters.lacks, self.conditions())):
            raise Refused(f"layer: {lack[0].lower()}{lack[1:]}")
        shape = None if self.area is None else rasters.level.shapes.get(self.area)
        if self.area is not None and (shape is None or shape.kind != "area"):
            raise Refused(f"area: {rasters.level.name} has no area {self.area}")

    def shares(self, rasters: SiteRasters, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        """How far the brush may work on the terrain at places in m, float32 0–1 of their shape.

        Raises: Refused as `check`.
        """
        self.check(rasters)
        at, out = (x.ravel(), z.ravel()), np.ones(x.size, np.float32)
        if conditions := self.conditions():
            suited = rasters.suitability(conditions)
            out *= at_cells(suited.around(*at, rasters.cell), rasters.cell, *at)
        if self.area is not None:
            out *= distances_at([rasters.level.shapes[self.area]], *at)[0] <= 0
        return out.reshape(x.shape)
