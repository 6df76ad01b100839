"""Paths, areas and obstacles of a level: their outlines, and how far any place lies from them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from shapely import maximum_inscribed_circle
from shapely.geometry import Polygon
from shapely.validation import explain_validity

from thicket.lazy import lazy
from thicket.refused import Refused

KINDS = ("path", "area", "obstacle")
_SIDES = 48
"""Corners of the polygon that stands for a round obstacle."""
FAR = np.float32(1e9)
"""Distance to a shape where there is none."""


@dataclass(frozen=True)
class Trail:
    """How a path lays plants over: over `reach` m beyond its edge, leaned by up to `lean` degrees, shortened
    by up to the share `flatten` of their height; only plants of these strata."""

    reach: float
    lean: float
    flatten: float
    strata: tuple[str, ...]

    def __post_init__(self) -> None:
        if not (0 <= self.reach <= 20 and 0 <= self.lean <= 85 and 0 <= self.flatten <= 0.95):
            raise Refused(
                "a trail reaches 0 to 20 m, leans plants by 0 to 85° and flattens them by 0 to 95 %"
            )


@dataclass(frozen=True)
class Shape:
    """A path (a line with a width), an area or an obstacle (closed outlines), in level metres.

    points: x, z of the path's line or of the outline's corners, in order, the first not repeated. width: the
    path's, in m. clear: how far beyond its edge the shape keeps plants away, in m; None when it does not.
    trail: how a path lays plants over; None when it does not. group: what it is named together with others
    by, empty for none.
    """

    kind: str
    points: tuple[tuple[float, float], ...]
    width: float = 0.0
    clear: float | None = 0.5
    name: str = ""
    trail: Trail | None = None
    group: str = ""

    def __post_init__(self) -> None:
        called = f"the {self.kind} {self.name!r}" if self.name else f"the {self.kind}"
        if self.kind not in KINDS:
            raise Refused(f"there is no shape called {self.kind!r}")
        if not np.isfinite(np.array(self.points, float)).all():
            raise Refused(f"{called} has a corner that is not a number")
        least = 2 if self.kind == "path" else 3
        if len(set(self.points)) < least:
            raise Refused(f"{called} needs at least {least} different points")
        if self.kind == "path" and not self.width > 0:
            raise Refused(f"{called} needs a width above 0 m")
        if self.clear is not None and not self.clear >= 0:
            raise Refused(f"the clear margin of {called} must not be negative")
        if self.trail and self.kind != "path":
            raise Refused(f"{called} is no path, so it cannot be a trail")
        if self.kind != "path":
            outline = Polygon(self.points)
            if not outline.is_valid:
                raise Refused(
                    f"the outline of {called} crosses or touches itself ({explain_validity(outline).lower()})"
                )

    @property
    def half(self) -> float:
        """Half the path's width: its edge lies this far from its line."""
        return self.width / 2 if self.kind == "path" else 0.0

    @lazy
    def segments(self) -> np.ndarray:
        """Its sides, float64 (n, 4): x, z of both ends."""
        at = np.array(self.points, float)
        ends = np.roll(at, -1, axis=0) if self.kind != "path" else at[1:]
        return np.ascontiguousarray(np.hstack([at[: len(ends)], ends]))

    @lazy
    def box(self) -> tuple[float, float, float, float]:
        """All it covers: (x0, z0, x1, z1)."""
        at = np.array(self.points, float)
        (x0, z0), (x1, z1) = at.min(0) - self.half, at.max(0) + self.half
        return float(x0), float(z0), float(x1), float(z1)

    @lazy
    def deepest(self) -> float:
        """How far inside its edge its deepest place lies, in m."""
        if self.kind == "path":
            return self.half
        return float(maximum_inscribed_circle(Polygon(self.points)).length)


