"""A level as its plants see it: heights, layers, masks, shapes, touch cells. As stored, or as it would be."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from server.cache import ContentCache
from server.levels.ground import Heights, LayerMaps, heights_of, layers_of, mask_array
from server.levels.models import Level
from thicket.bands import THREADS
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape, distance_field
from thicket.planting.companions import Anchors
from thicket.planting.pins import NO_PINS, Pins
from thicket.site.conditions import Condition, deciding, joined, size_factor, sizing
from thicket.site.fields import Site, Window, box_gap, far_away, values

TILE = 256
_values = ContentCache(4000, 240 << 20)
_totals = ContentCache(4000, 160 << 20)
_wholes = ContentCache(200, 240 << 20)
_masks = ContentCache(30, 200 << 20)
_cover = ContentCache(20, 200 << 20)
_furniture = ContentCache(32)
_whole_plantings = ContentCache(96)
_ground_stamps = ContentCache(64)
_own = ContentCache(64)
_pool = ThreadPoolExecutor(THREADS, thread_name_prefix="site")


def digest(*parts: object) -> str:
    """A short hash of anything that goes into JSON or has a plain text."""
    return hashlib.blake2b(json.dumps(parts, sort_keys=True, default=str).encode(), digest_size=8).hexdigest()


def _said_of_stand(stand) -> str:
    return digest(stand.pk, stand.number, stand.name, stand.order, stand.seed, stand.sward, stand.settings)


@dataclass(eq=False)
class Raster:
    """A whole raster; `digest` hashes a part of it."""

    array: np.ndarray
    digests: dict[Window, str] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return self.array.nbytes

    @property
    def whole_digest(self) -> str:
        return self.digest((0, 0, self.array.shape[1], self.array.shape[0]))

    def digest(self, window: Window) -> str:
        """A hash of the values in a window of cells, cut at the raster's edge."""
        if window not in self.digests:
            col0, row0, col1, row1 = window
            part = np.ascontiguousarray(self.array[max(row0, 0):row1, max(col0, 0):col1])
            self.digests[window] = hashlib.blake2b(part, digest_size=8).hexdigest()
        return self.digests[window]


