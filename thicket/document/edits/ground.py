"""Changes of the ground: heights, and the cells of the touch maps."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from thicket.document.edits.base import Edit, check_as_before
from thicket.document.edits.level import view_of, with_view
from thicket.document.edits.values import Array
from thicket.document.level import Level
from thicket.document.rasters import RAISED_UNIT, Heights, LayerMaps
from thicket.document.settings import Strict
from thicket.document.touch import TouchMap, fitted
from thicket.ground.rasters import resample
from thicket.limits import check_ground, check_touch_cell
from thicket.refused import Refused

HIGHEST = 1e5


class Before(Strict):
    """What an edit of the ground resampled, as it was: it is put back where nothing has been done to it
    since.

    touch: of each stand, the digest of what it was resampled to, and the touch before; layers likewise;
    eyes: of each kept view, the altitude that its eye was given, and the one before, in m."""

    touch: dict[int, tuple[str, Array]] = {}
    layers: tuple[str, Array] | None = None
    eyes: dict[str, tuple[float, float]] = {}

    model_config = {"arbitrary_types_allowed": True, "frozen": True}


def _resampled(level: Level, before: Level, restored: Before | None) -> Level:
    """A level whose ground or touch cells are new, with its touch and its layers brought to them."""
    if level.touch_shape != before.touch_shape or level.touch_cell != before.touch_cell:
        touch = {}
        for number, was in before.touch.items():
            digest, array = (restored.touch.get(number) if restored else None) or ("", None)
            if array is None or digest != was.whole_digest or array.shape != level.touch_shape:
                array = fitted(was.array, before.touch_cell, level.touch_shape, level.touch_cell)
            touch[number] = TouchMap.of(np.ascontiguousarray(array))
        level = replace(level, touch=touch)
    shape, layers = level.heights.ground.cells, level.layers
    if layers.weights.shape[:2] != shape and layers.names:
        if restored and restored.layers and restored.layers[0] == layers.key:
            weights = restored.layers[1]
        else:
            weights = np.stack(
                [resample(layers.weights[..., k], shape) for k in range(len(layers.names))], axis=-1
            )
        level = replace(level, layers=LayerMaps.of(layers.names, np.ascontiguousarray(weights)))
    return level


def _before(level: Level, after: Level) -> Before:
    """What is to be put back when the edit that led from one level to the other is taken back."""
    moved = (level.touch_shape, level.touch_cell) != (after.touch_shape, after.touch_cell)
    eyes = {name: (y, was) for name, was in _eyes(level).items() if (y := _eyes(after)[name]) != was}
    return Before(
        touch={n: (after.touch[n].whole_digest, t.array) for n, t in level.touch.items()} if moved else {},
        layers=None if level.layers is after.layers else (after.layers.key, level.layers.weights),
        eyes=eyes,
    )


def _eyes(level: Level) -> dict[str, float]:
    return {view["name"]: view["y"] for view in view_of(level).get("bookmarks") or []}


class SetHeights(Edit):
    """Give the level other heights, float32 (rows, columns) in m at vertices `cell` m apart. Touch and layers
    are resampled where the ground has another extent or other cells; kept views stay as high above the ground
    as they were. `raised` is what was raised by hand besides, as `RaiseGround` has it. `expected` is the key
    that the heights must have until then."""

    kind: Literal["heights"] = "heights"
    heights: Array
    cell: float
    raised: Array | None = None
    expected: str | None = None
    before: Before | None = None

    def apply(self, level: Level) -> Level:
        if self.expected is not None:
            check_as_before("The ground", level.heights.key, self.expected)
        heights = np.ascontiguousarray(self.heights, np.float32)
        if heights.ndim != 2:
            raise Refused("heights: they are a table of rows and columns")
        rows, columns = heights.shape
        check_ground(rows, columns, self.cell)
        if not np.isfinite(heights).all() or np.abs(heights).max() > HIGHEST:
            raise Refused(f"heights: they hold values that are no altitudes up to {HIGHEST:,.0f} m")
        if self.raised is not None:
            _check_raised(self.raised)
            if self.raised.shape != heights.shape:
                raise Refused("raised: it has another size than the heights")
        after = replace(level, heights=Heights.of(heights, self.cell, self.raised))
        check_touch_cell(after.touch_shape, after.touch_cell)
        return _with_eyes(level, _resampled(after, level, self.before), self.before)

    def inverse(self, level: Level) -> SetHeights:
        after = self.apply(level)
        return SetHeights(
            heights=level.heights.base,
            cell=level.heights.ground.cell,
            raised=level.heights.raised,
            expected=after.heights.key,
            before=_before(level, after),
        )


class RaiseGround(Edit):
    """Ground raised and lowered by hand: `delta`, int32 over a box of vertices (col0, row0, col1, row1), half
    open, in steps of 1 / `thicket.document.rasters.RAISED_UNIT` m. Saved views stay as high above the ground
    as they were. `base` is the key that the ground under what is raised must have."""

    kind: Literal["raise"] = "raise"
    box: tuple[int, int, int, int]
    delta: Array
    base: str | None = None
    before: Before | None = None

    def apply(self, level: Level) -> Level:
        heights, (col0, row0, col1, row1) = level.heights, self.box
        if self.base is not None:
            check_as_before("The ground", heights.base_key, self.base)
        _check_raised(self.delta)
        rows, columns = heights.base.shape
        if min(self.box) < 0 or col1 > columns or row1 > rows:
            raise Refused(f"box: the ground has {columns} × {rows} vertices")
        if self.delta.shape != (row1 - row0, col1 - col0):
            raise Refused("delta: it has another size than its box")
        raised = np.zeros(heights.base.shape, np.int32) if heights.raised is None else heights.raised.copy()
        total = raised[row0:row1, col0:col1].astype(np.int64) + self.delta
        if total.size and np.abs(total).max() > HIGHEST * RAISED_UNIT:
            raise Refused(f"delta: nothing is raised or lowered by more than {HIGHEST:,.0f} m")
        raised[row0:row1, col0:col1] = total
        after = Heights.of(heights.base, heights.ground.cell, raised)
        if np.abs(after.ground.heights[row0:row1, col0:col1]).max(initial=0) > HIGHEST:
            raise Refused(f"delta: the ground would lie beyond altitudes of {HIGHEST:,.0f} m")
        return _with_eyes(level, replace(level, heights=after), self.before)

    def inverse(self, level: Level) -> RaiseGround:
        after = self.apply(level)
        return RaiseGround(
            box=self.box,
            delta=-self.delta,
            base=level.heights.base_key,
            before=Before(eyes=_before(level, after).eyes),
        )


def _check_raised(steps: np.ndarray) -> None:
    """Raises: Refused when they are no steps by which ground can be raised."""
    if steps.ndim != 2 or steps.dtype.kind not in "iu":
        raise Refused("delta: it is a table of whole steps")
    if steps.size and max(abs(int(steps.min())), abs(int(steps.max()))) > HIGHEST * RAISED_UNIT:
        raise Refused(f"delta: nothing is raised or lowered by more than {HIGHEST:,.0f} m")


def _with_eyes(level: Level, after: Level, before: Before | None) -> Level:
    """A level after its ground was changed, whose kept views are as high above it as they were."""
    views = view_of(level).get("bookmarks") or []
    if not views:
        return after
    x, z = (np.array([view[name] for view in views], float) for name in "xz")
    rise = after.heights.ground.height_at(x, z) - level.heights.ground.height_at(x, z)
    known = before.eyes if before else {}
    moved = []
    for view, up in zip(views, rise.tolist()):
        given, was = known.get(view["name"], (None, 0.0))
        moved.append({**view, "y": was if given == view["y"] else round(view["y"] + up, 2)})
    return with_view(after, bookmarks=moved)


class SetTouchCell(Edit):
    """Give the touch maps cells of another size in m: all painting is resampled."""

    kind: Literal["touch cell"] = "touch cell"
    cell: float
    expected: float | None = None
    before: Before | None = None

    def apply(self, level: Level) -> Level:
        if self.expected is not None:
            check_as_before("The size of the touch cells", level.touch_cell, self.expected)
        after = replace(level, touch_cell=self.cell)
        check_touch_cell(after.touch_shape, self.cell)
        return _resampled(after, level, self.before)

    def inverse(self, level: Level) -> SetTouchCell:
        after = self.apply(level)
        return SetTouchCell(cell=level.touch_cell, expected=self.cell, before=_before(level, after))
