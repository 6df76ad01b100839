"""Places on a mesh of 300,000 triangles: how closely they pack, whether any two are too near, and the time
for each, against trimesh's even sampling at the same distance."""

from __future__ import annotations

import contextlib
import io
import statistics
import time

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from bench._short import short
from thicket.surfaces.mesh import made_mesh
from thicket.surfaces.placing import points_on

DIVISIONS, PLACES, ROUNDS = short(194, 12), short(100_000, 500), short(3, 1)
PACKING, RATIO = 0.66, 1.0


def main() -> int:
    mesh = made_mesh("sphere", (10, 10, 10), DIVISIONS)
    spacing = float(np.sqrt(0.85 * mesh.area / PLACES))
    points_on(made_mesh("sphere", (1, 1, 1), 8), 0.3, 1)
    theirs_mesh = trimesh.Trimesh(mesh.vertices, mesh.faces)
    ours, theirs = [], []
    for seed in range(ROUNDS):
        began = time.perf_counter()
        points = points_on(mesh, spacing, seed)
        ours.append((time.perf_counter() - began) / len(points.at))
        began = time.perf_counter()
        with contextlib.redirect_stderr(io.StringIO()):
            sampled, _ = trimesh.sample.sample_surface_even(theirs_mesh, PLACES, spacing, seed)
        theirs.append((time.perf_counter() - began) / len(sampled))
    packed, reference = (len(at) * np.pi / 4 * spacing**2 / mesh.area for at in (points.at, sampled))
    pairs = cKDTree(points.at).query_pairs(spacing * (1 - 1e-9), output_type="ndarray")
    facing = np.einsum("ij,ij->i", points.normal[pairs[:, 0]], points.normal[pairs[:, 1]])
    near = int((facing >= 0).sum())
    ratio = statistics.median(ours) / statistics.median(theirs)
    print(
        f"surface: {len(points.at):,} places on {len(mesh.faces):,} triangles: packing {packed:.3f} "
        f"(at least {PACKING}), trimesh {reference:.3f}; {near} pairs too near (at most 0)"
    )
    print(
        f"surface: {1e6 * statistics.median(ours):.1f} µs a place, trimesh "
        f"{1e6 * statistics.median(theirs):.1f} µs: ratio {ratio:.2f} (at most {RATIO})"
    )
    return 0 if packed >= PACKING and not near and ratio <= RATIO else 1


if __name__ == "__main__":
    raise SystemExit(main())
