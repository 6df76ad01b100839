"""The places on a mesh that is larger or smaller than it was made: those of the mesh as it was made go along
with it, and no place changes but by having too little room, or by room for more.

On a larger mesh further places are added, always one of those farthest from all places; so its places are
part of those of any still larger one. On a smaller one places are chosen the same way among those that there
are, and where these leave too much room, others are added.

After: Gonzalez, "Clustering to minimize the maximum intercluster distance", Theoretical Computer Science 38,
1985 (always the farthest point next), in steps of about a hundredth of the distance.
"""

from __future__ import annotations

import math

import numba as nb
import numpy as np

from thicket.planting.hashing import seed_of
from thicket.surfaces.mesh import Mesh
from thicket.surfaces.placing import MOST, SHARES, Grid, MeshPoints, spread, too_many

STEPS = 64
"""Steps in which the distance of the next place falls to half."""
DENSE = 12
"""Candidates on one squared spacing that are added on a larger mesh."""
FILLING = 2
"""Candidates on one squared spacing that fill what a smaller mesh leaves open. All are places, most without
room, so that each is the same place, and its plant the same plant, on a mesh of any smaller size."""
NEVER = 2.0
"""The threshold of a place that a smaller mesh has no room for: no density reaches it."""


@nb.njit(nogil=True, cache=True)
def _come_nearer(p, f, at, face, normals, far, low, wide, sides, keys, cells, first):
    """Lower how far candidates are from the nearest place, where the place p of triangle f is nearer."""
    key = np.int64(0)
    for d in range(3):
        key = key * sides[d] + int((p[d] - low[d]) / wide) + 1
    for a in range(-1, 2):
        for b in range(-1, 2):
            base = key + (a * sides[1] + b) * sides[2]
            c = np.searchsorted(cells, base - 1)
            while c < cells.shape[0] and cells[c] <= base + 1:
                for q in range(first[c], first[c + 1]):
                    g = face[q]
                    alike = (
                        normals[f, 0] * normals[g, 0]
                        + normals[f, 1] * normals[g, 1]
                        + normals[f, 2] * normals[g, 2]
                    )
                    if alike < -1e-9:
                        continue
                    dx, dy, dz = p[0] - at[q, 0], p[1] - at[q, 1], p[2] - at[q, 2]
                    far[q] = min(far[q], np.sqrt(dx * dx + dy * dy + dz * dz))
                c += 1


@nb.njit(nogil=True, cache=True)
def _step(far, start):
    """The step in which a candidate so far from all places is taken."""
    return int(np.log2(start / far) * STEPS) if far > 0.0 else 1 << 30


@nb.njit(nogil=True, cache=True)
def _farthest(at, face, normals, far, start, steps, low, wide, sides, keys, cells, first, out):
    """Take candidates as places, always one of those farthest from all places: how many, listed in `out`."""
    n = at.shape[0]
    heads, after = np.full(max(steps, 1), -1, np.int64), np.full(n, -1, np.int64)
    for q in range(n - 1, -1, -1):
        s = _step(far[q], start)
        if s < steps:
            after[q], heads[s] = heads[s], q
    count = 0
    for step in range(steps):
        while heads[step] >= 0:
            p = heads[step]
            heads[step] = after[p]
            s = _step(far[p], start)
            if s > step:
                if s < steps:
                    after[p], heads[s] = heads[s], p
                continue
            out[count] = p
            count += 1
            _come_nearer(at[p], face[p], at, face, normals, far, low, wide, sides, keys, cells, first)
    return count


@nb.njit(nogil=True, cache=True)
def _far_from(places, faces, at, face, normals, far, low, wide, sides, keys, cells, first):
    for k in range(places.shape[0]):
        _come_nearer(places[k], faces[k], at, face, normals, far, low, wide, sides, keys, cells, first)


