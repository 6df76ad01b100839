"""The planting of a level: the core's results for the database's state, kept by content key."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from server.cache import ContentCache
from server.levels.ground import digest_of
from server.levels.scene import Raster, Scene, digest, scene_of
from server.stands.baking import baked
from server.stands.claims import Claim, Parts, asks_for, claims_of_pins, radii_of, reached_by, reaches, taken_by_stands
from server.stands.keys import SheetKeys
from server.stands.models import Stand
from server.stands.patching import apart, in_order, note, patched
from server.stands.schemas import StandSettings
from server.stands.seating import PLANT_CEILING, check_layout, followed, places
from server.stands.touch import TouchMap, touch_of
from thicket.ground.heights import Ground
from thicket.ground.shapes import kept_clear
from thicket.planting.density import density_at, density_field, expected_count
from thicket.planting.hashing import absent
from thicket.planting.pins import NO_PINS, Pins, pinned_plants
from thicket.planting.points import PointSet, Seats, chosen, gathered
from thicket.planting.room import Discs, covered, crowded, near, taken, together
from thicket.planting.stands import Plants, grow, join, planted
from thicket.planting.stands import Stand as CoreStand
from thicket.site.conditions import Condition

STAND_SHEET, SWARD_SHEET = 256.0, 64.0
SWARD_PER_M2_CEILING = 16.0

STILL = ("rules", "suitability", "size_factor", "drives", "pins", "items", "pinned", "host_scale", "tallest", "radii", "_reaches",
         "may_crowd", "crowding", "room", "_claimed")
"""What a planting has worked out that follows neither from its touch nor from the room that others leave."""

_density = ContentCache(48, 400 << 20)
_plants = ContentCache(20_000, 500 << 20)
_discs = ContentCache(20_000, 250 << 20)
_settings, _rules = ContentCache(400), ContentCache(400)

Sheet = tuple[int, int]
Box = tuple[float, float, float, float]


@lru_cache(20_000)
def _window(sheet: Sheet, size: float, extent: tuple[float, float]) -> Box:
    x0, z0 = sheet[0] * size, sheet[1] * size
    return x0, z0, min(x0 + size, extent[0]), min(z0 + size, extent[1])


class Planting:
    """A stand with given settings and touch on a scene, ready to be counted and planted.

    `settings` may be a draft that is only tried; `touch` a map with a stroke that is only tried; `scene` the level as
    it would be with another ground or other shapes.
    """

    def __init__(self, stand: Stand, settings: StandSettings | None = None, touch: np.ndarray | None = None,
                 scene: Scene | None = None) -> None:
        self.stand, self.level = stand, stand.level
        self.scene = scene or scene_of(stand.level)
        self.settings_id = "" if settings else digest(stand.settings)
        self.settings = settings or _settings.get(self.settings_id, lambda: StandSettings.model_validate(stand.settings))
        self.core = self.settings.core(stand.number, stand.seed)
        given = self.scene.touches.get(stand.pk) if touch is None else touch
        if isinstance(given, TouchMap):
            self.__dict__["touch_map"], given = given, None
        self.given_touch = given
        self.changed_in: tuple[dict[Sheet, str], Box | None] | None = None
        if given is None and "touch_map" not in self.__dict__:
            self._revisions = self.scene.revisions.get(stand.pk, {})
        check_ceiling(self.scene, stand, self.settings, self.core)
        if self.settings.layout.kind in ("path", "rows"):
            check_layout(self)

    @property
    def sheet_size(self) -> float:
        """Plants are handed out in square sheets of this many m."""
        return SWARD_SHEET if self.stand.sward else STAND_SHEET

    @cached_property
    def sheets(self) -> tuple[int, int]:
        """Columns and rows of sheets."""
        return int(-(-self.scene.width // self.sheet_size)), int(-(-self.scene.length // self.sheet_size))

    @property
    def ground(self) -> Ground:
        return self.scene.ground

    @cached_property
    def touch_map(self):
        return touch_of(self.stand, self._revisions)

    @property
    def touch(self) -> np.ndarray:
        return self.touch_map.array if self.given_touch is None else self.given_touch

    @property
    def touch_cell(self) -> float:
        return self.scene.touch_cell

    @cached_property
    def rules(self) -> list[Condition]:
        """The stand's conditions as the core combines them."""
        return _rules.get(self.settings_id, self.settings.rules) if self.settings_id else self.settings.rules()

    @cached_property
    def suitability(self) -> Raster:
        return self.scene.suitability(self.rules)

    @cached_property
    def size_factor(self) -> Raster | None:
        return self.scene.size_factor(self.rules)

    @cached_property
    def drives(self) -> list[Raster | None]:
        """What each item's weight is multiplied by over the ground."""
        return [entry.drive and self.scene.suitability([entry.drive.core()]) for entry in self.settings.mix]

    @cached_property
    def pins(self) -> Pins:
        """The stand's pins."""
        return self.scene.pins.get(self.stand.pk, NO_PINS)

    @cached_property
    def items(self) -> list[str]:
        """The slugs that a plant's item counts through: the mix's, then those of pins that are no longer in it."""
        mix = [entry.item for entry in self.settings.mix]
        return mix + sorted(self.pins.slugs - set(mix))

    @cached_property
    def pinned(self) -> Plants:
        """The pins as plants on the ground."""
        return pinned_plants(self.pins, self.items, self.ground)

    @property
    def host(self) -> int:
        """Number of the stand whose plants this one stands on; 0 for none."""
        return self.settings.layout.host if self.settings.layout.kind == "anchors" else 0

    @cached_property
    def host_scale(self) -> float:
        """The most that the host's size multiplies this stand's."""
        stand = self.scene.stands.get(self.host)
        return self.scene.planting(stand).tallest if stand else 1.0

    @cached_property
    def tallest(self) -> float:
        """The most that a mesh of this stand can be multiplied by in any direction."""
        rule = float(max(self.core.largest.max(), self.core.item_sizes[:, 1].max())) * self.host_scale
        return max(rule, float(self.pins.rest[:, 4:6].max(initial=0.0)))

    @cached_property
    def radii(self) -> np.ndarray:
        """Crown and trunk radius in m of each item, (n, 2)."""
        return radii_of(self)

    @cached_property
    def _reaches(self) -> tuple[float, float]:
        return reaches(self)

    @property
    def footprint(self) -> float:
        """Radius in m of the thickest trunk that can stand."""
        return self._reaches[1]

    @property
    def widest(self) -> float:
        """Radius in m of the widest crown, or trunk, that can stand."""
        return self._reaches[0]

    def discs(self, box: Box, room: float, crowns: bool) -> Discs:
        """The footprints of this stand's plants that come within `room` m of a box: crowns or trunks."""
        return together([near(self.discs_of(sheet, crowns), box, room) for sheet in self.sheets_reaching(box, room, crowns)])

    def sheets_reaching(self, box: Box, room: float, crowns: bool) -> list[Sheet]:
        """The sheets whose plants can come within `room` m of a box with their crowns or their trunks."""
        reach = room + (self.widest if crowns else self.footprint)
        return list(self.sheets_in((box[0] - reach, box[1] - reach, box[2] + reach, box[3] + reach)))

    @cached_property
    def above(self) -> list[Planting]:
        """The plantings that claim room before this one, but for the host it stands on."""
        return [other for other in self.scene.above(self.stand) if other.stand.number != self.host]

    @cached_property
    def pinned_below(self) -> list[Planting]:
        """The plantings of this stand and those below it that have pins standing."""
        return self.scene.pinned_from(self.stand)

    def discs_of(self, sheet: Sheet, crowns: bool) -> Discs:
        """The footprints of a sheet's plants."""

        def make() -> Discs:
            plants = self.plants(sheet)
            form = plants.form
            radius = self.radii.max(axis=1) if crowns else self.radii[:, 1]
            return Discs(form[:, 0].astype(float), form[:, 2].astype(float), radius[plants.item] * form[:, 7].astype(float))

        return _discs.get((self.key(sheet), crowns), make)

    def taken(self, box: Box) -> Discs:
        """What stands above leave no room for, near a box."""
        if box not in self._taken_up:
            around = self._window_around(box)
            if around is not None and around != box:
                return near(self.taken(around), box, self.room)
            self._taken_up[box] = together([discs for _, discs in self.taken_parts(box).values()])
        return self._taken_up[box]

    def taken_parts(self, box: Box) -> Parts:
        """The same in parts, by stand and sheet."""
        if box not in self._parts:
            keep = box == self.everywhere or box == self._window_around(box)
            if box in self._parts_before:
                before, changed = self._parts_before.pop(box)
                parts = {part: said for part, said in before.items() if part[0] not in changed}
                self._parts[box] = parts | taken_by_stands(self, box, keep, changed)
            else:
                self._parts[box] = taken_by_stands(self, box, keep)
        return self._parts[box]

    @cached_property
    def room(self) -> float:
        """How near, in m, a footprint of a stand above can come to a place before it is in the way there."""
        return self.settings.gap + (0.0 if self.stand.sward else self.footprint)

    def _window_around(self, box: Box) -> Box | None:
        """The window of the sheet that a box lies in, when it lies in one."""
        size = self.sheet_size
        x0, z0, x1, z1 = window = self.window((int(box[0] // size), int(box[1] // size)))
        return window if x0 <= box[0] and z0 <= box[1] and x1 >= box[2] and z1 >= box[3] else None

    @cached_property
    def _parts(self) -> dict[Box, Parts]:
        return {}

    @cached_property
    def _parts_before(self) -> dict[Box, tuple[Parts, frozenset[int]]]:
        """Parts as they were before a change, and the stands, by number, of which they are to be found again."""
        return {}

    def claims(self, box: Box) -> list[Claim]:
        """What pins claim before this stand's own plants, near a box."""
        if box not in self._claimed:
            self._claimed[box] = claims_of_pins(self, box)
        return self._claimed[box]

    @cached_property
    def _claimed(self) -> dict[Box, list[Claim]]:
        return {}

    @cached_property
    def _taken_up(self) -> dict[Box, Discs]:
        return {}

    def _has_room(self, plants: Plants, thresholds: np.ndarray, box: Box) -> np.ndarray:
        """Which plants inside a box stand in no other's footprint."""
        x, z = plants.form[:, 0].astype(float), plants.form[:, 2].astype(float)
        crown, trunk = self.radii.max(axis=1), self.radii[:, 1]
        r, wide = (np.zeros(len(plants)) if self.stand.sward else column[plants.item] * plants.form[:, 7].astype(float)
                   for column in (trunk, crown))
        free = ~taken(self.taken(box), x, z, r, self.settings.gap) & ~kept_clear(self.clearing(box), r, x, z)
        for claim in self.claims(box):
            free &= ~taken(claim.discs, x, z, wide if claim.crowns else r, claim.gap)
        if len(self.pins.replaced):
            free &= ~np.isin(plants.id, self.pins.replaced)
        if self.may_crowd:
            free &= ~crowded(x, z, r, thresholds, self.settings.gap)
        return free

    @cached_property
    def may_crowd(self) -> bool:
        """Whether the stand's own footprints can overlap at its spacing."""
        if self.stand.sward or not self.footprint + self.settings.gap:
            return False
        return self.settings.layout.kind != "free" or 2 * self.footprint + self.settings.gap > self.core.spacing

    @cached_property
    def _density(self) -> tuple[np.ndarray, float]:
        def make() -> Layered:
            field, cell = density_field(self.suitability.array, self.scene.cell, self.touch, self.touch_cell)
            if self.stand.sward:
                shut = covered(self._gaps, cell, field.shape)
                field = field * self.scene.openness(self.settings.clear_of, cell, field.shape) * (1 - shut)
            return Layered(field, cell)

        if self.given_touch is not None:
            made = make()
        else:
            key = (self.suitability.whole_digest, self.stand.pk, self.stand.sward, self.scene.cell,
                   tuple(sorted(self.touch_map.revisions.items())), self.touch_cell,
                   self.stand.sward and (tuple(self.scene.clearing(self.settings.clear_of)), digest_of(np.stack(self._gaps))))
            made = _density.get(key, make)
        return made.field, made.cell

    @cached_property
    def _gaps(self) -> Discs:
        """What the trunks of stands above, with the gap, take from a sward anywhere."""
        above = self.taken(self.everywhere)
        parts = [Discs(above.x, above.z, above.r + self.settings.gap)]
        parts += [Discs(c.discs.x, c.discs.z, c.discs.r + c.gap) for c in self.claims(self.everywhere)]
        return together(parts)

    @property
    def density(self) -> np.ndarray:
        """Density float32 at the centres of cells of `density_cell` m; of a sward, what shapes leave of it."""
        return self._density[0]

    @property
    def density_cell(self) -> float:
        return self._density[1]

    def window(self, sheet: Sheet) -> Box:
        """The ground of a sheet (column, row), cut at the level's edge."""
        return _window(sheet, self.sheet_size, self._extent)

    @cached_property
    def _extent(self) -> tuple[float, float]:
        return self.scene.width, self.scene.length

    def sheets_in(self, box: Box) -> Iterator[Sheet]:
        """The sheets that a box in level metres touches."""
        columns, rows = self.sheets
        size = self.sheet_size
        for row in range(max(int(box[1] // size), 0), min(int(box[3] // size) + 1, rows)):
            for column in range(max(int(box[0] // size), 0), min(int(box[2] // size) + 1, columns)):
                yield column, row

    @property
    def everywhere(self) -> Box:
        return 0.0, 0.0, self.scene.width - 1e-6, self.scene.length - 1e-6

    def points(self, sheet: Sheet) -> PointSet | Seats:
        """The places of a sheet."""
        return places(self, sheet)

    @cached_property
    def keys(self) -> SheetKeys:
        """The content keys of its sheets."""
        return SheetKeys(self)

    def key(self, sheet: Sheet) -> str:
        """The content key of a sheet: equal inputs give equal keys, so an undone stroke brings the old one back."""
        return self.keys.of(sheet)

    @staticmethod
    def inside(box: Box, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        return (x >= box[0]) & (x < box[2]) & (z >= box[1]) & (z < box[3])

    @cached_property
    def crowding(self) -> float:
        """How far apart, in m, two of its own plants can give way to each other."""
        return 2 * self.footprint + self.settings.gap if self.may_crowd else 0.0

    def grown(self, box: Box) -> Box:
        """A box with as much around it as its own plants can give way to."""
        by = self.crowding
        return box[0] - by, box[1] - by, box[2] + by, box[3] + by

    @staticmethod
    def cells(box: Box, cell: float) -> tuple[int, int, int, int]:
        """The cells that what is interpolated in a box of level metres is read from."""
        return int(box[0] / cell) - 1, int(box[1] / cell) - 1, int(np.ceil(box[2] / cell)) + 1, int(np.ceil(box[3] / cell)) + 1

    def clearing(self, box: Box) -> list:
        """The shapes that keep plants away from somewhere in a box."""
        own = [self.scene.shapes[n] for n in followed(self)] if self.settings.layout.kind == "path" else []
        return [s for s in self.scene.clearing(self.settings.clear_of) if s not in own
                and all(s.box[k] - s.clear - self.footprint < box[k + 2] and s.box[k + 2] + s.clear + self.footprint > box[k]
                       for k in (0, 1))]

    def wanted(self, points: PointSet, touch: np.ndarray | None = None,
               origin: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
        """Which of the points would carry a plant had it room; touch may be a window's, beginning at `origin`."""
        return planted(self.core, points, self.density_at(points, touch, origin))

    def density_at(self, points: PointSet, touch: np.ndarray | None = None,
                   origin: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
        """Density at places, float32 (n,)."""
        touch = self.touch if touch is None else touch
        return density_at(self.suitability.array, self.scene.cell, touch, self.touch_cell, points.x, points.z, origin)

    def _candidates(self, box: Box) -> PointSet | Seats:
        """All places inside a box, half open."""
        parts = []
        for sheet in self.sheets_in(box):
            points = self.points(sheet)
            if box != self.window(sheet):
                points = chosen(points, self.inside(box, points.x, points.z))
            parts.append(points)
        return gathered(parts)

    def plants_in(self, box: Box, touch: np.ndarray | None = None, origin: tuple[float, float] = (0.0, 0.0)) -> Plants:
        """The plants inside a box of level metres, half open; touch may be a window's, beginning at `origin`."""
        grown = self.grown(box)
        points = self._candidates(grown)
        which = np.flatnonzero(self.wanted(points, touch, origin))
        plants = self._grown_at(points, which)
        free = self._has_room(plants, points.threshold[which], grown)
        if grown != box:
            free &= self.inside(box, points.x[which], points.z[which])
        plants = plants if free.all() else plants.take(free)
        if not len(self.pins.id):
            return plants
        return join([plants, self.pinned.take(self.inside(box, self.pins.x, self.pins.z))])

    def difference_in(self, box: Box, was: np.ndarray, now: np.ndarray) -> tuple[int, int]:
        """Plants gained and lost in a box of level metres when its touch, which begins there, changes."""
        if self.may_crowd:
            before, after = (self.plants_in(box, touch, box[:2]).id for touch in (was, now))
            return int(absent(after.view(np.int64), before.view(np.int64)).sum()), int(
                absent(before.view(np.int64), after.view(np.int64)).sum())
        points = self._candidates(box)
        before, after = (self.wanted(points, touch, box[:2]) for touch in (was, now))
        which = np.flatnonzero(before != after)
        free = self._has_room(self._grown_at(points, which), points.threshold[which], box)
        return int((free & after[which]).sum()), int((free & before[which]).sum())

    def _grown_at(self, points: PointSet | Seats, which: np.ndarray) -> Plants:
        """The plants at some of the places, whether they have room or not."""
        factor = self.size_factor
        return grow(self.core, points, which, self.ground, None if factor is None else factor.array,
                    [drive and drive.array for drive in self.drives])

    def plants(self, sheet: Sheet) -> Plants:
        """The plants of a sheet."""
        box = self.window(sheet)
        key = self.key(sheet)

        def make() -> Plants:
            if self.stand.sward:
                return in_order(self.plants_in(box))
            mark = self.keys.mark(sheet)
            found = patched(self, sheet, mark, _plants.peek)
            if found is None:
                found = baked(self.level, key)
            if found is None:
                found = in_order(self.plants_in(box))
            note(self, sheet, mark)
            return found

        return _plants.get(key, make)

    def ready(self) -> None:
        """Read and work out all that sheets share, so that threads find it done."""
        for part in (self.suitability, self.size_factor, self.drives, self.pinned, self._reaches, self.keys.settings, self.touch):
            del part

    def let_go(self) -> None:
        """Let go of the rasters, which are read again when they are asked for."""
        for name in ("suitability", "size_factor", "drives", "_density"):
            self.__dict__.pop(name, None)

    def around(self, box: Box) -> Box:
        """The ground on which a change of its touch inside a box can change its plants."""
        by = 2 * self.touch_cell + self.crowding
        return box[0] - by, box[1] - by, box[2] + by, box[3] + by

    def reached_by(self, changed: dict[int, Box]) -> Box | None:
        """The ground on which its plants can change when those of other stands, by number, change in these boxes."""
        return reached_by(self, changed)

    def take_over(self, was: Planting, region: Box | None, changed: dict[int, Box]) -> None:
        """Take over from a forerunner what cannot have changed: it differs only inside a region, there in its own touch, or, when
        other stands have changed, by number, in what follows from those."""
        room_only = bool(changed) and not asks_for(self, changed)
        self.keys.take_over(was.keys, region, not changed or room_only, not changed)
        if not changed or room_only:
            self.__dict__.update((name, was.__dict__[name]) for name in STILL if name in was.__dict__)
        self.changed_in = was.keys.at_hand, region
        if not changed:
            self.__dict__.update(_parts=was._parts, _taken_up=was._taken_up)
            return
        for box, parts in list(was._parts.items()):
            if region is None or apart(box, region):
                self._parts[box] = parts
            else:
                self._parts_before[box] = parts, frozenset(changed)

    def metres(self, cells: tuple[int, int, int, int]) -> Box:
        """A box of touch cells (col0, row0, col1, row1) in level metres."""
        return tuple(v * self.touch_cell for v in cells)  # type: ignore[return-value]

    def count(self) -> int:
        """Plants in the level: counted, or for a sward reckoned from its density field."""
        if self.stand.sward:
            return round(expected_count(self.density, self.core.fullness, self.density_cell, self.core.per_m2))
        return sum(len(self.plants(sheet)) for sheet in self.sheets_in(self.everywhere))


def planting_of(stand: Stand) -> Planting:
    """A stand's planting as the level is stored."""
    return scene_of(stand.level).planting(stand)


@dataclass(frozen=True, eq=False)
class Layered:
    """A density field and the size of its cells in m."""

    field: np.ndarray
    cell: float

    @property
    def nbytes(self) -> int:
        return self.field.nbytes


def check_ceiling(scene: Scene, stand: Stand, settings: StandSettings, core: CoreStand | None = None) -> None:
    """Refuse a spacing so small that the level would hold too many plants."""
    per_m2 = (core or settings.core(stand.number, stand.seed)).per_m2
    if stand.sward and per_m2 > SWARD_PER_M2_CEILING + 0.5:
        raise ValueError(f"spacing: {settings.spacing:g} m means {per_m2:.1f} tufts per m²; "
                         f"the ceiling is {SWARD_PER_M2_CEILING:g}")
    total = per_m2 * scene.width * scene.length
    if settings.layout.kind == "free" and not stand.sward and total > PLANT_CEILING:
        raise ValueError(f"spacing: {settings.spacing:g} m means up to {total:,.0f} plants of {stand.name} in this level; "
                         f"the ceiling is {PLANT_CEILING:,}")
