"""What a site condition is made of, whatever its kind."""

from __future__ import annotations

from dataclasses import dataclass

from thicket.ground.noise import Noise

ENDLESS = 1e5
"""A band that ends here or beyond has no end."""


@dataclass(frozen=True)
class Parameters:
    """A band [lo, hi] of a field, with a soft width below and above, in its units.

    centre: facing's middle bearing in degrees; its band is of the angle away from that. toward: a direction
    in space, its bearing and how far it rises, in degrees. radius: in m, of hollow and flat. layers: names of
    ground layers, whose weights are added. noise: what noise looks at.
    shapes and groups: numbers, and names of groups, of the paths, areas, obstacles or placed meshes that
    count, all when both are empty; depth:
    whether an area's relative depth (0 edge – 1 deepest) is looked at in place of its distance; border: where
    above 0, how many m wide the border is along which values go from 0 at the edge to 1, into areas and away
    from paths and obstacles; rough: by how many m `noise` moves the edge to either side. stand: number
    of the stand whose plants count. mask: a mask image's name; wrapped: whether it is laid on placed meshes
    by their texture coordinates, in place of seen from above; curve: points (value, share), each 0–1, that
    its values go through in place of the band, along straight lines between them. density: whether it decides
    where plants stand; size, lean, tint: what a plant's size, its random lean and its tint are multiplied by
    where the condition fails, growing to 1 where it holds; None leaves them alone.
    """

    kind: str
    lo: float
    hi: float
    soft_lo: float = 0.0
    soft_hi: float = 0.0
    join: str = "and"
    on: bool = True
    centre: float = 180.0
    toward: tuple[float, float] = (180.0, 45.0)
    radius: float = 20.0
    layers: tuple[str, ...] = ()
    noise: Noise = Noise()
    shapes: tuple[int, ...] = ()
    groups: tuple[str, ...] = ()
    depth: bool = False
    border: float = 0.0
    rough: float = 0.0
    stand: int = 0
    mask: str = ""
    wrapped: bool = False
    curve: tuple[tuple[float, float], ...] = ()
    density: bool = True
    size: float | None = None
    lean: float | None = None
    tint: float | None = None

    @property
    def reach(self) -> float:
        """How far, in m, a distance has to be known: beyond it the band no longer changes."""
        return self.lo if self.hi >= ENDLESS else self.hi + self.soft_hi
