"""A planted level as files for engines and other tools."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Protocol

from thicket.document.folder import file_name, grey_png, zip_level
from thicket.document.level import Level
from thicket.document.shape_file import shape_file
from thicket.document.views import wind_for
from thicket.formats import handover
from thicket.formats.geojson import shapes_geojson
from thicket.formats.handover import Planted
from thicket.formats.plant_tables import PlantTable, plants_parquet, table_of
from thicket.formats.plant_tables import plants_csv as csv_of
from thicket.formats.recipe import AXES, PLAIN, Recipe
from thicket.ground.heights import Ground
from thicket.ground.hollow import topographic_position_index
from thicket.ground.relief import slope_and_aspect
from thicket.planted.planting import Planting
from thicket.planted.suitability import SiteRasters
from thicket.planting.stands import join
from thicket.progress import Report, quietly
from thicket.refused import Refused

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


def _planted(level: Whole, report: Report, recipe: Recipe = PLAIN) -> list[Planted]:
    """The individual plants of every stand of a recipe; swards have none to track."""
    out, singles = [], [s for s in level.level.singles if not s.off and recipe.has(s.slug)]
    for done, stand in enumerate(singles):
        report(0.8 * done / len(singles), f"Planting {stand.name}")
        planting = level.planting(stand.number)
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
        placed = level.level.surfaces
        surfaces = {plant: placed[n].name for plant, n in planting.surfaces.items() if n in placed}
        out.append(Planted(stand.slug, planting.items, plants, planting.pins.id, surfaces))
    report(0.8, "Writing the file")
    return out


def _table(level: Whole, recipe: Recipe, planted: list[Planted]) -> PlantTable:
    return table_of(planted, recipe, level.ground.width, level.ground.length)


def plants_csv(level: Whole) -> bytes:
    """`plants.csv` of all stands."""
    return csv_of(_table(level, PLAIN, _planted(level, quietly))).encode()


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


def _glb(level: Whole, planted: list[Planted]) -> bytes:
    """`level.glb`; needs the meshes of the stock."""
    return handover.plants_glb(planted, {slug: item.glb for slug, item in level.level.stock.items()})


def density_maps(level: Whole, report: Report = quietly, recipe: Recipe = PLAIN) -> dict[str, bytes]:
    """A density map for each stand of a recipe."""
    files = {}
    plantings = [p for p in level.plantings() if not p.stand.off and recipe.has(p.stand.slug)]
    for done, planting in enumerate(plantings):
        report(done / len(plantings), f"Writing the density of {planting.stand.name}")
        files[f"density-{planting.stand.slug}.png"] = handover.density_png(
            planting.density * planting.core.fullness
        )
    return files


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


class Parts:
    """What a recipe makes of a level: its files one by one, and how many plants are in them.

    Raises: Refused when the level has a stand of the recipe no more.
    """

    def __init__(self, level: Whole, recipe: Recipe, report: Report = quietly) -> None:
        gone = set(recipe.stands) - {stand.slug for stand in level.level.stands.values()}
        if gone:
            raise Refused(f"stands: {level.level.name} has no stand {min(gone)[:60]!r} any more")
        self.level, self.recipe, self.report = level, recipe, report
        self.planted = (
            _planted(level, report, recipe) if {"csv", "parquet", "glb"} & set(recipe.formats) else []
        )
        self.has_tables = bool({"csv", "parquet"} & set(recipe.formats))
        self.table = _table(level, recipe, self.planted if self.has_tables else [])
        width, length = level.ground.width, level.ground.length
        self.cells = self.table.cells(recipe.cell, width, length) if recipe.cell else {}

    def counts(self) -> dict[str, int]:
        """Plants of every stand in the files, by its slug."""
        return {each.stand: len(each.plants) for each in self.planted}

    def files(self) -> Iterator[tuple[str, bytes]]:
        """The names of the files with what is in them."""
        formats, level = self.recipe.formats, self.level
        tables = (
            {"plants": self.table}
            if not self.recipe.cell
            else {f"plants_{column}_{row}": part for (column, row), part in self.cells.items()}
        )
        for name, table in tables.items():
            if "csv" in formats:
                yield f"{name}.csv", csv_of(table).encode()
            if "parquet" in formats:
                yield f"{name}.parquet", plants_parquet(table)
        if self.has_tables:
            yield "level.json", level_json(level, recipe=self.recipe)
        if "glb" in formats:
            yield "level.glb", _glb(level, self.planted)
        if "ground" in formats:
            yield from ground(level).items()
        if "maps" in formats:
            yield from density_maps(level, self.report, self.recipe).items()
        if "geojson" in formats:
            yield "shapes.geojson", shapes(level)
        if "level" in formats:
            yield "level.zip", zip_level(level.level)
