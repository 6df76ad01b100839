"""What an action adds to the dearest view that it reaches, by the last survey of its level, for the
journal."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace

from server.document.planted import planted_of
from server.levels.models import Level
from server.sight.costing import air_of, drawing_of, items_of
from server.sight.models import LevelSurvey
from server.sight.surveys import GROWING, survey_of
from thicket.document.drawing import DeviceSettings, DrawingSettings, seen_through
from thicket.planted.dearest import Drawn, change_at_dearest
from thicket.planted.level import PlantedLevel
from thicket.planted.sheets import Box
from thicket.refused import Refused
from thicket.sight.cost import Item


def change_at_worst(
    level: Level, before: PlantedLevel, box: Box | None = None, stock: Mapping[str, Item] | None = None
) -> dict[str, float]:
    """What a change of a level's plants or ground adds to the dearest view that it reaches, for a journal
    entry: the view's place and heading, and the ms. Empty where none looks toward it, or the level has not
    been surveyed.

    Parameters: the level, to be read as it is stored after the change; before, as it was; box, in level
    metres, outside of which no plant has changed, if that is known; the stock before, where it changed.
    """
    row = _last_survey(level)
    if row is None:
        return {}
    drawing = replace(DrawingSettings.model_validate(row.drawing).core(), air=air_of(level))
    device = DeviceSettings.model_validate(row.device).core()
    now = items_of(level)
    was = Drawn(before, now if stock is None else stock, drawing, device)
    return _difference(row, was, Drawn(planted_of(level), now, drawing, device), box)


def drawing_at_worst(level: Level, before: Mapping) -> dict[str, float]:
    """What a change of how a level is drawn adds to the dearest view, as `change_at_worst`; empty also where
    the survey was made through another tier than the level has.

    Parameters: the level after the change; before, its `drawing` and `tiers` as they were.
    """
    row = _last_survey(level)
    if row is None:
        return {}
    air = air_of(level)
    surveyed = replace(DrawingSettings.model_validate(row.drawing).core(), air=air)
    for tier in before["tiers"]:
        drawing, device = seen_through(before, tier, air)
        if drawing == surveyed and tier in level.tiers:
            planted, stock = planted_of(level), items_of(level)
            was = Drawn(planted, stock, drawing, device)
            return _difference(row, was, Drawn(planted, stock, *drawing_of(level, tier)))
    return {}


def _last_survey(level: Level) -> LevelSurvey | None:
    done = LevelSurvey.objects.filter(level=level).exclude(content__startswith=GROWING).exclude(device={})
    return done.order_by("-pk").defer("data").first()


def _difference(row: LevelSurvey, before: Drawn, after: Drawn, box: Box | None = None) -> dict[str, float]:
    try:
        change = change_at_dearest(survey_of(row), before, after, box)
    except Refused:  # some stand cannot be planted, which refuses nothing else
        return {}
    return asdict(change) | {"ms": round(change.ms, 4)} if change else {}