@dataclass(frozen=True, eq=False)
class Scene:
    """All that planting reads of a level but the stands' own settings and touch. Replace a part to try another ground."""

    level: Level
    heights: Heights
    layers: LayerMaps
    masks: dict[str, tuple[str, int, int, int]]
    shapes: dict[int, Shape]
    touch_cell: float
    touch_shape: tuple[int, int]
    touches: dict[int, object] = field(default_factory=dict)
    """Touch maps, by stand, that are tried in place of the stored ones: arrays, or `server.stands.touch.TouchMap` whose revisions
    tell them apart."""

    revision = None
    """The level's scene revision when it was read, of a scene that is the level as stored in every part."""

    @property
    def ground(self) -> Ground:
        return self.heights.ground

    @property
    def cell(self) -> float:
        return self.ground.cell

    @property
    def width(self) -> float:
        return self.ground.width

    @property
    def length(self) -> float:
        return self.ground.length

    @property
    def whole(self) -> Window:
        rows, columns = self.ground.cells
        return 0, 0, columns, rows

    @cached_property
    def footprints(self) -> dict[str, tuple[float, float]]:
        """Radii in m of crown and trunk of each stock item."""
        return _read_furniture(self.level)[2]

    @cached_property
    def anchors(self) -> dict[str, Anchors]:
        """The named anchor points of the stock items that have some."""
        return _read_furniture(self.level)[3]

    @cached_property
    def pins(self) -> dict[int, Pins]:
        """Pins by the stand's primary key."""
        return self._pins[1]

    @cached_property
    def _pins(self) -> tuple[int, dict[int, Pins]]:
        from server.pins.reading import pins_of

        return self.level.pin_revision, pins_of(self.level)

    def pinned_from(self, stand) -> list:
        """The plantings of a stand and those below it, of those that have pins standing."""
        numbers = [s for s in self.stands.values() if s.order >= stand.order and len(self.pins.get(s.pk, NO_PINS).id)]
        return [self.planting(s) for s in sorted(numbers, key=lambda s: s.order)]

    @cached_property
    def _plantings(self) -> dict:
        return {}

    @cached_property
    def _state(self) -> tuple[int, dict[int, dict]]:
        from server.stands.touch import state_of

        return state_of(self.level)

    @cached_property
    def revisions(self) -> dict[int, dict]:
        """The revisions of all stands' painted tiles; see `server.stands.touch.state_of`."""
        return self._state[1]

    def painted(self, stand, revisions: dict, box) -> None:
        """Forget what followed from a stand's touch inside a box of level metres, of which tiles have just been stored under new
        revisions: its planting and those below it. What the stroke cannot reach of them is taken over."""
        below = sorted((s for s in self.stands.values() if s.order >= stand.order), key=lambda s: s.order)
        old = [self._plantings.get(s.number) or (None if self.touches else _whole_plantings.peek(self._stamp(s))) for s in below]
        self.revisions[stand.pk] = {**self.revisions.get(stand.pk, {}), **revisions}
        self._stamps.clear()
        for s in below:
            self._plantings.pop(s.number, None)
        self.take_over(stand, below, old, box)

    def take_over(self, stand, below: list, old: list, box) -> None:
        """Let the plantings of a stand and those below it take over from their forerunners all that a change of the stand's
        touch inside a box cannot reach."""
        changed: dict = {}
        known = max((k for k, was in enumerate(old) if was and was.keys), default=-1)
        for s, was in list(zip(below, old))[:known + 1]:
            if was is None:
                return
            now = self.planting(s)
            region = now.reached_by(changed) if s.pk != stand.pk else now.around(box)
            now.take_over(was, region, dict(changed))
            if region is not None and not s.sward:
                changed[s.number] = region

    def planting(self, stand):
        """A stand's planting in this scene under its stored settings; the same one again as long as nothing it follows from
        has changed, also between requests."""
        from server.stands.engine import Planting

        known = self._plantings.get(stand.number)
        if known is None:
            if self.touches:
                known = Planting(stand, scene=self)
            else:
                known = _whole_plantings.get(self._stamp(stand), lambda: Planting(stand, scene=self))
            self._plantings[stand.number] = known
        return known

    @cached_property
    def _ground_stamp(self) -> str:
        if "_state" not in self.__dict__ or self.revision is None:
            return self._read_ground_stamp()
        return _ground_stamps.get((self.level.pk, self._state[0], self.revision, self._pins[0], self.heights.key,
                                   self.layers.key, self.touch_cell, self.touch_shape), self._read_ground_stamp)

    def _read_ground_stamp(self) -> str:
        shapes = [(n, s.kind, s.points, s.width, s.clear, s.name) for n, s in self.shapes.items()]
        masks = sorted((name, said[0]) for name, said in self.masks.items())
        anchors = {slug: [a.tolist() for a in said] for slug, said in self.anchors.items()}
        pins = [(pk, [np.asarray(c).tolist() for c in said]) for pk, said in sorted(self.pins.items())]
        pins += [[s.order, s.settings.get("gap"), s.settings.get("under"), s.settings.get("layout"), s.settings["mix"]]
                 for s in self.stands.values() if s.pk in self.pins]
        return digest(self.level.pk, self.heights.key, self.layers.key, masks, shapes, self.touch_cell, self.touch_shape,
                      self.footprints, anchors, pins)

    def _stamp(self, stand) -> str:
        """Equal as long as nothing has changed that a stand's planting follows from: its own row and touch, the ground, and all
        that stands above it."""
        if stand.number not in self._stamps:
            own = self._said_of.get(stand.pk) or _said_of_stand(stand)
            painted = sorted(self.revisions.get(stand.pk, {}).items())
            above = [self._stamp(s) for s in self._singles if s.order < stand.order]
            self._stamps[stand.number] = digest(self._ground_stamp, own, painted, above)
        return self._stamps[stand.number]

    @cached_property
    def _stamps(self) -> dict:
        return {}

    @cached_property
    def _said_of(self) -> dict:
        """What identifies the stands as stored, by their primary key."""
        return {}

    def above(self, stand) -> list:
        """The plantings of the stands of single plants that claim room before a stand, first those that claim it first."""
        return [self.planting(s) for s in self._singles if s.order < stand.order]

    @cached_property
    def _singles(self) -> list:
        return sorted((s for s in self.stands.values() if not s.sward), key=lambda s: s.order)

    @cached_property
    def windows(self) -> list[Window]:
        """The tiles of the level's cell rasters."""
        rows, columns = self.ground.cells
        return [(c, r, min(c + TILE, columns), min(r + TILE, rows)) for r in range(0, rows, TILE) for c in range(0, columns, TILE)]

    @cached_property
    def stands(self) -> dict:
        """The level's stands by number."""
        from server.stands.models import Stand
        from server.stands.touch import FIELDS, rows_of

        token = self._state[0]
        found = [Stand.from_db("default", FIELDS, row) for row in rows_of(self.level, token)]
        for stand in found:
            stand.level = self.level
        self._said_of.update(_own.get((self.level.pk, token), lambda: {s.pk: _said_of_stand(s) for s in found}))
        return {stand.number: stand for stand in found}

    @cached_property
    def site(self) -> Site:
        """The level as the core's conditions see it."""
        layers = {name: self.layers.weights[..., k] for k, name in enumerate(self.layers.names)}
        masks = {name: _masks.get(said[0], lambda s=said: mask_array(*s[1:])) for name, said in self.masks.items()}
        return Site(self.ground.heights, self.cell, layers, masks, self.shapes, self.heights.wetness, self._places)

    def other(self, number: int):
        """Another stand's planting in this scene.

        Raises: ValueError when there is none, or it is a sward, which has no single plants.
        """
        stand = self.stands.get(number)
        if stand is None:
            raise ValueError("the stand that a distance is taken to is no longer there")
        if stand.sward:
            raise ValueError(f"{stand.name} is a sward: it has no single plants to be near or away from")
        return self.planting(stand)

    def _places(self, number: int, box) -> np.ndarray:
        planting = self.other(number)
        parts = [planting.plants(sheet).form[:, [0, 2]] for sheet in planting.sheets_in(box)]
        return np.concatenate(parts) if parts else np.empty((0, 2))

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

    def clearing(self, kinds: Iterable[str]) -> list[Shape]:
        """The shapes of these kinds that keep plants away."""
        wanted = set(kinds)
        return [s for s in self.shapes.values() if s.kind in wanted and s.clear is not None]

    def openness(self, kinds: Iterable[str], cell: float, shape: tuple[int, int]) -> np.ndarray:
        """How much of each cell of a raster is not kept clear by shapes: float32 0–1."""
        shapes = self.clearing(kinds)

        def make() -> np.ndarray:
            out = np.ones(shape, np.float32)
            for s in shapes:
                reach = s.clear + cell
                col0, row0 = (max(int((v - reach) / cell), 0) for v in s.box[:2])
                col1, row1 = min(int((s.box[2] + reach) / cell) + 1, shape[1]), min(int((s.box[3] + reach) / cell) + 1, shape[0])
                if col1 > col0 and row1 > row0:
                    far = distance_field([s], cell, (col0, row0, col1, row1))
                    part = out[row0:row1, col0:col1]
                    np.minimum(part, np.clip((far - s.clear) / cell + 0.5, 0, 1), out=part)
            return out

        return _cover.get((tuple((s.kind, s.points, s.width, s.clear) for s in shapes), cell, shape), make)


