"""What a stand's settings may be: the API's types and the limits of every number."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import ConfigDict, Field, model_validator

from thicket.planting.stands import Stand as CoreStand
from thicket.planting.stands import Variation
from thicket.sight.distances import Distances
from thicket.site.conditions import Condition

Number = Annotated[float, Field(allow_inf_nan=False)]
Metres = Annotated[float, Field(allow_inf_nan=False, ge=0, le=20000)]
Share = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1)]
Degrees = Annotated[float, Field(allow_inf_nan=False, ge=0, le=90)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]


class Strict(Schema):
    """A schema that takes no fields it does not know."""

    model_config = ConfigDict(extra="forbid")


def _rising(name: str, pair: tuple[float, float]) -> None:
    if pair[0] > pair[1]:
        raise ValueError(f"{name} ends ({pair[1]:g}) below its start ({pair[0]:g})")


Multiple = Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=10)]


class VariationSettings(Strict):
    """How single plants differ; see `thicket.planting.stands.Variation`."""

    size: tuple[Multiple, Multiple] = (0.8, 1.2)
    width: tuple[Multiple, Multiple] = (0.9, 1.1)
    turn: tuple[Annotated[float, Field(allow_inf_nan=False, ge=0, le=360)],
                Annotated[float, Field(allow_inf_nan=False, ge=0, le=360)]] = (0, 360)
    lean: Degrees = 3
    follow: Share = 0.1
    sink: Annotated[float, Field(allow_inf_nan=False, ge=-5, le=5)] = 0
    patch: Annotated[float, Field(allow_inf_nan=False, ge=1, le=2000)] = 40

    @model_validator(mode="after")
    def check(self):
        for name in ("size", "width", "turn"):
            _rising(name, getattr(self, name))
        return self


class ConditionSettings(Strict):
    """One site condition; see `thicket.site.conditions.Condition`."""

    kind: Literal["altitude", "slope"]
    lo: Number
    hi: Number
    soft_lo: Metres = 0
    soft_hi: Metres = 0
    join: Literal["and", "or", "except"] = "and"
    on: bool = True

    @model_validator(mode="after")
    def check(self):
        Condition(**self.dict())
        return self


class DistanceSettings(Strict):
    """How far a stand is drawn, in m; see `thicket.sight.distances.Distances`."""

    steps: list[Metres] = Field(max_length=6)
    billboard: Metres
    gone: Annotated[float, Field(allow_inf_nan=False, gt=0, le=20000)]
    fade: Annotated[float, Field(allow_inf_nan=False, ge=0, le=500)]
    shadow: Metres

    @model_validator(mode="after")
    def check(self):
        self.core()
        return self

    def core(self) -> Distances:
        return Distances(tuple(self.steps), self.billboard, self.gone, self.fade, self.shadow)


class MixEntry(Strict):
    """One stock item of a mix with its weight."""

    item: str
    weight: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1000)]


class StandSettings(Strict):
    """All that a person can set on a stand."""

    mix: list[MixEntry] = Field(min_length=1, max_length=20)
    spacing: Annotated[float, Field(allow_inf_nan=False, ge=0.2, le=200)]
    fullness: Share
    variation: VariationSettings = VariationSettings()
    tints: tuple[Colour, Colour] = ("#ffffff", "#ffffff")
    conditions: list[ConditionSettings] = Field(default=[], max_length=40)
    distances: DistanceSettings

    @model_validator(mode="after")
    def check(self):
        if not sum(entry.weight for entry in self.mix) > 0:
            raise ValueError("the weights of the mix are all zero")
        return self

    def core(self, number: int, seed: int) -> CoreStand:
        """The stand as the core plants it."""
        v = self.variation
        variation = Variation(tuple(v.size), tuple(v.width), tuple(v.turn), v.lean, v.follow, v.sink, v.patch)
        return CoreStand(number, seed, self.spacing, self.fullness, tuple(e.weight for e in self.mix), variation)

    def rules(self) -> list[Condition]:
        """The conditions as the core combines them."""
        return [Condition(**c.dict()) for c in self.conditions]
