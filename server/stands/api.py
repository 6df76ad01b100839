"""Stands: their settings, tried or kept, their plants, and strokes on them."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from ninja.errors import HttpError
from pydantic import UUID4, Field

from server.cache import CACHE
from server.journal.schemas import EntryOut, entry_out
from server.levels.access import level_for, stand_for, stands_of
from server.levels.planted import planted_of, planting_of, tried
from server.sight.reckoning import cost_change, items_of, seen, stand_cost
from server.sight.schemas import ViewIn
from server.stands.actions import dependants, keep_settings, keep_several
from server.stands.checking import merged
from server.stands.models import Stand, document_of_stand
from server.stands.painting import clear, clear_all
from server.stands.payload import encode, encode_marks
from thicket.document.settings import StandSettings, Stratum, Strict
from thicket.document.touch import Cells
from thicket.planted.aiming import aim
from thicket.planted.comparing import compare, difference
from thicket.planted.cover import SCALES, strength, tiles_of
from thicket.planted.planting import Planting
from thicket.planted.sampling import sample
from thicket.planting.density import TOUCH_UNIT

router = Router(tags=["stands"])
IMMUTABLE = "private, max-age=31536000, immutable"
OVERLAY = 512
"""Suitability is handed out at this many values a side at the most."""


class SheetsOut(Schema):
    """How a stand's plants are handed out: square sheets of `size` m, row by row, each with its content
    key."""

    size: float
    columns: int
    rows: int
    keys: list[str] = Field(description="empty for a sheet that is not told yet: see `keys` of the level")


class StandOut(Schema):
    """A stand: who it is, its settings, and how many plants they give."""

    id: int
    number: int
    slug: str
    name: str
    stratum: Stratum
    sward: bool
    seed: int
    locked: bool
    colour: str
    revision: int
    settings: StandSettings
    items: list[str] = Field(
        description="the stock items that a plant's item counts through: the mix, then those of pins"
    )
    pins: int = Field(description="single plants set by hand")
    uprooted: int = Field(description="places where it was uprooted, and where no rule plants it")
    count: int
    counted: bool = Field(description="whether that is the number; else about it, until somebody counts them")
    warnings: list[str] = Field(description="conditions that ask for what the level no longer has")
    sheets: SheetsOut


class PatchIn(Strict):
    """The settings that change; the rest stays. `was` are their values when the change was begun: should
    another have changed one of them since, nothing is kept and both values are told."""

    key: UUID4
    settings: dict
    was: dict | None = None
    view: ViewIn | None = None


class TryIn(Strict):
    """Settings to be tried in a view."""

    settings: dict
    view: ViewIn | None = None


class TryOut(Schema):
    """What trying showed: plants then, gained and lost, and the cost difference in the view."""

    count: int
    gained: int
    lost: int
    cost: dict[str, float]


class SampleOut(Schema):
    """One plant of a sample; lean is toward the downhill side, sink in m, turn a bearing."""

    item: str
    height: float
    width: float
    lean: float
    turn: float
    sink: float
    tint: float


class ClearIn(Strict):
    """Clear painting, inside one area when it is given."""

    key: UUID4
    area: int | None = None


class AimIn(Strict):
    """A number of plants to aim for, under settings that are tried."""

    count: Annotated[int, Field(ge=1, le=2_000_000_000)]
    settings: dict = {}


class AimOut(Schema):
    """The fullness, and the count it gives: the one aimed for, or the most the ground allows."""

    fullness: float
    count: int


class ChangedOut(Schema):
    """A kept action: its journal entry, the content keys of the sheets of its stand that it may have changed,
    by index, and the other stands that may have changed with it and are to be read again."""

    entry: EntryOut
    stand: int | None
    keys: dict[int, str]
    stale: list[int] = []


NEAR = 1500.0
"""The content keys of sheets within so many m are told, where telling all would mean to plant all."""


def keys_of(planting: Planting, x: float, z: float) -> dict[int, str]:
    """The content keys of a stand's sheets by their index: of all when that costs little, else of those near
    a place."""
    columns = planting.sheets[0]
    box = planting.everywhere if planting.at_hand else (x - NEAR, z - NEAR, x + NEAR, z + NEAR)
    return {row * columns + column: planting.key((column, row)) for column, row in planting.sheets_in(box)}


def stand_out(stand: Stand, place: tuple[float, float] | None = None) -> dict:
    """A stand for the API, with at least the sheets around a place; around the level's first view when there
    is none."""
    planting = planting_of(stand)
    columns, rows = planting.sheets
    first = stand.level.bookmarks[0] if stand.level.bookmarks else {"x": 0.0, "z": 0.0}
    found = keys_of(planting, *(place or (first["x"], first["z"])))
    keys = [found.get(k, "") for k in range(columns * rows)]
    asked = [
        *(c for c in planting.rules if c.on),
        *(e.drive.core() for e in planting.settings.mix if e.drive),
    ]
    lacking = [*(planted_of(stand.level).rasters.lacks(c) for c in asked), planting.places.lacking()]
    count = planting.count() if planting.at_hand else None
    return {
        "id": stand.pk,
        "number": stand.number,
        "warnings": [f"{lack}." for lack in lacking if lack],
        "slug": stand.slug,
        "name": stand.name,
        "stratum": stand.stratum,
        "sward": stand.sward,
        "seed": stand.seed,
        "locked": stand.locked,
        "colour": stand.colour,
        "revision": stand.revision,
        "settings": planting.settings,
        "items": planting.items,
        "pins": len(planting.pins.id),
        "uprooted": len(planting.pins.uprooted),
        "count": round(planting.expected()) if count is None else count,
        "counted": count is not None,
        "sheets": {"size": planting.sheet_size, "columns": columns, "rows": rows, "keys": keys},
    }


def changed_keys(stand: Stand, cells: Cells) -> dict[int, str]:
    """The content keys of the sheets that touch in a box of cells can change, by their index."""
    planting = planting_of(stand)
    columns = planting.sheets[0]
    return {
        row * columns + column: planting.key((column, row))
        for column, row in planting.sheets_in(planting.metres(cells))
    }


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


class PatchSeveralIn(Strict):
    """The settings of several stands that change, by their ids."""

    key: UUID4
    stands: dict[int, StandPart] = Field(min_length=1, max_length=60)
    view: ViewIn | None = None


@router.patch("/levels/{slug}/stands", response=ChangedOut)
def keep_several_stands(request: HttpRequest, slug: str, data: PatchSeveralIn):
    """Keep changed settings of several stands, as one journal entry: all of them, or none."""
    level = level_for(request, slug, to="plant")
    rows = [stand_for(level, pk) for pk in data.stands]
    changes, was = (
        {pk: getattr(given, part) for pk, given in data.stands.items()} for part in ("settings", "was")
    )
    entry = keep_several(request.user, level, data.key, changes, data.view and seen(level, data.view), was)
    stale = {pk for row in rows for pk in (row.pk, *dependants(row))}
    return {"entry": entry_out(entry, request.user), "stand": None, "keys": {}, "stale": sorted(stale)}


@router.get("/levels/{slug}/stands/{stand}/count", response=int)
def count_stand(request: HttpRequest, slug: str, stand: int):
    """Count a stand's plants, however many there are."""
    return planting_of(stand_for(level_for(request, slug), stand)).count()


