"""A level drawn as a small plan: paper, relief shading, contours, water and ink marks for plants."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.ndimage import zoom

from thicket.ground.heights import Ground
from thicket.ground.relief import shade

PAPER, INK, WATER = np.array([244, 238, 224.0]), np.array([52, 46, 40.0]), np.array([120, 148, 150.0])
_MARK = {"Canopy": (np.array([74, 96, 52.0]), 1), "Stone": (np.array([74, 82, 96.0]), 0)}


def draw_plan(
    ground: Ground,
    layers: np.ndarray,
    colours: np.ndarray,
    waters: Sequence[tuple],
    marks: Sequence[tuple],
    side: int,
) -> np.ndarray:
    """Draw the plan.

    Parameters: ground; layers uint8 (rows, columns, layers); colours float (layers, 3), 0–255; waters as
    (altitude in m, box x0, z0, x1, z1); marks as (stratum, places (n, 2) x, z in m); side, pixels of the
    longer edge.

    Returns: RGB uint8 (rows, columns, 3).
    """
    scale = side / max(ground.width, ground.length)
    rows, columns = round(ground.length * scale), round(ground.width * scale)
    step = np.array([rows, columns]) / np.array(ground.heights.shape)
    heights = zoom(ground.heights, step, order=1).astype(np.float32)
    rows, columns = heights.shape
    light = shade(heights, ground.width / columns)[..., None]
    weights = zoom(
        layers.astype(np.float32) / 255, (rows / layers.shape[0], columns / layers.shape[1], 1), order=1
    )
    wash = weights @ colours
    picture = (0.52 * wash + 0.48 * PAPER) * (0.66 + 0.48 * light)
    for interval, strength in ((5.0, 0.16), (25.0, 0.38)):
        band = np.floor(heights / interval)
        line = (band != np.roll(band, 1, 0)) | (band != np.roll(band, 1, 1))
        line[0], line[:, 0] = False, False
        picture[line] += (INK - picture[line]) * strength
    z, x = np.mgrid[0:rows, 0:columns] / scale
    for altitude, (x0, z0, x1, z1) in waters:
        wet = (heights < altitude) & (x >= x0) & (x < x1) & (z >= z0) & (z < z1)
        picture[wet] = WATER
    for stratum, places in marks:
        colour, reach = _MARK.get(stratum, (INK, 0))
        _stamp(picture, places * scale, colour, reach)
    return np.clip(picture, 0, 255).astype(np.uint8)


def _stamp(picture: np.ndarray, places: np.ndarray, colour: np.ndarray, reach: int) -> None:
    """A small dot of ink at every place."""
    rows, columns = picture.shape[:2]
    at = places.astype(int)
    for dz in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            if abs(dx) + abs(dz) > reach:
                continue
            col, row = np.clip(at[:, 0] + dx, 0, columns - 1), np.clip(at[:, 1] + dz, 0, rows - 1)
            picture[row, col] += (colour - picture[row, col]) * 0.55
