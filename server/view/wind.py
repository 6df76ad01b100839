"""A level's wind, as the API speaks of it."""

from __future__ import annotations

from server.levels.models import Level
from thicket.document.views import WindSettings, wind_for


def wind_of(level: Level) -> WindSettings:
    """The level's wind, with a stiffness for every stock item."""
    stands = sorted(level.stands.all(), key=lambda s: s.order)
    planted = [(stand.stratum, [entry["item"] for entry in stand.settings["mix"]]) for stand in stands]
    return wind_for(level.wind, planted, dict(level.stock.values_list("slug", "traits")))
