"""Brush strokes on touch: what a stroke covers and the difference it makes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numba as nb
import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.planting.density import TOUCH_UNIT
from thicket.planting.hashing import MASK32, mix32, unit
from thicket.refused import Refused

VERBS = {"thicken": "Thickened", "thin": "Thinned", "ease": "Eased", "level": "Evened"}
"""The verbs that work on touch, and how the journal names them."""
GROUND_VERBS = {
    "raise": "Raised",
    "lower": "Lowered",
    "smooth": "Smoothed",
    "flatten": "Flattened",
    "slope": "Sloped",
    "cover": "Covered",
}
"""The verbs that work on the ground, and how the journal names them."""
MASK_VERBS = {"whiten": "Whitened", "blacken": "Blackened", "smooth": "Smoothed", "even": "Evened"}
"""The verbs that work on mask images, and how the journal names them."""
TURNS = ("still", "along", "random")
STAMPS = 5
"""A tip is set down so many times in a radius's length of the path."""
EASED_OVER = 0.25
"""Ease smooths over this share of the radius, in each cell's surroundings."""


@dataclass(frozen=True, eq=False)
class Stroke:
    """One drag of the brush along (x, z) in level metres.

    radius in m; soft, the share of the radius over which the strength falls off, 0–1; strength 0–1; toward,
    the touch that *level* works toward, −1–1. pressure: a share of the strength for each point of the path,
    all 1 when it is left out. tip: how strongly the brush works over its square, float32 (side, side) 0–1,
    round when left out; turn: whether the tip keeps north up (still), turns with the path (along) or by
    chance from place to place (random). on: for a stroke over placed meshes, what lies under each point of
    the path: the mesh's number, the altitude in m, and the direction x, y, z that the surface faces.

    The whole drag counts once wherever it passes, and a tip is set down at even lengths of the path, so
    neither the pointer's speed nor how often it was read changes the result.
    """

    verb: str
    path: Sequence[tuple[float, float]]
    radius: float
    soft: float
    strength: float
    toward: float = 0.0
    pressure: Sequence[float] | None = None
    tip: np.ndarray | None = None
    turn: str = "still"
    on: Sequence[tuple[int, float, float, float, float]] = ()

    def __post_init__(self) -> None:
        if not any(self.verb in verbs for verbs in (VERBS, GROUND_VERBS, MASK_VERBS)):
            raise Refused(f"there is no brush verb called {self.verb!r}")
        if not len(self.path):
            raise Refused("the stroke has no points")
        if not self.radius > 0:
            raise Refused("the brush radius must be above 0 m")
        if not (0 <= self.soft <= 1 and 0 <= self.strength <= 1):
            raise Refused("the soft edge and the strength must lie between 0 and 1")
        if not -1 <= self.toward <= 1:
            raise Refused("the touch that is evened toward must lie between -1 and 1")
        if self.pressure is not None and len(self.pressure) != len(self.path):
            raise Refused("there must be one pressure for each point of the path")
        if self.on and len(self.on) != len(self.path):
            raise Refused("on: there must be one place on a mesh for each point of the path")
        if self.turn not in TURNS:
            raise Refused(f"a tip turns still, along or random, not {self.turn!r}")

    @property
    def box(self) -> tuple[float, float, float, float]:
        """All the stroke can reach: (x0, z0, x1, z1) in level metres."""
        path = np.asarray(self.path, float)
        (x0, z0), (x1, z1) = path.min(0) - self.radius, path.max(0) + self.radius
        return float(x0), float(z0), float(x1), float(z1)

    def at_scale(self, factor: float) -> Stroke:
        """The same with another radius."""
        return replace(self, radius=self.radius * factor)

    def margin(self, cell: float) -> int:
        """Cells around the reach that its result is read from."""
        return ease_margin(self.radius, cell) if self.verb == "ease" else 0


def ease_margin(radius: float, cell: float) -> int:
    """Cells that easing looks around each one."""
    return int(3 * spread_of(radius, cell) + 0.5) + 1


def spread_of(radius: float, cell: float) -> float:
    """Over how many cells easing smooths, as a standard deviation."""
    return min(max(EASED_OVER * radius / cell, 1.0), 40.0)


@nb.njit(nogil=True, cache=True)
def fall_off(far, radius, soft):
    """How strong a brush is so far from its middle: 1 inside, down to 0 over the soft share of the radius."""
    if soft <= 0.0:
        return 1.0
    w = min((radius - far) / (soft * radius), 1.0)
    return w * w * (3.0 - 2.0 * w)


@nb.njit(nogil=True, cache=True)
def _cover(path, pressure, radius, soft, cell, col0, row0, out):
    for p in range(path.shape[0]):
        q = max(p - 1, 0)
        ax, az = path[q]
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
                    w = fall_off(far, radius, soft) * (pressure[q] + t * (pressure[p] - pressure[q]))
                    out[j, i] = max(out[j, i], w)


