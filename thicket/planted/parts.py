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

    def host_key(self, sheet: Sheet) -> str: ...


class SheetSite(Protocol):
    """What plants follow from where they stand, as the keys of their sheets follow from it."""

    def digest(self, window: tuple[int, int, int, int]) -> list: ...


class Standing(Protocol):
    """Another stand's planting, as one sees it from a stand that it leaves room to, measures to or stands
    on."""

    stand: Stand
    settings: StandSettings
    everywhere: Box

    @property
    def items(self) -> list[str]: ...

    @property
    def tallest(self) -> float: ...
    @property
    def footprint(self) -> float: ...
    @property
    def widest(self) -> float: ...
    @property
    def radii(self) -> np.ndarray: ...
    @property
    def pinned(self) -> Plants: ...
    @property
    def host(self) -> int: ...
    @property
    def at_hand(self) -> bool: ...
    def key(self, sheet: Sheet) -> str: ...
    def plants(self, sheet: Sheet) -> Plants: ...
    def sheets_in(self, box: Box) -> Iterator[Sheet]: ...
    def sheets_reaching(self, box: Box, room: float, crowns: bool) -> list[Sheet]: ...
    def discs_of(self, sheet: Sheet, crowns: bool) -> Discs: ...
