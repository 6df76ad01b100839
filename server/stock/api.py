"""Stock items and their files."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router
from ninja.errors import HttpError

from server.levels.access import level_for

router = Router(tags=["stock"])
IMMUTABLE = "private, max-age=31536000, immutable"


def _item(request: HttpRequest, slug: str, item: str, revision: int):
    row = level_for(request, slug).stock.filter(slug=item, revision=revision).first()
    if row is None:
        raise HttpError(404, f"There is no stock item {item!r} of revision {revision} in this level.")
    return row


@router.get("/levels/{slug}/stock/{item}/{revision}.glb")
def mesh(request: HttpRequest, slug: str, item: str, revision: int):
    """The item's meshes as binary glTF: nodes lod0 … and billboard."""
    row = _item(request, slug, item, revision)
    return HttpResponse(bytes(row.glb), content_type="model/gltf-binary", headers={"Cache-Control": IMMUTABLE})


@router.get("/levels/{slug}/stock/{item}/{revision}.png")
def silhouette(request: HttpRequest, slug: str, item: str, revision: int):
    """The item from the side, PNG."""
    row = _item(request, slug, item, revision)
    return HttpResponse(bytes(row.silhouette), content_type="image/png", headers={"Cache-Control": IMMUTABLE})
