"""Stands as the API speaks of them."""

from __future__ import annotations

from ninja import Schema
from pydantic import Field

from server.document.planted import planted_of
from server.stands.access import planting_of
from server.stands.models import Stand
from thicket.document.settings import StandSettings, Stratum
from thicket.planted.planting import Planting


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
    off: bool = Field(description="whether nothing of it stands for now")
    colour: str
    group: str = Field(description="what it is listed under; empty for nothing")
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


NEAR = 1500.0
"""The content keys of sheets within so many m are given, where giving all would mean to plant all."""


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
        "off": stand.off,
        "colour": stand.colour,
        "group": stand.group,
        "settings": planting.settings,
        "items": planting.items,
        "pins": len(planting.pins.id),
        "uprooted": len(planting.pins.uprooted),
        "count": round(planting.expected()) if count is None else count,
        "counted": count is not None,
        "sheets": {"size": planting.sheet_size, "columns": columns, "rows": rows, "keys": keys},
    }
