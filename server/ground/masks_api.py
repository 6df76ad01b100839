"""Mask images: brought in, made here, named, looked at and removed."""

from __future__ import annotations

import base64
from typing import Annotated

import numpy as np
from django.http import HttpRequest
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import UUID4, Field

from server.document.planted import planted_of
from server.files import on_disk
from server.ground.masks import keep_mask, make_mask, rename_mask
from server.ground.out import MaskOut, masks_out
from server.levels.access import level_for
from server.requests import KeyIn
from server.stands.payload import encode_raster
from server.steps import ChangedOut, changed_out
from thicket.document.level_file import MaskName
from thicket.document.mask_sources import MaskSource
from thicket.document.settings import Colour, Strict, shown
from thicket.formats.bounded import bounded
from thicket.formats.colours_in import read_colour_mask
from thicket.formats.layers_in import read_mask
from thicket.planted.masks import made_mask
from thicket.refused import Missing

router = Router(tags=["ground"])


class MakeMaskIn(KeyIn):
    """A mask image to be made under a name, in place of one that has it."""

    name: MaskName
    source: MaskSource


class RenameMaskIn(KeyIn):
    to: MaskName


class MaskLookIn(Strict):
    """A mask image of the level, or one that is not made yet, to be looked at."""

    name: MaskName | None = None
    source: MaskSource | None = None


Colours = Annotated[list[Colour], Form(min_length=1, max_length=16, description="picked on the picture")]
Tolerance = Annotated[
    float,
    Query(ge=0, le=1, allow_inf_nan=False, description="how far from the colours is still white"),
    shown(0.01, "%"),
]
Soft = Annotated[
    float, Query(ge=0, le=1, allow_inf_nan=False, description="how wide the edge is"), shown(0.01, "%")
]


class RasterOut(Schema):
    raster: str = Field(description="as `server.stands.payload.encode_raster` lays it out, in base64")


@router.get("/levels/{slug}/masks", response=list[MaskOut])
def masks(request: HttpRequest, slug: str):
    """The level's mask images."""
    return masks_out(level_for(request, slug))


@router.post("/levels/{slug}/masks", response=ChangedOut)
def put_mask(request: HttpRequest, slug: str, key: Form[UUID4], name: Form[str], file: File[UploadedFile]):
    """Bring in a greyscale picture as a mask image, in place of one of the same name."""
    level = level_for(request, slug, to="plant")
    with on_disk(file) as path:
        picture = bounded(file.name, read_mask, path, file.name)
    return changed_out(request, level, keep_mask(request.user, level, key, name, picture))


@router.post("/levels/{slug}/made-masks", response=ChangedOut)
def put_made_mask(request: HttpRequest, slug: str, data: MakeMaskIn):
    """Make a mask image from the level, in place of one of the same name."""
    level = level_for(request, slug, to="plant")
    return changed_out(
        request, level, make_mask(request.user, level, data.key, data.name, data.source), data.view
    )


@router.post("/levels/{slug}/mask-look", response=RasterOut)
def look(request: HttpRequest, slug: str, data: MaskLookIn):
    """What a mask image is like; nothing is kept."""
    planted = planted_of(level_for(request, slug))
    if data.source:
        mask = made_mask(planted, data.source)
    elif data.name and data.name in planted.level.masks:
        mask = planted.level.masks[data.name]
    else:
        raise Missing("name: the level has no such mask image; somebody may have removed or renamed it")
    full = float(2 ** (8 * mask.values.itemsize) - 1)
    return {"raster": base64.b64encode(encode_raster(mask.values / full))}


@router.post("/levels/{slug}/masks/{name}/rename", response=ChangedOut)
def rename(request: HttpRequest, slug: str, name: str, data: RenameMaskIn):
    """Give a mask image another name, also in the conditions that look at it."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, rename_mask(request.user, level, data.key, name, data.to), data.view)


@router.delete("/levels/{slug}/masks/{name}", response=ChangedOut)
def remove_mask(request: HttpRequest, slug: str, name: str, key: UUID4):
    """Remove a mask image."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, keep_mask(request.user, level, key, name, None))


def _colours(file: UploadedFile, colours: list[str], tolerance: float, soft: float) -> np.ndarray:
    with on_disk(file) as path:
        return bounded(file.name, read_colour_mask, path, file.name, colours, tolerance, soft)


@router.post("/levels/{slug}/colour-masks", response=ChangedOut)
def colour_mask(
    request: HttpRequest,
    slug: str,
    key: Form[UUID4],
    name: Form[str],
    colours: Colours,
    file: File[UploadedFile],
    tolerance: Tolerance = 0.05,
    soft: Soft = 0.03,
):
    """Make a mask image of what a colour picture of the level has in some colours."""
    level = level_for(request, slug, to="plant")
    values = _colours(file, colours, tolerance, soft)
    return changed_out(request, level, keep_mask(request.user, level, key, name, values))


@router.post("/levels/{slug}/colour-masks/look", response=RasterOut)
def look_at_colours(
    request: HttpRequest,
    slug: str,
    colours: Colours,
    file: File[UploadedFile],
    tolerance: Tolerance = 0.05,
    soft: Soft = 0.03,
):
    """What such a mask would be like; nothing is kept."""
    level_for(request, slug, to="plant")
    return {"raster": base64.b64encode(encode_raster(_colours(file, colours, tolerance, soft) / 65535))}
