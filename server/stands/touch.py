"""Touch maps in the database: read with only changed tiles fetched again, written tile by tile under lock."""

from __future__ import annotations

import secrets
from collections.abc import Mapping

import numpy as np
from django.db import transaction

from server.cache import CACHE
from server.levels.rasters import pack, tile_of, tile_shape
from server.stands.models import Stand, TouchTile
from thicket.document.touch import Cells, Tile, TouchMap, overlap, tiles_in


def touch_of(stand: Stand, now: Mapping[Tile, int] | None = None) -> TouchMap:
    """The stand's touch as the database has it now. `now` are its tiles' revisions where they are at hand."""
    if now is None:
        now = {
            (tx, tz): revision for tx, tz, revision in stand.touch_tiles.values_list("tx", "tz", "revision")
        }
    known, shape = CACHE.peek(("touch", stand.pk)), stand.level.touch_shape
    if known and known.shape != shape:
        known = None
    if known and known.revisions == now:
        return known
    kept = (
        {at: tile for at, tile in known.tiles.items() if now.get(at) == known.revisions[at]} if known else {}
    )
    revisions = dict(now)
    changed = [at for at in now if at not in kept]
    if changed:
        rows = stand.touch_tiles.filter(tx__in={x for x, _ in changed}, tz__in={z for _, z in changed})
        for tx, tz, revision, data in rows.values_list("tx", "tz", "revision", "data"):
            kept[tx, tz], revisions[tx, tz] = tile_of(data, "<i2", tile_shape(shape, tx, tz)), revision
    fresh = TouchMap(shape, kept, revisions)
    CACHE.put(("touch", stand.pk), fresh)
    return fresh


class LockedTouch:
    """Touch tiles under row lock for one change, inside a transaction.

    `window` is a copy of the touch inside the box, `found` the revisions the tiles had when they were locked;
    `write` stores the window back.
    """

    def __init__(self, stand: Stand, box: Cells) -> None:
        self.stand, self.box = stand, box
        self.shape = stand.level.touch_shape
        wanted = tiles_in(box)
        self.tiles = self._lock(wanted)
        if len(self.tiles) < len(wanted):
            TouchTile.objects.bulk_create(
                [
                    TouchTile(stand=stand, tx=tx, tz=tz, revision=0, data=b"")
                    for tx, tz in wanted
                    if (tx, tz) not in self.tiles
                ],
                ignore_conflicts=True,
            )
            self.tiles = self._lock(wanted)
        self.found = {at: tile.revision for at, tile in self.tiles.items()}
        col0, row0, col1, row1 = box
        self.window = np.zeros((row1 - row0, col1 - col0), np.int16)
        self._arrays = self._read()
        for (tx, tz), array in self._arrays.items():
            inner, outer = overlap(tx, tz, array.shape, box)
            self.window[outer] = array[inner]

    def _lock(self, wanted: list[Tile]) -> dict[Tile, TouchTile]:
        """Lock the rows; what they hold is read only where it is not known."""
        (x0, z0), (x1, z1) = min(wanted), max(wanted)
        rows = TouchTile.objects.select_for_update().filter(
            stand=self.stand.pk, tx__gte=x0, tx__lte=x1, tz__gte=z0, tz__lte=z1
        )
        return {
            (tx, tz): TouchTile(pk=pk, stand=self.stand, tx=tx, tz=tz, revision=revision)
            for pk, tx, tz, revision in rows.order_by("tz", "tx").values_list("pk", "tx", "tz", "revision")
        }

    def _read(self) -> dict[Tile, np.ndarray]:
        """The locked tiles' touch, each a copy: from the kept map where it is of the same revision, else as
        stored."""
        known = CACHE.peek(("touch", self.stand.pk))
        held = known.tiles if known and known.shape == self.shape else {}
        same = {
            at: held[at]
            for at, tile in self.tiles.items()
            if at in held and known.revisions[at] == tile.revision
        }
        asked = [tile.pk for at, tile in self.tiles.items() if at not in same]
        stored = dict(TouchTile.objects.filter(pk__in=asked).values_list("pk", "data")) if asked else {}
        return {
            (tx, tz): same[tx, tz].copy()
            if (tx, tz) in same
            else tile_of(stored[tile.pk], "<i2", tile_shape(self.shape, tx, tz))
            for (tx, tz), tile in self.tiles.items()
        }

    def write(self, window: np.ndarray, known: TouchMap) -> TouchMap:
        """Store the window's new values under new revisions; the map that follows from the one that was known
        before.

        A revision is drawn by chance, so that one that was rolled back is never met again.
        """
        changed = {}
        for at, tile in self.tiles.items():
            inner, outer = overlap(*at, self._arrays[at].shape, self.box)
            if not np.array_equal(self._arrays[at][inner], window[outer]):
                self._arrays[at][inner] = window[outer]
                tile.revision = secrets.randbelow(2**31)
                changed[at] = tile
        for at, tile in changed.items():
            tile.data = pack(self._arrays[at])
        TouchTile.objects.bulk_create(
            changed.values(), update_conflicts=True, update_fields=["data", "revision"]
        )
        after = known.changed(self._arrays, {at: tile.revision for at, tile in self.tiles.items()}, self.box)
        transaction.on_commit(lambda: CACHE.put(("touch", self.stand.pk), after))
        return after
