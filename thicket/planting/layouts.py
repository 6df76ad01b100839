"""Places that are laid out: along a path, in rows over an area, round it, or so many inside it.

A place's threshold follows from its own number alone, in an order that keeps what is left even at every
fullness (the radical inverse along a line, an ordered matrix over rows), so that thinning a fence takes every
other post and no run of them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import LineString, Polygon

from thicket.ground.shapes import Shape
from thicket.planting.hashing import seed_of
from thicket.planting.points import Seats, concat_points, seats_on_ground
from thicket.refused import Refused

CORNER = 30.0
"""A bend by more degrees than this is a corner, and a plant stands on it."""
_ORDERED = 16
_PLASTIC = 1.32471795724474602596


@dataclass(frozen=True)
class Along:
    """Along a path: a plant every `every` m, or `count` of them when that is above 0.

    side: on, left, right or both, seen along the path, at `offset` m from its line. face: along, across, or
    free. stagger sets the right side half a step on; jitter moves each plant by up to so many m.
    """

    every: float = 2.0
    count: int = 0
    side: str = "on"
    offset: float = 0.0
    face: str = "along"
    stagger: bool = False
    jitter: float = 0.0


@dataclass(frozen=True)
class Rows:
    """In rows over an area: rows `apart` m from each other along a compass bearing, a plant every `every` m
    in each."""

    bearing: float = 0.0
    apart: float = 2.0
    every: float = 2.0
    face: str = "along"
    stagger: bool = False
    jitter: float = 0.0


@dataclass(frozen=True)
class Round:
    """Round an area, on its outline: a plant every `every` m, or `count` of them when that is above 0."""

    every: float = 2.0
    count: int = 0
    face: str = "along"
    jitter: float = 0.0


@dataclass(frozen=True)
class Inside:
    """`count` plants spread over an area."""

    count: int = 20
    jitter: float = 0.0


Layout = Along | Rows | Round | Inside
FOLLOWS = {"path": "path", "rows": "area", "round": "area", "inside": "area"}
"""The kind of shape that each layout follows."""


def radical_inverse(n: np.ndarray) -> np.ndarray:
    """The van der Corput sequence in base 2, float64 in [0, 1): the bits of n mirrored at the point."""
    n = np.asarray(n, np.uint32).copy()
    for shift, mask in ((1, 0x55555555), (2, 0x33333333), (4, 0x0F0F0F0F), (8, 0x00FF00FF)):
        n = ((n & np.uint32(mask)) << np.uint32(shift)) | ((n >> np.uint32(shift)) & np.uint32(mask))
    n = (n << np.uint32(16)) | (n >> np.uint32(16))
    return n / 2.0**32


def _ordered() -> np.ndarray:
    """The ordered matrix of 16 × 16 (Bayer, Proc. IEEE ICC, 1973): any share of it is spread evenly."""
    m = np.zeros((1, 1))
    while len(m) < _ORDERED:
        m = np.block([[4 * m, 4 * m + 2], [4 * m + 3, 4 * m + 1]])
    return m / _ORDERED**2


_MATRIX = _ordered()


def _jittered(xz: np.ndarray, by: float, seed: int) -> np.ndarray:
    """Places moved within a disc, each by the hash of its number."""
    if not by > 0 or not len(xz):
        return xz
    draw = np.random.Generator(np.random.Philox(seed)).random((len(xz), 2))
    reach, way = by * np.sqrt(draw[:, 0]), 2 * np.pi * draw[:, 1]
    return xz + np.c_[reach * np.cos(way), reach * np.sin(way)]


def _bearing(way: np.ndarray) -> np.ndarray:
    """Compass bearings in degrees of directions (n, 2) in x and z."""
    return np.degrees(np.arctan2(way[:, 0], -way[:, 1])) % 360


def _runs(line: np.ndarray) -> np.ndarray:
    """Distances along a line (n, 2) at which its runs begin and end: its ends and its corners."""
    step = np.diff(line, axis=0)
    length = np.linalg.norm(step, axis=1)
    way = step / np.maximum(length, 1e-12)[:, None]
    bend = np.degrees(np.arccos(np.clip((way[1:] * way[:-1]).sum(1), -1, 1)))
    far = np.r_[0.0, np.cumsum(length)]
    return np.r_[0.0, far[1:-1][bend > CORNER], far[-1]]


def _stops(line: np.ndarray, layout: Along, between: bool) -> np.ndarray:
    """Distances along a line at which plants stand; with `between`, the middles of the steps."""
    ends = (
        _runs(line)
        if not layout.count
        else np.array([0.0, np.linalg.norm(np.diff(line, axis=0), axis=1).sum()])
    )
    if layout.count == 1:
        return ends.mean(keepdims=True)
    stops = []
    for a, b in zip(ends, ends[1:]):
        steps = layout.count - 1 if layout.count else max(1, round((b - a) / layout.every))
        at = np.linspace(a, b, steps + 1)
        stops.append((at[1:] + at[:-1]) / 2 if between else at[:-1])
    return np.concatenate(stops) if between else np.r_[np.concatenate(stops), ends[-1]]


def _beside(line: np.ndarray, offset: float, left: bool) -> list[np.ndarray]:
    """The line at `offset` m to one side, seen along it, with its corners kept sharp; in parts where it falls
    apart."""
    if offset <= 0:
        return [line]
    moved = LineString(line).offset_curve(-offset if left else offset, join_style="mitre", mitre_limit=3)
    return [np.array(part.coords) for part in shapely.get_parts(moved) if part.length > 0]


def _on_line(line: np.ndarray, layout: Along, between: bool) -> tuple[np.ndarray, np.ndarray]:
    """Places and bearings along one line; a plant at a bend faces the middle of both ways."""
    step = np.diff(line, axis=0)
    length = np.linalg.norm(step, axis=1)
    keep = length > 1e-9
    line, step, length = np.r_[line[:1], line[1:][keep]], step[keep], length[keep]
    far = np.r_[0.0, np.cumsum(length)]
    at = _stops(line, layout, between)
    xz = np.c_[np.interp(at, far, line[:, 0]), np.interp(at, far, line[:, 1])]
    way = step / length[:, None]
    before = np.clip(np.searchsorted(far, at - 1e-6) - 1, 0, len(way) - 1)
    after = np.clip(np.searchsorted(far, at + 1e-6) - 1, 0, len(way) - 1)
    return xz, _bearing(way[before] + way[after])


def along(number: int, path: Shape, layout: Along, seed: int) -> Seats:
    """Seats along a path.

    Parameters: number of the path in its level, for ids and chance; path, a `Shape` of kind path; seed of the
    stand. Returns: seats on the ground, the left side (or the only line) first. Raises: Refused when `every`
    is not above 0.
    """
    if not layout.count and not layout.every > 0:
        raise Refused("layout: a plant every 0 m cannot be planted")
    line = np.array(path.points, float)
    sides = {
        "on": [("on", False)],
        "left": [("left", True)],
        "right": [("right", False)],
        "both": [("left", True), ("right", False)],
    }[layout.side]
    parts = []
    for k, (name, left) in enumerate(sides):
        placed = [
            _on_line(part, layout, layout.stagger and k == 1)
            for part in (_beside(line, layout.offset, left) if name != "on" else [line])
        ]
        if not placed:
            continue
        xz, bearing = (np.concatenate(column) for column in zip(*placed))
        order = np.arange(len(xz))
        xz = _jittered(xz, layout.jitter, seed_of("along", seed, number, k))
        facing = {"along": bearing, "across": bearing + 90, "free": np.zeros(len(xz))}[layout.face]
        parts.append(
            seats_on_ground(
                xz[:, 0],
                xz[:, 1],
                radical_inverse(order),
                np.c_[order, np.full(len(xz), k)],
                facing % 360,
                np.full(len(xz), seed_of("path", number)),
            )
        )
    return concat_points(parts) if parts else none_laid()


def rows(number: int, area: Shape, layout: Rows, seed: int) -> Seats:
    """Seats in rows inside an area, the pattern centred on it; parameters as for `along`.

    Raises: Refused when rows or plants are 0 m apart.
    """
    if not (layout.apart > 0 and layout.every > 0):
        raise Refused("layout: rows and the plants in them must be more than 0 m apart")
    outline = np.array(area.points, float)
    b = np.radians(layout.bearing)
    ways = np.array([[np.sin(b), -np.cos(b)], [np.cos(b), np.sin(b)]])
    middle = np.array(Polygon(outline).centroid.coords[0])
    span = (outline - middle) @ ways.T
    lo, hi = span.min(0), span.max(0)
    centre = (lo + hi) / 2
    n_along, n_across = (
        max(1, int((hi[k] - lo[k]) / step) + 2) for k, step in ((0, layout.every), (1, layout.apart))
    )
    i, j = np.meshgrid(np.arange(n_along), np.arange(n_across))
    u = centre[0] + (i - (n_along - 1) / 2 + (0.5 * (j % 2) - 0.25 if layout.stagger else 0)) * layout.every
    v = centre[1] + (j - (n_across - 1) / 2) * layout.apart
    xz = middle + np.c_[u.ravel(), v.ravel()] @ ways
    xz = _jittered(xz, layout.jitter, seed_of("rows", seed, number))
    inside = shapely.contains_xy(Polygon(outline), xz[:, 0], xz[:, 1])
    fine = np.random.Generator(np.random.Philox(seed_of("order", number))).random(i.size) / _ORDERED**2
    threshold = _MATRIX[j % _ORDERED, i % _ORDERED].ravel() + fine
    facing = {"along": layout.bearing, "across": layout.bearing + 90, "free": 0.0}[layout.face] % 360
    xz, cell = xz[inside], np.c_[i.ravel(), j.ravel()][inside]
    return seats_on_ground(
        xz[:, 0],
        xz[:, 1],
        np.minimum(threshold[inside], 0.99999994),
        cell,
        np.full(len(xz), facing),
        np.full(len(xz), seed_of("area", number)),
    )


def _on_ground(xz: np.ndarray, threshold: np.ndarray, bearing: np.ndarray, face: str, salt: int) -> Seats:
    """Seats of one row, numbered in order."""
    n = len(xz)
    facing = {"along": bearing, "across": bearing + 90, "free": np.zeros(n)}[face]
    cell = np.c_[np.arange(n), np.zeros(n, np.int64)]
    return seats_on_ground(xz[:, 0], xz[:, 1], threshold, cell, facing % 360, np.full(n, salt))


def round_(number: int, area: Shape, layout: Round, seed: int) -> Seats:
    """Seats on an area's outline; parameters as for `along`. Raises: Refused when `every` is not above 0."""
    if not layout.count and not layout.every > 0:
        raise Refused("layout: a plant every 0 m cannot be planted")
    line = np.array([*area.points, area.points[0]], float)
    # the last place is the first again
    count = layout.count + 1 if layout.count else 0
    xz, bearing = (column[:-1] for column in _on_line(line, Along(layout.every, count), False))
    xz = _jittered(xz, layout.jitter, seed_of("round", seed, number))
    return _on_ground(xz, radical_inverse(np.arange(len(xz))), bearing, layout.face, seed_of("round", number))


