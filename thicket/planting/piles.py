"""A simple fall: things dropped one after another onto ground, and onto those that lie there, roll down and
come to rest. Each is a body of revolution, an ellipsoid; what lies there is a raster of heights."""

from __future__ import annotations

import numba as nb
import numpy as np

STEPS = 400
"""So many times each rolls on at the most."""
HOLDS = 0.25
"""It stays where no way down is steeper than this: the drop over the distance."""
HEAPS = 0.45
"""About how steep the sides of a heap come to be."""
STEEPEST = 0.7
"""What lies down leans by at most this slope, the rise over the distance."""


@nb.njit(nogil=True, cache=True)
def _span(dx, dz, radius, half, ux, uy, uz):
    """How far an ellipsoid's underside lies below its middle and its upper side above it, beside it by (dx,
    dz) m; both are NaN where it has nothing. It is `half` m high along its axis u, `radius` m across it."""
    flat = 1.0 / (radius * radius)
    k = 1.0 / (half * half) - flat
    side = ux * dx + uz * dz
    a = flat + k * uy * uy
    b = k * uy * side
    c = (dx * dx + dz * dz) * flat + k * side * side - 1.0
    root = b * b - a * c
    if root < 0.0:
        return np.nan, np.nan
    root = np.sqrt(root)
    return (-b - root) / a, (-b + root) / a


@nb.njit(nogil=True, cache=True)
def _rest(heights, cell, x, z, radius, half, ux, uy, uz):
    """How high the middle of a body lies when it rests on what is under it at a place."""
    rows, columns = heights.shape
    reach = max(radius, half)
    best = -np.inf
    for j in range(max(int((z - reach) / cell), 0), min(int((z + reach) / cell) + 2, rows)):
        for i in range(max(int((x - reach) / cell), 0), min(int((x + reach) / cell) + 2, columns)):
            low, _ = _span(i * cell - x, j * cell - z, radius, half, ux, uy, uz)
            if low == low:
                best = max(best, heights[j, i] - low)
    return best


@nb.njit(nogil=True, cache=True)
def _add(heights, cell, x, y, z, radius, half, ux, uy, uz):
    rows, columns = heights.shape
    reach = max(radius, half)
    for j in range(max(int((z - reach) / cell), 0), min(int((z + reach) / cell) + 2, rows)):
        for i in range(max(int((x - reach) / cell), 0), min(int((x + reach) / cell) + 2, columns)):
            low, high = _span(i * cell - x, j * cell - z, radius, half, ux, uy, uz)
            if low == low:
                heights[j, i] = max(heights[j, i], y + high)


@nb.njit(nogil=True, cache=True)
def _open(free, cell, x, z):
    j, i = int(z / cell + 0.5), int(x / cell + 0.5)
    return 0 <= j < free.shape[0] and 0 <= i < free.shape[1] and free[j, i]


@nb.njit(nogil=True, cache=True)
def settle(heights, free, cell, x, z, radius, half):
    """Drop bodies one after another, and let each roll down to where it holds.

    Parameters: heights, float64 (rows, columns) in m at vertices `cell` m apart, to which what lies there is
    added; free, bool of its shape, where the middle of a body may be; x, z, float64 (n,) in m from the
    raster's corner, where each is dropped, which must be free; radius and half, float64 (n,), half of its
    width and of its height in m. Returns: float64 (n, 6), where the middle of each comes to lie and the
    direction of its axis.
    """
    out = np.empty((x.shape[0], 6))
    for k in range(x.shape[0]):
        px, pz, r, h = x[k], z[k], radius[k], half[k]
        stride = max(0.25 * r, 0.5 * cell)
        # While it rolls it is as high as it is wide: flat things would lie on one another as on a table.
        y = _rest(heights, cell, px, pz, r, r, 0.0, 1.0, 0.0)
        for _ in range(STEPS):
            best, to_x, to_z = y - HOLDS * stride, px, pz
            for way in range(8):
                angle = way * np.pi / 4
                nx, nz = px + np.cos(angle) * stride, pz + np.sin(angle) * stride
                if _open(free, cell, nx, nz):
                    there = _rest(heights, cell, nx, nz, r, r, 0.0, 1.0, 0.0)
                    if there < best:
                        best, to_x, to_z = there, nx, nz
            if to_x == px and to_z == pz:
                break
            y, px, pz = best, to_x, to_z
        # It lies down on what is under it.
        by = 0.5 * r
        gx = (
            _rest(heights, cell, px + by, pz, r, h, 0.0, 1.0, 0.0)
            - _rest(heights, cell, px - by, pz, r, h, 0.0, 1.0, 0.0)
        ) / (2 * by)
        gz = (
            _rest(heights, cell, px, pz + by, r, h, 0.0, 1.0, 0.0)
            - _rest(heights, cell, px, pz - by, r, h, 0.0, 1.0, 0.0)
        ) / (2 * by)
        steep = np.sqrt(gx * gx + gz * gz)
        if steep > STEEPEST:
            gx, gz = gx * STEEPEST / steep, gz * STEEPEST / steep
        length = np.sqrt(gx * gx + 1.0 + gz * gz)
        ux, uy, uz = -gx / length, 1.0 / length, -gz / length
        y = _rest(heights, cell, px, pz, r, h, ux, uy, uz)
        _add(heights, cell, px, y, pz, r, h, ux, uy, uz)
        out[k, 0], out[k, 1], out[k, 2], out[k, 3], out[k, 4], out[k, 5] = px, y, pz, ux, uy, uz
    return out
