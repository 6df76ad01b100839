"""Density from suitability and touch, and how many plants it means."""

from __future__ import annotations

import numba as nb
import numpy as np

TOUCH_UNIT = 255
"""Touch is stored as int16: this value is +1. Steps this coarse cannot be seen, and pack fast and small."""


@nb.njit(nogil=True, cache=True)
def _density(suitability, touch, out):
    for k in range(suitability.size):
        s = suitability.flat[k]
        p = touch.flat[k] / TOUCH_UNIT
        out.flat[k] = s + p * (1.0 - s) if p >= 0.0 else s * (1.0 + p)


def density(suitability: np.ndarray, touch: np.ndarray) -> np.ndarray:
    """Suitability `s` raised or lowered by touch `p`: s + p(1 − s) for p ≥ 0, else s(1 + p).

    Parameters: suitability float32 0–1; touch int16 of the same shape, ±`TOUCH_UNIT`.
    Returns: float32 0–1 of the same shape.
    """
    if suitability.shape != touch.shape:
        raise ValueError(f"touch is {touch.shape} cells, suitability {suitability.shape}")
    out = np.empty(suitability.shape, np.float32)
    _density(np.ascontiguousarray(suitability, dtype=np.float32), np.ascontiguousarray(touch), out)
    return out


def expected_count(density_map: np.ndarray, fullness: float, cell: float, per_m2: float) -> float:
    """Plants to be expected: the density field's integral (cells of `cell` m, `per_m2` plants when full)."""
    return float(np.minimum(density_map * fullness, 1.0).sum(dtype=np.float64)) * cell * cell * per_m2
