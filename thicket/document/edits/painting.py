"""Painting of stands, on the terrain and on placed meshes: the difference that a stroke, a fill, a clearing
or a picture made."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Literal

import numpy as np

from thicket.document.edits.base import Edit, unlocked
from thicket.document.edits.values import Array
from thicket.document.level import Level
from thicket.document.mesh_touch import FARTHEST, Cubes, MeshTouch, check_cubes, pack, unpack
from thicket.document.settings import Strict
from thicket.document.touch import Cells
from thicket.ground.heights import at_cells
from thicket.limits import MESH_CELLS
from thicket.planting.density import TOUCH_UNIT
from thicket.refused import Conflict, Missing, Refused


class Painted(Strict):
    """A difference of one stand's touch: int16 over a box of touch cells (col0, row0, col1, row1), half open,
    `thicket.planting.density.TOUCH_UNIT` for 1."""

    stand: int
    box: Cells
    delta: Array

    model_config = {"arbitrary_types_allowed": True, "frozen": True}

    def on(self, was: float, now: float, shape: tuple[int, int]) -> tuple[Cells, np.ndarray]:
        """Its box and int32 difference, given in touch cells of `was` m, on maps of `shape` (rows, columns)
        with cells of `now` m."""
        box, (rows, columns) = self.box, shape
        if was == now and box[2] <= columns and box[3] <= rows:
            return box, self.delta.astype(np.int32)
        col0, row0 = (min(int(v * was / now), most) for v, most in zip(box[:2], (columns, rows)))
        col1, row1 = (min(-int(-v * was // now), most) for v, most in zip(box[2:], (columns, rows)))
        z, x = np.mgrid[row0:row1, col0:col1] * now + 0.5 * now
        along, down = (x - (box[0] - 1) * was).ravel(), (z - (box[1] - 1) * was).ravel()
        there = at_cells(np.pad(self.delta, 1), was, along, down)
        return (col0, row0, col1, row1), np.rint(there.reshape(x.shape)).astype(np.int32)


class PaintedMesh(Strict):
    """A difference of one stand's touch on a placed mesh, by its number, in cubes of `cell` m of the mesh's
    own space: cubes int16 (n, 4), which way each faces and its place along x, y and z, as
    `thicket.document.mesh_touch` has them; delta int16 (n,)."""

    stand: int
    surface: int
    cell: float
    cubes: Array
    delta: Array

    model_config = {"arbitrary_types_allowed": True, "frozen": True}

    @classmethod
    def of(cls, stand: int, surface: int, cell: float, keys: np.ndarray, delta: np.ndarray) -> PaintedMesh:
        """The same from the numbers of cubes, int64 (n,)."""
        way, at = unpack(keys)
        cubes = np.concatenate([way[:, None], at], axis=1).astype(np.int16)
        return cls(stand=stand, surface=surface, cell=cell, cubes=cubes, delta=delta.astype(np.int16))

    def keys(self) -> np.ndarray:
        """Its cubes' numbers, int64 (n,). Raises: Refused when they cannot be cubes."""
        if self.cubes.dtype.kind not in "iu" or self.delta.dtype.kind not in "iu":
            raise Refused("cubes: they and their differences are whole numbers")
        if self.cubes.ndim != 2 or self.cubes.shape[1] != 4:
            raise Refused("cubes: each has the way that it faces, and its place along x, y and z")
        cubes = np.asarray(self.cubes, np.int64)
        if self.delta.shape != (len(cubes),):
            raise Refused(f"delta: it has another length than its cubes, of which there are {len(cubes):,}")
        check_cubes(self.cell, cubes[:, 0], self.delta, 2 * TOUCH_UNIT)
        if len(cubes) and np.abs(cubes[:, 1:]).max() > FARTHEST:
            raise Refused(f"cubes: they lie at most {FARTHEST:,} cubes from the mesh's origin")
        keys = pack(cubes[:, 0], cubes[:, 1:])
        if (np.diff(keys) <= 0).any():
            raise Refused("cubes: they are to be in order, each once")
        return keys

    def on(self, touch: MeshTouch) -> tuple[Cubes, np.ndarray, np.ndarray]:
        """What is painted on its mesh before, its cubes' numbers, and what each of them is painted after.

        Raises: Conflict when that is painted in cubes of another size.
        """
        keys, cubes = self.keys(), touch.surfaces.get(self.surface)
        if cubes is None or not len(cubes.keys):
            cubes = Cubes(self.cell)
        if abs(cubes.cell - self.cell) > 1e-6 * self.cell:
            raise Conflict(f"surface: mesh {self.surface} is painted in cubes of {cubes.cell:g} m by now")
        return cubes, keys, _sum(cubes.of(keys), self.delta)


