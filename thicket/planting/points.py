"""The fixed places a stand may use: a nested maximal set of points, at least `spacing` apart.

The plane is covered by four lattices, for 8, 4, 2 and 1 times the spacing. On each, coarse first, every cell
that can still hold a point throws darts in a fixed number of phases; in a phase, a dart that keeps its
distance from all accepted points is accepted unless a dart of higher hashed priority stands in its way. Each
cell is known in 64 parts, of which those that accepted points cover wholly are shut, so that darts fall only
where there may be room. The result follows from the seed alone, whatever window is asked for, and the points
of the coarse lattices, which have the low thresholds, are themselves evenly spaced.

After: Wei, "Parallel Poisson disk sampling", ACM TOG 27(3), 2008 (darts on a lattice of cell
spacing/√2), with hashed priorities in place of a fixed order, and nested radii in place of one.
"""

from __future__ import annotations

from typing import Any, NamedTuple, TypeVar

import numba as nb
import numpy as np

from thicket.planting.hashing import MASK32, cell_hash, mix32, seed_of, unit
from thicket.refused import Refused

TURN = tuple(int(share * 2**32) for share in (0.3, 0.5, 1.0))
"""In each phase, the cells whose hash lies below this take their turn."""
PHASES = len(TURN)
DARTS = 8
REACH = 4 * PHASES
"""Lattice cells beyond a window that can influence it: two for the neighbours' darts and two for the
points those darts keep away from, in each phase."""
LATTICES = (8, 4, 2, 1)
SHARES = (0.0, 0.0149, 0.0622, 0.2500, 1.0)
"""Thresholds of the four lattices: lattice `k` holds those in [SHARES[k], SHARES[k + 1])."""
PACKING = 0.686
"""Points per area of one squared spacing, when the ground is full."""

_RING = 16
"""So many rows of a lattice are worked on at once: a power of two above 4 (PHASES + 1) - 2."""
_PARTS = 8
"""A cell is known in so many parts a side, one bit each."""
_STEPS = 16
"""Where a point lies in its cell is looked up in so many steps a side."""
_BITS = 19
"""A place in a cell is a whole number of so many bits along each side; a cell of the next finer lattice is
half as wide."""
_LOW = (1 << _BITS) - 1
_FINE = np.float32(1 / (1 << _BITS))
_NOWHERE = np.float32(1e9)
_APART = np.float32(2.000001)
"""Squared spacing in cells, and a little more for what rounding may take."""
_APART_FINE = (2 << 2 * _BITS) + (1 << 2 * _BITS - 20)
_BRUIJN = 0x03F79D71B4CB0A89
"""Multiplied by a power of two, its upper six bits are which one."""


class PointSet(NamedTuple):
    """Places in a window: float64 x, z (n,) in m; threshold float32 (n,) in [0, 1); cell int64 (n, 2)."""

    x: np.ndarray
    z: np.ndarray
    threshold: np.ndarray
    cell: np.ndarray


