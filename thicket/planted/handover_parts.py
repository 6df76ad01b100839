"""What a recipe makes of a level, part by part, each under a key of what it follows from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from thicket.document.folder import zip_level
from thicket.document.level import Stand
from thicket.formats.handover import Planted
from thicket.formats.plant_tables import plants_csv, plants_parquet, table_of
from thicket.formats.recipe import Recipe
from thicket.hashing import digest, hash_of
from thicket.planted import export
from thicket.planted.export import Whole
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box, widened
from thicket.refused import Refused

FORM = 1
"""Grows when the same level comes to be written otherwise."""
BESIDE = 0.01
"""A plant's place is kept in 32 bits: it may lie so many m beyond the sheet that it belongs to."""


@dataclass(frozen=True)
class Made:
    """Files by their names, and how many plants are in them by stand's slug."""

    files: dict[str, bytes]
    plants: dict[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Part:
    """Files of a handover that are made together. `key` is equal as long as they follow from equal things; an
    empty one is equal to none. `cell`: which square a table of plants is of, `COLUMN_ROW`."""

    name: str
    key: str
    make: Callable[[], Made]
    cell: str = ""


Say = Callable[[str], None]
"""Says what is done now, and may raise to stop it."""


def _nothing(_: str) -> None:
    pass


def parts_of(level: Whole, recipe: Recipe, say: Say = _nothing) -> Iterator[Part]:
    """The parts of a handover; while one is made, each stand that is planted for it is reported.

    Raises: Refused when the level has a stand of the recipe no more.
    """
    gone = set(recipe.stands) - {stand.slug for stand in level.level.stands.values()}
    if gone:
        raise Refused(f"stands: {level.level.name} has no stand {min(gone)[:60]!r} any more")
    formats = set(recipe.formats)
    if formats & {"csv", "parquet"}:
        yield from _tables(level, recipe, say)
        rules = export.level_json(level, recipe)
        yield Part("level.json", digest(FORM, rules.hex()), lambda: Made({"level.json": rules}))
    if "glb" in formats:
        yield Part("level.glb", _scene_key(level, recipe), lambda: _scene(level, recipe, say))
    if "ground" in formats:
        masks = {name: mask.key for name, mask in level.level.masks.items()}
        key = digest(FORM, level.level.heights.key, level.level.layers.key, masks, level.level.layers.names)
        yield Part("ground", key, lambda: Made(export.ground(level)))
    if "maps" in formats:
        for planting in export.mapped(level, recipe):
            name = f"density-{planting.stand.slug}"
            cells = planting.cell, planting.touch_cell, level.ground.width, level.ground.length
            key = digest(FORM, _keys(planting), planting.stand.slug, cells)
            yield Part(name, key, partial(_map, planting))
    if "geojson" in formats:
        shapes = export.shapes(level)
        yield Part("shapes", digest(FORM, shapes.hex()), lambda: Made({"shapes.geojson": shapes}))
    if "level" in formats:
        yield Part("level.zip", "", lambda: Made({"level.zip": zip_level(level.level)}))


def files_of(level: Whole, recipe: Recipe) -> dict[str, bytes]:
    """All files of a handover by their names."""
    return {name: data for part in parts_of(level, recipe) for name, data in part.make().files.items()}


def _keys(planting: Planting, box: Box | None = None) -> list[str]:
    """The content keys of a stand's sheets, of all or of those that a box touches."""
    return [planting.key(sheet) for sheet in planting.sheets_in(box or planting.everywhere)]


def _tables(level: Whole, recipe: Recipe, say: Say) -> Iterator[Part]:
    """One table of plants for the level, or one for each square."""
    stands = export.tracked(level, recipe)
    plantings = [level.planting(stand.number) for stand in stands]
    placed = {number: mesh.name for number, mesh in level.level.surfaces.items()}
    wish = [recipe.alike, sorted(set(recipe.formats) & {"csv", "parquet"}), placed]
    always = digest(FORM, wish, [(p.stand.slug, p.items) for p in plantings])
    for square, box in _squares(level, recipe):
        keys = [_keys(planting, box) for planting in plantings]
        cell = "" if square is None else f"{square[0]}_{square[1]}"
        name = f"plants_{cell}" if cell else "plants"
        make = partial(_table, level, recipe, stands, name, square, box, say)
        yield Part(name, digest(always, keys), make, cell)


def _table(
    level: Whole,
    recipe: Recipe,
    stands: list[Stand],
    name: str,
    square: tuple[int, int] | None,
    box: Box | None,
    say: Say,
) -> Made:
    """The table of plants of one square, or of the level; no file where no plant stands in a square."""
    width, length = level.ground.width, level.ground.length
    table = table_of(_standing(level, stands, box, say), recipe, width, length)
    if square is not None:
        table = table.cells(recipe.cell, width, length).get(square, table.take(np.empty(0, int)))
        if not len(table):
            return Made({})
    files = {}
    if "csv" in recipe.formats:
        files[f"{name}.csv"] = plants_csv(table).encode()
    if "parquet" in recipe.formats:
        files[f"{name}.parquet"] = plants_parquet(table)
    return Made(files, dict(sorted(Counter(table.stand.tolist()).items())))


def _standing(level: Whole, stands: list[Stand], box: Box | None, say: Say) -> Iterator[Planted]:
    """The plants of some stands, one stand after another."""
    for stand in stands:
        say(f"Planting {stand.name}")
        yield export.standing(level, stand, box)


def _map(planting: Planting) -> Made:
    name, data = export.density_map(planting)
    return Made({name: data})


def _squares(level: Whole, recipe: Recipe) -> Iterator[tuple[tuple[int, int] | None, Box | None]]:
    """The squares of a recipe, by column and row, and the box in m of each; the level itself when it has
    none."""
    if not recipe.cell:
        yield None, None
        return
    ground, cell = level.ground, recipe.cell
    for row in range(max(int(np.ceil(ground.length / cell)), 1)):
        for column in range(max(int(np.ceil(ground.width / cell)), 1)):
            box = column * cell, row * cell, (column + 1) * cell, (row + 1) * cell
            yield (column, row), widened(box, BESIDE)


def _scene_key(level: Whole, recipe: Recipe) -> str:
    stands = [level.planting(stand.number) for stand in export.tracked(level, recipe)]
    meshes = {slug: hash_of(item.glb).hex() for slug, item in level.level.stock.items()}
    return digest(FORM, [(p.stand.slug, p.items, _keys(p)) for p in stands], meshes)


def _scene(level: Whole, recipe: Recipe, say: Say) -> Made:
    planted = list(_standing(level, export.tracked(level, recipe), None, say))
    return Made({"level.glb": export.glb(level, planted)}, {each.stand: len(each.plants) for each in planted})
