"""Rasters over a level of which only those tiles are made that somebody asks for."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from thicket.hashing import Window
from thicket.planted.sheets import box_around, cells

TILE, HALF = 256, 128
"""Cells of a side of a tile. The first tiles are half as wide and long, so that at cells of 1 m the edges of
sheets, beyond which a cell is read, lie inside tiles."""


def _tile_of(cell: int) -> int:
    """The row or column of the tile that a row or column of cells lies in."""
    return (cell + HALF) // TILE


def _nothing() -> None:
    """Does nothing."""


class TiledRaster:
    """A raster in tiles of up to 256 × 256 cells.

    Parameters: shape, rows and columns; tile, makes the values float32 of a window (col0, row0, col1, row1)
    of cells; first, done before all tiles are made by a few threads, which must not wait for one another;
    grown, reported when it has come to take more memory. Threads that meet in one tile make it twice, alike.
    """

    def __init__(
        self,
        shape: tuple[int, int],
        tile: Callable[[Window], np.ndarray],
        threads: int,
        first: Callable[[], None],
        grown: Callable[[TiledRaster], None],
    ) -> None:
        self._array, self._threads, self._first = np.empty(shape, np.float32), threads, first
        self._tile: Callable[[Window], np.ndarray] | None = tile
        self._grown = grown
        self._made = np.zeros([_tile_of(side - 1) + 1 for side in shape], bool)
        self._digests: dict[Window, str] = {}

    @property
    def nbytes(self) -> int:
        """Bytes of the tiles that are made; memory of the others is not taken yet."""
        return int(self._array.nbytes * self._made.mean())

    def _make(self, row: int, column: int) -> None:
        tile = self._tile
        if tile is None:
            return  # another thread has made the last ones
        rows, columns = self._array.shape
        c0, r0 = max(column * TILE - HALF, 0), max(row * TILE - HALF, 0)
        c1, r1 = min(column * TILE + HALF, columns), min(row * TILE + HALF, rows)
        self._array[r0:r1, c0:c1] = tile((c0, r0, c1, r1))
        self._made[row, column] = True
        if self._made.all():
            # Cached by its content, a whole raster must not hold the level that it was made for.
            self._tile, self._first = None, _nothing

    def over(self, window: Window) -> np.ndarray:
        """The whole array, of which at least the tiles that a window of cells touches are made."""
        col0, row0, col1, row1 = (max(v, 0) for v in window)
        left, top = _tile_of(col0), _tile_of(row0)
        missing = ~self._made[top : _tile_of(row1 - 1) + 1, left : _tile_of(col1 - 1) + 1]
        if missing.any():
            for row, column in np.argwhere(missing).tolist():
                self._make(top + row, left + column)
            self._grown(self)
        return self._array

    def around(self, x: np.ndarray, z: np.ndarray, cell: float) -> np.ndarray:
        """The whole array, of which at least the tiles are made that places (n,), in m, are interpolated
        from."""
        return self.over(cells(box_around(x, z), cell))

    @property
    def array(self) -> np.ndarray:
        """The whole array with all of its tiles."""
        self.fill()
        return self._array

    def fill(self) -> None:
        """Make all tiles that are not made yet."""
        missing = np.argwhere(~self._made).tolist()
        if missing:
            self._first()
            if len(missing) > 1 and self._threads > 1:
                with ThreadPoolExecutor(self._threads) as pool:
                    list(pool.map(lambda at: self._make(*at), missing))
            else:
                for at in missing:
                    self._make(*at)
            self._grown(self)

    @property
    def whole_digest(self) -> str:
        """A hash of all values."""
        rows, columns = self.array.shape
        return self.digest((0, 0, columns, rows))

    def digest(self, window: Window) -> str:
        """A hash of the values in a window of cells, cut at the raster's edge. Processors have instructions
        of their own for this one."""
        if window not in self._digests:
            col0, row0, col1, row1 = window
            part = self.over(window)[max(row0, 0) : row1, max(col0, 0) : col1]
            self._digests[window] = hashlib.sha256(np.ascontiguousarray(part)).hexdigest()[:16]
        return self._digests[window]
