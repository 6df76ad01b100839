"""What pops on a walk: plants that change from one state to another, and how much of that is seen.

Every plant crosses the distances at which its states change, on the way toward it and away from it. Where and
when follows exactly from the route, whose stretches are straight. The strength of a pop is in pixels of a
screen of 1,080 lines; docs/pops.md defines it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

from thicket.ground.heights import Ground
from thicket.planting.stands import Plants
from thicket.sight.cost import SCREEN_HEIGHT
from thicket.sight.walks import Route

FULL_CONTRAST = 0.25
"""A difference of so much of full brightness counts in full."""
NOTICED = 60.0
"""Pixels: a weaker pop is not noticed."""
SUDDEN = 0.25
"""Seconds: a fade that takes so long halves a pop."""
SHADOW_DEPTH = 0.35
"""By how much of its brightness shadow changes the ground."""
GRAZING = 0.05
"""The sine of the sun's height over the ground under which shadows are not distinguished from shade."""
FOV, ASPECT = 55.0, 16 / 9


@dataclass(frozen=True, eq=False)
class Crossings:
    """Plants that cross distances: plant, index into the plants, edge, index of the distance, both
    (n,); time in s; place along the route in vertices; away, whether the eye goes away from it; rate in m/s,
    how fast the distance changes."""

    plant: np.ndarray
    edge: np.ndarray
    time: np.ndarray
    at: np.ndarray
    away: np.ndarray
    rate: np.ndarray

    def take(self, which: np.ndarray) -> Crossings:
        """The crossings of a boolean mask or an index array."""
        return Crossings(*(getattr(self, name)[which] for name in self.__dataclass_fields__))


@nb.njit(nogil=True, cache=True)
def _cross(form, item, radii, by_size, eye, time, walked, first, last, plant, edge, at, away, rate):
    """Fill the crossings; gives how many there are, which may be more than there is room for."""
    edges, count, longest = radii.shape[1], 0, 0.0
    for i in range(first, last):
        x, y, z = eye[i + 1, 0] - eye[i, 0], eye[i + 1, 1] - eye[i, 1], eye[i + 1, 2] - eye[i, 2]
        longest = max(longest, np.sqrt(x * x + y * y + z * z))
    for k in range(form.shape[0]):
        scale = form[k, 8] if by_size else 1.0
        i = first
        while i < last:
            px, py, pz = eye[i, 0] - form[k, 0], eye[i, 1] - form[k, 1], eye[i, 2] - form[k, 2]
            d = px * px + py * py + pz * pz
            far, gap = np.sqrt(d), np.inf
            for e in range(edges):
                r = radii[item[k], e] * scale
                if r > 0.0:
                    gap = min(gap, abs(far - r))
            if gap > longest:
                # So many stretches cannot bring the eye to any of the distances.
                i += int(min(gap / longest, last))
                continue
            if walked[i]:
                vx, vy, vz = eye[i + 1, 0] - eye[i, 0], eye[i + 1, 1] - eye[i, 1], eye[i + 1, 2] - eye[i, 2]
                a, b = vx * vx + vy * vy + vz * vz, px * vx + py * vy + pz * vz
                for e in range(edges):
                    r = radii[item[k], e] * scale
                    inside = b * b - a * (d - r * r)
                    if r <= 0.0 or inside <= 0.0:
                        continue
                    for sign in (-1.0, 1.0):
                        u = (-b + sign * np.sqrt(inside)) / a
                        if 0.0 <= u < 1.0:
                            if count < len(plant):
                                seconds = time[i + 1] - time[i]
                                plant[count], edge[count] = k, e
                                at[count, 0], at[count, 1] = time[i] + u * seconds, i + u
                                away[count] = sign > 0.0
                                rate[count] = abs(b + a * u) / (r * seconds)
                            count += 1
            i += 1
    return count


def crossings(
    plants: Plants, radii: np.ndarray, by_size: bool, route: Route, stretches: slice | None = None
) -> Crossings:
    """Where plants cross distances, in order of time.

    Parameters: plants; radii in m (items, edges), 0 for none, multiplied by the plant's own height when
    `by_size`; route; stretches of it that are walked, all if none are named.
    """
    first, last, _ = (stretches or slice(None)).indices(len(route.walked))
    room = 2 * len(plants) + 64
    while True:
        plant, edge = np.empty(room, np.int64), np.empty(room, np.int64)
        at, away, rate = np.empty((room, 2)), np.empty(room, np.bool_), np.empty(room)
        count = _cross(
            plants.form,
            plants.item,
            np.ascontiguousarray(radii, float),
            by_size,
            route.eye,
            route.time,
            route.walked,
            first,
            last,
            plant,
            edge,
            at,
            away,
            rate,
        )
        if count <= room:
            break
        room = count
    order = np.argsort(at[:count, 0], kind="stable")
    return Crossings(plant[order], edge[order], at[order, 0], at[order, 1], away[order], rate[order])


