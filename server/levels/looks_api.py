"""How ground layers are drawn."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router
from ninja.errors import HttpError
from ninja.files import UploadedFile
from pydantic import UUID4

from server.journal.schemas import EntryOut, entry_out
from server.levels import looks
from server.levels.access import level_for
from thicket.document.settings import Colour, Strict
from thicket.document.views import LayerName

router = Router(tags=["levels"])


class LookIn(Strict):
    """How a ground layer is drawn; what is left out stays. `texture` "none" takes its picture away."""

    key: UUID4
    name: LayerName
    colour: Colour | None = None
    look: Literal["soil", "rock", "turf"] | None = None
    texture: Literal["none"] | None = None


@router.put("/levels/{slug}/layers/look", response=EntryOut)
def set_look(request: HttpRequest, slug: str, data: LookIn):
    """Say how a ground layer is drawn."""
    level = level_for(request, slug, to="plant")
    given = {
        name: value
        for name, value in data.model_dump(include={"colour", "look"}).items()
        if value is not None
    }
    given |= {"texture": ""} if data.texture else {}
    return entry_out(looks.set_look(request.user, level, data.key, data.name, given), request.user)


@router.post("/levels/{slug}/layers/texture", response=EntryOut)
def set_texture(
    request: HttpRequest, slug: str, file: File[UploadedFile], key: Form[UUID4], name: Form[LayerName]
):
    """Draw a ground layer with a picture, which is repeated every few metres."""
    level = level_for(request, slug, to="plant")
    digest = looks.store_texture(level, file.read())
    return entry_out(looks.set_look(request.user, level, key, name, {"texture": digest}), request.user)


@router.get("/levels/{slug}/layers/texture/{digest}.png")
def texture(request: HttpRequest, slug: str, digest: str):
    """A picture that a ground layer is drawn with."""
    data = (
        level_for(request, slug).layer_textures.filter(digest=digest).values_list("data", flat=True).first()
    )
    if data is None:
        raise HttpError(404, f"There is no such picture {digest[:32]!r} in this level.")
    return HttpResponse(
        bytes(data),
        content_type="image/png",
        headers={"Cache-Control": "private, max-age=31536000, immutable"},
    )
