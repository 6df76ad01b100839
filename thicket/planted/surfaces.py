"""Plants on placed meshes: the places that they give, what conditions find there, and who has room."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from thicket.cache import Cache
from thicket.document.surfaces import chosen_surfaces
from thicket.ground.heights import at_cells
from thicket.hashing import digest, digest_of
from thicket.lazy import lazy
from thicket.planted.facts import Facts
from thicket.planted.mesh_painting import MeshSource
from thicket.planted.occupancy import Claim, Occupancy, Parts, may_stand_under
from thicket.planted.parts import Standing
from thicket.planted.placed_meshes import PlacedMeshes
from thicket.planted.places import SheetPoints, sorted_by_sheet
from thicket.planted.sheets import Box, Sheet, Sheets, widened
from thicket.planted.suitability import SiteRasters
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import density_from
from thicket.planting.layouts import none_laid
from thicket.planting.points import PointSet, Seats, chosen, concat_points
from thicket.planting.room import NO_DISCS, Discs
from thicket.planting.stands import Driven, Plants
from thicket.refused import Refused
from thicket.site.conditions import DRIVES, Condition, deciding, drive_factor, driving, suitability
from thicket.site.parameters import Parameters
from thicket.site.site import PlacesOnMeshes
from thicket.surfaces.placing import MOST, MeshPoints


class MeshPlaces(MeshSource):
    """The places of one stand that grows on placed meshes."""

    def __init__(self, facts: Facts, sheets: Sheets, meshes: PlacedMeshes, cache: Cache) -> None:
        self.facts, self.sheets, self.meshes, self.cache = facts, sheets, meshes, cache
        self.numbers = sorted(chosen_surfaces(facts.level, facts.settings.on))

    @lazy
    def key(self) -> str:
        """Equal as long as the meshes lie alike, and the places on them are."""
        keys = [self.meshes.key(number) for number in self.numbers]
        return digest(keys, self.facts.stand.seed, self.facts.core.spacing)

    @property
    def all(self) -> SheetPoints:
        """All places that lie over the level, sorted by sheets."""
        sheets = self.sheets
        columns, many = sheets.sheets

        def make() -> SheetPoints:
            stand = self.facts.stand.seed, self.facts.core.spacing
            parts = [self.meshes.seats(number, *stand) for number in self.numbers]
            seats = concat_points(parts or [none_laid()])
            within = (seats.x >= 0) & (seats.z >= 0) & (seats.x < sheets.width) & (seats.z < sheets.length)
            return sorted_by_sheet(chosen(seats, within), sheets.sheet_size, columns, columns * many)

        return self.cache.get(("mesh seats", self.key, sheets.width, sheets.length), make)

    def own_points(self, number: int) -> MeshPoints:
        """Its places on one mesh, by number, in the mesh's own space."""
        placed = self.facts.level.surfaces[number]
        return self.meshes.points(placed, self.facts.stand.seed, self.facts.core.spacing)

    def of(self, sheet: Sheet) -> PointSet | Seats:
        """The places of one sheet."""
        return self.all.of(sheet[1] * self.sheets.sheets[0] + sheet[0])

    def blocks(self) -> list[Sheet]:
        """None: places on meshes are not made block by block."""
        return []

    @lazy
    def surfaces(self) -> dict[int, int]:
        """The numbers of the meshes that plants at its places stand on, by the plants' ids."""
        seats = self.all.points
        return dict(zip(self.facts.core.ids(seats).tolist(), seats.cell[:, 0].tolist()))

    def host_key(self, sheet: Sheet) -> str:
        """Empty: plants on meshes stand on no anchors."""
        return ""

    def host_reach(self) -> float:
        """0 m: see `host_key`."""
        return 0.0

    def check(self) -> None:
        """Refuse a spacing that would give too many places.

        Raises: Refused with the count and the ceiling.
        """
        spacing, total = self.facts.core.spacing, 0.0
        for number in self.numbers:
            placed = self.facts.level.surfaces[number]
            total += self.meshes.mesh(placed).area * (placed.scale / spacing) ** 2
        if total > MOST:
            raise Refused(
                f"spacing: {spacing:g} m means about {0.85 * total:,.0f} places of {self.facts.stand.name} "
                f"on its meshes; the ceiling is {MOST:,}"
            )

    def lacking(self) -> str:
        """What it asks for that the level does not have, as a sentence without its stop; empty when there is
        nothing."""
        names = {name for p in self.facts.level.surfaces.values() for name in (p.name, p.group)}
        gone = [name for name in self.facts.settings.on if name not in names]
        return f"The level has no placed mesh or group {' and no '.join(map(repr, gone))}" if gone else ""


