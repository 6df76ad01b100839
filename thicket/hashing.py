"""Short hashes of what results follow from, and rasters that know theirs."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field

import numpy as np

Window = tuple[int, int, int, int]


def digest(*parts: object) -> str:
    """A short hash of anything that goes into JSON or has a plain text."""
    return hashlib.blake2b(json.dumps(parts, sort_keys=True, default=str).encode(), digest_size=8).hexdigest()


def hash_of(*parts: bytes | np.ndarray) -> bytes:
    """Eight bytes that tell runs of bytes, or contiguous arrays, apart."""
    total = hashlib.blake2b(digest_size=8)
    for part in parts:
        total.update(part)
    return total.digest()


def digest_of(array: np.ndarray, *more: object) -> str:
    """A hash of an array's values and what goes with them."""
    total = hashlib.blake2b(repr((array.shape, array.dtype.str, *more)).encode(), digest_size=12)
    total.update(np.ascontiguousarray(array))
    return total.hexdigest()


@dataclass(eq=False)
class Raster:
    """A whole raster; `digest` hashes a part of it."""

    array: np.ndarray
    digests: dict[Window, str] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        return self.array.nbytes

    @property
    def whole_digest(self) -> str:
        return self.digest((0, 0, self.array.shape[1], self.array.shape[0]))

    def digest(self, window: Window) -> str:
        """A hash of the values in a window of cells, cut at the raster's edge. Processors have instructions
        of their own for this one."""
        if window not in self.digests:
            col0, row0, col1, row1 = window
            part = np.ascontiguousarray(self.array[max(row0, 0) : row1, max(col0, 0) : col1])
            self.digests[window] = hashlib.sha256(part).hexdigest()[:16]
        return self.digests[window]
