"""How a level is drawn, and the device tiers that it is drawn and budgeted for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import Field, field_validator, model_validator

from thicket.document.settings import Metres, Name, Number, Share, Stratum, Strict, shown
from thicket.refused import Refused
from thicket.sight.devices import PLAIN_DEVICE, Device
from thicket.sight.drawing import Drawing
from thicket.sight.fog import Air

TIERS = 8
"""A level has so many tiers at the most."""
Factor = Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=4)]
Mark = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e12)]
Strata = Annotated[list[Stratum], Field(max_length=6)]
ALL: list[Stratum] = list(get_args(Stratum))


class DrawingSettings(Strict):
    """See `thicket.sight.drawing.Drawing`. The side of drawing cells is the level's; a tier's does not
    count."""

    plants: bool = True
    distances: Annotated[Factor, shown(0.05, "%")] = 1
    fades: Annotated[float, Field(allow_inf_nan=False, ge=0, le=10), shown(0.05, "%")] = 1
    shadows: Annotated[float, Field(allow_inf_nan=False, ge=0, le=10), shown(0.05, "%")] = 1
    lod_offset: Annotated[int, Field(ge=0, le=4), shown(1)] = 0
    billboards: bool = True
    full_meshes: Annotated[int, Field(ge=0, le=1_000_000), shown(5)] | None = None
    sward_reach: Annotated[Metres, shown(5, "m")] | None = None
    sward_share: Annotated[Share, shown(0.05, "%")] = 1
    shadow_reach: Annotated[Metres, shown(5, "m")] | None = None
    casts: Strata = ALL
    receives: Strata = ALL
    ground_error: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=100), shown(0.5, "px")] | None = None
    cell: Literal[16, 32, 64, 128] = 64
    ground_shaded: bool = True
    ground_detail: Annotated[Metres, shown(10, "m")] | None = None
    fog: Annotated[float, Field(allow_inf_nan=False, ge=0, le=20), shown(0.1, "%")] = 1

    @field_validator("casts", "receives")
    @classmethod
    def in_order(cls, strata: list[Stratum]) -> list[Stratum]:
        """Strata from the highest priority to the lowest, however they were listed."""
        return [stratum for stratum in ALL if stratum in strata]

    @classmethod
    def of(cls, drawing: Drawing) -> Self:
        """The settings of the core as they are saved."""
        return cls.model_validate({k: v for k, v in asdict(drawing).items() if k != "air"})

    def core(self) -> Drawing:
        """The settings as the core takes them."""
        given = self.model_dump(exclude={"casts", "receives"})
        return Drawing(**given, casts=frozenset(self.casts), receives=frozenset(self.receives))


class Marks(Strict):
    """What a frame may cost: counts, bytes, ms."""

    triangles: Mark
    draw_calls: Mark
    shadow_triangles: Mark
    memory: Mark
    ms: Mark


Coefficient = Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e6)]
Row = Annotated[list[Number], Field(min_length=6, max_length=6)]


class DeviceSettings(Strict):
    """See `thicket.sight.devices.Device`; frames, by how many it was measured, 0 when it was not."""

    name: Name = PLAIN_DEVICE.name
    per_mtri: Coefficient = PLAIN_DEVICE.per_mtri
    per_kcall: Coefficient = PLAIN_DEVICE.per_kcall
    per_shadow_mtri: Coefficient = PLAIN_DEVICE.per_shadow_mtri
    per_alpha_mpx: Coefficient = PLAIN_DEVICE.per_alpha_mpx
    per_mbyte: Coefficient = 0
    fixed: Coefficient = 0
    spread: Annotated[list[Row], Field(max_length=6)] = []
    noise: Annotated[float, Field(allow_inf_nan=False, ge=0, le=10)] = 0
    frames: Annotated[int, Field(ge=0, le=10**6)] = 0

    @field_validator("spread")
    @classmethod
    def whole(cls, spread: list[Row]) -> list[Row]:
        """Refuse a covariance that has not six rows."""
        if len(spread) not in (0, 6):
            raise Refused("spread: a covariance of six coefficients has six rows")
        return spread

    def core(self) -> Device:
        """The device as the core takes it."""
        rest = self.model_dump(exclude={"spread", "frames"})
        return Device(**rest, spread=tuple(map(tuple, self.spread)))

    @classmethod
    def of(cls, device: Device, frames: int) -> Self:
        """A device that was measured by so many frames."""
        return cls.model_validate(
            {**asdict(device), "spread": list(map(list, device.spread)), "frames": frames}
        )


class Tier(Strict):
    """A class of devices: what its drawing takes away from the level's, what its frames may cost, and the
    device by which that is computed."""

    drawing: DrawingSettings = DrawingSettings()
    marks: Marks
    device: DeviceSettings = DeviceSettings()

    @model_validator(mode="after")
    def check(self) -> Self:
        if not self.drawing.plants:
            raise Refused("plants: a tier that draws no plants budgets nothing; remove it instead")
        return self


Tiers = Annotated[dict[Name, Tier], Field(max_length=TIERS)]
"""A level's tiers by name, in order; the last is the one that is looked through at first."""

FIRST_TIERS: Mapping[str, tuple[float, DrawingSettings]] = {
    "Handheld": (
        0.25,
        DrawingSettings(
            distances=0.5,
            lod_offset=1,
            full_meshes=12,
            sward_reach=30,
            sward_share=0.35,
            shadow_reach=40,
            casts=["Stone", "Canopy", "Understorey"],
            ground_error=10,
        ),
    ),
    "Console": (
        0.6,
        DrawingSettings(
            distances=0.8,
            full_meshes=60,
            sward_share=0.7,
            shadow_reach=90,
            casts=["Stone", "Canopy", "Understorey", "Shrub"],
            ground_error=6,
        ),
    ),
    "Desktop": (1.0, DrawingSettings()),
}
"""The tiers that a level begins with, each with its share of the largest one's marks."""


def tiers_for(marks: Mapping[str, float]) -> dict[str, Any]:
    """The tiers that a level begins with, as JSON; marks are those of the largest."""
    out = {}
    for name, (share, drawing) in FIRST_TIERS.items():
        own = {line: mark if line == "ms" else _rounded(mark * share) for line, mark in marks.items()}
        out[name] = Tier(drawing=drawing, marks=Marks(**own)).model_dump(mode="json")
    return out


def _rounded(mark: float) -> float:
    """A mark to two digits."""
    return float(f"{mark:.2g}")


def from_marks(view: dict[str, Any]) -> dict[str, Any]:
    """What is kept of a level as versions before the tiers kept it, with one set of marks, as it is now."""
    rest = {name: value for name, value in view.items() if name != "marks"}
    if "tiers" in rest or not view.get("marks"):
        return rest
    return rest | {"tiers": tiers_for(view["marks"])}


def seen_through(view: Mapping[str, Any], tier: str = "", air: Air | None = None) -> tuple[Drawing, Device]:
    """A level's drawing through one of its tiers, by name, and the tier's device; through none when it is
    empty. air, the level's, where it counts.

    Raises: Refused when the level has no such tier.
    """
    level = replace(DrawingSettings.model_validate(view.get("drawing") or {}).core(), air=air)
    if not tier:
        return level, PLAIN_DEVICE
    if tier not in view.get("tiers", {}):
        raise Refused(f"tier: the level has no tier {tier[:60]!r}; it has {', '.join(view.get('tiers', {}))}")
    found = Tier.model_validate(view["tiers"][tier])
    return level.through(found.drawing.core()), found.device.core()
