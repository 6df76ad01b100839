"""Painting of stands: the difference that a stroke, a fill, a clearing or a picture made."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Literal

import numpy as np

from thicket.document.edits.base import Edit, unlocked
from thicket.document.edits.values import Array
from thicket.document.level import Level
from thicket.document.settings import Strict
from thicket.document.touch import Cells
from thicket.ground.heights import at_cells
from thicket.planting.density import TOUCH_UNIT
from thicket.refused import Conflict, Refused


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


class Paint(Edit):
    """Painting added to stands, in touch cells of `cell` m; on other cells it is resampled."""

    kind: Literal["paint"] = "paint"
    cell: float
    parts: tuple[Painted, ...]

    @property
    def stands(self) -> set[int]:
        return {part.stand for part in self.parts}

    def apply(self, level: Level) -> Level:
        touch = dict(level.touch)
        for part in self.parts:
            stand = unlocked(level, part.stand)
            if stand.settings.on:
                raise Conflict(f"{stand.name} grows on placed meshes, which cannot be painted yet")
            rows, columns = (part.box[3] - part.box[1], part.box[2] - part.box[0])
            if min(part.box) < 0 or part.delta.shape != (rows, columns):
                raise Refused(f"delta: it has another size than its box, which has {columns} × {rows} cells")
            box, delta = part.on(self.cell, level.touch_cell, level.touch_shape)
            if delta.size:
                before = replace(level, touch=touch).touch_of(part.stand)
                touch[part.stand] = before.painted(box, partial(_sum, delta=delta))
        return replace(level, touch=touch)

    def inverse(self, level: Level) -> Paint:
        back: list[Painted] = []
        for n, part in enumerate(self.parts):
            if n:  # a stand may be painted twice
                level = Paint(cell=self.cell, parts=self.parts[n - 1 : n]).apply(level)
            box, delta = part.on(self.cell, level.touch_cell, level.touch_shape)
            window, _ = level.touch_of(part.stand).window(box)
            made = (_sum(window, delta).astype(np.int32) - window).astype(np.int16)
            back.append(Painted(stand=part.stand, box=box, delta=-made))
        return Paint(cell=level.touch_cell, parts=tuple(reversed(back)))


def _sum(window: np.ndarray, delta: np.ndarray) -> np.ndarray:
    return np.clip(window.astype(np.int32) + delta, -TOUCH_UNIT, TOUCH_UNIT).astype(np.int16)
