"""Touch maps: read whole with only changed tiles fetched again, written tile by tile under lock."""

from __future__ import annotations

import hashlib
import secrets
import threading
from collections import OrderedDict, defaultdict
from dataclasses import dataclass, field

import numpy as np
from django.db import transaction

from server.cache import ContentCache
from server.levels.models import Level
from server.levels.rasters import TILE, pack, place, tile_shape, unpack
from server.stands.models import Stand, TouchTile
from server.stands.patching import touch_blocks

_KEPT_STANDS = 64


@dataclass
class TouchMap:
    """A whole touch map, int16 (rows, columns), and the revision of each painted tile by (tx, tz)."""

    array: np.ndarray
    revisions: dict[tuple[int, int], int] = field(default_factory=dict)
    digests: dict[tuple[int, int, int, int], str] = field(default_factory=dict)
    _blocks: dict[tuple[int, int, int, int], tuple[np.ndarray, tuple[int, int]]] = field(default_factory=dict)

    def blocks(self, box: tuple[int, int, int, int]) -> tuple[np.ndarray, tuple[int, int]]:
        """See `server.stands.patching.touch_blocks`; kept."""
        if box not in self._blocks:
            self._blocks[box] = touch_blocks(self.array, box)
        return self._blocks[box]

    def digest(self, box: tuple[int, int, int, int]) -> str:
        """A hash of the touch in a box of cells (col0, row0, col1, row1), cut at the level's edge."""
        if box not in self.digests:
            col0, row0, col1, row1 = box
            window = np.ascontiguousarray(self.array[max(row0, 0):row1, max(col0, 0):col1])
            self.digests[box] = hashlib.blake2b(window, digest_size=8).hexdigest()
        return self.digests[box]


FIELDS = [field.attname for field in Stand._meta.concrete_fields]
_rows = ContentCache(64)
_maps: OrderedDict[int, TouchMap] = OrderedDict()
_lock = threading.Lock()


def state_of(level: Level) -> tuple[int, dict[int, dict[tuple[int, int], int]]]:
    """What tells whether stands or their touch have changed, at one moment: the revision of the level's stands, and that of every
    painted tile by the stand's primary key and (tx, tz)."""
    found: dict[int, dict[tuple[int, int], int]] = defaultdict(dict)
    names = [f"stands__touch_tiles__{name}" for name in ("stand_id", "tx", "tz", "revision")]
    rows = list(Level.objects.filter(pk=level.pk).values_list("stand_revision", *names))
    for _, pk, tx, tz, revision in rows:
        if pk is not None:
            found[pk][tx, tz] = revision
    return rows[0][0] if rows else 0, found


def rows_of(level: Level, token: int) -> tuple[tuple, ...]:
    """The level's stands at a revision of them, as the values of their fields: read once, and made into stands anew each time."""

    def read() -> tuple[tuple, ...]:
        return tuple(level.stands.values_list(*FIELDS))

    return _rows.get((level.pk, token), read)


def touch_of(stand: Stand, now: dict[tuple[int, int], int] | None = None) -> TouchMap:
    """The stand's touch as the database has it now. The map is never changed once handed out.

    `now` are its tiles' revisions where they are at hand.
    """
    if now is None:
        now = {(tx, tz): revision for tx, tz, revision in stand.touch_tiles.values_list("tx", "tz", "revision")}
    with _lock:
        known = _maps.get(stand.pk)
    shape = stand.level.touch_shape
    if known and known.array.shape != shape:
        known = None
    if known and known.revisions == now:
        return known
    fresh = TouchMap(known.array.copy() if known else np.zeros(shape, np.int16), dict(now))
    if known and not set(known.revisions) <= set(now):
        fresh.array[:], known = 0, None
    changed = [at for at, revision in now.items() if not known or known.revisions.get(at) != revision]
    if changed:
        xs, zs = {x for x, _ in changed}, {z for _, z in changed}
        rows = stand.touch_tiles.filter(tx__in=xs, tz__in=zs).values_list("tx", "tz", "revision", "data")
        for tx, tz, revision, data in rows:
            place(fresh.array, tx, tz, data)
            fresh.revisions[tx, tz] = revision
    if known:
        fresh.digests = {box: digest for box, digest in known.digests.items() if not _over_any(box, changed)}
    with _lock:
        _maps[stand.pk] = fresh
        _maps.move_to_end(stand.pk)
        while len(_maps) > _KEPT_STANDS:
            _maps.popitem(last=False)
    return fresh


def _over_any(box: tuple[int, int, int, int], tiles: list[tuple[int, int]]) -> bool:
    return any(tx * TILE < box[2] and (tx + 1) * TILE > box[0] and tz * TILE < box[3] and (tz + 1) * TILE > box[1]
               for tx, tz in tiles)


