"""Stands: their settings, tried or kept, their plants, and strokes on them."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from server.cache import CACHE
from server.document.planted import planted_of
from server.levels.access import level_for
from server.requests import KeyIn
from server.stands.access import document_of, planting_of, stand_for, stands_of, tried
from server.stands.actions import keep_several
from server.stands.checking import merged
from server.stands.out import StandOut, keys_of, stand_out
from server.stands.painting import clear, clear_all
from server.stands.payload import encode, encode_raster
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Strict
from thicket.planted.aiming import aim
from thicket.planted.cover import SCALES, strength, tiles_of
from thicket.planted.planting import Planting
from thicket.planted.sampling import sample
from thicket.planted.sheets import Sheet
from thicket.planting.density import TOUCH_UNIT

router = Router(tags=["stands"])
IMMUTABLE = "private, max-age=31536000, immutable"


class PatchIn(KeyIn):
    """The settings that change; the rest stays. `was` are their values when the change was begun: should
    another have changed one of them since, nothing is kept and both values are given."""

    settings: dict
    was: dict | None = None


class TryIn(Strict):
    """Settings to be tried."""

    settings: dict


class SampleOut(Schema):
    """One plant of a sample; lean is toward the downhill side, sink in m, turn a bearing."""

    item: str
    height: float
    width: float
    lean: float
    turn: float
    sink: float
    tint: float


class ClearIn(KeyIn):
    """Clear painting, inside one area when it is given."""

    area: int | None = None


class AimIn(Strict):
    """A number of plants to aim for, under settings that are tried."""

    count: Annotated[int, Field(ge=1, le=2_000_000_000)]
    settings: dict = {}


class AimOut(Schema):
    """The fullness, and the count it gives: the one aimed for, or the most the ground allows."""

    fullness: float
    count: int


Where = Annotated[
    float | None,
    Query(ge=-1e6, le=1e6, allow_inf_nan=False, description="level metres; near it, sheets are told"),
]


@router.get("/levels/{slug}/stands", response=list[StandOut])
def stands(request: HttpRequest, slug: str, x: Where = None, z: Where = None):
    """All stands, first those that claim room first."""
    place = None if x is None or z is None else (x, z)
    return [stand_out(stand, place) for stand in stands_of(level_for(request, slug))]


@router.get("/levels/{slug}/stands/{stand}", response=StandOut)
def one_stand(request: HttpRequest, slug: str, stand: int, x: Where = None, z: Where = None):
    """One stand."""
    return stand_out(stand_for(level_for(request, slug), stand), None if x is None or z is None else (x, z))


@router.get("/levels/{slug}/keys", response=dict[int, dict[int, str]])
def keys(
    request: HttpRequest,
    slug: str,
    x: Annotated[float, Query(ge=-1e6, le=1e6, allow_inf_nan=False)],
    z: Annotated[float, Query(ge=-1e6, le=1e6, allow_inf_nan=False)],
):
    """Of every stand, the content keys of the sheets around a place, by their index."""
    return {stand.pk: keys_of(planting_of(stand), x, z) for stand in stands_of(level_for(request, slug))}


class StandPart(Strict):
    """The settings of one stand that change, and what they were when the change was begun."""

    settings: dict
    was: dict | None = None


class PatchSeveralIn(KeyIn):
    """The settings of several stands that change, by their ids."""

    stands: dict[int, StandPart] = Field(min_length=1, max_length=60)


@router.patch("/levels/{slug}/stands", response=ChangedOut)
def keep_several_stands(request: HttpRequest, slug: str, data: PatchSeveralIn):
    """Keep changed settings of several stands, as one journal entry: all of them, or none."""
    level = level_for(request, slug, to="plant")
    changes, was = (
        {pk: getattr(given, part) for pk, given in data.stands.items()} for part in ("settings", "was")
    )
    done = keep_several(request.user, level, data.key, changes, was)
    return changed_out(request, level, done, data.view)


@router.get("/levels/{slug}/stands/{stand}/count", response=int)
def count_stand(request: HttpRequest, slug: str, stand: int):
    """Count a stand's plants, however many there are."""
    return planting_of(stand_for(level_for(request, slug), stand)).count()


@router.patch("/levels/{slug}/stands/{stand}", response=ChangedOut)
def keep(request: HttpRequest, slug: str, stand: int, data: PatchIn):
    """Keep changed settings, as one journal entry."""
    level = level_for(request, slug, to="plant")
    was = None if data.was is None else {stand: data.was}
    done = keep_several(request.user, level, data.key, {stand: data.settings}, was)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/stands/{stand}/aim", response=AimOut)
