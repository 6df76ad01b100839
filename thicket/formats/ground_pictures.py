"""Pictures of ground that is brought in, to be looked at before it is kept."""

from __future__ import annotations

import numpy as np
from PIL import Image

from thicket.ground.rasters import resample
from thicket.ground.relief import shade

SIDE = 560
"""Pixels of a picture's longer side at the most."""
COLOURS = ("#8d9460", "#6f7782", "#a39a8b", "#7d6a52", "#b9a587", "#5f7358", "#9a8f6a", "#76808a")
"""Given to new ground layers in turn."""


def relief_picture(heights: np.ndarray, cell: float | None, in_metres: bool = True) -> Image.Image:
    """The relief of heights (rows, columns), shaded from the north-west on paper, at most `SIDE` pixels a
    side. Heights that are not in metres yet, or whose cell is not known, are drawn as steep as reads well."""
    step = max(1, -(-max(heights.shape) // SIDE))
    small = np.ascontiguousarray(heights[::step, ::step], np.float32)
    across = (cell or 1.0) * step
    if not in_metres:
        span = max(float(small.max() - small.min()), 1e-6)
        small, across = small / span * (0.18 * max(small.shape)), 1.0
    light = shade(small, across)[..., None]
    low, high = float(small.min()), float(small.max())
    rise = ((small - low) / max(high - low, 1e-6))[..., None]
    paper, valley = np.array([244, 238, 224.0]), np.array([176, 186, 160.0])
    picture = (valley + (paper - valley) * rise) * (0.45 + 0.6 * light)
    return Image.fromarray(np.clip(picture, 0, 255).astype(np.uint8))


def layers_picture(weights: np.ndarray) -> Image.Image:
    """Layers of weights uint8 (rows, columns, layers) as flat washes of `COLOURS`, at most `SIDE` pixels a
    side."""
    longest = max(weights.shape[:2])
    shape = tuple(max(1, round(n * min(1.0, SIDE / longest))) for n in weights.shape[:2])
    colours = np.array([[int(c[k : k + 2], 16) for k in (1, 3, 5)] for c in COLOURS], float)
    out = sum(
        resample(weights[..., k], shape)[..., None] / 255.0 * colours[k] for k in range(weights.shape[2])
    )
    return Image.fromarray(np.clip(out, 0, 255).astype(np.uint8))
