"""How far a coarser state's outline is from the full mesh's, and the distances that follow from it."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
from scipy.ndimage import gaussian_filter

from thicket.formats.stock import Part
from thicket.sight.billboard import render_coverage

HEADINGS = tuple(range(0, 360, 45))
ROWS = 160
LINES, FIELD = 1080, 55.0
"""The screen that pixels are given for: lines, and degrees of field of view from top to bottom."""
PIXELS = 2.0
"""A state may differ from the full mesh by so many pixels of outline."""


def turned(parts: Sequence[Part], heading: float, pitch: float = 0.0) -> list[Part]:
    """Parts as they are seen from a heading: turned about the upright, then tipped toward the eye;
    degrees."""
    a, b = np.radians(heading), np.radians(pitch)
    about = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    tip = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    way = tip @ about
    return [
        part
        if part.material.facing
        else replace(part, position=part.position @ way.T, normal=part.normal @ way.T)
        for part in parts
    ]


def frame_of(parts: Sequence[Part]) -> tuple[float, float]:
    """Width and height in m of a picture that holds the parts from every side, its foot in the middle of the
    lower edge."""
    place = np.concatenate([part.position for part in parts])
    reach = float(np.hypot(place[:, 0], place[:, 2]).max())
    return max(2.1 * reach, 0.02), max(1.03 * float(place[:, 1].max()), 0.02)


def coverage(parts: Sequence[Part], heading: float, frame: tuple[float, float]) -> np.ndarray:
    """How much of each pixel the parts cover, float 0–1 (rows, columns), seen from a heading in a frame in m.
    A high frame has `ROWS` rows; a wide one fewer, so that it has no more pixels."""
    rows = max(int(min(ROWS, ROWS * np.sqrt(1.5 * frame[1] / frame[0]))), 8)
    return render_coverage(turned(parts, heading), *frame, rows)


def coverages(
    parts: Sequence[Part], frame: tuple[float, float], headings: Sequence[float] = HEADINGS
) -> np.ndarray:
    """The same from every heading, float 0–1 (headings, rows, columns). From behind, an outline is that from
    the front mirrored."""
    if all(part.material.facing for part in parts):
        return np.repeat(coverage(parts, 0, frame)[None], len(headings), axis=0)
    mixed = any(part.material.facing for part in parts)
    front = [h for h in headings if mixed or h - 180 not in headings]
    with ThreadPoolExecutor(2) as pool:
        seen = dict(zip(front, pool.map(lambda heading: coverage(parts, heading, frame), front)))
    return np.stack([seen[h] if h in seen else seen[h - 180][:, ::-1] for h in headings])


def blurred(covered: np.ndarray) -> np.ndarray:
    """What is covered (headings, rows, columns), blurred by a hundredth of the height, so that single leaves
    are no outline."""
    return np.stack([gaussian_filter(picture, 0.01 * len(picture)) for picture in covered])


def outline_difference(full: np.ndarray, state: np.ndarray, height: float) -> float:
    """By how many metres of outline a coarser state differs from the full mesh, on the mean over headings.

    Parameters: what both cover, `blurred`, float 0–1 (headings, rows, columns), in frames of a height in m.
    The area that differs is divided by the length of the full mesh's outline, which is the sum of the blurred
    picture's slope.
    """
    pixel = height / full.shape[1]
    if (
        min(full.shape[1:]) < 2
    ):  # a thing so much wider than high, or higher than wide, has a rim all the same
        rim = (0, 0), (1, 1), (1, 1)
        full, state = np.pad(full, rim), np.pad(state, rim)
    total = 0.0
    for a, b in zip(full, state):
        outline = float(np.hypot(*np.gradient(a)).sum()) * pixel
        total += float(np.abs(a - b).sum()) * pixel * pixel / max(outline, 1e-9)
    return total / len(full)


def silhouette_error(
    full: Sequence[Part], state: Sequence[Part], headings: Sequence[float] = HEADINGS
) -> float:
    """The silhouette error of a coarser state in m, over headings in degrees; see `outline_difference`."""
    frame = frame_of([*full, *state])
    fine, coarse = (blurred(coverages(parts, frame, headings)) for parts in (full, state))
    return outline_difference(fine, coarse, frame[1])


def distance_of(error: float, pixels: float = PIXELS) -> float:
    """The nearest distance in m at which an error in m stays under so many pixels; see `LINES` and
    `FIELD`."""
    return float(error * pixels_at(1.0) / pixels)


def pixels_at(distance: float) -> float:
    """How many pixels a metre takes at a distance in m; see `LINES` and `FIELD`."""
    return LINES / (2.0 * np.tan(np.radians(FIELD / 2)) * distance)
