"""The fixed places on a mesh: maximal, no two nearer than the spacing, nested.

Candidates are spread evenly over the mesh by hashes, far more than can be places. They are taken one after
another, next always one that lies just beyond the spacing from as many places as possible, so that places
pack closely; a candidate nearer than the spacing to a place is out. Points whose directions are more than 90°
apart do not count as near: they lie on two sides of a thin wall.

After: Dunbar and Humphreys, "A spatial data structure for fast Poisson-disk sample generation", ACM TOG
25(3), 2006 (the next point on the border of those before), on hashed candidates.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np

from thicket.planting.hashing import mix32, seed_of, unit
from thicket.refused import Refused
from thicket.surfaces.mesh import Mesh

_STEPS = 8
"""A candidate's score is raised by so much at most."""
PER_PLACE = 22
"""Candidates on one squared spacing."""
FILLING = 24
"""Further ones that look for gaps that are left."""
TOUCHING = 1.5
"""A candidate within so many spacings of a place lies just beyond it."""
MOST = 2_000_000
SHARES = (0.0149, 0.0622, 0.25, 1.0)
"""Thresholds end here for places that are 8, 4, 2 and 1 spacings apart; as on the terrain."""


_NEAREST_FIRST = np.array([(0, 0), (0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1)])


class MeshPoints(NamedTuple):
    """Places on a mesh in its own space: at and normal float64 (n, 3); face int64 (n,); threshold float32
    (n,) in [0, 1)."""

    at: np.ndarray
    normal: np.ndarray
    face: np.ndarray
    threshold: np.ndarray

    @property
    def nbytes(self) -> int:
        return sum(column.nbytes for column in self)


@nb.njit(nogil=True, cache=True)
def _spread(seed, total, corners, at, face):
    """Spread points evenly by area: `total` float64 (m,), areas added up; into at and face, by triangle."""
    n, m = at.shape[0], total.shape[0]
    f = 0
    for k in range(n):
        h = mix32(seed ^ mix32(k))
        wanted = (k + unit(h)) / n * total[m - 1]
        while f < m - 1 and total[f] <= wanted:
            f += 1
        h = mix32(h + 0x3C6EF372)
        u = np.sqrt(unit(h))
        h = mix32(h + 0x3C6EF372)
        v = unit(h)
        for d in range(3):
            at[k, d] = (
                (1.0 - u) * corners[f, 0, d] + u * (1.0 - v) * corners[f, 1, d] + u * v * corners[f, 2, d]
            )
        face[k] = f


