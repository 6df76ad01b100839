"""Site conditions over a level: their values and the suitability they give, tile by tile, kept by content key."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cached_property

import numpy as np

from server.levels.ground import Heights, LayerMaps, mask_array
from thicket.bands import THREADS
from thicket.cache import ContentCache
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape
from thicket.hashing import Raster, digest
from thicket.site.conditions import Condition, deciding, joined, size_factor, sizing
from thicket.site.fields import Site, Window, box_gap, far_away, values

_values = ContentCache(4000)
_totals = ContentCache(4000)
_wholes = ContentCache(200)
_masks = ContentCache(30)
_pool = ThreadPoolExecutor(THREADS, thread_name_prefix="site")


TILE = 256


class Suiting:
    """What a scene knows of site conditions."""

    heights: Heights
    layers: LayerMaps
    masks: dict[str, tuple[str, int, int, int]]
    shapes: dict[int, Shape]
    stands: dict
    ground: Ground
    cell: float
    whole: Window

    @cached_property
    def windows(self) -> list[Window]:
        """The tiles of the level's cell rasters."""
        rows, columns = self.ground.cells
        return [(c, r, min(c + TILE, columns), min(r + TILE, rows)) for r in range(0, rows, TILE) for c in range(0, columns, TILE)]

    @cached_property
    def site(self) -> Site:
        """The level as the core's conditions see it."""
        layers = {name: self.layers.weights[..., k] for k, name in enumerate(self.layers.names)}
        masks = {name: _masks.get(said[0], lambda s=said: mask_array(*s[1:])) for name, said in self.masks.items()}
        return Site(self.ground.heights, self.cell, layers, masks, self.shapes, self.heights.wetness, self._places)

    def shapes_near(self, shapes: Iterable[tuple[int, Shape]], window: Window, reach: float) -> tuple:
        """What identifies the shapes within a reach of a window."""
        return tuple((n, s.kind, s.points, s.width) for n, s in shapes if box_gap(s.box, window, self.cell) <= reach)

    def _said(self, c: Condition) -> tuple:
        """What a condition's result follows from beside the values it looks at."""
        return c.lo, c.hi, c.soft_lo, c.soft_hi, c.join, c.centre

    def field_key(self, c: Condition, window: Window) -> tuple:
        """Equal when a condition's values in a window are."""
        common = (c.field, window, self.cell)
        if c.kind in ("path", "area", "obstacle"):
            chosen = [(n, s) for n, s in self.shapes.items() if s.kind == c.kind and (not c.shapes or n in c.shapes)]
            reach = 0.0 if c.depth else c.reach + 1.0
            return *common, None if c.depth else c.reach, self.shapes_near(chosen, window, reach)
        if c.kind == "stand" and c.stand not in self.stands:
            return common
        if c.kind == "stand":
            box = tuple(v * self.cell + s * (c.reach + 1.0) for v, s in zip(window, (-1, -1, 1, 1)))
            planting = self.other(c.stand)
            return *common, c.reach, digest([planting.key(sheet) for sheet in planting.sheets_in(box)])
        if c.kind == "noise":
            return common
        if c.kind == "layer":
            return *common, self.layers.key
        if c.kind == "mask":
            return *common, self.masks.get(c.mask, ("",))[0], self.ground.cells
        return *common, self.heights.key

    def values(self, c: Condition, window: Window) -> np.ndarray:
        """A condition's values in one of the level's tiles; where what it asks for is gone, as `lacks` tells, as if there
        were none of it anywhere."""
        return _values.get(self.field_key(c, window), lambda: self._make(c, window))

    def _make(self, c: Condition, window: Window) -> np.ndarray:
        if c.kind in ("layer", "mask", "stand") and self.lacks(c):
            layers = tuple(name for name in c.layers if name in self.layers.names)
            if not layers:
                gone = far_away(c) if c.kind == "stand" else np.float32(0)
                return np.full((window[3] - window[1], window[2] - window[0]), gone, np.float32)
            c = replace(c, layers=layers)
        return values(self.site, c, window)

    def lacks(self, c: Condition) -> str:
        """What a condition asks for that the level does not have, as a sentence; empty when there is nothing."""
        gone = [repr(name) for name in c.layers if name not in self.layers.names] if c.kind == "layer" else []
        if gone:
            return f"The level has no ground layer {' and no '.join(gone)}"
        if c.kind == "mask" and c.mask not in self.masks:
            return f"The level has no mask image {c.mask!r}"
        if c.kind in ("path", "area", "obstacle") and any(n not in self.shapes for n in c.shapes):
            return f"One of the {c.kind}s that a distance is taken to is no longer there"
        if c.kind == "stand" and c.stand not in self.stands:
            return "The stand that a distance is taken to is no longer there"
        return ""

    def whole_values(self, c: Condition) -> np.ndarray:
        """A condition's values over the whole level."""
        self.ready(c)
        return self._assemble(("values", self.field_key(c, self.whole)), lambda w: self.values(c, w)).array

    def _suitable(self, rules: list[Condition], window: Window) -> np.ndarray:
        """Suitability of a tile, from the last condition up to which it is known."""
        chain, last = [], ()
        for c in rules:
            last = (*last, self.field_key(c, window), self._said(c))
            chain.append(last)
        total, known = None, 0
        for k in range(len(chain), 0, -1):
            total = _totals.peek(chain[k - 1])
            if total is not None:
                known = k
                break
        for k in range(known, len(rules)):
            total = joined(total, self.values(rules[k], window), rules[k])
            _totals.put(chain[k], total)
        return total

    def _assemble(self, key: tuple, tile) -> Raster:
        """A whole raster from tiles, worked out by a few threads."""

        def make() -> Raster:
            array = np.empty(self.ground.cells, np.float32)
            self.site  # noqa: B018  read here and not in the pool, whose threads see no transaction of this one

            def work(window: Window) -> None:
                array[window[1]:window[3], window[0]:window[2]] = tile(window)

            list(_pool.map(work, self.windows) if len(self.windows) > 1 else map(work, self.windows))
            return Raster(array)

        return _wholes.get((*key, self.ground.cells), make)

    def suitability(self, conditions: list[Condition]) -> Raster:
        """Suitability under conditions over the whole level."""
        rules = deciding(conditions)
        if not rules:
            return _wholes.get(("ones", self.ground.cells), lambda: Raster(np.ones(self.ground.cells, np.float32)))
        for c in rules:
            self.ready(c)
        key = tuple((self.field_key(c, self.whole), self._said(c)) for c in rules)
        return self._assemble(("suitability", key), lambda w: self._suitable(rules, w))

    def size_factor(self, conditions: list[Condition]) -> Raster | None:
        """What sizes are multiplied by over the whole level; None when no condition drives size."""
        rules = sizing(conditions)
        if not rules:
            return None
        for c in rules:
            self.ready(c)

        def tile(window: Window) -> np.ndarray:
            shape = window[3] - window[1], window[2] - window[0]
            return size_factor([self.values(c, window) for c in rules], rules, shape)

        key = tuple((self.field_key(c, self.whole), self._said(c), c.size) for c in rules)
        return self._assemble(("size", key), tile)

    def ready(self, c: Condition) -> None:
        """Do what tiles must not wait for each other in the pool for: other stands' plants, the whole ground's wetness."""
        if c.kind == "stand" and c.stand in self.stands:
            planting = self.other(c.stand)
            for sheet in planting.sheets_in(planting.everywhere):
                planting.plants(sheet)
        elif c.kind == "wetness":
            self.heights.wetness()
