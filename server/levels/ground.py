"""A level's ground, read from its tiles once and kept."""

from __future__ import annotations

import secrets
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from server.cache import CACHE
from server.levels.models import GroundTile, Level
from server.levels.rasters import TILE, differing, pack, place, split, tile, whole
from thicket.bands import THREADS
from thicket.document.rasters import Heights, LayerMaps


def _whole(level: Level, kind: str, dtype: str, shape: tuple[int, ...]) -> np.ndarray:
    """A raster from its tiles; where there are several of one place, from the newest."""
    rows = level.ground_tiles.filter(kind=kind, tx__lt=-(-shape[1] // TILE), tz__lt=-(-shape[0] // TILE))
    found = {(tx, tz): data for tx, tz, data in rows.order_by("revision").values_list("tx", "tz", "data")}
    return whole(((tx, tz, data) for (tx, tz), data in found.items()), dtype, shape)


def tile_revisions(level: Level) -> dict[str, list[int]]:
    """The revisions of the tiles of the heights, and of the ground layers, row by row."""
    kinds = GroundTile.Kind.HEIGHTS, GroundTile.Kind.LAYERS
    rows = level.ground_tiles.filter(kind__in=kinds).order_by("revision")
    found = {
        (kind, tx, tz): given for kind, tx, tz, given in rows.values_list("kind", "tx", "tz", "revision")
    }
    out = {}
    for kind, more in zip(kinds, (1, 0)):
        across, down = (-(-(side + more) // TILE) for side in (level.columns, level.rows))
        out[str(kind)] = [found.get((kind, tx, tz), 1) for tz in range(down) for tx in range(across)]
    return out


def heights_of(level: Level) -> Heights:
    """The level's heights as stored."""

    def read() -> Heights:
        shape, kinds = (level.rows + 1, level.columns + 1), GroundTile.Kind
        heights = _whole(level, kinds.HEIGHTS, "<f4", shape)
        if not level.ground_tiles.filter(kind=kinds.RAISED).exists():
            return Heights.of(heights, level.cell)
        for tx, tz, data in level.ground_tiles.filter(kind=kinds.BASE).values_list("tx", "tz", "data"):
            place(heights, tx, tz, data)
        return Heights.of(heights, level.cell, _whole(level, kinds.RAISED, "<i4", shape))

    return CACHE.get(("heights", level.pk, level.ground_revision), read)


def layers_of(level: Level) -> LayerMaps:
    """The level's ground layers as stored."""

    def read() -> LayerMaps:
        return LayerMaps.of(
            [layer["name"] for layer in level.layers],
            _whole(level, GroundTile.Kind.LAYERS, "u1", (level.rows, level.columns, len(level.layers))),
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


def store_changed(level: Level, kind: str, before: np.ndarray, after: np.ndarray, revision: int) -> None:
    """Bring the stored tiles of a raster from one state to another: those that differ get a revision."""
    if before.shape != after.shape:
        level.ground_tiles.filter(kind=kind).delete()
        store(level, kind, after, revision)
        return
    for tx, tz, part in differing(before, after):
        level.ground_tiles.filter(kind=kind, tx=tx, tz=tz).delete()
        GroundTile.objects.create(level=level, kind=kind, tx=tx, tz=tz, revision=revision, data=pack(part))


def store_raised(level: Level, before: Heights | None, after: Heights, revision: int) -> None:
    """Bring what is stored of raised ground from one state to another: for the tiles in which something is
    raised, what they were before that, and by how much."""
    base, raised = GroundTile.Kind.BASE, GroundTile.Kind.RAISED
    if before is not None and before.raised is None and after.raised is None:
        return
    none = np.zeros(after.base.shape, np.int32)
    now = none if after.raised is None else after.raised
    was = none if before is None or before.raised is None else before.raised
    if was.shape != now.shape or (before is not None and not np.array_equal(before.base, after.base)):
        level.ground_tiles.filter(kind__in=(base, raised)).delete()
        was = none
    for tx, tz, part in differing(was, now):
        level.ground_tiles.filter(kind__in=(base, raised), tx=tx, tz=tz).delete()
        if part.any():
            there = tile(after.base, tx, tz)
            for kind, data in ((base, pack(there)), (raised, pack(part))):
                GroundTile.objects.create(level=level, kind=kind, tx=tx, tz=tz, revision=revision, data=data)


def next_revision(level: Level) -> int:
    """A revision that no ground tile of the level has had, nor one that was rolled back."""
    newest = level.ground_tiles.order_by("-revision").values_list("revision", flat=True).first()
    return (newest or 0) + 1 + secrets.randbelow(1000)


__all__ = [
    "heights_of",
    "layers_of",
    "next_revision",
    "pack",
    "store",
    "store_changed",
    "store_raised",
    "tile_revisions",
]
