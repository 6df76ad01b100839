"""A level as its plants see it: heights, layers, masks, shapes, touch cells. As stored, or as it would be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from server.levels.ground import Heights, LayerMaps, heights_of, layers_of
from server.levels.models import Level
from server.levels.suiting import Suiting
from thicket.cache import ContentCache
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape, distance_field
from thicket.hashing import Raster, digest, hash_of
from thicket.planting.companions import Anchors
from thicket.planting.pins import NO_PINS, Pins
from thicket.refused import Refused
from thicket.site.fields import Window
from thicket.stock.traits import group_of

_cover = ContentCache(20)
_furniture = ContentCache(32)
_whole_plantings = ContentCache(96)
_ground_stamps = ContentCache(64)
_own = ContentCache(64)


def _said_of_stand(stand) -> str:
    return digest(stand.pk, stand.number, stand.name, stand.order, stand.seed, stand.sward, stand.settings)


@dataclass(frozen=True, eq=False)
class Scene(Suiting):
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
        for s in below:
            self._plantings.pop(s.number, None)
            self._stamps.pop(s.number, None)
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
            now.resemble(was)
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
        shapes = [(n, s.kind, s.points, s.width, s.clear, s.name, s.trail) for n, s in self.shapes.items()]
        masks = sorted((name, said[0]) for name, said in self.masks.items())
        anchors = {slug: said.plain() for slug, said in self.anchors.items()}
        pins = [(pk, said.item, said.uprooted, hash_of(*(np.ascontiguousarray(c) for c in said if isinstance(c, np.ndarray))).hex())
                for pk, said in sorted(self.pins.items())]
        pins += [[s.order, s.settings.get("gap"), s.settings.get("under"), s.settings.get("layout"), s.settings["mix"]]
                 for s in self.stands.values() if s.pk in self.pins]
        return digest(self.level.pk, self.heights.key, self.layers.key, masks, shapes, self.touch_cell, self.touch_shape,
                      self.footprints, anchors, pins)

    def _stamp(self, stand) -> str:
        """Equal as long as nothing has changed that a stand's planting follows from: its own row and touch, the ground, and all
        that stands above it, which the stamp of the next above says."""
        if stand.number not in self._stamps:
            own = self._said_of[stand.pk][0] if stand.pk in self._said_of else _said_of_stand(stand)
            painted = sorted(self.revisions.get(stand.pk, {}).items())
            above = next((self._stamp(s) for s in reversed(self._singles) if s.order < stand.order), "")
            self._stamps[stand.number] = hash_of(f"{self._ground_stamp} {own} {above} {painted}".encode()).hex()
        return self._stamps[stand.number]

    @cached_property
    def _stamps(self) -> dict:
        return {}

    @cached_property
    def _said_of(self) -> dict[int, tuple[str, dict, str]]:
        """What identifies the stands as stored, by their primary key: the whole, and of their settings."""
        return {}

    def settings_id(self, stand) -> str:
        """What identifies a stand's settings."""
        _, settings, said = self._said_of.get(stand.pk, ("", None, ""))
        return said if settings is stand.settings else digest(stand.settings)

    def above(self, stand) -> list:
        """The plantings of the stands of single plants that claim room before a stand, first those that claim it first."""
        return [self.planting(s) for s in self._singles if s.order < stand.order]

    @cached_property
    def _singles(self) -> list:
        return sorted((s for s in self.stands.values() if not s.sward), key=lambda s: s.order)

    @cached_property
    def stands(self) -> dict:
        """The level's stands by number."""
        from server.stands.models import Stand
        from server.stands.touch import FIELDS, rows_of

        token = self._state[0]
        found = [Stand.from_db("default", FIELDS, row) for row in rows_of(self.level, token)]
        for stand in found:
            stand.level = self.level
        self._said_of.update(_own.get((self.level.pk, token), lambda: {
            s.pk: (_said_of_stand(s), s.settings, digest(s.settings)) for s in found}))
        return {stand.number: stand for stand in found}

    def other(self, number: int):
        """Another stand's planting in this scene.

        Raises: Refused when there is none, or it is a sward, which has no single plants.
        """
        stand = self.stands.get(number)
        if stand is None:
            raise Refused("the stand that a distance is taken to is no longer there")
        if stand.sward:
            raise Refused(f"{stand.name} is a sward: it has no single plants to be near or away from")
        return self.planting(stand)

    def _places(self, number: int, box) -> np.ndarray:
        planting = self.other(number)
        parts = [planting.plants(sheet).form[:, [0, 2]] for sheet in planting.sheets_in(box)]
        return np.concatenate(parts) if parts else np.empty((0, 2))

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
    anchors = anchors_in(dict(level.stock.values_list("slug", "anchors")))
    return masks, {shape.number: shape.core for shape in level.shapes.all()}, footprints, anchors


def anchors_in(said: Mapping[str, Sequence[dict]]) -> dict[str, Anchors]:
    """The anchors of items that have some, by slug, from what is said of each: name, at and up."""
    return {slug: Anchors(np.array([a["at"] for a in those], float), np.array([a["up"] for a in those], float),
                          tuple(group_of(a["name"]) for a in those)) for slug, those in said.items() if those}


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
