"""How a place lies in its surroundings: hollow or ridge, and how even the ground is close by."""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.bands import THREADS, by_rows
from thicket.refused import Refused

STEP = 4096.0
"""Altitudes are summed as whole numbers of 1/4096 m, so that a sum does not depend on where a window
begins."""
WIDEST = 250
"""The largest radius in cells."""


def disc(radius: float, cell: float) -> np.ndarray:
    """Half-widths in cells of the rows of a disc, from its centre row outward: int64 (k + 1,).

    Raises: Refused when the radius is not above 0 or reaches over `WIDEST` cells.
    """
    if not radius > 0:
        raise Refused("the radius must be above 0 m")
    reach = radius / cell
    if reach > WIDEST:
        raise Refused(
            f"a radius of {radius:g} m is more than {WIDEST} cells of {cell:g} m; "
            f"at most {WIDEST * cell:g} m can be looked at"
        )
    reach = max(reach, 1.0)
    rows = np.arange(int(reach) + 1)
    return np.floor(np.sqrt(np.maximum(reach * reach - rows * rows, 0.0)) + 1e-9).astype(np.int64)


@nb.njit(nogil=True, cache=True)
def _sums(values, out):
    """Sums of each row up to each column, in whole numbers of 1/STEP."""
    for j in range(values.shape[0]):
        total = np.int64(0)
        out[j, 0] = 0
        for i in range(values.shape[1]):
            total += np.int64(np.rint(values[j, i] * STEP))
            out[j, i + 1] = total


@nb.njit(nogil=True, cache=True)
def _hollow(values, sums, half, first, last, out):
    rows, cols = values.shape
    total = np.empty(cols, np.int64)
    count = np.empty(cols, np.int64)
    for j in range(first, last):
        total[:] = 0
        count[:] = 0
        for d in range(-(half.shape[0] - 1), half.shape[0]):
            if j + d < 0 or j + d >= rows:
                continue
            w = half[abs(d)]
            row = sums[j + d]
            for i in range(min(w, cols)):
                e = min(i + w + 1, cols)
                total[i] += row[e]
                count[i] += e
            for i in range(w, cols - w):
                total[i] += row[i + w + 1] - row[i - w]
                count[i] += 2 * w + 1
            for i in range(max(cols - w, w), cols):
                total[i] += row[cols] - row[i - w]
                count[i] += cols - i + w
        for i in range(cols):
            out[j - first, i] = values[j, i] - total[i] / (count[i] * STEP)


def topographic_position_index(
    heights: np.ndarray, cell: float, radius: float, threads: int = THREADS
) -> np.ndarray:
    """Topographic position: how far a place lies above (ridge) or below (hollow, negative) the mean altitude
    of a disc.

    Parameters: heights float32 (rows, columns) in m; cell and radius in m, the radius at most `WIDEST` cells.
    A tile needs a margin of the radius in cells to give what the whole gives, bit for bit; at the edge of the
    array the disc is cut.

    Returns: float32 of the same shape, in m. After: Weiss, "Topographic position and landforms analysis",
    2001.
    """
    heights = np.ascontiguousarray(heights, dtype=np.float32)
    half = disc(radius, cell)
    if 2 * half[0] >= heights.shape[1]:
        return _hollow_narrow(heights, half)
    sums = np.empty((heights.shape[0], heights.shape[1] + 1), np.int64)
    out = np.empty_like(heights)
    by_rows(heights.shape[0], lambda a, b: _sums(heights[a:b], sums[a:b]), threads)
    by_rows(heights.shape[0], lambda a, b: _hollow(heights, sums, half, a, b, out[a:b]), threads)
    return out


def _hollow_narrow(heights: np.ndarray, half: np.ndarray) -> np.ndarray:
    """The same for an array narrower than the disc: widened by columns that count for nothing."""
    rows, cols = heights.shape
    whole = np.rint(heights.astype(float) * STEP).astype(np.int64)
    total, count = np.zeros((rows, cols), np.int64), np.zeros((rows, cols), np.int64)
    sums = np.concatenate([np.zeros((rows, 1), np.int64), np.cumsum(whole, axis=1)], axis=1)
    at = np.arange(cols)
    for d in range(-(len(half) - 1), len(half)):
        low, high = np.maximum(at - half[abs(d)], 0), np.minimum(at + half[abs(d)] + 1, cols)
        here = np.arange(max(-d, 0), min(rows - d, rows))
        if len(here):
            total[here] += sums[here + d][:, high] - sums[here + d][:, low]
            count[here] += high - low
    return (heights - total / (count * STEP)).astype(np.float32)


@nb.njit(nogil=True, cache=True)
def _ladders(values, levels, most, least):
    """Greatest and least value of runs of 1, 2, 4 … cells that begin at each cell."""
    rows, cols = values.shape
    for j in range(rows):
        for i in range(cols):
            most[0, j, i] = values[j, i]
            least[0, j, i] = values[j, i]
        for k in range(1, levels):
            step = 1 << (k - 1)
            for i in range(cols):
                e = min(i + step, cols - 1)
                most[k, j, i] = max(most[k - 1, j, i], most[k - 1, j, e])
                least[k, j, i] = min(least[k - 1, j, i], least[k - 1, j, e])


@nb.njit(nogil=True, cache=True)
def _uneven(values, most, least, half, first, last, out):
    rows, cols = values.shape
    high = np.empty(cols, np.float32)
    low = np.empty(cols, np.float32)
    for j in range(first, last):
        high[:] = values[j]
        low[:] = values[j]
        for d in range(-(half.shape[0] - 1), half.shape[0]):
            if j + d < 0 or j + d >= rows:
                continue
            w = half[abs(d)]
            for i in range(cols):
                a, b = max(i - w, 0), min(i + w, cols - 1)
                k = 0
                while (2 << k) <= b - a + 1:
                    k += 1
                e = b - (1 << k) + 1
                high[i] = max(high[i], most[k, j + d, a], most[k, j + d, e])
                low[i] = min(low[i], least[k, j + d, a], least[k, j + d, e])
        for i in range(cols):
            out[j - first, i] = max(high[i] - values[j, i], values[j, i] - low[i])


def unevenness(heights: np.ndarray, cell: float, radius: float, threads: int = THREADS) -> np.ndarray:
    """The greatest step up or down, in m, from a place to any other within a radius: 0 on a floor, large at
    an edge.

    Parameters and margin as for `topographic_position_index`. Returns: float32 of the same shape, in m.
    """
    heights = np.ascontiguousarray(heights, dtype=np.float32)
    half = disc(radius, cell)
    levels = int(2 * half[0] + 1).bit_length()
    most = np.empty((levels, *heights.shape), np.float32)
    least = np.empty_like(most)
    out = np.empty_like(heights)
    by_rows(
        heights.shape[0], lambda a, b: _ladders(heights[a:b], levels, most[:, a:b], least[:, a:b]), threads
    )
    by_rows(heights.shape[0], lambda a, b: _uneven(heights, most, least, half, a, b, out[a:b]), threads)
    return out