@router.patch("/levels/{slug}/stands/{stand}", response=ChangedOut)
def keep(request: HttpRequest, slug: str, stand: int, data: PatchIn):
    """Keep changed settings, as one journal entry."""
    level = level_for(request, slug, to="plant")
    row = stand_for(level, stand)
    entry = keep_settings(
        request.user, row, data.settings, data.key, data.view and seen(level, data.view), data.was
    )
    return {
        "entry": entry_out(entry, request.user),
        "stand": row.pk,
        "keys": {},
        "stale": [row.pk, *dependants(row)],
    }


@router.post("/levels/{slug}/stands/{stand}/try", response=TryOut)
def try_settings(request: HttpRequest, slug: str, stand: int, data: TryIn):
    """What changed settings would give; nothing is stored."""
    level = level_for(request, slug)
    row = stand_for(level, stand)
    before, after = planting_of(row), tried(row, merged(row, data.settings))
    gained, lost = compare(before, after)
    cost = {}
    if data.view:
        stock, view = items_of(level), seen(level, data.view)
        cost = cost_change(stand_cost(before, stock, view), stand_cost(after, stock, view, True))
    return {"count": after.count(), "gained": gained, "lost": lost, "cost": cost}


@router.post("/levels/{slug}/stands/{stand}/aim", response=AimOut)
def aim_for(request: HttpRequest, slug: str, stand: int, data: AimIn):
    """The fullness that gives a number of plants under tried settings; nothing is stored."""
    row = stand_for(level_for(request, slug), stand)
    fullness, count = aim(
        planted_of(row.level), document_of_stand(row, merged(row, data.settings)), data.count
    )
    return {"fullness": fullness, "count": count}


