"""Shapes: listed, changed, tried, and as GeoJSON."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import UUID4

from server.levels.access import level_for
from server.shapes.actions import change_shapes
from server.shapes.out import shapes_out
from server.shapes.schemas import ShapeIn, ShapeOut, ShapesIn
from server.steps import ChangedOut, changed_out
from thicket.formats.geojson import read_shapes, shapes_geojson
from thicket.refused import Refused

router = Router(tags=["shapes"])
MOST_BYTES = 8 << 20


def _put(data: ShapesIn) -> list[dict]:
    return [{**shape.model_dump(mode="json")} for shape in data.put]


@router.get("/levels/{slug}/shapes", response=list[ShapeOut])
def shapes(request: HttpRequest, slug: str):
    """All shapes of a level."""
    return shapes_out(level_for(request, slug))


@router.post("/levels/{slug}/shapes", response=ChangedOut)
def change(request: HttpRequest, slug: str, data: ShapesIn):
    """Put and remove shapes, as one journal entry; the plants follow at once."""
    level = level_for(request, slug, to="plant")
    names = ", ".join(
        dict.fromkeys(
            [s.name for s in data.put] + [s.name for s in level.shapes.filter(number__in=data.remove)]
        )
    )
    done = change_shapes(
        request.user, level, data.key, data.what or f"Shapes: {names}", _put(data), data.remove
    )
    return changed_out(request, level, done, data.view)


@router.get("/levels/{slug}/shapes.geojson")
def geojson(request: HttpRequest, slug: str):
    """All shapes as GeoJSON in level metres."""
    level = level_for(request, slug)
    body = shapes_geojson(
        [shape.as_dict() for shape in level.shapes.all()], level.name, level.width, level.length
    )
    headers = {"Content-Disposition": f'attachment; filename="{level.slug}-shapes.geojson"'}
    return HttpResponse(body, content_type="application/geo+json", headers=headers)


@router.post("/levels/{slug}/shapes.geojson", response=ChangedOut)
def bring_in(
    request: HttpRequest, slug: str, key: UUID4, name: str = "shapes.geojson", instead: bool = False
):
    """Shapes from a GeoJSON file (the body), added to the level's, or put in place of those that are not
    locked."""
    level = level_for(request, slug, to="plant")
    body = request.read(MOST_BYTES + 1)
    if len(body) > MOST_BYTES:
        raise Refused(f"{name}: it is larger than {MOST_BYTES >> 20} MB")
    found = read_shapes(body, name, level.width, level.length)
    put = [
        ShapeIn.model_validate(
            {**shape, "name": shape["name"] or f"{shape['kind']} {k}", "hatch": shape["hatch"] or "slant"}
        ).model_dump(mode="json")
        for k, shape in enumerate(found, start=1)
    ]
    remove = list(level.shapes.filter(locked=False).values_list("number", flat=True)) if instead else []
    done = change_shapes(request.user, level, key, f"{len(put)} shapes from {name}", put, remove)
    return changed_out(request, level, done)
