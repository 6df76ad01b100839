"""Slope, facing and shading of a heightmap.

After: Horn, "Hill shading and the reflectance map", Proceedings of the IEEE 69(1), 1981.
"""

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(nogil=True, cache=True)
def _horn(heights, cell, slope, facing):
    rows, cols = heights.shape
    k = 1.0 / (8.0 * cell)
    degrees = 180.0 / np.pi
    for j in range(rows):
        n, s = max(j - 1, 0), min(j + 1, rows - 1)
        kz = k * 2.0 / (s - n)
        for i in range(cols):
            w, e = max(i - 1, 0), min(i + 1, cols - 1)
            kx = k * 2.0 / (e - w)
            dx = ((heights[n, e] + 2.0 * heights[j, e] + heights[s, e])
                  - (heights[n, w] + 2.0 * heights[j, w] + heights[s, w])) * kx
            dz = ((heights[s, w] + 2.0 * heights[s, i] + heights[s, e])
                  - (heights[n, w] + 2.0 * heights[n, i] + heights[n, e])) * kz
            slope[j, i] = np.arctan(np.sqrt(dx * dx + dz * dz)) * degrees
            bearing = np.arctan2(-dx, dz) * degrees
            facing[j, i] = bearing + 360.0 if bearing < 0.0 else bearing


def slope_and_facing(heights: np.ndarray, cell: float) -> tuple[np.ndarray, np.ndarray]:
    """Slope and facing at every vertex by Horn's 3×3 window.

    Parameters: heights float32 (rows, columns) in m; cell in m. At the edge of the grid the window is
    cut and the difference taken one-sided.

    Returns: slope in degrees (0 flat) and facing, the compass bearing of the downhill direction in
    degrees clockwise from north (−z), both float32 of the same shape; facing is 0 where it is flat.
    """
    heights = np.ascontiguousarray(heights, dtype=np.float32)
    slope, facing = np.empty_like(heights), np.empty_like(heights)
    _horn(heights, float(cell), slope, facing)
    return slope, facing


def to_cells(vertices: np.ndarray) -> np.ndarray:
    """Mean of the four vertices of every cell: float32 (rows − 1, columns − 1)."""
    v = vertices
    return (0.25 * (v[:-1, :-1] + v[:-1, 1:] + v[1:, :-1] + v[1:, 1:])).astype(np.float32)


def shade(heights: np.ndarray, cell: float, bearing: float = 315.0, elevation: float = 45.0) -> np.ndarray:
    """Relief shading, float32 0–1, lit from a bearing and an elevation in degrees."""
    slope, facing = (np.radians(a) for a in slope_and_facing(heights, cell))
    up = np.radians(elevation)
    light = np.sin(up) * np.cos(slope) + np.cos(up) * np.sin(slope) * np.cos(np.radians(bearing) - facing)
    return np.clip(light, 0.0, 1.0).astype(np.float32)
