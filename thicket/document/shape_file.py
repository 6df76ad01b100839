"""Shapes between files and the core."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, cast

from thicket.document.level import Level
from thicket.document.level_file import ShapeDetails, ShapeFile
from thicket.document.shape_settings import Trail
from thicket.ground.shapes import Shape
from thicket.ground.shapes import Trail as CoreTrail


def shape_file(level: Level, number: int) -> ShapeFile:
    """A shape of a level, by number, as it stands in a file. Raises: KeyError when there is none."""
    shape, details = level.shapes[number], level.details.get("shapes", {})
    return ShapeFile(
        number=number,
        kind=cast(Any, shape.kind),
        name=shape.name,
        points=list(shape.points),
        width=shape.width,
        clear=shape.clear,
        group=shape.group,
        trail=_trail_file(shape.trail),
        details=ShapeDetails.model_validate(details.get(number) or {}),
    )


def _trail_file(trail: CoreTrail | None) -> Trail | None:
    if trail is None:
        return None
    return Trail(
        reach=trail.reach, lean=trail.lean, flatten=trail.flatten, strata=cast(Any, list(trail.strata))
    )


def core_shape(given: ShapeFile) -> Shape:
    """The shape as the core measures it. Raises: Refused when it is none."""
    settings = given.shape_settings()
    if given.details.form not in ("circle", "box"):
        settings.points = given.points
    return replace(settings.core(), width=given.width)
