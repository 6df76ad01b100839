"""The fixed places a stand may use: a nested maximal set of points, at least `spacing` apart.

The plane is covered by four lattices, for 8, 4, 2 and 1 times the spacing. On each, coarse first, every
cell that can still hold a point throws darts in a fixed number of phases; in a phase, a dart that keeps
its distance from all accepted points is accepted unless a dart of higher hashed priority stands in its
way. The result follows from the seed alone, whatever window is asked for, and the points of the coarse
lattices, which have the low thresholds, are themselves evenly spaced.

After: Wei, "Parallel Poisson disk sampling", ACM TOG 27(3), 2008 (darts on a lattice of cell
spacing/√2), with hashed priorities in place of a fixed order, and nested radii in place of one.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np

from thicket.planting.hashing import cell_hash, mix32, seed_of, unit

TURN = tuple(int(share * 2**32) for share in (0.4, 1.0, 1.0))
"""In each phase, the cells whose hash lies below this take their turn."""
PHASES = len(TURN)
DARTS = 10
REACH = 4 * PHASES
"""Lattice cells beyond a window that can influence it: two for the neighbours' darts and two for the
points those darts keep away from, in each phase."""
LATTICES = (8, 4, 2, 1)
SHARES = (0.0, 0.0153, 0.0627, 0.2503, 1.0)
"""Thresholds of the four lattices: lattice `k` holds those in [SHARES[k], SHARES[k + 1])."""
PACKING = 0.643
"""Points per area of one squared spacing, when the ground is full."""

_NOWHERE = 1e30
_FULL, _WAITS = -1, -2


class PointSet(NamedTuple):
    """Places in a window: float64 x, z (n,) in m; threshold float32 (n,) in [0, 1); cell int64 (n, 2)."""

    x: np.ndarray
    z: np.ndarray
    threshold: np.ndarray
    cell: np.ndarray


class Seats(NamedTuple):
    """Places that are laid out and not thrown, in the columns of a `PointSet` and more.

    turn float32 (n,): the bearing a plant faces, in degrees; salt int64 (n,): tells apart places with the same cell; y float32
    (n,) in m and up float32 (n, 3): where and along what the plant stands, NaN for on the ground; scale float32 (n,).
    """

    x: np.ndarray
    z: np.ndarray
    threshold: np.ndarray
    cell: np.ndarray
    turn: np.ndarray
    salt: np.ndarray
    y: np.ndarray
    up: np.ndarray
    scale: np.ndarray


def seats_on_ground(x, z, threshold, cell, turn, salt) -> Seats:
    """Seats that stand on the ground at their own size."""
    n = len(x)
    return Seats(np.asarray(x, float), np.asarray(z, float), np.asarray(threshold, np.float32),
                 np.asarray(cell, np.int64).reshape(n, 2), np.asarray(turn, np.float32), np.asarray(salt, np.int64),
                 np.full(n, np.nan, np.float32), np.full((n, 3), np.nan, np.float32), np.ones(n, np.float32))


def chosen(points, which):
    """Some of the places, of either kind."""
    return type(points)(*(column[which] for column in points))


def gathered(parts: list):
    """Several sets of places of one kind as one, in order."""
    return parts[0] if len(parts) == 1 else type(parts[0])(*(np.concatenate(column) for column in zip(*parts)))


# The 21 cells that can hold a point within reach of a cell, nearest first: most darts fail on the first few.
_AROUND = sorted(((a, b) for a in range(-2, 3) for b in range(-2, 3) if abs(a) + abs(b) < 4),
                 key=lambda o: (o[0] * o[0] + o[1] * o[1], o))


@nb.njit(nogil=True, cache=True)
def _gather(at, c, step, x0, z0, s, rr, around):
    """Write the accepted points around a cell, whose corner is (x0, z0), to `around`; how many, or -1 when the disc of one
    of them covers the whole cell."""
    n = 0
    for k in range(21):
        x = at[c + step[k], 0]
        if x < _NOWHERE:
            z = at[c + step[k], 1]
            around[n, 0] = x
            around[n, 1] = z
            n += 1
            if k < 9:
                dx = max(x0 + s - x, x - x0)
                dz = max(z0 + s - z, z - z0)
                if dx * dx + dz * dz < rr:
                    return -1
    return n


@nb.njit(nogil=True, cache=True)
def _beaten(rank, dart, c, step, rr):
    """Whether a dart of higher priority stands within reach of the dart of cell `c`."""
    own = rank[c]
    for k in range(1, 21):
        other = c + step[k]
        if rank[other] > own or (rank[other] == own and other > c):
            dx = dart[other, 0] - dart[c, 0]
            dz = dart[other, 1] - dart[c, 1]
            if dx * dx + dz * dz < rr:
                return True
    return False


@nb.njit(nogil=True, cache=True)
def _throw(h, ix, iz, c, s, around, n, dart):
    """Throw the darts of one cell in one phase among `n` points around it; the rank of the one that landed free."""
    rr = 2.0 * s * s
    for _ in range(DARTS):
        h = mix32(h + 0x3C6EF372)
        x = (ix + unit(h)) * s
        h = mix32(h + 0x1B873593)
        z = (iz + unit(h)) * s
        free = True
        for k in range(n):
            ax = around[k, 0]
            az = around[k, 1]
            if (ax - x) ** 2 + (az - z) ** 2 < rr:
                free = False
                around[k, 0] = around[0, 0]
                around[k, 1] = around[0, 1]
                around[0, 0] = ax
                around[0, 1] = az
                break
        if free:
            dart[c, 0] = x
            dart[c, 1] = z
            return mix32(h ^ 0x68E31DA4)
    return _FULL


@nb.njit(nogil=True, cache=True)
def _fill_lattice(seed, ix0, iz0, nz, at, around, s):
    """Throw darts into every open cell of one lattice, in place.

    `at` (cells, 2) holds the accepted points row by row, with a border of two cells that stays empty. A
    cell in which every dart of a phase failed is full and closed.
    """
    nx = at.shape[0] // nz
    rr = 2.0 * s * s
    step = around[:, 0] * nz + around[:, 1]
    rank = np.full(nx * nz, _FULL, np.int64)
    dart = np.empty((nx * nz, 2))
    near = np.empty((21, 2))
    todo = np.empty(nx * nz, np.int64)
    n = 0
    for i in range(2, nx - 2):
        for c in range(i * nz + 2, i * nz + nz - 2):
            if at[c, 0] == _NOWHERE:
                todo[n] = c
                n += 1
    for phase in range(PHASES):
        kept = 0
        for t in range(n):
            c = todo[t]
            if at[c, 0] == _NOWHERE:
                i = c // nz
                ix, iz = ix0 + i, iz0 + c - i * nz
                h = cell_hash(seed + phase, ix, iz)
                if h < TURN[phase]:
                    n_around = _gather(at, c, step, ix * s, iz * s, s, rr, near)
                    rank[c] = _throw(h, ix, iz, c, s, near, n_around, dart) if n_around >= 0 else _FULL
                else:
                    rank[c] = _WAITS
                if rank[c] != _FULL:
                    todo[kept] = c
                    kept += 1
        n = kept
        for t in range(n):
            c = todo[t]
            if rank[c] >= 0 and not _beaten(rank, dart, c, step, rr):
                at[c] = dart[c]
        for t in range(n):
            rank[todo[t]] = _FULL


@nb.njit(nogil=True, cache=True)
def _enter(points, ix0, iz0, nz, s, at):
    """Enter the points of a coarser lattice into a finer one."""
    nx = at.shape[0] // nz
    for k in range(points.shape[0]):
        i = int(np.floor(points[k, 0] / s)) - ix0
        j = int(np.floor(points[k, 1] / s)) - iz0
        if 0 <= i < nx and 0 <= j < nz:
            at[i * nz + j] = points[k]


@nb.njit(nogil=True, cache=True)
def _collect(seed, spacing, fresh, at, lo, hi, window):
    """The points in the window where `fresh` holds: (x, z, threshold) and cell, row by row."""
    x0, z0, x1, z1 = window
    out = np.empty((at.shape[0], 3))
    cell = np.empty((at.shape[0], 2), np.int64)
    s = spacing / np.sqrt(2.0)
    n = 0
    for c in range(at.shape[0]):
        x, z = at[c]
        if fresh[c] and x0 <= x < x1 and z0 <= z < z1:
            cell[n, 0] = int(np.floor(x / s))
            cell[n, 1] = int(np.floor(z / s))
            out[n, 0] = x
            out[n, 1] = z
            out[n, 2] = lo + (hi - lo) * unit(cell_hash(seed ^ 0x2545F491, cell[n, 0], cell[n, 1]))
            n += 1
    return out[:n].copy(), cell[:n].copy()


def _extents(spacing: float, window) -> list[tuple[int, int, int, int]]:
    """Cells of each lattice, coarse first, needed for an exact answer inside the window."""
    extents = []
    lo_x, lo_z, hi_x, hi_z = window
    for factor in reversed(LATTICES):
        s = factor * spacing / np.sqrt(2.0)
        extents.append((int(np.floor(lo_x / s)) - REACH, int(np.floor(lo_z / s)) - REACH,
                        int(np.floor(hi_x / s)) + REACH + 1, int(np.floor(hi_z / s)) + REACH + 1))
        ix0, iz0, ix1, iz1 = extents[-1]
        lo_x, lo_z, hi_x, hi_z = (ix0 - 2) * s, (iz0 - 2) * s, (ix1 + 2) * s, (iz1 + 2) * s
    return extents[::-1]


def point_set(seed: int, spacing: float, window: tuple[float, float, float, float]) -> PointSet:
    """Every place of a stand inside a window.

    Parameters: seed, any integer in [0, 2**31); spacing in m, above 0; window (x0, z0, x1, z1) in level
    metres, half open. The set is one and the same over the whole plane: a window only cuts it.

    Returns: a `PointSet`, coarse lattices first and by cell within each.
    Raises: ValueError when the spacing is not above 0 or the window is empty.
    """
    spacing = float(spacing)
    if not spacing > 0:
        raise ValueError("spacing must be above 0 m")
    x0, z0, x1, z1 = (float(v) for v in window)
    if not (x1 > x0 and z1 > z0):
        raise ValueError("the window must be wider and longer than 0 m")
    seed = seed_of("points", seed)
    around = np.array(_AROUND, np.int64)
    points = np.empty((0, 2))
    parts = []
    for k, (factor, extent) in enumerate(zip(LATTICES, _extents(spacing, (x0, z0, x1, z1)))):
        s = factor * spacing / np.sqrt(2.0)
        ix0, iz0, ix1, iz1 = extent
        at = np.full(((ix1 - ix0) * (iz1 - iz0), 2), _NOWHERE)
        _enter(points, ix0, iz0, iz1 - iz0, s, at)
        fresh = at[:, 0] == _NOWHERE
        _fill_lattice(seed + 1000 * k, ix0, iz0, iz1 - iz0, at, around, s)
        parts.append(_collect(seed, spacing, fresh, at, SHARES[k], SHARES[k + 1], (x0, z0, x1, z1)))
        points = at[at[:, 0] != _NOWHERE]
    place = np.concatenate([part[0] for part in parts])
    cell = np.concatenate([part[1] for part in parts])
    return PointSet(place[:, 0].copy(), place[:, 1].copy(), place[:, 2].astype(np.float32), cell)


def plants_per_m2(spacing: float) -> float:
    """Plants on one m² of full ground at this spacing in m."""
    return PACKING / (spacing * spacing)


def spacing_for(per_m2: float) -> float:
    """The spacing in m that gives this many plants on one m² of full ground."""
    return float(np.sqrt(PACKING / per_m2))
