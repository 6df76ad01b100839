"""The survey: what frames cost all over a level, from the height of an eye, in all headings."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from thicket.bands import THREADS
from thicket.lazy import lazy
from thicket.planted.costs import drawn, largest_of, patch_of, reach_of
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.plots import Region
from thicket.planted.sheets import Box, Sheet
from thicket.progress import Report, quietly
from thicket.sight.cost import RECORD_BYTES, SCREEN_HEIGHT, Item, Patch, mesh_table, own_bytes, state_table
from thicket.sight.devices import LOADS, UNITS, Device
from thicket.sight.drawing import CELL, GROUND_ERROR, PLAIN, TREES, Drawing
from thicket.sight.fogged import WEIGHT, fogged_pixels
from thicket.sight.pops import ASPECT, FOV
from thicket.sight.survey import boxes_from, count_from, ground_from, nearest_full, planes_of
from thicket.sight.terrain import terrain_of
from thicket.sight.views import View

STEP, HEADINGS, EYE = 16.0, 8, 1.7
"""m between places, headings, m of the eye above the ground, where nobody says otherwise."""
FINEST, COARSEST = 8.0, 64.0


@dataclass(frozen=True, eq=False)
class Survey:
    """What frames are made of: loads by stand number, 0 for the ground, float32 (places, headings, 5), see
    `thicket.sight.devices.LOADS`; and by plot, what its plants alone come to. The places are row by row on a
    grid of `step` m, each in the middle of its square: eyes (places, 3) in
    m; columns, places in a row; headings in degrees."""

    step: float
    columns: int
    eyes: np.ndarray
    headings: np.ndarray
    loads: Mapping[int, np.ndarray]
    plots: Mapping[str, np.ndarray] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return self.eyes.nbytes + sum(each.nbytes for each in (*self.loads.values(), *self.plots.values()))

    def whole(self) -> np.ndarray:
        """Everything together, float32 (places, headings, 5)."""
        return np.sum(list(self.loads.values()), axis=0)

    def line(self, name: str, device: Device, part: int | str | None = None) -> np.ndarray:
        """A budget line, (places, headings), ms on a device: of a stand by number, of a plot by name, or of
        the whole frame."""
        if part is None:
            loads = self.whole()
        else:
            loads = self.plots[part] if isinstance(part, str) else self.loads[part]
        if name != "ms":
            return loads[..., LOADS.index(name)]
        per = np.array(device.coefficients[:5]) / UNITS
        return loads @ per + (device.fixed if part in (None, 0) else 0.0)

    def dearest_toward(self, device: Device, box: Box, reach: float) -> tuple[int, int] | None:
        """The place and heading of the dearest frame, on a device, that looks toward a box of level metres
        from no farther than a reach in m; None where none does."""
        x, z = self.eyes[:, 0], self.eyes[:, 2]
        x0, z0, x1, z1 = box
        off = np.hypot(np.maximum(np.maximum(x0 - x, x - x1), 0), np.maximum(np.maximum(z0 - z, z - z1), 0))
        east, south = (x0 + x1) / 2 - x, (z0 + z1) / 2 - z
        around = np.arctan2(np.hypot(x1 - x0, z1 - z0) / 2, np.hypot(east, south))
        half = np.degrees(np.arctan(np.tan(np.radians(FOV) / 2) * ASPECT) + around)
        turn = np.degrees(np.arctan2(east, -south))[:, None] - self.headings
        toward = np.abs((turn + 180) % 360 - 180) <= np.where(off > 0, half, 180.0)[:, None]
        ms = np.where(toward & (off <= reach)[:, None], self.line("ms", device), -np.inf)
        place, heading = np.unravel_index(ms.argmax(), ms.shape)
        return (int(place), int(heading)) if np.isfinite(ms[place, heading]) else None

    def worst(self, values: np.ndarray, count: int, apart: float) -> list[tuple[int, int]]:
        """The places and headings of the largest values (places, headings), one of each place, at least so
        many m apart."""
        found: list[tuple[int, int]] = []
        at = self.eyes[:, [0, 2]]
        for place in np.argsort(-values.max(axis=1), kind="stable").tolist():
            near = [p for p, _ in found if np.hypot(*(at[p] - at[place])) < apart]
            if not near:
                found.append((place, int(values[place].argmax())))
            if len(found) == count:
                break
        return found


def survey(
    level: PlantedLevel,
    stock: Mapping[str, Item],
    drawing: Drawing = PLAIN,
    step: float = STEP,
    headings: int = HEADINGS,
    height: float = EYE,
    report: Report = quietly,
    threads: int = THREADS,
    plots: Mapping[str, Region] | None = None,
    so_far: Callable[[Survey], None] = lambda part: None,
) -> Survey:
    """Survey a level.

    Parameters: level; stock as the cost model sees it; how the level is drawn; m between places; how many
    headings, evenly around; height of the eye above the ground in m; threads; plots by name, each given
    by itself; so_far, given what is surveyed, without plots, after each stand. Every value is what
    `thicket.sight.cost.frame_cost` gives for that view of 16:9, and of a plot what
    `thicket.planted.costs.region_cost` does.
    """
    across, down = (max(int(side // step), 1) for side in (level.width, level.length))
    x, z = np.meshgrid(
        (np.arange(across) + 0.5) * min(step, level.width), (np.arange(down) + 0.5) * min(step, level.length)
    )
    y = level.ground.height_at(x.ravel(), z.ravel()).astype(float) + height
    eyes = np.column_stack([x.ravel(), y, z.ravel()])
    way = np.arange(headings) * 360.0 / headings
    surveyor = _surveyor(level, stock, drawing, eyes, way, threads)
    report(0.0, "Surveying the ground")
    loads = {0: surveyor.ground()}
    plantings = level.plantings() if drawing.plants else []
    full = surveyor.full(plantings, report)
    spent = {name: surveyor.nothing() for name in plots or {}}
    for k, planting in enumerate(plantings):
        report((k + 1) / (len(plantings) + 1), f"Surveying {planting.stand.name}")
        loads[planting.stand.number] = surveyor.stand(planting, full)
        for name, region in (plots or {}).items():
            spent[name] += surveyor.stand(planting, full, region)
        so_far(Survey(step, across, eyes, way, dict(loads)))
    return Survey(step, across, eyes, way, loads, spent)


def repaired(
    found: Survey,
    before: PlantedLevel,
    level: PlantedLevel,
    stock: Mapping[str, Item],
    drawing: Drawing = PLAIN,
    report: Report = quietly,
    threads: int = THREADS,
    plots: Mapping[str, Region] | None = None,
) -> Survey | None:
    """A survey brought up to date after plants have changed: only what differs is counted, from the places
    that it reaches. None where all must be done again: another ground, stock, stands or plots.

    Parameters: found, the survey of `before`, of the same drawing, stock and plots; the rest as in `survey`.
    Stands whose settings differ are counted again, and where full meshes have a ceiling, with one tree all
    trees, since those that step down may stand anywhere.
    """
    same = before.level.heights.key == level.level.heights.key and before.level.stock == level.level.stock
    same = same and before.meshes.paid_key == level.meshes.paid_key
    if not same or before.stands.keys() != level.stands.keys() or found.plots.keys() != (plots or {}).keys():
        return None
    pairs = {n: (before.planting(n), level.planting(n)) for n in level.stands}
    changed = {n: differing(*pair) for n, pair in pairs.items()}
    plantings = level.plantings() if drawing.plants else []
    again = {n for n, sheets in changed.items() if sheets is None}
    if drawing.full_meshes is not None and any(
        changed[p.stand.number] != set() for p in plantings if _is_tree(p)
    ):
        again |= {p.stand.number for p in plantings if _is_tree(p)}
    some = np.ones(len(found.eyes), bool) if again else _reached(found.eyes, level, changed, drawing)
    surveyor = _surveyor(level, stock, drawing, found.eyes[some], found.headings, threads)
    fulls = [surveyor.full(p, report) if again else None for p in (before.plantings(), plantings)]
    loads, spent = dict(found.loads), dict(found.plots)
    places: list[tuple[str | None, Region | None]] = [(None, None), *(plots or {}).items()]
    for k, planting in enumerate(plantings):
        number = planting.stand.number
        sheets = None if number in again else changed[number]
        if sheets == set():
            continue
        report((k + 1) / (len(plantings) + 1), f"Surveying {planting.stand.name}")
        for name, region in places:
            was, now = (surveyor.stand(p, full, region, sheets) for p, full in zip(pairs[number], fulls))
            if name is not None:
                spent[name] = _added(spent[name], some, now - was)
            else:
                loads[number] = now if sheets is None else _added(loads[number], some, now - was)
    return Survey(found.step, found.columns, found.eyes, found.headings, loads, spent)


def differing(before: Planting, now: Planting, box: Box | None = None) -> set[Sheet] | None:
    """The sheets whose plants differ, of those that a box of level metres touches if one is given; None where
    more than plants does."""
    if before is now:
        return set()
    if before.settings != now.settings or before.items != now.items or before.sheets != now.sheets:
        return None
    if before.stand.stratum != now.stand.stratum:
        return None
    return {sheet for sheet in now.sheets_in(box or now.everywhere) if before.key(sheet) != now.key(sheet)}


def _added(loads: np.ndarray, some: np.ndarray, more: np.ndarray) -> np.ndarray:
    """Loads with what some of the places have more."""
    out = loads.copy()
    out[some] += more
    return out


def _reached(
    eyes: np.ndarray, level: PlantedLevel, changed: Mapping[int, set[Sheet] | None], drawing: Drawing
) -> np.ndarray:
    """The places, bool (n,), from where any of the changed sheets of stands, by number, may be drawn."""
    x, z = eyes[:, 0], eyes[:, 2]
    found = np.zeros(len(eyes), bool)
    for number, sheets in changed.items():
        planting = level.planting(number)
        side = max(planting.sheet_size, drawing.cell)
        reach = reach_of(planting, drawing) + max(drawing.cell, CELL)
        for x0, z0, _, _ in map(planting.window, sheets or ()):
            west, north = x0 // side * side, z0 // side * side
            across, down = np.abs(x - west - side / 2), np.abs(z - north - side / 2)
            found |= np.maximum(across, down) <= reach + side / 2
    return found


def _surveyor(
    level: PlantedLevel,
    stock: Mapping[str, Item],
    drawing: Drawing,
    eyes: np.ndarray,
    headings: np.ndarray,
    threads: int,
) -> _Surveyor:
    like = View(0.0, 0.0, 0.0, 0.0, 0.0, FOV, ASPECT, drawing=drawing)
    return _Surveyor(level, stock, like, eyes, headings, planes_of(eyes, headings, like), threads)


@dataclass(frozen=True, eq=False)
class _Surveyor:
    level: PlantedLevel
    stock: Mapping[str, Item]
    like: View
    eyes: np.ndarray
    headings: np.ndarray
    planes: np.ndarray
    threads: int

    def ground(self) -> np.ndarray:
        """The loads of the ground and the meshes placed on it (places, headings, 5)."""
        terrain = self.level.cache.get(
            ("terrain", self.level.level.heights.key), lambda: terrain_of(self.level.ground)
        )
        pixels = self.like.drawing.ground_error
        out = self.nothing()
        out[..., 0], out[..., 1] = ground_from(
            terrain, self.eyes, self.planes, self.like, GROUND_ERROR if pixels is None else pixels
        )
        meshes = self.level.meshes
        if meshes.drawn:
            box = np.array([meshes.box(number) for number in meshes.drawn])
            read = [meshes.read(placed).mesh for placed in meshes.drawn.values()]
            loads = np.array([(mesh.triangles, mesh.materials) for mesh in read], np.int64)
            shadow = [meshes.shadow_of(placed, self.like.drawing) for placed in meshes.drawn.values()]
            out[..., :3] += boxes_from(box, self.eyes, self.planes, loads, np.array(shadow))
            out[..., 4] += meshes.memory
        air = self.like.drawing.air
        if air is not None:
            for k, heading in enumerate(self.headings.tolist()):
                toward = replace(self.like, heading=heading)
                out[:, k, 3] = WEIGHT * fogged_pixels(self.level.ground, self.eyes, toward, air)
        return out

    @lazy
    def clear(self) -> np.ndarray:
        """Beyond which distance in m nothing is drawn from each place, since the fog hides it."""
        return self.like.drawing.clear_from(self.eyes[:, 1])

    def full(self, plantings: Sequence[Planting], report: Report) -> np.ndarray | None:
        """Beyond which distances trees are not drawn as their finest mesh, float64 (places, headings) in m;
        None without a ceiling."""
        ceiling = self.like.drawing.full_meshes
        trees = [p for p in plantings if _is_tree(p)]
        if ceiling is None or not trees:
            return None
        shape = self.planes.shape[:2]
        nearest, count = np.full((*shape, ceiling + 1), np.inf), np.zeros(shape, np.int64)
        for planting in trees:
            report(0.0, f"Finding the nearest of {planting.stand.name}")
            items, distances = drawn(planting, self.stock, self.like)
            hide = state_table(items, distances)[1][:, 0]
            hide = np.where([len(item.meshes) > 1 for item in items], hide, 0.0)
            reach = hide.max() * (largest_of(planting) if distances.by_size else 1.0)
            for patch, places in self._patches(planting, items, reach):
                n = self._near(patch, places, reach)
                nearest_full(
                    *_flat(patch),
                    n,
                    self.eyes,
                    self.planes,
                    hide,
                    distances.by_size,
                    self.clear,
                    nearest,
                    count,
                )
        return np.where(count > ceiling, nearest[..., ceiling], np.inf)

    def stand(
        self,
        planting: Planting,
        full: np.ndarray | None,
        region: Region | None = None,
        only: set[Sheet] | None = None,
    ) -> np.ndarray:
        """A stand's loads (places, headings, 5); of its plants in a region alone, or of the drawing cells
        that hold some sheets alone, if those are given."""
        items, distances = drawn(planting, self.stock, self.like)
        if region is not None:
            items = [item.without_bytes() for item in items]
        beyond = full if full is not None and _is_tree(planting) else np.full((1, 1), np.inf)
        show, hide, start, end, solid = state_table(items, distances, beyond)
        counts = [np.zeros((*self.planes.shape[:2], *solid.shape), np.int64) for _ in range(4)]
        alpha = np.zeros(counts[0].shape)
        shadow = float(distances.shadow)
        largest = largest_of(planting) if distances.by_size else 1.0
        farthest = float(distances.gone * largest)
        plants = np.zeros(len(self.eyes), np.int64)
        view_reach = np.minimum(max(farthest, shadow), self.clear) + max(self.like.drawing.cell, CELL)
        table = show, hide, start, end, solid, shadow, distances.by_size, farthest, self.clear

        def count(patch: Patch, some: np.ndarray) -> None:
            count_from(*_flat(patch), some, self.eyes, self.planes, *table, *counts, alpha)

        with ThreadPoolExecutor(self.threads) as pool:
            for patch, places in self._patches(planting, items, view_reach, region, only):
                if len(patch.plants):
                    plants[places] += len(patch.plants)
                    near = self._near(patch, places, max(farthest, shadow))
                    list(pool.map(partial(count, patch), np.array_split(near, self.threads)))
        return self._loads(items, counts, alpha, plants)

    def _loads(
        self,
        items: Sequence[Item],
        counts: list[np.ndarray],
        alpha: np.ndarray,
        plants: np.ndarray,
    ) -> np.ndarray:
        """Loads from what was counted by item and state, see `count_from`, and plants by place."""
        shown, calls, cast, shadow_calls = counts
        triangles, materials, area = mesh_table(items)
        out = self.nothing()
        out[..., 0] = np.einsum("phms,ms->ph", shown, triangles)
        out[..., 1] = np.einsum("phms,ms->ph", calls + shadow_calls, materials)
        out[..., 2] = np.einsum("phms,ms->ph", cast, triangles)
        per = self.like.pixels_per_radian(SCREEN_HEIGHT)
        out[..., 3] = np.einsum("phms,ms->ph", alpha, area) * per**2 / 1e6
        out[..., 4] = (plants * RECORD_BYTES + own_bytes(items))[:, None]
        return out

    def nothing(self) -> np.ndarray:
        """Loads (places, headings, 5) of nothing at all."""
        return np.zeros((*self.planes.shape[:2], len(LOADS)), np.float32)

    def _patches(
        self,
        planting: Planting,
        items: list[Item],
        reach: float | np.ndarray,
        region: Region | None = None,
        only: set[Sheet] | None = None,
    ) -> Iterator[tuple[Patch, np.ndarray]]:
        """A planting's plants in patches, each with the places whose views include it: those whose square
        of so many m to each side, for all of them or of each, touches it."""
        drawing, size = self.like.drawing, planting.sheet_size
        side = max(int(drawing.cell // size), 1)
        x, z = self.eyes[:, 0], self.eyes[:, 2]
        low = np.stack([(x - reach) // size, (z - reach) // size])
        high = np.stack([(x + reach) // size, (z + reach) // size])
        for row in range(0, planting.sheets[1], side):
            for column in range(0, planting.sheets[0], side):
                sheets = [
                    (i, j)
                    for j in range(row, min(row + side, planting.sheets[1]))
                    for i in range(column, min(column + side, planting.sheets[0]))
                ]
                if only is not None and only.isdisjoint(sheets):
                    continue
                there = (low[0] <= sheets[-1][0]) & (high[0] >= column)
                there &= (low[1] <= sheets[-1][1]) & (high[1] >= row)
                if there.any():
                    patch = patch_of(planting, sheets, items, drawing, True, region, planting.stand.sward)
                    yield patch, np.flatnonzero(there)

    def _near(self, patch: Patch, places: np.ndarray, reach: float) -> np.ndarray:
        """Those of the places that any plant of a patch may be near enough to."""
        if not len(patch.plants):
            return places[:0]
        box = patch.layout.box
        low, high = box[:, :3].min(axis=0), box[:, 3:].max(axis=0)
        off = np.maximum(np.maximum(low - self.eyes[places], self.eyes[places] - high), 0.0)
        return places[np.linalg.norm(off, axis=1) < reach]


def _is_tree(planting: Planting) -> bool:
    return planting.stand.stratum in TREES and not planting.stand.sward


def _flat(patch: Patch) -> tuple[np.ndarray, ...]:
    layout = patch.layout
    return patch.plants.form, patch.plants.item, layout.order, layout.first, layout.box
