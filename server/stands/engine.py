"""The planting of a level: the core's results for the database's state, kept by content key."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from server.cache import ContentCache
from server.levels.ground import digest_of
from server.levels.scene import Raster, Scene, digest, scene_of
from server.stands.baking import baked
from server.stands.claims import Claim, Parts, claims_of_pins, radii_of, reached_by, reaches, taken_by_stands
from server.stands.models import Stand
from server.stands.patching import Mark, in_order, note, patched, touch_blocks
from server.stands.schemas import StandSettings
from server.stands.seating import PLANT_CEILING, check_layout, followed, host_key, places
from server.stands.touch import TouchMap, touch_of
from thicket.ground.heights import Ground
from thicket.ground.shapes import kept_clear
from thicket.planting.density import density_at, density_field, expected_count
from thicket.planting.pins import NO_PINS, Pins, pinned_plants
from thicket.planting.points import PointSet, Seats, chosen, gathered
from thicket.planting.room import Discs, covered, crowded, near, taken, together
from thicket.planting.stands import Plants, grow, join, planted

ENGINE = 6
"""Raise it when the same input plants otherwise than before, so that no kept tile is mistaken for a new one."""
STAND_SHEET, SWARD_SHEET = 256.0, 64.0
SWARD_PER_M2_CEILING = 16.0

_density = ContentCache(48, 400 << 20)
_plants = ContentCache(20_000, 500 << 20)
_discs = ContentCache(20_000, 250 << 20)
_settings = ContentCache(400)
_said = ContentCache(400)

Sheet = tuple[int, int]
Box = tuple[float, float, float, float]


class Planting:
    """A stand with given settings and touch on a scene, ready to be counted and planted.

    `settings` may be a draft that is only tried; `touch` a map with a stroke that is only tried; `scene` the level as
    it would be with another ground or other shapes.
    """

    def __init__(self, stand: Stand, settings: StandSettings | None = None, touch: np.ndarray | None = None,
                 scene: Scene | None = None) -> None:
        self.stand, self.level = stand, stand.level
        self.scene = scene or scene_of(stand.level)
        self._settings_id = "" if settings else digest(stand.settings)
        self.settings = settings or _settings.get(self._settings_id, lambda: StandSettings.model_validate(stand.settings))
        self.core = self.settings.core(stand.number, stand.seed)
        given = self.scene.touches.get(stand.pk) if touch is None else touch
        if isinstance(given, TouchMap):
            self.__dict__["_touch"], given = given, None
        self._given_touch = given
        if given is None and "_touch" not in self.__dict__:
            self._revisions = self.scene.revisions.get(stand.pk, {})
        check_ceiling(self.scene, stand, self.settings)
        if self.settings.layout.kind in ("path", "rows"):
            check_layout(self)

    @property
    def sheet_size(self) -> float:
        """Plants are handed out in square sheets of this many m."""
        return SWARD_SHEET if self.stand.sward else STAND_SHEET

    @property
    def sheets(self) -> tuple[int, int]:
        """Columns and rows of sheets."""
        return int(-(-self.scene.width // self.sheet_size)), int(-(-self.scene.length // self.sheet_size))

    @property
    def ground(self) -> Ground:
        return self.scene.ground

    @cached_property
    def _touch(self):
        return touch_of(self.stand, self._revisions)

    @property
    def touch(self) -> np.ndarray:
        return self._touch.array if self._given_touch is None else self._given_touch

    @property
    def touch_cell(self) -> float:
        return self.scene.touch_cell

    @cached_property
    def suitability(self) -> Raster:
        return self.scene.suitability(self.settings.rules())

    @cached_property
    def size_factor(self) -> Raster | None:
        return self.scene.size_factor(self.settings.rules())

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

    def _taken(self, box: Box) -> Discs:
        """What stands above leave no room for, near a box."""
        if box not in self._taken_up:
            self._taken_up[box] = together([discs for _, discs in self._taken_parts(box).values()])
        return self._taken_up[box]

    def _taken_parts(self, box: Box) -> Parts:
        """The same in parts, by stand and sheet."""
        if box not in self._parts:
            self._parts[box] = taken_by_stands(self, box, box in self._windows)
        return self._parts[box]

    @cached_property
    def _windows(self) -> set[Box]:
        return {self.window(sheet) for sheet in self.sheets_in(self.everywhere)} | {self.everywhere}

    @cached_property
    def _parts(self) -> dict[Box, Parts]:
        return {}

    def _claims(self, box: Box) -> list[Claim]:
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
        free = ~taken(self._taken(box), x, z, r, self.settings.gap) & ~kept_clear(self._clearing(box), r, x, z)
        for claim in self._claims(box):
            free &= ~taken(claim.discs, x, z, wide if claim.crowns else r, claim.gap)
        if len(self.pins.replaced):
            free &= ~np.isin(plants.id, self.pins.replaced)
        if self._may_crowd:
            free &= ~crowded(x, z, r, thresholds, self.settings.gap)
        return free

    @property
    def _may_crowd(self) -> bool:
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

        if self._given_touch is not None:
            made = make()
        else:
            key = (self.suitability.whole_digest, self.stand.pk, self.stand.sward, self.scene.cell,
                   tuple(sorted(self._touch.revisions.items())), self.touch_cell,
                   self.stand.sward and (tuple(self.scene.clearing(self.settings.clear_of)), digest_of(np.stack(self._gaps))))
            made = _density.get(key, make)
        return made.field, made.cell

    @cached_property
    def _gaps(self) -> Discs:
        """What the trunks of stands above, with the gap, take from a sward anywhere."""
        above = self._taken(self.everywhere)
        parts = [Discs(above.x, above.z, above.r + self.settings.gap)]
        parts += [Discs(c.discs.x, c.discs.z, c.discs.r + c.gap) for c in self._claims(self.everywhere)]
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
        x0, z0 = sheet[0] * self.sheet_size, sheet[1] * self.sheet_size
        return x0, z0, min(x0 + self.sheet_size, self.scene.width), min(z0 + self.sheet_size, self.scene.length)

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
    def _settings_key(self) -> str:
        def said() -> str:
            return digest(self.settings.dict(exclude={"distances", "tints", "conditions"}))

        kept = _said.get(self._settings_id, said) if self._settings_id else said()
        paths = [(n, self.scene.shapes[n].points, self.scene.shapes[n].width) for n in followed(self)]
        return digest(ENGINE, self.stand.number, self.stand.seed, self.sheet_size, self.scene.heights.key,
                      self.radii.tolist(), self.items, kept, paths)

    def key(self, sheet: Sheet) -> str:
        """The content key of a sheet: equal inputs give equal keys, so an undone stroke brings the old one back."""
        if sheet not in self._keys:
            box = self.window(sheet)
            near_cells = self.cells(box, self.scene.cell)
            sized = self.size_factor
            shapes = [(s.kind, s.points, s.width, s.clear) for s in self._clearing(box)]
            touched = self._touch_digest(self.cells(self._grown(box), self.touch_cell))
            taken_up = digest_of(np.stack(self._taken(box)))
            driven = [drive and drive.digest(near_cells) for drive in self.drives]
            self._still[sheet] = digest(self._settings_key, sheet, self.suitability.digest(near_cells),
                                        sized and sized.digest(near_cells), self.touch_cell, shapes, driven,
                                        self._pin_digest(box), self.host and host_key(self, sheet))
            self._keys[sheet] = digest(self._still[sheet], touched, taken_up)
        return self._keys[sheet]

    def _mark(self, sheet: Sheet) -> Mark:
        """What identifies all that a sheet's plants follow from, part by part."""
        box = self.window(sheet)
        blocks, origin = touch_blocks(self.touch, self.cells(self._grown(box), self.touch_cell))
        key = self.key(sheet)
        return Mark(self._still[sheet], blocks, origin, self._taken_parts(box), key)

    @cached_property
    def _still(self) -> dict[Sheet, str]:
        return {}

    def _pin_digest(self, box: Box) -> list:
        """What identifies the pins that have a say in a box."""
        said = [(c.crowns, c.gap, digest_of(np.stack(c.discs))) for c in self._claims(self._grown(box))]
        pins, home = self.pins, self.pins.home
        if len(pins.replaced):
            here = self._inside(self._grown(box), home[:, 0], home[:, 1])
            said.append(pins.replaced[here].tolist())
        if len(pins.id):
            here = self._inside(box, pins.x, pins.z)
            said.append([digest_of(column[here]) for column in (self.pinned.id, self.pinned.form, self.pinned.item)])
        return said

    @staticmethod
    def _inside(box: Box, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        return (x >= box[0]) & (x < box[2]) & (z >= box[1]) & (z < box[3])

    @cached_property
    def _keys(self) -> dict[Sheet, str]:
        return {}

    @property
    def crowding(self) -> float:
        """How far apart, in m, two of its own plants can give way to each other."""
        return 2 * self.footprint + self.settings.gap if self._may_crowd else 0.0

    def _grown(self, box: Box) -> Box:
        """A box with as much around it as its own plants can give way to."""
        by = self.crowding
        return box[0] - by, box[1] - by, box[2] + by, box[3] + by

    def _touch_digest(self, cells: tuple[int, int, int, int]) -> str:
        if self._given_touch is None:
            return self._touch.digest(cells)
        col0, row0, col1, row1 = cells
        part = np.ascontiguousarray(self._given_touch[max(row0, 0):row1, max(col0, 0):col1])
        return hashlib.blake2b(part, digest_size=8).hexdigest()

    @staticmethod
    def cells(box: Box, cell: float) -> tuple[int, int, int, int]:
        """The cells that what is interpolated in a box of level metres is read from."""
        return int(box[0] / cell) - 1, int(box[1] / cell) - 1, int(np.ceil(box[2] / cell)) + 1, int(np.ceil(box[3] / cell)) + 1

    def _clearing(self, box: Box) -> list:
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
                points = chosen(points, self._inside(box, points.x, points.z))
            parts.append(points)
        return gathered(parts)

    def plants_in(self, box: Box, touch: np.ndarray | None = None, origin: tuple[float, float] = (0.0, 0.0)) -> Plants:
        """The plants inside a box of level metres, half open; touch may be a window's, beginning at `origin`."""
        grown = self._grown(box)
        points = self._candidates(grown)
        which = np.flatnonzero(self.wanted(points, touch, origin))
        factor = self.size_factor
        plants = grow(self.core, points, which, self.ground, None if factor is None else factor.array,
                      [drive and drive.array for drive in self.drives])
        free = self._has_room(plants, points.threshold[which], grown)
        if grown != box:
            free &= self._inside(box, points.x[which], points.z[which])
        plants = plants if free.all() else plants.take(free)
        if not len(self.pins.id):
            return plants
        return join([plants, self.pinned.take(self._inside(box, self.pins.x, self.pins.z))])

    def plants(self, sheet: Sheet) -> Plants:
        """The plants of a sheet."""
        box = self.window(sheet)
        key = self.key(sheet)

        def make() -> Plants:
            if self.stand.sward:
                return in_order(self.plants_in(box))
            mark = self._mark(sheet)
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
        for part in (self.suitability, self.size_factor, self.drives, self.pinned, self._reaches, self._settings_key, self.touch):
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

    @property
    def has_keys(self) -> bool:
        """Whether any of its sheets' keys has been asked for."""
        return bool(self._keys)

    def take_over(self, was: Planting, region: Box | None) -> None:
        """Take the sheets' keys over from a forerunner that differs only inside a region."""
        for sheet, key in was._keys.items():
            x0, z0, x1, z1 = self.window(sheet)
            if region is None or x0 > region[2] or z0 > region[3] or x1 < region[0] or z1 < region[1]:
                self._keys[sheet], self._still[sheet] = key, was._still[sheet]

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


def check_ceiling(scene: Scene, stand: Stand, settings: StandSettings) -> None:
    """Refuse a spacing so small that the level would hold too many plants."""
    per_m2 = settings.core(stand.number, stand.seed).per_m2
    if stand.sward and per_m2 > SWARD_PER_M2_CEILING + 0.5:
        raise ValueError(f"spacing: {settings.spacing:g} m means {per_m2:.1f} tufts per m²; "
                         f"the ceiling is {SWARD_PER_M2_CEILING:g}")
    total = per_m2 * scene.width * scene.length
    if settings.layout.kind == "free" and not stand.sward and total > PLANT_CEILING:
        raise ValueError(f"spacing: {settings.spacing:g} m means up to {total:,.0f} plants of {stand.name} in this level; "
                         f"the ceiling is {PLANT_CEILING:,}")
