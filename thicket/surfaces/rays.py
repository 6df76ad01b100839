"""Straight lines that meet a mesh."""

from __future__ import annotations

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from thicket.surfaces.mesh import Mesh


class Rays:
    """A mesh ready to be looked through, by Intel's Embree."""

    def __init__(self, mesh: Mesh) -> None:
        self.scene = EmbreeScene()
        TriangleMesh(self.scene, mesh.vertices.astype(np.float32), mesh.faces.astype(np.int32))
        self.nbytes = 12 * mesh.faces.nbytes

    def between(self, start: np.ndarray, end: np.ndarray, short: float = 0.0) -> np.ndarray:
        """Whether the mesh lies between two places of its own space, more than `short` m before the second:
        float64 (n, 3) each, bool (n,)."""
        way = end - start
        far = np.linalg.norm(way, axis=1)
        toward = (way / np.maximum(far, 1e-9)[:, None]).astype(np.float32)
        met = self.scene.run(start.astype(np.float32), toward, query="DISTANCE")
        return met < far - short