def in_view(found: Crossings, form: np.ndarray, tall: np.ndarray, route: Route) -> np.ndarray:
    """Which crossings lie in the picture, looked at level and ahead; bool (n,).

    Parameters: form (n, 10) and height in m (n,) of the plants that cross.
    """
    eye = eyes(found, route)
    heading = np.radians(np.interp(found.at, np.arange(len(route.heading)), route.heading))
    dx, dy, dz = (form[:, k] - eye[:, k] for k in range(3))
    ahead = dx * np.sin(heading) - dz * np.cos(heading)
    aside = dx * np.cos(heading) + dz * np.sin(heading)
    up = np.tan(np.radians(FOV) / 2) * ahead
    return (ahead > 0) & (np.abs(aside) <= up * ASPECT + tall / 2) & (np.abs(dy + tall / 2) <= up + tall / 2)


def eyes(found: Crossings, route: Route) -> np.ndarray:
    """Where the eye is at each crossing, in m (n, 3)."""
    vertices = np.arange(len(route.time))
    return np.column_stack([np.interp(found.at, vertices, route.eye[:, k]) for k in range(3)])


@nb.njit(nogil=True, cache=True)
def _unhidden(heights, cell, eye, form, tall, out):
    rows, columns = heights.shape
    for n in range(len(out)):
        dx, dz = form[n, 0] - eye[n, 0], form[n, 2] - eye[n, 2]
        far = np.sqrt(dx * dx + dz * dz)
        steps = int(far / cell)
        highest = -1e9
        foot, head = form[n, 1], form[n, 1] + tall[n]
        for s in range(1, steps):
            share = s / steps
            u = min(max((eye[n, 0] + dx * share) / cell, 0.0), columns - 1.001)
            v = min(max((eye[n, 2] + dz * share) / cell, 0.0), rows - 1.001)
            i, j = int(u), int(v)
            u, v = u - i, v - j
            top = heights[j, i] * (1 - u) + heights[j, i + 1] * u
            low = heights[j + 1, i] * (1 - u) + heights[j + 1, i + 1] * u
            slope = (top * (1 - v) + low * v - eye[n, 1]) / (far * share)
            highest = max(highest, slope)
            if eye[n, 1] + highest * far >= head:
                break  # there is nothing more to hide
        hidden = eye[n, 1] + highest * far
        out[n] = min(max((head - max(hidden, foot)) / max(head - foot, 1e-6), 0.0), 1.0)


def unhidden(ground: Ground, eye: np.ndarray, form: np.ndarray, tall: np.ndarray) -> np.ndarray:
    """How much of each plant the ground between leaves to be seen, 0–1 (n,).

    Parameters: ground; eye (n, 3) in m; form (n, 10) and height in m (n,) of the plants.
    """
    out = np.empty(len(form))
    _unhidden(ground.heights, ground.cell, np.ascontiguousarray(eye), form, tall, out)
    return out


def lying(normals: np.ndarray, eye: np.ndarray, foot: np.ndarray, sun: Sequence[float]) -> np.ndarray:
    """How large shadows on the ground look, as multiples of what casts them seen upright (n,).

    Parameters: normals of the ground (n, 3); eye and foot of the plants (n, 3) in m; unit vector toward the
    sun. Ground that is turned away from the sun takes no shadow.
    """
    toward = eye - foot
    seen = (normals * toward).sum(axis=1) / np.maximum(np.linalg.norm(toward, axis=1), 0.1)
    lit = normals @ np.asarray(sun)
    return np.where(lit > GRAZING, np.maximum(seen, 0.0) / np.maximum(lit, GRAZING), 0.0)


def pixels_per_metre(distance: np.ndarray) -> np.ndarray:
    """Pixels that a metre takes at distances in m on a screen of 1,080 lines."""
    return SCREEN_HEIGHT / (2 * np.tan(np.radians(FOV) / 2) * np.maximum(distance, 0.1))


def gentleness(fade: np.ndarray | float, rate: np.ndarray) -> np.ndarray:
    """By how much a fade of a width in m weakens pops whose distance changes so fast, in m/s."""
    return 1.0 + np.asarray(fade) / np.maximum(rate, 1e-3) / SUDDEN
