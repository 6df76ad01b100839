"""Meshes placed in a level: what can be set on one, and where it comes to lie."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import ConfigDict, Field, model_validator

from thicket.document.settings import Name, Number, Strict, shown
from thicket.refused import Refused
from thicket.surfaces.mesh import Form

Coordinate = Annotated[Number, shown(0.5, "m")]
Extent = Annotated[float, Field(allow_inf_nan=False, gt=0, le=2000), shown(0.5, "m")]
Angle = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360), shown(5, "°")]


class MadeMesh(Strict):
    """A mesh that is made here; see `thicket.surfaces.mesh.made_mesh`."""

    form: Form
    size: tuple[Extent, Extent, Extent] = Field(description="m along x, y and z; a plane has no y")
    divisions: Annotated[int, Field(ge=1, le=128), shown(4)] = 16


class PlacedMesh(Strict):
    """A mesh in the level: made here, or a stock item's full mesh. Its own origin lies at `at`; it is turned
    clockwise seen from above, after it is tipped forward (`pitch`) and to its right (`roll`)."""

    model_config = ConfigDict(frozen=True)

    name: Name
    group: Annotated[str, Field(max_length=80)] = ""
    made: MadeMesh | None = None
    item: Annotated[
        str, Field(max_length=60, description="a stock item's slug, where it is not made here")
    ] = ""
    at: tuple[Coordinate, Coordinate, Coordinate] = Field(
        description="m: x, altitude and z of its own origin"
    )
    turn: Annotated[Angle, Field(description="degrees, clockwise seen from above")] = 0
    pitch: Angle = 0
    roll: Angle = 0
    scale: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=100), shown(0.1, "×")] = 1
    drawn: bool = True
    shadow: Annotated[
        float,
        Field(
            allow_inf_nan=False,
            ge=0,
            le=500,
            description="m from the eye to which it casts shadow; 0 for none",
        ),
        shown(10, "m"),
    ] = 80
    blocks: Annotated[bool, Field(description="whether it stands in the way of plants of the terrain")] = True
    planted: Annotated[bool, Field(description="whether it carries plants")] = True
    locked: bool = False
    hidden: bool = False

    @model_validator(mode="after")
    def check(self) -> Self:
        if (self.made is None) == (not self.item):
            raise Refused(f"{self.name}: it is either made here, or the mesh of a stock item")
        return self

    @property
    def rotation(self) -> np.ndarray:
        """Its turn as a matrix, float64 (3, 3)."""
        (sy, cy), (sx, cx), (sz, cz) = (
            (np.sin(a), np.cos(a)) for a in np.radians([-self.turn, -self.pitch, -self.roll])
        )
        about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
        about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
        about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
        return about_y @ about_x @ about_z

    def in_level(self, places: np.ndarray) -> np.ndarray:
        """Places of its own space in level metres, float64 (n, 3)."""
        return np.asarray(places, float) @ self.rotation.T * self.scale + np.array(self.at, float)

    def in_own(self, places: np.ndarray) -> np.ndarray:
        """Places of the level in its own space, float64 (n, 3)."""
        return (np.asarray(places, float) - np.array(self.at, float)) @ self.rotation / self.scale
