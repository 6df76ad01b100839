"""Content keys of a stand's sheets: equal as long as all that their plants follow from is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import astuple
from typing import Any

import numpy as np

from thicket.document.touch import TouchMap
from thicket.ground.heights import at_cells
from thicket.hashing import digest, digest_of, hash_of
from thicket.planted.facts import Facts, clearing_near, uprooted_in
from thicket.planted.mesh_painting import SeenTouch
from thicket.planted.occupancy import Occupancy
from thicket.planted.parts import SheetPlaces, SheetSite
from thicket.planted.patching import Mark
from thicket.planted.sheets import Box, Sheet, Sheets, cells, inside, widened
from thicket.planted.tiled import TiledRaster
from thicket.planting.density import density_at
from thicket.planting.points import PointSet, Seats
from thicket.planting.stands import Driven
from thicket.planting.trails import trails_near

ENGINE = 6
"""Raise it when the same input plants otherwise than before, so that no kept tile is mistaken for a new
one."""


class Site:
    """The rasters that one stand's plants follow from: suitability, what size, lean and tint are multiplied
    by, and the weight of each item of the mix."""

    def __init__(
        self,
        suitability: TiledRaster,
        factors: list[TiledRaster | None],
        drives: list[TiledRaster | None],
        cell: float,
    ) -> None:
        self.suitability, self.factors, self.drives = suitability, factors, drives
        self.cell = cell

    @property
    def rasters(self) -> list[TiledRaster]:
        """All of them."""
        return [raster for raster in (self.suitability, *self.factors, *self.drives) if raster]

    def fill(self) -> None:
        """Make all tiles of all of them."""
        for raster in self.rasters:
            raster.fill()

    def density_at(
        self,
        points: PointSet | Seats,
        touch: Any,
        touch_cell: float,
        begins: tuple[int, int],
    ) -> np.ndarray:
        """Density at places, float32 (n,), from touch whose first cell has a column and row."""
        suitability = self.suitability.around(points.x, points.z, self.cell)
        return density_at(suitability, self.cell, touch, touch_cell, points.x, points.z, begins)

    def variation_at(self, points: PointSet | Seats, which: np.ndarray) -> Driven:
        """What conditions make of the variation at some of the places."""
        x, z = points.x[which], points.z[which]
        size, lean, tint, *weights = (
            None
            if raster is None
            else at_cells(raster.around(points.x, points.z, self.cell), self.cell, x, z)
            for raster in (*self.factors, *self.drives)
        )
        return Driven(size, lean, tint, weights)

    def digest(self, window: tuple[int, int, int, int]) -> list[str | None]:
        """What distinguishes the values in a window of cells."""
        return [
            None if raster is None else raster.digest(window)
            for raster in (self.suitability, *self.factors, *self.drives)
        ]


class SheetKeys:
    """The keys of one planting's sheets, worked out as they are asked for.

    A key is made of three parts: what rarely changes, the touch around the sheet, and the footprints that
    reach it. `site` gives the rasters, which only keys that are not known yet need.
    """

    def __init__(
        self,
        facts: Facts,
        sheets: Sheets,
        touch: TouchMap | SeenTouch,
        places: SheetPlaces,
        occupancy: Occupancy,
        site: Callable[[], SheetSite],
    ) -> None:
        self.facts, self.sheets, self.touch = facts, sheets, touch
        self.places, self.occupancy, self._site = places, occupancy, site
        self._keys: dict[Sheet, str] = {}
        self._still: dict[Sheet, str] = {}
        self._claimed: dict[Sheet, str] = {}
        self._settings = ""

    def __bool__(self) -> bool:
        return bool(self._keys)

    def of(self, sheet: Sheet) -> str:
        """A sheet's key."""
        if sheet not in self._keys:
            box = self.sheets.window(sheet)
            if sheet not in self._claimed:
                parts = sorted(self.occupancy.parts(box).items())
                self._claimed[sheet] = hash_of(*(part.digest for _, part in parts)).hex()
            touched = self.touch.digest(self._touch_cells(box))
            whole = f"{self._still_part(sheet)} {touched} {self._claimed[sheet]}"
            self._keys[sheet] = hash_of(whole.encode()).hex()
        return self._keys[sheet]

    def _still_part(self, sheet: Sheet) -> str:
        if sheet not in self._still:
            self._still[sheet] = self._still_of(sheet, self.sheets.window(sheet))
        return self._still[sheet]

    def adopt(self, sheet: Sheet, key: str) -> None:
        """Take over a sheet's key that was worked out elsewhere."""
        self._keys[sheet] = key

    def mark(self, sheet: Sheet) -> Mark:
        """What identifies all that a sheet's plants follow from, part by part."""
        box = self.sheets.window(sheet)
        still, taken, key = self._still_part(sheet), self.occupancy.parts(box), self.of(sheet)
        if isinstance(self.touch, SeenTouch):
            return Mark(still, np.empty(0), (0, 0), taken, key, self.touch.touch)
        return Mark(still, *self.touch.blocks(self._touch_cells(box)), taken, key)

    def _touch_cells(self, box: Box) -> tuple[int, int, int, int]:
        return cells(widened(box, self.facts.crowding), self.facts.level.touch_cell)

    @property
    def known(self) -> dict[Sheet, str]:
        """The keys that have been worked out."""
        return self._keys

    def take_over(self, was: SheetKeys, region: Box | None, still: bool, taken: bool) -> None:
        """Take over the keys of an earlier planting that differs only inside a region, and whose settings are
        equal; also there what rarely changes, with `still`, and what the footprints above give, with
        `taken`."""
        met = set() if region is None else set(self.sheets.sheets_in(widened(region, 1e-3)))
        for mine, its, whole in (
            (self._keys, was._keys, False),
            (self._still, was._still, still),
            (self._claimed, was._claimed, taken),
        ):
            mine.update(its.copy())
            for sheet in () if whole else met:
                mine.pop(sheet, None)
        self._settings = was._settings

    @property
    def settings(self) -> str:
        """What identifies the settings that plants follow from."""
        if not self._settings:
            self._settings = self._identify_settings()
        return self._settings

    def _identify_settings(self) -> str:
        facts, stand = self.facts, self.facts.stand
        paths = [(n, facts.level.shapes[n].points, facts.level.shapes[n].width) for n in facts.followed]
        return digest(
            ENGINE,
            stand.number,
            stand.seed,
            self.sheets.sheet_size,
            facts.radii.tolist(),
            facts.items,
            stand.settings_key,
            stand.off,
            paths,
        )

    def _still_of(self, sheet: Sheet, box: Box) -> str:
        facts = self.facts
        shapes = [(s.kind, s.points, s.width, s.clear) for s in clearing_near(facts, box)]
        trails = trails_near(list(facts.level.shapes.values()), facts.stand.stratum, box)
        host = self.places.host_key(sheet) if facts.settings.layout.kind == "anchors" else ""
        heights = facts.level.heights
        window = cells(box, heights.ground.cell)
        return digest(
            self.settings,
            sheet,
            heights.near(window, 2),
            self._site().digest(window),
            facts.level.touch_cell,
            shapes,
            [(s.points, s.width, astuple(s.trail)) for s in trails if s.trail],
            self._pins(box),
            host,
        )

    def _pins(self, box: Box) -> list:
        """What identifies the pins that have a say in a box."""
        around, pins = widened(box, self.facts.crowding), self.facts.pins
        found: list = self.occupancy.claim_keys(around)
        found += uprooted_in(self.facts, around)
        if len(pins.replaced):
            homes = inside(around, pins.home[:, 0], pins.home[:, 1])
            found.append(pins.replaced[homes | bool(self.facts.settings.on)].tolist())
        if len(pins.id):
            here, pinned = inside(box, pins.x, pins.z), self.facts.pinned
            found.append([digest_of(column[here]) for column in (pinned.id, pinned.form, pinned.item)])
        return found
