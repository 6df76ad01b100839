"""How much ground a stand's crowns cover, as a raster by tiles at several scales: what its plan is hatched by
where single plants are too small to be distinguished.

Where all plants are at hand they are counted; else what density and fullness give is taken, which needs no
plant and leaves out only what other stands take of the room.
"""

from __future__ import annotations

import numpy as np

from thicket.ground.rasters import resample
from thicket.planted.planting import Planting
from thicket.planting.stands import join

FINEST, SCALES = 8.0, 6
"""m of a cell at scale 0; each scale's cells are twice as wide as those of the one before."""
TILE = 128
"""Cells of a tile's side."""
FAINTEST = 0.2
"""How strongly the smallest plants are drawn where they stand densest."""
FULL = 0.9
"""The share of planted ground that is less dense than what counts as a stand's densest."""


def tiles_of(planting: Planting, scale: int) -> tuple[int, int]:
    """Columns and rows of the tiles of a scale."""
    side = FINEST * 2**scale * TILE
    return int(-(-planting.width // side)), int(-(-planting.length // side))


def strength(planting: Planting, scale: int, column: int, row: int) -> np.ndarray:
    """How strongly ground is drawn, uint8 (rows, columns) of a tile cut at the level's edge: the root of the
    share that crowns cover, and faintly where a stand of small plants is as dense as it is anywhere."""
    cell = FINEST * 2**scale
    if scale not in planting.covers:
        planting.covers[scale] = cover(planting, cell)
    share = planting.covers[scale]
    part = share[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
    planted = share[share > 1e-4]
    full = float(np.quantile(planted, FULL)) if len(planted) else 1.0
    drawn = np.maximum(np.sqrt(part), FAINTEST * np.minimum(part / full, 1.0))
    return np.rint(255 * np.clip(drawn, 0, 1)).astype(np.uint8)


def cover(planting: Planting, cell: float) -> np.ndarray:
    """The share of ground that crowns cover, above 1 where they overlap; float32 (rows, columns) of cells of
    so many m over the whole level."""
    columns, rows = (max(int(-(-side // cell)), 1) for side in (planting.width, planting.length))
    crowns = np.array([planting.level.stock[slug].crown for slug in planting.items])
    if planting.at_hand and not planting.stand.mapped:
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
        at = np.minimum(plants.form[:, 2] // cell, rows - 1).astype(int) * columns
        at += np.minimum(plants.form[:, 0] // cell, columns - 1).astype(int)
        area = np.pi * (crowns[plants.item] * plants.form[:, 7].astype(float)) ** 2
        covered = np.bincount(at, area, rows * columns).reshape(rows, columns)
        return (covered / cell**2).astype(np.float32)
    field, own = planting.density, planting.density_cell
    ratio = cell / own
    each = _area(planting, crowns)
    share = resample(np.asarray(field, np.float32), (rows, columns), ratio)
    return share * np.float32(planting.core.fullness * planting.core.per_m2 * each)


def _area(planting: Planting, crowns: np.ndarray) -> float:
    """The mean area in m² of a crown of a stand's mix."""
    weights = np.array([entry.weight for entry in planting.settings.mix], float)
    sizes, widths = (
        np.array([(low * low + low * high + high * high) / 3 for low, high in ranges[: len(weights)]])
        for ranges in (planting.core.item_sizes, planting.core.item_widths)
    )
    area = np.pi * crowns[: len(weights)] ** 2 * sizes * widths
    return float((weights * area).sum() / max(weights.sum(), 1e-9))
