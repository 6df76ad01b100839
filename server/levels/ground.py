"""A level's ground, read from its tiles once and kept."""

from __future__ import annotations

import numpy as np

from server.cache import ContentCache
from server.levels.models import GroundTile, Level
from server.levels.rasters import split, whole
from thicket.ground.heights import Ground
from thicket.site.conditions import KINDS, histogram

_grounds = ContentCache(4)
_histograms = ContentCache(32)


def ground_key(level: Level) -> tuple[int, int]:
    """Changes whenever the ground does."""
    return level.pk, level.ground_revision


def ground_of(level: Level) -> Ground:
    """The level's heights."""

    def read() -> Ground:
        tiles = level.ground_tiles.filter(kind=GroundTile.Kind.HEIGHTS).values_list("tx", "tz", "data")
        return Ground(whole(tiles, "<f4", (level.rows + 1, level.columns + 1)), level.cell)

    return _grounds.get(ground_key(level), read)


def layers_of(level: Level) -> np.ndarray:
    """Ground-layer weights, uint8 (rows, columns, layers)."""
    tiles = level.ground_tiles.filter(kind=GroundTile.Kind.LAYERS).values_list("tx", "tz", "data")
    return whole(tiles, "u1", (level.rows, level.columns, len(level.layers)))


def store(level: Level, kind: str, array: np.ndarray) -> None:
    """Write a whole raster of the ground as tiles, in place of what was there."""
    level.ground_tiles.filter(kind=kind).delete()
    GroundTile.objects.bulk_create(
        [GroundTile(level=level, kind=kind, tx=tx, tz=tz, revision=level.ground_revision, data=data)
         for tx, tz, data in split(array)], batch_size=32)


def histograms(level: Level) -> dict[str, dict[str, list[float]]]:
    """For each field a condition can ask for: how much of the ground has which value."""

    def count() -> dict[str, dict[str, list[float]]]:
        fields = ground_of(level).fields
        out = {}
        for kind in KINDS:
            counts, edges = histogram(fields[kind])
            out[kind] = {"counts": counts.tolist(), "edges": edges.round(3).tolist()}
        return out

    return _histograms.get(ground_key(level), count)
