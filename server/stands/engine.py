"""The planting of a level: the core's results for the database's state, kept by content key."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from server.levels.scene import Scene, scene_of
from server.stands.baking import baked
from server.stands.claims import asks_for, reached_by
from server.stands.keys import SheetKeys
from server.stands.models import Stand
from server.stands.patching import apart, in_order, note, patched
from server.stands.rooming import Rooming
from server.stands.seating import PLANT_CEILING, check_layout, places
from server.stands.sheets import Box, Sheet
from server.stands.touch import TouchMap, touch_of
from thicket.cache import ContentCache
from thicket.document.settings import StandSettings
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape
from thicket.hashing import Raster, digest_of
from thicket.planting.density import density_at, density_field, expected_count
from thicket.planting.hashing import absent
from thicket.planting.pins import NO_PINS, Pins, pinned_plants
from thicket.planting.points import PointSet, Seats, chosen, gathered
from thicket.planting.room import covered
from thicket.planting.stands import Plants, grow, join, planted
from thicket.planting.trails import laid_over, trails_near
from thicket.refused import Refused
from thicket.site.conditions import Condition

SWARD_PER_M2_CEILING = 16.0
MANY = 300_000
"""A stand that could have so many plants is not counted while somebody waits."""

SAME = ("rules", "pins", "items", "pinned", "host_scale", "tallest", "radii", "_reaches", "may_crowd", "crowding", "room",
        "_claimed")
"""What a planting has worked out that follows neither from its touch nor from other stands' plants."""
ASKED = ("suitability", "size_factor", "drives")
"""What follows from the ground, and from those stands' plants that it asks for."""

_density = ContentCache(48)
_plants = ContentCache(20_000)
_settings, _rules = ContentCache(400), ContentCache(400)

