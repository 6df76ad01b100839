"""The rasters of a level: heights, ground layers and masks, each under a key that is equal for equal
values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thicket.document.mask_sources import MaskSource
from thicket.ground.heights import Ground
from thicket.hashing import Window, digest, digest_of, hash_of
from thicket.lazy import lazy

RAISED_UNIT = 1024
"""Ground that is raised by hand is kept in whole steps of 1 / 1024 m, so that strokes add up and are taken
back exactly in any order."""
BLOCK = 64
"""Values of a side of the blocks that rasters are compared by."""


class Blocks:
    """The blocks of a raster (rows, columns, …), by whose hashes two of a shape are compared."""

    def __init__(self, array: np.ndarray) -> None:
        self.array = array
        rows, columns = (-(-side // BLOCK) for side in array.shape[:2])
        self.hashes = np.empty((rows, columns), np.uint64)
        for r in range(rows):
            band = array[r * BLOCK : (r + 1) * BLOCK]
            for c in range(columns):
                part = np.ascontiguousarray(band[:, c * BLOCK : (c + 1) * BLOCK])
                self.hashes[r, c] = int.from_bytes(hash_of(part), "little")

    def near(self, window: Window, margin: int) -> str:
        """Equal as long as the values in a window are, and those so far around it and one more."""
        col0, row0, col1, row1 = window
        rows = slice(max(row0 - margin, 0) // BLOCK, (row1 + margin) // BLOCK + 1)
        columns = slice(max(col0 - margin, 0) // BLOCK, (col1 + margin) // BLOCK + 1)
        return digest_of(self.hashes[rows, columns], self.array.shape)

    def differing(self, other: Blocks) -> Window | None:
        """The values, half open, that another of its shape has otherwise; None where there are none."""
        found = np.argwhere(self.hashes != other.hashes)
        if not len(found):
            return None
        (r0, c0), (r1, c1) = found.min(axis=0) * BLOCK, (found.max(axis=0) + 1) * BLOCK
        unlike = self.array[r0:r1, c0:c1] != other.array[r0:r1, c0:c1]
        rows, columns = np.nonzero(unlike if unlike.ndim == 2 else unlike.any(axis=2))
        return (
            int(c0 + columns.min()),
            int(r0 + rows.min()),
            int(c0 + columns.max()) + 1,
            int(r0 + rows.max()) + 1,
        )


@dataclass(frozen=True, eq=False)
class Heights:
    """Heights under a key that is equal for equal values: `base`, as they were brought in, float32 (rows,
    columns) in m, and `raised`, what was raised since, int32 of the same shape in steps of
    1 / `RAISED_UNIT` m, None where nothing was. `ground` has both together."""

    key: str
    ground: Ground
    base: np.ndarray
    raised: np.ndarray | None

    @staticmethod
    def of(array: np.ndarray, cell: float, raised: np.ndarray | None = None) -> Heights:
        """Heights float32 (rows, columns) in m at vertices `cell` m apart, and what was raised."""
        base = np.ascontiguousarray(array, np.float32)
        if raised is None or not raised.any():
            return Heights(digest_of(base, cell), Ground(base, cell), base, None)
        ground = Ground((base + raised / RAISED_UNIT).astype(np.float32), cell)
        return Heights(digest_of(ground.heights, cell), ground, base, np.ascontiguousarray(raised, np.int32))

    @property
    def nbytes(self) -> int:
        return self.base.nbytes if self.raised is None else 2 * self.base.nbytes + self.raised.nbytes

    @lazy
    def base_key(self) -> str:
        """The key that it would have if nothing were raised."""
        return self.key if self.raised is None else digest_of(self.base, self.ground.cell)

    @lazy
    def blocks(self) -> Blocks:
        """What its blocks of vertices are compared by."""
        return Blocks(self.ground.heights)

    def near(self, window: Window, margin: int) -> str:
        """Equal as long as the heights in a window of cells are, and so many cells around it."""
        return f"{self.blocks.near(window, margin)} {self.ground.cell}"

    def differing(self, other: Heights) -> Window | None:
        """The vertices, half open, that another of its shape has at other heights; None where there are
        none."""
        return self.blocks.differing(other.blocks)


@dataclass(frozen=True, eq=False)
class LayerMaps:
    """Ground-layer weights, uint8 (rows, columns, layers)."""

    key: str
    names: tuple[str, ...]
    weights: np.ndarray

    @lazy
    def blocks(self) -> Blocks:
        """What its blocks of cells are compared by."""
        return Blocks(self.weights)

    @staticmethod
    def of(names: Sequence[str], weights: np.ndarray) -> LayerMaps:
        """Layers of these names, in the order of the array's last axis."""
        return LayerMaps(digest_of(weights, list(names)), tuple(names), weights)

    @property
    def nbytes(self) -> int:
        return self.weights.nbytes


@dataclass(frozen=True, eq=False)
class Mask:
    """A mask image, uint8 or uint16 (rows, columns) of any size, stretched over the level: `base`, as it was
    brought in or made, and `painted`, what was painted over it, int32 of the same shape in its own steps,
    None where nothing was. `values` are both together, as far as its bits go; `source`, what it is made from,
    where it is made here."""

    key: str
    values: np.ndarray
    base: np.ndarray
    painted: np.ndarray | None = None
    source: MaskSource | None = None

    @staticmethod
    def of(base: np.ndarray, source: MaskSource | None = None, painted: np.ndarray | None = None) -> Mask:
        """A mask, uint8 or uint16 (rows, columns), under the digest of its values, and what is painted."""
        if painted is None or not painted.any():
            return Mask(digest_of(base), base, base, None, source)
        values = np.clip(base + painted.astype(np.int64), 0, np.iinfo(base.dtype).max).astype(base.dtype)
        return Mask(digest_of(values), values, base, painted, source)

    @property
    def nbytes(self) -> int:
        return self.base.nbytes if self.painted is None else 2 * self.base.nbytes + self.painted.nbytes

    @property
    def white(self) -> int:
        """The value of white."""
        return int(np.iinfo(self.base.dtype).max)

    @property
    def mark(self) -> str:
        """Equal as long as nobody changes it: for one that is made again by itself, what it is made from."""
        if self.source is None or not self.source.automatic:
            return self.key
        painted = None if self.painted is None else digest_of(self.painted)
        return digest(self.source.model_dump(mode="json", exclude={"key"}), painted)

    @lazy
    def blocks(self) -> Blocks:
        """What its blocks of values are compared by."""
        return Blocks(self.values)
