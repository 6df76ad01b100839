"""What is painted of a stand on placed meshes, as its planting reads it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple, Protocol

import numpy as np

from thicket.document.level import Level
from thicket.document.mesh_touch import Cubes, MeshTouch, unpack
from thicket.document.surface_settings import PlacedMesh
from thicket.document.touch import Cells
from thicket.hashing import hash_of
from thicket.lazy import lazy
from thicket.planted.sheets import Box, around_any, box_around, inside, widened
from thicket.planting.mesh_strokes import MeshPath, reached
from thicket.planting.pins import Pins
from thicket.planting.points import Seats
from thicket.surfaces.placing import MeshPoints


class MeshSource(Protocol):
    """What gives a stand's places on a placed mesh, by its number, in the mesh's own space."""

    def own_points(self, number: int) -> MeshPoints: ...


class _Painted(NamedTuple):
    """Painted cubes as they lie in the level: x and z in m, how far each is read, and a number that stands
    for the cube and its touch."""

    x: np.ndarray
    z: np.ndarray
    reach: np.ndarray
    mark: np.ndarray


def cube_reach(cubes: Cubes, placed: PlacedMesh) -> float:
    """How far from its middle a cube is read at most, in m of the level."""
    return float(np.sqrt(3)) * cubes.cell * placed.scale


def centres(cubes: Cubes, keys: np.ndarray) -> np.ndarray:
    """The middles of cubes, in m of the mesh's own space: float64 (n, 3)."""
    return (unpack(keys)[1] + 0.5) * cubes.cell


@lru_cache(8)
def changed_cubes(was: Cubes | None, now: Cubes | None) -> np.ndarray | None:
    """The box around all places that two paintings of one mesh may differ at: its low and high corners
    (2, 3), in m of the mesh's own space; None when they are alike."""
    if was is now:
        return None
    boxes = []
    for mine, other in ((was, now), (now, was)):
        if mine is None:
            continue
        alike = other.of(mine.keys) == mine.touch if other and other.cell == mine.cell else False
        cubes = unpack(mine.keys[~np.broadcast_to(alike, mine.keys.shape)])[1]
        if len(cubes):
            boxes.append(np.stack([cubes.min(axis=0) - 0.5, cubes.max(axis=0) + 1.5]) * mine.cell)
    if not boxes:
        return None
    return np.stack([np.min(boxes, axis=0)[0], np.max(boxes, axis=0)[1]])


def _on_plan(placed: PlacedMesh, box: np.ndarray) -> Box:
    """The box on the plan, in m, around a box of a mesh's own space."""
    corners = np.array([[box[i, 0], box[j, 1], box[k, 2]] for i, j, k in np.ndindex(2, 2, 2)])
    at = placed.in_level(corners)
    return box_around(at[:, 0], at[:, 2])