def _next(
    mesh: Mesh, there: MeshPoints, at: np.ndarray, face: np.ndarray, start: float, spacing: float
) -> np.ndarray:
    """Which candidates become places beside those that are there, in order, until none is `spacing` from
    all of them. `start`: no candidate is farther than this."""
    low, high = mesh.vertices.min(axis=0), mesh.vertices.max(axis=0)
    grid = Grid(at, low, high, start)
    at, face = at[grid.order], face[grid.order]
    far = np.full(len(at), start)
    given = low, start, grid.sides, grid.keys, grid.cells, grid.first
    _far_from(there.at, there.face, at, face, mesh.normals, far, *given)
    steps = int(math.log2(start / spacing) * STEPS + 1e-9)
    out = np.empty(len(at), np.int64)
    count = _farthest(at, face, mesh.normals, far, start, steps, *given, out)
    return grid.order[out[:count]]


def sized(mesh: Mesh, base: MeshPoints, spacing: float, scale: float, seed: int) -> MeshPoints:
    """The places on a mesh at another size than it was made.

    Parameters: base, its places as it was made, for `spacing` in m of the level and the seed; scale, how many
    times larger it lies. Returns: those of `base` first, each under its index, with further ones after them;
    those without room on a smaller mesh have the threshold `NEVER`.
    Raises: Refused when there would be more than `MOST`.
    """
    seed = seed_of("sized", seed)
    if scale > 1:
        return _larger(mesh, base, spacing, scale, seed)
    return _smaller(mesh, base, spacing, scale, seed) if scale < 1 else base


def _larger(mesh: Mesh, points: MeshPoints, spacing: float, scale: float, seed: int) -> MeshPoints:
    if (most := mesh.area * (scale / spacing) ** 2) > MOST:
        raise too_many(spacing, most)
    own, start, halved = spacing / scale, spacing, 0
    while start > own:
        finer, halved = start / 2, halved + 1
        at, face = spread(mesh, int(DENSE * mesh.area / finer**2) + 64, seed + halved)
        more = _next(mesh, points, at, face, start, max(finer, own))
        points = _with(mesh, points, at[more], face[more], np.arange(len(more)))
        start = finer
    return points


def _with(mesh: Mesh, points: MeshPoints, at: np.ndarray, face: np.ndarray, order: np.ndarray) -> MeshPoints:
    """Places with others after them, which have the higher thresholds. order: of the others, those that have
    room, by index, in the order in which they were taken."""
    before, more = int((points.threshold < 1).sum()), len(order)
    share = before / max(before + more, 1)
    fresh = np.full(len(at), NEVER, np.float32)
    fresh[order] = share + (1 - share) * (np.arange(more) + 0.5) / max(more, 1)
    stay = np.where(points.threshold < 1, points.threshold * np.float32(share), points.threshold)
    return MeshPoints(
        np.concatenate([points.at, at]),
        np.concatenate([points.normal, mesh.normals[face]]),
        np.concatenate([points.face, face]),
        np.concatenate([stay, fresh]),
    )


def _smaller(mesh: Mesh, base: MeshPoints, spacing: float, scale: float, seed: int) -> MeshPoints:
    own, halved = spacing / scale, math.ceil(math.log2(1 / scale) - 1e-9)
    ends = (*SHARES[::-1], 0.0)
    upper, lower = ends[min(halved - 1, 3)], ends[min(halved, 4)]
    there, rest = (
        np.flatnonzero((base.threshold >= a) & (base.threshold < b))
        for a, b in ((0.0, lower), (lower, upper))
    )
    start = spacing * 2**halved if halved <= 3 else float(np.ptp(mesh.vertices, axis=0).sum()) + own
    some = MeshPoints(*(column[there] for column in base))
    more = rest[_next(mesh, some, base.at[rest], base.face[rest], start, own)]
    share = len(there) / max(len(there) + len(more), 1)
    threshold = np.full(len(base.at), NEVER, np.float32)
    threshold[there] = base.threshold[there] * (share / lower if lower else 0.0)
    threshold[more] = share + (base.threshold[more] - lower) / (upper - lower) * (1 - share)
    stay = np.concatenate([there, more])
    threshold[stay] = np.minimum(threshold[stay], np.nextafter(np.float32(1), np.float32(0)))
    at, face = spread(mesh, int(FILLING * mesh.area / spacing**2) + 64, seed)
    some = MeshPoints(*(column[stay] for column in base))
    filling = _next(mesh, some, at, face, start, own)
    return _with(mesh, base._replace(threshold=threshold), at, face, filling)
