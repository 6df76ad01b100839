"""Brush strokes over meshes: how strongly a stroke works on the cubes in which a mesh is painted.

Reach is measured through space; cubes that face away from the surface under the pointer are left out, so a
stroke never goes through a thin wall.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numba as nb
import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.planting.hashing import MASK32, mix32, unit
from thicket.planting.strokes import STAMPS, TURNS, Stroke, fall_off, spread_of

AWAY = -0.1
"""A cube whose way faces the pointer's surface by less than this cosine is not reached."""


class MeshPath(NamedTuple):
    """A stroke's way over one mesh: at and normal float64 (n, 3), in m of one space; pressure float64 (n,);
    begins, whether the stroke was set down again at a point, bool (n,)."""

    at: np.ndarray
    normal: np.ndarray
    pressure: np.ndarray
    begins: np.ndarray


@nb.njit(nogil=True, cache=True)
def _cover(at, facing, path, normal, pressure, begins, radius, soft, out):
    for p in range(path.shape[0]):
        q = p if begins[p] else p - 1
        e = path[p] - path[q]
        length = e[0] * e[0] + e[1] * e[1] + e[2] * e[2]
        for k in range(at.shape[0]):
            ahead = facing[k, 0] * normal[p, 0] + facing[k, 1] * normal[p, 1] + facing[k, 2] * normal[p, 2]
            if ahead <= AWAY:
                continue
            t, far = 0.0, 0.0
            if length > 0.0:
                for d in range(3):
                    t += (at[k, d] - path[q, d]) * e[d]
                t = min(max(t / length, 0.0), 1.0)
            for d in range(3):
                far += (at[k, d] - path[q, d] - t * e[d]) ** 2
            if far < radius * radius:
                w = fall_off(np.sqrt(far), radius, soft) * (pressure[q] + t * (pressure[p] - pressure[q]))
                out[k] = max(out[k], w)


@nb.njit(nogil=True, cache=True)
def _stamp(at, facing, centre, normal, along, strength, tip, radius, soft, out):
    side = tip.shape[0]
    across = np.cross(normal, along)
    for k in range(at.shape[0]):
        x, y, z = at[k, 0] - centre[0], at[k, 1] - centre[1], at[k, 2] - centre[2]
        far = np.sqrt(x * x + y * y + z * z)
        if far >= radius or (facing[k] * normal).sum() <= AWAY:
            continue
        u = min(
            max(((x * along[0] + y * along[1] + z * along[2]) / radius + 1) * 0.5 * side - 0.5, 0.0),
            side - 1.0,
        )
        v = min(
            max(((x * across[0] + y * across[1] + z * across[2]) / radius + 1) * 0.5 * side - 0.5, 0.0),
            side - 1.0,
        )
        a, b = min(int(u), side - 2), min(int(v), side - 2)
        u, v = u - a, v - b
        w = (tip[b, a] * (1 - u) + tip[b, a + 1] * u) * (1 - v) + (
            tip[b + 1, a] * (1 - u) + tip[b + 1, a + 1] * u
        ) * v
        out[k] = max(out[k], w * strength * fall_off(far, radius, soft))


def _flat(direction: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """A direction laid into the plane of a normal, of length 1."""
    for given in (direction, np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])):
        laid = given - (given @ normal) * normal
        long = float(np.linalg.norm(laid))
        if long > 1e-3:
            return laid / long
    return np.array([0.0, 1.0, 0.0])


def _cover_with_tip(
    at: np.ndarray, facing: np.ndarray, path: MeshPath, stroke: Stroke, out: np.ndarray
) -> None:
    """Set the tip down along the path, at even lengths of it."""
    tip = np.ascontiguousarray(stroke.tip, np.float32)
    step, turn = stroke.radius / STAMPS, TURNS.index(stroke.turn)
    seed = mix32(int(path.at[0, 0] * 16) & MASK32 ^ mix32(int(path.at[0, 2] * 16) & MASK32))
    number, ahead = 0, 0.0
    for p in range(len(path.at)):
        q = p if path.begins[p] else p - 1
        if path.begins[p]:
            ahead = 0.0
        e = path.at[p] - path.at[q]
        length = float(np.linalg.norm(e))
        while ahead <= length:
            t = ahead / length if length else 0.0
            normal = path.normal[p]
            along = _flat(e / length if turn == 1 and length else np.array([1.0, 0.0, 0.0]), normal)
            if turn == 2:
                angle = 2 * np.pi * unit(mix32(seed + number))
                along = np.cos(angle) * along + np.sin(angle) * np.cross(normal, along)
            strength = path.pressure[q] + t * (path.pressure[p] - path.pressure[q])
            _stamp(
                at, facing, path.at[q] + t * e, normal, along, strength, tip, stroke.radius, stroke.soft, out
            )
            number, ahead = number + 1, ahead + step
        ahead -= length


def cover_cubes(stroke: Stroke, path: MeshPath, at: np.ndarray, facing: np.ndarray) -> np.ndarray:
    """How strongly a stroke covers cubes: float32 0–1 (n,).

    Parameters: stroke, its radius in m of the space of path and cubes; at, their centres, and facing, the
    ways they face: float64 (n, 3).
    """
    out = np.zeros(len(at), np.float32)
    if stroke.tip is None:
        _cover(at, facing, *path, stroke.radius, stroke.soft, out)
    else:
        _cover_with_tip(at, facing, path, stroke, out)
    return out


def reached(path: MeshPath, radius: float, at: np.ndarray, facing: np.ndarray) -> np.ndarray:
    """Which places that face so, float64 (n, 3), lie within a radius of a path and do not face away from it:
    bool (n,)."""
    out = np.zeros(len(at), np.float32)
    _cover(at, facing, *path, radius, 0.0, out)
    return out > 0


def smooth_cubes(
    cubes: np.ndarray, way: np.ndarray, radius: float, cell: float
) -> Callable[[np.ndarray], np.ndarray]:
    """What smooths touch of cubes, each way by itself, among those that are there.

    Parameters: cubes int64 (n, 3); way int64 (n,); radius of the brush and cell in m.
    """
    low = cubes.min(axis=0)
    where, shape = tuple((cubes - low).T), tuple(cubes.max(axis=0) - low + 1)

    def smooth(touch: np.ndarray) -> np.ndarray:
        out = np.zeros(len(touch), np.float32)
        for w in np.unique(way):
            of = tuple(axis[way == w] for axis in where)
            total, there = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
            total[of], there[of] = touch[way == w], 1
            total, there = (
                gaussian_filter(a, spread_of(radius, cell), mode="constant", truncate=3.0)
                for a in (total, there)
            )
            out[way == w] = total[of] / np.maximum(there[of], 1e-9)
        return out

    return smooth
