"""Recipes for handovers that are kept with a level."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from thicket.document.settings import Name
from thicket.formats.recipe import Recipe

RECIPES = 20
"""A level keeps so many recipes at the most."""
Recipes = Annotated[dict[Name, Recipe], Field(max_length=RECIPES)]
"""A level's recipes by name, in order."""
