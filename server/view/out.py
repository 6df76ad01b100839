"""Levels as the API speaks of them."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

from server.levels.ground import tile_revisions
from server.levels.looks import layers_shown
from server.levels.models import Level
from server.sight.costing import item_of
from server.stock.models import ShelfItem
from server.view.wind import wind_of
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Tiers
from thicket.document.plots import Plots
from thicket.document.recipes import Recipes
from thicket.document.views import WindSettings
from thicket.document.walks import Walks
from thicket.planting.points import PACKING
from thicket.stock.traits import Traits


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
    ground_tiles: dict[Literal["heights", "layers"], list[int]] = Field(
        description="revisions of the tiles, row by row"
    )
    layers_revision: int
    touch_cell: float
    layers: list[Layer]
    bookmarks: list[Bookmark]
    atmosphere: Atmosphere
    drawing: DrawingSettings
    tiers: Tiers
    walks: Walks
    recipes: Recipes
    plots: Plots
    wind: WindSettings
    packing: float = Field(description="plants on a square of one spacing's side when the ground is full")
    stock: list[ItemOut]


def level_out(level: Level) -> dict:
    """A level for the API, as `level_for` has found it."""
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
        "recipes",
        "plots",
    )
    rows = list(level.stock.defer("silhouette"))
    shelf = ShelfItem.objects.filter(gone=False, slug__in=[row.slug for row in rows])
    filed = {slug: (group, tags) for slug, group, tags in shelf.values_list("slug", "group", "tags")}
    stock = [_item(level, row, filed) for row in rows]
    return {
        **{name: getattr(level, name) for name in same},
        "ground_tiles": tile_revisions(level),
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
