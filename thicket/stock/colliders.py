"""What a game lets bodies bump into: an upright cylinder, a box, or a convex hull of few corners."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from thicket.formats.stock import Collider, Part
from thicket.stock.stand_ins import cylinder

KINDS = ("none", "cylinder", "box", "hull")
CORNERS, SIDES = 64, 12


def collider_of(kind: str, parts: Sequence[Part], height: float, trunk: float) -> Collider | None:
    """A collider of a mesh.

    Parameters: kind, one of `KINDS`; parts of the full mesh; height and trunk radius in m, which the cylinder
    has. Box and hull hold the solid parts, or all of them when there is none.
    """
    if kind == "none":
        return None
    if kind == "cylinder":
        return _collider(kind, cylinder(SIDES) * np.array([2 * trunk, height, 2 * trunk]))
    solid = [p.position for p in parts if not p.material.cut] or [p.position for p in parts]
    place = np.concatenate(solid).astype(float)
    low, high = place.min(0), np.maximum(place.max(0), place.min(0) + 0.01)
    if kind == "hull":
        try:
            return _hull(place)
        except QhullError:  # a flat mesh has no hull; its box does
            pass
    box = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float) * (high - low) + low
    return Collider("box", box.astype(np.float32), _outward(box, ConvexHull(box).simplices))


def _hull(place: np.ndarray) -> Collider:
    """The convex hull of the corners that lie farthest in `CORNERS` directions, spread evenly over the
    sphere."""
    k = np.arange(CORNERS) + 0.5
    turn, up = np.pi * (1 + 5**0.5) * k, 1 - 2 * k / CORNERS
    flat = np.sqrt(1 - up**2)
    ways = np.stack([np.cos(turn) * flat, up, np.sin(turn) * flat], axis=1)
    corners = place[np.unique((place @ ways.T).argmax(0))]
    hull = ConvexHull(corners)
    used, index = np.unique(hull.simplices, return_inverse=True)
    return Collider("hull", corners[used].astype(np.float32), _outward(corners[used], index.reshape(-1, 3)))


def _outward(place: np.ndarray, index: np.ndarray) -> np.ndarray:
    """Triangles (t, 3) of a convex body, turned so that they face outward."""
    a, b, c = (place[index[:, k]] for k in range(3))
    inward = (np.cross(b - a, c - a) * (a - place.mean(0))).sum(1) < 0
    out = index.astype(np.uint16)
    out[inward] = out[inward][:, ::-1]
    return out


def _collider(kind: str, triangles: np.ndarray) -> Collider:
    place, index = np.unique(triangles.reshape(-1, 3).round(6), axis=0, return_inverse=True)
    return Collider(kind, place.astype(np.float32), index.reshape(-1, 3).astype(np.uint16))
