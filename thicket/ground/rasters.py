"""Rasters of one extent at another resolution, and compared block by block."""

from __future__ import annotations

import numba as nb
import numpy as np
from scipy.sparse import csr_array

from thicket.refused import Refused


def _weights(old: int, new: int, ratio: float) -> csr_array:
    """How much each of `old` cells gives to each of `new` cells, each `ratio` old cells long, along one axis.

    Toward fewer cells every old cell counts by the length it shares with the new one; toward more cells the
    two nearest count by their distance. Beyond the old raster its last value holds. Shape (new, old), rows
    add up to 1.
    """
    rows, columns, parts = [], [], []
    for k in range(new):
        if ratio > 1:
            lo, hi = min(k * ratio, old - 1.0), min((k + 1) * ratio, float(old))
            cells = list(range(int(lo), max(int(np.ceil(hi - 1e-9)), int(lo) + 1)))
            lengths = [max(min(hi, c + 1) - max(lo, c), 1e-12) for c in cells]
            shares = [length / sum(lengths) for length in lengths]
        else:
            at = min(max((k + 0.5) * ratio - 0.5, 0.0), old - 1.0)
            first = min(int(at), max(old - 2, 0))
            cells, shares = [first, min(first + 1, old - 1)], [1 - (at - first), at - first]
        rows += [k] * len(shares)
        columns += cells
        parts += shares
    return csr_array((parts, (rows, columns)), shape=(new, old))


def resample(raster: np.ndarray, shape: tuple[int, int], ratio: float | None = None) -> np.ndarray:
    """A raster whose values sit at cell centres, at another resolution.

    Toward fewer cells values are averaged by area, toward more interpolated bilinearly.

    Parameters: raster (rows, columns); shape of the result; ratio, the new cell's size over the old one's
    when the two do not cover quite the same ground (both begin at the same corner). Returns: an array of the
    raster's type, whole-number types rounded; the raster itself when it already has the shape and the cell.
    """
    shape = (shape[0], shape[1])
    if raster.shape == shape and ratio in (None, 1.0):
        return raster
    ratios = (ratio, ratio) if ratio else (raster.shape[0] / shape[0], raster.shape[1] / shape[1])
    wide = _weights(raster.shape[0], shape[0], ratios[0]) @ raster.astype(np.float64)
    out = (_weights(raster.shape[1], shape[1], ratios[1]) @ wide.T).T
    if np.issubdtype(raster.dtype, np.integer):
        out = np.rint(out)
    return np.ascontiguousarray(out.astype(raster.dtype))