def tiles_over(stand: Stand, box: tuple[int, int, int, int]) -> list[tuple[int, int]]:
    """The tiles (tx, tz) that a box of cells (col0, row0, col1, row1), half open, touches."""
    col0, row0, col1, row1 = box
    return [(tx, tz) for tz in range(row0 // TILE, -(-row1 // TILE)) for tx in range(col0 // TILE, -(-col1 // TILE))]


class LockedTouch:
    """Touch tiles under row lock for one change, inside a transaction.

    `window` is a copy of the touch inside the box (col0, row0, col1, row1), `found` the revisions the tiles had when they were
    locked; `write` stores the window back.
    """

    def __init__(self, stand: Stand, box: tuple[int, int, int, int]) -> None:
        self.stand, self.box = stand, box
        self.shape = stand.level.touch_shape
        wanted = tiles_over(stand, box)
        self.tiles = self._lock(wanted)
        if len(self.tiles) < len(wanted):
            TouchTile.objects.bulk_create(
                [TouchTile(stand=stand, tx=tx, tz=tz, revision=0, data=b"") for tx, tz in wanted
                 if (tx, tz) not in self.tiles], ignore_conflicts=True)
            self.tiles = self._lock(wanted)
        self.found = {at: tile.revision for at, tile in self.tiles.items()}
        col0, row0, col1, row1 = box
        self.window = np.zeros((row1 - row0, col1 - col0), np.int16)
        self._arrays = self._read()
        for (tx, tz), array in self._arrays.items():
            inner, outer = self._overlap(tx, tz, array.shape)
            self.window[outer] = array[inner]

    def _lock(self, wanted: list[tuple[int, int]]) -> dict[tuple[int, int], TouchTile]:
        """Lock the rows; what they hold is read only where it is not known."""
        xs, zs = {x for x, _ in wanted}, {z for _, z in wanted}
        rows = TouchTile.objects.select_for_update().filter(stand=self.stand, tx__in=xs, tz__in=zs).order_by("tz", "tx")
        return {(tx, tz): TouchTile(pk=pk, stand=self.stand, tx=tx, tz=tz, revision=revision)
                for pk, tx, tz, revision in rows.values_list("pk", "tx", "tz", "revision")}

    def _read(self) -> dict[tuple[int, int], np.ndarray]:
        """The locked tiles' touch, each a copy: from the kept map where it is of the same revision, else as stored."""
        with _lock:
            known = _maps.get(self.stand.pk)
        held = known.revisions if known and known.array.shape == self.shape else {}
        asked = [tile.pk for at, tile in self.tiles.items() if held.get(at) != tile.revision]
        stored = dict(TouchTile.objects.filter(pk__in=asked).values_list("pk", "data")) if asked else {}
        arrays = {}
        for (tx, tz), tile in self.tiles.items():
            rows, columns = tile_shape(self.shape, tx, tz)
            if tile.pk in stored:
                data = stored[tile.pk]
                arrays[tx, tz] = unpack(data, "<i2", (rows, columns)) if data else np.zeros((rows, columns), np.int16)
            else:
                arrays[tx, tz] = known.array[tz * TILE:tz * TILE + rows, tx * TILE:tx * TILE + columns].copy()
        return arrays

    def _overlap(self, tx: int, tz: int, shape: tuple[int, ...]):
        """Slices of the tile and of the window where the two overlap."""
        col0, row0, col1, row1 = self.box
        x0, x1 = max(col0, tx * TILE), min(col1, tx * TILE + shape[1])
        z0, z1 = max(row0, tz * TILE), min(row1, tz * TILE + shape[0])
        return ((slice(z0 - tz * TILE, z1 - tz * TILE), slice(x0 - tx * TILE, x1 - tx * TILE)),
                (slice(z0 - row0, z1 - row0), slice(x0 - col0, x1 - col0)))

    def write(self, window: np.ndarray) -> dict[tuple[int, int], int]:
        """Store the window's new values under new revisions, which are returned by tile.

        A revision is drawn by chance, so that one that was rolled back is never met again.
        """
        changed = {}
        for at, tile in self.tiles.items():
            inner, outer = self._overlap(*at, self._arrays[at].shape)
            if not np.array_equal(self._arrays[at][inner], window[outer]):
                self._arrays[at][inner] = window[outer]
                tile.revision = secrets.randbelow(2**31)
                changed[at] = tile
        for at, tile in changed.items():
            tile.data = pack(self._arrays[at])
        TouchTile.objects.bulk_create(changed.values(), update_conflicts=True, update_fields=["data", "revision"])
        transaction.on_commit(lambda: self._publish(self.found))
        return {at: tile.revision for at, tile in changed.items()}

    def _publish(self, before: dict[tuple[int, int], int]) -> None:
        """Bring the kept map up to date with what was stored, when it was so before the change."""
        with _lock:
            known = _maps.get(self.stand.pk)
        if not known or known.array.shape != self.shape:
            return
        if any(known.revisions.get(at, 0) != revision for at, revision in before.items()):
            return
        changed = list(self.tiles)
        fresh = TouchMap(known.array.copy(), known.revisions | {at: tile.revision for at, tile in self.tiles.items()},
                         {box: digest for box, digest in known.digests.items() if not _over_any(box, changed)})
        for (tx, tz), array in self._arrays.items():
            fresh.array[tz * TILE:tz * TILE + array.shape[0], tx * TILE:tx * TILE + array.shape[1]] = array
        with _lock:
            if _maps.get(self.stand.pk) is known:
                _maps[self.stand.pk] = fresh