class Paint(Edit):
    """Painting added to stands: on the terrain in touch cells of `cell` m, on others it is resampled; and on
    placed meshes."""

    kind: Literal["paint"] = "paint"
    cell: float
    parts: tuple[Painted, ...] = ()
    meshes: tuple[PaintedMesh, ...] = ()

    @property
    def stands(self) -> set[int]:
        return {part.stand for part in self.parts} | {part.stand for part in self.meshes}

    def apply(self, level: Level) -> Level:
        touch, on_meshes = dict(level.touch), dict(level.mesh_touch)
        for part in self.parts:
            stand = unlocked(level, part.stand)
            if stand.settings.on:
                raise Conflict(f"{stand.name} grows on placed meshes: paint it there")
            rows, columns = (part.box[3] - part.box[1], part.box[2] - part.box[0])
            if min(part.box) < 0 or part.delta.shape != (rows, columns):
                raise Refused(f"delta: it has another size than its box, which has {columns} × {rows} cells")
            box, delta = part.on(self.cell, level.touch_cell, level.touch_shape)
            if delta.size:
                before = replace(level, touch=touch).touch_of(part.stand)
                touch[part.stand] = before.painted(box, partial(_sum, delta=delta))
        for mesh in self.meshes:
            stand = unlocked(level, mesh.stand)
            if mesh.surface not in level.surfaces:
                raise Missing(f"surface: {level.name} has no placed mesh {mesh.surface}")
            was = replace(level, mesh_touch=on_meshes).mesh_touch_of(mesh.stand)
            cubes, keys, after = mesh.on(was)
            now = was.with_cubes(mesh.surface, cubes.painted(keys, after))
            if sum(len(c.keys) for c in now.surfaces.values()) > MESH_CELLS:
                raise Refused(f"{stand.name}: it is painted in more than {MESH_CELLS:,} cubes of meshes")
            on_meshes[mesh.stand] = now
        return replace(level, touch=touch, mesh_touch=on_meshes)

    def inverse(self, level: Level) -> Paint:
        back: list[Painted] = []
        for n, part in enumerate(self.parts):
            if n:  # a stand may be painted twice
                level = Paint(cell=self.cell, parts=self.parts[n - 1 : n]).apply(level)
            box, delta = part.on(self.cell, level.touch_cell, level.touch_shape)
            window, _ = level.touch_of(part.stand).window(box)
            made = (_sum(window, delta).astype(np.int32) - window).astype(np.int16)
            back.append(Painted(stand=part.stand, box=box, delta=-made))
        meshes: list[PaintedMesh] = []
        for n, mesh in enumerate(self.meshes):
            if n:
                level = Paint(cell=self.cell, meshes=self.meshes[n - 1 : n]).apply(level)
            cubes, keys, after = mesh.on(level.mesh_touch_of(mesh.stand))
            meshes.append(mesh.model_copy(update={"delta": cubes.of(keys) - after}))
        return Paint(cell=level.touch_cell, parts=tuple(reversed(back)), meshes=tuple(reversed(meshes)))


def _sum(window: np.ndarray, delta: np.ndarray) -> np.ndarray:
    return np.clip(window.astype(np.int32) + delta, -TOUCH_UNIT, TOUCH_UNIT).astype(np.int16)
