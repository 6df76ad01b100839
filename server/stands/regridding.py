"""Touch on other cells: every stand's map resampled, never cleared, and what it was kept for undo."""

from __future__ import annotations

import secrets

import numpy as np

from server.journal.models import Entry
from server.levels.models import Level
from server.levels.rasters import TILE, split
from server.stands.models import KeptTouch, Stand, TouchTile
from server.stands.touch import touch_of
from thicket.document.touch import fitted
from thicket.limits import check_touch_cell


def check_cell(level: Level, cell: float) -> tuple[int, int]:
    """Rows and columns that the touch maps would have.

    Raises: Refused when the cell is out of bounds or would make too many.
    """
    shape = Level(cell=level.cell, rows=level.rows, columns=level.columns, touch_cell=cell).touch_shape
    check_touch_cell(shape, cell)
    return shape


def regrid(entry: Entry, level: Level, cell: float, shape: tuple[int, int]) -> None:
    """Bring all touch of a level to the cells it has now from those it had; inside a transaction.

    Parameters: level as it now is; cell in m and shape of the maps as they were. What they were is kept with
    `entry`.
    """
    for stand in Stand.every.select_for_update().filter(level=level):
        was = Level(pk=level.pk, cell=cell, rows=shape[0], columns=shape[1], touch_cell=cell)
        stand.level = was
        tiles = list(stand.touch_tiles.all())
        KeptTouch.objects.bulk_create(
            KeptTouch(entry=entry, stand=stand, tx=t.tx, tz=t.tz, revision=t.revision, data=t.data)
            for t in tiles
        )
        touch = fitted(touch_of(stand).array, cell, level.touch_shape, level.touch_cell)
        stand.touch_tiles.all().delete()
        _write(stand, touch)


def _write(stand: Stand, touch: np.ndarray) -> None:
    fresh = [
        TouchTile(stand=stand, tx=tx, tz=tz, revision=secrets.randbelow(2**31), data=data)
        for tx, tz, data in split(touch)
        if touch[tz * TILE : (tz + 1) * TILE, tx * TILE : (tx + 1) * TILE].any()
    ]
    TouchTile.objects.bulk_create(fresh)


def painted_since(entry: Entry) -> bool:
    """Whether somebody has painted, or resampled the touch, after an action and not taken it back."""
    kinds = (Entry.Kind.STROKE, Entry.Kind.RESOLUTION, Entry.Kind.GROUND)
    return (
        Entry.objects.filter(level_id=entry.level_id, kind__in=kinds, undone=False)
        .exclude(pk=entry.pk)
        .filter(touched__gt=entry.touched)
        .exists()
    )


def restore(entry: Entry) -> None:
    """Put the touch back that was kept with an action, tile for tile; inside a transaction.

    Under new revisions, so that nothing that was worked out in between is mistaken for what followed from
    them before.
    """
    TouchTile.objects.filter(stand__level_id=entry.level_id).delete()
    TouchTile.objects.bulk_create(
        TouchTile(stand_id=k.stand_id, tx=k.tx, tz=k.tz, revision=secrets.randbelow(2**31), data=k.data)
        for k in entry.kept_touch.all()
    )
