"""The shelf, what a level uses of it, and the items' files and pictures."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.db.models import F, Q
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from server.cache import CACHE
from server.levels.access import level_for
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from server.stock import shelf, versions
from server.stock.models import ShelfItem, ShelfVersion, StockItem
from thicket.document.item_settings import AnchorSettings, TraitSettings
from thicket.formats.stock import from_glb, to_glb
from thicket.hashing import hash_of
from thicket.stock.billboards import MADE
from thicket.stock.findings import mended

BillboardKind = Literal["facing", "crossed", "three crossed"]
router = Router(tags=["stock"])
IMMUTABLE = "private, max-age=31536000, immutable"
PAGE = 24
Group = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[^\x00-\x1f]*\S[^\x00-\x1f]*$")]
"""What an item is filed under: one's own words."""
Word = Annotated[str, Field(min_length=1, max_length=60)]


class StateOut(Schema):
    """One state of an item: a LOD, or the billboard. `covered`, m² seen from the side; `overdraw`, how many
    times over its see-through cards cover that."""

    name: str
    triangles: int
    materials: int
    bytes: int
    covered: float = 0
    overdraw: float = 0


class FindingOut(Schema):
    """What is wrong or dear about an item, and the name of what mends it; empty when nothing here does."""

    text: str
    mend: str = ""


class ShelfOut(Schema):
    """An item on the shelf. Lengths in m; `scale`, pixels of its picture to a metre."""

    slug: str
    name: str
    group: str
    tags: list[str]
    height: float
    crown: float
    trunk: float
    states: list[StateOut]
    texture_bytes: int
    distances: dict
    findings: list[FindingOut]
    traits: TraitSettings
    anchors: list[AnchorSettings]
    note: str
    revision: int
    by: str | None
    at: datetime
    picture: str
    scale: float
    glb: str


class ShelfPage(Schema):
    """Items of the shelf, how many there are in all, and all tags and groups that are in use."""

    items: list[ShelfOut]
    total: int
    tags: list[str]
    groups: list[str]


def shelf_out(item: ShelfItem) -> dict:
    base = f"/api/shelf/{item.slug}/{item.revision}"
    same = (
        "slug",
        "name",
        "group",
        "tags",
        "height",
        "crown",
        "trunk",
        "states",
        "texture_bytes",
        "distances",
        "findings",
        "traits",
        "anchors",
        "note",
        "revision",
        "at",
        "scale",
    )
    return {
        **{name: getattr(item, name) for name in same},
        "by": item.by.get_username() if item.by else None,
        "picture": f"{base}.png",
        "glb": f"{base}.glb",
    }


@router.get("/shelf", response=ShelfPage)
def on_the_shelf(
    request: HttpRequest,
    search: Annotated[str, Query(max_length=60)] = "",
    group: Group | None = None,
    tag: Annotated[str, Query(max_length=60)] = "",
    sort: Literal["name", "height", "cost"] = "name",
    page: Annotated[int, Query(ge=0, le=1000)] = 0,
):
    """A page of the shelf: items whose name or tags have the words in them, of a group, with a tag; by name,
    or the tallest or dearest first."""
    rows = ShelfItem.objects.filter(gone=False).defer("silhouette", "picture").select_related("by")
    for word in search.split():
        rows = rows.filter(Q(name__icontains=word) | Q(tags__icontains=word))
    if group:
        rows = rows.filter(group=group)
    if tag:
        rows = rows.filter(tags__contains=tag)
    order = {"name": "name", "height": F("height").desc(), "cost": F("states__0__triangles").desc()}[sort]
    shown = rows.order_by(order, "name")[page * PAGE : (page + 1) * PAGE]
    tagged = ShelfItem.objects.filter(gone=False).order_by().values_list("tags", flat=True).distinct()
    tags = {t for those in tagged for t in those}
    groups = ShelfItem.objects.filter(gone=False).order_by("group").values_list("group", flat=True).distinct()
    return {
        "items": [shelf_out(item) for item in shown],
        "total": rows.count(),
        "tags": sorted(tags),
        "groups": list(groups),
    }


