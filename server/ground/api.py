"""Bringing in ground: drafts, the touch's resolution, and the relief looked at."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.utils.text import slugify
from ninja import File, Form, Query, Router
from ninja.errors import HttpError
from ninja.files import UploadedFile

from server.ground import drafts
from server.ground.models import Draft
from server.ground.relief import relief_field
from server.ground.resolution import change_resolution
from server.ground.schemas import (
    DraftOptions,
    DraftOut,
    KeepIn,
    MadeIn,
    ResolutionIn,
)
from server.levels.access import level_for
from server.levels.models import Level
from server.steps import ChangedOut, changed_out
from server.team.access import check_may_make_level
from thicket.document.settings import shown
from thicket.refused import Refused

router = Router(tags=["ground"])
Radius = Annotated[float, Query(ge=1, le=500, allow_inf_nan=False), shown(5, "m")]
IMMUTABLE = "private, max-age=31536000, immutable"


def _draft(request: HttpRequest, pk: UUID) -> Draft:
    draft = Draft.objects.select_related("level", "user").filter(pk=pk, user=request.user).first()
    if draft is None:
        raise HttpError(404, "That file is no longer waiting; bring it in again.")
    return draft


@router.post("/drafts", response=DraftOut)
def bring_in(
    request: HttpRequest,
    kind: Form[Literal["heights", "layers"]],
    files: File[list[UploadedFile]],
    level: Form[str] = "",
    options: Form[str] = "{}",
):
    """Bring files in to be looked at: heights for a level or for a new one, or ground layers for a level."""
    given = DraftOptions.model_validate_json(options)
    row = level_for(request, level, to="lead") if level else None
    if row is None:
        check_may_make_level(request.user)
    if kind == "layers" and row is None:
        raise Refused("level: ground layers are brought into a level that has its heights")
    if kind == "heights" and len(files) != 1:
        raise Refused("files: heights come from one file")
    return drafts.look(drafts.open_draft(request.user, row, kind, given.model_dump(), files))


@router.post("/drafts/made", response=DraftOut)
def make_ground(request: HttpRequest, data: MadeIn):
    """Have ground made for a new level, to be looked at before it is kept."""
    check_may_make_level(request.user)
    return drafts.look(drafts.open_made(request.user, data.model_dump()))


@router.get("/drafts/{draft}", response=DraftOut)
def look(request: HttpRequest, draft: UUID):
    """How far a draft has come."""
    return drafts.look(_draft(request, draft))


@router.put("/drafts/{draft}", response=DraftOut)
def say(request: HttpRequest, draft: UUID, data: DraftOptions):
    """Say what the files do not, and have them read again."""
    row = _draft(request, draft)
    row.options = data.model_dump()
    row.save(update_fields=["options"])
    drafts.read(row)
    return drafts.look(row)


@router.get("/drafts/{draft}/preview.png")
def preview(request: HttpRequest, draft: UUID, whole: bool = False):
    """The draft's picture; `whole`, of all that a frame is laid over."""
    picture = drafts.preview(_draft(request, draft), whole)
    if picture is None:
        raise HttpError(404, "The picture has not been drawn yet.")
    return HttpResponse(picture, content_type="image/png", headers={"Cache-Control": "no-store"})


@router.post("/drafts/{draft}/stop", response=DraftOut)
def stop(request: HttpRequest, draft: UUID):
    """Stop reading or storing; nothing of it stays."""
    row = _draft(request, draft)
    drafts.stop(row)
    return drafts.look(row)


@router.post("/drafts/{draft}/keep", response=DraftOut)
def keep(request: HttpRequest, draft: UUID, data: KeepIn):
    """Begin to store a draft as its level's ground, or as a new level of a name."""
    row = _draft(request, draft)
    slug = slugify(data.name)[:60]
    if row.level:
        level_for(request, row.level.slug, to="lead")
    elif not slug:
        raise Refused("name: the new level needs a name with letters or digits in it")
    elif Level.objects.filter(slug=slug).exists():
        raise Refused(f"name: there is a level called {slug!r} already")
    drafts.keep(row, data.key, data.name, slug)
    return drafts.look(row)


@router.delete("/drafts/{draft}", response={204: None})
def drop(request: HttpRequest, draft: UUID):
    """Drop a draft."""
    drafts.drop(_draft(request, draft))
    return 204, None


@router.post("/levels/{slug}/resolution", response=ChangedOut)
def set_resolution(request: HttpRequest, slug: str, data: ResolutionIn):
    """Give the touch maps another cell; all painting is resampled, and undo brings it back as it was."""
    level = level_for(request, slug, to="lead")
    return changed_out(request, level, change_resolution(request.user, level, data.key, data.cell), data.view)


@router.get("/levels/{slug}/relief/{revision}/{kind}")
def relief(
    request: HttpRequest,
    slug: str,
    revision: int,
    kind: Literal["shading", "slope", "facing", "hollow", "wetness", "altitude"],
    radius: Radius = 20.0,
):
    """A field of the relief at cell centres: rows and columns uint16, lowest and highest float32, then uint16
    values row by row from 0 for the lowest to 65534 for the highest; 65535 where there is none, as the facing
    of flat ground."""
    level = level_for(request, slug)
    if level.ground_revision != revision:
        raise HttpError(409, "The ground has been replaced: read the level again.")
    values = relief_field(level, kind, radius)
    there = values[values > -1] if kind == "facing" else values
    low, high = (0.0, 360.0) if kind == "facing" else (float(there.min()), float(there.max()))
    steps = np.rint((values - low) * np.float32(65534 / max(high - low, 1e-9))).clip(0, 65534).astype("<u2")
    if kind == "facing":
        steps[values < 0] = 65535
    head = np.array(values.shape, "<u2").tobytes() + np.array([low, high], "<f4").tobytes()
    return HttpResponse(
        head + steps.tobytes(), content_type="application/octet-stream", headers={"Cache-Control": IMMUTABLE}
    )
