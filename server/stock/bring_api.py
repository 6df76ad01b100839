"""Bringing things to the shelf: files sent, looked at, described, kept."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router, Schema
from ninja.errors import HttpError
from ninja.files import UploadedFile
from pydantic import Field

from server.jobs import starting
from server.jobs.models import Job
from server.levels.access import check_may_make
from server.stock import bringing
from server.stock.api import FindingOut, Group, ShelfOut, StateOut, Word, shelf_out
from server.stock.models import BroughtItem
from thicket.document.item_settings import AnchorSettings, TraitSettings
from thicket.document.settings import Id, Name, Strict, shown

router = Router(tags=["stock"])


class CardsIn(Strict):
    """How pictures become grass and flowers: see `thicket.stock.cards.Cards`."""

    kind: Literal["facing", "crossed", "tuft"] = "tuft"
    width: Annotated[float, Field(allow_inf_nan=False, ge=0.02, le=20), shown(0.05, "m")] = 0.6
    height: Annotated[float, Field(allow_inf_nan=False, ge=0.02, le=20), shown(0.05, "m")] = 0.5
    count: Annotated[int, Field(ge=1, le=24)] = 5
    bend: Annotated[float, Field(allow_inf_nan=False, ge=0, le=80), shown(5, "°")] = 25
    rows: Annotated[int, Field(ge=1, le=16)] = 1


class ImportRequest(Strict):
    """What files do not say themselves: see `thicket.stock.bringing.Options`."""

    unit: Literal["m", "cm", "mm", "in", "ft"] | None = None
    up: Literal["y", "z"] | None = None
    height: Annotated[float, Field(allow_inf_nan=False, gt=0.01, le=200), shown(0.1, "m")] | None = None
    lods: Annotated[int, Field(ge=0, le=4)] = 2
    coarse: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=0.9), shown(0.05, "%")] = 0.3
    billboard: Literal["none", "facing", "crossed", "three crossed"] = "facing"
    rows: Literal[64, 128, 256, 512] | None = None
    grounded: bool = True
    cards: CardsIn | None = None


class BroughtOut(Schema):
    """A thing that was brought in. Lengths in m; `refused`, why it could not be read."""

    id: int
    name: str
    files: list[str]
    unit: str
    height: float
    crown: float
    trunk: float
    states: list[StateOut]
    distances: dict
    texture_bytes: int
    notes: list[str]
    findings: list[FindingOut]
    traits: TraitSettings
    anchors: list[AnchorSettings]
    refused: str
    scale: float
    picture: str
    glb: str


class BatchOut(Schema):
    """Things brought in together, and how far reading them is."""

    id: UUID
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    step: str
    share: float
    trouble: str
    things: list[BroughtOut]


class ThingIn(Strict):
    """A thing to be put on the shelf."""

    id: Id
    name: Name
    group: Group
    tags: list[Word] = Field(default=[], max_length=20)
    note: Annotated[str, Field(max_length=300)] = ""


class KeepThingsIn(Strict):
    things: list[ThingIn] = Field(min_length=1, max_length=bringing.MOST)


def _job(request: HttpRequest, batch: UUID) -> Job:
    job = starting.newest(bringing.key_of(batch))
    if job is None or job.user_id != request.user.pk:
        raise HttpError(404, "What was brought in is no longer waiting: bring it in again.")
    return job


def batch_out(request: HttpRequest, batch: UUID) -> dict:
    """A batch as it is answered."""
    job = _job(request, batch)
    rows = BroughtItem.objects.filter(batch=batch).defer("silhouette", "picture")
    same = (
        "id",
        "name",
        "unit",
        "height",
        "crown",
        "trunk",
        "states",
        "distances",
        "texture_bytes",
        "notes",
        "findings",
        "traits",
        "anchors",
        "refused",
        "scale",
    )
    base = f"/api/shelf/bring/{batch}"
    things = [
        {
            **{name: getattr(row, name) for name in same},
            "files": row.paths,
            "picture": f"{base}/{row.pk}.png",
            "glb": f"{base}/{row.pk}.glb",
        }
        for row in rows
    ]
    return {
        "id": batch,
        "state": job.state,
        "step": job.step,
        "share": job.share,
        "trouble": job.trouble,
        "things": things,
    }


@router.post("/shelf/bring", response=BatchOut)
def bring_in(request: HttpRequest, files: File[list[UploadedFile]], options: Form[str] = "{}"):
    """Bring in meshes: glTF, OBJ with what belongs to them, or zips of these. They are read in the
    background."""
    check_may_make(request.user)
    return batch_out(
        request,
        bringing.open_batch(request.user, files, ImportRequest.model_validate_json(options).model_dump()),
    )


@router.get("/shelf/bring/{batch}", response=BatchOut)
def look(request: HttpRequest, batch: UUID):
    """How far a batch is, and what was found."""
    return batch_out(request, batch)


@router.put("/shelf/bring/{batch}", response=BatchOut)
def say(request: HttpRequest, batch: UUID, data: ImportRequest):
    """Say what the files do not, and have them read again."""
    _job(request, batch)
    bringing.read(request.user, batch, data.model_dump())
    return batch_out(request, batch)


@router.delete("/shelf/bring/{batch}", response={204: None})
def drop(request: HttpRequest, batch: UUID):
    """Drop what was brought in."""
    _job(request, batch)
    bringing.drop(batch)
    return 204, None


def _thing_file(request: HttpRequest, batch: UUID, thing: int, field: str, kind: str) -> HttpResponse:
    _job(request, batch)
    data = BroughtItem.objects.filter(batch=batch, pk=thing).values_list(field, flat=True).first()
    if not data:
        raise HttpError(404, "There is nothing to be seen of that.")
    return HttpResponse(bytes(data), content_type=kind, headers={"Cache-Control": "no-store"})


@router.get("/shelf/bring/{batch}/{thing}.png")
def picture(request: HttpRequest, batch: UUID, thing: int):
    """The picture of a thing that was brought in."""
    return _thing_file(request, batch, thing, "picture", "image/png")


@router.get("/shelf/bring/{batch}/{thing}.glb")
def meshes(request: HttpRequest, batch: UUID, thing: int):
    """The file that the shelf would keep of a thing that was brought in."""
    return _thing_file(request, batch, thing, "mesh__data", "model/gltf-binary")


class MendIn(Strict):
    """The name of what mends a finding."""

    mend: Annotated[str, Field(min_length=1, max_length=40)]


@router.post("/shelf/bring/{batch}/{thing}/mend", response=BatchOut)
def mend(request: HttpRequest, batch: UUID, thing: int, data: MendIn):
    """Do what a finding of a thing offers, before it is kept."""
    _job(request, batch)
    bringing.mend(request.user, batch, thing, data.mend)
    return batch_out(request, batch)


@router.post("/shelf/bring/{batch}/keep", response=list[ShelfOut])
def keep(request: HttpRequest, batch: UUID, data: KeepThingsIn):
    """Put things on the shelf; all that were named, or none."""
    _job(request, batch)
    return [
        shelf_out(item) for item in bringing.keep(request.user, batch, [t.model_dump() for t in data.things])
    ]
