"""Where water gathers: depressions filled, flow led downhill, and the wetness index that follows. Whole
ground only.

After: Barnes, Lehman and Mulla, "Priority-flood", Computers & Geosciences 62, 2014; Zhou, Sun and Fu, "An
efficient variant of the priority-flood algorithm", Computers & Geosciences 90, 2016 (slopes need no priority
queue); Quinn et al., "The prediction of hillslope flow paths", Hydrological Processes 5(1), 1991 (flow shared
by steepness); Beven and Kirkby, "A physically based, variable contributing area model", Hydrological Sciences
Bulletin 24(1), 1979.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_DJ = np.array([-1, -1, -1, 0, 0, 1, 1, 1], np.int64)
_DI = np.array([-1, 0, 1, -1, 1, -1, 0, 1], np.int64)
_NONE, _OUTSIDE, _RIM = 255, 254, 8
LEAST_SLOPE = 0.001
"""tan β is not taken smaller than this, so that flats do not become endlessly wet."""


@nb.njit(nogil=True, cache=True)
def _push(heap_h, heap_c, n, h, c):
    k = n
    while k > 0:
        up = (k - 1) >> 1
        if heap_h[up] < h or (heap_h[up] == h and heap_c[up] <= c):
            break
        heap_h[k], heap_c[k] = heap_h[up], heap_c[up]
        k = up
    heap_h[k], heap_c[k] = h, c


@nb.njit(nogil=True, cache=True)
def _sink(heap_h, heap_c, n):
    """Take the first entry out of a heap of n; the last one is put in its place and sunk."""
    h, c = heap_h[n - 1], heap_c[n - 1]
    n -= 1
    k = 0
    while True:
        low = 2 * k + 1
        if low >= n:
            break
        if low + 1 < n and (
            heap_h[low + 1] < heap_h[low]
            or (heap_h[low + 1] == heap_h[low] and heap_c[low + 1] < heap_c[low])
        ):
            low += 1
        if heap_h[low] > h or (heap_h[low] == h and heap_c[low] >= c):
            break
        heap_h[k], heap_c[k] = heap_h[low], heap_c[low]
        k = low
    heap_h[k], heap_c[k] = h, c


@nb.njit(nogil=True, cache=True)
def _flood(height, step, out, way):
    """Fill from the rim inward over a grid with one ring of cells outside it.

    Beside the cells at the level being flooded, only ground that is no lower than where it is reached from is
    settled at once: it keeps its own height. Cells that still look down on unsettled ground wait in the heap.
    """
    size = height.shape[0]
    heap_h, heap_c = np.empty(size, np.float32), np.empty(size, np.int32)
    queue, waits = np.empty(size, np.int32), np.empty(size, np.int32)
    n, tail = 0, 0
    for c in range(size):
        if way[c] == _RIM:
            queue[tail] = c
            tail += 1
    level = np.float32(-np.inf)
    while True:
        head, waiting = 0, 0
        while head < tail:
            c = queue[head]
            head += 1
            mine = out[c]
            held = False
            for k in range(8):
                o = c + step[k]
                if way[o] == _NONE:
                    h = height[o]
                    if h >= mine or mine == level:
                        out[o] = max(h, mine)
                        way[o] = 7 - k
                        queue[tail] = o
                        tail += 1
                    else:
                        held = True
            if held:
                waits[waiting] = c
                waiting += 1
        for t in range(waiting):
            c = waits[t]
            for k in range(8):
                if way[c + step[k]] == _NONE:
                    _push(heap_h, heap_c, n, out[c], c)
                    n += 1
                    break
        if n == 0:
            return
        queue[0] = heap_c[0]
        level = out[queue[0]]
        tail = 1
        _sink(heap_h, heap_c, n)
        n -= 1


@nb.njit(nogil=True, cache=True)
def _gather(filled, way, step, share, cell, area, slope):
    """Catchment in m² of every cell, shared among all lower neighbours by steepness; and tan β along the same
    shares."""
    size = filled.shape[0]
    donors = np.zeros(size, np.int8)
    queue = np.empty(size, np.int32)
    tail = 0
    for c in range(size):
        if way[c] == _OUTSIDE:
            continue
        area[c] = cell * cell
        lower = False
        for k in range(8):
            o = c + step[k]
            if way[o] == _OUTSIDE:
                continue
            if filled[o] > filled[c]:
                donors[c] += 1
            elif filled[o] < filled[c]:
                lower = True
        if not lower and way[c] < 8:
            donors[c + step[way[c]]] += 1
    for c in range(size):
        if way[c] != _OUTSIDE and donors[c] == 0:
            queue[tail] = c
            tail += 1
    head = 0
    fall = np.empty(8)
    while head < tail:
        c = queue[head]
        head += 1
        total, wide = 0.0, 0.0
        for k in range(8):
            o = c + step[k]
            drop = float(filled[c]) - float(filled[o]) if way[o] != _OUTSIDE else 0.0
            fall[k] = 0.0
            if drop > 0.0:
                length, width = share[k]
                fall[k] = drop / length * width
                total += fall[k]
                wide += width
        if total > 0.0:
            slope[c] = total / wide
            part = area[c] / total
            for k in range(8):
                if fall[k] > 0.0:
                    o = c + step[k]
                    area[o] += fall[k] * part
                    donors[o] -= 1
                    if donors[o] == 0:
                        queue[tail] = o
                        tail += 1
        elif way[c] < 8:
            o = c + step[way[c]]
            area[o] += area[c]
            donors[o] -= 1
            if donors[o] == 0:
                queue[tail] = o
                tail += 1


def _padded(heights: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, tuple[int, int]]:
    """The heights with a ring outside, flat; the ways to begin with; steps to the eight neighbours."""
    heights = np.asarray(heights, np.float32)
    rows, cols = heights.shape
    wide = cols + 2
    height = np.full((rows + 2, wide), np.inf, np.float32)
    height[1:-1, 1:-1] = heights
    way = np.full((rows + 2, wide), _OUTSIDE, np.uint8)
    way[1:-1, 1:-1] = _RIM
    way[2:-2, 2:-2] = _NONE
    return height.ravel(), way.ravel(), _DJ * wide + _DI, (rows, cols)


def _inner(flat: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    return flat.reshape(shape[0] + 2, shape[1] + 2)[1:-1, 1:-1]


def fill_depressions(heights: np.ndarray) -> np.ndarray:
    """The lowest surface over the ground from every point of which water can run off over the rim.

    Parameters: heights float32 (rows, columns) in m; the whole ground, a tile will not do.
    Returns: float32 of the same shape, in m.
    """
    height, way, step, shape = _padded(heights)
    out = height.copy()
    _flood(height, step, out, way)
    return np.ascontiguousarray(_inner(out, shape))


def topographic_wetness_index(heights: np.ndarray, cell: float) -> np.ndarray:
    """Topographic wetness: ln(a / tan β) on the depression-filled ground, a in m² for each m of contour.

    Parameters: heights float32 (rows, columns) in m; the whole ground, a tile will not do; cell in m. On the
    flats of filled hollows water runs the way the flood came in.

    Returns: float32 of the same shape, about 1 (dry rib) to 20 (stream or pool); tan β is at least
    `LEAST_SLOPE`.
    """
    height, way, step, shape = _padded(heights)
    filled = height.copy()
    _flood(height, step, filled, way)
    area = np.zeros(filled.shape[0])
    slope = np.zeros(filled.shape[0], np.float32)
    diagonal = np.abs(_DJ) + np.abs(_DI) == 2
    share = np.where(diagonal[:, None], [cell * 2**0.5, cell * 0.354], [cell, cell * 0.5])
    _gather(filled, way, step, share, float(cell), area, slope)
    a = _inner(area, shape).astype(np.float32)
    a /= np.maximum(_inner(slope, shape), np.float32(LEAST_SLOPE)) * np.float32(cell)
    return np.log(a, out=a)


@nb.njit(nogil=True, cache=True)
def _receivers(filled, way, step, length, donors):
    """The steps (0–7) toward the neighbours that cells drain to: the steepest way down, on flats the way the
    flood came in; 8 at the rim. They take the place of `way`; and how many drain to each cell."""
    for c in range(filled.shape[0]):
        if way[c] >= 8:
            continue
        mine, steepest = filled[c], np.float32(0.0)
        for k in range(8):
            fall = (mine - filled[c + step[k]]) * length[k]
            if fall > steepest:
                steepest, way[c] = fall, k
        donors[c + step[way[c]]] += 1


@nb.njit(nogil=True, cache=True)
def _gather_cells(way, step, donors, catchment):
    """Cells that drain through each cell, itself included. `donors` comes to 0."""
    for begin in range(way.shape[0]):
        if way[begin] == _OUTSIDE or catchment[begin] != 0:
            continue
        c = begin
        while donors[c] == 0:
            catchment[c] += 1
            if way[c] >= 8:
                break
            o = c + step[way[c]]
            catchment[o] += catchment[c]
            donors[o] -= 1
            c = o


@nb.njit(nogil=True, cache=True)
def _mark_basins(way, step, basin):
    """The rim cell at which the water of each cell leaves, as an index into the flat grid."""
    for begin in range(way.shape[0]):
        if way[begin] == _OUTSIDE:
            continue
        c = begin
        while basin[c] == 0 and way[c] < 8:
            c += step[way[c]]
        end = basin[c] if basin[c] != 0 else c
        c = begin
        while basin[c] == 0:
            basin[c] = end
            if way[c] < 8:
                c += step[way[c]]


class _Drainage:
    """Where each cell of the filled ground drains to: one neighbour each."""

    def __init__(self, heights: np.ndarray) -> None:
        height, self.way, self.step, self.shape = _padded(heights)
        filled = height.copy()
        _flood(height, self.step, filled, self.way)
        self.donors = np.zeros(filled.shape[0], np.int8)
        length = np.where(np.abs(_DJ) + np.abs(_DI) == 2, np.float32(0.5**0.5), np.float32(1))
        _receivers(filled, self.way, self.step, length, self.donors)


def catchments(heights: np.ndarray) -> np.ndarray:
    """How many cells drain through each cell, itself included, once depressions are filled (O'Callaghan and
    Mark, Computer Vision, Graphics, and Image Processing 28, 1984).

    Parameters: heights float32 (rows, columns) in m; the whole ground, a tile will not do. Returns: int32 of
    the same shape.
    """
    drains = _Drainage(heights)
    found = np.zeros(drains.way.shape[0], np.int32)
    _gather_cells(drains.way, drains.step, drains.donors, found)
    return np.ascontiguousarray(_inner(found, drains.shape))


def basins(heights: np.ndarray) -> np.ndarray:
    """The drainage basin of every cell: a number that all have that drain to one place of the rim.

    Parameters: heights as `catchments`. Returns: int32 of the same shape.
    """
    drains = _Drainage(heights)
    found = np.zeros(drains.way.shape[0], np.int32)
    _mark_basins(drains.way, drains.step, found)
    return np.ascontiguousarray(_inner(found, drains.shape))
