"""How much of a picture lies in fog: rays over the ground, in a coarse grid of the picture.

Fog costs something in every pixel that it changes. The sky has its own colours and is not counted.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.ground.heights import Ground
from thicket.sight.cost import SCREEN_HEIGHT
from thicket.sight.fog import Air, left, thicker
from thicket.sight.views import View

ACROSS, DOWN = 16, 9
"""Rays of a picture."""
WEIGHT = 0.5
"""What a pixel in fog costs, as a share of a pixel of a cut-out card."""
SEEN = 1.0 - 1.0 / 255.0
"""What is left at the most of a thing that the fog changes the colour of."""


@nb.njit(nogil=True, cache=True)
def _hits(heights, cell, top, eyes, rays, out):
    """The distance in m at which each ray of each eye meets the ground, out (eyes, rays); 0 where it does
    not; and the altitude there. top, that of the highest ground; rays (rays, 3) of length 1."""
    rows, columns = heights.shape
    for e in range(len(eyes)):
        for r in range(len(rays)):
            t = 0.5 * cell
            while True:
                x = (eyes[e, 0] + t * rays[r, 0]) / cell
                y = eyes[e, 1] + t * rays[r, 1]
                z = (eyes[e, 2] + t * rays[r, 2]) / cell
                i, j = int(np.floor(z)), int(np.floor(x))
                if i < 0 or j < 0 or i >= rows - 1 or j >= columns - 1 or (y > top and rays[r, 1] >= 0.0):
                    break
                u, v = x - j, z - i
                near = heights[i, j] * (1 - u) + heights[i, j + 1] * u
                far = heights[i + 1, j] * (1 - u) + heights[i + 1, j + 1] * u
                if y <= near * (1 - v) + far * v:
                    out[e, r, 0], out[e, r, 1] = t, y
                    break
                t = max(t * 1.05, t + 0.5 * cell)


def fogged_pixels(ground: Ground, eyes: np.ndarray, view: View, air: Air) -> np.ndarray:
    """Megapixels of ground that the fog changes, of pictures of 1,080 lines from some eyes that look as a
    view does.

    Parameters: eyes (n, 3) in level metres. Returns: float64 (n,).
    """
    fog = thicker(air.fog, view.drawing.fog)
    if fog.kind == "none":
        return np.zeros(len(eyes))
    found = np.zeros((len(eyes), ACROSS * DOWN, 2))
    _hits(ground.heights, float(ground.cell), air.top, np.asarray(eyes, float), rays_of(view), found)
    distance, altitude = found[..., 0], found[..., 1]
    seen = (distance > 0) & (left(fog, distance, eyes[:, 1, None], altitude) <= SEEN)
    return seen.mean(axis=1) * SCREEN_HEIGHT**2 * view.aspect / 1e6


def rays_of(view: View) -> np.ndarray:
    """The middles of a picture's parts, row by row, as directions of length 1, float64 (rays, 3)."""
    h, p = np.radians(view.heading), np.radians(view.pitch)
    ahead = np.array([np.sin(h) * np.cos(p), np.sin(p), -np.cos(h) * np.cos(p)])
    right = np.array([np.cos(h), 0.0, np.sin(h)])
    up = np.cross(right, ahead)
    tall = np.tan(np.radians(view.fov) / 2)
    v, u = np.meshgrid(
        1 - 2 * (np.arange(DOWN) + 0.5) / DOWN, 2 * (np.arange(ACROSS) + 0.5) / ACROSS - 1, indexing="ij"
    )
    u, v = u.ravel()[:, None] * tall * view.aspect, v.ravel()[:, None] * tall
    rays = ahead + u * right + v * up
    return rays / np.linalg.norm(rays, axis=1, keepdims=True)