class Seats(NamedTuple):
    """Places that are laid out and not thrown, in the columns of a `PointSet` and more.

    turn float32 (n,): the bearing a plant faces, in degrees; salt int64 (n,): distinguishes places with the
    same cell; y float32 (n,) in m and up float32 (n, 3): where and along what the plant stands, NaN for on
    the ground; scale float32 (n,).
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


AnyPlaces = TypeVar("AnyPlaces", bound=PointSet | Seats)


def seats_on_ground(
    x: np.ndarray, z: np.ndarray, threshold: np.ndarray, cell: np.ndarray, turn: np.ndarray, salt: np.ndarray
) -> Seats:
    """Seats that stand on the ground at their own size."""
    n = len(x)
    return Seats(
        np.asarray(x, float),
        np.asarray(z, float),
        np.asarray(threshold, np.float32),
        np.asarray(cell, np.int64).reshape(n, 2),
        np.asarray(turn, np.float32),
        np.asarray(salt, np.int64),
        np.full(n, np.nan, np.float32),
        np.full((n, 3), np.nan, np.float32),
        np.ones(n, np.float32),
    )


def chosen(points: AnyPlaces, which: np.ndarray | slice) -> AnyPlaces:
    """Some of the places, of either kind."""
    columns: Any = [column[which] for column in points]
    return type(points)(*columns)


def concat_points(parts: list[AnyPlaces]) -> AnyPlaces:
    """Several sets of places of one kind as one, in order."""
    if len(parts) == 1:
        return parts[0]
    columns: Any = [np.concatenate(column) for column in zip(*parts)]
    return type(parts[0])(*columns)


# The 21 cells that can hold a point within reach of a cell, nearest first: most darts fail on the first few.
_AROUND = np.array(
    sorted(
        ((a, b) for a in range(-2, 3) for b in range(-2, 3) if abs(a) + abs(b) < 4),
        key=lambda o: (o[0] * o[0] + o[1] * o[1], o),
    ),
    np.int64,
)
# The bits of a cell's parts lie scattered over it, so that the next open one after a bit drawn by chance lies
# anywhere.
_SCATTER = np.argsort(np.random.Generator(np.random.Philox(5)).random(_PARTS * _PARTS), kind="stable")


def _parts_left() -> np.ndarray:
    """What a point leaves of a cell's parts, int64, by the step its place lies in relative to the cell, from
    -2 to 3 cells."""
    step, part = np.arange(5 * _STEPS)[:, None] / _STEPS - 2, np.arange(_PARTS) / _PARTS
    far = np.maximum(np.abs(part + 1 / _PARTS - step), np.abs(step + 1 / _STEPS - part)) ** 2
    covered = (far[:, None, :, None] + far[None, :, None, :] < 2).reshape(-1, _PARTS * _PARTS)[:, _SCATTER]
    bits = np.uint64(1) << np.arange(_PARTS * _PARTS, dtype=np.uint64)
    return (~np.where(covered, bits, np.uint64(0)).sum(axis=1, dtype=np.uint64)).view(np.int64)


def _part_of_bit() -> np.ndarray:
    """The part of a cell that a bit stands for, by the upper six bits of its product with `_BRUIJN`."""
    out = np.empty(64, np.int64)
    for bit, part in enumerate(_SCATTER):
        out[(_BRUIJN << bit & (1 << 64) - 1) >> 58] = part
    return out


_LEFT, _PART = _parts_left(), _part_of_bit()


# Each of these works on a whole row: Numba counts references at every call that is given an array, which for
# single cells would cost more than the work.
@nb.njit(nogil=True, cache=True)
def _shut(shares, r0, at, i0, listed, n, step, back, left):
    """Shut the parts of the cells around that the points of the `n` cells listed of a row cover."""
    for t in range(np.uint64(n)):
        j = np.uint64(listed[t])
        base = (
            (int(at[i0 + j, 0] * _STEPS) + 2 * _STEPS) * 5 * _STEPS + int(at[i0 + j, 1] * _STEPS) + 2 * _STEPS
        )
        for k in range(21):
            shares[r0 + j + step[k]] &= left[np.uint64(base - back[k])]
        shares[r0 + j] = 0


@nb.njit(nogil=True, cache=True)
def _throw(base, j0, turn, at, i0, shares, dart, r0, todo, n, thrown, wide, over, near, part):
    """Let those of the `n` open cells of a row whose turn it is throw darts into their open parts: how many
    cells stay open, listed again, and how many have a dart that landed free (rank, x and z in one number)."""
    kept = flown = 0
    for t in range(np.uint64(n)):
        j = np.uint64(todo[t])
        m = shares[r0 + j]
        if m == 0:
            continue
        h = mix32(base + (((j0 + np.int64(j)) * 0x5BD1) & MASK32))
        if h < turn:
            around = np.uint64(0)
            for k in range(1, 21):
                o = i0 + j + wide[k]
                x = at[o, 0]
                near[around, 0] = x + over[k, 0]
                near[around, 1] = at[o, 1] + over[k, 1]
                around += np.uint64(x < _NOWHERE)
            for _ in range(DARTS):
                h = mix32(h + 0x3C6EF372)
                after = m & (-1 << (h & 63))
                bit = after & -after if after else m & -m
                p = part[np.uint64(((bit * _BRUIJN) >> 58) & 63)]
                g = mix32(h + 0x1B873593)
                xi, zi = ((p >> 3) << 16) + (g & 0xFFFF), ((p & 7) << 16) + (g >> 16)
                x, z = np.float32(xi) * _FINE, np.float32(zi) * _FINE
                free = True
                for k in range(around):
                    dx, dz = near[k, 0] - x, near[k, 1] - z
                    if dx * dx + dz * dz < _APART:
                        free = False
                        break
                if free:
                    dart[r0 + j] = ((h >> 8) << 2 * _BITS) | (xi << _BITS) | zi
                    thrown[flown] = j
                    flown += 1
                    break
                m &= ~bit
                if m == 0:
                    break
            shares[r0 + j] = m
            if m == 0:
                continue
        todo[kept] = j
        kept += 1
    return kept, flown


@nb.njit(nogil=True, cache=True)
def _accept(at, i0, dart, r0, thrown, n, won, step, whole):
    """Accept those of the `n` darts thrown from a row that no dart of higher priority stands in the way of:
    how many, listed in `won`."""
    wins = 0
    for t in range(np.uint64(n)):
        j = np.uint64(thrown[t])
        own = dart[r0 + j]
        xi, zi = (own >> _BITS) & _LOW, own & _LOW
        won[wins] = j
        wins += 1
        for k in range(1, 21):
            other = dart[r0 + j + step[k]]
            if other >= own:
                dx, dz = ((other >> _BITS) & _LOW) + whole[k, 0] - xi, (other & _LOW) + whole[k, 1] - zi
                if dx * dx + dz * dz < _APART_FINE:
                    wins -= 1
                    break
    for t in range(np.uint64(wins)):
        j = np.uint64(won[t])
        own = dart[r0 + j]
        at[i0 + j, 0], at[i0 + j, 1] = (
            np.float32((own >> _BITS) & _LOW) * _FINE,
            np.float32(own & _LOW) * _FINE,
        )
    return wins


@nb.njit(nogil=True, cache=True)
def _fill_lattice(seed, ix0, iz0, nz, at, around, left, part):
    """Throw darts into every open cell of one lattice, in place.

    `at` float32 (cells, 2) holds the accepted points row by row, each in cells from its cell's corner, with a
    border of two cells that stays empty. A cell that is covered, or in whose open parts every dart failed, is
    closed. Every phase follows four rows behind the one before, as far as its darts reach, so that of all
    else only the last `_RING` rows are kept.
    """
    nx = at.shape[0] // nz
    wide = (around[:, 0] * nz + around[:, 1]).astype(np.uint64)
    steps = np.empty((_RING, 21), np.uint64)
    for r in range(_RING):
        steps[r] = ((((r + around[:, 0]) & (_RING - 1)) - r) * nz + around[:, 1]).astype(np.uint64)
    back = (around[:, 0] * 5 * _STEPS + around[:, 1]) * _STEPS
    over, whole = around.astype(np.float32), around << _BITS
    shares, dart = np.full(_RING * nz, -1, np.int64), np.full(_RING * nz, -1, np.int64)
    near, won = np.empty((21, 2), np.float32), np.empty(nz, np.uint32)
    todo, thrown = np.empty((_RING, nz), np.uint32), np.empty((_RING, nz), np.uint32)
    still, flown = np.zeros(_RING, np.int64), np.zeros(_RING, np.int64)
    for front in range(2, nx + 4 * PHASES):
        r = (front + 2) & (_RING - 1)
        shares[r * nz : r * nz + nz] = -1
        if front < nx - 2:
            n = 0
            for j in range(2, nz - 2):
                won[n] = j
                n += at[front * nz + j, 0] < _NOWHERE
            r = front & (_RING - 1)
            _shut(shares, np.uint64(r * nz), at, np.uint64(front * nz), won, n, steps[r], back, left)
        i = front - 2
        if 2 <= i < nx - 2:
            r, n = i & (_RING - 1), 0
            for j in range(2, nz - 2):
                todo[r, n] = j
                n += shares[r * nz + j] != 0
            still[r] = n
        for phase in range(PHASES):
            if 2 <= i < nx - 2:
                r = i & (_RING - 1)
                still[r], flown[r] = _throw(
                    mix32(mix32(seed + phase) ^ ((ix0 + i) & MASK32)),
                    iz0,
                    TURN[phase],
                    at,
                    np.uint64(i * nz),
                    shares,
                    dart,
                    np.uint64(r * nz),
                    todo[r],
                    still[r],
                    thrown[r],
                    wide,
                    over,
                    near,
                    part,
                )
            i -= 2
            if 2 <= i < nx - 2:
                r = i & (_RING - 1)
                n = _accept(
                    at, np.uint64(i * nz), dart, np.uint64(r * nz), thrown[r], flown[r], won, steps[r], whole
                )
                if phase + 1 < PHASES:
                    _shut(shares, np.uint64(r * nz), at, np.uint64(i * nz), won, n, steps[r], back, left)
            i -= 2
            if 2 <= i < nx - 2:
                r = i & (_RING - 1)
                for t in range(flown[r]):
                    dart[r * nz + thrown[r, t]] = -1


@nb.njit(nogil=True, cache=True)
def _enter(coarse, cx0, cz0, cnz, ix0, iz0, nz, at):
    """Enter the points of a lattice into the next finer one, whose cells are half as wide."""
    nx = at.shape[0] // nz
    for i in range(coarse.shape[0] // cnz):
        for c in range(i * cnz, i * cnz + cnz):
            if coarse[c, 0] < _NOWHERE:
                x, z = 2 * coarse[c, 0], 2 * coarse[c, 1]
                u, v = 2 * (cx0 + i) + (x >= 1) - ix0, 2 * (cz0 + c - i * cnz) + (z >= 1) - iz0
                if 2 <= u < nx - 2 and 2 <= v < nz - 2:
                    at[u * nz + v, 0] = x - (x >= 1)
                    at[u * nz + v, 1] = z - (z >= 1)


@nb.njit(nogil=True, cache=True)
def _collect(seed, spacing, factor, ix0, iz0, nz, entered, at, lo, hi, window, n, xs, zs, thresholds, cell):
    """Write the points in the window that were not entered, from the `n`-th on: x, z, threshold, and cell of
    the finest lattice, row by row; how many there are now."""
    x0, z0, x1, z1 = window
    s = factor * spacing / np.sqrt(2.0)
    for i in range(at.shape[0] // nz):
        for c in range(np.uint64(i * nz), np.uint64(i * nz + nz)):
            if at[c, 0] < _NOWHERE and not entered[c]:
                u, v = ix0 + i, iz0 + np.int64(c) - i * nz
                x, z = (u + np.float64(at[c, 0])) * s, (v + np.float64(at[c, 1])) * s
                if x0 <= x < x1 and z0 <= z < z1:
                    cell[n, 0], cell[n, 1] = (
                        u * factor + int(at[c, 0] * factor),
                        v * factor + int(at[c, 1] * factor),
                    )
                    xs[n], zs[n] = x, z
                    thresholds[n] = lo + (hi - lo) * unit(
                        cell_hash(seed ^ 0x2545F491, cell[n, 0], cell[n, 1])
                    )
                    n += 1
    return n


def _extents(spacing: float, window: tuple[float, float, float, float]) -> list[tuple[int, int, int, int]]:
    """Cells of each lattice, coarse first, needed for an exact answer inside the window."""
    extents = []
    lo_x, lo_z, hi_x, hi_z = window
    for factor in reversed(LATTICES):
        s = factor * spacing / np.sqrt(2.0)
        extents.append(
            (
                int(np.floor(lo_x / s)) - REACH,
                int(np.floor(lo_z / s)) - REACH,
                int(np.floor(hi_x / s)) + REACH + 1,
                int(np.floor(hi_z / s)) + REACH + 1,
            )
        )
        ix0, iz0, ix1, iz1 = extents[-1]
        lo_x, lo_z, hi_x, hi_z = (ix0 - 2) * s, (iz0 - 2) * s, (ix1 + 2) * s, (iz1 + 2) * s
    return extents[::-1]


def point_set(seed: int, spacing: float, window: tuple[float, float, float, float]) -> PointSet:
    """Every place of a stand inside a window.

    Parameters: seed, any integer in [0, 2**31); spacing in m, above 0; window (x0, z0, x1, z1) in level
    metres, half open. The set is one and the same over the whole plane: a window only cuts it.

    Returns: a `PointSet`, coarse lattices first and by cell within each.
    Raises: Refused when the spacing is not above 0 or the window is empty.
    """
    spacing = float(spacing)
    if not spacing > 0:
        raise Refused("spacing must be above 0 m")
    x0, z0, x1, z1 = (float(v) for v in window)
    if not (x1 > x0 and z1 > z0):
        raise Refused("the window must be wider and longer than 0 m")
    seed = seed_of("points", seed)
    extents = _extents(spacing, (x0, z0, x1, z1))
    most = (extents[-1][2] - extents[-1][0] - 2 * REACH) * (extents[-1][3] - extents[-1][1] - 2 * REACH)
    out = np.empty(most), np.empty(most), np.empty(most, np.float32), np.empty((most, 2), np.int64)
    at, extent, count = np.empty((0, 2), np.float32), (0, 0, 1, 1), 0
    for k, (factor, now) in enumerate(zip(LATTICES, extents)):
        ix0, iz0, ix1, iz1 = now
        nz = iz1 - iz0
        coarse, at = at, np.full(((ix1 - ix0) * nz, 2), _NOWHERE)
        _enter(coarse, extent[0], extent[1], extent[3] - extent[1], ix0, iz0, nz, at)
        entered = at[:, 0] < _NOWHERE
        _fill_lattice(seed + 1000 * k, ix0, iz0, nz, at, _AROUND, _LEFT, _PART)
        count = _collect(
            seed,
            spacing,
            factor,
            ix0,
            iz0,
            nz,
            entered,
            at,
            SHARES[k],
            SHARES[k + 1],
            (x0, z0, x1, z1),
            count,
            *out,
        )
        extent = now
    for column in out:
        column.resize((count, *column.shape[1:]), refcheck=False)
    return PointSet(*out)


def plants_per_m2(spacing: float) -> float:
    """Plants on one m² of full ground at this spacing in m."""
    return PACKING / (spacing * spacing)


def spacing_for(per_m2: float) -> float:
    """The spacing in m that gives this many plants on one m² of full ground."""
    return float(np.sqrt(PACKING / per_m2))