class Planting(Rooming):
    """A stand with given settings and touch on a scene, ready to be counted and planted.

    `settings` may be a draft that is only tried; `touch` a map with a stroke that is only tried; `scene` the level as
    it would be with another ground or other shapes.
    """

    def __init__(self, stand: Stand, settings: StandSettings | None = None, touch: np.ndarray | None = None,
                 scene: Scene | None = None, checked: bool = True) -> None:
        self.stand, self.level = stand, stand.level
        self.scene = scene or scene_of(stand.level)
        self.settings_id = "" if settings else self.scene.settings_id(stand)
        self.settings = settings or _settings.get(self.settings_id, lambda: StandSettings.model_validate(stand.settings))
        self.core = self.settings.core(stand.number, stand.seed)
        given = self.scene.touches.get(stand.pk) if touch is None else touch
        if isinstance(given, TouchMap):
            self.__dict__["touch_map"], given = given, None
        self.given_touch = given
        self.changed_in: tuple[dict[Sheet, str], Box | None] | None = None
        if given is None and "touch_map" not in self.__dict__:
            self._revisions = self.scene.revisions.get(stand.pk, {})
        if checked:
            self._check_ceiling()
        if self.settings.layout.kind in ("path", "rows"):
            check_layout(self)

    @property
    def ground(self) -> Ground:
        return self.scene.ground

    @cached_property
    def touch_map(self):
        return touch_of(self.stand, self._revisions)

    @property
    def touch(self) -> np.ndarray:
        """The whole touch; costs as much as the level is wide and long."""
        return self.touch_map.array if self.given_touch is None else self.given_touch

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
    def _density(self) -> tuple[np.ndarray, float]:
        def make() -> Layered:
            field, cell = density_field(self.suitability.array, self.scene.cell, self.touch, self.touch_cell)
            if self.stand.sward:
                field = field * self.scene.openness(self.settings.clear_of, cell, field.shape)
                shut = covered(self._gaps, cell, field.shape)
                field *= np.subtract(np.float32(1), shut, out=shut)
            return Layered(field, cell)

        if self.given_touch is not None:
            made = make()
        else:
            key = (self.suitability.whole_digest, self.stand.pk, self.stand.sward, self.scene.cell,
                   tuple(sorted(self.touch_map.revisions.items())), self.touch_cell,
                   self.stand.sward and (tuple(self.scene.clearing(self.settings.clear_of)), digest_of(np.stack(self._gaps))))
            made = _density.get(key, make)
        return made.field, made.cell

    @property
    def density(self) -> np.ndarray:
        """Density float32 at the centres of cells of `density_cell` m; of a sward, what shapes leave of it."""
        return self._density[0]

    @property
    def density_cell(self) -> float:
        return self._density[1]

    def trails(self, box: Box) -> list[Shape]:
        """The paths that lay its plants over somewhere in a box."""
        return trails_near(list(self.scene.shapes.values()), self.stand.stratum, box)

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

    def wanted(self, points: PointSet, touch: np.ndarray | None = None,
               origin: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
        """Which of the points would carry a plant had it room; touch may be a window's, beginning at `origin`."""
        return planted(self.core, points, self.density_at(points, touch, origin))

    def density_at(self, points: PointSet, touch: np.ndarray | None = None,
                   origin: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
        """Density at places, float32 (n,)."""
        touch, begins = self._touch_around(points) if touch is None else (touch, [round(v / self.touch_cell) for v in origin])
        return density_at(self.suitability.array, self.scene.cell, touch, self.touch_cell, points.x, points.z, begins)

    def _touch_around(self, points: PointSet | Seats) -> tuple[np.ndarray, tuple[int, int]]:
        """Touch around all of some places, and the column and row it begins at."""
        if self.given_touch is not None:
            return self.given_touch, (0, 0)
        x, z = (points.x, points.z) if len(points.x) else (np.zeros(1), np.zeros(1))
        box = float(x.min()), float(z.min()), float(x.max()), float(z.max())
        return self.touch_map.window(self.cells(box, self.touch_cell))

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
        plants = laid_over(plants if free.all() else plants.take(free), self.trails(box))
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
        for part in (self.suitability, self.size_factor, self.drives, self.pinned, self._reaches, self.keys.settings,
                     self.given_touch is None and self.touch_map):
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

    def resemble(self, was: Planting) -> None:
        """Take over from a forerunner what does not follow from any stand's plants or touch."""
        self.__dict__.update((name, was.__dict__[name]) for name in SAME if name in was.__dict__)

    def take_over(self, was: Planting, region: Box | None, changed: dict[int, Box]) -> None:
        """Take over from a forerunner what cannot have changed: it differs only inside a region, there in its own touch, or, when
        other stands have changed, by number, in what follows from those."""
        room_only = bool(changed) and not asks_for(self, changed)
        self.keys.take_over(was.keys, region, not changed or room_only, not changed)
        if not changed or room_only:
            self.__dict__.update((name, was.__dict__[name]) for name in ASKED if name in was.__dict__)
        self.changed_in = was.keys.at_hand, region
        if not changed:
            self.__dict__.update(_parts=was._parts, _taken_up=was._taken_up)
            return
        for box, parts in list(was._parts.items()):
            if region is None or apart(box, region):
                self._parts[box] = parts
            else:
                self._parts_before[box] = parts, frozenset(changed)

    def expected(self) -> float:
        """About how many plants stand if all have room: what density and fullness give over the level."""
        return expected_count(self.density, self.core.fullness, self.density_cell, self.core.per_m2)

    def count(self) -> int:
        """Plants in the level: counted, or for a sward reckoned from its density field."""
        if self.stand.sward:
            return round(self.expected())
        return sum(len(self.plants(sheet)) for sheet in self.sheets_in(self.everywhere))

    @property
    def at_hand(self) -> bool:
        """Whether telling all its plants costs little: it could not have many, or all its sheets are kept; and likewise of the
        stands above it, which leave it room."""
        if "_at_hand" not in self.__dict__ and all(above.at_hand for above in self.scene.above(self.stand)):
            most = self.core.per_m2 * self.core.fullness * self.scene.width * self.scene.length
            few = self.stand.sward or most < MANY or self.settings.layout.kind != "free"
            if few or all(_plants.peek(self.key(sheet)) is not None for sheet in self.sheets_in(self.everywhere)):
                self.__dict__["_at_hand"] = True
        return "_at_hand" in self.__dict__

    def _check_ceiling(self) -> None:
        """Refuse settings under which too many plants would stand in the level.

        Raises: Refused with the number and the ceiling.
        """
        settings, name = self.settings, self.stand.name
        if self.stand.sward:
            if self.core.per_m2 > SWARD_PER_M2_CEILING + 0.5:
                raise Refused(f"spacing: {settings.spacing:g} m means {self.core.per_m2:.1f} tufts per m²; "
                              f"the ceiling is {SWARD_PER_M2_CEILING:g}")
            return
        most = self.core.per_m2 * self.core.fullness * self.scene.width * self.scene.length
        if settings.layout.kind == "free" and most > PLANT_CEILING and self.expected() > PLANT_CEILING:
            raise Refused(f"spacing: {settings.spacing:g} m at a fullness of {100 * settings.fullness:.3g} % means about "
                          f"{self.expected():,.0f} plants of {name} in this level; the ceiling is {PLANT_CEILING:,}")


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

