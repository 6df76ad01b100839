"""Site conditions over a level: their values and the suitability they give, tile by tile, kept by content
key."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.document.settings import StandSettings
from thicket.ground.heights import sample
from thicket.ground.shapes import Shape, distance_field
from thicket.ground.wetness import topographic_wetness_index
from thicket.hashing import digest
from thicket.lazy import lazy
from thicket.planted.parts import Standing
from thicket.planted.placed_meshes import PlacedMeshes
from thicket.planted.sheets import Box, widened
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import TOUCH_UNIT, density_from
from thicket.refused import Refused
from thicket.site.conditions import Condition, Drive, deciding, drive_factor, driving, joined
from thicket.site.fields import values
from thicket.site.parameters import Parameters
from thicket.site.site import Nearby, Site, Window, box_gap, counts


class SiteRasters:
    """The conditions' rasters over one level. `planting(number)` gives another stand's planting, which one
    may measure to; `meshes()` what is placed on the ground."""

    def __init__(
        self,
        level: Level,
        cache: Cache,
        threads: int,
        planting: Callable[[int], Standing],
        meshes: Callable[[], PlacedMeshes],
    ) -> None:
        self._meshes = meshes
        self.level, self.cache, self.threads, self._planting = level, cache, threads, planting
        self.ground = level.heights.ground
        self.cell = self.ground.cell
        rows, columns = self.ground.cells
        self.whole: Window = (0, 0, columns, rows)

    @lazy
    def site(self) -> Site:
        """The level as the core's conditions see it."""
        layers = {name: self.level.layers.weights[..., k] for k, name in enumerate(self.level.layers.names)}
        masks = {name: mask.values for name, mask in self.level.masks.items()}
        return Site(
            self.ground.heights,
            self.cell,
            layers,
            masks,
            self.level.shapes,
            self.wetness,
            self._places,
            self._nearby,
            self._painting,
            self._density,
        )

    def _counted_meshes(self, c: Parameters) -> list[int]:
        """The placed meshes, by number, that a condition counts."""
        return [n for n, placed in self.level.surfaces.items() if counts(c, n, placed.group)]

    def _nearby(self, c: Parameters, but: Sequence[int]) -> list[Nearby]:
        meshes = self._meshes()
        return [meshes.nearby(number) for number in self._counted_meshes(c) if number not in but]

    def wetness(self) -> np.ndarray:
        """The wetness of the whole ground at its vertices."""
        return self.cache.get(
            ("wetness", self.level.heights.key),
            lambda: topographic_wetness_index(self.ground.heights, self.cell),
        )

    def wet_box(self, other: SiteRasters) -> Box | None:
        """The box in m in which ground of the same extent is wetter or drier; None where none is."""
        rows, columns = np.nonzero(self.wetness() != other.wetness())
        if not len(rows):
            return None
        c0, r0, c1, r1 = columns.min() - 1, rows.min() - 1, columns.max() + 1, rows.max() + 1
        return c0 * self.cell, r0 * self.cell, c1 * self.cell, r1 * self.cell

    def other(self, number: int) -> Standing:
        """Another stand's planting.

        Raises: Refused when there is none, or it is a sward, which has no single plants.
        """
        stand = self.level.stands.get(number)
        if stand is None:
            raise Refused("the stand that a distance is taken to is no longer there")
        if stand.sward:
            raise Refused(f"{stand.name} is a sward: it has no single plants to be near or away from")
        return self._planting(number)

    def _places(self, number: int, box: Box) -> np.ndarray:
        planting = self.other(number)
        parts = [planting.plants(sheet).form[:, [0, 2]] for sheet in planting.sheets_in(box)]
        return np.concatenate(parts) if parts else np.empty((0, 2))

    def _painting(self, number: int, window: Window) -> np.ndarray:
        """What is painted of a stand at the cell centres of a window, float32 −1 to 1."""
        ratio = self.cell / self.level.touch_cell
        touch, (col0, row0) = self.level.touch_of(number).window(self._touch_cells(window))
        touch = np.pad(touch, [(0, max(2 - size, 0)) for size in touch.shape], mode="edge")
        v, u = np.meshgrid(
            (np.arange(window[1], window[3]) + 0.5) * ratio - 0.5 - row0,
            (np.arange(window[0], window[2]) + 0.5) * ratio - 0.5 - col0,
            indexing="ij",
        )
        return sample(touch, u.ravel(), v.ravel()).reshape(u.shape) / np.float32(TOUCH_UNIT)

    def _density(self, number: int, window: Window) -> np.ndarray:
        """How dense a stand is at the cell centres of a window, with its fullness: float32 0–1."""
        stand, (col0, row0, col1, row1) = self.level.stands[number], window
        if stand.off or stand.settings.on:
            return np.zeros((row1 - row0, col1 - col0), np.float32)
        suitable = self.suitability(stand.settings.rules()).over(window)[row0:row1, col0:col1]
        painted = self._painting(number, window)
        return density_from(suitable, painted) * np.float32(stand.settings.fullness)

    def _touch_cells(self, window: Window) -> Window:
        ratio = self.cell / self.level.touch_cell
        x0, z0, x1, z1 = (v * ratio for v in window)
        return int(x0) - 2, int(z0) - 2, int(x1) + 3, int(z1) + 3

    def shapes_near(self, shapes: Iterable[tuple[int, Shape]], window: Window, reach: float) -> tuple:
        """What identifies the shapes within a reach of a window."""
        return tuple(
            (n, s.kind, s.points, s.width) for n, s in shapes if box_gap(s.box, window, self.cell) <= reach
        )

    def _parameters(self, c: Condition) -> tuple:
        """What a condition's result follows from beside the values it looks at."""
        return c.lo, c.hi, c.soft_lo, c.soft_hi, c.join, c.centre, c.curve

    def field_key(self, c: Condition, window: Window) -> tuple:
        """Equal when a condition's values in a window are."""
        common = (c.field, window, self.cell)
        match c.rule.needs:
            case "nothing":
                return common
            case "shapes":
                shapes = self.level.shapes.items()
                chosen = [(n, s) for n, s in shapes if s.kind == c.kind and counts(c, n, s.group)]
                far = c.rule.measures_far(c)
                near = self.shapes_near(chosen, window, 0.0 if c.depth else c.rule.reach(c))
                return *common, c.reach if far else None, near
            case "plants" if c.stand not in self.level.stands:
                return common
            case "plants":
                x0, z0, x1, z1 = (v * self.cell for v in window)
                box = widened((x0, z0, x1, z1), c.reach + 1.0)
                planting = self.other(c.stand)
                return *common, c.reach, digest([planting.key(sheet) for sheet in planting.sheets_in(box)])
            case "density" if c.stand not in self.level.stands:
                return common
            case "density":
                stand = self.level.stands[c.stand]
                touch = self.level.touch_of(c.stand).digest(self._touch_cells(window))
                suited = self.suitability(stand.settings.rules()).digest(window)
                how = stand.off, bool(stand.settings.on), stand.settings.fullness
                return *common, *how, suited, touch, self.level.touch_cell
            case "painting":
                touch = self.level.touch_of(c.stand).digest(self._touch_cells(window))
                return *common, self.level.touch_cell, touch
            case "meshes":
                keys = [self._meshes().key(number) for number in self._counted_meshes(c)]
                return *common, c.reach, self._heights_near(c, window), digest(keys)
            case "layers":
                return *common, self.level.layers.blocks.near(window, 0)
            case "mask":
                return *common, self._mask_near(c.mask, window), self.ground.cells
            case "flow":
                return *common, self.level.heights.key
            case _:
                return *common, self._heights_near(c, window)

    def _heights_near(self, c: Condition, window: Window) -> str:
        return self.level.heights.near(window, c.rule.margin(c, self.cell) + 1)

    def _mask_near(self, name: str, window: Window) -> str:
        """Equal as long as a mask's values in a window of cells are."""
        mask = self.level.masks.get(name)
        if mask is None:
            return ""
        down, across = (a / b for a, b in zip(mask.values.shape, self.ground.cells))
        x0, z0, x1, z1 = window
        values = int(x0 * across), int(z0 * down), int(np.ceil(x1 * across)), int(np.ceil(z1 * down))
        return f"{mask.blocks.near(values, 2)} {mask.white}"

    def values(self, c: Condition, window: Window) -> np.ndarray:
        """A condition's values in one of the level's tiles; where what it asks for is gone, as `lacks` says,
        as if there were none of it anywhere."""
        return self.cache.get(
            ("values", self.field_key(c, window)), lambda: self._make(c, window), spare=True
        )

    def _make(self, c: Condition, window: Window) -> np.ndarray:
        if c.rule.needs not in ("shapes", "meshes") and self.lacks(c):
            layers = tuple(name for name in c.layers if name in self.level.layers.names)
            if not layers:
                shape = window[3] - window[1], window[2] - window[0]
                return np.full(shape, c.rule.absent(c), np.float32)
            c = replace(c, layers=layers)
        return values(self.site, c, window)

    def lacks(self, c: Condition) -> str:
        """What a condition asks for that the level does not have, as a sentence; empty when there is
        nothing."""
        match c.rule.needs:
            case "layers":
                gone = [repr(name) for name in c.layers if name not in self.level.layers.names]
                return f"The level has no ground layer {' and no '.join(gone)}" if gone else ""
            case "mask" if c.mask not in self.level.masks:
                return f"The level has no mask image {c.mask!r}"
            case "shapes" if any(n not in self.level.shapes for n in c.shapes):
                return f"One of the {c.kind}s that a distance is taken to is no longer there"
            case "meshes" if any(n not in self.level.surfaces for n in c.shapes):
                return "One of the placed meshes that a distance is taken to is no longer there"
            case "shapes" if lost := set(c.groups) - {s.group for s in self.level.shapes.values()}:
                return f"The level has no group {' and no '.join(map(repr, sorted(lost)))} of shapes"
            case "meshes" if lost := set(c.groups) - {p.group for p in self.level.surfaces.values()}:
                return f"The level has no group {' and no '.join(map(repr, sorted(lost)))} of placed meshes"
            case "plants" if c.stand not in self.level.stands:
                return "The stand that a distance is taken to is no longer there"
            case "painting" | "density" if c.stand not in self.level.stands:
                return f"The stand whose {c.rule.needs} is looked at is no longer there"
        return ""

    def whole_values(self, c: Condition) -> np.ndarray:
        """A condition's values over the whole level."""
        return self._tiled(("values", self.field_key(c, self.whole)), [c], lambda w: self.values(c, w)).array

    def _suitable(self, rules: list[Condition], window: Window) -> np.ndarray:
        """Suitability of a tile, from the last condition up to which it is known. That of all conditions is
        not kept here, since the whole raster is."""
        chain: list[tuple] = []
        for c in rules:
            before = chain[-1] if chain else ()
            chain.append((*before, self.field_key(c, window), self._parameters(c)))
        total: Any = None
        known = 0
        for k in range(len(chain), 0, -1):
            total = self.cache.peek(("totals", chain[k - 1]))
            if total is not None:
                known = k
                break
        for k in range(known, len(rules)):
            total = joined(total, self.values(rules[k], window), rules[k])
            if k < len(rules) - 1:
                self.cache.put(("totals", chain[k]), total, spare=True)
        return total

    def _tiled(self, key: tuple, rules: list[Condition], tile: Callable[[Window], np.ndarray]) -> TiledRaster:
        """The raster of this content key, whose tiles follow from some conditions."""

        def first() -> None:
            for c in rules:
                self.ready(c)

        whole_key = (*key, self.ground.cells)

        def grown(raster: TiledRaster) -> None:
            self.cache.replace(whole_key, raster, raster)

        return self.cache.get(
            whole_key, lambda: TiledRaster(self.ground.cells, tile, self.threads, first, grown)
        )

    def suitability(self, conditions: list[Condition]) -> TiledRaster:
        """Suitability under conditions over the whole level."""
        rules = deciding(conditions)
        if not rules:
            return self._tiled(("ones",), [], lambda w: np.ones((w[3] - w[1], w[2] - w[0]), np.float32))
        key = tuple((self.field_key(c, self.whole), self._parameters(c)) for c in rules)
        return self._tiled(("suitability", key), rules, lambda w: self._suitable(rules, w))

    def nowhere(self) -> TiledRaster:
        """The suitability of what grows nowhere on the terrain."""
        return self._tiled(("zeros",), [], lambda w: np.zeros((w[3] - w[1], w[2] - w[0]), np.float32))

    def drive_factor(self, what: Drive, conditions: list[Condition]) -> TiledRaster | None:
        """What sizes, leans or tints are multiplied by over the whole level; None when no condition drives
        them."""
        rules = driving(conditions, what)
        if not rules:
            return None

        def tile(window: Window) -> np.ndarray:
            shape = window[3] - window[1], window[2] - window[0]
            return drive_factor(what, [self.values(c, window) for c in rules], rules, shape)

        key = tuple((self.field_key(c, self.whole), self._parameters(c), getattr(c, what)) for c in rules)
        return self._tiled((what, key), rules, tile)

    def ready(self, c: Condition) -> None:
        """Do what tiles must not wait for each other in the pool for: other stands' plants, the whole
        ground's wetness."""
        if c.rule.needs == "plants" and c.stand in self.level.stands:
            planting = self.other(c.stand)
            for sheet in planting.sheets_in(planting.everywhere):
                planting.plants(sheet)
        elif c.rule.needs == "density" and c.stand in self.level.stands:
            self.suitability(self.level.stands[c.stand].settings.rules()).fill()
        elif c.rule.needs == "flow":
            self.wetness()

    def clearing(self, settings: StandSettings) -> list[Shape]:
        """The shapes that keep plants of these settings away, outlines of placed meshes among them."""
        return list(filter(settings.keeps_out_of, (*self.level.shapes.values(), *self._meshes().outlines)))

    def openness(self, settings: StandSettings, cell: float, shape: tuple[int, int]) -> np.ndarray:
        """How much of each cell of a raster is not kept clear by shapes: float32 0–1."""
        shapes = self.clearing(settings)

        def make() -> np.ndarray:
            out = np.ones(shape, np.float32)
            for s in shapes:
                clear = s.clear or 0.0
                reach = clear + cell
                col0, row0 = (max(int((v - reach) / cell), 0) for v in s.box[:2])
                col1, row1 = (
                    min(int((s.box[2] + reach) / cell) + 1, shape[1]),
                    min(int((s.box[3] + reach) / cell) + 1, shape[0]),
                )
                if col1 > col0 and row1 > row0:
                    far = distance_field([s], cell, (col0, row0, col1, row1))
                    part = out[row0:row1, col0:col1]
                    np.minimum(part, np.clip((far - clear) / cell + 0.5, 0, 1), out=part)
            return out

        return self.cache.get(
            ("open", tuple((s.kind, s.points, s.width, s.clear) for s in shapes), cell, shape), make
        )
