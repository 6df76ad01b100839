"""What pops on a walk over a planted level, and how strongly."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from thicket.cache import Cache
from thicket.document.level import Item as StockItem
from thicket.formats.stock import from_glb, to_glb
from thicket.hashing import digest, hash_of
from thicket.planted.costs import drawn, game_item, largest_of, settled
from thicket.planted.hiding import hidden_share
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Sheet
from thicket.planting.stands import Plants
from thicket.sight.cost import Item
from thicket.sight.devices import PLAIN_DEVICE, Device
from thicket.sight.distances import Distances, states
from thicket.sight.drawing import PLAIN, Drawing
from thicket.sight.fog import Fog, left, thicker
from thicket.sight.pops import (
    FULL_CONTRAST,
    NOTICED,
    SHADOW_DEPTH,
    crossings,
    eyes,
    gentleness,
    in_view,
    lying,
    pixels_per_metre,
)
from thicket.sight.views import View
from thicket.sight.walks import Route
from thicket.stock.billboards import CARDS, MADE, kind_of
from thicket.stock.findings import mended
from thicket.stock.unlikeness import Unlikeness, unlikeness_of

FRAMES = 20
"""Frames along a walk whose cost is computed."""


@dataclass(frozen=True, eq=False)
class Pops:
    """Pops of one stand that are in the picture, in order of time, arrays (n,): time in s, x, y, z in m,
    distance in m, item, index in the mix, before and after, states (−1 for nothing), shadow, whether it is
    the shadow that changes, strength in pixels."""

    stand: int
    time: np.ndarray
    place: np.ndarray
    distance: np.ndarray
    item: np.ndarray
    before: np.ndarray
    after: np.ndarray
    shadow: np.ndarray
    strength: np.ndarray

    def noticed(self, threshold: float = NOTICED) -> int:
        """How many are at least so strong."""
        return int((self.strength >= threshold).sum())


@dataclass(frozen=True, eq=False)
class _Seen:
    """Plants that cross a distance in the picture: time in s, whether the eye goes away and how fast the
    distance changes in m/s (n,); form (n, 10), item (n,) and height in m (n,) of the plants, where the eye is
    (n, 3), how far they are in m (n,), how much of them the ground hides, 0–1 (n,), and how much they differ
    in colour from the ground under them (n,), see `contrast`."""

    time: np.ndarray
    away: np.ndarray
    rate: np.ndarray
    form: np.ndarray
    item: np.ndarray
    tall: np.ndarray
    eye: np.ndarray
    distance: np.ndarray
    hidden: np.ndarray
    contrast: np.ndarray

    @property
    def nbytes(self) -> int:
        return sum(getattr(self, name).nbytes for name in self.__dataclass_fields__)

    @classmethod
    def join(cls, parts: Iterable[_Seen]) -> _Seen:
        """Several together; of none, an empty one."""
        time, away, item = np.empty(0), np.empty(0, bool), np.empty(0, np.int16)
        none, eye, form = (np.empty((0, *more), np.float32) for more in ((), (3,), (10,)))
        empty = cls(time, away, none, form, item, none, eye, none, none, none)
        together = [empty, *parts]
        return cls(*(np.concatenate([getattr(p, n) for p in together]) for n in cls.__dataclass_fields__))


Edge = tuple[bytes, bool]
"""Radii in m, float64 (items,), at which a state of each item changes, and whether they go by size."""
Known = dict[Edge, _Seen]
"""What crosses a distance."""


@dataclass(frozen=True, eq=False)
class Other:
    """An item with another billboard, as the cost model sees it, and how unlike its states then look."""

    item: Item
    unlike: Unlikeness

    @property
    def nbytes(self) -> int:
        return self.unlike.nbytes


@dataclass(frozen=True, eq=False)
class Walker:
    """What a check needs: level, stock as the cost model sees it, route, how the level is drawn, its fog, and
    the unit vector toward its sun; how unlike the states of its stock look, by slug; the colours of its
    ground layers, sRGB 0–1 (layers, 3); its items with other billboards, by slug and kind; and the device
    that the frames are computed for."""

    level: PlantedLevel
    stock: Mapping[str, Item]
    route: Route
    drawing: Drawing = PLAIN
    fog: Fog = field(default_factory=Fog)
    sun: Sequence[float] = (0.0, 1.0, 0.0)
    unlike: Mapping[str, Unlikeness] = field(default_factory=dict)
    ground_colours: np.ndarray | None = None
    billboards: Mapping[tuple[str, str], Other] = field(default_factory=dict)
    device: Device = PLAIN_DEVICE

    def in_fog(self, factor: float) -> Walker:
        """The same in fog so many times as dense."""
        return replace(self, drawing=replace(self.drawing, fog=self.drawing.fog * factor))

    def with_billboard(self, slug: str, kind: str) -> Walker:
        """The same with another billboard of an item; `billboards` must have it."""
        other = self.billboards[slug, kind]
        stock, unlike = {**self.stock, slug: other.item}, {**self.unlike, slug: other.unlike}
        return replace(self, stock=stock, unlike=unlike)

    def pops_of(
        self,
        planting: Planting,
        own: Distances | None = None,
        fog: float = 1.0,
        known: Known | None = None,
    ) -> Pops:
        """What pops of a planting; with other distances of its own, or with fog so many times as thick.
        `known` keeps what has been found of the planting for the next call."""
        known = {} if known is None else known
        self.find(planting, [own], known)
        table, distances = self._edges(planting, own)
        found = []
        for edge, near, far in zip(
            _keys(table.radii, distances.by_size), table.before.T, table.after.T, strict=True
        ):
            if edge in known:
                found.append(self._judged(planting, known[edge], near, far, distances.fade, fog))
        (shadow,) = _keys(table.shadow, False)
        if shadow in known:
            near = far = table.before[:, 0]
            found.append(self._judged(planting, known[shadow], near, far, None, fog))
        return _together(planting.stand.number, found)

    def _edges(self, planting: Planting, own: Distances | None) -> tuple[_Edges, Distances]:
        view = replace(self.route.at(0.0), drawing=self.drawing)
        items, distances = drawn(planting, self.stock, view, own)
        return edges_of(items, [self.stock[slug] for slug in planting.items], distances), distances

    def find(self, planting: Planting, own: Iterable[Distances | None], known: Known) -> None:
        """Find what crosses the edges of several distances and is not known yet, all on one way through the
        sheets."""
        wanted: dict[Edge, list[_Seen]] = {}
        for each in own:
            table, distances = self._edges(planting, each)
            edges = [*_keys(table.radii, distances.by_size), *_keys(table.shadow, False)]
            wanted |= {edge: [] for edge in edges if edge not in known and any(edge[0])}
        if not wanted:
            return
        largest = largest_of(planting)
        reaches = {edge: np.frombuffer(edge[0]).max() * (largest if edge[1] else 1.0) for edge in wanted}
        for sheet, _ in self.sheets(planting, max(reaches.values())):
            for edge, seen in self._crossing(planting, sheet, reaches):
                wanted[edge].append(seen)
        known.update((edge, _Seen.join(parts)) for edge, parts in wanted.items())

    def _crossing(
        self, planting: Planting, sheet: Sheet, reaches: Mapping[Edge, float]
    ) -> Iterator[tuple[Edge, _Seen]]:
        """What the plants of a sheet do that cross edges in the picture, by the reach in m of each edge. It
        is kept, so that a stroke elsewhere has it reported again at once."""
        share = self.drawing.sward_share if planting.stand.sward else 1.0
        looks = [(self.unlike[slug].height, self.unlike[slug].colour.tolist()) for slug in planting.items]
        ground = self.level.level.heights.key, self.level.level.layers.key, self.level.meshes.drawn_key
        colours = None if self.ground_colours is None else self.ground_colours.tolist()
        tints = planting.settings.tints
        seen = digest(planting.key(sheet), self.route.key, ground, share, looks, colours, tints)

        @functools.cache
        def plants() -> Plants:
            made = planting.plants(sheet, spare=planting.stand.sward)
            return self.drawing.tufts(made) if planting.stand.sward else made

        for edge, reach in reaches.items():
            stretches = self._stretches(planting, sheet, reach)
            if stretches:
                found = partial(self._seen, planting, plants, edge, stretches)
                yield edge, self.level.cache.get(("crossing", seen, *edge), found)

    def _seen(self, planting: Planting, plants: Callable[[], Plants], edge: Edge, stretches: slice) -> _Seen:
        radii, by_size = np.frombuffer(edge[0]), edge[1]
        all_of_it = plants()
        crossed = crossings(all_of_it, radii[:, None], by_size, self.route, stretches)
        form, item = all_of_it.form[crossed.plant], all_of_it.item[crossed.plant].astype(np.int16)
        heights = np.array([self.unlike[slug].height for slug in planting.items])
        tall = heights[item] * form[:, 8]
        shown = np.flatnonzero(in_view(crossed, form, tall, self.route))
        crossed, form, item, tall = crossed.take(shown), form[shown], item[shown], tall[shown]
        eye = eyes(crossed, self.route)
        distance = np.linalg.norm(form[:, :3] - eye, axis=1)
        hidden = hidden_share(self.level, eye, form, tall)
        differs = contrast(self.level, planting, self.unlike, self.ground_colours, form, item)
        measures = (each.astype(np.float32) for each in (tall, eye, distance, hidden, differs))
        return _Seen(crossed.time, crossed.away, crossed.rate.astype(np.float32), form, item, *measures)

    def sheets(self, planting: Planting, reach: float) -> Iterator[tuple[Sheet, slice]]:
        """The sheets that any of the route comes near, and the stretches between which it is so near."""
        for sheet in planting.sheets_in(planting.everywhere):
            if stretches := self._stretches(planting, sheet, reach):
                yield sheet, stretches

    def _stretches(self, planting: Planting, sheet: Sheet, reach: float) -> slice | None:
        """The stretches of the route between which it is so near a sheet; None when it never is."""
        eye = self.route.eye
        x0, z0, x1, z1 = planting.window(sheet)
        dx = np.maximum(np.maximum(x0 - eye[:, 0], eye[:, 0] - x1), 0)
        dz = np.maximum(np.maximum(z0 - eye[:, 2], eye[:, 2] - z1), 0)
        near = np.flatnonzero(dx * dx + dz * dz <= reach * reach)
        return slice(max(int(near[0]) - 1, 0), int(near[-1]) + 1) if len(near) else None

    def _judged(
        self,
        planting: Planting,
        seen: _Seen,
        near: np.ndarray,
        far: np.ndarray,
        fade: float | None,
        fog: float,
    ) -> tuple:
        """Crossings as pops, each an array (n,) as `Pops` has them; of shadows when there is no fade.
        near and far: the state of each item on both sides of the distance."""
        form, item = seen.form, seen.item
        far = np.full_like(near, -1) if fade is None else far
        per_metre = pixels_per_metre(seen.distance)
        area = np.zeros(len(item))
        for m, slug in enumerate(planting.items):
            which = item == m
            pixels = seen.tall[which] * per_metre[which]
            area[which] = self.unlike[slug].between(near[m], far[m], pixels)
        strength = area * form[:, 7] * form[:, 8] * per_metre**2
        thick = thicker(self.fog, fog * self.drawing.fog)
        strength *= left(thick, seen.distance, seen.eye[:, 1], form[:, 1]) * (1.0 - seen.hidden)
        if fade is None:
            normals = self.level.ground.normal_at(form[:, 0], form[:, 2])
            strength *= SHADOW_DEPTH * lying(normals, seen.eye, form[:, :3], self.sun)
        else:
            strength *= seen.contrast / gentleness(fade, seen.rate)
        near, far = near[item], far[item]
        before, after = np.where(seen.away, near, far), np.where(seen.away, far, near)
        shadow = np.full(len(item), fade is None)
        return seen.time, form[:, :3], seen.distance, item, before, after, shadow, strength

    def times(self) -> np.ndarray:
        """The times in s of the frames that are computed, evenly over what is walked."""
        walked = self.route.time[:-1][self.route.walked]
        return walked[np.unique(np.linspace(0, len(walked) - 1, FRAMES).astype(int))]

    def view(self, time: float) -> View:
        """What is looked at after so many s."""
        view = replace(self.route.at(time), drawing=self.drawing, device=self.device)
        return settled(view, self.level.plantings(), self.stock)


@dataclass(frozen=True, eq=False)
class _Edges:
    """radii (items, edges) in m at which states change, 0 for none; shadow (items, 1), where it ends; before
    and after (items, edges), the states nearer and farther, of the item whole, −1 for nothing."""

    radii: np.ndarray
    shadow: np.ndarray
    before: np.ndarray
    after: np.ndarray


def _keys(radii: np.ndarray, by_size: bool) -> list[Edge]:
    """The columns of radii (items, edges) as they are known by."""
    return [(np.asarray(each, float).tobytes(), by_size) for each in radii.T]


def edges_of(items: Sequence[Item], whole: Sequence[Item], distances: Distances) -> _Edges:
    """The edges of a mix's items as they are drawn; `whole` are the items with all their states."""
    most = max(len(item.meshes) for item in items)
    radii, shadow = np.zeros((len(items), most)), np.zeros((len(items), 1))
    before, after = np.zeros((len(items), most), int), np.full((len(items), most), -1)
    for m, (item, all_of_it) in enumerate(zip(items, whole)):
        st = states(distances, len(item.lods), item.billboard is not None)
        first = len(all_of_it.lods) - len(item.lods)
        number = [first + k for k in range(len(item.lods))] + [len(all_of_it.lods)]
        held = [k for k in range(len(item.meshes)) if st.end[k] > st.start[k]]
        for e, k in enumerate(held):
            radii[m, e], before[m, e] = st.end[k], number[k]
            after[m, e] = number[held[e + 1]] if e + 1 < len(held) else -1
        solid = [st.end[k] for k in held if k < len(item.lods)]
        if item.casts_shadow and solid:
            shadow[m, 0] = min(distances.shadow, max(solid))
    return _Edges(radii, shadow, before, after)


