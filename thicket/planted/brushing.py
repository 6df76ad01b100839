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
from thicket.planting.stands import Plants
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

    def left_by(self, planting: Planting, cells: Cells) -> tuple[Box, Plants]:
        """What it would leave standing of a stand in a box of cells: the box in m, and the plants."""
        col0, row0, col1, row1 = cells
        touch, _ = planting.touch_map.window(cells)
        window = touch[: row1 - row0, : col1 - col0].copy()
        window += self.delta(planting, window, cells)
        metres = planting.metres(cells)
        return metres, planting.plants_in(metres, window, metres[:2])

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


def clearing(level: PlantedLevel, stands: Iterable[int], area: int | None = None) -> tuple[Paint, str]:
    """Painting of stands, by number, taken away, everywhere or inside an area; and where, in words.

    Raises: Refused when nothing is painted there, or the level has no such area.
    """
    rows, columns = level.level.touch_shape
    cell, where, inside = level.level.touch_cell, "", np.ones((rows, columns), bool)
    if area is not None:
        shape = level.shapes.get(area)
        if shape is None or shape.kind != "area":
            raise Refused(f"area: {level.level.name} has no area {area}")
        inside = distance_field([shape], cell, (0, 0, columns, rows)) <= 0
        where = f" in {shape.name}"
    numbers = list(stands)
    parts = [_part(n, -level.level.touch_of(n).array * inside) for n in numbers]
    found = tuple(part for part in parts if part)
    if not found:
        name = level.stands[numbers[0]].name if len(numbers) == 1 else level.level.name
        raise Refused(f"{name} has no painting{where or ' to clear'}{'' if len(numbers) == 1 else _OPEN}")
    return Paint(cell=cell, parts=found), where


_OPEN = " that is not locked"


def replacing(level: PlantedLevel, stand: int, touch: np.ndarray) -> Paint:
    """Touch, int16 of the level's touch cells, in place of all of a stand's, by number.

    Raises: Refused when it is painted like that already.
    """
    part = _part(stand, touch - level.level.touch_of(stand).array)
    if part is None:
        raise Refused(f"{level.stands[stand].name} is painted like that already")
    return Paint(cell=level.level.touch_cell, parts=(part,))


def _part(stand: int, delta: np.ndarray) -> Painted | None:
    """A difference of all of a stand's touch, cut to where there is one; None where there is none."""
    changed = np.argwhere(delta)
    if not len(changed):
        return None
    (row0, col0), (row1, col1) = changed.min(0).tolist(), (changed.max(0) + 1).tolist()
    part = np.ascontiguousarray(delta[row0:row1, col0:col1], np.int16)
    return Painted(stand=stand, box=(col0, row0, col1, row1), delta=part)


def _sampled(raster: TiledRaster, raster_cell: float, cell: float, cells: Cells) -> np.ndarray:
    """A raster of the ground at the centres of touch cells in a box."""
    col0, row0, col1, row1 = cells
    z, x = np.mgrid[row0:row1, col0:col1] * cell + 0.5 * cell
    x, z = x.ravel(), z.ravel()
    return at_cells(raster.around(x, z, raster_cell), raster_cell, x, z).reshape(row1 - row0, col1 - col0)
