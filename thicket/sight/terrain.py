"""What the ground costs to draw: the stage's own rule, tile by tile.

The ground is drawn in tiles of `TILE` cells a side, each with a grid that takes every 1st, 2nd, 4th or 8th
vertex, and a skirt around it. A tile takes the coarsest grid whose heights depart from the true ones by at
most so many pixels (their root mean square, as far away as the tile's nearest point is). Tiles outside the
view are not drawn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from thicket.ground.heights import Ground
from thicket.sight.cost import SCREEN_HEIGHT, Cost
from thicket.sight.views import View

TILE = 64
STEPS = (1, 2, 4, 8)
SKIRT = 4.0
"""The least that a tile's skirt hangs down, in m."""


@dataclass(frozen=True, eq=False)
class Terrain:
    """The tiles of a ground: box (tiles, 6) x0, y0, z0, x1, y1, z1 in m, with their skirts; error (tiles, 4)
    in m, by how much each step's grid departs from the heights, as a root mean square."""

    box: np.ndarray
    error: np.ndarray


def terrain_of(ground: Ground) -> Terrain:
    """The tiles of a ground, row by row."""
    rows, columns = ground.heights.shape[0] - 1, ground.heights.shape[1] - 1
    down, across = -(-rows // TILE), -(-columns // TILE)
    whole = (0, down * TILE - rows), (0, across * TILE - columns)
    padded = np.pad(ground.heights, whole, "edge")
    # Each tile with the vertices of its far rims: (down, across, 65, 65).
    views = np.lib.stride_tricks.sliding_window_view(padded, (TILE + 1, TILE + 1))[::TILE, ::TILE]
    bands = [_band(views[row].astype(float)) for row in range(down)]
    error, rim, low, high = (np.concatenate(parts) for parts in zip(*bands))
    skirt = max(SKIRT, 1.1 * float(rim.max()))
    z, x = (v.ravel() for v in np.meshgrid(np.arange(down) * TILE, np.arange(across) * TILE, indexing="ij"))
    c = ground.cell
    box = np.stack([x * c, low - skirt, z * c, (x + TILE) * c, high, (z + TILE) * c], axis=-1)
    return Terrain(box, error)


def _band(tiles: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Errors (n, 4), departure of the coarsest grid along the rims, lowest and highest point, each (n,), of a
    row of tiles (n, 65, 65); all in m."""
    off = [np.abs(tiles - _coarser(tiles, step)) for step in STEPS]
    rims = np.maximum(off[-1][:, [0, -1]].max(axis=(1, 2)), off[-1][:, :, [0, -1]].max(axis=(1, 2)))
    error = np.stack([np.sqrt((departure**2).mean(axis=(1, 2))) for departure in off], axis=-1)
    return error, rims, tiles.min(axis=(1, 2)), tiles.max(axis=(1, 2))


def _coarser(tiles: np.ndarray, step: int) -> np.ndarray:
    """Heights between every so many vertices, by bilinear interpolation; (..., 65, 65)."""
    at = np.arange(TILE + 1)
    first = np.minimum(at // step * step, TILE - step)
    share = (at - first) / step
    across = tiles[..., first] * (1 - share) + tiles[..., first + step] * share
    return across[..., first, :] * (1 - share)[:, None] + across[..., first + step, :] * share[:, None]


def chosen_steps(terrain: Terrain, view: View, pixels: float) -> np.ndarray:
    """Which of `STEPS` each tile is drawn with, int (tiles,); −1 for those outside the view."""
    box, planes, eye = terrain.box, view.planes, view.eye
    corner = np.where(planes[:, None, :3] > 0, box[None, :, 3:], box[None, :, :3])
    seen = ((planes[:, None, :3] * corner).sum(-1) + planes[:, 3:] >= 0).all(axis=0)
    off = np.maximum(np.maximum(box[:, :3] - eye, eye - box[:, 3:]), 0.0)
    allowed = np.linalg.norm(off, axis=1) * pixels / view.pixels_per_radian(SCREEN_HEIGHT)
    fits = terrain.error <= allowed[:, None]
    coarsest = len(STEPS) - 1 - np.argmax(fits[:, ::-1], axis=1)
    return np.where(seen, np.where(fits.any(axis=1), coarsest, 0), -1)


def ground_cost(terrain: Terrain, view: View, pixels: float) -> Cost:
    """What the ground costs in a view: triangles, and a draw call for each grid that is in use; no ms yet.

    Parameters: pixels, by which the drawn ground may depart from the true one at 1,080 lines.
    """
    counts = np.bincount(chosen_steps(terrain, view, pixels) + 1, minlength=len(STEPS) + 1)[1:]
    triangles = [2 * (TILE // step + 2) ** 2 for step in STEPS]
    return Cost(triangles=int(counts @ triangles), draw_calls=int((counts > 0).sum()))
