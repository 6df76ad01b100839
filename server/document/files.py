"""The files of a level's items, which its documents hold where they are wanted alone."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from server.levels.models import Level
from thicket.document.edits import Edit, LeaveItem, Several, TakeItem, VersionItem
from thicket.document.level import Level as Document


def items_of(edit: Edit) -> set[str]:
    """The items whose files an edit needs, or gives."""
    if isinstance(edit, Several):
        return set().union(*map(items_of, edit.edits))
    if isinstance(edit, (TakeItem, VersionItem)):
        return {edit.item.slug}
    return {edit.slug} if isinstance(edit, LeaveItem) else set()


def with_files(level: Level, document: Document, slugs: Collection[str] | None = None) -> Document:
    """A level's document with the files and pictures of some items, or of all."""
    rows = level.stock.all() if slugs is None else level.stock.filter(slug__in=slugs)
    files = {slug: parts for slug, *parts in rows.values_list("slug", "glb", "silhouette")}
    stock = {
        slug: replace(item, glb=bytes(files[slug][0]), silhouette=bytes(files[slug][1]))
        if slug in files
        else item
        for slug, item in document.stock.items()
    }
    return replace(document, stock=stock)


def without_files(document: Document) -> Document:
    """The same without any."""
    if not any(item.glb for item in document.stock.values()):
        return document
    stock = {slug: replace(item, glb=b"", silhouette=b"") for slug, item in document.stock.items()}
    return replace(document, stock=stock)
