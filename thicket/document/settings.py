"""What a stand's settings may be, with the limits of every number: checked as they are read from JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema, model_validator

from thicket.ground.noise import Noise
from thicket.ground.shapes import Shape
from thicket.planting.hashing import seed_of
from thicket.planting.layouts import Along, Inside, Layout, Round, Rows
from thicket.planting.stands import Stand as CoreStand
from thicket.planting.stands import Variation
from thicket.refused import Refused
from thicket.sight.distances import Distances
from thicket.site.conditions import Condition
from thicket.site.kinds import KINDS


def shown(step: float, unit: str = "") -> Any:
    """How a page shows a number beside its limits: the step of its arrow keys, in the number's own unit, and
    the unit beside it; "%" shows hundredths."""
    return Field(json_schema_extra={"step": step, "unit": unit})


Number = Annotated[float, Field(allow_inf_nan=False, ge=-1e9, le=1e9)]
Name = Annotated[
    str,
    Field(
        min_length=1,
        max_length=80,
        pattern=r"^[^\x00-\x1f\x7f]*[^\s\x00-\x1f\x7f][^\x00-\x1f\x7f]*$",
        description="not of spaces alone, and without control characters",
    ),
]
Id = Annotated[int, Field(ge=0, le=2**63 - 1)]
Metres = Annotated[float, Field(allow_inf_nan=False, ge=0, le=20000), shown(1, "m")]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1), shown(0.05, "%")]
Degrees = Annotated[float, Field(allow_inf_nan=False, ge=0, le=90), shown(1, "°")]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
Stratum = Literal["Stone", "Canopy", "Understorey", "Shrub", "Field", "Moss"]


class Strict(BaseModel):
    """A model that takes no fields it does not know."""

    model_config = ConfigDict(extra="forbid", validate_default=True)


def _rising(name: str, pair: tuple[float, float]) -> None:
    if pair[0] > pair[1]:
        raise Refused(f"{name} ends ({pair[1]:g}) below its start ({pair[0]:g})")


Multiple = Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=10), shown(0.05, "×")]


FromTurn = Annotated[float, Field(allow_inf_nan=False, ge=-180, le=360), shown(5, "°")]


class VariationSettings(Strict):
    """How single plants differ; see `thicket.planting.stands.Variation`."""

    size: tuple[Multiple, Multiple] = (0.8, 1.2)
    width: tuple[Multiple, Multiple] = (0.9, 1.1)
    turn: tuple[FromTurn, FromTurn] = (0, 360)
    lean: Annotated[Degrees, shown(0.5, "°")] = 3
    follow: Annotated[Share, shown(0.01, "%")] = 0.1
    sink: Annotated[float, Field(allow_inf_nan=False, ge=-5, le=5), shown(0.05, "m")] = 0
    patch: Annotated[float, Field(allow_inf_nan=False, ge=1, le=2000), shown(1, "m")] = 40

    @model_validator(mode="after")
    def check(self) -> Self:
        for name in ("size", "width", "turn"):
            _rising(name, getattr(self, name))
        return self


Offset = Annotated[Number, shown(1, "m")]


class NoiseSettings(Strict):
    """Noise in level space; see `thicket.ground.noise.Noise`."""

    form: Literal["gradient", "ridged", "cellular", "cells", "borders", "light"] = "gradient"
    wavelength: Annotated[float, Field(allow_inf_nan=False, ge=0.5, le=20000), shown(5, "m")] = 40
    octaves: Annotated[int, Field(ge=1, le=8)] = 3
    contrast: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20), shown(0.1)] = 1
    shift: Annotated[float, Field(allow_inf_nan=False, ge=-5, le=5), shown(0.05)] = 0
    seed: Annotated[int, Field(ge=0, lt=2**31)] = 1
    moved: tuple[Offset, Offset] = (0, 0)


Bearing = Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), shown(5, "°")]
Rise = Annotated[float, Field(allow_inf_nan=False, ge=-90, le=90), shown(5, "°")]


Soft = Annotated[float, Field(allow_inf_nan=False, ge=0, le=20000)]
"""A width in the unit of what a condition looks at."""


class ConditionSettings(Strict):
    """One site condition; see `thicket.site.conditions.Condition`. `hi` from 100,000 up has no end."""

    kind: Annotated[str, WithJsonSchema({"type": "string", "enum": list(KINDS)})]
    lo: Number
    hi: Number
    soft_lo: Soft = 0
    soft_hi: Soft = 0
    join: Literal["and", "or", "except"] = "and"
    on: bool = True
    centre: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), shown(5, "°")] = 180
    toward: tuple[Bearing, Rise] = (180, 45)
    radius: Annotated[float, Field(allow_inf_nan=False, gt=0, le=2000), shown(1, "m")] = 20
    layers: list[Annotated[str, Field(max_length=40)]] = Field(default=[], max_length=8)
    noise: NoiseSettings = NoiseSettings()
    shapes: list[int] = Field(default=[], max_length=200)
    groups: list[Annotated[str, Field(max_length=80)]] = Field(default=[], max_length=50)
    depth: bool = False
    border: Annotated[float, Field(allow_inf_nan=False, ge=0, le=2000), shown(1, "m")] = 0
    rough: Annotated[float, Field(allow_inf_nan=False, ge=0, le=200), shown(0.5, "m")] = 0
    stand: int = 0
    mask: Annotated[str, Field(max_length=60)] = ""
    wrapped: bool = False
    curve: list[tuple[Share, Share]] = Field(default=[], max_length=16)
    density: bool = True
    size: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=1), shown(0.05, "%")] | None = None
    lean: Share | None = None
    tint: Share | None = None

    @model_validator(mode="after")
    def check(self) -> Self:
        self.core()
        return self

    def core(self) -> Condition:
        """The condition as the core measures it."""
        given = self.model_dump()
        return Condition(
            **{
                **given,
                "layers": tuple(self.layers),
                "shapes": tuple(self.shapes),
                "groups": tuple(self.groups),
                "curve": tuple(self.curve),
                "noise": Noise(**given["noise"]),
            }
        )


Conditions = Annotated[list[ConditionSettings], Field(max_length=40)]


class DistanceSettings(Strict):
    """How far a stand is drawn, in m; see `thicket.sight.distances.Distances`."""

    steps: list[Metres] = Field(max_length=6)
    billboard: Annotated[Metres, shown(1, "m")]
    gone: Annotated[float, Field(allow_inf_nan=False, gt=0, le=20000), shown(5, "m")]
    fade: Annotated[float, Field(allow_inf_nan=False, ge=0, le=500), shown(1, "m")]
    shadow: Annotated[Metres, shown(5, "m")]
    by_size: bool = False

    @model_validator(mode="after")
    def check(self) -> Self:
        self.core()
        return self

    def core(self) -> Distances:
        """The distances, in m, as the cost model has them."""
        return Distances(tuple(self.steps), self.billboard, self.gone, self.fade, self.shadow, self.by_size)

    @classmethod
    def of(cls, d: Distances) -> Self:
        """The settings that come to distances.

        Raises: pydantic's ValidationError where one is out of range.
        """
        return cls(
            steps=list(d.steps),
            billboard=d.billboard,
            gone=d.gone,
            fade=d.fade,
            shadow=d.shadow,
            by_size=d.by_size,
        )


class MixEntry(Strict):
    """One stock item of a mix: its weight, what differs for it, and a site condition that drives its weight.
    `mark` is what its plants are drawn by; it stays when the item is exchanged, so that the same plants carry
    the other item."""

    item: str
    weight: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1000), shown(0.1)]
    size: tuple[Multiple, Multiple] | None = None
    width: tuple[Multiple, Multiple] | None = None
    footprint: Annotated[float, Field(allow_inf_nan=False, ge=0, le=10), shown(0.1, "×")] = 1
    sink: Annotated[float, Field(allow_inf_nan=False, ge=-5, le=5), shown(0.05, "m")] | None = None
    drive: ConditionSettings | None = None
    mark: Annotated[str, Field(max_length=60)] = ""

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.size:
            _rising(f"the size of {self.item}", self.size)
        if self.width:
            _rising(f"the width of {self.item}", self.width)
        return self

    @property
    def drawn_by(self) -> int:
        """The seed its plants are drawn by."""
        return seed_of("item", self.mark or self.item)


Mix = Annotated[list[MixEntry], Field(min_length=1, max_length=20)]


class LayoutSettings(Strict):
    """How a stand's places lie: thrown freely, along paths, in rows over areas, round them, so many inside
    them, or on the anchors of another stand's plants.

    `shapes` are the paths or areas, all of the level's when empty. See `thicket.planting.layouts` and
    `.companions`.
    """

    kind: Literal["free", "path", "rows", "round", "inside", "anchors"] = "free"
    shapes: list[int] = Field(default=[], max_length=200)
    every: Annotated[float, Field(allow_inf_nan=False, gt=0, le=1000), shown(0.25, "m")] = 2
    count: Annotated[
        int, Field(ge=0, le=100_000, description="plants on each shape; 0 for one every so many m")
    ] = 0
    side: Literal["on", "left", "right", "both"] = "on"
    offset: Annotated[float, Field(allow_inf_nan=False, ge=0, le=200), shown(0.25, "m")] = 0
    face: Literal["along", "across", "free"] = "along"
    stagger: bool = False
    jitter: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20), shown(0.05, "m")] = 0
    bearing: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360), shown(5, "°")] = 0
    apart: Annotated[float, Field(allow_inf_nan=False, gt=0, le=1000), shown(0.25, "m")] = 2
    host: Annotated[int, Field(ge=0, description="number of the stand whose plants it stands on")] = 0
    around: Annotated[
        int, Field(ge=0, le=64, description="plants along the curve through a host's anchors; 0: one on each")
    ] = 0
    inside: Annotated[bool, Field(description="whether those are spread inside the curve")] = False
    group: Annotated[
        str, Field(max_length=40, description="the group of anchors it stands on; all when empty")
    ] = ""

    @model_validator(mode="after")
    def check(self) -> Self:
        if self.kind == "path" and self.side != "on" and not self.offset > 0:
            raise Refused("layout: a row beside a path needs an offset above 0 m")
        if self.kind == "inside" and not self.count:
            raise Refused("layout: say how many plants stand inside each area")
        return self

    def core(self) -> Layout:
        """The layout as the core makes it, of one that follows shapes."""
        if self.kind == "round":
            return Round(self.every, self.count, self.face, self.jitter)
        if self.kind == "inside":
            return Inside(self.count, self.jitter)
        if self.kind == "rows":
            return Rows(self.bearing, self.apart, self.every, self.face, self.stagger, self.jitter)
        return Along(self.every, self.count, self.side, self.offset, self.face, self.stagger, self.jitter)


def _pair(values: Sequence[float]) -> tuple[float, float]:
    low, high = values
    return low, high


class StandSettings(Strict):
    """All that a person can set on a stand."""

    mix: Mix
    spacing: Annotated[float, Field(allow_inf_nan=False, ge=0.2, le=200), shown(0.1, "m")]
    fullness: Annotated[Share, shown(0.01, "%")]
    variation: VariationSettings = VariationSettings()
    layout: LayoutSettings = LayoutSettings()
    on: list[Name] = Field(
        default=[],
        max_length=50,
        description="names of placed meshes, and groups of them, that it grows on; the terrain when empty",
    )
    tints: tuple[Colour, Colour] = ("#ffffff", "#ffffff")
    conditions: Conditions = []
    clear_of: list[Literal["path", "area", "obstacle"]] = Field(
        default=["path", "area", "obstacle"],
        max_length=3,
        description="shapes whose clear margin it keeps out of",
    )
    clear_of_groups: list[Annotated[str, Field(max_length=80)]] = Field(
        default=[],
        max_length=50,
        description="groups of shapes and placed meshes whose clear margin it keeps out of, of any kind",
    )
    gap: Annotated[float, Field(allow_inf_nan=False, ge=0, le=50), shown(0.1, "m")] = 0
    under: list[Stratum] = Field(
        default=[],
        max_length=6,
        description="strata whose crowns it may stand under; trunks keep it out all the same",
    )
    overlap: bool = Field(
        default=False,
        description="whether its plants may stand in others and others in them: they claim no room",
    )
    distances: DistanceSettings

    @model_validator(mode="after")
    def check(self) -> Self:
        if not sum(entry.weight for entry in self.mix) > 0:
            raise Refused("the weights of the mix are all zero")
        if len({entry.item for entry in self.mix}) < len(self.mix):
            raise Refused("an item stands in the mix twice")
        if len({entry.drawn_by for entry in self.mix}) < len(self.mix):
            raise Refused("two items of the mix are drawn by the same mark")
        if self.on and self.layout.kind != "free":
            raise Refused("on: only a free layout can grow on placed meshes")
        return self

    @property
    def painting_read(self) -> set[int]:
        """The stands, by number, whose painting has a say in what its conditions look at."""
        drives = (entry.drive for entry in self.mix if entry.drive)
        return {c.stand for c in (*self.conditions, *drives) if c.kind in ("painting", "density")}

    def core(self, number: int, seed: int) -> CoreStand:
        """The stand as the core plants it."""
        v = self.variation
        variation = Variation(_pair(v.size), _pair(v.width), _pair(v.turn), v.lean, v.follow, v.sink, v.patch)
        return CoreStand(
            number,
            seed,
            self.spacing,
            self.fullness,
            tuple(e.weight for e in self.mix),
            tuple(e.drawn_by for e in self.mix),
            variation,
            tuple(e.size and _pair(e.size) for e in self.mix),
            tuple(e.sink for e in self.mix),
            self.layout.kind,
            tuple(e.width and _pair(e.width) for e in self.mix),
        )

    def keeps_out_of(self, shape: Shape) -> bool:
        """Whether it keeps out of a shape's clear margin; of one that keeps nothing clear, never."""
        named = bool(shape.group) and shape.group in self.clear_of_groups
        return shape.clear is not None and (shape.kind in self.clear_of or named)

    def rules(self) -> list[Condition]:
        """The conditions as the core combines them."""
        return [c.core() for c in self.conditions]
