"""What a person can set on a path, an area or an obstacle, with the limits of every number."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from thicket.document.settings import Metres, Name, Number, Stratum, Strict, shown
from thicket.ground.shapes import Shape, box, circle
from thicket.ground.shapes import Trail as CoreTrail
from thicket.refused import Refused

Length = Annotated[float, Field(allow_inf_nan=False, gt=0, le=20000), shown(0.5, "m")]


class Round(Strict):
    """A round outline: its middle and radius in m."""

    x: Number
    z: Number
    radius: Length


class Box(Strict):
    """A box: its middle, width across and length along a compass heading, in m and degrees."""

    x: Number
    z: Number
    width: Length
    length: Length
    heading: Annotated[float, Field(allow_inf_nan=False, ge=-360, le=720), shown(1, "°")]


class Trail(Strict):
    """How a path lays plants over: leaned by up to `lean` degrees and turned away from its line, and
    shortened by up to the share `flatten`, fully within its width and less and less over `reach` m beyond its
    edge; only plants of these strata."""

    reach: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20), shown(0.1, "m")] = 1.5
    lean: Annotated[float, Field(allow_inf_nan=False, ge=0, le=85), shown(1, "°")] = 50
    flatten: Annotated[float, Field(allow_inf_nan=False, ge=0, le=0.95), shown(0.01, "%")] = 0.4
    strata: list[Stratum] = Field(default=["Field", "Moss"], min_length=1, max_length=6)


class ShapeSettings(Strict):
    """All that can be set on a shape. A path is a line; areas and obstacles are polygons; an obstacle may
    also be round or a box, whose corners follow from `round` or `box`. `clear` is kept free of plants beyond
    the edge; null keeps nothing free."""

    kind: Literal["path", "area", "obstacle"]
    form: Literal["line", "polygon", "circle", "box"]
    name: Name
    points: list[tuple[Number, Number]] = Field(default=[], max_length=2000)
    round: Round | None = None
    box: Box | None = None
    width: Length = 4
    clear: Annotated[Metres, shown(0.5, "m")] | None = 0.5
    locked: bool = False
    hidden: bool = False
    hatch: Literal["slant", "cross", "dots", "upright", "blank"] = "slant"
    group: Annotated[str, Field(max_length=80)] = ""
    trail: Trail | None = None

    @model_validator(mode="after")
    def settle(self) -> Self:
        """Refuse what is no shape of its kind; a circle's and a box's points follow from its measures."""
        if (self.form == "line") != (self.kind == "path"):
            raise Refused("a path is a line, and only a path is")
        if self.form in ("circle", "box") and self.kind != "obstacle":
            raise Refused("only an obstacle is round or a box")
        if self.trail and self.kind != "path":
            raise Refused("only a path can be a trail")
        points: Sequence[tuple[float, float]] = self.points
        if self.form == "circle":
            if self.round is None:
                raise Refused("a round obstacle needs its middle and radius")
            points = circle(**self.round.model_dump())
        elif self.form == "box":
            if self.box is None:
                raise Refused("a box needs its middle, size and heading")
            points = box(**self.box.model_dump())
        self.points = [(round(x, 4), round(z, 4)) for x, z in points]
        self.round = self.round if self.form == "circle" else None
        self.box = self.box if self.form == "box" else None
        return self

    def core(self) -> Shape:
        """The shape as the core measures it.

        Raises: Refused when it is none.
        """
        trail = None
        if self.trail:
            given = self.trail
            trail = CoreTrail(given.reach, given.lean, given.flatten, tuple(given.strata))
        return Shape(self.kind, tuple(self.points), self.width, self.clear, self.name, trail, self.group)
