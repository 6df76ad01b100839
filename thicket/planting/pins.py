"""Pins: single plants set, moved or removed by hand, which outlive every regeneration."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from thicket.ground.heights import Ground
from thicket.planting.stands import Plants
from thicket.planting.strokes import along_path

COLUMNS = (
    "item",
    "x",
    "z",
    "lift",
    "qx",
    "qy",
    "qz",
    "qw",
    "width",
    "height",
    "tint",
    "gone",
    "home_x",
    "home_z",
    "surface",
)
"""What a hand can say of a plant, in rows and files."""


class Uprooted(NamedTuple):
    """A place where plants of a stand were taken out, and where no rule plants it again: within `radius` m of
    a path. On the terrain the path's points are x and z; on placed meshes each is the mesh's number, x, y and
    z in its own space, and the direction x, y and z that it faces there."""

    path: tuple[tuple[float, ...], ...]
    radius: float

    @property
    def on_meshes(self) -> bool:
        """Whether its path lies on placed meshes."""
        return len(self.path[0]) > 2

    @property
    def box(self) -> tuple[float, float, float, float]:
        """The box around it on the terrain: x0, z0, x1, z1 in m."""
        x, z = zip(*self.path)
        return min(x) - self.radius, min(z) - self.radius, max(x) + self.radius, max(z) + self.radius


def inside_uprooted(places: Sequence[Uprooted], x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Which points of the terrain, float64 (n,) in m, lie where plants were taken out; bool (n,)."""
    hit = np.zeros(len(x), bool)
    for place in places:
        if place.on_meshes:
            continue
        x0, z0, x1, z1 = place.box
        near = np.flatnonzero(~hit & (x >= x0) & (x <= x1) & (z >= z0) & (z <= z1))
        hit[near] = along_path([(p[0], p[1]) for p in place.path], x[near], z[near]) <= place.radius
    return hit


class Pins(NamedTuple):
    """Hand-set plants of one stand, arrays of one length, the ids that the rule is not to plant, and where it
    plants none.

    id uint64; x, z float64 in m; lift float32, m above the ground; surface int64, the number of the placed
    mesh that a plant stands on, 0 for the terrain: on one, x, lift and z are its place in the mesh's own
    space, and its turn is from the mesh's (`thicket.document.surfaces.lying` has them in the level). rest
    float32 (n, 7): quaternion x, y, z, w, width and height as multiples of the mesh, tint 0–1; item, slugs.
    replaced uint64 (m,), ids of rule-made plants that a pin stands for or that were removed; home float64
    (m, 2), x and z where the rule had them.
    """

    id: np.ndarray
    x: np.ndarray
    z: np.ndarray
    lift: np.ndarray
    rest: np.ndarray
    item: tuple[str, ...]
    replaced: np.ndarray
    home: np.ndarray
    uprooted: tuple[Uprooted, ...] = ()
    surface: np.ndarray = np.empty(0, np.int64)

    @property
    def slugs(self) -> set[str]:
        """The items that are pinned."""
        return set(self.item)


NO_PINS = Pins(
    np.empty(0, np.uint64),
    np.empty(0),
    np.empty(0),
    np.empty(0, np.float32),
    np.empty((0, 7), np.float32),
    (),
    np.empty(0, np.uint64),
    np.empty((0, 2)),
)


def pinned_plants(pins: Pins, items: list[str], ground: Ground) -> Plants:
    """The pins as plants on a ground; `items` are the slugs that a plant's item counts through."""
    form = np.empty((len(pins.id), 10), np.float32)
    form[:, 0], form[:, 2], form[:, 3:] = pins.x, pins.z, pins.rest
    form[:, 1] = ground.height_at(pins.x, pins.z) + pins.lift
    return Plants(pins.id, form, np.array([items.index(slug) for slug in pins.item], np.uint8))


def turned_by(q: np.ndarray, degrees: float) -> np.ndarray:
    """A quaternion x, y, z, w turned about the upright by compass degrees, clockwise seen from above."""
    half = -np.radians(degrees) / 2
    x, y, z, w = q
    s, c = np.sin(half), np.cos(half)
    return np.array([c * x + s * z, c * y + s * w, c * z - s * x, c * w - s * y])


def bearing_of(q: np.ndarray) -> float:
    """The compass bearing in degrees that the front (−z) of a mesh turned by a quaternion faces."""
    x, y, z, w = (float(v) for v in q)
    front_x, front_z = -2 * (x * z + w * y), -(1 - 2 * (x * x + y * y))
    return float(np.degrees(np.arctan2(front_x, -front_z)) % 360)


def lean_of(q: np.ndarray) -> float:
    """By how many degrees a mesh turned by a quaternion x, y, z, w leans from the upright."""
    x, _, z, _ = (float(v) for v in q)
    return float(np.degrees(np.arccos(np.clip(1 - 2 * (x * x + z * z), -1, 1))))


def leaning(q: np.ndarray, degrees: float) -> np.ndarray:
    """A quaternion that leans by so many degrees toward where it leaned, or toward its front when it stood
    upright."""
    x, y, z, w = (float(v) for v in q)
    up = np.array([2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)])
    side = np.hypot(up[0], up[2])
    bearing = np.radians(bearing_of(q))
    toward = np.array([up[0], up[2]]) / side if side > 1e-6 else np.array([np.sin(bearing), -np.cos(bearing)])
    axis = np.array([toward[1], 0.0, -toward[0]])
    half = np.radians(degrees - lean_of(q)) / 2
    ax, ay, az = axis * np.sin(half)
    aw = np.cos(half)
    return np.array(
        [
            aw * x + ax * w + ay * z - az * y,
            aw * y - ax * z + ay * w + az * x,
            aw * z + ax * y - ay * x + az * w,
            aw * w - ax * x - ay * y - az * z,
        ]
    )
