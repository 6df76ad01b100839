"""A level's ground, read from its tiles once and kept."""

from __future__ import annotations

import zlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from server.levels.models import GroundTile, Level
from server.levels.rasters import TILE, pack, split, whole
from thicket.bands import THREADS
from thicket.cache import ContentCache
from thicket.ground.heights import Ground
from thicket.ground.wetness import wetness
from thicket.hashing import digest_of

_grounds = ContentCache(6)
_layers = ContentCache(6)
_wetness = ContentCache(6)


@dataclass(frozen=True, eq=False)
class Heights:
    """Heights under a key that is equal for equal values."""

    key: str
    ground: Ground

    @property
    def nbytes(self) -> int:
        return self.ground.heights.nbytes

    def wetness(self) -> np.ndarray:
        """The wetness of the whole ground at its vertices."""
        return _wetness.get(self.key, lambda: wetness(self.ground.heights, self.ground.cell))


@dataclass(frozen=True, eq=False)
class LayerMaps:
    """Ground-layer weights, uint8 (rows, columns, layers), under a key that is equal for equal values."""

    key: str
    names: tuple[str, ...]
    weights: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.weights.nbytes


def heights_under_key(array: np.ndarray, cell: float) -> Heights:
    """Heights that are not stored, such as those of a draft."""
    return Heights(digest_of(array, cell), Ground(np.ascontiguousarray(array, np.float32), cell))


def layers_under_key(names: list[str], weights: np.ndarray) -> LayerMaps:
    """Ground layers that are not stored."""
    return LayerMaps(digest_of(weights, names), tuple(names), weights)


def _tiles(level: Level, kind: str, revision: int):
    return level.ground_tiles.filter(kind=kind, revision=revision).values_list("tx", "tz", "data")


def heights_of(level: Level) -> Heights:
    """The level's heights as stored."""

    def read() -> Heights:
        tiles = _tiles(level, GroundTile.Kind.HEIGHTS, level.ground_revision)
        return heights_under_key(whole(tiles, "<f4", (level.rows + 1, level.columns + 1)), level.cell)

    return _grounds.get((level.pk, level.ground_revision), read)


def layers_of(level: Level) -> LayerMaps:
    """The level's ground layers as stored."""

    def read() -> LayerMaps:
        tiles = _tiles(level, GroundTile.Kind.LAYERS, level.layers_revision)
        return layers_under_key([layer["name"] for layer in level.layers],
                                whole(tiles, "u1", (level.rows, level.columns, len(level.layers))))

    return _layers.get((level.pk, level.layers_revision), read)


def store(level: Level, kind: str, array: np.ndarray, revision: int, tell=lambda share: None) -> None:
    """Write a whole raster of the ground as tiles of a revision.

    `tell(share)` is called as it goes on, and may stop it by raising.
    """
    whole_rows = -(-array.shape[0] // TILE)

    def packed(tz: int) -> list[GroundTile]:
        return [GroundTile(level=level, kind=kind, tx=tx, tz=tz, revision=revision, data=data)
                for tx, _, data in split(array[tz * TILE:(tz + 1) * TILE])]

    with ThreadPoolExecutor(THREADS) as pool:
        for done, row in enumerate(pool.map(packed, range(whole_rows)), start=1):
            GroundTile.objects.bulk_create(row)
            tell(done / whole_rows)


def next_revision(level: Level) -> int:
    """A revision that no ground tile of the level has had."""
    newest = level.ground_tiles.order_by("-revision").values_list("revision", flat=True).first()
    return (newest or 0) + 1


def mask_array(pk: int, rows: int, columns: int) -> np.ndarray:
    """A stored mask image, uint8 (rows, columns)."""
    from server.ground.models import Mask

    data = Mask.objects.values_list("data", flat=True).get(pk=pk)
    return np.frombuffer(zlib.decompress(data), np.uint8).reshape(rows, columns)


__all__ = ["Heights", "LayerMaps", "digest_of", "heights_of", "heights_under_key", "layers_of", "layers_under_key",
           "mask_array", "next_revision", "pack", "store"]
