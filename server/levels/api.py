"""One level whole, its ground, its plan and its budget marks."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from ninja.errors import HttpError
from pydantic import UUID4, Field

from server.journal.commit import commit
from server.journal.schemas import EntryOut, entry_out
from server.levels import actions
from server.levels.access import level_for
from server.levels.looks import layers_shown
from server.levels.models import GroundTile, Level, LevelSummary
from server.levels.schemas import wind_of
from server.sight.reckoning import item_of
from server.stock.models import ShelfItem
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Marks, Tiers
from thicket.document.edits import ChangeViews, Edit, SetAtmosphere, SetDrawing, SetMarks, SetWind
from thicket.document.plots import Plots
from thicket.document.settings import Name, Strict
from thicket.document.views import KeptView, WindSettings
from thicket.document.walks import Walks
from thicket.planting.points import PACKING
from thicket.stock.traits import Traits

router = Router(tags=["levels"])
IMMUTABLE = "private, max-age=31536000, immutable"


class Layer(Schema):
    """A ground layer and how it is drawn: `texture`, the address of a picture, or empty."""

    name: str
    colour: str
    look: Literal["soil", "rock", "turf"]
    texture: str


class Bookmark(Schema):
    name: str
    x: float
    y: float
    z: float
    heading: float
    pitch: float
    fov: float
    picture: str = Field(
        default="",
        description="what it shows, small, as the address of a JPEG; empty when nobody has kept it",
    )


class MeshOut(Schema):
    """A state of an item; `alpha_area`, the m² of its see-through cards, seen from the side."""

    alpha_area: float
    triangles: int
    materials: int
    bytes: int


class ItemOut(Schema):
    """A stock item: files, footprint radii and height in m, and its states' meshes."""

    slug: str
    name: str
    height: float
    crown: float
    trunk: float
    bound: float
    glb: str
    silhouette: str
    lods: list[MeshOut]
    billboard: MeshOut | None
    anchors: list[str] = Field(description="names of the anchor points that companions may stand on")
    traits: dict = Field(description="see thicket.stock.traits.Traits")
    distances: dict = Field(description="see thicket.stock.making.distances_of")
    group: str = Field(description="what the shelf files it under; empty where that has it no more")
    tags: list[str]
    revision: int
    held: bool = Field(description="whether the level holds this version when the shelf's item is replaced")


class LevelOut(Schema):
    """All of a level but its stands and its rasters."""

    slug: str
    name: str
    role: Literal["lead", "artist", "viewer"]
    cell: float
    rows: int
    columns: int
    low: float
    high: float
    ground_revision: int
    layers_revision: int
    touch_cell: float
    layers: list[Layer]
    bookmarks: list[Bookmark]
    atmosphere: Atmosphere
    drawing: DrawingSettings
    tiers: Tiers
    walks: Walks
    plots: Plots
    wind: WindSettings
    packing: float = Field(description="plants on a square of one spacing's side when the ground is full")
    stock: list[ItemOut]


class MarksIn(Strict):
    key: UUID4
    tier: Name
    marks: Marks


@router.get("/levels/{slug}", response=LevelOut)
def one_level(request: HttpRequest, slug: str):
    """One level."""
    level = level_for(request, slug)
    same = (
        "slug",
        "name",
        "role",
        "cell",
        "rows",
        "columns",
        "low",
        "high",
        "ground_revision",
        "layers_revision",
        "touch_cell",
        "bookmarks",
        "atmosphere",
        "drawing",
        "tiers",
        "walks",
        "plots",
    )
    rows = list(level.stock.defer("glb", "silhouette"))
    shelf = ShelfItem.objects.filter(gone=False, slug__in=[row.slug for row in rows])
    filed = {slug: (group, tags) for slug, group, tags in shelf.values_list("slug", "group", "tags")}
    stock = [_item(level, row, filed) for row in rows]
    return {
        **{name: getattr(level, name) for name in same},
        "packing": PACKING,
        "stock": stock,
        "layers": layers_shown(level),
        "wind": wind_of(level),
    }


