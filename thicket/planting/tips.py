"""Brush tips: small greyscale pictures of how strongly a brush works, made by code or taken from a
picture."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.ground.rasters import resample
from thicket.refused import Refused

SIDE = 64
"""A tip is a square of so many values a side; it spans the brush from edge to edge."""
MADE = {"flecks": "Flecks", "drifts": "Drifts", "bristles": "Bristles", "ring": "Ring"}


def made_tip(name: str) -> np.ndarray:
    """One of the tips that are made by code, float32 (SIDE, SIDE) 0–1.

    Raises: Refused when there is none of that name.
    """
    rng = np.random.Generator(np.random.Philox(sorted(MADE).index(name) + 11 if name in MADE else 0))
    z, x = (np.mgrid[0:SIDE, 0:SIDE] + 0.5) / SIDE * 2 - 1
    far = np.hypot(x, z)
    if name == "flecks":
        tip = gaussian_filter((rng.random((SIDE, SIDE)) > 0.965).astype(float), 1.3)
        tip = np.clip(tip / tip.max() * 2.2, 0, 1)
    elif name == "drifts":
        cloud = gaussian_filter(rng.standard_normal((SIDE, SIDE)), (3.0, 8.0), mode="wrap")
        tip = np.clip(0.5 + 0.35 * cloud / cloud.std(), 0, 1)
    elif name == "bristles":
        across = gaussian_filter(rng.standard_normal(SIDE), 1.0, mode="wrap")
        tip = np.repeat(np.clip(0.35 + 0.6 * across / across.std(), 0, 1)[None], SIDE, axis=0)
    elif name == "ring":
        tip = np.exp(-(((far - 0.72) / 0.16) ** 2))
    else:
        raise Refused(f"there is no brush tip called {name!r}")
    return np.where(far < 1, tip, 0).astype(np.float32)


def tip_of_picture(grey: np.ndarray) -> np.ndarray:
    """A tip from a greyscale picture, uint8 (rows, columns): what is white works fully. It is fitted into the
    square by its longer side; float32 (SIDE, SIDE) 0–1.

    Raises: Refused when the picture is empty or black all over.
    """
    if grey.ndim != 2 or not grey.size or not grey.any():
        raise Refused("the picture is black all over: white is where the brush works")
    rows, columns = grey.shape
    side = max(rows, columns)
    square = np.zeros((side, side), np.float32)
    top, left = (side - rows) // 2, (side - columns) // 2
    square[top : top + rows, left : left + columns] = grey.astype(np.float32) / 255
    return np.clip(resample(square, (SIDE, SIDE)), 0, 1)
