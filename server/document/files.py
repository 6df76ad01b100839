"""The files of items: stored once, and held by a level's documents where they are wanted alone."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from datetime import timedelta

from django.utils import timezone

from server.document.models import StoredFile
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
    files = {slug: parts for slug, *parts in rows.values_list("slug", "mesh__data", "silhouette")}
    stock = {
        slug: replace(item, glb=bytes(files[slug][0] or b""), silhouette=bytes(files[slug][1]))
        if slug in files
        else item
        for slug, item in document.stock.items()
    }
    return replace(document, stock=stock)


def file_reader(level: int, slug: str) -> Callable[[], bytes]:
    """What reads the file of an item of a level, by primary key."""

    def read() -> bytes:
        row = Level(pk=level).stock.filter(slug=slug)
        return bytes(row.values_list("mesh__data", flat=True).first() or b"")

    return read


def without_files(level: Level, document: Document) -> Document:
    """The same without any; they are read where they are wanted."""
    if not any(item.glb for item in document.stock.values()):
        return document
    stock = {
        slug: replace(item, glb=b"", silhouette=b"", stored=file_reader(level.pk, slug))
        for slug, item in document.stock.items()
    }
    return replace(document, stock=stock)


def clear_files() -> None:
    """Delete files that nothing has any longer; those given to something within a day stay."""
    free = StoredFile.objects.filter(at__lt=timezone.now() - timedelta(days=1))
    for relation in StoredFile._meta.get_fields(include_hidden=True):
        if relation.one_to_many:
            name = relation.field.name
            users = relation.related_model.objects.exclude(**{name: None})
            free = free.exclude(pk__in=users.values(name))
    free.delete()
