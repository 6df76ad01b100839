"""Walks that are kept with a level."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from thicket.document.settings import Name, Strict, shown
from thicket.ground.heights import Ground
from thicket.sight.walks import Route, route_of

WALKS = 20
"""A level keeps so many walks at the most."""
Place = Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)]


class Walk(Strict):
    """A route over the ground: places x, z in m, speed in m/s, height of the eye above the ground in m."""

    points: Annotated[list[tuple[Place, Place]], Field(min_length=2, max_length=2000)]
    speed: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=60), shown(0.5, "m/s")] = 3
    eye: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=100), shown(0.1, "m")] = 1.7

    def route(self, ground: Ground) -> Route:
        """The way of the eye. Raises: Refused when nothing of it can be walked."""
        return route_of(ground, self.points, self.speed, self.eye)


Walks = Annotated[dict[Name, Walk], Field(max_length=WALKS)]
"""A level's walks by name, in order."""
