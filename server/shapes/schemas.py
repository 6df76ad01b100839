"""Shapes as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from server.requests import KeyIn
from thicket.document.shape_settings import ShapeSettings


class ShapeIn(ShapeSettings):
    """A shape to be stored; without `id` it is a new one."""

    id: int | None = None


class ShapeOut(ShapeSettings):
    id: int
    reach: float = Field(description="length of a path or area of an outline, m or m²")


class ShapesIn(KeyIn):
    """Shapes to put and to remove, as one action with a name for the journal; the view whose cost is
    wanted."""

    what: Annotated[str, Field(max_length=200)] = ""
    put: list[ShapeIn] = Field(default=[], max_length=2000)
    remove: list[int] = Field(default=[], max_length=2000)
