"""Short hashes of what results follow from."""

from __future__ import annotations

import hashlib
import json

import numpy as np

Window = tuple[int, int, int, int]


def digest(*parts: object) -> str:
    """A short hash of anything that goes into JSON or has a plain text."""
    return hashlib.blake2b(json.dumps(parts, sort_keys=True, default=str).encode(), digest_size=8).hexdigest()


def hash_of(*parts: bytes | np.ndarray) -> bytes:
    """Eight bytes that distinguish runs of bytes, or contiguous arrays."""
    total = hashlib.blake2b(digest_size=8)
    for part in parts:
        total.update(part)
    return total.digest()


def digest_of(array: np.ndarray, *more: object) -> str:
    """A hash of an array's values and what goes with them."""
    total = hashlib.blake2b(repr((array.shape, array.dtype.str, *more)).encode(), digest_size=12)
    total.update(np.ascontiguousarray(array))
    return total.hexdigest()
