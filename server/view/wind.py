"""What belongs to a level as a whole, as the API speaks of it."""

from __future__ import annotations

from server.levels.models import Level
from thicket.document.views import WindSettings

STIFF = {"Stone": 1.0, "Canopy": 0.45, "Understorey": 0.4, "Shrub": 0.35, "Field": 0.1, "Moss": 0.8}
"""How stiff an item is until somebody says otherwise, by the first stratum it is planted in."""


def wind_of(level: Level) -> WindSettings:
    """The level's wind, with a stiffness for every stock item."""
    given = WindSettings.model_validate(level.wind or {})
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
