"""A level's stands and what is painted of them, read into a document and written from one."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User

from server.document.planted import numbers_of
from server.levels.models import Level
from server.levels.rasters import pack, tile_of, tile_shape
from server.stands.models import MeshTouch as MeshTouchRow
from server.stands.models import Stand, TouchTile, document_of_stand
from thicket.document.level import Level as Document
from thicket.document.level import Stand as DocumentStand
from thicket.document.mesh_touch import MeshTouch
from thicket.document.touch import Tile, TouchMap

FIELDS = ("slug", "name", "stratum", "place", "sward", "seed", "locked", "colour", "off", "group")


def read(level: Level) -> dict[str, Any]:
    """The parts of a document that are the level's stands."""
    rows = list(level.stands.order_by("number"))
    return {
        "stands": {row.number: document_of_stand(row) for row in rows},
        "touch": _touch(level, {row.pk: row.number for row in rows}),
        "mesh_touch": {
            number: MeshTouch.from_bytes(zlib.decompress(data))
            for number, data in MeshTouchRow.objects.filter(stand__in=rows).values_list(
                "stand__number", "data"
            )
        },
    }


def _touch(level: Level, numbers: Mapping[int, int]) -> dict[int, TouchMap]:
    found: dict[int, tuple[dict, dict]] = {number: ({}, {}) for number in numbers.values()}
    tiles = TouchTile.objects.filter(stand__in=numbers).values_list(
        "stand_id", "tx", "tz", "revision", "data"
    )
    for stand, tx, tz, revision, data in tiles.iterator(chunk_size=50):
        values, revisions = found[numbers[stand]]
        values[tx, tz] = tile_of(data, "<i2", tile_shape(level.touch_shape, tx, tz))
        revisions[tx, tz] = revision
    return {number: TouchMap(level.touch_shape, *given) for number, given in found.items() if given[0]}


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring stands and their painting from one document to another; inside a transaction. The row of a stand
    that goes stays, marked as gone, so that its number is not given again; its slug is free."""
    for number in before.stands.keys() - after.stands.keys():
        Stand.every.filter(level=row, number=number).update(gone=True, slug=gone_slug(number))
        TouchTile.objects.filter(stand__level=row, stand__number=number).delete()
        MeshTouchRow.objects.filter(stand__level=row, stand__number=number).delete()
    for number, stand in after.stands.items():
        if before.stands.get(number) is not stand:
            values = values_of(stand)
            if not Stand.every.filter(level=row, number=number).update(**values):
                Stand.every.bulk_create([Stand(level=row, number=number, **values)])
    ids: dict[int, int] = {}
    for number in after.stands:
        was, now = (of.touch.get(number) for of in (before, after))
        on_meshes = [of.mesh_touch_of(number) for of in (before, after)]
        if was is now and on_meshes[0] is on_meshes[1]:
            continue
        ids = ids or {n: pk for pk, n in numbers_of(row).items()}
        if number not in ids:  # it came with this edit
            ids = stand_ids(row)
        if was is not now:
            write_touch(ids[number], was, now)
        if on_meshes[0] is not on_meshes[1]:
            write_mesh_touch(ids[number], on_meshes[1])


def gone_slug(number: int) -> str:
    """What the row of a stand that is gone is called."""
    return f"~{number}"


def values_of(stand: DocumentStand) -> dict[str, Any]:
    """The fields of a stand's row."""
    given = {name: getattr(stand, name) for name in FIELDS}
    return given | {"settings": stand.settings.model_dump(mode="json"), "gone": False}


def stand_ids(level: Level) -> dict[int, int]:
    """The primary keys of the level's stands, by number; of those that are gone, too."""
    return dict(Stand.every.filter(level=level).values_list("number", "pk"))


def write_touch(stand: int, was: TouchMap | None, now: TouchMap | None) -> None:
    """Bring the painting of a stand, by primary key, from one map to another."""
    have: Mapping[Tile, int] = was.revisions if was else {}
    want: Mapping[Tile, int] = now.revisions if now else {}
    rows = TouchTile.objects.filter(stand=stand)
    other = was is not None and now is not None and was.shape != now.shape
    if other or have.keys() - want.keys():
        rows.delete()
        have = {}
    if now is None:
        return
    TouchTile.objects.bulk_create(
        [
            TouchTile(stand_id=stand, tx=tx, tz=tz, revision=revision, data=pack(now.tiles[tx, tz]))
            for (tx, tz), revision in want.items()
            if have.get((tx, tz)) != revision
        ],
        update_conflicts=True,
        update_fields=["data", "revision"],
    )


def write_mesh_touch(stand: int, touch: MeshTouch) -> None:
    """Write what is painted of a stand, by primary key, on placed meshes."""
    rows = MeshTouchRow.objects.filter(stand=stand)
    if not touch.painted_anywhere:
        rows.delete()
        return
    data = zlib.compress(touch.to_bytes(), 1)
    if not rows.update(data=data):
        MeshTouchRow.objects.create(stand_id=stand, data=data)
