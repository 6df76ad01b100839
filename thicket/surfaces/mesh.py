"""Meshes that plants can stand on: made here, or taken from a file and mended."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import trimesh
from trimesh.triangles import points_to_barycentric

from thicket.hashing import digest_of
from thicket.lazy import lazy
from thicket.refused import Refused

Form = Literal["sphere", "capsule", "plane", "block", "cylinder"]
MOST_TRIANGLES = 500_000


@dataclass(frozen=True, eq=False)
class Mesh:
    """A triangle mesh in its own space: vertices float64 (n, 3) in m, faces int64 (m, 3), anticlockwise seen
    from the side that is planted; uv float (n, 2), the texture coordinates of the vertices, where it has
    some."""

    vertices: np.ndarray
    faces: np.ndarray
    uv: np.ndarray | None = None

    @property
    def nbytes(self) -> int:
        """Bytes of it with all that is worked out of it."""
        return self.vertices.nbytes + 9 * self.faces.nbytes

    @lazy
    def key(self) -> str:
        """Equal for equal meshes."""
        return digest_of(self.vertices) + digest_of(self.faces)

    @lazy
    def corners(self) -> np.ndarray:
        """The corners of each triangle, float64 (m, 3, 3)."""
        return self.vertices[self.faces]

    @lazy
    def _crosses(self) -> np.ndarray:
        a, b, c = np.moveaxis(self.corners, 1, 0)
        return np.cross(b - a, c - a)

    @lazy
    def areas(self) -> np.ndarray:
        """The area of each triangle in m², float64 (m,)."""
        return np.linalg.norm(self._crosses, axis=1) / 2

    @lazy
    def normals(self) -> np.ndarray:
        """The outward direction of each triangle, float64 (m, 3)."""
        return self._crosses / (2 * self.areas[:, None])

    @lazy
    def hull(self) -> np.ndarray:
        """Its outermost vertices, at most 96, for outlines from any side: float64 (k, 3)."""
        n = 96
        y = 1 - (2 * np.arange(n) + 1) / n
        around = np.arange(n) * np.pi * (3 - np.sqrt(5))
        ring = np.sqrt(1 - y * y)
        ways = np.c_[ring * np.cos(around), y, ring * np.sin(around)]
        return self.vertices[np.unique((self.vertices @ ways.T).argmax(axis=0))]

    def texture_at(self, at: np.ndarray, face: np.ndarray) -> np.ndarray:
        """Texture coordinates of points of some triangles: float64 (n, 2) in [0, 1), across and down an
        image. A mesh without its own has the image once around its upright axis, its upper edge at the top;
        a flat one as seen from above.

        Parameters: at float64 (n, 3), in m of its own space; face int64 (n,).
        """
        if self.uv is not None:
            shares = points_to_barycentric(self.corners[face], at)
            return np.einsum("ij,ijk->ik", shares, self.uv[self.faces[face]].astype(float)) % 1.0
        low, high = self.vertices.min(axis=0), self.vertices.max(axis=0)
        x, y, z = ((at - low) / np.maximum(high - low, 1e-9)).T
        if high[1] - low[1] < 1e-6:
            return np.c_[x, z] % 1.0
        around = np.arctan2(x - 0.5, z - 0.5) / (2 * np.pi)
        return np.c_[around % 1.0, np.clip(1 - y, 0, 1 - 1e-9)]

    @property
    def area(self) -> float:
        """The area of its faces together, in m²."""
        return float(self.areas.sum())


def made_mesh(form: Form, size: Sequence[float], divisions: int) -> Mesh:
    """A mesh that is made here, about its own centre.

    Parameters: size, along x, y and z in m (a plane has no y; the ends of a capsule are as round as it is
    wide); divisions, how finely it is cut: triangles grow with its square.
    Raises: Refused when a size is not above 0.
    """
    x, y, z = (float(v) for v in size)
    if not (x > 0 and z > 0 and (y > 0 or form == "plane")):
        raise Refused("size: a mesh that is made here must be wider, higher and longer than 0 m")
    n = divisions
    if form == "plane":
        return _grid(x, z, n)
    if form == "sphere":
        made = trimesh.creation.uv_sphere(radius=0.5, count=[max(n, 4), max(2 * n, 6)])
        scale = x, z, y
    elif form == "cylinder":
        across, along = np.linspace(0, 0.5, max(n // 4, 1) + 1), np.linspace(-0.5, 0.5, n + 1)
        foot, side = np.c_[across, np.full_like(across, -0.5)], np.c_[np.full_like(along, 0.5), along]
        profile = np.concatenate([foot[:-1], side, (foot * (1, -1))[-2::-1]])
        made = trimesh.creation.revolve(profile, sections=max(4 * n, 6))
        scale = x, z, y
    elif form == "capsule":
        round_end = min(x, z) / 2
        made = trimesh.creation.capsule(
            height=max(y - 2 * round_end, 1e-3), radius=round_end, count=[max(4 * n, 6), max(2 * n, 4)]
        )
        made.apply_translation(-made.bounds.mean(axis=0))
        scale = x / (2 * round_end), z / (2 * round_end), 1.0
    else:
        made = trimesh.creation.box(extents=(1, 1, 1))
        made = made.subdivide_to_size(2.0 / n) if n > 2 else made
        scale = x, z, y
    vertices = np.asarray(made.vertices) * scale
    return mended(vertices[:, [0, 2, 1]] * (1, 1, -1), np.asarray(made.faces))[0]


def _grid(x: float, z: float, n: int) -> Mesh:
    u, v = (a.ravel() for a in np.meshgrid(np.linspace(-0.5, 0.5, n + 1), np.linspace(-0.5, 0.5, n + 1)))
    a = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel()
    b, c, d = a + 1, a + n + 1, a + n + 2
    faces = np.concatenate([np.c_[a, c, b], np.c_[b, c, d]])
    return Mesh(np.c_[u * x, np.zeros_like(u), v * z], faces)


def mended(vertices: np.ndarray, faces: np.ndarray) -> tuple[Mesh, list[str]]:
    """A mesh fit to be planted, and what was mended, in words.

    Triangles without area and those that stand there twice are left out; a closed mesh that is inside out is
    turned; open edges are only named. Raises: Refused for what is no number, has no area, or has more than
    `MOST_TRIANGLES` triangles.
    """
    vertices, faces = np.asarray(vertices, float), np.asarray(faces, np.int64)
    if len(faces) > MOST_TRIANGLES:
        raise Refused(f"it has {len(faces):,} triangles; plants can stand on at most {MOST_TRIANGLES:,}")
    if not np.isfinite(vertices).all():
        raise Refused("it has vertices that are no numbers")
    if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
        raise Refused("it names vertices that it does not have")
    notes = []
    mesh = Mesh(vertices, faces)
    whole = mesh.areas > 1e-12 * max(float(np.ptp(vertices)), 1e-6) ** 2 if len(faces) else np.zeros(0, bool)
    if not whole.any():
        raise Refused("it has no area that plants could stand on")
    if not whole.all():
        notes.append(f"{int((~whole).sum()):,} triangles without area were left out")
        faces = faces[whole]
    _, welded = np.unique(np.round(vertices, 9), axis=0, return_inverse=True)
    named = welded.reshape(-1)[faces]
    _, first = np.unique(np.sort(named, axis=1), axis=0, return_index=True)
    if len(first) < len(faces):
        notes.append(f"{len(faces) - len(first):,} triangles that stand there twice were left out")
        first.sort()
        faces, named = faces[first], named[first]
    edges = np.sort(named[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    _, times = np.unique(edges, axis=0, return_counts=True)
    open_edges = int((times == 1).sum())
    if open_edges:
        notes.append(f"it has {open_edges:,} open edges")
    else:
        a, b, c = np.moveaxis(vertices[faces], 1, 0)
        if np.einsum("ij,ij->", a, np.cross(b, c)) < 0:
            notes.append("it was inside out, and was turned")
            faces = faces[:, ::-1]
    return Mesh(np.ascontiguousarray(vertices), np.ascontiguousarray(faces)), notes
