"""How far a coarser state's outline is from the full mesh's, and the distances that follow from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.formats.stock import Part
from thicket.sight.billboard import render_billboard

HEADINGS = tuple(range(0, 360, 45))
ROWS = 160
LINES, FIELD = 1080, 55.0
"""The screen that pixels are told for: lines, and degrees of field of view from top to bottom."""


def turned(parts: Sequence[Part], heading: float, pitch: float = 0.0) -> list[Part]:
    """Parts as they are seen from a heading: turned about the upright, then tipped toward the eye; degrees."""
    a, b = np.radians(heading), np.radians(pitch)
    about = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    tip = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    way = tip @ about
    return [part if part.material.facing else replace(part, position=part.position @ way.T, normal=part.normal @ way.T)
            for part in parts]


def frame_of(parts: Sequence[Part]) -> tuple[float, float]:
    """Width and height in m of a picture that holds the parts from every side, its foot in the middle of the lower edge."""
    place = np.concatenate([part.position for part in parts])
    reach = float(np.hypot(place[:, 0], place[:, 2]).max())
    return max(2.1 * reach, 0.02), max(1.03 * float(place[:, 1].max()), 0.02)


def coverage(parts: Sequence[Part], heading: float, frame: tuple[float, float], rows: int = ROWS) -> np.ndarray:
    """How much of each pixel the parts cover, float 0–1 (rows, columns), seen from a heading in a frame in m."""
    return render_billboard(turned(parts, heading), *frame, rows, oversample=2)[..., 3] / 255.0


def silhouette_error(full: Sequence[Part], state: Sequence[Part], headings: Sequence[float] = HEADINGS) -> float:
    """By how many metres of outline a coarser state differs from the full mesh, on the mean over headings in degrees.

    Both are drawn and blurred by a hundredth of the height, so that single leaves do not count as outline; the area that
    differs is divided by the length of the full mesh's outline, which is the sum of the blurred picture's slope.
    """
    frame = frame_of([*full, *state])
    pixel = frame[1] / ROWS
    total = 0.0
    for heading in headings:
        a, b = (gaussian_filter(coverage(parts, heading, frame), 0.01 * ROWS) for parts in (full, state))
        outline = float(np.hypot(*np.gradient(a)).sum()) * pixel
        total += float(np.abs(a - b).sum()) * pixel * pixel / max(outline, 1e-9)
    return total / len(headings)


def distance_of(error: float, pixels: float = 2.0) -> float:
    """The nearest distance in m at which an error in m stays under so many pixels; see `LINES` and `FIELD`."""
    return float(error * LINES / (2.0 * np.tan(np.radians(FIELD / 2)) * pixels))
