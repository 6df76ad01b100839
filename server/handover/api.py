"""Handover downloads, and the bake that makes their plants beforehand."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from server.handover import writing
from server.levels.access import level_for
from server.stands import baking

router = Router(tags=["handover"])


def _file(data: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(data, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/levels/{slug}/handover/plants.csv")
def csv(request: HttpRequest, slug: str):
    """Individual plants as CSV."""
    return _file(writing.plants_csv(level_for(request, slug)), "text/csv; charset=utf-8", "plants.csv")


@router.get("/levels/{slug}/handover/level.json")
def level_json(request: HttpRequest, slug: str):
    """Stands, items and distances as JSON."""
    return _file(writing.level_json(level_for(request, slug)), "application/json", "level.json")


@router.get("/levels/{slug}/handover/level.glb")
def glb(request: HttpRequest, slug: str):
    """Individual plants with their meshes as binary glTF."""
    return _file(writing.plants_glb(level_for(request, slug)), "model/gltf-binary", "level.glb")


class BakeOut(Schema):
    """A bake of all single plants: sheets in all and those that lie ready under their present key; what it is at."""

    running: bool
    total: int
    done: int
    step: str


@router.get("/levels/{slug}/bake", response=BakeOut)
def bake_state(request: HttpRequest, slug: str):
    """How far the level's bake is."""
    return baking.state(level_for(request, slug))


@router.post("/levels/{slug}/bake", response=BakeOut)
def bake(request: HttpRequest, slug: str):
    """Begin to bake the level, or go on where it was stopped."""
    level = level_for(request, slug, to="plant")
    baking.start(level)
    return baking.state(level)


@router.post("/levels/{slug}/bake/stop", response=BakeOut)
def stop_bake(request: HttpRequest, slug: str):
    """Stop the bake; what is done stays."""
    level = level_for(request, slug, to="plant")
    baking.stop(level)
    return baking.state(level)
