"""Content keys of a stand's sheets: equal as long as all that their plants follow from is."""

from __future__ import annotations

from dataclasses import astuple
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from server.stands.patching import Mark, touch_blocks, touch_digest, widened
from server.stands.seating import followed, host_key
from thicket.cache import ContentCache
from thicket.hashing import digest, digest_of, hash_of

if TYPE_CHECKING:
    from server.stands.engine import Planting
    from server.stands.sheets import Box, Sheet

ENGINE = 6
"""Raise it when the same input plants otherwise than before, so that no kept tile is mistaken for a new one."""

_said = ContentCache(400)


class SheetKeys:
    """The keys of one planting's sheets, worked out as they are asked for.

    A key is made of three parts: what seldom changes, the touch around the sheet, and the footprints that reach it.
    """

    def __init__(self, planting: Planting) -> None:
        self.planting = planting
        self._keys: dict[Sheet, str] = {}
        self._still: dict[Sheet, str] = {}
        self._taken: dict[Sheet, str] = {}

    def __bool__(self) -> bool:
        return bool(self._keys)

    def of(self, sheet: Sheet) -> str:
        """A sheet's key."""
        if sheet not in self._keys:
            planting = self.planting
            box = planting.window(sheet)
            if sheet not in self._still:
                self._still[sheet] = self._seldom(sheet, box)
            if sheet not in self._taken:
                self._taken[sheet] = hash_of(*(part.said for _, part in sorted(planting.taken_parts(box).items()))).hex()
            touched = self._touch_digest(planting.cells(planting.grown(box), planting.touch_cell))
            self._keys[sheet] = hash_of(f"{self._still[sheet]} {touched} {self._taken[sheet]}".encode()).hex()
        return self._keys[sheet]

    def mark(self, sheet: Sheet) -> Mark:
        """What identifies all that a sheet's plants follow from, part by part."""
        planting = self.planting
        box = planting.window(sheet)
        cells = planting.cells(planting.grown(box), planting.touch_cell)
        blocks, origin = planting.touch_map.blocks(cells) if planting.given_touch is None else touch_blocks(planting.touch, cells)
        key = self.of(sheet)
        return Mark(self._still[sheet], blocks, origin, planting.taken_parts(box), key)

    @property
    def at_hand(self) -> dict[Sheet, str]:
        """The keys that have been worked out."""
        return self._keys

    def take_over(self, was: SheetKeys, region: Box | None, still: bool, taken: bool) -> None:
        """Take keys over from those of a forerunner that differs only inside a region; also there what seldom changes, and what
        the footprints above say, when told so."""
        if still:
            self.__dict__["settings"], self._still = was.settings, was._still
        if taken:
            self._taken = was._taken
        met = set() if region is None else set(self.planting.sheets_in(widened(region, 1e-3)))
        for mine, its in ((self._keys, was._keys), (self._still, was._still), (self._taken, was._taken)):
            if mine is not its:
                mine.update({sheet: said for sheet, said in its.copy().items() if sheet not in met})

    @cached_property
    def settings(self) -> str:
        """What identifies the settings that plants follow from."""
        planting = self.planting

        def said() -> str:
            return digest(planting.settings.model_dump(exclude={"distances", "tints", "conditions"}))

        kept = _said.get(planting.settings_id, said) if planting.settings_id else said()
        shapes = planting.scene.shapes
        paths = [(n, shapes[n].points, shapes[n].width) for n in followed(planting)]
        return digest(ENGINE, planting.stand.number, planting.stand.seed, planting.sheet_size, planting.scene.heights.key,
                      planting.radii.tolist(), planting.items, kept, paths)

    def _seldom(self, sheet: Sheet, box: Box) -> str:
        planting = self.planting
        cells = planting.cells(box, planting.scene.cell)
        sized = planting.size_factor
        shapes = [(s.kind, s.points, s.width, s.clear) for s in planting.clearing(box)]
        driven = [drive and drive.digest(cells) for drive in planting.drives]
        return digest(self.settings, sheet, planting.suitability.digest(cells), sized and sized.digest(cells),
                      planting.touch_cell, shapes, driven,
                      [(s.points, s.width, astuple(s.trail)) for s in planting.trails(box)], self._pins(box),
                      planting.host and host_key(planting, sheet))

    def _pins(self, box: Box) -> list:
        """What identifies the pins that have a say in a box."""
        planting = self.planting
        around = planting.grown(box)
        said = [(c.crowns, c.gap, digest_of(np.stack(c.discs))) for c in planting.claims(around)]
        pins, home = planting.pins, planting.pins.home
        said += planting.uprooted(around)
        if len(pins.replaced):
            said.append(pins.replaced[planting.inside(around, home[:, 0], home[:, 1])].tolist())
        if len(pins.id):
            here = planting.inside(box, pins.x, pins.z)
            said.append([digest_of(column[here]) for column in (planting.pinned.id, planting.pinned.form, planting.pinned.item)])
        return said

    def _touch_digest(self, cells: tuple[int, int, int, int]) -> str:
        given = self.planting.given_touch
        if given is None:
            return self.planting.touch_map.digest(cells)
        col0, row0, col1, row1 = cells
        return touch_digest(np.ascontiguousarray(given[max(row0, 0):row1, max(col0, 0):col1]))