def _item(level: Level, row, filed: dict[str, tuple[str, list[str]]]) -> dict:
    item = item_of(row)
    base = f"/api/levels/{level.slug}/stock/{row.slug}/{row.revision}"
    return {
        "slug": row.slug,
        "name": row.name,
        "height": row.height,
        "crown": row.crown,
        "trunk": row.trunk,
        "bound": item.bound,
        "glb": f"{base}.glb",
        "silhouette": f"{base}.png",
        "lods": item.lods,
        "anchors": [a["name"] for a in row.anchors],
        "billboard": item.billboard,
        "traits": Traits(**row.traits).as_dict(),
        "distances": row.distances,
        "group": filed.get(row.slug, ("", []))[0],
        "tags": filed.get(row.slug, ("", []))[1],
        "revision": row.revision,
        "held": row.held,
    }


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


@router.put("/levels/{slug}/marks", response=EntryOut)
def set_marks(request: HttpRequest, slug: str, data: MarksIn):
    """Set the budget marks of a tier; leads only."""
    level = level_for(request, slug, to="lead")
    edit = SetMarks(tier=data.tier, put=data.marks.model_dump())
    return _committed(request, level, data.key, edit, f"Budget marks of {data.tier}")


class TiersIn(Strict):
    key: UUID4
    tiers: Annotated[Tiers, Field(min_length=1)]


@router.put("/levels/{slug}/tiers", response=EntryOut)
def set_tiers(request: HttpRequest, slug: str, data: TiersIn):
    """Set the device tiers, all of them in order; leads only."""
    level, fresh = level_for(request, slug, to="lead"), data.model_dump(mode="json")["tiers"]
    return entry_out(actions.set_tiers(request.user, level, data.key, fresh), request.user)


class DrawingIn(Strict):
    key: UUID4
    drawing: DrawingSettings


@router.put("/levels/{slug}/drawing", response=EntryOut)
def set_drawing(request: HttpRequest, slug: str, data: DrawingIn):
    """Keep with the level how it is drawn."""
    level = level_for(request, slug, to="plant")
    edit = SetDrawing(put=data.drawing.model_dump(mode="json"))
    return _committed(request, level, data.key, edit, "Drawing settings")


class WalksIn(Strict):
    key: UUID4
    walks: Walks


@router.put("/levels/{slug}/walks", response=EntryOut)
def set_walks(request: HttpRequest, slug: str, data: WalksIn):
    """Keep walks with the level, all of them in order."""
    level, fresh = level_for(request, slug, to="plant"), data.model_dump(mode="json")["walks"]
    return entry_out(actions.set_walks(request.user, level, data.key, fresh), request.user)


class AtmosphereIn(Strict):
    key: UUID4
    atmosphere: Atmosphere


@router.put("/levels/{slug}/atmosphere", response=EntryOut)
def set_atmosphere(request: HttpRequest, slug: str, data: AtmosphereIn):
    """Keep sun, sky, fog and water levels with the level."""
    level = level_for(request, slug, to="plant")
    edit = SetAtmosphere(put=data.atmosphere.model_dump(mode="json"))
    return _committed(request, level, data.key, edit, "Atmosphere")


class WindIn(Strict):
    key: UUID4
    wind: WindSettings


@router.put("/levels/{slug}/wind", response=EntryOut)
def set_wind(request: HttpRequest, slug: str, data: WindIn):
    """Keep the wind with the level."""
    level = level_for(request, slug, to="plant")
    return _committed(request, level, data.key, SetWind(put=data.wind.model_dump(mode="json")), "Wind")


class ViewKept(KeptView):
    """A view to be kept with the level; one of that name is replaced."""

    key: UUID4


@router.post("/levels/{slug}/views", response=list[Bookmark])
def keep_view(request: HttpRequest, slug: str, data: ViewKept):
    """Keep a view with the level."""
    level, name = level_for(request, slug, to="plant"), data.name.strip()
    view = KeptView(**data.model_dump(exclude={"key"}) | {"name": name})
    commit(request.user, level, data.key, ChangeViews(put={name: view}), f"View {name} kept")
    return Level.objects.get(pk=level.pk).bookmarks


@router.delete("/levels/{slug}/views/{name}", response=list[Bookmark])
def remove_view(request: HttpRequest, slug: str, name: str, key: UUID4):
    """Remove a kept view."""
    level = level_for(request, slug, to="plant")
    commit(request.user, level, key, ChangeViews.model_construct(put={name: None}), f"View {name} removed")
    return Level.objects.get(pk=level.pk).bookmarks


def _committed(request: HttpRequest, level: Level, key: UUID4, edit: Edit, what: str) -> dict:
    return entry_out(commit(request.user, level, key, edit, what), request.user)
