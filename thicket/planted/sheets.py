"""Square sheets over a level, in which plants are made and handed out. Boxes are (x0, z0, x1, z1) in level
metres."""

from __future__ import annotations

import functools
from collections.abc import Iterator

import numpy as np

STAND_SHEET, SWARD_SHEET = 256.0, 64.0

Sheet = tuple[int, int]
"""A sheet's column and row."""
Box = tuple[float, float, float, float]


class Sheets:
    """The sheets of one stand over a level of a width and length in m."""

    def __init__(self, sward: bool, width: float, length: float) -> None:
        self.sheet_size = SWARD_SHEET if sward else STAND_SHEET
        self.width, self.length = width, length
        self.sheets = int(-(-width // self.sheet_size)), int(-(-length // self.sheet_size))
        """Columns and rows."""
        self.everywhere: Box = (0.0, 0.0, width - 1e-6, length - 1e-6)

    def window(self, sheet: Sheet) -> Box:
        """The ground of a sheet, cut at the level's edge."""
        size = self.sheet_size
        x0, z0 = sheet[0] * size, sheet[1] * size
        return x0, z0, min(x0 + size, self.width), min(z0 + size, self.length)

    def window_around(self, box: Box) -> Box | None:
        """The window of the sheet that a box lies in, when it lies in one."""
        size = self.sheet_size
        x0, z0, x1, z1 = window = self.window((int(box[0] // size), int(box[1] // size)))
        return window if x0 <= box[0] and z0 <= box[1] and x1 >= box[2] and z1 >= box[3] else None

    def sheets_in(self, box: Box) -> Iterator[Sheet]:
        """The sheets that a box touches, row by row."""
        columns, rows = self.sheets
        size = self.sheet_size
        for row in range(max(int(box[1] // size), 0), min(int(box[3] // size) + 1, rows)):
            for column in range(max(int(box[0] // size), 0), min(int(box[2] // size) + 1, columns)):
                yield column, row


def inside(box: Box, x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Which places lie in a box, half open; bool (n,)."""
    return (x >= box[0]) & (x < box[2]) & (z >= box[1]) & (z < box[3])


def cells(box: Box, cell: float) -> tuple[int, int, int, int]:
    """The cells (col0, row0, col1, row1) that what is interpolated in a box is read from."""
    return (
        int(box[0] / cell) - 1,
        int(box[1] / cell) - 1,
        int(np.ceil(box[2] / cell)) + 1,
        int(np.ceil(box[3] / cell)) + 1,
    )


def box_around(x: np.ndarray, z: np.ndarray) -> Box:
    """The box around places; around the level's corner when there are none."""
    if not len(x):
        return 0.0, 0.0, 0.0, 0.0
    return float(x.min()), float(z.min()), float(x.max()), float(z.max())


def widened(box: Box, by: float) -> Box:
    """A box with so many m more on every side."""
    return box[0] - by, box[1] - by, box[2] + by, box[3] + by


def around_both(a: Box, b: Box) -> Box:
    """The box around two boxes."""
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def around_any(*boxes: Box | None) -> Box | None:
    """The box around those boxes that are not None; None when all are."""
    return functools.reduce(around_both, given) if (given := [b for b in boxes if b is not None]) else None


def apart(a: Box, b: Box) -> bool:
    """Whether two boxes have nothing in common."""
    return a[0] > b[2] or a[1] > b[3] or a[2] < b[0] or a[3] < b[1]
