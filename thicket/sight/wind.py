"""Wind for the preview and the handover: how far a plant bends at a place and a time, in a loop that closes
without a seam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

BEND = 0.16
"""At full strength, the tip of a limp plant sways by this share of its height to either side."""
LEAN = 0.5
"""The steady part of the bend, beside what comes and goes."""


@dataclass(frozen=True)
class Wind:
    """bearing: where it blows from, in degrees; speed in m/s; strength 0–1; wavelength of its gusts in m;
    turbulence, the share of the sway that is each plant's own, 0–1; loop in s, after which everything is as
    it was."""

    bearing: float = 250.0
    speed: float = 5.0
    strength: float = 0.35
    wavelength: float = 28.0
    turbulence: float = 0.35
    loop: float = 12.0

    @property
    def gusts(self) -> int:
        """Whole gusts that pass a place in one loop: as many as the speed asks for, and at least one."""
        return max(1, int(self.speed * self.loop / self.wavelength + 0.5))

    @property
    def toward(self) -> tuple[float, float]:
        """The way it blows, x and z of length 1."""
        a = np.radians(self.bearing + 180)
        return float(np.sin(a)), float(-np.cos(a))


def sway(wind: Wind, x: np.ndarray, z: np.ndarray, own: np.ndarray, time: float) -> np.ndarray:
    """How far plants bend along the wind at a time, as a share of `BEND` × height × strength.

    Parameters: x, z in m; own, a number 0–1 of each plant's own; time in s. Returns: float64 (n,), about -0.5
    to 1.5. A point at a share s of the plant's height moves s² as far as its tip.
    """
    t = time / wind.loop
    along = (np.asarray(x) * wind.toward[0] + np.asarray(z) * wind.toward[1]) / wind.wavelength
    gust = np.sin(2 * np.pi * (wind.gusts * t - along))
    turns = (2 * wind.gusts + 1) * t + own, (3 * wind.gusts + 2) * t + 1.7 * own
    flutter = 0.6 * np.sin(2 * np.pi * turns[0]) + 0.4 * np.sin(2 * np.pi * turns[1])
    return LEAN + (1 - wind.turbulence) * gust + wind.turbulence * flutter
