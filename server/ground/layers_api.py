"""Ground layers added, renamed and removed."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router

from server.ground.layers import add, remove, rename
from server.levels.access import level_for
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from thicket.document.views import LayerName

router = Router(tags=["ground"])


class LayerIn(KeyIn):
    name: LayerName


class LayerRenamedIn(LayerIn):
    to: LayerName


@router.post("/levels/{slug}/layers/add", response=ChangedOut)
def add_layer(request: HttpRequest, slug: str, data: LayerIn):
    """Add a ground layer, which lies nowhere until it is painted."""
    level = level_for(request, slug, to="lead")
    return changed_out(request, level, add(request.user, level, data.name, data.key), data.view)


@router.post("/levels/{slug}/layers/rename", response=ChangedOut)
def rename_layer(request: HttpRequest, slug: str, data: LayerRenamedIn):
    """Give a ground layer another name, also in the conditions that look at it."""
    level = level_for(request, slug, to="lead")
    return changed_out(request, level, rename(request.user, level, data.name, data.to, data.key), data.view)


@router.post("/levels/{slug}/layers/remove", response=ChangedOut)
def remove_layer(request: HttpRequest, slug: str, data: LayerIn):
    """Remove a ground layer; the others take its place."""
    level = level_for(request, slug, to="lead")
    return changed_out(request, level, remove(request.user, level, data.name, data.key), data.view)
