"""Shapes as the API speaks of them."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import UUID4, Field

from thicket.document.settings import Strict
from thicket.document.shape_settings import ShapeSettings


class ShapeIn(ShapeSettings):
    """A shape to be stored; without `id` it is a new one."""

    id: int | None = None


class ShapeOut(ShapeSettings):
    id: int
    reach: float = Field(description="length of a path or area of an outline, m or m²")


class ShapesIn(Strict):
    """Shapes to put and to remove, as one action with a name for the journal."""

    key: UUID4
    what: Annotated[str, Field(max_length=200)] = ""
    put: list[ShapeIn] = Field(default=[], max_length=2000)
    remove: list[int] = Field(default=[], max_length=2000)


class ShapesTryOut(Schema):
    """Plants that would come and go, by stand."""

    stands: dict[int, tuple[int, int]]