class MeshFields:
    """What the plants of a stand on placed meshes follow from, in place of rasters."""

    def __init__(self, facts: Facts, places: MeshPlaces, rasters: SiteRasters, above: list[Standing]) -> None:
        self.facts, self.places, self.site_rasters, self.above = facts, places, rasters, above
        self.drives = [entry.drive.core() if entry.drive else None for entry in facts.settings.mix]

    @property
    def rasters(self) -> list[TiledRaster]:
        """None: a mesh has no rasters."""
        return []

    @property
    def suitability(self) -> TiledRaster:
        """Of the terrain, on which it grows nowhere."""
        return self.site_rasters.nowhere()

    def fill(self) -> None:
        """There is nothing to fill."""

    def digest(self, window: tuple[int, int, int, int]) -> list:
        """What distinguishes what is found in a window of cells."""
        cell = self.site_rasters.cell
        x0, z0, x1, z1 = (v * cell for v in window)
        conditions = [*self.facts.rules, *(drive for drive in self.drives if drive)]
        whole = self.site_rasters.whole
        fields = [self.site_rasters.field_key(c, whole) for c in conditions]
        reach = max([other.widest for other in self.above], default=0.0) + self.facts.room
        near = widened((x0, z0, x1, z1), reach)
        others = [[other.key(sheet) for sheet in other.sheets_in(near)] for other in self.above]
        return [self.places.key, conditions, fields, others]

    def _seen(self, points: Seats) -> PlacesOnMeshes:
        numbers = points.cell[:, 0]
        surfaces = self.facts.level.surfaces
        base = {n: surfaces[n].at[1] for n in np.unique(numbers).tolist()}
        return PlacesOnMeshes(
            np.c_[points.x, points.y, points.z].astype(float),
            points.up.astype(float),
            numbers,
            np.array([base[n] for n in numbers.tolist()], float),
            self.site_rasters.site,
            self.places.meshes.nearby,
            self._plants,
            lambda c: self._on_terrain(c, points),
            lambda: self._texture(points),
        )

    def _plants(self, number: int) -> np.ndarray:
        planting = self.site_rasters.other(number)
        parts = [planting.plants(sheet).form[:, :3] for sheet in planting.sheets_in(planting.everywhere)]
        return np.concatenate([np.empty((0, 3)), *parts]).astype(float)

    def _texture(self, points: Seats) -> np.ndarray:
        at, out = np.c_[points.x, points.y, points.z].astype(float), np.zeros((len(points.x), 2))
        for number in np.unique(points.cell[:, 0]).tolist():
            of = points.cell[:, 0] == number
            out[of] = self.places.meshes.texture(number, at[of])
        return out

    def _on_terrain(self, c: Parameters, points: Seats) -> np.ndarray:
        values = self.site_rasters.whole_values(Condition(**vars(c)))
        return at_cells(values, self.site_rasters.cell, points.x, points.z)

    def values(self, points: Seats, conditions: list[Condition]) -> list[tuple[Condition, np.ndarray]]:
        """Those conditions that say something on meshes, each with its values at places."""
        if not conditions:
            return []
        seen = self._seen(points)
        found = [(c, c.rule.at(seen, c)) for c in conditions if not (c.on and self.site_rasters.lacks(c))]
        return [(c, values) for c, values in found if values is not None]

    def suitability_at(self, points: Seats, conditions: list[Condition]) -> np.ndarray:
        """What conditions give together at places, float32 (n,) 0–1."""
        found = self.values(points, conditions)
        return suitability([v for _, v in found], [c for c, _ in found], (len(points.x),))

    def density_at(self, points: PointSet | Seats, touch: Any, *cells: object) -> np.ndarray:
        """Density at places, float32 (n,), from what is painted on the meshes."""
        assert isinstance(points, Seats)
        return density_from(self.suitability_at(points, deciding(self.facts.rules)), touch.at(points))

    def variation_at(self, points: PointSet | Seats, which: np.ndarray) -> Driven:
        """What conditions make of the variation at some of the places."""
        assert isinstance(points, Seats)
        points = chosen(points, which)
        n = (len(points.x),)
        factors = []
        for what in DRIVES:
            rules = driving(self.facts.rules, what)
            found = self.values(points, rules) if rules else []
            given = [v for _, v in found], [c for c, _ in found], n
            factors.append(drive_factor(what, *given) if found else None)
        drives: list[np.ndarray | None] = []
        for drive in self.drives:
            seen = self.values(points, [drive]) if drive else []
            drives.append(suitability([v for _, v in seen], [c for c, _ in seen], n) if seen else None)
        size, lean, tint = factors
        return Driven(size, lean, tint, drives)


