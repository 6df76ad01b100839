"""One level whole, its ground, its plan and its budget marks."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest, HttpResponse
from ninja import Router
from ninja.errors import HttpError
from pydantic import UUID4, Field

from server.journal.commit import commit
from server.levels.access import level_for
from server.levels.models import GroundTile, Level, LevelSummary
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from server.view import actions
from server.view.out import LevelOut, level_out
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Marks, Tiers
from thicket.document.edits import ChangeViews, Edit, SetAtmosphere, SetDrawing, SetMarks, SetWind
from thicket.document.settings import Name
from thicket.document.views import SavedView, WindSettings
from thicket.document.walks import Walks

router = Router(tags=["levels"])
IMMUTABLE = "private, max-age=31536000, immutable"


class MarksIn(KeyIn):
    tier: Name
    marks: Marks


@router.get("/levels/{slug}", response=LevelOut)
def one_level(request: HttpRequest, slug: str):
    """One level."""
    return level_out(level_for(request, slug))


@router.get("/levels/{slug}/ground/{revision}/{kind}/{tx}/{tz}")
def ground_tile(request: HttpRequest, slug: str, revision: int, kind: GroundTile.Kind, tx: int, tz: int):
    """A stored tile of heights (float32) or ground layers (uint8), as it is kept: deflated, little-endian."""
    level = level_for(request, slug)
    tile = level.ground_tiles.filter(kind=kind, tx=tx, tz=tz, revision=revision).first()
    if tile is None:
        raise HttpError(404, f"There is no {kind} tile {tx}, {tz} of revision {revision}.")
    headers = {"Content-Encoding": "deflate", "Cache-Control": IMMUTABLE}
    return HttpResponse(bytes(tile.data), content_type="application/octet-stream", headers=headers)


@router.get("/levels/{slug}/plan/{key}.png")
def plan_picture(request: HttpRequest, slug: str, key: str):
    """The level drawn as a small plan, as its summary has it."""
    picture = (
        LevelSummary.objects.filter(level=level_for(request, slug)).values_list("plan", flat=True).first()
    )
    if picture is None:
        raise HttpError(404, "The plan has not been drawn yet.")
    return HttpResponse(
        bytes(picture), content_type="image/png", headers={"Cache-Control": "private, max-age=86400"}
    )


@router.put("/levels/{slug}/marks", response=ChangedOut)
def set_marks(request: HttpRequest, slug: str, data: MarksIn):
    """Set the budget marks of a tier; leads only."""
    level = level_for(request, slug, to="lead")
    edit = SetMarks(tier=data.tier, put=data.marks.model_dump())
    return _committed(request, level, data.key, edit, f"Budget marks of {data.tier}")


class TiersIn(KeyIn):
    tiers: Annotated[Tiers, Field(min_length=1)]


@router.put("/levels/{slug}/tiers", response=ChangedOut)
def set_tiers(request: HttpRequest, slug: str, data: TiersIn):
    """Set the device tiers, all of them in order; leads only."""
    level, fresh = level_for(request, slug, to="lead"), data.model_dump(mode="json")["tiers"]
    return changed_out(request, level, actions.set_tiers(request.user, level, data.key, fresh))


class DrawingIn(KeyIn):
    drawing: DrawingSettings


@router.put("/levels/{slug}/drawing", response=ChangedOut)
def set_drawing(request: HttpRequest, slug: str, data: DrawingIn):
    """Keep with the level how it is drawn."""
    level = level_for(request, slug, to="plant")
    edit = SetDrawing(put=data.drawing.model_dump(mode="json"))
    return _committed(request, level, data.key, edit, "Drawing settings")


class WalksIn(KeyIn):
    walks: Walks


@router.put("/levels/{slug}/walks", response=ChangedOut)
def set_walks(request: HttpRequest, slug: str, data: WalksIn):
    """Keep walks with the level, all of them in order."""
    level, fresh = level_for(request, slug, to="plant"), data.model_dump(mode="json")["walks"]
    return changed_out(request, level, actions.set_walks(request.user, level, data.key, fresh))


class AtmosphereIn(KeyIn):
    atmosphere: Atmosphere


@router.put("/levels/{slug}/atmosphere", response=ChangedOut)
def set_atmosphere(request: HttpRequest, slug: str, data: AtmosphereIn):
    """Keep sun, sky, fog and water levels with the level."""
    level = level_for(request, slug, to="plant")
    edit = SetAtmosphere(put=data.atmosphere.model_dump(mode="json"))
    return _committed(request, level, data.key, edit, "Atmosphere")


class WindIn(KeyIn):
    wind: WindSettings


@router.put("/levels/{slug}/wind", response=ChangedOut)
def set_wind(request: HttpRequest, slug: str, data: WindIn):
    """Keep the wind with the level."""
    level = level_for(request, slug, to="plant")
    return _committed(request, level, data.key, SetWind(put=data.wind.model_dump(mode="json")), "Wind")


class SaveViewIn(SavedView):
    """A view to be kept with the level; one of that name is replaced."""

    key: UUID4


@router.post("/levels/{slug}/views", response=ChangedOut)
def keep_view(request: HttpRequest, slug: str, data: SaveViewIn):
    """Keep a view with the level."""
    level, name = level_for(request, slug, to="plant"), data.name.strip()
    view = SavedView(**data.model_dump(exclude={"key"}) | {"name": name})
    return _committed(request, level, data.key, ChangeViews(put={name: view}), f"View {name} kept")


@router.delete("/levels/{slug}/views/{name}", response=ChangedOut)
def remove_view(request: HttpRequest, slug: str, name: str, key: UUID4):
    """Remove a kept view."""
    level = level_for(request, slug, to="plant")
    edit = ChangeViews.model_construct(put={name: None})
    return _committed(request, level, key, edit, f"View {name} removed")


def _committed(request: HttpRequest, level: Level, key: UUID4, edit: Edit, what: str) -> dict:
    return changed_out(request, level, commit(request.user, level, key, edit, what))
