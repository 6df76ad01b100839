"""Changes of the ground layers."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np
from pydantic import Field

from thicket.document.edits.base import Edit, check_as_before
from thicket.document.edits.conditions import with_conditions
from thicket.document.edits.level import view_of, with_view
from thicket.document.edits.values import Array
from thicket.document.level import Level
from thicket.document.rasters import LayerMaps
from thicket.document.settings import ConditionSettings
from thicket.document.views import LayerName
from thicket.limits import LAYERS
from thicket.refused import Missing, Refused


class SetLayers(Edit):
    """Give the level other ground layers: `weights`, uint8 (rows, columns, layers) at the ground's cells, 255
    for all. How layers of the same names are drawn stays. `expected` is the key that they must have until
    then."""

    kind: Literal["layers"] = "layers"
    names: tuple[LayerName, ...] = Field(max_length=LAYERS)
    weights: Array
    expected: str | None = None
    drawn: tuple[dict[str, Any], ...] | None = None

    def apply(self, level: Level) -> Level:
        if self.expected is not None:
            check_as_before("The ground layers", level.layers.key, self.expected)
        shape = (*level.heights.ground.cells, len(self.names))
        weights = np.ascontiguousarray(self.weights, np.uint8)
        if len(set(self.names)) < len(self.names):
            raise Refused("names: a layer's name comes twice")
        if weights.size != np.prod(shape) or (weights.size and weights.shape != shape):
            raise Refused(f"weights: the level has {shape[1]} × {shape[0]} cells and these {shape[2]} layers")
        after = replace(level, layers=LayerMaps.of(self.names, weights.reshape(shape)))
        drawn = view_of(level).get("layers") or []
        kept = [given for given in drawn if given["name"] in self.names]
        return with_view(after, layers=kept if self.drawn is None else list(self.drawn))

    def inverse(self, level: Level) -> SetLayers:
        return SetLayers(
            names=level.layers.names,
            weights=level.layers.weights,
            expected=self.apply(level).layers.key,
            drawn=tuple(view_of(level).get("layers") or ()),
        )


class PaintLayers(Edit):
    """Ground layers painted: `delta`, int16 (rows, columns, layers) over a box of cells (col0, row0, col1,
    row1), half open, is added to their weights, 255 for all. `names` are the layers that the level must
    have; `shape`, where it is given, the rows and columns of its cells."""

    kind: Literal["paint layers"] = "paint layers"
    names: tuple[LayerName, ...] = Field(max_length=LAYERS)
    box: tuple[int, int, int, int]
    delta: Array
    shape: tuple[int, int] | None = None

    def apply(self, level: Level) -> Level:
        layers, (col0, row0, col1, row1) = level.layers, self.box
        check_as_before("What the ground layers are", layers.names, self.names)
        rows, columns = layers.weights.shape[:2]
        if self.shape is not None:
            check_as_before("How many cells the ground has", (rows, columns), self.shape)
        if min(self.box) < 0 or col1 > columns or row1 > rows:
            raise Refused(f"box: the ground has {columns} × {rows} cells")
        if (
            self.delta.shape != (row1 - row0, col1 - col0, len(self.names))
            or self.delta.dtype.kind not in "iu"
        ):
            raise Refused("delta: it has another size than its box, or is no table of whole numbers")
        weights = layers.weights.copy()
        part = weights[row0:row1, col0:col1]
        part[:] = np.clip(part.astype(np.int32) + self.delta, 0, 255)
        return replace(level, layers=LayerMaps.of(layers.names, weights))

    def inverse(self, level: Level) -> PaintLayers:
        after, (col0, row0, col1, row1) = self.apply(level).layers.weights, self.box
        was, now = (w[row0:row1, col0:col1].astype(np.int16) for w in (level.layers.weights, after))
        rows, columns = after.shape[:2]
        return PaintLayers(names=self.names, box=self.box, delta=was - now, shape=(rows, columns))


class RenameLayer(Edit):
    """Another name for a ground layer, also in the conditions that look at it."""

    kind: Literal["layer name"] = "layer name"
    name: LayerName
    to: LayerName

    def apply(self, level: Level) -> Level:
        layers = level.layers
        if self.name not in layers.names:
            raise Missing(
                f"name: {level.name} has no ground layer {self.name!r}; somebody may have removed it"
            )
        if self.to in layers.names:
            raise Refused(f"to: there is a ground layer {self.to!r} already")
        names = tuple(self.to if name == self.name else name for name in layers.names)
        level = replace(level, layers=LayerMaps.of(names, layers.weights))
        drawn = [
            {**look, "name": self.to if look["name"] == self.name else look["name"]}
            for look in view_of(level).get("layers") or []
        ]
        return with_view(with_conditions(level, self._renamed), layers=drawn)

    def _renamed(self, c: ConditionSettings) -> ConditionSettings:
        if self.name not in c.layers:
            return c
        return c.model_copy(update={"layers": [self.to if n == self.name else n for n in c.layers]})

    def inverse(self, level: Level) -> RenameLayer:
        self.apply(level)
        return RenameLayer(name=self.to, to=self.name)


def layer_added(level: Level, name: str) -> SetLayers:
    """A ground layer more, which lies nowhere yet. Raises: Refused when there is one of that name, or too
    many."""
    layers = level.layers
    if name in layers.names:
        raise Refused(f"name: there is a ground layer {name!r} already")
    if len(layers.names) >= LAYERS:
        raise Refused(f"name: a level has at most {LAYERS} ground layers")
    empty = np.zeros((*level.heights.ground.cells, 1), np.uint8)
    weights = layers.weights.reshape(*empty.shape[:2], len(layers.names))
    if not layers.names:
        empty[:] = 255
    return SetLayers(names=(*layers.names, name), weights=np.concatenate([weights, empty], axis=2))


def layer_removed(level: Level, name: str) -> SetLayers:
    """A ground layer less: the others take its place by their shares, the first where there are none.

    Raises: Missing when there is none.
    """
    layers = level.layers
    if name not in layers.names:
        raise Missing(f"name: {level.name} has no ground layer {name!r}; somebody may have removed it")
    k = layers.names.index(name)
    names = tuple(n for n in layers.names if n != name)
    weights = np.delete(layers.weights, k, axis=2).astype(np.float32)
    gone = layers.weights[..., k].astype(np.float32)
    total = weights.sum(axis=2)
    if names:
        weights *= np.where(total > 0, (total + gone) / np.maximum(total, 1), 0)[..., None]
        weights[..., 0] += np.where(total > 0, 0, gone)
    return SetLayers(names=names, weights=np.rint(np.minimum(weights, 255)).astype(np.uint8))
