"""What a stand grows on, the terrain or placed meshes, as its planting needs it: the places that it gives,
what plants find there, who has room, and what is painted.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

import numpy as np

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.document.mesh_touch import MeshTouch
from thicket.document.touch import TouchMap
from thicket.planted.facts import Facts
from thicket.planted.fingerprints import Site
from thicket.planted.mesh_painting import SeenTouch
from thicket.planted.occupancy import Occupancy
from thicket.planted.parts import Standing
from thicket.planted.placed_meshes import PlacedMeshes
from thicket.planted.places import Places
from thicket.planted.sheets import Sheets
from thicket.planted.suitability import SiteRasters
from thicket.planted.surfaces import MeshFields, MeshPlaces, MeshRoom
from thicket.planting.points import PointSet, Seats
from thicket.planting.stands import Plants, planted
from thicket.site.conditions import DRIVES


class Surroundings(NamedTuple):
    """What a planting needs of the level around it: the document, its rasters and placed meshes, the
    plantings above it, what gives the plantings of it and of those below it that have pins, the host it
    stands on (None for none), where results are kept, and what finds a baked sheet by its key."""

    level: Level
    rasters: SiteRasters
    meshes: PlacedMeshes
    above: list[Standing]
    pinned: Callable[[], list[Standing]]
    host: Standing | None
    cache: Cache
    baked: Callable[[str], Plants | None]


class Surface(Protocol):
    """What one stand grows on."""

    @property
    def places(self) -> Places | MeshPlaces:
        """Its places."""

    @property
    def room(self) -> Occupancy:
        """What leaves plants no room."""

    @property
    def painting(self) -> TouchMap | SeenTouch:
        """What is painted of it."""

    def fields(self) -> Site | MeshFields:
        """What plants follow from where they stand."""

    @property
    def most(self) -> float:
        """How many plants there are if the stand stands everywhere."""

    def expected(self) -> float | None:
        """About how many plants stand if all have room; None where that follows from the map of the
        stand's density."""

    def repainted(
        self, before: MeshTouch, points: PointSet | Seats, margin: float
    ) -> tuple[np.ndarray, np.ndarray]:
        """Which places may read other touch than before, and which lie within a margin in m of those; bool
        (n,) each."""


class OnTerrain:
    """The terrain, of which all is known by rasters."""

    def __init__(self, around: Surroundings, facts: Facts, sheets: Sheets, above: list[Standing]) -> None:
        self.around, self.facts, self.sheets = around, facts, sheets
        self.places = Places(facts, sheets, around.host, around.cache)
        self.room = Occupancy(facts, sheets, above, around.pinned, around.cache)
        self.painting = around.level.touch_of(facts.stand.number)

    def fields(self) -> Site:
        """Rasters of the conditions together, of what variation follows from, and of each item's own."""
        rasters, rules = self.around.rasters, self.facts.rules
        drives = [
            None if entry.drive is None else rasters.suitability([entry.drive.core()])
            for entry in self.facts.settings.mix
        ]
        factors = [rasters.drive_factor(what, rules) for what in DRIVES]
        return Site(rasters.suitability(rules), factors, drives, self.around.level.heights.ground.cell)

    @property
    def most(self) -> float:
        """What spacing and fullness give over the level."""
        core = self.facts.core
        return core.per_m2 * core.fullness * self.sheets.width * self.sheets.length

    def expected(self) -> None:
        """None: it follows from the map of density."""

    def repainted(
        self, before: MeshTouch, points: PointSet | Seats, margin: float
    ) -> tuple[np.ndarray, np.ndarray]:
        """Nowhere: what is painted on the terrain is compared by its cells."""
        return np.zeros(len(points.x), bool), np.zeros(len(points.x), bool)


class OnMeshes:
    """Placed meshes, of which all is found at places."""

    def __init__(self, around: Surroundings, facts: Facts, sheets: Sheets, above: list[Standing]) -> None:
        self.around, self.facts, self.above = around, facts, above
        self.places = MeshPlaces(facts, sheets, around.meshes, around.cache)
        self.room = MeshRoom(facts, sheets, above, around.pinned, around.cache)
        touch = around.level.mesh_touch_of(facts.stand.number)
        self.painting = SeenTouch(around.level, touch, self.places, facts.pins)

    def fields(self) -> MeshFields:
        """What is found at places."""
        return MeshFields(self.facts, self.places, self.around.rasters, self.above)

    @property
    def most(self) -> float:
        """How many places there are."""
        return float(len(self.places.all.points.x))

    def expected(self) -> float:
        """How many places would carry a plant had all room."""
        points = self.places.all.points
        return float(planted(self.facts.core, points, self.fields().density_at(points, self.painting)).sum())

    def repainted(
        self, before: MeshTouch, points: PointSet | Seats, margin: float
    ) -> tuple[np.ndarray, np.ndarray]:
        """By the cubes that are painted otherwise."""
        assert isinstance(points, Seats)
        return self.painting.differing(before, points, margin)


def surface_of(around: Surroundings, facts: Facts, sheets: Sheets, above: list[Standing]) -> Surface:
    """What a stand grows on; above, the plantings that claim room before it."""
    kind: type[OnTerrain | OnMeshes] = OnMeshes if facts.settings.on else OnTerrain
    return kind(around, facts, sheets, above)
