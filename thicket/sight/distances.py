"""How far a stand is drawn, and as what: the rule that the stage and the cost model share.

A stock item is drawn as one of its states: its LOD meshes in order, then its billboard. State `k` holds
from `start[k]` to `end[k]` (distance in m from the eye to the plant's foot). Around the border of two
states, both are drawn, over the fade width; before `gone` the last one fades out over the same width.
Shadows are cast up to the shadow reach by the mesh whose turn it is, without fading, never by a billboard.
Where a stand's distances go by size, a plant counts as near as its distance divided by its own height.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numpy as np

from thicket.refused import Refused


@dataclass(frozen=True)
class Distances:
    """Distances of a stand in m: LOD steps, where the billboard takes over, gone, fade width, shadow reach;
    whether all but the last go by a plant's size; and beyond which the finest mesh is not drawn, where an
    item has another state."""

    steps: tuple[float, ...]
    billboard: float
    gone: float
    fade: float
    shadow: float
    by_size: bool = False
    full: float = inf

    def __post_init__(self) -> None:
        edges = (0.0, *self.steps, self.billboard, self.gone)
        if any(a > b for a, b in zip(edges, edges[1:])):
            raise Refused("the distances must grow from the first LOD step over the billboard to gone")
        if not self.gone > 0:
            raise Refused("gone must be above 0 m")
        if self.fade < 0 or self.shadow < 0:
            raise Refused("fade width and shadow reach must not be negative")


@dataclass(frozen=True)
class States:
    """The states of one item under a stand's distances, arrays (n,) in m.

    start, end: where each state holds; show, hide: where it is drawn, fades included.
    """

    start: np.ndarray
    end: np.ndarray
    show: np.ndarray
    hide: np.ndarray


def states(distances: Distances, lods: int, billboard: bool) -> States:
    """The states of an item with so many LOD meshes and, or not, a billboard."""
    return states_by(distances, np.array(distances.full), lods, billboard)


def states_by(distances: Distances, full: np.ndarray, lods: int, billboard: bool) -> States:
    """The same for several distances beyond which the finest mesh is not drawn, full (…,) in m; the arrays
    are (…, n)."""
    inner = list(distances.steps[: lods - 1])
    inner += [distances.billboard] * (lods - 1 - len(inner) + (1 if billboard else 0))
    start = np.tile([0.0, *inner], (*full.shape, 1))
    end = np.tile([*inner, distances.gone], (*full.shape, 1))
    half = 0.5 * distances.fade
    if inner:
        start[..., 1] = end[..., 0] = np.maximum(np.minimum(inner[0], full - half), 0.0)
    show = np.where(start > 0.0, start - half, -1.0)
    hide = np.minimum(end + half, distances.gone)
    hide[..., -1] = distances.gone
    empty = end <= start
    show[empty] = hide[empty] = 0.0
    return States(start, end, show, hide)