def _read_furniture(level: Level) -> tuple[dict, dict, dict, dict]:
    """Masks by name, shapes by number, and footprints and anchors of the stock, which seldom change."""
    masks = {name: said for name, *said in level.masks.values_list("name", "digest", "pk", "rows", "columns")}
    footprints = {slug: (crown, trunk) for slug, crown, trunk in level.stock.values_list("slug", "crown", "trunk")}
    anchors = {slug: Anchors(np.array([a["at"] for a in said], float), np.array([a["up"] for a in said], float))
               for slug, said in level.stock.values_list("slug", "anchors") if said}
    return masks, {shape.pk: shape.core for shape in level.shapes.all()}, footprints, anchors


def scene_of(level: Level) -> Scene:
    """The level as stored; read once for each `Level` object."""
    if "_scene" not in level.__dict__:
        masks, shapes, footprints, anchors = _furniture.get((level.pk, level.scene_revision), lambda: _read_furniture(level))
        level._scene = Scene(level, heights_of(level), layers_of(level), masks, shapes, level.touch_cell, level.touch_shape)
        level._scene.__dict__.update(footprints=footprints, anchors=anchors, revision=level.scene_revision)
    return level._scene


def forget_scene(level: Level) -> None:
    """Have the level read anew after a change."""
    level.__dict__.pop("_scene", None)


__all__ = ["Raster", "Scene", "digest", "forget_scene", "replace", "scene_of"]