def in_box(at: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """Which places, float64 (n, 3), lie in a box from a low to a high corner, both included; bool (n,)."""
    return np.logical_and.reduce([(at[:, k] >= low[k]) & (at[:, k] <= high[k]) for k in range(3)])


def painted_box(level: Level, was: MeshTouch, now: MeshTouch) -> Box | None:
    """The box in m outside of which two paintings of a stand are alike; None when they are everywhere."""
    boxes: list[Box | None] = []
    for number in was.surfaces.keys() | now.surfaces.keys():
        given = [of.surfaces.get(number) for of in (was, now)]
        box, placed = changed_cubes(*given), level.surfaces.get(number)
        if box is not None and placed is not None:
            # as far as sheets' keys follow from cubes
            reach = max(cube_reach(cubes, placed) for cubes in given if cubes)
            boxes.append(widened(_on_plan(placed, box), reach))
    return around_any(*boxes)


class SeenTouch:
    """A stand's painting on the placed meshes of a level. Like `TouchMap` it has a digest of what can be read
    in a box of touch cells of the level."""

    def __init__(self, level: Level, touch: MeshTouch, places: MeshSource, pins: Pins) -> None:
        self.level, self.touch, self.places, self.pins = level, touch, places, pins

    def window(self, box: Cells) -> tuple[SeenTouch, tuple[int, int]]:
        """Itself: places ask it, wherever they are."""
        return self, (0, 0)

    def at(self, points: Seats) -> np.ndarray:
        """Touch −1…+1 at places on the meshes, float32 (n,); −1 where the stand was uprooted."""
        out = np.zeros(len(points.x), np.float32)
        for number, cubes in self.touch.surfaces.items():
            of = np.flatnonzero(points.cell[:, 0] == number)
            if len(of) and len(cubes.keys):
                own, index = self.places.own_points(number), points.cell[of, 1]
                out[of] = cubes.at(own.at[index], own.normal[index])
        out[self.where_uprooted(points)] = -1
        return out

    def differing(self, was: MeshTouch, points: Seats, margin: float) -> tuple[np.ndarray, np.ndarray]:
        """Which places may read other touch than before, and which lie within a margin in m of those; bool
        (n,) each."""
        reached, near = np.zeros(len(points.x), bool), np.zeros(len(points.x), bool)
        for number in self.touch.surfaces.keys() | was.surfaces.keys():
            box = changed_cubes(was.surfaces.get(number), self.touch.surfaces.get(number))
            placed = self.level.surfaces.get(number)
            if box is None or placed is None:
                continue
            plan = widened(_on_plan(placed, box), margin)
            of = np.flatnonzero(inside(plan, points.x, points.z))
            of = of[points.cell[of, 0] == number]
            at = self.places.own_points(number).at[points.cell[of, 1]]
            wide = margin / placed.scale
            reached[of] = in_box(at, box[0], box[1])
            near[of] = in_box(at, box[0] - wide, box[1] + wide)
        return reached, near

    def where_uprooted(self, points: Seats) -> np.ndarray:
        """At which places the stand was uprooted; bool (n,)."""
        out = np.zeros(len(points.x), bool)
        for number, paths in self.uprooted.items():
            of = np.flatnonzero(points.cell[:, 0] == number)
            own, index = self.places.own_points(number), points.cell[of, 1]
            for path, radius in paths:
                out[of] |= reached(path, radius, own.at[index], own.normal[index])
        return out

    @lazy
    def uprooted(self) -> dict[int, list[tuple[MeshPath, float]]]:
        """Where the stand was uprooted, by mesh: paths in the mesh's own space, and radii in m of that."""
        found: dict[int, list[tuple[MeshPath, float]]] = {}
        for place in self.pins.uprooted:
            points = np.array(place.path, float)
            for number in np.unique(points[:, 0]).astype(int).tolist() if place.on_meshes else ():
                which, placed = np.flatnonzero(points[:, 0] == number), self.level.surfaces.get(number)
                if placed is not None:
                    begins, ones = np.diff(which, prepend=-2) != 1, np.ones(len(which))
                    path = MeshPath(points[which, 1:4], points[which, 4:], ones, begins)
                    found.setdefault(number, []).append((path, place.radius / placed.scale))
        return found

    @lazy
    def _painted(self) -> _Painted:
        parts = list(self._parts())
        x, z, reach = (np.concatenate([np.empty(0), *(part[k] for part in parts)]) for k in range(3))
        return _Painted(x, z, reach, np.concatenate([np.empty(0, np.int64), *(part.mark for part in parts)]))

    def _parts(self) -> Iterator[_Painted]:
        for number, cubes in sorted(self.touch.surfaces.items()):
            placed = self.level.surfaces.get(number)
            if placed is None or not len(cubes.keys):
                continue
            at = placed.in_level(centres(cubes, cubes.keys))
            with np.errstate(over="ignore"):
                mark = (cubes.keys * 0x5851F42D4C957F2D) ^ (
                    cubes.touch.astype(np.int64) * 0x14057B7EF767814F + number
                )
            reach = np.full(len(at), cube_reach(cubes, placed))
            yield _Painted(at[:, 0], at[:, 2], reach, mark)

    def digest(self, cells: Cells) -> str:
        """A hash of the painting that can be read in a box of touch cells."""
        x0, z0, x1, z1 = (v * self.level.touch_cell for v in cells)
        found = self._painted
        near = (found.x + found.reach > x0) & (found.x - found.reach < x1)
        near &= (found.z + found.reach > z0) & (found.z - found.reach < z1)
        return hash_of(found.mark[near]).hex()
