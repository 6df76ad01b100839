"""A brush as a person holds it: the stroke, what it is limited to, and what it does to a stand's touch in a
box."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from thicket.document.edits import Paint, Painted, PaintedMesh
from thicket.document.surfaces import chosen_surfaces
from thicket.ground.heights import at_cells
from thicket.ground.shapes import distance_field, distances_at
from thicket.planted.brush_limits import Limits
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_brushing import PRESENT, mesh_painting
from thicket.planted.mesh_painting import centres
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box, widened
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import density
from thicket.planting.stands import Plants
from thicket.planting.strokes import Stroke, cover, smooth_cells, touched
from thicket.refused import Refused

MARGIN = 2
"""Cells kept around a stroke's reach, so that what is interpolated at its rim is whole."""

Cells = tuple[int, int, int, int]


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
        self.limits.check(level.rasters)
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
        works *= self.limits.shares(planting.around.rasters, *_centres(cell, cells))
        if self.limits.present:
            suitable = _sampled(planting.suitability, planting.cell, cell, cells)
            works *= density(suitable, touch) * planting.core.fullness > PRESENT
        return touched(self.stroke, touch, works, smooth_cells(self.stroke.radius, cell))

    def works_on(self, level: PlantedLevel, numbers: Iterable[int]) -> list[int]:
        """The stands, of some by number, that it works on where it is held: on the terrain those of the
        terrain, on placed meshes those that grow on one of them; a fill works on all.

        Raises: Refused when it works on none of them.
        """
        found, meshes = [], {int(row[0]) for row in self.stroke.on}
        stands = [level.level.stands[number] for number in sorted(numbers)]
        for stand in stands:
            on = stand.settings.on
            if self.fill or (meshes & set(chosen_surfaces(level.level, on)) if on else not meshes):
                found.append(stand.number)
        if not found:
            where = ", ".join(stands[0].settings.on) or "the terrain"
            names = stands[0].name if len(stands) == 1 else f"each of these {len(stands)} stands"
            raise Refused(f"path: {names} grows on {where}, not here")
        return found

    def painting(self, level: PlantedLevel, stands: Iterable[int]) -> Paint:
        """What it paints on stands, by number, as an edit; those that grow elsewhere are left alone.

        Raises: Refused as `reach`, `works_on`, or when one of the limits asks for what the level does not
        have.
        """
        parts: list[Painted] = []
        meshes: list[PaintedMesh] = []
        for number in self.works_on(level, stands):
            planting = level.planting(number)
            if planting.settings.on:
                self.reach(level)
                meshes += self._on_meshes(planting)
                continue
            box = self.cells(level)
            window, _ = planting.touch_map.window(box)
            parts.append(Painted(stand=number, box=box, delta=self.delta(planting, window, box)))
        return Paint(cell=level.level.touch_cell, parts=tuple(parts), meshes=tuple(meshes))

    def _on_meshes(self, planting: Planting) -> Iterator[PaintedMesh]:
        limits = self.limits
        if limits.layer:
            raise Refused("layer: placed meshes have no ground layers; take that limit away")
        area = None if limits.area is None else planting.level.shapes[limits.area]
        return mesh_painting(
            planting, self.stroke, limits.conditions(), area, limits.present, bool(self.fill)
        )

    def trial(self, level: PlantedLevel, number: int) -> tuple[Box, Plants]:
        """What it would leave standing of a stand, by number: the box in m, and the plants in it."""
        planting = level.planting(number)
        if not planting.settings.on:
            return self.left_by(planting, self.cells(level))
        box = widened(self.reach(level), 4 * planting.touch_cell + planting.facts.crowding)
        return box, level.after(self.painting(level, [number])).after.planting(number).plants_in(box)

    def left_by(self, planting: Planting, cells: Cells) -> tuple[Box, Plants]:
        """What it would leave standing of a stand in a box of cells: the box in m, and the plants."""
        col0, row0, col1, row1 = cells
        touch, _ = planting.touch_map.window(cells)
        window = touch[: row1 - row0, : col1 - col0].copy()
        window += self.delta(planting, window, cells)
        metres = planting.metres(cells)
        return metres, planting.plants_in(metres, window, metres[:2])


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
    meshes = tuple(part for n in numbers for part in _cleared_on_meshes(level, n, area))
    if not found and not meshes:
        name = level.stands[numbers[0]].name if len(numbers) == 1 else level.level.name
        raise Refused(f"{name} has no painting{where or ' to clear'}{'' if len(numbers) == 1 else _OPEN}")
    return Paint(cell=cell, parts=found, meshes=meshes), where


def _cleared_on_meshes(level: PlantedLevel, number: int, area: int | None) -> Iterator[PaintedMesh]:
    touch = level.level.mesh_touch_of(number)
    for surface, cubes in touch.surfaces.items():
        placed = level.level.surfaces.get(surface)
        keys, away = cubes.keys, -cubes.touch
        if area is not None and placed is not None:
            at = placed.in_level(centres(cubes, keys))
            inside = distances_at([level.shapes[area]], at[:, 0].copy(), at[:, 2].copy())[0] <= 0
            keys, away = keys[inside], away[inside]
        if placed is not None and len(keys):
            yield PaintedMesh.of(number, surface, cubes.cell, keys, away)


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


def _centres(cell: float, cells: Cells) -> tuple[np.ndarray, np.ndarray]:
    """Where the centres of touch cells in a box lie, x and z in m."""
    col0, row0, col1, row1 = cells
    z, x = np.mgrid[row0:row1, col0:col1] * cell + 0.5 * cell
    return x, z


def _sampled(raster: TiledRaster, raster_cell: float, cell: float, cells: Cells) -> np.ndarray:
    """A raster of the ground at the centres of touch cells in a box."""
    x, z = (axis.ravel() for axis in _centres(cell, cells))
    return at_cells(raster.around(x, z, raster_cell), raster_cell, x, z).reshape(
        cells[3] - cells[1], cells[2] - cells[0]
    )
