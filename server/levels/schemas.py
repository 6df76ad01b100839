"""What belongs to a level as a whole, as the API speaks of it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from server.levels.models import Level
from thicket.document.settings import Share, Strict
from thicket.sight.wind import Wind as CoreWind


class Wind(Strict):
    """The wind that the preview shows and the handover tells: see `thicket.sight.wind.Wind`. `stiffness` of
    stock items by slug: 0 bends with every breath, 1 stands still; stone does."""

    bearing: Annotated[float, Field(allow_inf_nan=False, ge=0, le=360)] = CoreWind.bearing
    speed: Annotated[float, Field(allow_inf_nan=False, ge=0, le=40)] = CoreWind.speed
    strength: Share = CoreWind.strength
    wavelength: Annotated[float, Field(allow_inf_nan=False, ge=1, le=500)] = CoreWind.wavelength
    turbulence: Share = CoreWind.turbulence
    loop: Annotated[float, Field(allow_inf_nan=False, ge=1, le=120)] = CoreWind.loop
    stiffness: dict[Annotated[str, Field(max_length=60)], Share] = Field(default={}, max_length=400)


STIFF = {"Stone": 1.0, "Canopy": 0.45, "Understorey": 0.4, "Shrub": 0.35, "Field": 0.1, "Moss": 0.8}
"""How stiff an item is until somebody says otherwise, by the first stratum it is planted in."""


def wind_of(level: Level) -> Wind:
    """The level's wind, with a stiffness for every stock item."""
    given = Wind.model_validate(level.wind or {})
    first: dict[str, float] = {}
    for stand in sorted(level.stands.all(), key=lambda s: s.order):
        for entry in stand.settings["mix"]:
            first.setdefault(entry["item"], STIFF[stand.stratum])
    every = {
        slug: traits.get("stiffness", first.get(slug, 0.5))
        for slug, traits in level.stock.values_list("slug", "traits")
    }
    return given.model_copy(
        update={"stiffness": every | {k: v for k, v in given.stiffness.items() if k in every}}
    )