def circle(x: float, z: float, radius: float) -> tuple[tuple[float, float], ...]:
    """Corners of a round outline, on the circle.

    Raises: Refused when the radius is not above 0.
    """
    if not radius > 0:
        raise Refused("the radius of a round obstacle must be above 0 m")
    way = np.arange(_SIDES) * 2 * np.pi / _SIDES
    return tuple(map(tuple, np.c_[x + radius * np.cos(way), z + radius * np.sin(way)].round(4).tolist()))


def box(x: float, z: float, width: float, length: float, heading: float) -> tuple[tuple[float, float], ...]:
    """Corners of a box about its middle, its length along a compass heading in degrees.

    Raises: Refused when it is not wider and longer than 0.
    """
    if not (width > 0 and length > 0):
        raise Refused("a box must be wider and longer than 0 m")
    h = np.radians(heading)
    along, across = (
        np.array([np.sin(h), -np.cos(h)]) * length / 2,
        np.array([np.cos(h), np.sin(h)]) * width / 2,
    )
    corners = [along + across, along - across, -along - across, -along + across]
    return tuple((round(float(x + c[0]), 4), round(float(z + c[1]), 4)) for c in corners)


@nb.njit(nogil=True, cache=True, inline="always")
def _square(x, z, s):
    """Squared distance from a place to a side."""
    ex, ez = s[2] - s[0], s[3] - s[1]
    length = ex * ex + ez * ez
    t = 0.0
    if length > 0.0:
        t = min(max(((x - s[0]) * ex + (z - s[1]) * ez) / length, 0.0), 1.0)
    dx, dz = x - s[0] - t * ex, z - s[1] - t * ez
    return dx * dx + dz * dz


@nb.njit(nogil=True, cache=True)
def _within(x, z, segments):
    """Whether a place lies inside a closed outline (even–odd)."""
    inside = False
    for k in range(segments.shape[0]):
        x0, z0, x1, z1 = segments[k]
        if (z0 > z) != (z1 > z) and x < (x1 - x0) * (z - z0) / (z1 - z0) + x0:
            inside = not inside
    return inside


@nb.njit(nogil=True, cache=True)
def _distances(segments, first, half, closed, x, z, out):
    """Signed distance of every place to the nearest shape: below 0 inside. Also the shape's index."""
    nearest = np.full(x.shape[0], -1, np.int64)
    for p in range(x.shape[0]):
        best = FAR
        for s in range(first.shape[0] - 1):
            low = 1e30
            for k in range(first[s], first[s + 1]):
                low = min(low, _square(x[p], z[p], segments[k]))
            far = np.sqrt(low) - half[s]
            if closed[s] and _within(x[p], z[p], segments[first[s] : first[s + 1]]):
                far = -far
            if far < best:
                best = far
                nearest[p] = s
        out[p] = best
    return nearest


_BLOCK = 32


@nb.njit(nogil=True, cache=True)
def _field(segments, half, closed, cell, col0, row0, out):
    """Signed distance to one shape over a window; sides that are too far for a block are left out of it."""
    rows, cols = out.shape
    near = np.empty(segments.shape[0], np.int64)
    cross = np.empty(segments.shape[0])
    for bj in range(0, rows, _BLOCK):
        for bi in range(0, cols, _BLOCK):
            ej, ei = min(bj + _BLOCK, rows), min(bi + _BLOCK, cols)
            cx, cz = (col0 + 0.5 * (bi + ei)) * cell, (row0 + 0.5 * (bj + ej)) * cell
            reach = 0.5 * np.sqrt(float((ej - bj) ** 2 + (ei - bi) ** 2)) * cell
            low = 1e30
            for k in range(segments.shape[0]):
                low = min(low, _square(cx, cz, segments[k]))
            limit = (np.sqrt(low) + 2.0 * reach) ** 2 * (1.0 + 1e-9) + 1e-9
            n = 0
            for k in range(segments.shape[0]):
                if _square(cx, cz, segments[k]) <= limit:
                    near[n] = k
                    n += 1
            for j in range(bj, ej):
                z = (row0 + j + 0.5) * cell
                for i in range(bi, ei):
                    x = (col0 + i + 0.5) * cell
                    low = 1e30
                    for k in range(n):
                        low = min(low, _square(x, z, segments[near[k]]))
                    out[j, i] = np.sqrt(low) - half
    if not closed:
        return
    for j in range(rows):
        z = (row0 + j + 0.5) * cell
        n = 0
        for k in range(segments.shape[0]):
            x0, z0, x1, z1 = segments[k]
            if (z0 > z) != (z1 > z):
                cross[n] = (x1 - x0) * (z - z0) / (z1 - z0) + x0
                n += 1
        cross[:n].sort()
        for k in range(0, n - 1, 2):
            for i in range(max(int(np.floor(cross[k] / cell - 0.5)) - col0, 0), cols):
                x = (col0 + i + 0.5) * cell
                if x >= cross[k + 1]:
                    break
                if x >= cross[k]:
                    out[j, i] = -out[j, i]


