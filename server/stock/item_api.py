"""One item of the shelf: edited, mended, given another source, taken off; where it is used."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field, model_validator

from server.levels.access import check_may_change, check_may_make, may_change
from server.stock import bringing, versions
from server.stock.api import Group, ShelfOut, Word, shelf_out
from server.stock.bring_api import BatchOut, MendIn, batch_out
from server.stock.models import ShelfItem
from server.stock.shelf import put_on_shelf, slug_for
from thicket.document.item_settings import Anchors, TraitSettings
from thicket.document.settings import Colour, Id, Name, Strict, shown
from thicket.formats.stock import read_materials
from thicket.refused import Refused
from thicket.stock.making import made
from thicket.stock.stand_ins import stand_in
from thicket.stock.traits import Edit, Traits

router = Router(tags=["stock"])
SLENDER = 40
"""Shapes beyond this are drawn on pictures too large to measure while somebody waits."""
Length = Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=200), shown(0.1, "m")]


class UseOut(Schema):
    """A level that uses an item: its slug, empty for one that the user is no member of; the stands that plant
    it; the version it has, and whether it holds it."""

    level: str
    slug: str
    stands: list[str]
    revision: int
    held: bool


class VersionOut(Schema):
    """A version that an item has had."""

    revision: int
    what: str
    by: str | None
    at: datetime


class ItemDetail(ShelfOut):
    """An item, the names of its meshes' materials, where it is used, the versions it has had, the newest
    first, whose it is, and whether one may change it."""

    materials: list[str]
    owner: str | None
    may_change: bool
    used: list[UseOut]
    versions: list[VersionOut]


class ItemEdit(Strict):
    """What is known of an item; see `thicket.stock.traits.Edit`. Lengths that are not given stay."""

    revision: Id
    name: Name
    group: Group
    tags: list[Word] = Field(default=[], max_length=20)
    note: Annotated[str, Field(max_length=300)] = ""
    height: Length | None = None
    crown: Length | None = None
    trunk: Length | None = None
    lift: Annotated[float, Field(allow_inf_nan=False, ge=-100, le=100), shown(0.05, "m")] = 0
    anchors: Anchors | None = None
    traits: TraitSettings


class MendItem(MendIn):
    revision: Id


class ReplaceIn(Strict):
    """A thing of a batch that was brought in, to be an item's source."""

    revision: Id
    batch: UUID
    thing: Id


class VersionIn(Strict):
    """The version that is looked at, and the one to use."""

    revision: Id
    use: Id


class StandInIn(Strict):
    """A plain shape in a size (m) and colour."""

    name: Name
    group: Group
    shape: Literal["cone", "cylinder", "ball", "block", "cross"]
    height: Length
    width: Length
    colour: Colour

    @model_validator(mode="after")
    def check(self):
        if max(self.height, self.width) > SLENDER * min(self.height, self.width):
            raise Refused(
                f"height: a stand-in is at most {SLENDER} times as high as wide, or as wide as high"
            )
        return self


class ViewChange(Schema):
    """A kept view, and what would change on each budget line."""

    name: str
    change: dict[str, float]


class ReplacedOut(Schema):
    """A level that uses an item: what another source would change in its kept views, and plants that would
    gain and lose room."""

    level: str
    held: bool
    views: list[ViewChange]
    gained: int
    lost: int


def _detail(request: HttpRequest, item: ShelfItem) -> dict:
    used = versions.used_in(item.slug)
    mine = versions.members([level for level, _, _ in used], request.user)
    uses = []
    for level, row, stands in used:
        planted_by = stands if level.pk in mine else [f"{len(stands)} stands"] if stands else []
        uses.append(
            {
                "level": level.name,
                "slug": level.slug if level.pk in mine else "",
                "stands": planted_by,
                "revision": row.revision,
                "held": row.held,
            }
        )
    had = item.versions.select_related("by").only("revision", "what", "at", "by__username", "item")
    return {
        **shelf_out(item),
        "materials": read_materials(item.glb) if item.mesh else [],
        "owner": item.owner.get_username() if item.owner else None,
        "may_change": may_change(request.user, item.owner_id),
        "used": uses,
        "versions": [
            {"revision": v.revision, "what": v.what, "by": v.by.get_username() if v.by else None, "at": v.at}
            for v in had
        ],
    }