def aim_for(request: HttpRequest, slug: str, stand: int, data: AimIn):
    """The fullness that gives a number of plants under tried settings; nothing is stored."""
    row = stand_for(level_for(request, slug), stand)
    fullness, count = aim(planted_of(row.level), document_of(row, merged(row, data.settings)), data.count)
    return {"fullness": fullness, "count": count}


@router.post("/levels/{slug}/stands/{stand}/sample", response=list[SampleOut])
def sample_of(request: HttpRequest, slug: str, stand: int, data: TryIn):
    """Nine plants under tried settings, on a slope that falls to the east."""
    row = stand_for(level_for(request, slug), stand)
    return sample(tried(row, merged(row, data.settings)))


@router.get("/levels/{slug}/stands/{stand}/field/{kind}")
def field(request: HttpRequest, slug: str, stand: int, kind: Literal["suitability", "density", "touch"]):
    """A field of a stand as it stands now, as `server.stands.payload.encode_raster` lays it out: density with
    fullness; touch 0 for -1, 127 for none, 254 for +1."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    if kind == "suitability":
        values = planting.suitability.array
    elif kind == "density":
        values = planting.density * planting.core.fullness
    else:
        values = (planting.touch.astype(np.float32) / TOUCH_UNIT + 1) * (127 / 255)
    return HttpResponse(encode_raster(values), content_type="application/octet-stream")


@router.get("/levels/{slug}/stands/{stand}/cover/{scale}/{column}/{row}")
def cover(request: HttpRequest, slug: str, stand: int, scale: int, column: int, row: int):
    """How strongly a stand's ground is drawn where its plants are too small to see: a tile of cells
    of 8 m · 2^scale, rows and columns uint16, then uint8 row by row; see `thicket.planted.cover`."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    columns, rows = tiles_of(planting, scale) if 0 <= scale < SCALES else (0, 0)
    if not (0 <= column < columns and 0 <= row < rows):
        raise HttpError(404, f"cover: there is no tile {column}, {row} of scale {scale}.")
    values = strength(planting, scale, column, row)
    head = np.array(values.shape, "<u2").tobytes()
    return HttpResponse(head + values.tobytes(), content_type="application/octet-stream")


@router.get("/levels/{slug}/stands/{stand}/plants/{column}/{row}/{key}")
def plants(request: HttpRequest, slug: str, stand: int, column: int, row: int, key: str):
    """The plants of a sheet, as `server.stands.payload` lays them out; a content key never changes its
    meaning."""
    level, at = level_for(request, slug), ("sheet", slug, stand, column, row, key)
    data = CACHE.peek(at)
    if data is None:
        data = _sheet(planting_of(stand_for(level, stand)), column, row, key)
        CACHE.put(at, data)
    return HttpResponse(data, content_type="application/octet-stream", headers={"Cache-Control": IMMUTABLE})


@router.get("/levels/{slug}/stands/{stand}/sheets/{column}/{row}/since/{key}")
def plants_since(request: HttpRequest, slug: str, stand: int, column: int, row: int, key: str):
    """The plants of a sheet as they are now, their content key in the header `Sheet-Key`; nothing where they
    are still those of a key."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    now = planting.key(_place(planting, column, row))
    if now == key:
        return HttpResponse(status=204)
    body = encode(planting.plants((column, row)))
    return HttpResponse(body, content_type="application/octet-stream", headers={"Sheet-Key": now})


def _place(planting: Planting, column: int, row: int) -> Sheet:
    """Where a sheet is.

    Raises: HttpError 404 when the stand has none there.
    """
    columns, rows = planting.sheets
    if not (0 <= column < columns and 0 <= row < rows):
        raise HttpError(404, f"sheet: there is no sheet {column}, {row}; the stand has {columns} × {rows}.")
    return column, row


def _sheet(planting: Planting, column: int, row: int, key: str) -> bytes:
    sheet = _place(planting, column, row)
    if planting.key(sheet) != key:
        raise HttpError(409, "This sheet has been planted anew: read the stand again for its present key.")
    return encode(planting.plants(sheet))


@router.post("/levels/{slug}/stands/{stand}/clear", response=ChangedOut)
def clear_touch(request: HttpRequest, slug: str, stand: int, data: ClearIn):
    """Take the stand's painting away, everywhere or inside an area."""
    level = level_for(request, slug, to="plant")
    done = clear(request.user, stand_for(level, stand), data.key, data.area)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/clear", response=ChangedOut)
def clear_all_touch(request: HttpRequest, slug: str, data: ClearIn):
    """Take the painting of all stands that are not locked away, everywhere or inside an area."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, clear_all(request.user, level, data.key, data.area), data.view)
