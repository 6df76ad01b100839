"""The ground of plots: which of them a place belongs to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from thicket.ground.shapes import Shape, distances_at
from thicket.hashing import digest
from thicket.planting.stands import Plants


@dataclass(frozen=True)
class Region:
    """A part of the level: an area without those that have their ground before it."""

    area: Shape
    before: tuple[Shape, ...] = ()

    @property
    def key(self) -> str:
        """Names the region by where it lies."""
        return digest([shape.points for shape in (self.area, *self.before)])

    def holds(self, x: np.ndarray, z: np.ndarray) -> np.ndarray:
        """Which places, x and z in m (n,), lie in it; bool (n,)."""
        inside = distances_at([self.area], x, z)[0] <= 0
        if self.before and inside.any():
            inside &= ~(distances_at(self.before, x, z)[0] <= 0)
        return inside

    def near(self, x: np.ndarray, z: np.ndarray, margin: float) -> np.ndarray:
        """Which places lie in it, or no farther than a margin in m from its edge; bool (n,)."""
        inside = distances_at([self.area], x, z)[0] <= margin
        if self.before and inside.any():
            inside &= ~(distances_at(self.before, x, z)[0] < -margin)
        return inside

    def part_of(self, plants: Plants) -> Plants:
        """Those of the plants that stand in it."""
        form = plants.form
        return plants.take(np.flatnonzero(self.holds(form[:, 0].astype(float), form[:, 2].astype(float))))


def regions(shapes: Mapping[int, Shape], areas: Sequence[tuple[str, int]]) -> dict[str, Region]:
    """The regions of plots by name.

    Parameters: shapes, the level's by number; areas, each plot's name and area, those that win where two
    overlap first. A plot whose area is not there has no ground.
    """
    found: dict[str, Region] = {}
    before: tuple[Shape, ...] = ()
    for name, number in areas:
        shape = shapes.get(number)
        if shape is not None and shape.kind == "area":
            found[name] = Region(shape, before)
            before += (shape,)
    return found
