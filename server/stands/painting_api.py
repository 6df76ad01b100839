"""A stand's painting as a picture: written, and brought in."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router
from ninja.files import UploadedFile
from pydantic import UUID4

from server.files import on_disk
from server.levels.access import level_for
from server.stands.access import planting_of, stand_for
from server.stands.painting import put_painting
from server.steps import ChangedOut, changed_out
from thicket.document.settings import shown
from thicket.formats.bounded import bounded
from thicket.formats.painting import read_touch, touch_png
from thicket.limits import TOUCH_SIDE

router = Router(tags=["stands"])
Columns = Annotated[int, Query(ge=1, le=TOUCH_SIDE), shown(64)]


@router.get("/levels/{slug}/stands/{stand}/painting.png")
def painting(request: HttpRequest, slug: str, stand: int, columns: Columns | None = None):
    """A stand's painting as a greyscale PNG of 16 bits, 32768 where nothing is painted, at the touch cells or
    so many columns wide."""
    row = stand_for(level_for(request, slug), stand)
    return HttpResponse(
        touch_png(planting_of(row).touch, columns),
        content_type="image/png",
        headers={"Content-Disposition": f'attachment; filename="painting-{row.slug}.png"'},
    )


@router.post("/levels/{slug}/stands/{stand}/painting", response=ChangedOut)
def bring_painting(
    request: HttpRequest,
    slug: str,
    stand: int,
    key: Form[UUID4],
    file: File[UploadedFile],
    reading: Form[Literal["both", "adds", "takes"]] = "both",
):
    """Take a picture for a stand's whole painting, resampled to the touch cells."""
    level = level_for(request, slug, to="plant")
    row = stand_for(level, stand)
    with on_disk(file) as path:
        touch = bounded(file.name, read_touch, path, file.name, level.touch_shape, reading)
    return changed_out(request, level, put_painting(request.user, row, key, touch, file.name))
