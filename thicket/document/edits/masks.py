"""Changes of the mask images."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.edits.conditions import with_conditions
from thicket.document.edits.values import Array
from thicket.document.level import Level
from thicket.document.level_file import MaskName
from thicket.document.mask_sources import MaskSource, check_no_circle
from thicket.document.rasters import Mask
from thicket.document.settings import ConditionSettings
from thicket.ground.rasters import resample
from thicket.limits import MASK_SIDE, MASKS, check_count
from thicket.refused import Conflict, Missing, Refused

DEEPEST = 2**30
"""Painting adds up to at most so many of a mask's steps."""


class ChangeMasks(Edit):
    """Mask images put, uint8 or uint16 (rows, columns), and removed where None is given, by name. What was
    painted over one that is replaced stays painted over it, unless `painted` has what is, int32 of its shape,
    or None for nothing. `expected`, where it is given, are the marks (`Mask.mark`) of what must be there
    until then; `sources`, what those that are made here are made from."""

    kind: Literal["masks"] = "masks"
    put: dict[MaskName, Array | None]
    painted: dict[MaskName, Array | None] = {}
    expected: dict[str, str | None] | None = None
    order: tuple[str, ...] = ()
    sources: dict[MaskName, MaskSource] = {}

    def apply(self, level: Level) -> Level:
        fresh: dict[str, Mask | None] = {}
        for name, values in self.put.items():
            there = level.masks.get(name)
            if self.expected is not None:
                check_as_before(f"The mask image {name!r}", there and there.mark, self.expected[name])
            elif values is None and there is None:
                raise Missing(
                    f"name: {level.name} has no mask image {name[:60]!r}; somebody may have removed it"
                )
            if values is not None and (values.ndim != 2 or max(values.shape) > MASK_SIDE or not values.size):
                raise Refused(f"{name}: at most {MASK_SIDE:,} × {MASK_SIDE:,} values are taken")
            if values is not None and values.dtype not in (np.uint8, np.uint16):
                raise Refused(f"{name}: a mask holds whole numbers of 8 or 16 bits")
            fresh[name] = None if values is None else self._put(name, values, there)
        masks = changed(level.masks, fresh, self.order)
        check_count("masks", masks, MASKS)
        check_no_circle({n: mask.source for n, mask in masks.items() if mask.source})
        return replace(level, masks=masks)

    def _put(self, name: str, values: np.ndarray, there: Mask | None) -> Mask:
        if name in self.painted:
            painted = self.painted[name]
            if painted is not None:
                _check_steps(f"painted: {name}", painted, values.shape)
        else:
            painted = _painted_over(there, values) if there else None
        return Mask.of(values, self.sources.get(name), painted)

    def inverse(self, level: Level) -> ChangeMasks:
        after = self.apply(level)
        before = {n: level.masks.get(n) for n in self.put}
        return ChangeMasks(
            put={n: None if mask is None else mask.base for n, mask in before.items()},
            painted={n: mask.painted for n, mask in before.items() if mask},
            expected={n: after.masks[n].mark if n in after.masks else None for n in self.put},
            order=tuple(level.masks),
            sources={n: mask.source for n, mask in before.items() if mask and mask.source},
        )


class PaintMask(Edit):
    """A mask image painted: `delta`, int32 over a box of its values (col0, row0, col1, row1), half open, is
    added to what is painted over it. `shape` and `white` are the rows and columns, and the largest value,
    that it must have."""

    kind: Literal["paint mask"] = "paint mask"
    name: MaskName
    shape: tuple[int, int]
    white: int
    box: tuple[int, int, int, int]
    delta: Array

    def apply(self, level: Level) -> Level:
        mask, (col0, row0, col1, row1) = mask_of(level, self.name), self.box
        if (mask.base.shape, mask.white) != (self.shape, self.white):
            raise Conflict(f"The mask image {self.name!r} has another size since; undo that first")
        rows, columns = self.shape
        if min(self.box) < 0 or col1 > columns or row1 > rows:
            raise Refused(f"box: {self.name} has {columns} × {rows} values")
        _check_steps("delta", self.delta, (row1 - row0, col1 - col0))
        painted = np.zeros(self.shape, np.int32) if mask.painted is None else mask.painted.copy()
        total = painted[row0:row1, col0:col1].astype(np.int64) + self.delta
        if total.size and np.abs(total).max() > DEEPEST:
            raise Refused(f"delta: {self.name} is painted over too often; make it again")
        painted[row0:row1, col0:col1] = total
        return replace(level, masks={**level.masks, self.name: Mask.of(mask.base, mask.source, painted)})

    def inverse(self, level: Level) -> PaintMask:
        self.apply(level)
        return self.model_copy(update={"delta": -self.delta})


class RenameMask(Edit):
    """Another name for a mask image, also in the conditions that look at it."""

    kind: Literal["mask name"] = "mask name"
    name: MaskName
    to: MaskName

    def apply(self, level: Level) -> Level:
        mask_of(level, self.name)
        if self.to in level.masks:
            raise Refused(f"to: there is a mask image {self.to!r} already")
        masks = {self.to if name == self.name else name: mask for name, mask in level.masks.items()}
        return with_conditions(replace(level, masks=masks), self._renamed)

    def _renamed(self, c: ConditionSettings) -> ConditionSettings:
        return c.model_copy(update={"mask": self.to}) if c.mask == self.name else c

    def inverse(self, level: Level) -> RenameMask:
        self.apply(level)
        return RenameMask(name=self.to, to=self.name)


def mask_of(level: Level, name: str) -> Mask:
    """A mask image of a level by its name. Raises: Missing when there is none."""
    if name not in level.masks:
        raise Missing(
            f"name: {level.name} has no mask image {name[:60]!r}; somebody may have removed or renamed it"
        )
    return level.masks[name]


def _check_steps(what: str, steps: np.ndarray, shape: tuple[int, ...]) -> None:
    """Raises: Refused when they are not the steps by which so many values can be painted."""
    if steps.shape != shape or steps.dtype.kind not in "iu":
        raise Refused(f"{what}: it has another size than it should, or is no table of whole numbers")
    if steps.size and max(abs(int(steps.min())), abs(int(steps.max()))) > DEEPEST:
        raise Refused(f"{what}: it holds steps beyond {DEEPEST:,}")


def _painted_over(mask: Mask, values: np.ndarray) -> np.ndarray | None:
    """What is painted over a mask, brought to the size and the bits of values that replace it."""
    if mask.painted is None:
        return None
    times = np.iinfo(values.dtype).max / mask.white
    if mask.painted.shape == values.shape and times == 1:
        return mask.painted
    wide = resample(mask.painted.astype(np.float64), (values.shape[0], values.shape[1]))
    return np.rint(np.clip(wide * times, -DEEPEST, DEEPEST)).astype(np.int32)
