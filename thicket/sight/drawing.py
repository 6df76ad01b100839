"""How a level is drawn, over what its stands say: factors, ceilings, and what is left out. A device tier is
drawn through the same settings once more. Nothing of it moves a plant."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np

from thicket.planting.stands import STRATA, Plants
from thicket.sight.distances import Distances
from thicket.sight.fog import Air, clear_distance, thicker

CELL = 64.0
"""The side of drawing cells in m: plants are drawn, culled and paid for in them."""
CELLS = (16, 32, 64, 128)
"""The sides that they may have."""
GROUND_ERROR = 4.0
TREES = ("Canopy", "Understorey")
"""The strata whose full meshes are counted."""


@dataclass(frozen=True)
class Drawing:
    """Settings of a level's drawing.

    plants: whether any are drawn. distances, fades, shadows: factors on the distances, fades and shadow
    reaches of every stand. lod_offset: so many of
    the finest meshes are never drawn. billboards: whether they are. full_meshes: how many trees, the nearest,
    are drawn as their finest mesh. sward_reach: m beyond which no tuft is drawn; sward_share: of the tufts,
    so many are drawn, always the same ones. shadow_reach: m beyond which nothing casts shadow; casts,
    receives: the strata that do. ground_error: pixels at 1,080 lines by which, on the mean, the drawn
    ground may depart from the true one, `GROUND_ERROR` when it is None. cell: m, the side of drawing
    cells. ground_shaded: whether shadows fall on the ground; ground_detail: m within which its texture is
    drawn in detail. fog: a factor on its density. air: the level's fog, where it is known. None is no
    ceiling.
    """

    plants: bool = True
    distances: float = 1.0
    fades: float = 1.0
    shadows: float = 1.0
    lod_offset: int = 0
    billboards: bool = True
    full_meshes: int | None = None
    sward_reach: float | None = None
    sward_share: float = 1.0
    shadow_reach: float | None = None
    casts: frozenset[str] = frozenset(STRATA)
    receives: frozenset[str] = frozenset(STRATA)
    ground_error: float | None = None
    cell: float = CELL
    ground_shaded: bool = True
    ground_detail: float | None = None
    fog: float = 1.0
    air: Air | None = None

    def clear_from(self, eye: np.ndarray | float) -> np.ndarray:
        """Beyond which distance in m nothing is drawn, from eyes at some altitudes in m, since the fog hides
        it; inf where the level's fog hides nothing."""
        if self.air is None or not self.air.hides:
            return np.full(np.shape(eye), np.inf)
        return clear_distance(thicker(self.air.fog, self.fog), eye, self.air.top)

    def through(self, tier: Drawing) -> Drawing:
        """The level's settings as a tier leaves them: factors multiply, the lower ceiling and share count,
        the coarser ground, and only what both let be drawn. Cells and air are the level's."""
        return Drawing(
            plants=self.plants and tier.plants,
            distances=self.distances * tier.distances,
            fades=self.fades * tier.fades,
            shadows=self.shadows * tier.shadows,
            lod_offset=self.lod_offset + tier.lod_offset,
            billboards=self.billboards and tier.billboards,
            full_meshes=_lower(self.full_meshes, tier.full_meshes),
            sward_reach=_lower(self.sward_reach, tier.sward_reach),
            sward_share=self.sward_share * tier.sward_share,
            shadow_reach=_lower(self.shadow_reach, tier.shadow_reach),
            casts=self.casts & tier.casts,
            receives=self.receives & tier.receives,
            ground_error=_higher(self.ground_error, tier.ground_error),
            cell=self.cell,
            ground_shaded=self.ground_shaded and tier.ground_shaded,
            ground_detail=_lower(self.ground_detail, tier.ground_detail),
            fog=self.fog * tier.fog,
            air=self.air,
        )

    def distances_of(self, own: Distances, stratum: str, sward: bool) -> Distances:
        """A stand's distances as they are drawn."""
        gone = own.gone * self.distances
        if sward and self.sward_reach is not None:
            gone = min(gone, max(self.sward_reach, 0.1))
        shadow = own.shadow * self.shadows if stratum in self.casts else 0.0
        return replace(
            own,
            steps=tuple(min(step * self.distances, gone) for step in own.steps),
            billboard=min(own.billboard * self.distances, gone),
            gone=gone,
            fade=own.fade * self.fades,
            shadow=shadow if self.shadow_reach is None else min(shadow, self.shadow_reach),
        )

    def tufts(self, plants: Plants) -> Plants:
        """Those of a sward's tufts that are drawn: a smaller share is always part of a larger one."""
        if self.sward_share >= 1.0:
            return plants
        return plants.take(rank(plants.id) < self.sward_share)


PLAIN = Drawing()

Ceiling = TypeVar("Ceiling", int | None, float | None)


def _lower(a: Ceiling, b: Ceiling) -> Ceiling:
    return min((v for v in (a, b) if v is not None), default=None)


def _higher(a: float | None, b: float | None) -> float | None:
    return max((v for v in (a, b) if v is not None), default=None)


def rank(ids: np.ndarray) -> np.ndarray:
    """A number in [0, 1) that each plant keeps, from the lower bits of its id, which are scrambled; uint64
    (n,) -> float64 (n,)."""
    return (ids & np.uint64(0xFFFFFF)).astype(float) / (1 << 24)