def _shelf_file(item: str, revision: int, field: str, kind: str) -> HttpResponse:
    data = (
        ShelfItem.objects.filter(slug=item, revision=revision).values_list(field, flat=True).first()
        or ShelfVersion.objects.filter(item__slug=item, revision=revision)
        .values_list(field, flat=True)
        .first()
    )
    if data is None:
        raise HttpError(404, f"There is no stock item {item[:60]!r} of revision {revision} on the shelf.")
    return HttpResponse(bytes(data), content_type=kind, headers={"Cache-Control": IMMUTABLE})


@router.get("/shelf/{item}/{revision}.png")
def shelf_picture(request: HttpRequest, item: str, revision: int):
    """The item's picture, PNG."""
    return _shelf_file(item, revision, "picture", "image/png")


@router.get("/shelf/{item}/{revision}.glb")
def shelf_mesh(request: HttpRequest, item: str, revision: int):
    """The item's file: nodes lod0 … and billboard."""
    return _shelf_file(item, revision, "mesh__data", "model/gltf-binary")


class TakeIn(KeyIn):
    """Items of the shelf, by slug."""

    items: list[Word] = Field(min_length=1, max_length=100)


class LeaveIn(KeyIn):
    item: Word


@router.post("/levels/{slug}/stock/take", response=ChangedOut)
def take(request: HttpRequest, slug: str, data: TakeIn):
    """Take items from the shelf into the level."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, shelf.take(request.user, level, data.key, data.items))


@router.post("/levels/{slug}/stock/leave", response=ChangedOut)
def leave(request: HttpRequest, slug: str, data: LeaveIn):
    """Leave an item out of the level that nothing is planted of."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, shelf.leave(request.user, level, data.key, data.item))


class HoldIn(KeyIn):
    item: Word
    held: bool


@router.post("/levels/{slug}/stock/hold", response=ChangedOut)
def hold(request: HttpRequest, slug: str, data: HoldIn):
    """Hold the level at the version of an item that it has, or let it follow the shelf; leads only."""
    level = level_for(request, slug, to="lead")
    return changed_out(request, level, versions.hold(request.user, level, data.key, data.item, data.held))


def _item(request: HttpRequest, slug: str, item: str, revision: int) -> StockItem:
    row = level_for(request, slug).stock.filter(slug=item, revision=revision).first()
    if row is None:
        raise HttpError(404, f"There is no stock item {item!r} of revision {revision} in this level.")
    return row


@router.get("/levels/{slug}/stock/{item}/{revision}.glb")
def mesh(request: HttpRequest, slug: str, item: str, revision: int):
    """The item's meshes as binary glTF: nodes lod0 … and billboard."""
    row = _item(request, slug, item, revision)
    return HttpResponse(row.glb, content_type="model/gltf-binary", headers={"Cache-Control": IMMUTABLE})


@router.get("/levels/{slug}/stock/{item}/{revision}/billboard/{kind}.glb")
def mesh_with_billboard(request: HttpRequest, slug: str, item: str, revision: int, kind: BillboardKind):
    """The item's meshes as they would be with another kind of billboard made from them, as binary glTF."""
    glb = _item(request, slug, item, revision).glb
    key = "with billboard", hash_of(glb).hex(), kind
    made = CACHE.get(key, lambda: to_glb(mended(from_glb(item, glb), MADE + kind)))
    return HttpResponse(made, content_type="model/gltf-binary", headers={"Cache-Control": IMMUTABLE})


@router.get("/levels/{slug}/stock/{item}/{revision}.png")
def silhouette(request: HttpRequest, slug: str, item: str, revision: int):
    """The item from the side, PNG."""
    row = _item(request, slug, item, revision)
    return HttpResponse(bytes(row.silhouette), content_type="image/png", headers={"Cache-Control": IMMUTABLE})
