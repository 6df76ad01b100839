"""A brush as a person holds it: the stroke, what it is limited to, and what it does to a stand's touch in a
box."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from thicket.document.edits import Paint, Painted
from thicket.ground.heights import at_cells
from thicket.ground.shapes import distance_field
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box
from thicket.planted.suitability import SiteRasters
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import density
from thicket.planting.strokes import Stroke, cover, touched
from thicket.refused import Refused
from thicket.site.conditions import Condition

MARGIN = 2
"""Cells kept around a stroke's reach, so that what is interpolated at its rim is whole."""
PRESENT = 0.02
"""Where a stand's density is below this, it is not there."""

Cells = tuple[int, int, int, int]


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


@dataclass(frozen=True)
class Brush:
    """A stroke with its limits. `fill` is "area" for all of the area in the limits, "level" for everywhere,
    or empty for the stroke's path."""

    stroke: Stroke
    limits: Limits = Limits()
    fill: str = ""

    def reach(self, level: PlantedLevel) -> Box:
        """All that the brush can work on, in level metres.

        Raises: Refused when it lies outside the level, or there is no such area.
        """
        if self.limits.area is not None:
            shape = level.shapes.get(self.limits.area)
            if shape is None or shape.kind != "area":
                raise Refused(f"area: {level.level.name} has no area {self.limits.area}")
        if self.fill == "area":
            if self.limits.area is None:
                raise Refused("area: say which area is to be filled")
            return level.shapes[self.limits.area].box
        return (0.0, 0.0, level.width - 1e-6, level.length - 1e-6) if self.fill else self.stroke.box

    def cells(self, level: PlantedLevel) -> Cells:
        """The touch cells that the brush reaches or reads, with a margin, inside the level.

        Raises: Refused as `reach`.
        """
        box, cell = self.reach(level), level.level.touch_cell
        margin = MARGIN + self.stroke.margin(cell)
        rows, columns = level.level.touch_shape
        if box[2] <= 0 or box[3] <= 0 or box[0] >= level.width or box[1] >= level.length:
            raise Refused(
                f"path: the stroke lies outside the level, which is {level.width:g} m × {level.length:g} m"
            )
        col0, row0 = (max(int(v / cell) - margin, 0) for v in box[:2])
        return (
            col0,
            row0,
            min(int(box[2] / cell) + 1 + margin, columns),
            min(int(box[3] / cell) + 1 + margin, rows),
        )

    def delta(self, planting: Planting, touch: np.ndarray, cells: Cells) -> np.ndarray:
        """The difference it makes to a stand's touch in a box of cells, int16."""
        cell = planting.touch_cell
        works = (
            np.ones(touch.shape, np.float32)
            if self.fill
            else cover(self.stroke, cell, cells[0], cells[1], touch.shape)
        )
        for limit in self._limits(planting.around.rasters, cell, cells):
            works *= limit
        if self.limits.present:
            suitable = _sampled(planting.suitability, planting.cell, cell, cells)
            works *= density(suitable, touch) * planting.core.fullness > PRESENT
        return touched(self.stroke, touch, works, cell)

    def painting(self, level: PlantedLevel, stands: Iterable[int]) -> Paint:
        """What it paints on stands, by number, as an edit.

        Raises: Refused as `reach`, or when one of the limits asks for what the level does not have.
        """
        box, parts = self.cells(level), []
        for number in sorted(stands):
            planting = level.planting(number)
            window, _ = planting.touch_map.window(box)
            parts.append(Painted(stand=number, box=box, delta=self.delta(planting, window, box)))
        return Paint(cell=level.level.touch_cell, parts=tuple(parts))

    def _limits(self, rasters: SiteRasters, cell: float, cells: Cells) -> list[np.ndarray]:
        out = []
        conditions = self.limits.conditions()
        for lack in filter(None, map(rasters.lacks, conditions)):
            raise Refused(f"layer: {lack[0].lower()}{lack[1:]}")
        if conditions:
            out.append(_sampled(rasters.suitability(conditions), rasters.cell, cell, cells))
        if self.limits.area is not None:
            out.append(
                (distance_field([rasters.level.shapes[self.limits.area]], cell, cells) <= 0).astype(
                    np.float32
                )
            )
        return out


def _sampled(raster: TiledRaster, raster_cell: float, cell: float, cells: Cells) -> np.ndarray:
    """A raster of the ground at the centres of touch cells in a box."""
    col0, row0, col1, row1 = cells
    z, x = np.mgrid[row0:row1, col0:col1] * cell + 0.5 * cell
    x, z = x.ravel(), z.ravel()
    return at_cells(raster.around(x, z, raster_cell), raster_cell, x, z).reshape(row1 - row0, col1 - col0)
