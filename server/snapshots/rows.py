"""A level's snapshots, read into a document and written from one."""

from __future__ import annotations

import base64
import zlib
from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User

from server.levels.models import Level
from server.levels.rasters import pack, tile_of, tile_shape
from server.snapshots.models import Snapshot as SnapshotRow
from server.snapshots.models import SnapshotTouch
from server.stands.models import Stand
from thicket.document.edits.snapshots import Saved
from thicket.document.level import Level as Document
from thicket.document.level import Snapshot
from thicket.document.level import Stand as DocumentStand
from thicket.document.mesh_touch import MeshTouch
from thicket.document.touch import TouchMap
from thicket.lazy import lazy
from thicket.planting.pins import Pins


class StoredSnapshot(Snapshot):
    """A snapshot of the database, read when it is looked into."""

    def __init__(self, pk: int) -> None:
        object.__setattr__(self, "pk", pk)

    @lazy
    def _whole(self) -> Snapshot:
        return _whole(SnapshotRow.objects.get(pk=self.pk))  # type: ignore[attr-defined]

    @property
    def touch_cell(self) -> float:  # type: ignore[override]
        return self._whole.touch_cell

    @property
    def stands(self) -> Mapping[int, DocumentStand]:  # type: ignore[override]
        return self._whole.stands

    @property
    def touch(self) -> Mapping[int, TouchMap]:  # type: ignore[override]
        return self._whole.touch

    @property
    def mesh_touch(self) -> Mapping[int, MeshTouch]:  # type: ignore[override]
        return self._whole.mesh_touch

    @property
    def pins(self) -> Mapping[int, Pins]:  # type: ignore[override]
        return self._whole.pins


def _whole(row: SnapshotRow) -> Snapshot:
    given = {name: getattr(row, name) for name in ("touch_cell", "stands", "pins", "uprooted")}
    shot = Saved.model_validate(given).snapshot()
    shape = row.touch_rows, row.touch_columns
    found: dict[int, tuple[dict, dict]] = {n: ({}, {}) for n in shot.stands}
    tiles = row.touch_tiles.values_list("stand__number", "tx", "tz", "revision", "data")
    for number, tx, tz, revision, data in tiles.iterator(chunk_size=50):
        values, revisions = found[number]
        values[tx, tz], revisions[tx, tz] = tile_of(data, "<i2", tile_shape(shape, tx, tz)), revision
    touch = {number: TouchMap(shape, *given) for number, given in found.items() if given[0]}
    on_meshes = {
        int(number): MeshTouch.from_bytes(zlib.decompress(base64.b64decode(data)))
        for number, data in row.mesh_touch.items()
    }
    return Snapshot(shot.touch_cell, shot.stands, touch, shot.pins, on_meshes)


def read(level: Level) -> dict[str, Any]:
    """The part of a document that is the level's snapshots."""
    rows = level.snapshots.order_by("place", "pk").values_list("name", "pk")
    return {"snapshots": {name: StoredSnapshot(pk) for name, pk in rows}}


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the snapshots from one document to another; inside a transaction."""
    if before.snapshots is after.snapshots:
        return
    row.snapshots.filter(name__in=before.snapshots.keys() - after.snapshots.keys()).delete()
    for name, shot in after.snapshots.items():
        if before.snapshots.get(name) is not shot:
            put_snapshot(row, name, shot, after.touch_shape, user)
    for place, name in enumerate(after.snapshots):
        row.snapshots.filter(name=name).exclude(place=place).update(place=place)


def put_snapshot(row: Level, name: str, shot: Snapshot, shape: tuple[int, int], user: User) -> None:
    """Write a new snapshot; `shape` of touch maps where it has none."""
    # Touch is written tile by tile below.
    planting = Saved.of(Snapshot(shot.touch_cell, shot.stands, {}, shot.pins)).model_dump(mode="json")
    shape = next((touch.shape for touch in shot.touch.values()), shape)
    stored = SnapshotRow.objects.create(
        level=row,
        name=name,
        by=user,
        touch_cell=shot.touch_cell,
        touch_rows=shape[0],
        touch_columns=shape[1],
        mesh_touch={
            number: base64.b64encode(zlib.compress(touch.to_bytes(), 1)).decode()
            for number, touch in shot.mesh_touch.items()
            if touch.painted_anywhere
        },
        **{part: planting[part] for part in ("stands", "pins", "uprooted")},
    )
    ids = dict(Stand.every.filter(level=row).values_list("number", "pk"))
    SnapshotTouch.objects.bulk_create(
        SnapshotTouch(
            snapshot=stored,
            stand_id=ids[number],
            tx=tx,
            tz=tz,
            revision=revision,
            data=pack(touch.tiles[tx, tz]),
        )
        for number, touch in shot.touch.items()
        for (tx, tz), revision in touch.revisions.items()
    )
