"""The ground: heights at grid vertices, and what follows from them at any place."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np


@nb.njit(nogil=True, cache=True)
def square(grid, u, v):
    """Column, row and fractions of the grid square that holds (u, v), kept inside the grid."""
    rows, cols = grid.shape
    u = min(max(u, 0.0), cols - 1.000001)
    v = min(max(v, 0.0), rows - 1.000001)
    i, j = int(u), int(v)
    return i, j, u - i, v - j


@nb.njit(nogil=True, cache=True)
def sample(grid, u, v):
    """Bilinear values of a grid at fractional columns `u` and rows `v`; float32 (n,)."""
    out = np.empty(u.shape[0], np.float32)
    for k in range(u.shape[0]):
        i, j, fu, fv = square(grid, u[k], v[k])
        top = grid[j, i] * (1.0 - fu) + grid[j, i + 1] * fu
        low = grid[j + 1, i] * (1.0 - fu) + grid[j + 1, i + 1] * fu
        out[k] = top * (1.0 - fv) + low * fv
    return out


@nb.njit(nogil=True, cache=True)
def _normals(grid, cell, u, v):
    out = np.empty((u.shape[0], 3), np.float32)
    for k in range(u.shape[0]):
        i, j, fu, fv = square(grid, u[k], v[k])
        dx = (grid[j, i + 1] - grid[j, i]) * (1.0 - fv) + (grid[j + 1, i + 1] - grid[j + 1, i]) * fv
        dz = (grid[j + 1, i] - grid[j, i]) * (1.0 - fu) + (grid[j + 1, i + 1] - grid[j, i + 1]) * fu
        length = np.sqrt(dx * dx + dz * dz + cell * cell)
        out[k, 0] = -dx / length
        out[k, 1] = cell / length
        out[k, 2] = -dz / length
    return out


@dataclass(frozen=True, eq=False)
class Ground:
    """Heights float32 (rows, columns) in m at grid vertices `cell` m apart; row grows with z, column with
    x."""

    heights: np.ndarray
    cell: float

    @property
    def width(self) -> float:
        """Extent along x in m."""
        return (self.heights.shape[1] - 1) * self.cell

    @property
    def length(self) -> float:
        """Extent along z in m."""
        return (self.heights.shape[0] - 1) * self.cell

    @property
    def cells(self) -> tuple[int, int]:
        """Rows and columns of the rasters that sit at cell centres."""
        return self.heights.shape[0] - 1, self.heights.shape[1] - 1

    @property
    def hectares(self) -> float:
        """Its area on the plan, in ha."""
        return self.width * self.length / 1e4

    def height_at(self, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        """Altitude in m, float32 (n,), at places in level metres; outside, the edge's."""
        return sample(self.heights, np.asarray(x, float) / self.cell, np.asarray(z, float) / self.cell)

    def normal_at(self, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        """Unit normals, float32 (n, 3), at places in level metres."""
        return _normals(
            self.heights, self.cell, np.asarray(x, float) / self.cell, np.asarray(z, float) / self.cell
        )


def at_cells(raster: np.ndarray, cell: float, x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Bilinear values, float32 (n,), of a raster whose values sit at cell centres; outside, the edge's."""
    return sample(raster, np.asarray(x, float) / cell - 0.5, np.asarray(z, float) / cell - 0.5)
