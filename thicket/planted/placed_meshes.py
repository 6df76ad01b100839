"""The placed meshes of a level: their triangles, where they lie, what they cost, keep clear and hide."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree
from shapely.geometry import MultiPoint, Polygon

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.document.surface_settings import PlacedMesh
from thicket.document.surfaces import mesh_of, notes_on
from thicket.formats.stock import measure
from thicket.ground.shapes import Shape
from thicket.hashing import digest
from thicket.lazy import lazy
from thicket.planted.sheets import cells
from thicket.planting.hashing import seed_of
from thicket.planting.points import Seats
from thicket.sight.cost import Cost, loads_of
from thicket.sight.cost import Mesh as GameMesh
from thicket.sight.drawing import Drawing
from thicket.sight.survey import apart
from thicket.sight.views import View, box_visible
from thicket.site.site import Nearby
from thicket.surfaces.mesh import Mesh
from thicket.surfaces.nearest import NearestOn
from thicket.surfaces.placing import MOST, MeshPoints, points_on, spread
from thicket.surfaces.rays import Rays
from thicket.surfaces.sizing import sized

VERTEX = 28
"""Bytes of a corner of a mesh that is made here: its place, its direction and its index."""
NEARBY = 20_000
"""Points on a mesh that conditions look at around a place."""
LOW = 1.5
"""What of a mesh lies lower above the terrain, in m, stands in the way of the terrain's plants."""


class Read(NamedTuple):
    """The mesh that is drawn of a placed one, and what was mended of it, in words."""

    mesh: GameMesh
    notes: tuple[str, ...]

    @property
    def nbytes(self) -> int:
        return 200


def seats_at(
    places: np.ndarray, normals: np.ndarray, cell: np.ndarray, threshold: np.ndarray | None = None
) -> Seats:
    """Places on meshes as seats: places and the ways they face in the level, float64 (n, 3); cell int64
    (n, 2), from which their ids follow, the first the mesh's number where conditions look at them; threshold
    float32 (n,), 0 when it is left out."""
    n = len(places)
    return Seats(
        places[:, 0],
        places[:, 2],
        np.zeros(n, np.float32) if threshold is None else threshold,
        cell,
        np.zeros(n, np.float32),
        np.full(n, seed_of("mesh"), np.int64),
        places[:, 1].astype(np.float32),
        normals.astype(np.float32),
        np.ones(n, np.float32),
    )


