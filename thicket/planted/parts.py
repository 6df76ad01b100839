"""What the parts of a planted level need of one another, so that no file imports in a circle."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

import numpy as np

from thicket.document.level import Stand
from thicket.document.settings import StandSettings
from thicket.planted.sheets import Box, Sheet
from thicket.planting.room import Discs
from thicket.planting.stands import Plants


class SheetPlaces(Protocol):
    """Where a stand may plant, as the keys of its sheets follow from it."""

    def host_key(self, sheet: Sheet) -> str:
        """What the plants that the places of a sheet hang on follow from; empty where they hang on none."""


class SheetSite(Protocol):
    """What plants follow from where they stand, as the keys of their sheets follow from it."""

    def digest(self, window: tuple[int, int, int, int]) -> list:
        """What the ground says in a window of cells, hashed."""


class Standing(Protocol):
    """Another stand's planting, as one sees it from a stand that it leaves room to, measures to or stands
    on."""

    stand: Stand
    settings: StandSettings
    everywhere: Box

    @property
    def items(self) -> list[str]:
        """The items of its mix, in order."""

    @property
    def tallest(self) -> float:
        """The greatest height of its plants as a multiple of the mesh."""

    @property
    def footprint(self) -> float:
        """The widest trunk radius, in m."""

    @property
    def widest(self) -> float:
        """The widest crown radius, in m."""

    @property
    def radii(self) -> np.ndarray:
        """Trunk and crown radius in m of each item, float64 (items, 2)."""

    @property
    def pinned(self) -> Plants:
        """The plants that were set by hand."""

    @property
    def host(self) -> int:
        """The number of the stand on whose anchors it stands, or 0."""

    @property
    def at_hand(self) -> bool:
        """Whether listing all its plants costs little."""

    def key(self, sheet: Sheet) -> str:
        """What the plants of a sheet follow from, hashed."""

    def plants(self, sheet: Sheet) -> Plants:
        """The plants of a sheet."""

    def sheets_in(self, box: Box) -> Iterator[Sheet]:
        """The sheets that a box, in m, lies on."""

    def sheets_reaching(self, box: Box, room: float, crowns: bool) -> list[Sheet]:
        """The sheets whose plants may reach into a box, in m, with so much room around it."""

    def discs_of(self, sheet: Sheet, crowns: bool) -> Discs:
        """What the plants of a sheet take of the ground: by their crowns, or by their trunks."""
