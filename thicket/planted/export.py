"""A planted level as files for engines and other tools."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from typing import Protocol

from thicket.document.level import Level
from thicket.formats import handover
from thicket.formats.handover import Planted
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


def _planted(level: Whole, report: Report) -> list[Planted]:
    """The individual plants of every stand; swards have none to track."""
    out, singles = [], [stand for stand in level.level.singles if not stand.off]
    for done, stand in enumerate(singles):
        report(0.8 * done / len(singles), f"Planting {stand.name}")
        planting = level.planting(stand.number)
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
        placed = level.level.surfaces
        surfaces = {plant: placed[n].name for plant, n in planting.surfaces.items() if n in placed}
        out.append(Planted(stand.slug, planting.items, plants, planting.pins.id, surfaces))
    report(0.8, "Writing the file")
    return out


def plants_csv(level: Whole, report: Report = quietly) -> bytes:
    """`plants.csv`."""
    return handover.plants_csv(_planted(level, report)).encode()


def level_json(level: Whole, report: Report = quietly) -> bytes:
    """`level.json`: what an engine must know beside the plants."""
    document, stands = level.level, []
    for stand in (stand for stand in document.in_order if not stand.off):
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
    body = {
        "name": document.name,
        "slug": document.slug,
        "width": level.ground.width,
        "length": level.ground.length,
        "units": "m",
        "axes": "x east, y up, z south",
        **{name: view.get(name, {}) for name in ("wind", "atmosphere", "drawing", "tiers", "walks")},
        "surfaces": [placed.model_dump(mode="json") for placed in document.surfaces.values()],
        "stands": stands,
    }
    return (json.dumps(body, indent=2, ensure_ascii=False) + "\n").encode()


def plants_glb(level: Whole, report: Report = quietly) -> bytes:
    """`level.glb`; needs the meshes of the stock."""
    return handover.plants_glb(
        _planted(level, report), {slug: item.glb for slug, item in level.level.stock.items()}
    )


def density_maps(level: Whole, report: Report = quietly) -> dict[str, bytes]:
    """A density map for each stand."""
    files, plantings = {}, [p for p in level.plantings() if not p.stand.off]
    for done, planting in enumerate(plantings):
        report(done / len(plantings), f"Writing the density of {planting.stand.name}")
        files[f"density-{planting.stand.slug}.png"] = handover.density_png(
            planting.density * planting.core.fullness
        )
    return files


def maps(level: Whole, report: Report = quietly) -> dict[str, bytes]:
    """Heights, relief fields and ground layers of the level, and a density map for each stand."""
    ground, layers = level.ground, level.level.layers
    slope, facing = slope_and_aspect(ground.heights, ground.cell)
    fields = {
        "slope": slope,
        "facing": facing,
        "wetness": level.rasters.wetness(),
        "hollow-ridge": topographic_position_index(ground.heights, ground.cell, HOLLOW_RADIUS),
    }
    files = {"heights.tif": handover.heights_tif(ground), "heights.png": handover.heights_png(ground)}
    files |= {
        f"{name}.tif": handover.field_tif(values, ground.cell, -1.0 if name == "facing" else None)
        for name, values in fields.items()
    }
    files["layers.tif"] = handover.layers_tif(layers.weights, layers.names, ground.cell)
    return files | density_maps(level, report)


FORMATS: dict[str, Callable[[Whole], dict[str, bytes]]] = {
    "csv": lambda level: {"plants.csv": plants_csv(level), "level.json": level_json(level)},
    "glb": lambda level: {"level.glb": plants_glb(level)},
    "maps": maps,
}


def files_of(level: Whole, formats: Iterable[str]) -> dict[str, bytes]:
    """The files of some formats, by name. Raises: Refused when there is no such format."""
    files: dict[str, bytes] = {}
    for name in formats:
        if name not in FORMATS:
            raise Refused(f"format: {name!r} is none; there are {', '.join(FORMATS)}")
        files |= FORMATS[name](level)
    return files
