"""A level's ground, read from its tiles once and kept."""

from __future__ import annotations

import secrets
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from server.cache import CACHE
from server.levels.models import GroundTile, Level
from server.levels.rasters import TILE, pack, split, whole
from thicket.bands import THREADS
from thicket.document.rasters import Heights, LayerMaps


def _tiles(level: Level, kind: str, revision: int):
    return level.ground_tiles.filter(kind=kind, revision=revision).values_list("tx", "tz", "data")


def heights_of(level: Level) -> Heights:
    """The level's heights as stored."""

    def read() -> Heights:
        tiles = _tiles(level, GroundTile.Kind.HEIGHTS, level.ground_revision)
        return Heights.of(whole(tiles, "<f4", (level.rows + 1, level.columns + 1)), level.cell)

    return CACHE.get(("heights", level.pk, level.ground_revision), read)


def layers_of(level: Level) -> LayerMaps:
    """The level's ground layers as stored."""

    def read() -> LayerMaps:
        tiles = _tiles(level, GroundTile.Kind.LAYERS, level.layers_revision)
        return LayerMaps.of(
            [layer["name"] for layer in level.layers],
            whole(tiles, "u1", (level.rows, level.columns, len(level.layers))),
        )

    return CACHE.get(("layers", level.pk, level.layers_revision), read)


def store(level: Level, kind: str, array: np.ndarray, revision: int, report=lambda share: None) -> None:
    """Write a whole raster of the ground as tiles of a revision.

    `report(share)` is called as it goes on, and may stop it by raising.
    """
    whole_rows = -(-array.shape[0] // TILE)

    def packed(tz: int) -> list[GroundTile]:
        return [
            GroundTile(level=level, kind=kind, tx=tx, tz=tz, revision=revision, data=data)
            for tx, _, data in split(array[tz * TILE : (tz + 1) * TILE])
        ]

    with ThreadPoolExecutor(THREADS) as pool:
        for done, row in enumerate(pool.map(packed, range(whole_rows)), start=1):
            GroundTile.objects.bulk_create(row)
            report(done / whole_rows)


def next_revision(level: Level) -> int:
    """A revision that no ground tile of the level has had, nor one that was rolled back."""
    newest = level.ground_tiles.order_by("-revision").values_list("revision", flat=True).first()
    return (newest or 0) + 1 + secrets.randbelow(1000)


__all__ = ["heights_of", "layers_of", "next_revision", "pack", "store"]
