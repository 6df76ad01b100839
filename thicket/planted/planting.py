"""One stand's planting of a level: how many plants it has, and which stand where, sheet by sheet."""

from __future__ import annotations

import functools
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

import numpy as np

from thicket.document.level import Level, Stand
from thicket.document.mesh_touch import MeshTouch
from thicket.document.settings import StandSettings
from thicket.document.touch import Cells, TouchMap
from thicket.ground.heights import Ground
from thicket.ground.shapes import Shape
from thicket.hashing import digest_of
from thicket.lazy import lazy
from thicket.planted.facts import Facts
from thicket.planted.fingerprints import SheetKeys, Site
from thicket.planted.mesh_painting import SeenTouch
from thicket.planted.occupancy import may_stand_under
from thicket.planted.patching import (
    Mark,
    Reach,
    TooMuch,
    around_cut,
    changed_box,
    cut_of,
    exchanged,
    in_order,
    patched,
)
from thicket.planted.places import PLANT_CEILING
from thicket.planted.sheets import (
    Box,
    Sheet,
    Sheets,
    around_any,
    around_both,
    box_around,
    cells,
    inside,
    widened,
)
from thicket.planted.surface import Surroundings, surface_of
from thicket.planted.surfaces import MeshFields
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import density, density_field, expected_count
from thicket.planting.pins import Pins
from thicket.planting.points import PointSet, Seats, chosen, concat_points
from thicket.planting.room import Discs, concat_discs, covered, near, standing
from thicket.planting.stands import Plants, grow, join, planted
from thicket.planting.trails import laid_over, trails_near
from thicket.refused import Refused
from thicket.site.conditions import Condition
from thicket.site.kinds import OF_STANDS

SWARD_PER_M2_CEILING = 16.0
MANY = 300_000
"""A stand that could have so many plants is not counted while somebody waits."""


