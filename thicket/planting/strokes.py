"""Brush strokes on touch: what a stroke covers and the difference it makes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

from thicket.planting.density import TOUCH_UNIT

VERBS = ("thicken", "thin")


@dataclass(frozen=True)
class Stroke:
    """One drag of the brush along (x, z) in level metres.

    radius in m; soft, the share of the radius over which the strength falls off, 0–1; strength 0–1.
    The whole drag counts once wherever it passes, so neither the pointer's speed nor how often it was
    read changes the result.
    """

    verb: str
    path: Sequence[tuple[float, float]]
    radius: float
    soft: float
    strength: float

    def __post_init__(self) -> None:
        if self.verb not in VERBS:
            raise ValueError(f"there is no brush verb called {self.verb!r}")
        if not len(self.path):
            raise ValueError("the stroke has no points")
        if not self.radius > 0:
            raise ValueError("the brush radius must be above 0 m")
        if not (0 <= self.soft <= 1 and 0 <= self.strength <= 1):
            raise ValueError("the soft edge and the strength must lie between 0 and 1")

    @property
    def box(self) -> tuple[float, float, float, float]:
        """All the stroke can reach: (x0, z0, x1, z1) in level metres."""
        path = np.asarray(self.path, float)
        (x0, z0), (x1, z1) = path.min(0) - self.radius, path.max(0) + self.radius
        return float(x0), float(z0), float(x1), float(z1)


@nb.njit(nogil=True, cache=True)
def _cover(path, radius, soft, cell, col0, row0, out):
    for p in range(path.shape[0]):
        ax, az = path[max(p - 1, 0)]
        bx, bz = path[p]
        ex, ez = bx - ax, bz - az
        length = ex * ex + ez * ez
        j0 = max(int((min(az, bz) - radius) / cell) - row0 - 1, 0)
        j1 = min(int((max(az, bz) + radius) / cell) - row0 + 2, out.shape[0])
        i0 = max(int((min(ax, bx) - radius) / cell) - col0 - 1, 0)
        i1 = min(int((max(ax, bx) + radius) / cell) - col0 + 2, out.shape[1])
        for j in range(j0, j1):
            z = (row0 + j + 0.5) * cell
            for i in range(i0, i1):
                x = (col0 + i + 0.5) * cell
                t = 0.0
                if length > 0.0:
                    t = min(max(((x - ax) * ex + (z - az) * ez) / length, 0.0), 1.0)
                far = np.sqrt((x - ax - t * ex) ** 2 + (z - az - t * ez) ** 2)
                if far < radius:
                    w = 1.0
                    if soft > 0.0:
                        w = min((radius - far) / (soft * radius), 1.0)
                        w = w * w * (3.0 - 2.0 * w)
                    out[j, i] = max(out[j, i], w)


def cover(stroke: Stroke, cell: float, col0: int, row0: int, shape: tuple[int, int]) -> np.ndarray:
    """How strongly a stroke covers each cell of a window of a raster: float32 0–1 (rows, columns).

    Parameters: cell in m; col0, row0 the window's first cell; shape its rows and columns. A window only
    cuts the result.
    """
    out = np.zeros(shape, np.float32)
    _cover(np.asarray(stroke.path, float), stroke.radius, stroke.soft, cell, col0, row0, out)
    return out


def stroke_delta(stroke: Stroke, touch: np.ndarray, cell: float, col0: int, row0: int) -> np.ndarray:
    """The difference a stroke makes to touch, int16 of its shape; touch + delta stays within ±1."""
    step = np.rint(cover(stroke, cell, col0, row0, touch.shape) * (stroke.strength * TOUCH_UNIT)).astype(np.int32)
    if stroke.verb == "thin":
        step = -step
    return (np.clip(touch + step, -TOUCH_UNIT, TOUCH_UNIT) - touch).astype(np.int16)
