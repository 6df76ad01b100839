"""A level's planting as files."""

from __future__ import annotations

import json
from collections.abc import Callable

from server.levels.access import stands_of
from server.levels.models import Level
from server.levels.planted import planted_of, planting_of
from server.levels.schemas import wind_of
from thicket.formats import handover
from thicket.formats.handover import Planted
from thicket.ground.hollow import hollow_ridge
from thicket.ground.relief import slope_and_facing
from thicket.planting.stands import join

HOLLOW_RADIUS = 20.0
"""The radius in m at which `hollow-ridge.tif` is written."""


Tell = Callable[[float, str], None]
"""Told the share that is done and what is done now; raises to stop."""


def _quietly(share: float, step: str) -> None:
    """Tells nobody."""


def _planted(level: Level, tell: Tell) -> list[Planted]:
    """The individual plants of every stand; swards have none to track."""
    out, stands = [], [stand for stand in stands_of(level) if not stand.sward]
    for done, stand in enumerate(stands):
        tell(0.8 * done / len(stands), f"Planting {stand.name}")
        planting = planting_of(stand)
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
        out.append(Planted(stand.slug, planting.items, plants, planting.pins.id))
    tell(0.8, "Writing the file")
    return out


def plants_csv(level: Level, tell: Tell = _quietly) -> bytes:
    """`plants.csv`."""
    return handover.plants_csv(_planted(level, tell)).encode()


def level_json(level: Level, tell: Tell = _quietly) -> bytes:
    """`level.json`: what an engine must know beside the plants."""
    stock = {row.slug: row for row in level.stock.defer("glb", "silhouette")}
    stands = []
    for stand in stands_of(level):
        settings = planting_of(stand).settings
        items = [{"item": e.item, "weight": e.weight, "crown": stock[e.item].crown, "trunk": stock[e.item].trunk,
                  **stock[e.item].traits} for e in settings.mix]
        stands.append({"name": stand.name, "slug": stand.slug, "stratum": stand.stratum, "spacing": settings.spacing,
                       "sward": stand.sward, "items": items, "distances": settings.distances.model_dump(),
                       "tints": settings.tints})
    body = {"name": level.name, "slug": level.slug, "width": level.width, "length": level.length, "units": "m",
            "axes": "x east, y up, z south", "wind": wind_of(level).model_dump(), "stands": stands}
    return (json.dumps(body, indent=2, ensure_ascii=False) + "\n").encode()


def plants_glb(level: Level, tell: Tell = _quietly) -> bytes:
    """`level.glb`."""
    meshes = {row.slug: bytes(row.glb) for row in level.stock.all()}
    return handover.plants_glb(_planted(level, tell), meshes)


def maps(level: Level) -> dict[str, bytes]:
    """Heights, relief fields and ground layers of the level, and a density map for each stand."""
    planted = planted_of(level)
    ground, layers = planted.ground, planted.level.layers
    slope, facing = slope_and_facing(ground.heights, ground.cell)
    fields = {"slope": slope, "facing": facing, "wetness": planted.rasters.wetness(),
              "hollow-ridge": hollow_ridge(ground.heights, ground.cell, HOLLOW_RADIUS)}
    files = {"heights.tif": handover.heights_tif(ground), "heights.png": handover.heights_png(ground)}
    files |= {f"{name}.tif": handover.field_tif(values, ground.cell, -1.0 if name == "facing" else None)
              for name, values in fields.items()}
    files["layers.tif"] = handover.layers_tif(layers.weights, layers.names, ground.cell)
    for stand in stands_of(level):
        planting = planting_of(stand)
        files[f"density-{stand.slug}.png"] = handover.density_png(planting.density * planting.core.fullness)
    return files


FORMATS: dict[str, Callable[[Level], dict[str, bytes]]] = {
    "csv": lambda level: {"plants.csv": plants_csv(level), "level.json": level_json(level)},
    "glb": lambda level: {"level.glb": plants_glb(level)},
    "maps": maps,
}