class Planting(Sheets):
    """A stand of a level, ready to be counted and planted.

    Parameters: around, the level around it; stand; checked has one refused that would have too many plants;
    facts, those of a planting of the same stand with the same pins, where there is one.
    """

    def __init__(
        self, around: Surroundings, stand: Stand, checked: bool = True, facts: Facts | None = None
    ) -> None:
        ground = around.level.heights.ground
        super().__init__(stand.sward, ground.width, ground.length)
        self.around, self.stand, self.settings = around, stand, stand.settings
        tallest = around.host.tallest if around.host else 1.0
        self.facts = facts or Facts(around.level, stand, tallest, around.meshes.outlines)
        self.core = self.facts.core
        self.touch_map: TouchMap = around.level.touch_of(stand.number)
        above = [other for other in around.above if other.stand.number != self.host]
        self.surface = surface_of(around, self.facts, self, above)
        self.places, self.occupancy, self.painting = (
            self.surface.places,
            self.surface.room,
            self.surface.painting,
        )
        self.keys = SheetKeys(self.facts, self, self.painting, self.places, self.occupancy, lambda: self.site)
        self._changed_in: tuple[Mapping[Sheet, str], Box | None] | None = None
        """The keys of an earlier planting, and the box outside of which nothing differs from it."""
        self._site: Site | MeshFields | None = None
        self._field: DensityField | None = None
        self._at_hand = False
        self.covers: dict[int, np.ndarray] = {}
        """How much ground its crowns cover, by scale: see `thicket.planted.cover`."""
        self._numbers: dict[Sheet, tuple[str, int]] = {}
        """The keys of sheets with how many plants they have under them."""
        self.places.check()
        if checked:
            self._check_ceiling()

    @property
    def level(self) -> Level:
        """The level that it is planted in."""
        return self.around.level

    @property
    def ground(self) -> Ground:
        """The terrain."""
        return self.level.heights.ground

    @property
    def cell(self) -> float:
        """The side of the terrain's cells, in m."""
        return self.ground.cell

    @property
    def touch_cell(self) -> float:
        """The side of painted cells, in m."""
        return self.level.touch_cell

    @property
    def touch(self) -> np.ndarray:
        """The whole touch; costs as much as the level is wide and long."""
        return self.touch_map.array

    @property
    def site(self) -> Site | MeshFields:
        """What its plants follow from where they stand: rasters of the terrain, or what is found on
        meshes."""
        if self._site is None:
            self._site = self.surface.fields()
        return self._site

    @property
    def suitability(self) -> TiledRaster:
        """The site conditions together, 0–1, over the terrain's cells."""
        return self.site.suitability

    @property
    def rules(self) -> list[Condition]:
        """Its site conditions, in order."""
        return self.facts.rules

    @property
    def pins(self) -> Pins:
        """What was set, moved or removed by hand."""
        return self.facts.pins

    @property
    def items(self) -> list[str]:
        """The items of its mix, in order."""
        return self.facts.items

    @property
    def pinned(self) -> Plants:
        """The plants that were set by hand."""
        return self.facts.pinned

    @property
    def radii(self) -> np.ndarray:
        """Trunk and crown radius in m of each item, float64 (items, 2)."""
        return self.facts.radii

    @property
    def footprint(self) -> float:
        """The widest trunk radius, in m."""
        return self.facts.footprint

    @property
    def widest(self) -> float:
        """The widest crown radius, in m."""
        return self.facts.widest

    @property
    def tallest(self) -> float:
        """The greatest height of its plants as a multiple of the mesh."""
        return self.facts.tallest

    @property
    def host(self) -> int:
        """Number of the stand whose plants this one stands on; 0 for none."""
        return host_of(self.settings)

    def metres(self, box: Cells) -> Box:
        """A box of touch cells in level metres."""
        x0, z0, x1, z1 = (v * self.touch_cell for v in box)
        return x0, z0, x1, z1

    @property
    def _density(self) -> DensityField:
        if self._field is None:
            self._field = self._make_density()
        return self._field

    def _make_density(self) -> DensityField:
        def make() -> DensityField:
            field, cell = density_field(self.suitability.array, self.cell, self.touch, self.touch_cell)
            if self.stand.off:
                return DensityField(np.zeros_like(field), cell)
            if gaps is not None:
                field = field * self.around.rasters.openness(self.settings, cell, field.shape)
                shut = covered(gaps, cell, field.shape)
                field *= np.subtract(np.float32(1), shut, out=shut)
            return DensityField(field, cell)

        gaps = self.occupancy.gaps() if self.stand.sward else None
        key = (
            "density",
            self.stand.off,
            self.suitability.whole_digest,
            self.stand.sward,
            self.cell,
            self.touch_map.whole_digest,
            self.touch_cell,
            gaps and (tuple(self.around.rasters.clearing(self.settings)), digest_of(np.stack(gaps))),
        )
        return self.around.cache.get(key, make)

    @property
    def density(self) -> np.ndarray:
        """Density float32 at the centres of cells of `density_cell` m; of a sward, what shapes leave of
        it."""
        return self._density.field

    def sward_density_in(self, box: Cells) -> np.ndarray:
        """The density of a sward in a box of cells, where ground and painting have the same cells."""
        col0, row0, col1, row1 = box
        rows, columns = slice(row0, row1), slice(col0, col1)
        field = density(self.suitability.array[rows, columns], self.touch_map.window(box)[0])
        if self.stand.off:
            return np.zeros_like(field)
        whole = self.suitability.array.shape
        field *= self.around.rasters.openness(self.settings, self.cell, whole)[rows, columns]
        x, z, r = self.occupancy.gaps(self.metres(box))
        trunks = Discs(x - col0 * self.cell, z - row0 * self.cell, r)
        return field * (1 - covered(trunks, self.cell, field.shape))

    @property
    def density_cell(self) -> float:
        """The side of the cells of its density, in m."""
        return self._density.cell

    def points(self, sheet: Sheet) -> PointSet | Seats:
        """The places of a sheet."""
        return self.places.of(sheet)

    def key(self, sheet: Sheet) -> str:
        """The content key of a sheet: equal inputs give equal keys, so an undone stroke brings the old one
        back."""
        return self.keys.of(sheet)

    def wanted(
        self,
        points: PointSet | Seats,
        touch: np.ndarray | None = None,
        origin: tuple[float, float] = (0.0, 0.0),
    ) -> np.ndarray:
        """Which of the points would carry a plant had it room; touch may be a window's, beginning at
        `origin`."""
        return planted(self.core, points, self.density_at(points, touch, origin))

    def density_at(
        self,
        points: PointSet | Seats,
        touch: np.ndarray | SeenTouch | None = None,
        origin: tuple[float, float] = (0.0, 0.0),
    ) -> np.ndarray:
        """Density at places, float32 (n,)."""
        begins = round(origin[0] / self.touch_cell), round(origin[1] / self.touch_cell)
        if touch is None:
            touch, begins = self._touch_around(points)
        return self.site.density_at(points, touch, self.touch_cell, begins)

    def _touch_around(self, points: PointSet | Seats) -> tuple[np.ndarray | SeenTouch, tuple[int, int]]:
        """Touch around all of some places, and the column and row it begins at."""
        return self.painting.window(cells(box_around(points.x, points.z), self.touch_cell))

    def _candidates(self, box: Box) -> PointSet | Seats:
        """All places inside a box, half open."""
        parts = []
        last = np.nextafter(box[2], -np.inf), np.nextafter(box[3], -np.inf)
        for sheet in self.sheets_in((box[0], box[1], *last)):
            points = self.points(sheet)
            if box != self.window(sheet):
                points = chosen(points, inside(box, points.x, points.z))
            parts.append(points)
        return concat_points(parts)

    def plants_in(
        self, box: Box, touch: np.ndarray | None = None, origin: tuple[float, float] = (0.0, 0.0)
    ) -> Plants:
        """The plants inside a box of level metres, half open; touch may be a window's, beginning at
        `origin`."""
        grown = widened(box, self.facts.crowding)
        points = self._candidates(grown)
        which = np.flatnonzero(self.wanted(points, touch, origin))
        plants = self._grown_at(points, which)
        free = self.occupancy.has_room(plants, points.threshold[which], grown)
        if grown != box:
            free &= inside(box, points.x[which], points.z[which])
        plants = laid_over(plants if free.all() else plants.take(free), self._trails(box))
        if not len(self.pins.id):
            return plants
        return join([plants, self.pinned.take(inside(box, self.pins.x, self.pins.z))])

    def _grown_at(self, points: PointSet | Seats, which: np.ndarray) -> Plants:
        """The plants at some of the places, whether they have room or not."""
        return grow(self.core, points, which, self.ground, self.site.variation_at(points, which))

    def plants(self, sheet: Sheet, spare: bool = False) -> Plants:
        """The plants of a sheet. When spare they are kept only if nothing else has to go for them."""
        key = self.key(sheet)
        plants = self.around.cache.get(("plants", key), lambda: self._make(sheet), spare)
        self._numbers[sheet] = key, len(plants)
        return plants

    def adopt(self, sheet: Sheet, key: str, plants: Plants) -> None:
        """Take over a sheet's plants that were made elsewhere, under their key."""
        self.keys.adopt(sheet, key)
        self.around.cache.put(("plants", key), plants)
        self._numbers[sheet] = key, len(plants)

    def number_in(self, sheet: Sheet) -> int:
        """How many plants a sheet has."""
        key, number = self._numbers.get(sheet, ("", 0))
        return number if key == self.key(sheet) else len(self.plants(sheet))

    def _make(self, sheet: Sheet) -> Plants:
        box = self.window(sheet)
        if self.stand.sward:
            return in_order(self.plants_in(box))
        mark, at = self.keys.mark(sheet), ("mark", self.level.slug, self.stand.number, sheet)
        found = self._from_before(sheet, self.around.cache.peek(at), mark)
        if found is None:
            found = self.around.baked(mark.key)
        if found is None:
            found = in_order(self.plants_in(box))
        self.around.cache.put(at, mark)
        return found

    def _from_before(self, sheet: Sheet, old: Mark | None, mark: Mark) -> Plants | None:
        """A sheet's plants from those it had; None when it is to be planted whole."""
        if old is None or not old.alike(mark):
            return None
        was = self.around.cache.peek(("plants", old.key))
        if was is None:
            return None
        if old.painting is not None:
            return self._painted_over(old.painting, sheet, was)
        within = (
            self._changed_in[1] if self._changed_in and self._changed_in[0].get(sheet) == old.key else None
        )
        reach = Reach(self.touch_cell, self.facts.crowding, self.footprint + self.settings.gap + 0.01)
        box = changed_box(old, mark, reach, within)
        try:
            cut = box and cut_of(box, self.window(sheet))
        except TooMuch:
            return None
        if cut is None:
            return was
        return patched(was, self.plants_in(around_cut(cut, self.window(sheet))), cut)

    def _painted_over(self, before: MeshTouch, sheet: Sheet, was: Plants) -> Plants:
        """A sheet's plants on placed meshes after other painting, from those before it."""
        window, crowding = self.window(sheet), self.facts.crowding
        points = self._candidates(widened(window, crowding))
        reached, near = self.surface.repainted(before, points, crowding)
        reached &= inside(window, points.x, points.z)
        if not reached.any():
            return was
        near = np.flatnonzero(near)
        points, reached = chosen(points, near), reached[near]
        which = np.flatnonzero(self.wanted(points))
        plants = self._grown_at(points, which)
        free = reached[which] & self.occupancy.has_room(
            plants, points.threshold[which], box_around(points.x, points.z)
        )
        plants = laid_over(plants.take(free), self._trails(window))
        ids = self.core.ids(points, reached)
        return exchanged(was, ids[~np.isin(ids, self.pins.id)], plants)

    def _trails(self, box: Box) -> list[Shape]:
        """The paths that lay its plants over in a box."""
        return trails_near(list(self.level.shapes.values()), self.stand.stratum, box)

    def planted_already(self, sheet: Sheet) -> bool:
        """Whether a sheet's plants are at hand."""
        return self.around.cache.peek(("plants", self.key(sheet))) is not None

    def sheets_reaching(self, box: Box, room: float, crowns: bool) -> list[Sheet]:
        """The sheets whose plants can come within `room` m of a box with their crowns or their trunks."""
        return list(self.sheets_in(widened(box, room + (self.widest if crowns else self.footprint))))

    def discs_of(self, sheet: Sheet, crowns: bool) -> Discs:
        """The footprints of a sheet's plants; those of trunks and crowns are made together, since most stands
        are asked for both."""

        def make() -> tuple[Discs, Discs]:
            plants = self.plants(sheet)
            trunks, widest = (
                standing(plants.form, plants.item, r) for r in (self.radii[:, 1], self.radii.max(axis=1))
            )
            return trunks, widest

        return self.around.cache.get(("discs", self.key(sheet)), make)[crowns]

    def discs(self, box: Box, room: float, crowns: bool) -> Discs:
        """The footprints of this stand's plants that come within `room` m of a box: crowns or trunks."""
        return concat_discs(
            [
                near(self.discs_of(sheet, crowns), box, room)
                for sheet in self.sheets_reaching(box, room, crowns)
            ]
        )

    def prepare(self) -> None:
        """Work out all that sheets share, so that threads find it done."""
        self.site.fill()
        for part in (self.pinned, self.widest, self.keys.settings):
            del part

    @lazy
    def surfaces(self) -> dict[int, int]:
        """The numbers of the placed meshes that its plants stand on, by their ids."""
        pins = zip(self.pins.id.tolist(), self.pins.surface.tolist())
        return self.places.surfaces | {plant: number for plant, number in pins if number}

    def release(self) -> None:
        """Drop the rasters, here and where results are kept, and what is known of the stands above. All are
        found again when they are asked for; single plants, which cost more to find again, have their room."""
        site, field = self._site, self._field
        held = [*(site.rasters if site else []), *([field] if field else [])]
        if held:
            self.around.cache.drop(held)
        self._site = self._field = None
        self.occupancy.release()

    def touch_reach(self, box: Box) -> Box:
        """The ground on which a change of its touch inside a box can change its plants."""
        return widened(box, 2 * self.touch_cell + self.facts.crowding)

    def ground_reach(self, box: Box, wet: Callable[[], Box | None]) -> Box:
        """The ground on which its plants can change when the terrain does inside a box; `wet` gives
        the box in which wetness changes then."""
        if self.settings.on:
            return self.everywhere
        if any(c.rule.needs == "flow" for c in self.facts.asked):
            box = around_any(box, wet()) or box
        cells = 2 + max((c.rule.margin(c, self.cell) for c in self.facts.asked), default=0)
        return widened(box, cells * self.cell + self.settings.gap + self.facts.crowding + self.footprint)

    def reached_by(self, changed: Mapping[int, Box]) -> Box | None:
        """The ground on which its plants can change when those of other stands, by number, change in these
        boxes: by the room they leave, by conditions that measure to them, and by standing on them. None when
        they cannot."""
        boxes = []
        own = self.settings.gap + self.facts.crowding + (0.0 if self.stand.sward else self.footprint)
        for other in self.occupancy.above:
            if other.stand.number in changed:
                by = own + (other.footprint if may_stand_under(self.facts, other) else other.widest)
                boxes.append((changed[other.stand.number], by))
        for c in self.facts.asked:
            if c.rule.needs in OF_STANDS and c.stand in changed:
                by = c.reach if c.rule.needs == "plants" else self.touch_cell
                boxes.append((changed[c.stand], by + 4 * self.cell + own))
        if self.host in changed:
            boxes.append((changed[self.host], self.places.host_reach() + own))
        if not boxes:
            return None
        return functools.reduce(around_both, (widened(b, by) for b, by in boxes))

    def asks_for(self, numbers: Collection[int]) -> bool:
        """Whether its conditions measure to one of some stands, by number, or it stands on one."""
        return (
            self.host in numbers
            or self.occupancy.follows(numbers)
            or any(c.rule.needs in OF_STANDS and c.stand in numbers for c in self.facts.asked)
        )

    def take_over(
        self, was: Planting, region: Box | None, changed: Collection[int], ground: bool = False
    ) -> None:
        """Take over from an earlier planting of the stand, with equal settings and pins, what cannot have
        changed: it differs only inside a region, there in its own touch, or, when other stands have changed,
        by number, in what follows from those, or when the ground has changed in what follows from that.
        Neither planting ever writes into the other."""
        site_alike = not ground and not (changed and self.asks_for(changed))
        self.keys.take_over(was.keys, region, site_alike, not changed)
        if site_alike:
            self._site = was._site
        self._changed_in = was.keys.known, region
        self._numbers = was._numbers.copy()
        self.occupancy.take_over(was.occupancy, region, changed)

    def expected(self) -> float:
        """About how many plants stand if all have room: what density and fullness give over the level."""
        found = self.surface.expected()
        if found is not None:
            return found
        return expected_count(self.density, self.core.fullness, self.density_cell, self.core.per_m2)

    @property
    def most(self) -> float:
        """How many plants it has if it stands everywhere."""
        return self.surface.most

    def count(self) -> int:
        """Plants in the level: counted, or for a sward on the terrain computed from its density field."""
        if self.stand.mapped:
            return round(self.expected())
        return sum(self.number_in(sheet) for sheet in self.sheets_in(self.everywhere))

    @property
    def at_hand(self) -> bool:
        """Whether listing all its plants costs little: it could not have many, or all its sheets are kept;
        and likewise of the stands above it, which leave it room."""
        if not self._at_hand and all(above.at_hand for above in self.around.above):
            few = self.stand.sward or self.most < MANY or self.settings.layout.kind != "free"
            self._at_hand = few or all(
                self.planted_already(sheet) for sheet in self.sheets_in(self.everywhere)
            )
        return self._at_hand

    def _check_ceiling(self) -> None:
        """Refuse settings under which too many plants would stand in the level.

        Raises: Refused with the number and the ceiling.
        """
        settings, name = self.settings, self.stand.name
        if self.stand.sward:
            if self.core.per_m2 > SWARD_PER_M2_CEILING + 0.5:
                raise Refused(
                    f"spacing: {settings.spacing:g} m means {self.core.per_m2:.1f} tufts per m²; "
                    f"the ceiling is {SWARD_PER_M2_CEILING:g}"
                )
            return
        free = settings.layout.kind == "free"
        if free and self.most > PLANT_CEILING and self.expected() > PLANT_CEILING:
            raise Refused(
                f"spacing: {settings.spacing:g} m at a fullness of {100 * settings.fullness:.3g} "
                f"% means about "
                f"{self.expected():,.0f} plants of {name} in this level; the ceiling is {PLANT_CEILING:,}"
            )


def host_of(settings: StandSettings) -> int:
    """Number of the stand that settings have a stand stand on; 0 for none."""
    return settings.layout.host if settings.layout.kind == "anchors" else 0


@dataclass(frozen=True, eq=False)
class DensityField:
    """A density field and the size of its cells in m."""

    field: np.ndarray
    cell: float

    @property
    def nbytes(self) -> int:
        return self.field.nbytes