@router.post("/levels/{slug}/stands/{stand}/sample", response=list[SampleOut])
def sample_of(request: HttpRequest, slug: str, stand: int, data: TryIn):
    """Nine plants under tried settings, on a slope that falls to the east."""
    row = stand_for(level_for(request, slug), stand)
    return sample(tried(row, merged(row, data.settings)))


@router.post("/levels/{slug}/stands/{stand}/difference")
def try_difference(request: HttpRequest, slug: str, stand: int, data: TryIn):
    """Where tried settings would gain and lose plants, as `server.stands.payload.encode_marks` lays it
    out."""
    row = stand_for(level_for(request, slug), stand)
    change = difference(planting_of(row), tried(row, merged(row, data.settings)))
    return HttpResponse(encode_marks(change.came, change.went), content_type="application/octet-stream")


@router.post("/levels/{slug}/stands/{stand}/suitability")
def overlay(request: HttpRequest, slug: str, stand: int, data: TryIn):
    """Suitability under tried settings: rows and columns uint16, then uint8 values row by row."""
    row = stand_for(level_for(request, slug), stand)
    return _raster(tried(row, merged(row, data.settings)).suitability.array)


@router.get("/levels/{slug}/stands/{stand}/density")
def density_map(request: HttpRequest, slug: str, stand: int):
    """Density as it stands now, fullness included: rows and columns uint16, then uint8 values row by row."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    return _raster(planting.density * planting.core.fullness)


@router.get("/levels/{slug}/stands/{stand}/touch")
def touch_map(request: HttpRequest, slug: str, stand: int):
    """Touch as it is painted: rows and columns uint16, then uint8 values row by row, 0 for -1, 127 for none,
    254 for +1."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    return _raster((planting.touch.astype(np.float32) / TOUCH_UNIT + 1) * (127 / 255))


def _raster(values: np.ndarray) -> HttpResponse:
    step = max(1, -(-max(values.shape) // OVERLAY))
    small = (values[step // 2 :: step, step // 2 :: step] * 255).round().astype(np.uint8)
    head = np.array(small.shape, "<u2").tobytes()
    return HttpResponse(head + small.tobytes(), content_type="application/octet-stream")


@router.get("/levels/{slug}/stands/{stand}/cover/{scale}/{column}/{row}")
def cover(request: HttpRequest, slug: str, stand: int, scale: int, column: int, row: int):
    """How strongly a stand's ground is drawn where its plants are too small to be told apart: a tile of cells
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


def _sheet(planting: Planting, column: int, row: int, key: str) -> bytes:
    columns, rows = planting.sheets
    if not (0 <= column < columns and 0 <= row < rows):
        raise HttpError(404, f"sheet: there is no sheet {column}, {row}; the stand has {columns} × {rows}.")
    if planting.key((column, row)) != key:
        raise HttpError(409, "This sheet has been planted anew: read the stand again for its present key.")
    return encode(planting.plants((column, row)))


@router.post("/levels/{slug}/stands/{stand}/clear", response=ChangedOut)
def clear_touch(request: HttpRequest, slug: str, stand: int, data: ClearIn):
    """Take the stand's painting away, everywhere or inside an area."""
    row = stand_for(level_for(request, slug, to="plant"), stand)
    entry = clear(request.user, row, data.key, data.area)
    return {
        "entry": entry_out(entry, request.user),
        "stand": row.pk,
        "keys": changed_keys(row, entry.change["box"]),
        "stale": dependants(row),
    }


@router.post("/levels/{slug}/clear", response=ChangedOut)
def clear_all_touch(request: HttpRequest, slug: str, data: ClearIn):
    """Take the painting of all stands that are not locked away, everywhere or inside an area."""
    level = level_for(request, slug, to="plant")
    entry = clear_all(request.user, level, data.key, data.area)
    return {
        "entry": entry_out(entry, request.user),
        "stand": None,
        "keys": {},
        "stale": [s.pk for s in stands_of(level)],
    }


__all__ = ["ChangedOut", "StandOut", "changed_keys", "router", "stand_out"]
