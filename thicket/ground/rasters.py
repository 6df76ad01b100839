"""Rasters of one extent at another resolution, and told apart block by block."""

from __future__ import annotations

import numba as nb
import numpy as np
from scipy.sparse import csr_array


def _weights(old: int, new: int, ratio: float) -> csr_array:
    """How much each of `old` cells gives to each of `new` cells, each `ratio` old cells long, along one axis.

    Toward fewer cells every old cell counts by the length it shares with the new one; toward more cells the two
    nearest count by their distance. Beyond the old raster its last value holds. Shape (new, old), rows add up to 1.
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

    Parameters: raster (rows, columns); shape of the result; ratio, the new cell's size over the old one's when the two
    do not cover quite the same ground (both begin at the same corner). Returns: an array of the raster's type,
    whole-number types rounded; the raster itself when it already has the shape and the cell.
    """
    shape = tuple(shape)
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

    v, u = np.meshgrid(np.linspace(0, heights.shape[0] - 1, shape[0]), np.linspace(0, heights.shape[1] - 1, shape[1]),
                       indexing="ij")
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
    """Weighted sums of a raster's square blocks, with int64 arithmetic that wraps: with large odd weights, numbers that tell
    blocks with other values apart.

    Parameters: raster of integers; blocks (col0, row0, col1, row1), half open, in blocks of the weights' size from the raster's
    first corner; weights int64 (side, side). Returns: int64 (rows, columns) of blocks; what lies outside the raster counts as 0.
    """
    col0, row0, col1, row1 = blocks
    out = np.empty((row1 - row0, col1 - col0), np.int64)
    _block_sums(raster, col0, row0, weights, out)
    return out


@nb.njit(nogil=True, cache=True)
def _put(out, n, value):
    while value >= 128:
        out[n] = value & 127 | 128
        value >>= 7
        n += 1
    out[n] = value
    return n + 1


@nb.njit(nogil=True, cache=True)
def _squeeze(raster, out):
    rows, cols = raster.shape
    n = run = 0
    for z in range(rows):
        for x in range(cols):
            left = np.int64(raster[z, x - 1]) if x else 0
            up = np.int64(raster[z - 1, x]) if z else 0
            corner = np.int64(raster[z - 1, x - 1]) if x and z else 0
            v = ((raster[z, x] - left - up + corner + 32768) & 65535) - 32768
            if v == 0:
                run += 1
                continue
            if run:
                n = _put(out, _put(out, n, 0), run)
                run = 0
            n = _put(out, n, v << 1 if v > 0 else (-v << 1) - 1)
    return _put(out, _put(out, n, 0), run) if run else n


def squeezed(raster: np.ndarray) -> bytes:
    """A smooth raster in few bytes: each value as what it differs by from its neighbours before it along both axes.

    Whole numbers of seven bits a byte, low ones first, negative ones folded between the positive; 0 is followed by how many
    zeros stand there. Parameters: raster int16 (rows, columns).
    """
    out = np.empty(4 * raster.size + 16, np.uint8)
    return out[:_squeeze(np.ascontiguousarray(raster), out)].tobytes()


@nb.njit(nogil=True, cache=True)
def _get(data, at):
    value = shift = 0
    while at < data.shape[0] and shift <= 28:
        byte = np.int64(data[at])
        at += 1
        value |= (byte & 127) << shift
        if byte < 128:
            return value, at
        shift += 7
    return -1, at


@nb.njit(nogil=True, cache=True)
def _loosen(data, out):
    rows, cols = out.shape
    at = run = 0
    for z in range(rows):
        for x in range(cols):
            v = 0
            if run:
                run -= 1
            else:
                v, at = _get(data, at)
                if v == 0:
                    run, at = _get(data, at)
                    run -= 1
                if v < 0 or run < 0:
                    return -1
                v = v >> 1 if v & 1 == 0 else -((v + 1) >> 1)
            left = np.int64(out[z, x - 1]) if x else 0
            up = np.int64(out[z - 1, x]) if z else 0
            corner = np.int64(out[z - 1, x - 1]) if x and z else 0
            out[z, x] = ((v + left + up - corner + 32768) & 65535) - 32768
    return 0 if at == data.shape[0] and run == 0 else -1


def loosened(data: bytes, shape: tuple[int, int]) -> np.ndarray:
    """The raster int16 of a shape that was squeezed.

    Raises: ValueError when the bytes are not those of such a raster.
    """
    out = np.empty(shape, np.int16)
    if _loosen(np.frombuffer(data, np.uint8), out) != 0:
        raise ValueError(f"the bytes are not a squeezed raster of {shape[0]} × {shape[1]}")
    return out
