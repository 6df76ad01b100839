"""Touch maps: read whole with only changed tiles fetched again, written tile by tile under lock."""

from __future__ import annotations

import secrets
from collections import defaultdict
from dataclasses import dataclass, field

import numpy as np
from django.db import transaction

from server.asking import Asked
from server.levels.models import Level
from server.levels.rasters import TILE, pack, tile_of, tile_shape
from server.stands.models import Stand, TouchTile
from server.stands.patching import BLOCK, touch_blocks, touch_digest
from thicket.cache import ContentCache


@dataclass
class TouchMap:
    """A stand's touch, `shape` (rows, columns) of int16: the painted tiles, by (tx, tz), and their revisions. Tiles are shared
    between maps and never changed; what is not painted is 0."""

    shape: tuple[int, int]
    tiles: dict[tuple[int, int], np.ndarray] = field(default_factory=dict)
    revisions: dict[tuple[int, int], int] = field(default_factory=dict)
    digests: dict[tuple[int, int, int, int], str] = field(default_factory=dict)
    _blocks: dict[tuple[int, int, int, int], tuple[np.ndarray, tuple[int, int]]] = field(default_factory=dict)

    @staticmethod
    def of(array: np.ndarray, revisions: dict[tuple[int, int], int]) -> TouchMap:
        """The map of a whole array, which is not copied."""
        rows, columns = array.shape
        return TouchMap(array.shape, {(x // TILE, z // TILE): array[z:z + TILE, x:x + TILE]
                                      for z in range(0, rows, TILE) for x in range(0, columns, TILE)}, revisions)

    @property
    def array(self) -> np.ndarray:
        """The whole touch, a copy."""
        return self.window((0, 0, self.shape[1], self.shape[0]))[0]

    def window(self, box: tuple[int, int, int, int]) -> tuple[np.ndarray, tuple[int, int]]:
        """The touch in a box of cells (col0, row0, col1, row1), cut at the level's edge, a copy; and the column and row it begins
        at."""
        col0, row0 = max(box[0], 0), max(box[1], 0)
        col1, row1 = max(min(box[2], self.shape[1]), col0), max(min(box[3], self.shape[0]), row0)
        out = np.zeros((row1 - row0, col1 - col0), np.int16)
        for tx, tz in tiles_in((col0, row0, col1, row1)):
            tile = self.tiles.get((tx, tz))
            if tile is not None:
                inner, outer = _overlap(tx, tz, tile.shape, (col0, row0, col1, row1))
                out[outer] = tile[inner]
        return out, (col0, row0)

    def blocks(self, box: tuple[int, int, int, int]) -> tuple[np.ndarray, tuple[int, int]]:
        """See `server.stands.patching.touch_blocks`; kept."""
        if box not in self._blocks:
            by = box[0] // BLOCK * BLOCK, box[1] // BLOCK * BLOCK, -(-box[2] // BLOCK) * BLOCK, -(-box[3] // BLOCK) * BLOCK
            window, (col0, row0) = self.window(by)
            sums, _ = touch_blocks(window, (0, 0, window.shape[1], window.shape[0]))
            self._blocks[box] = sums, (col0 // BLOCK, row0 // BLOCK)
        return self._blocks[box]

    def digest(self, box: tuple[int, int, int, int]) -> str:
        """A hash of the touch in a box of cells (col0, row0, col1, row1), cut at the level's edge."""
        if box not in self.digests:
            self.digests[box] = touch_digest(self.window(box)[0])
        return self.digests[box]


def tiles_in(box: tuple[int, int, int, int]) -> list[tuple[int, int]]:
    """The tiles (tx, tz) that a box of cells (col0, row0, col1, row1), half open, touches."""
    col0, row0, col1, row1 = box
    return [(tx, tz) for tz in range(row0 // TILE, -(-row1 // TILE)) for tx in range(col0 // TILE, -(-col1 // TILE))]


def _overlap(tx: int, tz: int, shape: tuple[int, ...], box: tuple[int, int, int, int]):
    """Slices of a tile and of a box of cells where the two overlap."""
    col0, row0, col1, row1 = box
    x0, x1 = max(col0, tx * TILE), min(col1, tx * TILE + shape[1])
    z0, z1 = max(row0, tz * TILE), min(row1, tz * TILE + shape[0])
    return ((slice(z0 - tz * TILE, z1 - tz * TILE), slice(x0 - tx * TILE, x1 - tx * TILE)),
            (slice(z0 - row0, z1 - row0), slice(x0 - col0, x1 - col0)))


FIELDS = [field.attname for field in Stand._meta.concrete_fields]
_rows = ContentCache(64)
_maps = ContentCache(64)
"""The newest touch map of each stand that is known here, by its primary key."""


_state = Asked(lambda level: Level.objects.filter(pk=level).values_list(
    "stand_revision", *(f"stands__touch_tiles__{name}" for name in ("stand_id", "tx", "tz", "revision"))), 1)
_locking = Asked(lambda stand, tx0, tx1, tz0, tz1: TouchTile.objects.select_for_update().filter(
    stand=stand, tx__gte=tx0, tx__lte=tx1, tz__gte=tz0, tz__lte=tz1).order_by("tz", "tx").values_list("pk", "tx", "tz", "revision"),
    *range(5))


def state_of(level: Level) -> tuple[int, dict[int, dict[tuple[int, int], int]]]:
    """What tells whether stands or their touch have changed, at one moment: the revision of the level's stands, and that of every
    painted tile by the stand's primary key and (tx, tz)."""
    found: dict[int, dict[tuple[int, int], int]] = defaultdict(dict)
    rows = _state.rows(level.pk)
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
    known = _maps.peek(stand.pk)
    shape = stand.level.touch_shape
    if known and known.shape != shape:
        known = None
    if known and known.revisions == now:
        return known
    fresh = TouchMap(shape, {}, dict(now))
    if known and set(known.revisions) <= set(now):
        fresh.tiles = {at: tile for at, tile in known.tiles.items() if now[at] == known.revisions[at]}
    else:
        known = None
    changed = [at for at, revision in now.items() if not known or known.revisions.get(at) != revision]
    if changed:
        xs, zs = {x for x, _ in changed}, {z for _, z in changed}
        rows = stand.touch_tiles.filter(tx__in=xs, tz__in=zs).values_list("tx", "tz", "revision", "data")
        for tx, tz, revision, data in rows:
            fresh.tiles[tx, tz] = tile_of(data, "<i2", tile_shape(shape, tx, tz))
            fresh.revisions[tx, tz] = revision
    if known:
        fresh.digests = {box: digest for box, digest in known.digests.items() if not _over_any(box, changed)}
    _maps.put(stand.pk, fresh)
    return fresh


def _meet(a: tuple[int, int, int, int], b: tuple[int, int, int, int]) -> bool:
    """Whether two boxes of cells have blocks of touch in common."""
    return a[0] < b[2] + BLOCK and a[1] < b[3] + BLOCK and b[0] < a[2] + BLOCK and b[1] < a[3] + BLOCK


def _over_any(box: tuple[int, int, int, int], tiles: list[tuple[int, int]]) -> bool:
    return any(tx * TILE < box[2] and (tx + 1) * TILE > box[0] and tz * TILE < box[3] and (tz + 1) * TILE > box[1]
               for tx, tz in tiles)


class LockedTouch:
    """Touch tiles under row lock for one change, inside a transaction.

    `window` is a copy of the touch inside the box (col0, row0, col1, row1), `found` the revisions the tiles had when they were
    locked; `write` stores the window back.
    """

    def __init__(self, stand: Stand, box: tuple[int, int, int, int]) -> None:
        self.stand, self.box = stand, box
        self.shape = stand.level.touch_shape
        wanted = tiles_in(box)
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
            inner, outer = _overlap(tx, tz, array.shape, box)
            self.window[outer] = array[inner]

    def _lock(self, wanted: list[tuple[int, int]]) -> dict[tuple[int, int], TouchTile]:
        """Lock the rows; what they hold is read only where it is not known."""
        (x0, z0), (x1, z1) = min(wanted), max(wanted)
        return {(tx, tz): TouchTile(pk=pk, stand=self.stand, tx=tx, tz=tz, revision=revision)
                for pk, tx, tz, revision in _locking.rows(self.stand.pk, x0, x1, z0, z1)}

    def _read(self) -> dict[tuple[int, int], np.ndarray]:
        """The locked tiles' touch, each a copy: from the kept map where it is of the same revision, else as stored."""
        known = _maps.peek(self.stand.pk)
        held = {at: known.revisions[at] for at in known.tiles.keys() & known.revisions.keys()} if known and (
            known.shape == self.shape) else {}
        asked = [tile.pk for at, tile in self.tiles.items() if held.get(at) != tile.revision]
        stored = dict(TouchTile.objects.filter(pk__in=asked).values_list("pk", "data")) if asked else {}
        return {(tx, tz): tile_of(stored[tile.pk], "<i2", tile_shape(self.shape, tx, tz)) if tile.pk in stored
                else known.tiles[tx, tz].copy() for (tx, tz), tile in self.tiles.items()}

    def write(self, window: np.ndarray) -> dict[tuple[int, int], int]:
        """Store the window's new values under new revisions, which are returned by tile.

        A revision is drawn by chance, so that one that was rolled back is never met again.
        """
        changed = {}
        for at, tile in self.tiles.items():
            inner, outer = _overlap(*at, self._arrays[at].shape, self.box)
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
        known = _maps.peek(self.stand.pk)
        if not known or known.shape != self.shape:
            return
        if any(known.revisions.get(at, 0) != revision for at, revision in before.items()):
            return
        fresh = TouchMap(self.shape, known.tiles | self._arrays, known.revisions | {at: t.revision for at, t in self.tiles.items()},
                         *({box: said for box, said in kept.copy().items() if not _meet(box, self.box)}
                           for kept in (known.digests, known._blocks)))
        _maps.replace(self.stand.pk, known, fresh)