def _to_change(request: HttpRequest, item: str, revision: int | None = None) -> ShelfItem:
    """An item that the person may change.

    Raises: NotAllowed, or HttpError as `versions.item_for` does.
    """
    check_may_make(request.user)
    row = versions.item_for(item, revision)
    check_may_change(request.user, row.name, row.owner)
    return row


@router.get("/shelf/{item}", response=ItemDetail)
def one_item(request: HttpRequest, item: str):
    """An item of the shelf."""
    return _detail(request, versions.item_for(item))


@router.put("/shelf/{item}", response=ItemDetail)
def edit_item(request: HttpRequest, item: str, data: ItemEdit):
    """Say what an item is called and what it knows; the plants of every level that uses it follow."""
    row = _to_change(request, item, data.revision)
    given = data.model_dump(include={"height", "crown", "trunk", "lift", "anchors"})
    named = {"name": data.name.strip(), **data.model_dump(include={"group", "tags", "note"})}
    versions.edit(request.user, row, named, Edit(**given, traits=Traits(**data.traits.model_dump())))
    return _detail(request, versions.item_for(item))


@router.post("/shelf/{item}/mend", response=ItemDetail)
def mend_item(request: HttpRequest, item: str, data: MendItem):
    """Do what a finding of an item offers."""
    versions.mend(request.user, _to_change(request, item, data.revision), data.mend)
    return _detail(request, versions.item_for(item))


@router.post("/shelf/{item}/mended", response=BatchOut)
def try_mend(request: HttpRequest, item: str, data: MendItem):
    """Do what a finding of an item offers to a copy, in the background: a batch of one thing, to be looked at
    and then put in the item's place, or dropped."""
    row = _to_change(request, item, data.revision)
    return batch_out(request, bringing.open_mended(request.user, row, data.mend))


@router.get("/shelf/{item}/against/{batch}/{thing}", response=list[ReplacedOut])
def against(request: HttpRequest, item: str, batch: UUID, thing: int):
    """What it would change in each level that uses an item, and that one is a member of, to take a thing for
    its source."""
    row, made_now = versions.item_for(item), bringing.made_of(bringing.brought_of(request.user, batch, thing))
    used = versions.used_in(item)
    mine = versions.members([level for level, _, _ in used], request.user)
    return [
        {"level": level.name, "held": own.held, **versions.compared(level, row, made_now)}
        for level, own, _ in used
        if level.pk in mine
    ]


@router.post("/shelf/{item}/replace", response=ItemDetail)
def replace_item(request: HttpRequest, item: str, data: ReplaceIn):
    """Take a thing that was brought in for an item's source; every plant of it in every level follows."""
    row = _to_change(request, item, data.revision)
    made_now = bringing.made_of(bringing.brought_of(request.user, data.batch, data.thing))
    versions.replace_source(request.user, row, made_now, bringing.mend_of(data.batch))
    bringing.drop(data.batch)
    return _detail(request, versions.item_for(item))


@router.post("/shelf/{item}/version", response=ItemDetail)
def use_version(request: HttpRequest, item: str, data: VersionIn):
    """Use a version that an item has had, everywhere."""
    versions.use_version(request.user, _to_change(request, item, data.revision), data.use)
    return _detail(request, versions.item_for(item))


@router.delete("/shelf/{item}", response={204: None})
def remove_item(request: HttpRequest, item: str):
    """Take an item that nothing plants off the shelf."""
    versions.remove(request.user, _to_change(request, item))
    return 204, None


@router.post("/shelf/{item}/put-back", response=ShelfOut)
def put_back(request: HttpRequest, item: str):
    """Put an item that was taken off the shelf back."""
    check_may_make(request.user)
    row = versions.removed_item(item)
    check_may_change(request.user, row.name, row.owner)
    return shelf_out(versions.put_back(row))


@router.post("/shelf/new/stand-in", response=ShelfOut)
def new_stand_in(request: HttpRequest, data: StandInIn):
    """Put a stand-in on the shelf."""
    check_may_make(request.user)
    name = data.name.strip()
    colour = [int(data.colour[k : k + 2], 16) for k in (1, 3, 5)]
    shape = made(stand_in(data.shape, data.height, data.width, colour))
    return shelf_out(put_on_shelf(shape, slug_for(name), name, data.group, request.user, note="A stand-in"))
