"""The point of a mesh that lies nearest to a place."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree
from trimesh.triangles import closest_point

from thicket.planting.hashing import seed_of
from thicket.surfaces.mesh import Mesh
from thicket.surfaces.placing import spread

SAMPLES, CANDIDATES = 20_000, 8


class NearestOn:
    """Finds the nearest points of one mesh: among the triangles that have their middle, or one of many points
    spread over the mesh, near a place."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        spots, face = spread(mesh, SAMPLES, seed_of("nearest"))
        self.faces = np.concatenate([face, np.arange(len(mesh.faces))])
        self.tree = cKDTree(np.concatenate([spots, mesh.corners.mean(axis=1)]))

    @property
    def nbytes(self) -> int:
        return self.mesh.nbytes + 60 * len(self.faces)

    def to(self, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The nearest points to places of the mesh's own space, float64 (n, 3), and the triangle of each,
        int64 (n,)."""
        _, near = self.tree.query(places, k=CANDIDATES)
        faces = self.faces[near]
        n = len(places)
        found = closest_point(self.mesh.corners[faces.ravel()], np.repeat(places, CANDIDATES, axis=0))
        found = found.reshape(n, CANDIDATES, 3)
        best = np.linalg.norm(found - places[:, None], axis=2).argmin(axis=1)
        rows = np.arange(n)
        return found[rows, best], faces[rows, best]
