"""How much of plants is hidden from an eye, by the ground and by placed meshes."""

from __future__ import annotations

import numpy as np

from thicket.planted.level import PlantedLevel
from thicket.sight.pops import unhidden

SAMPLED_AT = (0.1, 0.5, 0.9)
"""A plant is looked for at these shares of its height."""


def hidden_share(level: PlantedLevel, eye: np.ndarray, form: np.ndarray, tall: np.ndarray) -> np.ndarray:
    """How much of each plant cannot be seen, 0–1 (n,).

    Parameters: eye (n, 3) in m; form (n, 10) as in `Plants` and height in m (n,) of the plants.
    """
    seen = unhidden(level.ground, eye, form, tall)
    if not level.meshes.drawn or not len(form):
        return 1.0 - seen
    eye, foot, up = np.asarray(eye, float), form[:, :3].astype(float), ups(form)
    parts = [level.meshes.hides(eye, foot + (share * tall)[:, None] * up) for share in SAMPLED_AT]
    return 1.0 - seen * (1.0 - np.mean(parts, axis=0))


def ups(form: np.ndarray) -> np.ndarray:
    """The ways that plants grow, float64 (n, 3)."""
    qx, qy, qz, qw = form[:, 3:7].T.astype(float)
    return np.c_[2 * (qx * qy - qw * qz), 1 - 2 * (qx * qx + qz * qz), 2 * (qy * qz + qw * qx)]
