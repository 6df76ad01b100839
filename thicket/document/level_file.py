"""`level.json` of a level's folder: what it may say, checked as it is read. docs/level.schema.json is its
JSON Schema; write it anew by `python -m thicket.document.level_file > docs/level.schema.json`.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Tiers
from thicket.document.plots import Plots
from thicket.document.settings import Colour, Name, Number, StandSettings, Stratum
from thicket.document.walks import Walks

FORMAT = 1
"""Raise it when a folder written before could no longer be read; readers refuse what is newer than they
are."""
Slug = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[-a-zA-Z0-9_]+$")]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class TrailFile(_Part):
    """How a path lays plants over: see `thicket.ground.shapes.Trail`."""

    reach: float
    lean: float
    flatten: float
    strata: list[Stratum]


class ShapeFile(_Part):
    """A path, area or obstacle; `details` is what people see of it beside: form, locked, hidden, hatch …"""

    number: int
    kind: Literal["path", "area", "obstacle"]
    name: str
    points: list[tuple[Number, Number]] = Field(max_length=2000)
    width: Number
    clear: Number | None
    trail: TrailFile | None = None
    details: dict[str, Any] = {}


class ItemFile(_Part):
    """A stock item; its mesh is `stock/SLUG.glb`."""

    slug: Slug
    name: str
    height: Number
    crown: Number
    trunk: Number
    points: list[dict[str, Any]] = Field(default=[], description="anchor points: name, at and up")
    traits: dict[str, Any] = {}
    distances: dict[str, Any] = {}


class StandFile(_Part):
    """A stand; its painting is `touch/SLUG.png`."""

    number: Annotated[int, Field(ge=1)]
    slug: Slug
    name: Name
    stratum: Stratum
    place: Annotated[int, Field(ge=0)]
    sward: bool
    seed: Annotated[int, Field(ge=0)]
    locked: bool = False
    colour: Colour | Literal[""] = ""
    settings: StandSettings


class UprootedFile(_Part):
    """A place where a stand, by number, was uprooted: no rule plants it there again."""

    stand: int
    path: list[tuple[Number, Number]]
    radius: Number


class ViewFile(_Part):
    """What is shown and budgeted beside plants: how ground layers are drawn, atmosphere, drawing settings,
    tiers with their budget marks, walks, plots with their allotments, wind, bookmarks. Levels saved before
    there was an atmosphere have sun, fog and waters each by itself, and before there were tiers one set
    of marks."""

    layers: list[dict[str, Any]] = []
    atmosphere: Atmosphere | None = None
    sun: dict[str, Any] | None = None
    fog: float | None = None
    waters: list[dict[str, Any]] | None = None
    wind: dict[str, Any] = {}
    bookmarks: list[dict[str, Any]] = []
    drawing: DrawingSettings | None = None
    tiers: Tiers | None = None
    walks: Walks | None = None
    plots: Plots | None = None
    marks: dict[str, Any] | None = None


class LevelFile(_Part):
    """`level.json`. Lengths in m; stands, shapes and uprooted places refer to each other by number."""

    format: Literal[1] = 1
    slug: Slug
    name: str
    seed: Annotated[int, Field(ge=0)]
    cell: Annotated[float, Field(gt=0, description="m between height vertices")]
    touch_cell: Annotated[float, Field(gt=0, description="m, size of a cell of the touch maps")]
    layers: list[str] = Field(default=[], description="ground layers: `layers/NAME.png`, 255 for all")
    masks: list[str] = Field(default=[], description="mask images: `masks/NAME.png`")
    stock: list[ItemFile] = []
    shapes: list[ShapeFile] = []
    stands: list[StandFile] = []
    uprooted: list[UprootedFile] = []
    view: ViewFile = ViewFile()


if __name__ == "__main__":
    print(json.dumps(LevelFile.model_json_schema(), indent=1))
