"""A stand's square sheets over a level, and what lies in them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from server.levels.scene import Scene
    from server.stands.models import Stand

STAND_SHEET, SWARD_SHEET = 256.0, 64.0

Sheet = tuple[int, int]
Box = tuple[float, float, float, float]


@lru_cache(20_000)
def _window(sheet: Sheet, size: float, extent: tuple[float, float]) -> Box:
    x0, z0 = sheet[0] * size, sheet[1] * size
    return x0, z0, min(x0 + size, extent[0]), min(z0 + size, extent[1])


class Sheets:
    """What a planting knows of its sheets. Boxes are (x0, z0, x1, z1) in level metres."""

    stand: Stand
    scene: Scene

    @property
    def touch_cell(self) -> float:
        return self.scene.touch_cell

    @property
    def sheet_size(self) -> float:
        """Plants are handed out in square sheets of this many m."""
        return SWARD_SHEET if self.stand.sward else STAND_SHEET

    @cached_property
    def sheets(self) -> tuple[int, int]:
        """Columns and rows of sheets."""
        return int(-(-self.scene.width // self.sheet_size)), int(-(-self.scene.length // self.sheet_size))

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

    @staticmethod
    def inside(box: Box, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        return (x >= box[0]) & (x < box[2]) & (z >= box[1]) & (z < box[3])

    @staticmethod
    def cells(box: Box, cell: float) -> tuple[int, int, int, int]:
        """The cells that what is interpolated in a box of level metres is read from."""
        return int(box[0] / cell) - 1, int(box[1] / cell) - 1, int(np.ceil(box[2] / cell)) + 1, int(np.ceil(box[3] / cell)) + 1

    def metres(self, cells: tuple[int, int, int, int]) -> Box:
        """A box of touch cells (col0, row0, col1, row1) in level metres."""
        return tuple(v * self.touch_cell for v in cells)  # type: ignore[return-value]
