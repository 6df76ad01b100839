"""Shapes as the API speaks of them."""

from __future__ import annotations

from shapely.geometry import LineString, Polygon

from server.levels.models import Level
from server.shapes.models import Shape


def shape_out(shape: Shape) -> dict:
    """A shape for the API; `reach` is a path's length in m, of others the area in m²."""
    given = shape.as_dict()
    reach = LineString(given["points"]).length if shape.kind == "path" else Polygon(given["points"]).area
    width = given["width"] or 4  # what it would have as a path
    return {**given, "id": shape.number, "reach": round(reach, 2), "width": width}


def shapes_out(level: Level) -> list[dict]:
    """All shapes of a level for the API."""
    return [shape_out(shape) for shape in level.shapes.all()]