def inside(number: int, area: Shape, layout: Inside, seed: int) -> Seats:
    """So many seats inside an area, evenly spread, and so are the first of them.

    After: Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018 (the additive recurrence
    of the plastic number), of which those points are taken that lie in the area. Parameters as for `along`.
    """
    outline = Polygon(area.points)
    x0, z0, x1, z1 = outline.bounds
    side = max(x1 - x0, z1 - z0)
    begins = np.random.Generator(np.random.Philox(seed_of("inside", seed, number))).random(2)
    found, k = np.empty((0, 2)), 0
    while len(found) < layout.count:
        more = int((layout.count - len(found)) * side**2 / outline.area * 1.1) + 64
        steps = np.arange(k, k + more)[:, None] * (1 / _PLASTIC, 1 / _PLASTIC**2)
        at = (x0, z0) + side * ((begins + steps) % 1.0)
        found = np.concatenate([found, at[shapely.contains_xy(outline, at[:, 0], at[:, 1])]])
        k += more
    xz = _jittered(found[: layout.count], layout.jitter, seed_of("in", seed, number))
    threshold = (np.arange(len(xz)) + 0.5) / max(len(xz), 1)
    return _on_ground(xz, threshold, np.zeros(len(xz)), "free", seed_of("inside", number))


LAID = {"path": along, "rows": rows, "round": round_, "inside": inside}
"""What lays each layout out."""


def none_laid() -> Seats:
    """No seats."""
    none = np.empty(0)
    return seats_on_ground(none, none, none, np.empty((0, 2)), none, none)


def expected(shape: Shape, layout: Layout) -> float:
    """About how many seats a layout gives on a shape, before they are made."""
    if isinstance(layout, Rows):
        return Polygon(shape.points).area / max(layout.apart * layout.every, 1e-9)
    if isinstance(layout, Inside):
        return layout.count
    if isinstance(layout, Round):
        return layout.count or Polygon(shape.points).length / max(layout.every, 1e-9) + 1
    line = LineString(shape.points)
    return (layout.count or line.length / max(layout.every, 1e-9) + 1) * (2 if layout.side == "both" else 1)
