"""How unlike the states of an item look, by the size at which they are seen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.formats.stock import StockModel
from thicket.sight.billboard import render_billboard
from thicket.stock.making import seen_states
from thicket.stock.silhouette import frame_of

ROWS = 64
"""Rows of the picture whose mean colour is taken."""
SIZES = (4, 8, 16, 32, 64, 128, 256)
"""Heights in pixels at which states are compared."""


@dataclass(frozen=True, eq=False)
class Unlikeness:
    """height of the item in m; colour, its mean, sRGB 0–1 (3,); area (states, states + 1, sizes) in m², how
    much of what is seen differs between two states, the last column against nothing, on the mean over
    headings."""

    height: float
    colour: np.ndarray
    area: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.area.nbytes

    def between(self, a: int, b: int, pixels: np.ndarray) -> np.ndarray:
        """The area in m² by which state `a` differs from state `b` (−1: nothing), seen at heights in
        pixels."""
        return np.interp(np.log2(np.maximum(pixels, 1.0)), np.log2(SIZES), self.area[a, b])


def unlikeness_of(model: StockModel) -> Unlikeness:
    """Compare what the states cover from eight headings, blurred to the pixels of each size."""
    seen, height = seen_states(model)
    area = np.zeros((len(seen), len(seen) + 1, len(SIZES)))
    nothing = np.zeros_like(seen[0])
    for s, size in enumerate(SIZES):
        rows = seen[0].shape[1]
        blur = (0.0, 0.5 * rows / size, 0.5 * rows / size)
        shown = [gaussian_filter(state, blur) if rows > size else state for state in (*seen, nothing)]
        per = (height / rows) ** 2 / len(seen[0])
        for a in range(len(seen)):
            area[a, :, s] = [np.abs(shown[a] - other).sum() * per for other in shown]
    return Unlikeness(height, mean_colour(model), area)


def mean_colour(model: StockModel) -> np.ndarray:
    """The mean colour of the finest mesh seen from the front, sRGB 0–1 (3,)."""
    width, height = frame_of(model.lods[0])
    picture = render_billboard(model.lods[0], width, height, ROWS) / 255.0
    covered = picture[..., 3:]
    return (picture[..., :3] * covered).sum(axis=(0, 1)) / max(covered.sum(), 1e-6)
