"""What is known of a stock item beside its meshes, with the limits of every number."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from thicket.document.settings import Number, Share, Strict, shown
from thicket.stock.traits import LONGEST_NAME, MOST_UNTINTED


class TraitSettings(Strict):
    """See `thicket.stock.traits.Traits`."""

    stiffness: Share = 0.4
    casts_shadow: bool = True
    receives_shadow: bool = True
    becomes_billboard: bool = True
    faces_eye: bool = False
    collider: Literal["none", "cylinder", "box", "hull"] = "none"
    cutoff: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=0.95), shown(0.05, "%")] = 0.5
    softness: Share = 0
    untinted: Annotated[
        list[Annotated[str, Field(max_length=LONGEST_NAME)]], Field(max_length=MOST_UNTINTED)
    ] = []


Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-1000, le=1000)]


class AnchorSettings(Strict):
    """A point that companions may stand on: place in m and direction, x, y, z each."""

    name: Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f]*$")]
    at: tuple[Coordinate, Coordinate, Coordinate]
    up: tuple[Coordinate, Coordinate, Coordinate]


Anchors = Annotated[list[AnchorSettings], Field(max_length=64)]


class SeenDistances(Strict):
    """Of each coarser LOD and of the billboard: the nearest distance in m at which it is seen to differ,
    and by how many m of its outline; see `thicket.stock.making.distances_of`."""

    lods: Annotated[list[Number], Field(max_length=8)] = []
    errors: Annotated[list[Number], Field(max_length=8)] = []
    billboard: Number | None = None
    billboard_error: Number | None = None
