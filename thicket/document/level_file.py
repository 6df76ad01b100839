"""`level.json` of a level's folder: what it may say, checked as it is read. docs/level.schema.json is its
JSON Schema; write it again by `python -m thicket.document.level_file > docs/level.schema.json`.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer, model_validator

from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DrawingSettings, Tiers
from thicket.document.item_settings import Anchors, SeenDistances, TraitSettings
from thicket.document.level import Stand
from thicket.document.mask_sources import MaskSource, check_no_circle
from thicket.document.pin_rows import OnMesh
from thicket.document.plots import Plots
from thicket.document.recipes import Recipes
from thicket.document.settings import Colour, Metres, Name, Number, StandSettings, Stratum, Strict
from thicket.document.shape_settings import Box, Round, ShapeSettings, Trail
from thicket.document.surface_settings import PlacedMesh
from thicket.document.views import LayerAppearance, LayerName, SavedView, WindSettings
from thicket.document.walks import Walks
from thicket.limits import (
    LARGEST_CELL,
    LARGEST_TOUCH_CELL,
    LAYERS,
    MASKS,
    SHAPES,
    SMALLEST_CELL,
    SMALLEST_TOUCH_CELL,
    SNAPSHOTS,
    STANDS,
    STOCK,
    SURFACES,
    UPROOTED,
    VIEWS,
)
from thicket.refused import Refused

FORMAT = 1
"""Raise it when a folder written before could no longer be read; readers refuse what is newer than they
are."""
Slug = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[-a-zA-Z0-9_]+$")]
Seed = Annotated[int, Field(ge=0, lt=2**32)]
MaskName = Annotated[
    str, Field(min_length=1, max_length=40, pattern=r"^[^~\s\x00-\x1f\x7f][^\x00-\x1f\x7f]*$")
]
Size = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1000)]


class Sparse(Strict):
    """Settings of which the file holds those that are set."""

    @model_serializer(mode="wrap")
    def only_set(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """The fields that were given."""
        return {name: value for name, value in write(self).items() if name in self.model_fields_set}


class ItemTraits(Sparse, TraitSettings):
    """See `thicket.stock.traits.Traits`."""


class ItemDistances(Sparse, SeenDistances):
    """See `thicket.stock.making.distances_of`."""


class LayerFile(Sparse, LayerAppearance):
    """How a ground layer is drawn."""


class ViewPlace(Sparse, SavedView):
    """A kept view."""


class ShapeDetails(Strict):
    """What people see of a shape beside: see `thicket.document.shape_settings.ShapeSettings`. The form
    follows from the kind where it is None."""

    form: Literal["line", "polygon", "circle", "box"] | None = None
    round: Round | None = None
    box: Box | None = None
    locked: bool = False
    hidden: bool = False
    hatch: Literal["slant", "cross", "dots", "upright", "blank"] = "slant"


class ShapeFile(Strict):
    """A path, area or obstacle, by its number."""

    number: Annotated[int, Field(ge=1, lt=2**53)]
    kind: Literal["path", "area", "obstacle"]
    name: Name
    points: list[tuple[Number, Number]] = Field(max_length=2000)
    width: Metres
    clear: Metres | None
    group: Annotated[str, Field(max_length=80)] = ""
    trail: Trail | None = None
    details: ShapeDetails = ShapeDetails()

    @model_validator(mode="after")
    def check(self) -> Self:
        form = self.details.form or ("line" if self.kind == "path" else "polygon")
        self.details = self.details.model_copy(update={"form": form})
        self.shape_settings().core()
        return self

    def shape_settings(self) -> ShapeSettings:
        """All that is set on it, checked as on the screen.

        Raises: Refused or pydantic's ValidationError.
        """
        own = self.model_dump(exclude={"number", "details", "width"})
        width = self.width if self.kind == "path" else self.width or 4
        return ShapeSettings(**(own | self.details.model_dump() | {"width": width}))


class SurfaceFile(PlacedMesh):
    """A placed mesh, by its number."""

    number: Annotated[int, Field(ge=1, lt=2**22)]

    def placed(self) -> PlacedMesh:
        """The placed mesh itself."""
        return PlacedMesh(**self.model_dump(exclude={"number"}))


class ItemFile(Strict):
    """A stock item; its mesh is `stock/SLUG.glb`. Lengths in m."""

    slug: Slug
    name: Annotated[str, Field(max_length=80)]
    height: Size
    crown: Metres
    trunk: Metres
    points: Anchors = []
    traits: ItemTraits = ItemTraits()
    distances: ItemDistances = ItemDistances()
    held: Annotated[
        bool, Field(description="whether the level keeps this version when the shelf has another")
    ] = True
    version: Annotated[int, Field(ge=0, lt=2**31, description="which of the shelf's versions it is")] = 1

    @model_validator(mode="after")
    def check(self) -> Self:
        _check_once("an anchor point", (a.name for a in self.points))
        return self


class StandFile(Strict):
    """A stand; its painting is `touch/SLUG.png`."""

    number: Annotated[int, Field(ge=1, lt=2**16)]
    slug: Slug
    name: Name
    stratum: Stratum
    place: Annotated[int, Field(ge=0, lt=2**16)]
    sward: bool
    seed: Seed
    locked: bool = False
    off: bool = False
    colour: Colour | Literal[""] = ""
    group: Name | Literal[""] = ""
    settings: StandSettings


def file_of(stand: Stand) -> StandFile:
    """A stand as it stands in a file."""
    return StandFile(**{name: getattr(stand, name) for name in StandFile.model_fields})


def stand_from(given: StandFile) -> Stand:
    """The stand that a file describes."""
    return Stand(**{name: getattr(given, name) for name in StandFile.model_fields})


class UprootedFile(Strict):
    """A place where a stand, by number, was uprooted: no rule plants it there again."""

    stand: int
    path: list[tuple[Number, Number]] | list[OnMesh] = Field(min_length=1, max_length=4000)
    radius: Annotated[float, Field(allow_inf_nan=False, gt=0, le=500)]


class SnapshotFile(Strict):
    """The planting of a snapshot: `snapshots/NAME.json`, with its pins in `NAME.pins.csv` and its painting in
    `NAME.STAND.png` beside it."""

    touch_cell: Annotated[float, Field(allow_inf_nan=False, ge=SMALLEST_TOUCH_CELL, le=LARGEST_TOUCH_CELL)]
    stands: list[StandFile] = Field(default=[], max_length=STANDS)
    uprooted: list[UprootedFile] = Field(default=[], max_length=UPROOTED)

    @model_validator(mode="after")
    def check(self) -> Self:
        _check_stands(self.stands, self.uprooted)
        return self


class ViewFile(Strict):
    """What is shown and budgeted beside plants: how ground layers are drawn, atmosphere, drawing settings,
    tiers with their budget marks, walks, recipes for handovers, plots with their allotments, wind, bookmarks.
    Levels saved before there was an atmosphere have sun, fog and waters each by itself, and before there
    were tiers one set of marks."""

    layers: list[LayerFile] = Field(default=[], max_length=LAYERS)
    atmosphere: Atmosphere | None = None
    sun: dict[str, Any] | None = None
    fog: float | None = None
    waters: list[dict[str, Any]] | None = None
    wind: WindSettings = WindSettings()
    bookmarks: list[ViewPlace] = Field(default=[], max_length=VIEWS)
    drawing: DrawingSettings = DrawingSettings()
    tiers: Tiers = {}
    walks: Walks = {}
    recipes: Recipes = {}
    plots: Plots = Plots()
    marks: dict[str, Any] | None = None


class LevelFile(Strict):
    """`level.json`. Lengths in m; stands, shapes and uprooted places refer to each other by number."""

    format: Literal[1] = 1
    slug: Slug
    name: Name
    seed: Seed
    cell: Annotated[
        float,
        Field(
            allow_inf_nan=False, ge=SMALLEST_CELL, le=LARGEST_CELL, description="m between height vertices"
        ),
    ]
    touch_cell: Annotated[
        float,
        Field(
            allow_inf_nan=False,
            ge=SMALLEST_TOUCH_CELL,
            le=LARGEST_TOUCH_CELL,
            description="m, size of a cell of the touch maps",
        ),
    ]
    layers: list[LayerName] = Field(
        default=[], max_length=LAYERS, description="ground layers: `layers/NAME.png`, 255 for all"
    )
    masks: list[MaskName] = Field(default=[], max_length=MASKS, description="mask images: `masks/NAME.png`")
    mask_sources: dict[MaskName, MaskSource] = Field(
        default={}, max_length=MASKS, description="what mask images that are made here are made from"
    )
    painted_masks: list[MaskName] = Field(
        default=[],
        max_length=MASKS,
        description="those painted over: `painted/NAME.png`, what is below; `painted/NAME.tif`, by how much",
    )
    stock: list[ItemFile] = Field(default=[], max_length=STOCK)
    shapes: list[ShapeFile] = Field(default=[], max_length=SHAPES)
    surfaces: list[SurfaceFile] = Field(default=[], max_length=SURFACES)
    stands: list[StandFile] = Field(default=[], max_length=STANDS)
    uprooted: list[UprootedFile] = Field(default=[], max_length=UPROOTED)
    snapshots: list[Name] = Field(default=[], max_length=SNAPSHOTS, description="`snapshots/NAME.json`")
    view: ViewFile = ViewFile()

    @model_validator(mode="after")
    def check(self) -> Self:
        _check_once("a ground layer", self.layers)
        _check_once("a mask image", self.masks)
        check_no_circle(self.mask_sources)
        _check_once("a stock item", (item.slug for item in self.stock))
        _check_once("a shape's number", (shape.number for shape in self.shapes))
        _check_once("a snapshot", self.snapshots)
        _check_once("a placed mesh's number", (placed.number for placed in self.surfaces))
        _check_once("a placed mesh", (placed.name for placed in self.surfaces))
        _check_once("a kept view", (view.name for view in self.view.bookmarks))
        have = {item.slug for item in self.stock}
        for stand in self.stands:
            for entry in stand.settings.mix:
                if entry.item not in have:
                    raise Refused(f"stands: {stand.name} plants {entry.item[:60]!r}, which is not in stock")
        _check_stands(self.stands, self.uprooted)
        _check_once("a plot's area", (plot.area for plot in self.view.plots.plots.values()))
        return self


def _check_stands(stands: Sequence[StandFile], uprooted: Sequence[UprootedFile]) -> None:
    _check_once("a stand's number", (stand.number for stand in stands))
    _check_once("a stand's slug", (stand.slug for stand in stands))
    numbers = {stand.number for stand in stands}
    for place in uprooted:
        if place.stand not in numbers:
            raise Refused(f"uprooted: there is no stand {place.stand}")


def _check_once(what: str, names: Iterable[object]) -> None:
    """Raises: Refused when one of the names stands there twice."""
    seen: set[object] = set()
    for name in names:
        if name in seen:
            raise Refused(f"{what}, {str(name)[:60]!r}, stands there twice")
        seen.add(name)


if __name__ == "__main__":
    print(json.dumps(LevelFile.model_json_schema(), indent=1))