def regrid_vertices(heights: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Heights at grid vertices for another number of vertices over the same ground, bilinear; float32."""
    from thicket.ground.heights import sample

    v, u = np.meshgrid(
        np.linspace(0, heights.shape[0] - 1, shape[0]),
        np.linspace(0, heights.shape[1] - 1, shape[1]),
        indexing="ij",
    )
    return sample(np.asarray(heights, np.float32), u.ravel(), v.ravel()).reshape(shape)


@nb.njit(nogil=True, cache=True)
def _block_sums(raster, col0, row0, weights, out):
    side = weights.shape[0]
    rows, cols = raster.shape
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            total = np.int64(0)
            z0, x0 = (row0 + j) * side, (col0 + i) * side
            for z in range(z0, min(z0 + side, rows)):
                for x in range(x0, min(x0 + side, cols)):
                    total += weights[z - z0, x - x0] * raster[z, x]
            out[j, i] = total


def block_sums(raster: np.ndarray, blocks: tuple[int, int, int, int], weights: np.ndarray) -> np.ndarray:
    """Weighted sums of a raster's square blocks, with int64 arithmetic that wraps: with large odd weights,
    numbers that distinguish blocks with other values.

    Parameters: raster of integers; blocks (col0, row0, col1, row1), half open, in blocks of the weights' size
    from the raster's first corner; weights int64 (side, side). Returns: int64 (rows, columns) of blocks; what
    lies outside the raster counts as 0.
    """
    col0, row0, col1, row1 = blocks
    out = np.empty((row1 - row0, col1 - col0), np.int64)
    _block_sums(raster, col0, row0, weights, out)
    return out


_RUN = 16
"""Cells of a row that are written as one when all are as their neighbours say."""


_BITS = np.array([0, *(v.bit_length() - 1 for v in range(1, 256))], np.int64)
_CODES = np.array(
    [
        0,
        *(
            (1 << b | (v - (1 << b)) << b + 1) | 2 * b + 1 << 32
            for v, b in zip(range(1, 256), _BITS[1:].tolist())
        ),
    ]
)
"""Elias's code of a number under 256, and from its 32nd bit on how many bits it has."""


@nb.njit(nogil=True, cache=True)
def _compress(raster, length, codes, out):
    rows, cols = raster.shape
    row, along, before = np.zeros(cols, np.int16), np.zeros(cols, np.int16), np.zeros(cols, np.int16)
    held = n = many = 0
    for z in range(rows):
        along, before = before, along
        along[0] = raster[z, 0]
        for x in range(1, cols):
            along[x] = raster[z, x] - raster[z, x - 1]
        for x in range(cols):
            row[x] = along[x] - before[x]
        for x0 in range(0, cols, _RUN):
            x1 = min(x0 + _RUN, cols)
            any_ = 0
            for x in range(x0, x1):
                any_ |= row[x]
            held |= (any_ != 0) << many
            many += 1
            for x in range(x0, x1 if any_ else x0):
                signed = np.int64(row[x])
                number = signed << 1 if signed > 0 else -signed << 1 | 1
                if number < 256:
                    held |= (codes[number] & 0xFFFFFFFF) << many
                    many += codes[number] >> 32
                else:
                    bits = 8 + length[number >> 8] if number < 65536 else 16
                    held |= (1 << bits | (number - (1 << bits)) << (bits + 1)) << many  # type: ignore
                    many += 2 * bits + 1
                while many >= 16:
                    out[n] = held
                    held >>= 16
                    many -= 16
                    n += 1
            if many >= 16:
                out[n] = held
                held >>= 16
                many -= 16
                n += 1
    out[n] = held
    return 2 * n + (many + 7) // 8


def compressed(raster: np.ndarray) -> bytes:
    """A smooth raster in few bytes: by how much each value differs from what its neighbours before it let
    expect.

    Runs of 16 cells without a difference are one bit. Others are in Elias's gamma code ("Universal codeword
    sets and representations of the integers", 1975), low bits first, negative differences folded between the
    positive. Parameters: raster int16 (rows, columns).
    """
    out = np.empty(3 * raster.size + 16, "<u2")
    many = _compress(np.asarray(raster, np.int16), _BITS, _CODES, out)
    return out.view(np.uint8)[:many].tobytes()


@nb.njit(nogil=True, cache=True)
def _decompress(data, out):
    rows, cols = out.shape
    at, end = 0, 8 * data.shape[0]
    for z in range(rows):
        along = np.int64(0)
        for x0 in range(0, cols, _RUN):
            if at >= end:
                return -1
            any_ = data[at >> 3] >> (at & 7) & 1
            at += 1
            for x in range(x0, min(x0 + _RUN, cols)):
                v = np.int64(0)
                if any_:
                    bits = 0
                    while at < end and data[at >> 3] >> (at & 7) & 1 == 0:
                        bits += 1
                        at += 1
                    if at + bits >= end or bits > 16:
                        return -1
                    at += 1
                    code = np.int64(1) << bits
                    for b in range(bits):
                        code |= np.int64(data[at >> 3] >> (at & 7) & 1) << b
                        at += 1
                    v = -(code >> 1) if code & 1 else code >> 1
                along += v
                out[z, x] = ((along + (out[z - 1, x] if z else 0) + 32768) & 65535) - 32768
    return 0 if end - at < 8 else -1


def decompressed(data: bytes, shape: tuple[int, int]) -> np.ndarray:
    """The raster int16 of a shape that was compressed.

    Raises: Refused when the bytes are not those of such a raster.
    """
    out = np.empty(shape, np.int16)
    if _decompress(np.frombuffer(data, np.uint8), out) != 0:
        raise Refused(f"the bytes are not a compressed raster of {shape[0]} × {shape[1]}")
    return out
