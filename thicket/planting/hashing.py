"""Integer hashes: the only source of chance in the core.

Every hash works on int64 values kept inside 32 bits, with multipliers below 2**31, so that no product
overflows and every machine gives the same bits.
"""

from __future__ import annotations

import hashlib

import numba as nb
import numpy as np

MASK32 = 0xFFFFFFFF
MASK48 = 0xFFFFFFFFFFFF
_UNIT = 1.0 / 4294967296.0


@nb.njit(nogil=True, cache=True, inline="always")
def mix32(x):
    """Scramble a 32-bit integer (two xor-shift-multiply rounds); returns an integer in [0, 2**32)."""
    x &= MASK32
    x ^= x >> 15
    x = (x * 0x2C1B3C6D) & MASK32
    x ^= x >> 12
    x = (x * 0x297A2D39) & MASK32
    x ^= x >> 15
    return x


@nb.njit(nogil=True, cache=True, inline="always")
def cell_hash(seed, ix, iz):
    """Hash of a lattice cell; `ix` and `iz` may be negative."""
    return mix32(mix32(mix32(seed) ^ (ix & MASK32)) + ((iz * 0x5BD1) & MASK32))


@nb.njit(nogil=True, cache=True, inline="always")
def unit(h):
    """A 32-bit hash as a float in [0, 1)."""
    return h * _UNIT


def seed_of(*parts: object) -> int:
    """A 31-bit seed that follows from `parts` by their text; equal parts always give equal seeds."""
    text = "\x1f".join(str(part) for part in parts)
    return int.from_bytes(hashlib.blake2b(text.encode(), digest_size=4).digest(), "little") & 0x7FFFFFFF


def plant_ids(number: int, key: int | np.ndarray, cells: np.ndarray) -> np.ndarray:
    """Stable 64-bit ids of the plants of one stand.

    The stand's number fills the upper 16 bits; the lattice cell, scrambled by a reversible mix under
    `key`, fills the lower 48, so no two plants of a stand share an id and a stand of another spacing
    does not take over the ids of this one.

    Parameters: number in [0, 65535]; key from `seed_of`, one or one for each; cells int64 (n, 2), each within
    ±2**23. Returns: uint64 (n,).
    """
    cells = np.asarray(cells, dtype=np.int64) + (1 << 23)
    packed = (cells[:, 0].astype(np.uint64) << np.uint64(24)) | cells[:, 1].astype(np.uint64)
    mask = np.uint64(MASK48)
    packed ^= np.asarray(key).astype(np.uint64) * np.uint64(0x9E3779B1) & mask
    for shift, factor in ((23, 0xD6E8FEB86659), (25, 0xA3B195354A39)):
        packed ^= packed >> np.uint64(shift)
        packed = (packed * np.uint64(factor)) & mask
    packed ^= packed >> np.uint64(24)
    return packed | (np.uint64(number) << np.uint64(48))
