"""What a level can plant, read into a document and written from one; items without their files, which
`server.document.files` reads."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User

from server.document.files import file_reader
from server.levels.models import Level
from server.stock.models import StockItem
from thicket.document.level import Item
from thicket.document.level import Level as Document

FIELDS = ("name", "height", "crown", "trunk", "traits", "distances", "held")


def read(level: Level) -> dict[str, Any]:
    """The part of a document that is the level's stock."""
    return {"stock": {row.slug: _item(row) for row in level.stock.defer("silhouette")}}


def _item(row: StockItem) -> Item:
    given = {name: getattr(row, name) for name in FIELDS}
    stored = file_reader(row.level_id, row.slug)
    return Item(row.slug, points=row.anchors, version=row.revision, stored=stored, **given)


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring the stock from one document to another; inside a transaction."""
    if before.stock is after.stock:
        return
    row.stock.filter(slug__in=before.stock.keys() - after.stock.keys()).delete()
    for slug, item in after.stock.items():
        was = before.stock.get(slug)
        if was is item:
            continue
        values: dict[str, Any] = {name: getattr(item, name) for name in FIELDS}
        values |= {"anchors": list(item.points), "revision": item.version}
        if was is None or was.glb is not item.glb:
            values |= {"glb": item.glb, "silhouette": item.silhouette}
        StockItem.objects.update_or_create(level=row, slug=slug, defaults=values)
    if list(before.stock) != list(after.stock):
        for place, slug in enumerate(after.stock):
            row.stock.filter(slug=slug).exclude(place=place).update(place=place)
