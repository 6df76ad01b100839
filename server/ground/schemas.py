"""Drafts of ground, masks, relief fields and the touch's resolution as the API speaks of them."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from server.requests import KeyIn
from thicket.document.settings import Number, Share, Strict, shown
from thicket.document.views import LayerName

Cell = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1000), shown(0.5, "m")]


class DraftOptions(Strict):
    """What a person says of files that do not say it themselves. cell, low and high in m; width in values and
    the byte order for a raw file; names for layers; of maps of another form than the level, the frame of them
    that is taken (west, north, east, south, 0–1), or whether they are stretched to it."""

    cell: Cell | None = None
    low: Number | None = None
    high: Number | None = None
    width: Annotated[int, Field(ge=9, le=100_000)] | None = None
    big_endian: bool | None = None
    names: list[LayerName] | None = Field(default=None, max_length=16)
    frame: tuple[Share, Share, Share, Share] | None = None
    stretch: bool = False


class Bars(Schema):
    counts: list[int]
    edges: list[float]


class Found(Schema):
    """What was read. Heights: `says`, what the file itself says of cell, low and high; `steps`, the value
    that stands for the highest; `wanted`, what must still be said. Layers: names, the share of the ground
    each covers, the share none covers, and which file each is from; of maps of another form than the level,
    the frame of them that is taken."""

    kind: str
    rows: int
    columns: int
    notes: list[str] = []
    filled: float = 0
    cell: float | None = None
    low: float | None = None
    high: float | None = None
    lowest: float | None = None
    highest: float | None = None
    raw: bool = False
    width: int | None = None
    big_endian: bool | None = None
    says: list[str] = []
    steps: int | None = None
    wanted: str = ""
    histogram: Bars | None = None
    names: list[str] = []
    sources: list[str] = []
    other_form: bool = False
    frame: tuple[float, float, float, float] | None = None
    shares: list[float] = []
    bare: float = 0


class StandForecast(Schema):
    stand: int
    name: str
    before: int
    after: int
    gained: int
    lost: int
    notes: list[str]
    refused: bool


class ViewForecast(Schema):
    name: str
    change: dict[str, float]


class Forecast(Schema):
    """What keeping would change: plants by stand, cost by bookmarked view, and what is re-seated or cut
    off."""

    stands: list[StandForecast]
    views: list[ViewForecast]
    notes: list[str]


class DraftOut(Schema):
    """A draft: what state it is in, how far work on it has come, what was found, what keeping it would
    change."""

    id: UUID
    level: str | None
    kind: Literal["heights", "layers"]
    state: Literal["reading", "ready", "failed", "keeping", "kept"]
    names: list[str]
    options: DraftOptions
    found: Found | None
    forecast: Forecast | None
    trouble: str
    step: str
    share: float


class KeepIn(KeyIn):
    """Keep a draft; a new level needs a name."""

    name: Annotated[str, Field(max_length=80)] = ""


class ResolutionIn(KeyIn):
    """Another size of the touch maps' cells, in m."""

    cell: Cell


class MadeIn(Strict):
    """Ground to be made here: its size, its cells, and for rolling ground the height between its lowest and
    highest place, the length from hill to hill, and a seed. Lengths in m."""

    form: Literal["flat", "rolling"]
    width: Annotated[float, Field(allow_inf_nan=False, gt=0, le=65_536), shown(1, "m")]
    length: Annotated[float, Field(allow_inf_nan=False, gt=0, le=65_536), shown(1, "m")]
    cell: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=64), shown(0.5, "m")] = 1
    height: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=4000), shown(1, "m")] = 40
    wavelength: Annotated[float, Field(allow_inf_nan=False, ge=1, le=20_000), shown(1, "m")] = 400
    seed: Annotated[int, Field(ge=0, lt=2**31)] = 1
