"""Rasters in and out of tiles of 256 × 256 values."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator

import numpy as np

from thicket.ground.rasters import compressed, decompressed

TILE = 256


_COMPRESSED = b"\x02"
"""A stored tile that begins so holds int16 values as `thicket.ground.rasters.compressed` lays them out:
painted maps are smooth."""


_PLANES = b"\x01"
"""How such tiles were stored before: differences, low bytes first and then high bytes."""


def _from_planes(data: bytes, shape: tuple[int, ...]) -> np.ndarray:
    folded = (
        np.ascontiguousarray(np.frombuffer(data, np.uint8).reshape(2, -1).T).view(np.uint16).reshape(shape)
    )
    both = ((folded >> 1) ^ (-(folded & 1).astype(np.int16)).view(np.uint16)).view(np.int16)
    return np.cumsum(np.cumsum(both, axis=0, dtype=np.int16), axis=1, dtype=np.int16)


def pack(array: np.ndarray) -> bytes:
    """A tile's values as they are stored."""
    if array.dtype == np.int16 and array.ndim == 2:
        return _COMPRESSED + compressed(array)
    return zlib.compress(np.ascontiguousarray(array).tobytes(), 1)


def unpack(data: bytes, dtype: str, shape: tuple[int, ...]) -> np.ndarray:
    """A stored tile's values; a writable copy."""
    if data[:1] == _COMPRESSED:
        rows, columns = shape
        return decompressed(data[1:], (rows, columns))
    if data[:1] == _PLANES:
        return _from_planes(zlib.decompress(data[1:]), shape)
    return np.frombuffer(zlib.decompress(data), dtype).reshape(shape).copy()


def tile_of(data: bytes, dtype: str, shape: tuple[int, ...]) -> np.ndarray:
    """A stored tile's values, a copy; zeros where nothing was stored yet."""
    return unpack(data, dtype, shape) if data else np.zeros(shape, dtype)


def tile_shape(shape: tuple[int, ...], tx: int, tz: int) -> tuple[int, ...]:
    """The shape of tile (tx, tz) of a raster; the last row and column of tiles may be cut."""
    return (min(TILE, shape[0] - tz * TILE), min(TILE, shape[1] - tx * TILE), *shape[2:])


def tile(array: np.ndarray, tx: int, tz: int) -> np.ndarray:
    """The values of one tile of a raster."""
    return array[tz * TILE : (tz + 1) * TILE, tx * TILE : (tx + 1) * TILE]


def differing(before: np.ndarray, after: np.ndarray) -> Iterator[tuple[int, int, np.ndarray]]:
    """The tiles in which a raster differs from one of its shape, as (tx, tz, values)."""
    for tz in range(-(-after.shape[0] // TILE)):
        for tx in range(-(-after.shape[1] // TILE)):
            part = tile(after, tx, tz)
            if not np.array_equal(tile(before, tx, tz), part):
                yield tx, tz, part


def split(array: np.ndarray) -> Iterator[tuple[int, int, bytes]]:
    """All tiles of a raster as (tx, tz, stored bytes)."""
    for tz in range(-(-array.shape[0] // TILE)):
        for tx in range(-(-array.shape[1] // TILE)):
            yield tx, tz, pack(array[tz * TILE : (tz + 1) * TILE, tx * TILE : (tx + 1) * TILE])


def place(array: np.ndarray, tx: int, tz: int, data: bytes) -> None:
    """Write a stored tile into its place in the whole raster."""
    shape = tile_shape(array.shape, tx, tz)
    array[tz * TILE : tz * TILE + shape[0], tx * TILE : tx * TILE + shape[1]] = unpack(
        data, array.dtype.str, shape
    )


def whole(tiles: Iterable[tuple[int, int, bytes]], dtype: str, shape: tuple[int, ...]) -> np.ndarray:
    """A raster from its tiles; zero where there is no tile."""
    array = np.zeros(shape, dtype)
    for tx, tz, data in tiles:
        place(array, tx, tz, data)
    return array
