"""Fog: how much of a thing is left at a distance. The stage's shaders, the chart and the cost of what
pops hold the same rule; `web/src/stage/fog.ts` is its twin.

Fog is linear between two distances, exponential, or exponential squared, as real-time renderers commonly
have it. Where it thins with height, its density falls as exp(−(y − level) / thinning) above a level, and what
counts is the mean along the straight line of sight, which that function's integral gives.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

FogKind = Literal["none", "linear", "exponential", "squared"]


@dataclass(frozen=True)
class Fog:
    """density in 1/m, of the exponential kinds; start and end in m, of linear fog; thinning in m, 0 for fog
    that is as dense at any height; level, the altitude in m that it lies at full density up to."""

    kind: FogKind = "exponential"
    density: float = 0.0008
    start: float = 0.0
    end: float = 1000.0
    thinning: float = 0.0
    level: float = 0.0


HIDDEN = 0.02
"""What is left of a thing where it counts as hidden."""
TALL = 40.0
"""m that plants may stand above the highest ground."""


@dataclass(frozen=True)
class Air:
    """A level's fog; top, the altitude in m of its highest ground; hides, whether what the fog hides is not
    drawn."""

    fog: Fog
    top: float
    hides: bool = False


def clear_distance(fog: Fog, eye: np.ndarray | float, top: float) -> np.ndarray:
    """The distance in m beyond which at most `HIDDEN` is left of anything that stands no higher than `TALL`
    above an altitude; inf where the fog is never so thick.

    Parameters: fog; altitude of the eye and that altitude in m. Returns: float64 of the eye's shape.
    """
    dense = mean_density(fog, np.asarray(eye, float), np.asarray(top + TALL))
    with np.errstate(divide="ignore"):
        if fog.kind == "linear":
            share = (1.0 - HIDDEN) / dense
            return np.where(share <= 1.0, fog.start + share * (fog.end - fog.start), np.inf)
        if fog.kind == "none" or fog.density <= 0:
            return np.full(dense.shape, np.inf)
        depth = -np.log(HIDDEN) if fog.kind == "exponential" else np.sqrt(-np.log(HIDDEN))
        return np.asarray(depth / (fog.density * dense))


def thicker(fog: Fog, factor: float) -> Fog:
    """Fog so many times as thick; linear fog begins and ends so many times as near."""
    if factor <= 0:
        return replace(fog, kind="none")
    return replace(fog, density=fog.density * factor, start=fog.start / factor, end=fog.end / factor)


def mean_density(fog: Fog, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """The fog's mean density along a straight line between two altitudes in m, as a share of its full one."""
    low, high = np.broadcast_arrays(np.asarray(low, float), np.asarray(high, float))
    if fog.thinning <= 0:
        return np.ones(low.shape)

    def below(y: np.ndarray) -> np.ndarray:
        """Density summed from the level up to an altitude, in m."""
        above = np.maximum(y - fog.level, 0.0)
        return np.where(y < fog.level, y - fog.level, -fog.thinning * np.expm1(-above / fog.thinning))

    rise = high - low
    flat = np.abs(rise) < 1e-3
    here = np.exp(-np.maximum(0.5 * (low + high) - fog.level, 0.0) / fog.thinning)
    between = np.where(flat, here, (below(high) - below(low)) / np.where(flat, 1.0, rise))
    return np.clip(between, 0.0, 1.0)  # rounding may go a little beyond


def left(
    fog: Fog, distance: np.ndarray, eye: np.ndarray | float = 0.0, place: np.ndarray | float = 0.0
) -> np.ndarray:
    """How much of a thing is left: 1 for all, 0 for nothing.

    Parameters: fog; distance in m, at least 0; altitudes of the eye and of the thing in m, which count where
    the fog thins with height; arrays that broadcast. Returns: float64 of their shape.
    """
    distance = np.asarray(distance, float)
    dense = mean_density(fog, np.asarray(eye, float), np.asarray(place, float))
    if fog.kind == "none":
        return np.ones(np.broadcast(distance, dense).shape)
    if fog.kind == "linear":
        return 1.0 - dense * np.clip((distance - fog.start) / (fog.end - fog.start), 0.0, 1.0)
    depth = fog.density * distance * dense
    return np.exp(-depth if fog.kind == "exponential" else -(depth**2))