def spread(mesh: Mesh, count: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Points spread evenly by area over a mesh, from the seed alone: places float64 (count, 3) and the
    triangle of each, int64 (count,)."""
    at, face = np.empty((count, 3)), np.empty(count, np.int64)
    _spread(seed, np.cumsum(mesh.areas), mesh.corners, at, face)
    return at, face


@nb.njit(nogil=True, cache=True)
def _keys(at, low, cell, sides):
    out = np.empty(at.shape[0], np.int64)
    for k in range(at.shape[0]):
        key = 0
        for d in range(3):
            key = key * sides[d] + int((at[k, d] - low[d]) / cell) + 1
        out[k] = key
    return out


@nb.njit(nogil=True, cache=True)
def _run(cells, key):
    """Where the candidates of a cell begin in the sorted keys; where they end follows."""
    lo, hi = 0, cells.shape[0]
    while lo < hi:
        mid = (lo + hi) // 2
        if cells[mid] < key:
            lo = mid + 1
        else:
            hi = mid
    return lo


@nb.njit(nogil=True, cache=True)
def _accept(p, at, normal, cells, first, key, sides, near, touch, score, heads, entries, used):
    """Close the candidates nearer than `near` to a place, and raise the score of those within `touch`: the
    closer they lie to `near`, the more. How many entries of the queues are used then."""
    least, most = near * near, touch * touch
    for a in range(-1, 2):
        for b in range(-1, 2):
            # the three cells along the last axis lie one after another
            base = key + (a * sides[1] + b) * sides[2]
            c = _run(cells, base - 1)
            while c < cells.shape[0] and cells[c] <= base + 1:
                for q in range(first[c], first[c + 1]):
                    if score[q] < 0:
                        continue
                    dx, dy, dz = at[p, 0] - at[q, 0], at[p, 1] - at[q, 1], at[p, 2] - at[q, 2]
                    far = dx * dx + dy * dy + dz * dz
                    if far >= most:
                        continue
                    alike = (
                        normal[p, 0] * normal[q, 0]
                        + normal[p, 1] * normal[q, 1]
                        + normal[p, 2] * normal[q, 2]
                    )
                    if alike < -1e-9:
                        continue
                    if far < least:
                        score[q] = -1
                    elif used < entries.shape[0]:
                        gained = 1 + int(_STEPS * (touch - np.sqrt(far)) / (touch - near))
                        score[q] = min(score[q] + gained, heads.shape[0] - 1)
                        entries[used, 0], entries[used, 1] = q, heads[score[q]]
                        heads[score[q]] = used
                        used += 1
                c += 1
    return used


@nb.njit(nogil=True, cache=True)
def _pack(at, normal, keys, cells, first, sides, near, touch, out):
    """Take candidates as places, next always one with the highest score: how many, listed in `out`.
    Candidates are sorted by their cells."""
    n = at.shape[0]
    score = np.zeros(n, np.int8)
    heads = np.full(4 * _STEPS, -1, np.int32)
    entries = np.empty((8 * n + 64, 2), np.int32)
    count = used = start = 0
    while True:
        p = -1
        for level in range(heads.shape[0] - 1, 0, -1):
            while heads[level] >= 0 and p < 0:
                q = entries[heads[level], 0]
                heads[level] = entries[heads[level], 1]
                if score[q] == level:
                    p = q
            if p >= 0:
                break
        while p < 0 and start < n:
            if score[start] >= 0:
                p = start
            start += 1
        if p < 0:
            return count
        out[count] = p
        count += 1
        score[p] = -1
        used = _accept(p, at, normal, cells, first, keys[p], sides, near, touch, score, heads, entries, used)


@nb.njit(nogil=True, cache=True)
def _covered(at, face, keys, sides, near, pat, pface, normals, cells, first, open_):
    """Close the candidates that lie nearer than the spacing to a place; places are sorted by their cells."""
    runs, ends = np.zeros(9, np.int64), np.zeros(9, np.int64)
    last = np.int64(-1)
    for k in range(at.shape[0]):
        if keys[k] != last:
            last = keys[k]
            for r in range(9):
                ends[r] = last + (_NEAREST_FIRST[r, 0] * sides[1] + _NEAREST_FIRST[r, 1]) * sides[2] + 1
                runs[r] = -1
        for r in range(9):
            if open_[k] == 0:
                break
            if runs[r] < 0:
                runs[r] = _run(cells, ends[r] - 2)
            c, end = runs[r], ends[r]
            while open_[k] and c < cells.shape[0] and cells[c] <= end:
                for q in range(first[c], first[c + 1]):
                    dx, dy, dz = at[k, 0] - pat[q, 0], at[k, 1] - pat[q, 1], at[k, 2] - pat[q, 2]
                    if dx * dx + dy * dy + dz * dz >= near:
                        continue
                    a, b = face[k], pface[q]
                    alike = (
                        normals[a, 0] * normals[b, 0]
                        + normals[a, 1] * normals[b, 1]
                        + normals[a, 2] * normals[b, 2]
                    )
                    if alike >= -1e-9:
                        open_[k] = 0
                        break
                c += 1


class Grid:
    """Points sorted by cubes of a width."""

    def __init__(self, at: np.ndarray, low: np.ndarray, high: np.ndarray, cell: float) -> None:
        self.sides = ((high - low) / cell).astype(np.int64) + 3
        if float(np.prod(self.sides.astype(float))) > 2**62:
            raise Refused("spacing: it is too small for a mesh of this size")
        keys = _keys(at, low, cell, self.sides)
        self.order = np.argsort(keys, kind="stable")
        self.keys = keys[self.order]
        begins = np.flatnonzero(np.diff(self.keys, prepend=-1))
        self.cells, self.first = self.keys[begins], np.append(begins, len(keys))


def _choose(at: np.ndarray, face: np.ndarray, mesh: Mesh, spacing: float, touch: float) -> np.ndarray:
    """Indexes of the candidates that become places; at float64 (n, 3), face int64 (n,), the triangle of
    each."""
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    grid = Grid(at, low, high, spacing * touch)
    out = np.empty(len(at), np.int64)
    given = at[grid.order], mesh.normals[face[grid.order]], grid.keys, grid.cells, grid.first, grid.sides
    count = _pack(*given, spacing, spacing * touch, out)
    return grid.order[out[:count]]


@nb.njit(nogil=True, cache=True)
def _hashes(seed, n):
    out = np.empty(n, np.int64)
    for k in range(n):
        out[k] = mix32(mix32(seed + 0x5BD1) ^ mix32(k))
    return out


def _uncovered(
    at: np.ndarray, face: np.ndarray, places: np.ndarray, faces: np.ndarray, mesh: Mesh, spacing: float
) -> np.ndarray:
    """Which candidates lie no nearer than the spacing to a place; bool (n,). face and faces are their
    triangles."""
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    grid = Grid(places, low, high, spacing)
    open_ = np.ones(len(at), np.uint8)
    _covered(
        at,
        face,
        _keys(at, low, spacing, grid.sides),
        grid.sides,
        spacing * spacing,
        places[grid.order],
        faces[grid.order],
        mesh.normals,
        grid.cells,
        grid.first,
        open_,
    )
    return open_ > 0


def too_many(spacing: float, most: float) -> Refused:
    """What refuses a spacing in m that would give a mesh of `most` squared spacings too many places."""
    return Refused(
        f"spacing: {spacing:g} m means about {0.85 * most:,.0f} places on it; the ceiling is {MOST:,}"
    )


def points_on(mesh: Mesh, spacing: float, seed: int) -> MeshPoints:
    """The places on a mesh for a spacing, from the seed alone.

    Parameters: spacing in m of the mesh's own space. Returns: `MeshPoints`, those with low thresholds first;
    each part with thresholds below one of `SHARES` is well spaced itself.
    Raises: Refused when there would be more than `MOST`.
    """
    if not spacing > 0:
        raise Refused("spacing must be above 0 m")
    most = mesh.area / spacing**2
    if most > MOST:
        raise too_many(spacing, most)
    seed = seed_of("surface", seed)
    at, face = spread(mesh, int(PER_PLACE * most) + 64, seed)
    won = _choose(at, face, mesh, spacing, TOUCHING)
    at, face = at[won], face[won]
    more, more_face = spread(mesh, int(FILLING * most) + 64, seed + 1)
    open_ = _uncovered(more, more_face, at, face, mesh, spacing)
    more, more_face = more[open_], more_face[open_]
    won = _choose(more, more_face, mesh, spacing, TOUCHING)
    at, face = np.concatenate([at, more[won]]), np.concatenate([face, more_face[won]])
    return _nested(MeshPoints(at, mesh.normals[face], face, np.empty(0, np.float32)), mesh, spacing, seed)


def _nested(points: MeshPoints, mesh: Mesh, spacing: float, seed: int) -> MeshPoints:
    """Thresholds for places: those of 8, 4 and 2 spacings are chosen among them, coarse first."""
    n = len(points.at)
    level = np.full(n, len(SHARES) - 1)
    chosen = np.zeros(n, bool)
    for k, factor in enumerate((8, 4, 2)):
        rest = np.flatnonzero(~chosen)
        if chosen.any():
            open_ = _uncovered(
                points.at[rest],
                points.face[rest],
                points.at[chosen],
                points.face[chosen],
                mesh,
                factor * spacing,
            )
            rest = rest[open_]
        won = rest[_choose(points.at[rest], points.face[rest], mesh, factor * spacing, TOUCHING)]
        chosen[won], level[won] = True, k
    begins = np.array([0.0, *SHARES[:-1]])[level]
    share = _hashes(seed + 99, n) / 2.0**32
    threshold = (begins + (np.array(SHARES)[level] - begins) * share).astype(np.float32)
    order = np.lexsort((np.arange(n), threshold))
    return MeshPoints(points.at[order], points.normal[order], points.face[order], threshold[order])
