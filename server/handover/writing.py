"""A level's planting as files: the core's export of the level as stored."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from server.catalogue.whole import document_of
from server.document.planted import planted_of
from server.levels.models import Level
from thicket.formats.recipe import Recipe
from thicket.planted.handover import Manifest
from thicket.planted.level import PlantedLevel
from thicket.planted.whole import plant_whole, sheets_in_all
from thicket.progress import Report, quietly


def _planted(level: Level, report: Report) -> PlantedLevel:
    """The level, planted on a cluster's workers when there are some."""
    planted = planted_of(level)
    if settings.SCHEDULER:
        total = sheets_in_all(planted)
        for done, (planting, _) in enumerate(plant_whole(planted, scheduler=settings.SCHEDULER), start=1):
            report(0.8 * done / total, f"Planting {planting.stand.name}")
    return planted


def hand_over(
    level: Level, recipe: Recipe, out: Path, since: Path | None, report: Report = quietly
) -> Manifest:
    """See `thicket.planted.handover.hand_over`."""
    planted = _planted(level, report)
    return planted.edited(document_of(level)).export(out, recipe, since, report)