class MeshRoom(Occupancy):
    """Who claims room on placed meshes: the plants of earlier stands on meshes, measured through space."""

    def taken(self, box: Box) -> Discs:
        """Nothing of the plan: room on meshes goes through space."""
        return NO_DISCS

    def parts(self, box: Box) -> Parts:
        """None; see `taken`."""
        return {}

    def claims(self, box: Box) -> list[Claim]:
        """None; see `taken`."""
        return []

    def claim_keys(self, box: Box) -> list:
        """What the plants above follow from, by stand, hashed."""
        found = [(other.stand.number, other.pinned) for other in self._pinned()]
        return [(number, digest_of(pins.form), digest_of(pins.item)) for number, pins in found]

    def follows(self, numbers: Collection[int]) -> bool:
        """Whether it gives way to plants of some stands."""
        return any(other.stand.number in numbers for other in self.above)

    def has_room(self, plants: Plants, thresholds: np.ndarray, box: Box) -> np.ndarray:
        """Which plants stand nearer to no other than their footprints and the gap allow."""
        facts, gap = self.facts, self.facts.settings.gap
        at = plants.form[:, :3].astype(float)
        r, wide = (
            np.zeros(len(plants))
            if facts.stand.sward
            else radii[plants.item] * plants.form[:, 7].astype(float)
            for radii in (facts.radii[:, 1], facts.radii.max(axis=1))
        )
        free = np.ones(len(plants), bool)
        for other in self.above:
            free &= self._clear_of(other, at, r + gap, box)
        for other in self._pinned():
            own, pins = other.stand.number == facts.stand.number, other.pinned
            mine = wide if not own and not may_stand_under(other, facts) else r
            theirs = other.radii[pins.item, 1] * pins.form[:, 7].astype(float)
            between = gap if own else other.settings.gap
            free &= _apart(at, mine + between, pins.form[:, :3].astype(float), theirs)
        if len(facts.pins.replaced):
            free &= ~np.isin(plants.id, facts.pins.replaced)
        if facts.may_crowd:
            free &= ~_crowded(at, r, thresholds, gap)
        return free

    def _clear_of(self, other: Standing, at: np.ndarray, room: np.ndarray, box: Box) -> np.ndarray:
        crowns = not may_stand_under(self.facts, other)
        sheets = other.sheets_reaching(box, self.facts.room, crowns)
        parts = [other.plants(sheet) for sheet in sheets]
        form = np.concatenate([np.empty((0, 10)), *(part.form for part in parts)]).astype(float)
        item = np.concatenate([np.empty(0, np.uint8), *(part.item for part in parts)])
        reach = (other.radii.max(axis=1) if crowns else other.radii[:, 1])[item] * form[:, 7]
        return _apart(at, room, form[:, :3], reach)


def _apart(at: np.ndarray, room: np.ndarray, others: np.ndarray, reach: np.ndarray) -> np.ndarray:
    """Which places have no other nearer than their room and its reach; all in m, bool (n,)."""
    free = np.ones(len(at), bool)
    if not len(others) or not len(at):
        return free
    for k, found in enumerate(cKDTree(others).query_ball_point(at, room + reach.max())):
        far = np.linalg.norm(others[found] - at[k], axis=1)
        free[k] = not (far < room[k] + reach[found]).any()
    return free


def _crowded(at: np.ndarray, r: np.ndarray, thresholds: np.ndarray, gap: float) -> np.ndarray:
    """Which plants stand in the footprint of one of a lower threshold, in one round as
    `thicket.planting.room.crowded`; bool (n,)."""
    out = np.zeros(len(at), bool)
    if not len(at):
        return out
    pairs = cKDTree(at).query_pairs(2 * float(r.max()) + gap, output_type="ndarray")
    first, second = pairs.T
    close = np.linalg.norm(at[first] - at[second], axis=1) < r[first] + r[second] + gap
    first, second = first[close], second[close]
    lower, higher = thresholds[first] < thresholds[second], thresholds[second] < thresholds[first]
    out[second[lower]] = out[first[higher]] = True
    # of equal ones the later gives way
    out[np.maximum(first, second)[~lower & ~higher]] = True
    return out