@nb.njit(nogil=True, cache=True)
def _stamp(cx, cz, angle, strength, tip, radius, soft, cell, col0, row0, out):
    side = tip.shape[0]
    cos, sin = np.cos(angle), np.sin(angle)
    for j in range(
        max(int((cz - radius) / cell) - row0 - 1, 0), min(int((cz + radius) / cell) - row0 + 2, out.shape[0])
    ):
        z = (row0 + j + 0.5) * cell - cz
        for i in range(
            max(int((cx - radius) / cell) - col0 - 1, 0),
            min(int((cx + radius) / cell) - col0 + 2, out.shape[1]),
        ):
            x = (col0 + i + 0.5) * cell - cx
            far = np.sqrt(x * x + z * z)
            if far < radius:
                u = min(max(((x * cos + z * sin) / radius + 1.0) * 0.5 * side - 0.5, 0.0), side - 1.0)
                v = min(max(((z * cos - x * sin) / radius + 1.0) * 0.5 * side - 0.5, 0.0), side - 1.0)
                a, b = min(int(u), side - 2), min(int(v), side - 2)
                u, v = u - a, v - b
                w = (tip[b, a] * (1 - u) + tip[b, a + 1] * u) * (1 - v) + (
                    tip[b + 1, a] * (1 - u) + tip[b + 1, a + 1] * u
                ) * v
                out[j, i] = max(out[j, i], w * strength * fall_off(far, radius, soft))


@nb.njit(nogil=True, cache=True)
def _cover_with_tip(path, pressure, turn, tip, radius, soft, cell, col0, row0, out):
    """Set the tip down along the path, at even lengths of it, beginning at its start."""
    step = radius / STAMPS
    seed = mix32((int(path[0, 0] * 16.0) & MASK32) ^ mix32(int(path[0, 1] * 16.0) & MASK32))
    number, ahead = 0, 0.0
    for p in range(path.shape[0]):
        q = max(p - 1, 0)
        ex, ez = path[p, 0] - path[q, 0], path[p, 1] - path[q, 1]
        length = np.sqrt(ex * ex + ez * ez)
        while ahead <= length:
            t = ahead / length if length > 0.0 else 0.0
            angle = 0.0
            if turn == 1 and (length > 0.0 or path.shape[0] == 1):
                angle = np.arctan2(ez, ex) + np.pi / 2
            elif turn == 2:
                angle = 2 * np.pi * unit(mix32(seed + number))
            if turn != 1 or length > 0.0 or path.shape[0] == 1:
                _stamp(
                    path[q, 0] + t * ex,
                    path[q, 1] + t * ez,
                    angle,
                    pressure[q] + t * (pressure[p] - pressure[q]),
                    tip,
                    radius,
                    soft,
                    cell,
                    col0,
                    row0,
                    out,
                )
                number += 1
                ahead += step
            else:
                break
        ahead -= length


def cover(stroke: Stroke, cell: float, col0: int, row0: int, shape: tuple[int, int]) -> np.ndarray:
    """How strongly a stroke covers each cell of a window of a raster: float32 0–1 (rows, columns).

    Parameters: cell in m; col0, row0 the window's first cell; shape its rows and columns. A window only
    cuts the result.
    """
    out = np.zeros(shape, np.float32)
    path = np.asarray(stroke.path, float)
    pressure = (
        np.ones(len(path)) if stroke.pressure is None else np.clip(np.asarray(stroke.pressure, float), 0, 1)
    )
    if stroke.tip is None:
        _cover(path, pressure, stroke.radius, stroke.soft, cell, col0, row0, out)
    else:
        _cover_with_tip(
            path,
            pressure,
            TURNS.index(stroke.turn),
            np.ascontiguousarray(stroke.tip, np.float32),
            stroke.radius,
            stroke.soft,
            cell,
            col0,
            row0,
            out,
        )
    return out


def along_path(path: Sequence[tuple[float, float]], x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """How far places are from a stroke's path, float64 (n,) in m.

    Parameters: path (x, z) in m; x, z float64 (n,).
    """
    out = np.full(len(x), np.inf)
    points = np.asarray(path, float)
    for a, b in zip(points[np.maximum(np.arange(len(points)) - 1, 0)], points):
        e = b - a
        length = float(e @ e)
        t = np.clip(((x - a[0]) * e[0] + (z - a[1]) * e[1]) / length, 0, 1) if length else 0.0
        np.minimum(out, np.hypot(x - a[0] - t * e[0], z - a[1] - t * e[1]), out=out)
    return out


def touched(
    stroke: Stroke, touch: np.ndarray, covered: np.ndarray, smooth: Callable[[np.ndarray], np.ndarray]
) -> np.ndarray:
    """The difference that a stroke's verb makes to touch where it works, int16 of its shape; touch +
    difference stays within ±1.

    Parameters: touch, int16 in units of `TOUCH_UNIT`; covered, how strongly the stroke works on each cell,
    0–1; smooth gives what easing works toward.
    """
    strength = covered * np.float32(stroke.strength)
    if stroke.verb in ("thicken", "thin"):
        step = np.rint(strength * (TOUCH_UNIT if stroke.verb == "thicken" else -TOUCH_UNIT)).astype(np.int32)
    else:
        aim = smooth(touch) if stroke.verb == "ease" else np.float32(stroke.toward * TOUCH_UNIT)
        step = np.rint((aim - touch) * strength).astype(np.int32)
    return (np.clip(touch + step, -TOUCH_UNIT, TOUCH_UNIT) - touch).astype(np.int16)


def smooth_cells(radius: float, cell: float) -> Callable[[np.ndarray], np.ndarray]:
    """What smooths touch in cells of a raster, which is read `Stroke.margin` cells beyond those covered."""
    return lambda touch: gaussian_filter(
        touch.astype(np.float32), spread_of(radius, cell), mode="nearest", truncate=3.0
    )


def stroke_delta(stroke: Stroke, touch: np.ndarray, cell: float, col0: int, row0: int) -> np.ndarray:
    """The difference a stroke makes to touch, int16 of its shape; touch + delta stays within ±1."""
    covered = cover(stroke, cell, col0, row0, touch.shape)
    return touched(stroke, touch, covered, smooth_cells(stroke.radius, cell))
