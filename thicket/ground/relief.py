"""Slope, facing and shading of a heightmap.

After: Horn, "Hill shading and the reflectance map", Proceedings of the IEEE 69(1), 1981; arc tangent by the
polynomial 4.4.49 of Abramowitz and Stegun, "Handbook of Mathematical Functions", 1964 (error below 2e-8).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.bands import THREADS, by_rows

FLAT = -1.0
"""Facing of ground that falls nowhere."""
_LEAST_FALL = np.float32(1e-6)
_f = np.float32
_DEGREES = _f(180.0 / np.pi)
_A1, _A2, _A3, _A4 = _f(-0.3333314528), _f(0.1999355085), _f(-0.1420889944), _f(0.1065626393)
_A5, _A6, _A7, _A8 = _f(-0.0752896400), _f(0.0429096138), _f(-0.0161657367), _f(0.0028662257)


@nb.njit(nogil=True, cache=True, inline="always")
def _unit_atan(t):
    """Arc tangent in degrees of float32 `t` in [0, 1]."""
    s = t * t
    p = _A1 + s * (_A2 + s * (_A3 + s * (_A4 + s * (_A5 + s * (_A6 + s * (_A7 + s * _A8))))))
    return (t + t * s * p) * _DEGREES


@nb.njit(nogil=True, cache=True, inline="always")
def steepness(dx, dz):
    """Slope in degrees of the fall (dx, dz), float32."""
    g = np.sqrt(dx * dx + dz * dz)
    low = min(g, _f(1.0))
    high = max(g, _f(1.0))
    a = _unit_atan(low / high)
    return _f(90.0) - a if g > _f(1.0) else a


@nb.njit(nogil=True, cache=True, inline="always")
def bearing(dx, dz):
    """Compass bearing in degrees of the downhill direction of the fall (dx, dz), float32; `FLAT` where there
    is none."""
    x, z = abs(dx), abs(dz)
    low, high = min(x, z), max(x, z)
    a = _unit_atan(low / max(high, _LEAST_FALL))
    a = _f(90.0) - a if x > z else a
    a = _f(180.0) - a if dz < _f(0.0) else a
    a = _f(360.0) - a if dx > _f(0.0) else a
    a = _f(0.0) if a >= _f(360.0) else a
    return _f(FLAT) if high < _LEAST_FALL else a


@nb.njit(nogil=True, cache=True, inline="always")
def _fall(heights, n, j, s, w, i, e, kx, kz):
    dx = (
        (heights[n, e] - heights[n, w])
        + _f(2.0) * (heights[j, e] - heights[j, w])
        + (heights[s, e] - heights[s, w])
    ) * kx
    dz = (
        (heights[s, w] - heights[n, w])
        + _f(2.0) * (heights[s, i] - heights[n, i])
        + (heights[s, e] - heights[n, e])
    ) * kz
    return dx, dz


@nb.njit(nogil=True, cache=True)
def _horn(heights, k, first, last, slope, facing):
    """Slope and facing of rows first … last of a window; `k` is 1 / (8 cell)."""
    rows, cols = heights.shape
    for j in range(first, last):
        n, s = max(j - 1, 0), min(j + 1, rows - 1)
        kz = k * _f(2.0) / _f(s - n)
        for i in range(1, cols - 1):
            dx, dz = _fall(heights, n, j, s, i - 1, i, i + 1, k, kz)
            slope[j - first, i] = steepness(dx, dz)
            facing[j - first, i] = bearing(dx, dz)
        for i in (0, cols - 1):
            w, e = max(i - 1, 0), min(i + 1, cols - 1)
            dx, dz = _fall(heights, n, j, s, w, i, e, k * _f(2.0) / _f(e - w), kz)
            slope[j - first, i] = steepness(dx, dz)
            facing[j - first, i] = bearing(dx, dz)


def slope_and_aspect(
    heights: np.ndarray, cell: float, threads: int = THREADS
) -> tuple[np.ndarray, np.ndarray]:
    """Slope and facing at every vertex by Horn's 3×3 window.

    Parameters: heights float32 (rows, columns) in m, at least 2 × 2; cell in m. A tile needs a margin of one
    vertex to give what the whole gives. At the edge of the array the window is cut and the difference taken
    one-sided.

    Returns: slope in degrees (0 flat) and facing, the compass bearing of the downhill direction in degrees
    clockwise from north (−z), both float32 of the same shape; facing is `FLAT` where the ground falls
    nowhere.
    """
    heights = np.ascontiguousarray(heights, dtype=np.float32)
    slope, facing = np.empty_like(heights), np.empty_like(heights)
    k = np.float32(1.0 / (8.0 * cell))

    def band(first: int, last: int) -> None:
        _horn(heights, k, first, last, slope[first:last], facing[first:last])

    by_rows(heights.shape[0], band, threads)
    return slope, facing


@nb.njit(nogil=True, cache=True)
def _facing_of_cells(heights, k, out):
    for j in range(out.shape[0]):
        for i in range(out.shape[1]):
            dx = (heights[j, i + 1] - heights[j, i] + heights[j + 1, i + 1] - heights[j + 1, i]) * k
            dz = (heights[j + 1, i] - heights[j, i] + heights[j + 1, i + 1] - heights[j, i + 1]) * k
            out[j, i] = bearing(dx, dz) if dx * dx + dz * dz > _f(7.6e-5) else _f(FLAT)


def facing_of_cells(heights: np.ndarray, cell: float) -> np.ndarray:
    """Facing at cell centres from the four vertices around each: bearings need their own mean, 359° and 1°
    are near.

    Parameters: heights float32 (rows, columns) in m; cell in m; no margin is needed.
    Returns: float32 (rows − 1, columns − 1) in degrees; `FLAT` where the slope is below half a degree.
    """
    out = np.empty((heights.shape[0] - 1, heights.shape[1] - 1), np.float32)
    _facing_of_cells(np.ascontiguousarray(heights, dtype=np.float32), np.float32(0.5 / cell), out)
    return out


def to_cells(vertices: np.ndarray) -> np.ndarray:
    """Mean of the four vertices of every cell: float32 (rows − 1, columns − 1)."""
    v = vertices
    return (0.25 * (v[:-1, :-1] + v[:-1, 1:] + v[1:, :-1] + v[1:, 1:])).astype(np.float32)


def shade(heights: np.ndarray, cell: float, bearing: float = 315.0, elevation: float = 45.0) -> np.ndarray:
    """Relief shading, float32 0–1, lit from a bearing and an elevation in degrees."""
    slope, facing = (np.radians(a) for a in slope_and_aspect(heights, cell))
    up = np.radians(elevation)
    light = np.sin(up) * np.cos(slope) + np.cos(up) * np.sin(slope) * np.cos(np.radians(bearing) - facing)
    return np.clip(light, 0.0, 1.0).astype(np.float32)
