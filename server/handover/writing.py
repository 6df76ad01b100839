"""A level's planting as files: the core's export of the level as stored."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

from django.conf import settings

from server.catalogue.whole import document_of
from server.document.files import with_files
from server.document.planted import planted_of
from server.levels.models import Level
from server.view.wind import wind_of
from thicket.document.folder import zip_level
from thicket.formats import handover
from thicket.formats.recipe import Recipe
from thicket.planted import export
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


def _details(level: Level) -> dict:
    """What is shown and budgeted of a level, as the core's `level.json` says it."""
    shown = {name: getattr(level, name) for name in ("atmosphere", "drawing", "tiers", "walks")}
    return {"view": {"wind": wind_of(level).model_dump(), **shown}}


def hand_over(level: Level, recipe: Recipe, out: Path, since: Path | None) -> Manifest:
    """See `thicket.planted.handover.hand_over`."""
    planted = _planted(level, quietly)
    whole = planted.edited(with_files(level, planted.level)).changed(details=_details(level))
    return whole.export(out, recipe, since)


def plants_csv(level: Level, report: Report = quietly) -> bytes:
    """`plants.csv`."""
    return export.plants_csv(_planted(level, report), report)


def level_json(level: Level, report: Report = quietly) -> bytes:
    """`level.json`."""
    return export.level_json(planted_of(level).changed(details=_details(level)), report)


def plants_glb(level: Level, report: Report = quietly) -> bytes:
    """`level.glb`."""
    planted = _planted(level, report)
    return export.plants_glb(planted.edited(with_files(level, planted.level)), report)


def level_zip(level: Level, report: Report = quietly) -> bytes:
    """`level.zip`: the level as a folder."""
    report(0.1, "Writing the level")
    return zip_level(document_of(level))


def heights_png(level: Level, report: Report = quietly) -> bytes:
    """`heights.png`."""
    return handover.heights_png(planted_of(level).ground)


def heights_tif(level: Level, report: Report = quietly) -> bytes:
    """`heights.tif`."""
    return handover.heights_tif(planted_of(level).ground)


def layers_tif(level: Level, report: Report = quietly) -> bytes:
    """`layers.tif`."""
    planted = planted_of(level)
    layers = planted.level.layers
    return handover.layers_tif(layers.weights, layers.names, planted.ground.cell)


def maps_zip(level: Level, report: Report = quietly) -> bytes:
    """`maps.zip`: heights, relief, ground layers and density maps."""
    return _zip(export.maps(planted_of(level), report))


def densities_zip(level: Level, report: Report = quietly) -> bytes:
    """`densities.zip`: a density map of each stand."""
    return _zip(export.density_maps(planted_of(level), report))


def _zip(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)  # these are packed already
    return out.getvalue()