def _one_field(shape: Shape, cell: float, window: tuple[int, int, int, int]) -> np.ndarray:
    col0, row0, col1, row1 = window
    out = np.empty((row1 - row0, col1 - col0), np.float32)
    _field(shape.segments, shape.half, shape.kind != "path", float(cell), col0, row0, out)
    return out


def distance_field(shapes: Sequence[Shape], cell: float, window: tuple[int, int, int, int]) -> np.ndarray:
    """Distance in m from cell centres to the nearest edge of the shapes; below 0 inside one.

    Parameters: cell in m; window (col0, row0, col1, row1) in cells of the level, half open; no margin is
    needed. Returns: float32 (rows, columns); `FAR` where there are no shapes.
    """
    col0, row0, col1, row1 = window
    out = np.full((row1 - row0, col1 - col0), FAR, np.float32)
    for shape in shapes:
        np.minimum(out, _one_field(shape, cell, window), out=out)
    return out


def depth_field(shapes: Sequence[Shape], cell: float, window: tuple[int, int, int, int]) -> np.ndarray:
    """Relative depth inside shapes: 0 at the edge and outside, 1 at the deepest place of each, whatever its
    size."""
    col0, row0, col1, row1 = window
    out = np.zeros((row1 - row0, col1 - col0), np.float32)
    for shape in shapes:
        np.maximum(
            out,
            np.clip(-_one_field(shape, cell, window) / np.float32(max(shape.deepest, 1e-6)), 0, 1),
            out=out,
        )
    return out


def distances_at(shapes: Sequence[Shape], x: np.ndarray, z: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distance in m, float32 (n,), from places to the nearest shape's edge, below 0 inside; and its index, −1
    for none."""
    out = np.empty(len(x), np.float32)
    first = np.cumsum([0, *(len(s.segments) for s in shapes)]).astype(np.int64)
    segments = np.concatenate([s.segments for s in shapes]) if shapes else np.empty((0, 4))
    half, closed = (
        np.array([s.half for s in shapes], float),
        np.array([s.kind != "path" for s in shapes], bool),
    )
    nearest = _distances(segments, first, half, closed, np.asarray(x, float), np.asarray(z, float), out)
    return out, nearest


def in_clearing(
    shapes: Sequence[Shape], footprint: float | np.ndarray, x: np.ndarray, z: np.ndarray
) -> np.ndarray:
    """Where a plant of this footprint radius in m (one for all, or one for each) would reach into a shape's
    clear margin; bool (n,)."""
    hit = np.zeros(len(x), bool)
    for shape in shapes:
        if shape.clear is not None:
            room = np.broadcast_to(shape.clear + np.asarray(footprint, float), hit.shape)
            x0, z0, x1, z1 = shape.box
            near = np.flatnonzero(
                ~hit & (x > x0 - room) & (x < x1 + room) & (z > z0 - room) & (z < z1 + room)
            )
            if len(near):
                hit[near] = distances_at([shape], x[near], z[near])[0] < room[near]
    return hit
