"""A planted level as files for engines and other tools."""

from __future__ import annotations

import json
from typing import Protocol

from thicket.document.folder import file_name, grey_png
from thicket.document.level import Level, Stand
from thicket.document.shape_file import shape_file
from thicket.document.views import wind_for
from thicket.formats import handover
from thicket.formats.geojson import shapes_geojson
from thicket.formats.handover import Planted
from thicket.formats.plant_tables import plants_csv as csv_of
from thicket.formats.plant_tables import table_of
from thicket.formats.recipe import AXES, PLAIN, Recipe
from thicket.ground.heights import Ground
from thicket.ground.hollow import topographic_position_index
from thicket.ground.relief import slope_and_aspect
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box
from thicket.planted.suitability import SiteRasters
from thicket.planting.stands import join

HOLLOW_RADIUS = 20.0
"""The radius in m at which `hollow-ridge.tif` is written."""


class Whole(Protocol):
    """A planted level, as far as it is written out."""

    level: Level
    rasters: SiteRasters

    @property
    def ground(self) -> Ground: ...
    def planting(self, number: int) -> Planting: ...
    def plantings(self) -> list[Planting]: ...


def standing(level: Whole, stand: Stand, box: Box | None = None) -> Planted:
    """The individual plants of a stand: all of them, or those of the sheets that a box in m touches."""
    planting = level.planting(stand.number)
    plants = join([planting.plants(sheet) for sheet in planting.sheets_in(box or planting.everywhere)])
    placed = level.level.surfaces
    surfaces = {plant: placed[n].name for plant, n in planting.surfaces.items() if n in placed}
    return Planted(stand.slug, planting.items, plants, planting.pins.id, surfaces)


def tracked(level: Whole, recipe: Recipe = PLAIN) -> list[Stand]:
    """The stands of a recipe whose plants go out one by one: all but the swards of the terrain."""
    return [s for s in level.level.in_order if not (s.mapped or s.off) and recipe.has(s.slug)]


def plants_csv(level: Whole) -> bytes:
    """`plants.csv` of all stands."""
    stands = [standing(level, stand) for stand in tracked(level)]
    return csv_of(table_of(stands, PLAIN, level.ground.width, level.ground.length)).encode()


def level_json(level: Whole, recipe: Recipe = PLAIN) -> bytes:
    """`level.json`: what an engine must know beside the plants. Its own lengths are in m, its places in the
    level's own axes; `plants` says how the tables of plants have them."""
    document, stands = level.level, []
    for stand in (stand for stand in document.in_order if not stand.off and recipe.has(stand.slug)):
        settings, stock = stand.settings, document.stock
        items = [
            {
                "item": e.item,
                "weight": e.weight,
                "crown": stock[e.item].crown,
                "trunk": stock[e.item].trunk,
                **stock[e.item].traits,
            }
            for e in settings.mix
        ]
        stands.append(
            {
                "name": stand.name,
                "slug": stand.slug,
                "stratum": stand.stratum,
                "spacing": settings.spacing,
                "sward": stand.sward,
                "items": items,
                "distances": settings.distances.model_dump(),
                "tints": settings.tints,
            }
        )
    view = document.details.get("view", {})
    planted = [(s.stratum, [entry.item for entry in s.settings.mix]) for s in document.in_order]
    wind = wind_for(view.get("wind"), planted, {slug: item.traits for slug, item in document.stock.items()})
    body = {
        "name": document.name,
        "slug": document.slug,
        "width": level.ground.width,
        "length": level.ground.length,
        "units": "m",
        "axes": "x east, y up, z south",
        "plants": {"axes": AXES[recipe.axes][0], **recipe.alike},
        "wind": wind.model_dump(mode="json"),
        **{name: view.get(name, {}) for name in ("atmosphere", "drawing", "tiers", "walks")},
        "surfaces": [placed.model_dump(mode="json") for placed in document.surfaces.values()],
        "stands": stands,
    }
    return (json.dumps(body, indent=2, ensure_ascii=False) + "\n").encode()


def glb(level: Whole, planted: list[Planted]) -> bytes:
    """`level.glb`; needs the meshes of the stock."""
    return handover.plants_glb(planted, {slug: item.glb for slug, item in level.level.stock.items()})


def mapped(level: Whole, recipe: Recipe = PLAIN) -> list[Planting]:
    """The stands of a recipe that have a density map: all that stand on the terrain, swards too."""
    found = [p for p in level.plantings() if not p.stand.off and recipe.has(p.stand.slug)]
    return [p for p in found if not p.settings.on]


def density_map(planting: Planting) -> tuple[str, bytes]:
    """The name of a stand's density map, and what is in it."""
    density = planting.density * planting.core.fullness
    return f"density-{planting.stand.slug}.png", handover.density_png(density)


def ground(level: Whole) -> dict[str, bytes]:
    """Heights, relief fields, ground layers and mask images of the level."""
    ground, layers = level.ground, level.level.layers
    slope, facing = slope_and_aspect(ground.heights, ground.cell)
    fields = {
        "slope": slope,
        "facing": facing,
        "wetness": level.rasters.wetness(),
        "hollow-ridge": topographic_position_index(ground.heights, ground.cell, HOLLOW_RADIUS),
    }
    files = {
        "heights.tif": handover.heights_tif(ground),
        "heights.png": handover.heights_png(ground),
        "heights.r16": handover.heights_raw(ground),
    }
    files |= {
        f"{name}.tif": handover.field_tif(values, ground.cell, -1.0 if name == "facing" else None)
        for name, values in fields.items()
    }
    files |= {
        f"mask-{file_name(name)}.png": grey_png(mask.values) for name, mask in level.level.masks.items()
    }
    return files | {"layers.tif": handover.layers_tif(layers.weights, layers.names, ground.cell)}


def shapes(level: Whole) -> bytes:
    """`shapes.geojson`."""
    known = [
        shape_file(level.level, number).shape_settings().model_dump(mode="json")
        for number in sorted(level.level.shapes)
    ]
    return shapes_geojson(known, level.level.name, level.ground.width, level.ground.length)