class PlacedMeshes:
    """The placed meshes of one level, and what is worked out of them."""

    def __init__(self, level: Level, cache: Cache) -> None:
        self.level, self.cache = level, cache

    def source_key(self, placed: PlacedMesh) -> str:
        """Equal for placed meshes of the same triangles."""
        if placed.made:
            return placed.made.model_dump_json()
        item = self.level.stock.get(placed.item)
        return f"{self.level.slug} {placed.item} {item and (item.version, item.height, item.crown)}"

    def key(self, number: int) -> str:
        """Equal for meshes of the same triangles that lie alike."""
        placed = self.level.surfaces[number]
        lies = placed.at, placed.turn, placed.pitch, placed.roll, placed.scale
        return digest(number, self.source_key(placed), lies)

    def mesh(self, placed: PlacedMesh) -> Mesh:
        """The mesh of a placed one, in its own space. Raises: Refused as `document.surfaces.mesh_of`."""
        return self.cache.get(("mesh", self.source_key(placed)), lambda: mesh_of(self.level, placed))

    def points(self, placed: PlacedMesh, seed: int, spacing: float) -> MeshPoints:
        """The places on a mesh in its own space; spacing in m of the level. Some may have thresholds that no
        density reaches: see `thicket.surfaces.sizing`."""
        source, mesh = self.source_key(placed), self.mesh(placed)
        # A mesh that is too large at its own size is sized from one that has few enough places.
        base, scale = spacing, placed.scale
        while scale < 1 and mesh.area / base**2 > MOST:
            base, scale = base * 2, scale * 2
        points = self.cache.get(("mesh points", source, seed, base), lambda: points_on(mesh, base, seed))
        if scale == 1:
            return points
        return self.cache.get(
            ("sized points", source, seed, base, scale), lambda: sized(mesh, points, base, scale, seed)
        )

    def seats(self, number: int, seed: int, spacing: float) -> Seats:
        """The places on one mesh as they lie in the level; spacing in m of the level."""
        placed = self.level.surfaces[number]
        points = self.points(placed, seed, spacing)
        which = np.flatnonzero(points.threshold < 1)
        return seats_at(
            placed.in_level(points.at[which]),
            points.normal[which] @ placed.rotation.T,
            np.c_[np.full(len(which), number), which],
            points.threshold[which],
        )

    def address(self, placed: PlacedMesh) -> str:
        """Stands for what is drawn of a placed mesh: another where its triangles or its item's version
        are."""
        return digest(self.source_key(placed), self.mesh(placed).key)[:16]

    def read(self, placed: PlacedMesh) -> Read:
        """What is known of the file of a placed mesh."""

        def make() -> Read:
            if placed.made:
                faces = len(self.mesh(placed).faces)
                return Read(GameMesh(faces, 1, 0.0, faces * 3 * VERTEX), ())
            item = self.level.stock[placed.item]
            full = measure(item.slug, item.file()).lods[0]
            return Read(full, tuple(notes_on(self.level, placed)))

        return self.cache.get(("mesh read", self.source_key(placed)), make)

    def box(self, number: int) -> np.ndarray:
        """The box around a placed mesh as it lies: x0, y0, z0, x1, y1, z1 in m."""

        def make() -> np.ndarray:
            placed = self.level.surfaces[number]
            at = placed.in_level(self.mesh(placed).vertices)
            return np.concatenate([at.min(axis=0), at.max(axis=0)])

        return self.cache.get(("mesh box", self.key(number)), make)

    def cost(self, view: View) -> Cost:
        """What the placed meshes in a view cost: each that is drawn and whose box is inside the view, its
        triangles and a draw call for each of its materials, and the same for its shadow where the box comes
        near enough; the memory of all that are drawn."""
        cost, sides = Cost(memory=self.memory), view.planes
        for number, placed in self.drawn.items():
            mesh = self.read(placed).mesh
            if box_visible(sides, self.box(number)):
                cost += Cost(triangles=mesh.triangles, draw_calls=mesh.materials)
            if view.shadows and apart(view.eye, self.box(number)) < self.shadow_of(placed, view.drawing):
                cost += Cost(shadow_triangles=mesh.triangles, shadow_calls=mesh.materials)
        return replace(cost, ms=view.device.ms(loads_of(cost)))

    @staticmethod
    def shadow_of(placed: PlacedMesh, drawing: Drawing) -> float:
        """To how many m from the eye a mesh casts shadow."""
        reach = placed.shadow * drawing.shadows
        return reach if drawing.shadow_reach is None else min(reach, drawing.shadow_reach)

    @lazy
    def memory(self) -> int:
        """Bytes of the meshes that are drawn, each file counted once."""
        kept = {self.source_key(placed): self.read(placed).mesh.bytes for placed in self.drawn.values()}
        return sum(kept.values())

    def nearby(self, number: int) -> Nearby:
        """Points spread over one mesh, in the level."""

        def make() -> Nearby:
            placed = self.level.surfaces[number]
            mesh = self.mesh(placed)
            at, face = spread(mesh, NEARBY, seed_of("nearby"))
            places = placed.in_level(at)
            return Nearby(places, mesh.normals[face] @ placed.rotation.T, cKDTree(places))

        return self.cache.get(("nearby", self.key(number)), make, spare=True)

    def nearest(self, number: int, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The points of one mesh that lie nearest to places of the level, and the way each faces: float64
        (n, 3)."""
        placed = self.level.surfaces[number]
        at, face = self._nearest_on(placed).to(placed.in_own(places))
        return placed.in_level(at), self.mesh(placed).normals[face] @ placed.rotation.T

    def texture(self, number: int, places: np.ndarray) -> np.ndarray:
        """The texture coordinates of one mesh at places of the level on it, float64 (n, 2)."""
        placed = self.level.surfaces[number]
        return self.mesh(placed).texture_at(*self._nearest_on(placed).to(placed.in_own(places)))

    def _nearest_on(self, placed: PlacedMesh) -> NearestOn:
        key = "nearest", self.source_key(placed)
        return self.cache.get(key, lambda: NearestOn(self.mesh(placed)), spare=True)

    @lazy
    def outlines(self) -> list[Shape]:
        """Where placed meshes stand in the way of the terrain's plants, as obstacles that keep just their own
        outline clear."""
        found = (self._outline(n) for n, placed in self.level.surfaces.items() if placed.blocks)
        return [shape for shape in found if shape]

    def _outline(self, number: int) -> Shape | None:
        placed, ground = self.level.surfaces[number], self.level.heights.ground
        x0, _, z0, x1, _, z1 = self.box(number).tolist()
        window = cells((x0, z0, x1, z1), ground.cell)
        key = "outline", self.key(number), self.level.heights.near(window, 1)

        def make() -> tuple:
            at = placed.in_level(self.mesh(placed).vertices)
            over = at[:, 1] - ground.height_at(at[:, 0].copy(), at[:, 2].copy())
            hull = MultiPoint(at[over < LOW][:, [0, 2]]).convex_hull
            return tuple(hull.exterior.coords[:-1]) if isinstance(hull, Polygon) else ()

        corners = self.cache.get(key, make)
        if len(corners) < 3:
            return None
        return Shape("obstacle", corners, clear=0.0, name=placed.name, group=placed.group)

    @lazy
    def drawn(self) -> dict[int, PlacedMesh]:
        """Those that are drawn, by number."""
        return {number: placed for number, placed in self.level.surfaces.items() if placed.drawn}

    @lazy
    def drawn_key(self) -> str:
        """Equal as long as the meshes that are drawn are, and lie, alike."""
        return digest([self.key(number) for number in self.drawn])

    @lazy
    def paid_key(self) -> str:
        """Equal as long as the meshes that are drawn cost the same wherever they are looked at from."""
        return digest(self.drawn_key, [placed.shadow for placed in self.drawn.values()])

    def hides(self, eye: np.ndarray, target: np.ndarray) -> np.ndarray:
        """Which places meshes hide from where they are looked at; eye and target float64 (n, 3) in m,
        bool (n,)."""
        out = np.zeros(len(eye), bool)
        for number, placed in self.drawn.items():
            box = self.box(number)
            near = _may_meet(eye, target, box) & ~out
            if near.any():
                start, end = placed.in_own(eye[near]), placed.in_own(target[near])
                out[near] = self._rays(placed).between(start, end, HIDDEN / placed.scale)
        return out

    def _rays(self, placed: PlacedMesh) -> Rays:
        key = "rays", self.source_key(placed)
        return self.cache.get(key, lambda: Rays(self.mesh(placed)), spare=True)


HIDDEN = 0.1
"""A place counts as hidden by what lies more than so many m before it."""


def _may_meet(eye: np.ndarray, target: np.ndarray, box: np.ndarray) -> np.ndarray:
    """Which straight lines may pass through a box; bool (n,)."""
    low, high = np.minimum(eye, target), np.maximum(eye, target)
    return (low <= box[3:]).all(axis=1) & (high >= box[:3]).all(axis=1)
