"""A triangle mesh of a terrain as heights: looked at straight from above."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numba as nb
import numpy as np

from thicket.refused import Refused

MOST_TRIANGLES = 2_000_000
MOST_LAYERS = 60
"""How often triangles may cover the ground over, counted by the rectangles around them."""
FINEST = 0.05
"""m, the smallest cell that is proposed."""
LONGEST_LINE, DEEPEST = 64 * 1024, 200
_REFUSED = "it is damaged, or needs other files beside it, and cannot be read as a mesh"


@dataclass(frozen=True, eq=False)
class SeenFromAbove:
    """heights float32 (rows, columns) in m, NaN where nothing is above the ground plan; cell in m."""

    heights: np.ndarray
    cell: float
    triangles: int


@nb.njit(nogil=True, cache=True)
def _project(corners, cell, out):
    """Write the highest point of all triangles over each vertex of a grid; corners (t, 3, 3) from the grid's
    origin."""
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

    Parameters: vertices float (n, 3), y up, in m; faces int (t, 3). The grid begins at the mesh's least x and
    z. Returns: float32 (rows, columns), NaN where no triangle lies.
    """
    low = vertices.min(0) * [1, 0, 1]
    extent = vertices.max(0) - vertices.min(0)
    out = np.full((int(extent[2] / cell + 1e-6) + 1, int(extent[0] / cell + 1e-6) + 1), np.nan, np.float32)
    _project(np.ascontiguousarray((vertices - low)[faces]), float(cell), out)
    return out


def mesh_heights(path: Path, suffix: str, cell: float | None, largest: int) -> SeenFromAbove:
    """Read a glTF or OBJ file and look at it from above.

    Parameters: suffix, `.glb`, `.gltf` or `.obj`; cell in m, or None to have the longer side cut into about a
    thousand; largest number of vertices on a side. Files that point to other files are not followed.

    Raises: Refused when it holds no triangles, too many, or spans too many cells.
    """
    vertices, faces = _read(path, suffix)
    if not len(faces):
        raise Refused("it holds no triangles")
    if len(faces) > MOST_TRIANGLES:
        raise Refused(f"it holds {len(faces):,} triangles; at most {MOST_TRIANGLES:,} are taken")
    if not np.isfinite(vertices).all():
        raise Refused("it has corners that are not numbers")
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise Refused("its triangles name corners that it does not have")
    extent = vertices.max(0) - vertices.min(0)
    widest = float(max(extent[0], extent[2]))
    if not min(extent[0], extent[2]) > 0:
        raise Refused("seen from above it has no extent; is its y axis up?")
    if cell is None:
        cell = max(round(widest / 1024, 2), FINEST)
    if not cell > 0:
        raise Refused("the cell size must be above 0 m")
    if widest / cell > largest - 1:
        raise Refused(
            f"{widest:,.0f} m at {cell:g} m are more than {largest:,} values on a side; choose larger cells"
        )
    _check_cover(vertices, faces, extent)
    return SeenFromAbove(project(vertices, faces, cell), float(cell), len(faces))


def _check_cover(vertices: np.ndarray, faces: np.ndarray, extent: np.ndarray) -> None:
    """Refuse a mesh whose triangles lie over each other so often that it is no ground."""
    x, z = vertices[:, 0][faces], vertices[:, 2][faces]
    covered = float((np.ptp(x, axis=1) * np.ptp(z, axis=1)).sum())
    if covered > MOST_LAYERS * float(extent[0]) * float(extent[2]):
        raise Refused(
            "its triangles lie over each other many times over the whole ground, which no ground does"
        )


def _read(path: Path, suffix: str) -> tuple[np.ndarray, np.ndarray]:
    """Corners float (n, 3) and triangles int (t, 3)."""
    import trimesh

    _check_lines(path) if suffix == ".obj" else _check_nodes(path, suffix)
    try:
        with path.open("rb") as file:
            mesh = trimesh.load(file, file_type=suffix.lstrip("."), force="mesh", process=False)
    except MemoryError:
        raise
    except Exception as error:  # a damaged file breaks the reader in its own ways
        raise Refused(_REFUSED) from error
    return np.asarray(getattr(mesh, "vertices", ()), float), np.asarray(getattr(mesh, "faces", ()))


def _check_lines(path: Path) -> None:
    """Refuse an OBJ file with a line that no writer makes."""
    with path.open("rb") as file:
        while line := file.readline(LONGEST_LINE + 1):
            if len(line) > LONGEST_LINE:
                raise Refused("it has a line of more than 64 KB, which no OBJ file has")


def _check_nodes(path: Path, suffix: str) -> None:
    """Refuse a glTF file whose nodes lie in each other too deep, or in themselves."""
    with path.open("rb") as file:
        head = file.read(20) if suffix == ".glb" else b""
        try:
            document = json.loads(file.read(int.from_bytes(head[12:16], "little")) if head else file.read())
            children = [node.get("children", []) for node in document.get("nodes", [])]
            parent = {child: k for k, those in enumerate(children) for child in those}
        except (ValueError, AttributeError, TypeError, RecursionError) as error:
            raise Refused(_REFUSED) from error
    depth: dict[int, int] = {}
    for start in range(len(children)):
        way: list[int] = []
        at = start
        while at in parent and at not in depth and len(way) <= DEEPEST:
            way.append(at)
            at = parent[at]
        base = depth.get(at, 0)
        if base + len(way) > DEEPEST:
            raise Refused(f"its nodes lie more than {DEEPEST} deep in each other")
        depth |= {node: base + k for k, node in enumerate(reversed(way), start=1)}
