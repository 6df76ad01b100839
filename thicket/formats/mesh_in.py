"""A triangle mesh of a terrain as heights: looked at straight from above."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numba as nb
import numpy as np

MOST_TRIANGLES = 8_000_000


@dataclass(frozen=True, eq=False)
class SeenFromAbove:
    """heights float32 (rows, columns) in m, NaN where nothing is above the ground plan; cell in m."""

    heights: np.ndarray
    cell: float
    triangles: int


@nb.njit(nogil=True, cache=True)
def _project(corners, cell, out):
    """Write the highest point of all triangles over each vertex of a grid; corners (t, 3, 3) from the grid's origin."""
    rows, cols = out.shape
    for t in range(corners.shape[0]):
        ax, ay, az = corners[t, 0]
        bx, by, bz = corners[t, 1]
        cx, cy, cz = corners[t, 2]
        area = (bx - ax) * (cz - az) - (cx - ax) * (bz - az)
        if area == 0.0:
            continue
        i0 = max(int(np.ceil(min(ax, bx, cx) / cell - 1e-6)), 0)
        i1 = min(int(np.floor(max(ax, bx, cx) / cell + 1e-6)), cols - 1)
        j0 = max(int(np.ceil(min(az, bz, cz) / cell - 1e-6)), 0)
        j1 = min(int(np.floor(max(az, bz, cz) / cell + 1e-6)), rows - 1)
        for j in range(j0, j1 + 1):
            z = j * cell
            for i in range(i0, i1 + 1):
                x = i * cell
                u = ((x - ax) * (cz - az) - (cx - ax) * (z - az)) / area
                v = ((bx - ax) * (z - az) - (x - ax) * (bz - az)) / area
                if u >= -1e-6 and v >= -1e-6 and u + v <= 1.0 + 2e-6:
                    y = ay + u * (by - ay) + v * (cy - ay)
                    if not out[j, i] >= y:
                        out[j, i] = y


def project(vertices: np.ndarray, faces: np.ndarray, cell: float) -> np.ndarray:
    """Heights at the vertices of a grid of `cell` m over a mesh, its highest point over each.

    Parameters: vertices float (n, 3), y up, in m; faces int (t, 3). The grid begins at the mesh's least x and z.
    Returns: float32 (rows, columns), NaN where no triangle lies.
    """
    low = vertices.min(0) * [1, 0, 1]
    extent = vertices.max(0) - vertices.min(0)
    out = np.full((int(extent[2] / cell + 1e-6) + 1, int(extent[0] / cell + 1e-6) + 1), np.nan, np.float32)
    _project(np.ascontiguousarray((vertices - low)[faces]), float(cell), out)
    return out


def mesh_heights(path: Path, cell: float | None, largest: int) -> SeenFromAbove:
    """Read a glTF or OBJ file and look at it from above.

    Parameters: cell in m, or None to have the longer side cut into about a thousand; largest number of vertices on a
    side. Files that point to other files are not followed.

    Raises: ValueError when it holds no triangles, too many, or spans too many cells.
    """
    import trimesh

    try:
        mesh = trimesh.load(path.open("rb"), file_type=path.suffix.lstrip(".").lower(), force="mesh", process=False)
    except Exception as error:  # a damaged file breaks the reader in its own ways
        raise ValueError("it is damaged, or needs other files beside it, and cannot be read as a mesh") from error
    faces = np.asarray(getattr(mesh, "faces", ()))
    if not len(faces):
        raise ValueError("it holds no triangles")
    if len(faces) > MOST_TRIANGLES:
        raise ValueError(f"it holds {len(faces):,} triangles; at most {MOST_TRIANGLES:,} are taken")
    vertices = np.asarray(mesh.vertices, float)
    if not np.isfinite(vertices).all():
        raise ValueError("it has corners that are not numbers")
    extent = vertices.max(0) - vertices.min(0)
    widest = float(max(extent[0], extent[2]))
    if not min(extent[0], extent[2]) > 0:
        raise ValueError("seen from above it has no extent; is its y axis up?")
    if cell is None:
        cell = max(round(widest / 1024, 2), 0.01)
    if not cell > 0:
        raise ValueError("the cell size must be above 0 m")
    if widest / cell > largest - 1:
        raise ValueError(f"{widest:,.0f} m at {cell:g} m are more than {largest:,} values on a side; choose larger cells")
    return SeenFromAbove(project(vertices, faces, cell), float(cell), len(faces))
