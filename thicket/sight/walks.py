"""Walks: routes over the ground at a speed and an eye height, as the eye goes along them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thicket.ground.heights import Ground
from thicket.hashing import digest_of
from thicket.lazy import lazy
from thicket.refused import Refused
from thicket.sight.views import View

STEP = 1.0
"""A route has a vertex every so many m at least."""
STEEPEST = 60.0
"""Degrees: nobody walks where the ground along the route is steeper."""
TURNING = 5
"""The eye turns over so many vertices to each side of a bend."""


@dataclass(frozen=True, eq=False)
class Route:
    """time (n,) in s; eye (n, 3) in m; heading (n,) in degrees, not wrapped; walked (n − 1,), whether the
    stretch after each vertex can be walked; speed in m/s."""

    time: np.ndarray
    eye: np.ndarray
    heading: np.ndarray
    walked: np.ndarray
    speed: float

    @lazy
    def key(self) -> str:
        """Equal for equal routes."""
        return digest_of(np.column_stack([self.time, self.eye, self.heading]), self.walked.tolist())

    @property
    def seconds(self) -> float:
        """How long it takes, in s."""
        return float(self.time[-1])

    def left_out(self) -> list[tuple[float, float]]:
        """The stretches that cannot be walked, from and to, in m from the start."""
        edges = np.diff(np.r_[0, ~self.walked, 0].astype(int))
        metres = self.time * self.speed
        starts, ends = np.flatnonzero(edges > 0), np.flatnonzero(edges < 0)
        return [(float(metres[a]), float(metres[b])) for a, b in zip(starts, ends)]

    def at(self, time: float, fov: float = 55.0, aspect: float = 16 / 9) -> View:
        """What is looked at after so many s: level, and ahead."""
        x, y, z = (float(np.interp(time, self.time, self.eye[:, k])) for k in range(3))
        heading = float(np.interp(time, self.time, self.heading)) % 360
        return View(x, y, z, heading, 0.0, fov, aspect)


def route_of(ground: Ground, points: Sequence[tuple[float, float]], speed: float, height: float) -> Route:
    """The way of the eye over the ground.

    Parameters: points, x and z in m, at least two; speed in m/s; height of the eye above the ground in m.

    Raises: Refused when the points are one place, or no stretch can be walked.
    """
    if not (np.isfinite(speed) and speed > 0):
        raise Refused("speed: a walk needs a speed above 0 m/s")
    at = np.asarray(points, float)
    long = np.hypot(*np.diff(at, axis=0).T) if len(at) > 1 else np.zeros(0)
    if not long.sum() > 0:
        raise Refused("points: a walk needs two different places")
    corners = np.r_[0.0, np.cumsum(long)]
    far = np.unique(np.r_[corners, np.arange(0.0, corners[-1], STEP)])
    far = far[np.r_[True, np.diff(far) > 1e-6]]
    x, z = (np.interp(far, corners, at[:, k]) for k in (0, 1))
    y = ground.height_at(x, z).astype(float)
    inside = (x >= 0) & (z >= 0) & (x <= ground.width) & (z <= ground.length)
    rise = np.abs(np.diff(y)) / np.diff(far)
    walked = inside[:-1] & inside[1:] & (rise <= np.tan(np.radians(STEEPEST)))
    if not walked.any():
        raise Refused("points: no stretch of it lies on the level where one can walk")
    way = np.unwrap(np.arctan2(np.diff(x), -np.diff(z)))
    padded = np.pad(np.r_[way, way[-1]], TURNING, "edge")
    heading = np.degrees(np.convolve(padded, np.full(2 * TURNING + 1, 1 / (2 * TURNING + 1)), "valid"))
    return Route(far / speed, np.column_stack([x, y + height, z]), heading, walked, float(speed))
