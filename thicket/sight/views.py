"""A view of the level: where the eye is and what lies inside its frustum."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numba as nb
import numpy as np

from thicket.lazy import lazy
from thicket.sight.devices import PLAIN_DEVICE, Device
from thicket.sight.drawing import PLAIN, Drawing

NEAR = 0.2


@dataclass(frozen=True)
class View:
    """The eye in level metres; heading clockwise from north and pitch up, in degrees; vertical field of
    view. What is drawn there: by which settings, on which device, and how far away trees are drawn as their
    finest mesh, in m, which follows from their ceiling (see `thicket.planted.costs.settled`)."""

    x: float
    y: float
    z: float
    heading: float
    pitch: float
    fov: float
    aspect: float
    shadows: bool = True
    drawing: Drawing = PLAIN
    device: Device = PLAIN_DEVICE
    full: float = inf

    def pixels_per_radian(self, lines: float) -> float:
        """Pixels that a radian covers in the middle of a picture of so many lines."""
        return float(lines / (2 * np.tan(np.radians(self.fov) / 2)))

    @property
    def clear(self) -> float:
        """Beyond which distance in m nothing is drawn, since the fog hides it."""
        return float(self.drawing.clear_from(self.y))

    @property
    def eye(self) -> np.ndarray:
        """Where the eye is: x, y, z in m, float64 (3,)."""
        return np.array([self.x, self.y, self.z])

    @lazy
    def planes(self) -> np.ndarray:
        """The near plane and the four sides, float64 (5, 4): inside is where n·p + d ≥ 0."""
        h, p = np.radians(self.heading), np.radians(self.pitch)
        ahead = np.array([np.sin(h) * np.cos(p), np.sin(p), -np.cos(h) * np.cos(p)])
        right = np.array([np.cos(h), 0.0, np.sin(h)])
        up = np.cross(right, ahead)
        tall = np.tan(np.radians(self.fov) / 2)
        wide = tall * self.aspect
        normals = [ahead, ahead * wide + right, ahead * wide - right, ahead * tall + up, ahead * tall - up]
        out = np.empty((5, 4))
        for k, normal in enumerate(normals):
            normal = normal / np.linalg.norm(normal)
            out[k] = *normal, -normal @ self.eye - (NEAR if k == 0 else 0.0)
        return out


@nb.njit(nogil=True, cache=True)
def box_visible(planes, box):
    """Whether any of an axis-parallel box (x0, y0, z0, x1, y1, z1) may lie inside all planes."""
    for k in range(planes.shape[0]):
        x = box[3] if planes[k, 0] > 0.0 else box[0]
        y = box[4] if planes[k, 1] > 0.0 else box[1]
        z = box[5] if planes[k, 2] > 0.0 else box[2]
        if planes[k, 0] * x + planes[k, 1] * y + planes[k, 2] * z + planes[k, 3] < 0.0:
            return False
    return True
