"""The recipes that levels are handed over by, and the bake that makes their plants beforehand."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.journal.commit import commit
from server.levels.access import level_for
from server.requests import KeyIn
from server.stands import baking
from server.steps import ChangedOut, changed_out
from thicket.document.edits import ChangeRecipes
from thicket.document.recipes import RECIPES
from thicket.document.settings import Name
from thicket.formats.recipe import Recipe

router = Router(tags=["handover"])


class RecipesIn(KeyIn):
    """Recipes to be kept by their names, and None for those to be removed."""

    put: Annotated[dict[Name, Recipe | None], Field(min_length=1, max_length=RECIPES)]


@router.patch("/levels/{slug}/recipes", response=ChangedOut)
def change_recipes(request: HttpRequest, slug: str, data: RecipesIn):
    """Keep recipes for handovers with the level, or remove some."""
    level = level_for(request, slug, to="plant")
    done = commit(request.user, level, data.key, ChangeRecipes(put=data.put), "Recipes")
    return changed_out(request, level, done)


class BakeOut(Schema):
    """A bake of all single plants: sheets in all and those that lie ready under their present key; what it is
    at; why the last one failed."""

    running: bool
    total: int
    done: int
    step: str
    trouble: str


@router.get("/levels/{slug}/bake", response=BakeOut)
def bake_state(request: HttpRequest, slug: str):
    """How far the level's bake is."""
    return baking.state(level_for(request, slug))


@router.post("/levels/{slug}/bake", response=BakeOut)
def bake(request: HttpRequest, slug: str):
    """Begin to bake the level, or go on where it was stopped."""
    level = level_for(request, slug, to="plant")
    baking.start(level, request.user)
    return baking.state(level)


@router.post("/levels/{slug}/bake/stop", response=BakeOut)
def stop_bake(request: HttpRequest, slug: str):
    """Stop the bake; what is done stays."""
    level = level_for(request, slug, to="plant")
    baking.stop(level)
    return baking.state(level)
