"""What a brush does to a stand's painting on placed meshes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from thicket.document.edits import PaintedMesh
from thicket.document.mesh_touch import FARTHEST, WAYS, Cubes, pack, unpack, ways_of
from thicket.document.surface_settings import PlacedMesh
from thicket.document.surfaces import chosen_surfaces
from thicket.ground.shapes import Shape, distances_at
from thicket.planted.mesh_painting import in_box
from thicket.planted.placed_meshes import PlacedMeshes, seats_at
from thicket.planted.planting import Planting
from thicket.planted.surfaces import MeshFields
from thicket.planting.density import TOUCH_UNIT, density_from
from thicket.planting.hashing import seed_of
from thicket.planting.mesh_strokes import MeshPath, cover_cubes, smooth_cubes
from thicket.planting.strokes import Stroke, ease_margin, touched
from thicket.site.conditions import Condition
from thicket.surfaces.mesh import Mesh
from thicket.surfaces.placing import spread

CUBES_ALONG = 128
"""A mesh is painted in at most so many cubes along its longest side."""
SAMPLES = 24
"""Points on the area of a cube's side by which the cubes near a surface are found."""
PRESENT = 0.02
"""Where a stand's density is below this, it is not there."""


class Shell(NamedTuple):
    """The cubes around a mesh's surface: keys int64 (n,), sorted, and their middles float64 (n, 3); and
    points of the surface with the direction that each faces, float64 (m, 3), in the mesh's own space."""

    keys: np.ndarray
    middle: np.ndarray
    at: np.ndarray
    normal: np.ndarray

    @property
    def nbytes(self) -> int:
        return sum(column.nbytes for column in self)


def cell_for(mesh: Mesh, touch_cell: float, scale: float) -> float:
    """How wide the cubes are in which a mesh is painted that is not painted yet, in m of its own space."""
    far = float(np.abs(mesh.vertices).max())
    return max(
        touch_cell / scale, float(np.ptp(mesh.vertices, axis=0).max()) / CUBES_ALONG, far / FARTHEST * 1.1
    )


def shell_of(mesh: Mesh, cell: float) -> Shell:
    """The cubes from which a mesh's surface reads its painting, and those next to them, so that another
    version of the mesh finds it too."""
    count = int(min(max(SAMPLES * mesh.area / cell**2, 500), 4_000_000))
    at, face = spread(mesh, count, seed_of("shell"))
    normal = mesh.normals[face]
    read = np.unique(pack(ways_of(normal), np.floor(at / cell - 0.5)))
    way, cubes = unpack(read)
    steps = np.stack(np.meshgrid(*[np.arange(-1, 3)] * 3), axis=-1).reshape(-1, 3)
    keys = np.unique(np.concatenate([pack(way, cubes + step) for step in steps]))
    return Shell(keys, (unpack(keys)[1] + 0.5) * cell, at, normal)


def shell(meshes: PlacedMeshes, placed: PlacedMesh, cell: float) -> Shell:
    """The same of a placed mesh, kept."""
    key = "shell", meshes.source_key(placed), cell
    return meshes.cache.get(key, lambda: shell_of(meshes.mesh(placed), cell))


def paths_of(stroke: Stroke, placed: PlacedMesh, number: int) -> MeshPath:
    """The part of a stroke that lies on one mesh, by number, in the mesh's own space."""
    on = np.asarray(stroke.on, float)
    which = np.flatnonzero(on[:, 0] == number)
    xz = np.asarray(stroke.path, float)[which]
    pressure = np.ones(len(on)) if stroke.pressure is None else np.asarray(stroke.pressure, float)
    normal = on[which, 2:] @ placed.rotation
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9)
    return MeshPath(
        placed.in_own(np.c_[xz[:, 0], on[which, 1], xz[:, 1]]),
        normal,
        np.clip(pressure[which], 0, 1),
        np.diff(which, prepend=-2) != 1,
    )


def mesh_painting(
    planting: Planting, stroke: Stroke, limits: list[Condition], area: Shape | None, present: bool, fill: bool
) -> Iterator[PaintedMesh]:
    """What a stroke, or a fill, paints on the meshes of a stand. limits: where alone it works; area: inside
    which; present: only where the stand is."""
    level, number = planting.level, planting.stand.number
    meshes, touch = planting.around.meshes, level.mesh_touch_of(number)
    reached = {int(row[0]) for row in stroke.on}
    for surface, placed in sorted(chosen_surfaces(level, planting.settings.on).items()):
        if not fill and surface not in reached:
            continue
        cubes = touch.surfaces.get(surface)
        if cubes is None or not len(cubes.keys):
            cubes = Cubes(cell_for(meshes.mesh(placed), level.touch_cell, placed.scale))
        around = shell(meshes, placed, cubes.cell)
        keys, at, radius = around.keys, around.middle, stroke.radius / placed.scale
        path = None if fill else paths_of(stroke, placed, surface)
        if path:
            margin = (ease_margin(radius, cubes.cell) if stroke.verb == "ease" else 0) * cubes.cell
            reach = radius + margin
            near = in_box(at, path.at.min(axis=0) - reach, path.at.max(axis=0) + reach)
            keys, at = keys[near], at[near]
        if not len(keys):
            continue
        way, at_cubes = unpack(keys)
        before = cubes.of(keys)
        works = np.ones(len(keys), np.float32)
        if path:
            works = cover_cubes(stroke.at_scale(1 / placed.scale), path, at, WAYS[way])
        works *= _limited(planting, surface, at, way, around, before, limits, area, present)
        delta = touched(stroke, before, works, smooth_cubes(at_cubes, way, radius, cubes.cell))
        hit = delta != 0
        if hit.any():
            yield PaintedMesh.of(number, surface, cubes.cell, keys[hit], delta[hit])


def _limited(
    planting: Planting,
    surface: int,
    at: np.ndarray,
    way: np.ndarray,
    around: Shell,
    touch: np.ndarray,
    limits: list[Condition],
    area: Shape | None,
    present: bool,
) -> np.ndarray:
    """How far the brush's limits let it work on cubes, float32 (n,) 0–1."""
    out = np.ones(len(at), np.float32)
    if not (limits or area or present):
        return out
    placed, site = planting.level.surfaces[surface], planting.site
    assert isinstance(site, MeshFields)
    places = placed.in_level(at)
    if area is not None:
        out[distances_at([area], places[:, 0].copy(), places[:, 2].copy())[0] > 0] = 0
    if limits or present:
        cell = np.c_[np.full(len(at), surface), np.zeros(len(at), np.int64)]
        points = seats_at(places, _facing(around, at, way) @ placed.rotation.T, cell)
        if limits:
            out *= site.suitability_at(points, limits)
        if present:
            suitable = site.suitability_at(points, planting.rules)
            out *= density_from(suitable, touch / np.float32(TOUCH_UNIT)) * planting.core.fullness > PRESENT
    return out


def _facing(around: Shell, at: np.ndarray, way: np.ndarray) -> np.ndarray:
    """The direction that the surface nearest to each cube faces, of those that face as the cube does."""
    out, faces = np.array(WAYS[way]), ways_of(around.normal)
    for w in np.unique(way):
        of = np.flatnonzero(faces == w)
        if len(of):
            _, nearest = cKDTree(around.at[of]).query(at[way == w])
            out[way == w] = around.normal[of[nearest]]
    return out