def contrast(
    level: PlantedLevel,
    planting: Planting,
    unlike: Mapping[str, Unlikeness],
    ground_colours: np.ndarray | None,
    form: np.ndarray,
    item: np.ndarray,
) -> np.ndarray:
    """How much plants differ in colour from the ground under them (n,), 1 where that counts in full, and
    where the colours of the ground layers are not known."""
    layers = level.level.layers.weights
    if ground_colours is None or not layers.size:
        return np.ones(len(item))
    first, last = map(_srgb, planting.settings.tints)
    tint = first + (last - first) * form[:, 9:10]
    plant = np.array([unlike[slug].colour for slug in planting.items])[item] * tint
    cell = level.ground.cell
    rows, columns = (np.clip(form[:, k] // cell, 0, n - 1).astype(int) for k, n in zip((2, 0), layers.shape))
    weights = layers[rows, columns].astype(float)
    ground = weights @ ground_colours / np.maximum(weights.sum(axis=1, keepdims=True), 1.0)
    return np.asarray(np.abs(plant - ground).mean(axis=1) / FULL_CONTRAST)


def colours_of(layers: Iterable[Mapping]) -> np.ndarray:
    """The colours of ground layers as a level's view names them, #rrggbb, as sRGB 0–1 (layers, 3)."""
    return np.array([_srgb(layer["colour"]) for layer in layers])


def _srgb(colour: str) -> np.ndarray:
    """#rrggbb as 0–1 (3,)."""
    return np.array([int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)])


def _together(number: int, found: list[tuple]) -> Pops:
    if not found:
        none = np.empty(0)
        return Pops(number, none, np.empty((0, 3)), none, *(none.astype(int),) * 3, none.astype(bool), none)
    parts = [np.concatenate(column) for column in zip(*found)]
    order = np.argsort(parts[0], kind="stable")
    return Pops(number, *(part[order] for part in parts))


def unlikenesses(cache: Cache, stock: Mapping[str, StockItem]) -> dict[str, Unlikeness]:
    """How unlike the states of items look, by slug; needs their meshes."""

    def of(slug: str, glb: bytes) -> Unlikeness:
        key = ("unlikeness", hash_of(glb).hex())
        return cache.get(key, lambda: unlikeness_of(from_glb(slug, glb)))

    return {slug: of(slug, item.glb) for slug, item in stock.items() if item.glb}


def other_billboards(cache: Cache, stock: Mapping[str, StockItem]) -> dict[tuple[str, str], Other]:
    """The items that become a billboard, each with every other kind of it that is made here, by slug and
    kind."""

    def of(slug: str, item: StockItem, kind: str) -> Other:
        model = mended(from_glb(slug, item.glb), MADE + kind)
        return Other(game_item(slug, to_glb(model), item.traits), unlikeness_of(model))

    out = {}
    for slug, item in stock.items():
        now = from_glb(slug, item.glb).billboard if item.glb else None
        if not now or not item.traits.get("becomes_billboard", True):
            continue
        for kind in CARDS:
            if kind != kind_of(now):
                key = "other billboard", hash_of(item.glb).hex(), digest(dict(item.traits)), kind
                out[slug, kind] = cache.get(key, partial(of, slug, item, kind))
    return out
