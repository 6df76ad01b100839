"""Handover downloads."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router

from server.handover import writing
from server.levels.access import level_for

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
