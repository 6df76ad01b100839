"""Density from suitability and touch, and how many plants it means."""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.bands import by_rows
from thicket.ground.heights import square
from thicket.ground.rasters import resample
from thicket.refused import Refused

_BAND = 128
"""Rows that are added up at a time, so that the sum is the same however many threads add."""
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
        raise Refused(f"touch is {touch.shape} cells, suitability {suitability.shape}")
    out = np.empty(suitability.shape, np.float32)
    suited, touched = np.ascontiguousarray(suitability, np.float32), np.ascontiguousarray(touch)
    by_rows(
        len(out),
        lambda first, last: _density(suited[first:last], touched[first:last], out[first:last]),
        least=512,
    )
    return out


def density_from(suitability: np.ndarray, touch: np.ndarray) -> np.ndarray:
    """The same at places: suitability float32 (n,) 0–1 and touch float32 (n,) −1…+1; float32 (n,)."""
    raised = suitability + touch * (1 - suitability)
    return np.where(touch >= 0, raised, suitability * (1 + touch)).astype(np.float32)


@nb.njit(nogil=True, cache=True)
def _density_at(suitability, cell, touch, touch_cell, col0, row0, x, z, out):
    for k in range(x.shape[0]):
        i, j, fu, fv = square(suitability, x[k] / cell - 0.5, z[k] / cell - 0.5)
        s = (suitability[j, i] * (1.0 - fu) + suitability[j, i + 1] * fu) * (1.0 - fv) + (
            suitability[j + 1, i] * (1.0 - fu) + suitability[j + 1, i + 1] * fu
        ) * fv
        i, j, fu, fv = square(touch, x[k] / touch_cell - 0.5 - col0, z[k] / touch_cell - 0.5 - row0)
        p = (
            (touch[j, i] * (1.0 - fu) + touch[j, i + 1] * fu) * (1.0 - fv)
            + (touch[j + 1, i] * (1.0 - fu) + touch[j + 1, i + 1] * fu) * fv
        ) / TOUCH_UNIT
        out[k] = s + p * (1.0 - s) if p >= 0.0 else s * (1.0 + p)


def density_at(
    suitability: np.ndarray,
    cell: float,
    touch: np.ndarray,
    touch_cell: float,
    x: np.ndarray,
    z: np.ndarray,
    begins: tuple[int, int] = (0, 0),
) -> np.ndarray:
    """Density at places, from suitability and touch each read bilinearly from its own raster.

    Parameters: suitability float32 and touch int16, values at cell centres, cells of `cell` and `touch_cell`
    m; x, z float64 (n,) in level metres; begins, column and row of touch's first cell when it is only a
    window of the level's, which gives the same to the last bit as long as it holds all cells next to the
    places. Returns: float32 (n,).
    """
    out = np.empty(x.shape[0], np.float32)
    _density_at(suitability, float(cell), touch, float(touch_cell), *map(float, begins), x, z, out)
    return out


def density_field(
    suitability: np.ndarray, cell: float, touch: np.ndarray, touch_cell: float
) -> tuple[np.ndarray, float]:
    """Density over the finer of the two rasters' cells, and the size of those in m."""
    if touch_cell < cell:
        return density(resample(suitability, touch.shape, touch_cell / cell), touch), touch_cell
    return density(suitability, resample(touch, suitability.shape, cell / touch_cell)), cell


def expected_count(density_map: np.ndarray, fullness: float, cell: float, per_m2: float) -> float:
    """Plants to be expected: the density field's integral (cells of `cell` m, `per_m2` plants when full)."""
    parts = np.zeros(-(-len(density_map) // _BAND))

    def work(first: int, last: int) -> None:
        for k in range(first, last):
            parts[k] = np.minimum(density_map[k * _BAND : (k + 1) * _BAND] * fullness, 1.0).sum(
                dtype=np.float64
            )

    by_rows(len(parts), work, least=4)
    return float(parts.sum()) * cell * cell * per_m2
