"""How ground layers are drawn."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router
from ninja.errors import HttpError
from ninja.files import UploadedFile
from pydantic import UUID4

from server.journal.commit import commit
from server.levels import looks
from server.levels.access import level_for
from server.levels.models import Level
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from thicket.document.edits import ChangeLayerLooks
from thicket.document.settings import Colour
from thicket.document.views import LayerAppearance, LayerName

router = Router(tags=["levels"])


class LookIn(KeyIn):
    """How a ground layer is drawn; what is left out stays. `texture` "none" takes its picture away."""

    name: LayerName
    colour: Colour | None = None
    look: Literal["soil", "rock", "turf"] | None = None
    texture: Literal["none"] | None = None


@router.put("/levels/{slug}/layers/look", response=ChangedOut)
def set_look(request: HttpRequest, slug: str, data: LookIn):
    """Say how a ground layer is drawn."""
    level = level_for(request, slug, to="plant")
    given = {
        name: value
        for name, value in data.model_dump(include={"colour", "look"}).items()
        if value is not None
    }
    given |= {"texture": ""} if data.texture else {}
    return _looking(request, level, data.key, data.name, given)


@router.post("/levels/{slug}/layers/texture", response=ChangedOut)
def set_texture(
    request: HttpRequest, slug: str, file: File[UploadedFile], key: Form[UUID4], name: Form[LayerName]
):
    """Draw a ground layer with a picture, which is repeated every few metres."""
    level = level_for(request, slug, to="plant")
    digest, picture = looks.texture_of(file.read())
    return _looking(request, level, key, name, {"texture": digest}, {digest: picture})


def _looking(
    request: HttpRequest, level: Level, key: UUID4, name: str, given: dict, textures: Mapping[str, bytes] = {}
) -> dict:
    """Say something of how a layer is drawn; the rest of it stays."""
    chosen = looks.layers_chosen(level)
    if name not in chosen:
        raise HttpError(404, f"name: {level.name} has no ground layer {name[:60]!r}.")
    look = LayerAppearance(name=name, **chosen[name] | given)
    edit = ChangeLayerLooks(put={name: look}, textures=dict(textures))
    return changed_out(request, level, commit(request.user, level, key, edit, f"{name}: how it is drawn"))


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
