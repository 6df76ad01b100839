"""Placed meshes: listed, changed, tried, and their triangles."""

from __future__ import annotations

import base64
from typing import Annotated

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field

from server.document.planted import planted_of, plantings_of
from server.levels.access import level_for
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from server.surfaces.actions import change_surfaces
from server.surfaces.out import SurfaceIn, SurfaceOut, surfaces_out
from thicket.formats.surfaces import mesh_glb
from thicket.limits import SURFACES
from thicket.refused import Missing

router = Router(tags=["surfaces"])


class SurfacesIn(KeyIn):
    """Meshes to place and to remove, as one action with a name for the journal."""

    what: Annotated[str, Field(max_length=200)] = ""
    put: list[SurfaceIn] = Field(default=[], max_length=SURFACES)
    remove: list[int] = Field(default=[], max_length=SURFACES)


@router.get("/levels/{slug}/surfaces", response=list[SurfaceOut])
def surfaces(request: HttpRequest, slug: str):
    """All placed meshes of a level."""
    return surfaces_out(level_for(request, slug))


@router.post("/levels/{slug}/surfaces", response=ChangedOut)
def change(request: HttpRequest, slug: str, data: SurfacesIn):
    """Place and remove meshes, as one journal entry; their plants go with them."""
    level = level_for(request, slug, to="plant")
    known = planted_of(level).level.surfaces
    names = [p.name for p in data.put] + [known[n].name for n in data.remove if n in known]
    what = data.what or f"Placed meshes: {', '.join(dict.fromkeys(names))}"
    put = [(given.id, given.placed()) for given in data.put]
    done = change_surfaces(request.user, level, data.key, what, put, data.remove)
    return changed_out(request, level, done, data.view)


class PlantsOnOut(Schema):
    """The plants of a stand on a placed mesh."""

    stand: int
    plants: str = Field(description="their ids, uint64 little-endian in base64")


@router.get("/levels/{slug}/surfaces/{number}/plants", response=list[PlantsOnOut])
def plants_on(request: HttpRequest, slug: str, number: int):
    """Which plants stand on a placed mesh, so that they can be shown going along while it is moved. Places
    that carry none now are among them."""
    level = level_for(request, slug)
    if number not in planted_of(level).level.surfaces:
        raise Missing(f"there is no placed mesh {number}")
    out = []
    for pk, planting in plantings_of(level).items():
        ids = [plant for plant, on in planting.surfaces.items() if on == number]
        if ids:
            packed = base64.b64encode(np.array(ids, "<u8").tobytes()).decode()
            out.append({"stand": pk, "plants": packed})
    return out


@router.get("/levels/{slug}/surfaces/{number}/mesh/{mesh}.glb")
def mesh(request: HttpRequest, slug: str, number: int, mesh: str):
    """The triangles of a placed mesh in its own space, as binary glTF; of an item its full mesh with
    materials. It never changes: `mesh` stands for what is drawn."""
    meshes = planted_of(level_for(request, slug)).meshes
    placed = meshes.level.surfaces.get(number)
    if placed is None or meshes.address(placed) != mesh:
        raise Missing(f"there is no placed mesh {number} of this kind; it may have been changed")
    item = meshes.level.stock.get(placed.item)
    data = item.file() if item else mesh_glb(meshes.mesh(placed), placed.name)
    response = HttpResponse(data, content_type="model/gltf-binary")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
