"""The painted map of a stand: int16 at cell centres in tiles, `thicket.planting.density.TOUCH_UNIT` for
+1."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from thicket.ground.rasters import block_sums, resample
from thicket.hashing import hash_of

TILE = 256
BLOCK = 16
"""Touch is compared in blocks of so many cells a side."""
_WEIGHTS = np.random.Generator(np.random.Philox(77)).integers(1, 2**62, (BLOCK, BLOCK), np.int64) | 1

Cells = tuple[int, int, int, int]
"""A box of cells (col0, row0, col1, row1), half open."""
Tile = tuple[int, int]
"""A tile's column and row (tx, tz)."""


def touch_blocks(touch: np.ndarray, cells: Cells) -> tuple[np.ndarray, tuple[int, int]]:
    """A number for each block of touch cells that a box meets, and the first block's column and row.

    Blocks lie on multiples of `BLOCK`; equal touch gives equal numbers.
    """
    rows, columns = touch.shape
    col0, row0 = (max(v, 0) // BLOCK for v in cells[:2])
    col1, row1 = -(-min(cells[2], columns) // BLOCK), -(-min(cells[3], rows) // BLOCK)
    return block_sums(touch, (col0, row0, col1, row1), _WEIGHTS), (col0, row0)


def touch_digest(window: np.ndarray) -> str:
    """A hash of the touch in a window, which must be contiguous."""
    return hash_of(touch_blocks(window, (0, 0, window.shape[1], window.shape[0]))[0]).hex()


def tiles_in(box: Cells) -> list[Tile]:
    """The tiles that a box of cells touches."""
    col0, row0, col1, row1 = box
    return [
        (tx, tz)
        for tz in range(row0 // TILE, -(-row1 // TILE))
        for tx in range(col0 // TILE, -(-col1 // TILE))
    ]


def overlap(
    tx: int, tz: int, shape: tuple[int, ...], box: Cells
) -> tuple[tuple[slice, slice], tuple[slice, slice]]:
    """Slices of a tile and of a box of cells where the two overlap."""
    col0, row0, col1, row1 = box
    x0, x1 = max(col0, tx * TILE), min(col1, tx * TILE + shape[1])
    z0, z1 = max(row0, tz * TILE), min(row1, tz * TILE + shape[0])
    return (
        (slice(z0 - tz * TILE, z1 - tz * TILE), slice(x0 - tx * TILE, x1 - tx * TILE)),
        (slice(z0 - row0, z1 - row0), slice(x0 - col0, x1 - col0)),
    )


def _near(a: Cells, b: Cells) -> bool:
    """Whether two boxes of cells have blocks of touch in common."""
    return a[0] < b[2] + BLOCK and a[1] < b[3] + BLOCK and b[0] < a[2] + BLOCK and b[1] < a[3] + BLOCK


def _revision(tile: np.ndarray) -> int:
    """A revision that follows from a tile's values."""
    return int.from_bytes(hash_of(np.ascontiguousarray(tile))[:7], "little")


@dataclass(frozen=True, eq=False)
class TouchMap:
    """A stand's touch, `shape` (rows, columns): the painted tiles and their revisions, by (tx, tz). Tiles are
    shared between maps and never changed; what is not painted is 0. Equal revisions of a tile mean equal
    touch in it."""

    shape: tuple[int, int]
    tiles: Mapping[Tile, np.ndarray] = field(default_factory=dict)
    revisions: Mapping[Tile, int] = field(default_factory=dict)
    _digests: dict[Cells, str] = field(default_factory=dict, repr=False)
    _blocks: dict[Cells, tuple[np.ndarray, tuple[int, int]]] = field(default_factory=dict, repr=False)

    @staticmethod
    def of(array: np.ndarray) -> TouchMap:
        """The map of a whole array, which is not copied; revisions follow from the values."""
        rows, columns = array.shape
        parts = {
            (x // TILE, z // TILE): array[z : z + TILE, x : x + TILE]
            for z in range(0, rows, TILE)
            for x in range(0, columns, TILE)
        }
        tiles = {at: tile for at, tile in parts.items() if tile.any()}
        return TouchMap((rows, columns), tiles, {at: _revision(tile) for at, tile in tiles.items()})

    @property
    def nbytes(self) -> int:
        return sum(tile.nbytes for tile in self.tiles.values())

    @property
    def painted_anywhere(self) -> bool:
        """Whether any touch is not 0."""
        return any(tile.any() for tile in self.tiles.values())

    @property
    def array(self) -> np.ndarray:
        """The whole touch, a copy; costs as much as the level is wide and long."""
        return self.window((0, 0, self.shape[1], self.shape[0]))[0]

    def window(self, box: Cells) -> tuple[np.ndarray, tuple[int, int]]:
        """The touch in a box of cells, cut at the level's edge, a copy; and the column and row it begins
        at."""
        col0, row0 = max(box[0], 0), max(box[1], 0)
        col1, row1 = max(min(box[2], self.shape[1]), col0), max(min(box[3], self.shape[0]), row0)
        out = np.zeros((row1 - row0, col1 - col0), np.int16)
        for tx, tz in tiles_in((col0, row0, col1, row1)):
            tile = self.tiles.get((tx, tz))
            if tile is not None:
                inner, outer = overlap(tx, tz, tile.shape, (col0, row0, col1, row1))
                out[outer] = tile[inner]
        return out, (col0, row0)

    def blocks(self, box: Cells) -> tuple[np.ndarray, tuple[int, int]]:
        """See `touch_blocks`; kept."""
        if box not in self._blocks:
            by = (
                box[0] // BLOCK * BLOCK,
                box[1] // BLOCK * BLOCK,
                -(-box[2] // BLOCK) * BLOCK,
                -(-box[3] // BLOCK) * BLOCK,
            )
            window, (col0, row0) = self.window(by)
            sums, _ = touch_blocks(window, (0, 0, window.shape[1], window.shape[0]))
            self._blocks[box] = sums, (col0 // BLOCK, row0 // BLOCK)
        return self._blocks[box]

    def digest(self, box: Cells) -> str:
        """A hash of the touch in a box of cells, cut at the level's edge; kept."""
        if box not in self._digests:
            self._digests[box] = touch_digest(self.window(box)[0])
        return self._digests[box]

    def differing(self, other: TouchMap) -> Cells | None:
        """The smallest box of cells outside of which another map of the same shape is alike; None when it is
        everywhere."""
        box: Cells | None = None
        for tx, tz in self.tiles.keys() | other.tiles.keys():
            if self.revisions.get((tx, tz)) == other.revisions.get((tx, tz)):
                continue
            mine, theirs = self.tiles.get((tx, tz), np.int16(0)), other.tiles.get((tx, tz), np.int16(0))
            rows, columns = np.nonzero(mine != theirs)
            if len(rows):
                x, z = tx * TILE, tz * TILE
                part = x + columns.min(), z + rows.min(), x + columns.max() + 1, z + rows.max() + 1
                box = part if box is None else (*np.minimum(box, part)[:2], *np.maximum(box, part)[2:])
        if box is None:
            return None
        col0, row0, col1, row1 = map(int, box)
        return col0, row0, col1, row1

    @property
    def whole_digest(self) -> str:
        """A hash of all of it."""
        return self.digest((0, 0, self.shape[1], self.shape[0]))

    def painted(self, box: Cells, work: Callable[[np.ndarray], np.ndarray]) -> TouchMap:
        """The map after `work`, which is given the touch in a box of cells and returns what it is to be;
        revisions follow from the values."""
        window, (col0, row0) = self.window(box)
        after = work(window)
        tiles: dict[Tile, np.ndarray] = {}
        for tx, tz in tiles_in(box):
            rows, columns = (min(TILE, size - t * TILE) for size, t in zip(self.shape, (tz, tx)))
            tile = (
                self.tiles[tx, tz].copy() if (tx, tz) in self.tiles else np.zeros((rows, columns), np.int16)
            )
            inner, outer = overlap(
                tx, tz, tile.shape, (col0, row0, col0 + after.shape[1], row0 + after.shape[0])
            )
            tile[inner] = after[outer]
            tiles[tx, tz] = tile
        return self.changed(tiles, {at: _revision(tile) for at, tile in tiles.items()}, box)

    def changed(
        self, tiles: Mapping[Tile, np.ndarray], revisions: Mapping[Tile, int], box: Cells
    ) -> TouchMap:
        """The map with some tiles under new revisions, which differ only inside a box of cells."""
        digests = {at: given for at, given in self._digests.copy().items() if not _near(at, box)}
        blocks = {at: given for at, given in self._blocks.copy().items() if not _near(at, box)}
        return TouchMap(self.shape, {**self.tiles, **tiles}, {**self.revisions, **revisions}, digests, blocks)


@lru_cache(maxsize=16)
def unpainted(shape: tuple[int, int]) -> TouchMap:
    """The map, (rows, columns), in which nothing is painted; shared, so that what is known of it stays."""
    return TouchMap(shape)


def fitted(touch: np.ndarray, cell: float, shape: tuple[int, int], new_cell: float) -> np.ndarray:
    """A touch map, int16, on other cells; ground that it did not reach is unpainted, ground that is gone is
    cut off."""
    if cell != new_cell:
        rows, columns = (max(1, int(np.ceil(n * cell / new_cell - 1e-6))) for n in touch.shape)
        touch = resample(touch, (rows, columns), new_cell / cell)
    out = np.zeros(shape, np.int16)
    rows, columns = min(shape[0], touch.shape[0]), min(shape[1], touch.shape[1])
    out[:rows, :columns] = touch[:rows, :columns]
    return out
