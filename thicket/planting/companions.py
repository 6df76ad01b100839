"""Companions: plants that stand on named anchor points of another stand's plants, and move, scale and vanish
with them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from shapely import Polygon, contains_xy

from thicket.planting.hashing import mix32, seed_of, unit
from thicket.planting.layouts import none_laid, radical_inverse
from thicket.planting.points import Seats, concat_points
from thicket.planting.stands import Plants

_CURVE_STEPS = 16


class Anchors(NamedTuple):
    """Anchor points of a mesh: at float64 (n, 3) in its metres; up float64 (n, 3), the way a companion grows
    there; the group that each belongs to."""

    at: np.ndarray
    up: np.ndarray
    groups: tuple[str, ...] = ()

    def of(self, group: str) -> Anchors:
        """Those of a group; all for the empty name."""
        if not group:
            return self
        mine = np.array([name == group for name in self.groups], bool)
        return Anchors(self.at[mine], self.up[mine], (group,) * int(mine.sum()))

    def plain(self) -> list:
        """The same as lists."""
        return [
            self.at.tolist(),
            self.up.tolist(),
            *([list(self.groups)] if len(set(self.groups)) > 1 else []),
        ]

    @property
    def reach(self) -> float:
        """How far, in m, the farthest anchor lies from the mesh's origin."""
        return float(np.linalg.norm(self.at, axis=1).max()) if len(self.at) else 0.0


NO_ANCHORS = Anchors(np.empty((0, 3)), np.empty((0, 3)))


def closed_curve(anchors: Anchors, count: int) -> Anchors:
    """`count` places spread evenly along the closed curve through the anchors, with up-directions between
    theirs.

    The curve is Catmull and Rom's, "A class of local interpolating splines", Computer Aided Geometric Design,
    1974. With fewer than three anchors it is the line there and back.
    """
    n = len(anchors.at)
    if n == 0 or count < 1:
        return NO_ANCHORS
    t = np.arange(n * _CURVE_STEPS) / _CURVE_STEPS
    k, u = t.astype(int), (t % 1)[:, None]
    p0, p1, p2, p3 = (anchors.at[(k + d) % n] for d in (-1, 0, 1, 2))
    curve = 0.5 * (
        2 * p1 + (p2 - p0) * u + (2 * p0 - 5 * p1 + 4 * p2 - p3) * u**2 + (3 * p1 - p0 - 3 * p2 + p3) * u**3
    )
    up = anchors.up[k % n] * (1 - u) + anchors.up[(k + 1) % n] * u
    far = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(np.r_[curve, curve[:1]], axis=0), axis=1))]
    stops = np.arange(count) * far[-1] / count
    ends = [np.r_[column, column[:1]] for column in (curve, up)]
    at, way = (np.stack([np.interp(stops, far, end[:, c]) for c in range(3)], axis=1) for end in ends)
    return Anchors(at, way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9))


def inside_curve(anchors: Anchors, count: int) -> Anchors:
    """`count` places spread evenly inside the closed curve through the anchors, with up-directions between
    theirs.

    They are the first of Roberts' sequence, "The unreasonable effectiveness of quasirandom sequences", 2018,
    that fall inside the curve as seen along the anchors' mean direction; heights are weighted means of the
    anchors'.
    """
    if len(anchors.at) < 3 or count < 1:
        return closed_curve(anchors, count)
    way = anchors.up.mean(0)
    way = way / max(np.linalg.norm(way), 1e-9)
    across = np.cross(way, [0.0, 0.0, 1.0] if abs(way[2]) < 0.9 else [1.0, 0.0, 0.0])
    across /= np.linalg.norm(across)
    frame = np.stack([across, np.cross(way, across)], axis=1)
    ring = closed_curve(anchors, 8 * len(anchors.at)).at @ frame
    low, high = ring.min(0), ring.max(0)
    k = np.arange(1, 64 * count + 1)[:, None]
    tried = low + (high - low) * ((0.5 + k * np.array([0.7548776662466927, 0.5698402909980532])) % 1.0)
    flat = tried[contains_xy(Polygon(ring).buffer(0), *tried.T)][:count]
    far = np.linalg.norm(flat[:, None] - (anchors.at @ frame)[None], axis=2)
    weight = 1.0 / np.maximum(far, 1e-6) ** 2
    weight /= weight.sum(1, keepdims=True)
    up = weight @ anchors.up
    at = flat @ frame.T + (weight @ (anchors.at @ way))[:, None] * way
    return Anchors(at, up / np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-9))


def turned(q: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Vectors (n, 3) turned by quaternions (n, 4) x, y, z, w."""
    axis, w = q[:, :3], q[:, 3:]
    first = np.cross(axis, v) * 2.0
    return v + w * first + np.cross(axis, first)


def seats_on(hosts: Plants, anchors: list[Anchors], around: int, seed: int, inside: bool = False) -> Seats:
    """Where companions of the hosts may stand.

    Parameters: hosts, plants of the host stand; anchors, those of each item of its mix; around, how many to
    spread along the closed curve through a host's anchors, or inside it, 0 for one on each anchor; seed of
    the companion stand. Returns: seats in the order of the hosts for each anchor; ids follow from the host's
    id and the anchor's number.
    """
    parts = []
    for item, own in enumerate(anchors):
        spots = own if not around else inside_curve(own, around) if inside else closed_curve(own, around)
        form, ids = hosts.form[hosts.item == item].astype(float), hosts.id[hosts.item == item]
        if not len(ids) or not len(spots.at):
            continue
        low, high = (
            (ids & np.uint64(0xFFFFFF)).astype(np.int64),
            ((ids >> np.uint64(24)) & np.uint64(0xFFFFFF)).astype(np.int64),
        )
        front = turned(form[:, 3:7], np.broadcast_to([0.0, 0.0, -1.0], (len(form), 3)))
        bearing = np.degrees(np.arctan2(front[:, 0], -front[:, 2])) % 360
        scale = form[:, [7, 8, 7]]
        for k, (at, up) in enumerate(zip(spots.at, spots.up)):
            place = form[:, :3] + turned(form[:, 3:7], at * scale)
            way = turned(form[:, 3:7], up / np.maximum(scale, 1e-9))
            way /= np.linalg.norm(way, axis=1, keepdims=True)
            draw = unit(mix32(mix32(low ^ seed_of("seat", seed)) ^ (high + (0 if around else 7919 * k))))
            threshold = (draw + radical_inverse(np.array([k]))) % 1.0 if around else draw
            n = len(ids)
            parts.append(
                Seats(
                    place[:, 0],
                    place[:, 2],
                    np.minimum(threshold, 0.99999994).astype(np.float32),
                    np.c_[low - (1 << 23), high - (1 << 23)],
                    bearing.astype(np.float32),
                    np.full(n, seed_of("anchor", item if around else 0, k)),
                    place[:, 1].astype(np.float32),
                    way.astype(np.float32),
                    form[:, 7].astype(np.float32),
                )
            )
    if not parts:
        return none_laid()
    return concat_points(parts)
