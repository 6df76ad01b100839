"""The shelf: items put on it, and taken from it into levels."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.planted import forget_planted
from server.slugs import free_slug
from server.stands.models import Stand
from server.stock.models import MADE, MEASURED, ShelfItem, StockItem
from thicket.limits import STOCK
from thicket.refused import Refused
from thicket.stock.making import Made


def slug_for(name: str) -> str:
    """A slug for a name that no item on the shelf has, nor a path of the API."""
    return free_slug(name, ShelfItem.objects.all(), "item", reserved=("bring", "new"))


def put_on_shelf(
    made: Made,
    slug: str,
    name: str,
    group: str,
    by: User | None = None,
    tags: Sequence[str] = (),
    note: str = "",
) -> ShelfItem:
    """Put an item on the shelf under a slug that is free.

    Raises: Refused when the name is taken.
    """
    check_name(name)
    fields = {field: getattr(made, field) for field in MADE}
    return ShelfItem.objects.create(
        slug=slug, name=name, group=group, owner=by, by=by, tags=list(tags), note=note, **fields
    )


def check_name(name: str, but: ShelfItem | None = None) -> None:
    """Refuse a name that another item on the shelf has."""
    same = ShelfItem.objects.filter(name=name, gone=False).exclude(pk=but.pk if but else None)
    if same.exists():
        raise Refused(f"name: there is a stock item called {name!r} on the shelf already")


@action
def take(user: User, level: Level, key: UUID, slugs: Sequence[str]) -> Entry:
    """Take items from the shelf into a level.

    Raises: Refused when one is not on the shelf, or there are too many.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        have = set(row.stock.values_list("slug", flat=True))
        wanted = [slug for slug in dict.fromkeys(slugs) if slug not in have]
        found = {item.slug: item for item in ShelfItem.objects.filter(slug__in=wanted, gone=False)}
        missing = [slug for slug in wanted if slug not in found]
        if missing:
            raise Refused(f"items: there is no stock item {missing[0][:60]!r} on the shelf")
        if len(have) + len(wanted) > STOCK:
            raise Refused(f"items: a level uses at most {STOCK} stock items")
        put_into(row, wanted)
        names = ", ".join(found[slug].name for slug in wanted) or "nothing new"
        entry = Entry.objects.create(
            level=row,
            user=user,
            kind=Entry.Kind.STOCK,
            key=key,
            what=f"Taken into stock: {names}"[:200],
            change={"taken": wanted, "left": []},
        )
    forget_planted(level)
    return entry


def put_into(level: Level, slugs: Sequence[str]) -> None:
    """Give a level items of the shelf that it does not use; inside a transaction."""
    found = {item.slug: item for item in ShelfItem.objects.filter(slug__in=slugs)}
    StockItem.objects.bulk_create(copied(level, found[slug]) for slug in slugs)
    level.scene_changed()


@action
def leave(user: User, level: Level, key: UUID, slug: str) -> Entry:
    """Leave an item out of a level that plants nothing of it.

    Raises: HttpError 404 when the level has no such item; Refused when it is planted, naming the stands.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        item = row.stock.filter(slug=slug).first()
        if item is None:
            raise HttpError(404, f"item: {level.name} does not use {slug[:60]!r}.")
        _check_unplanted(row, slug, item.name)
        item.delete()
        row.scene_changed()
        entry = Entry.objects.create(
            level=row,
            user=user,
            kind=Entry.Kind.STOCK,
            key=key,
            what=f"Left out of stock: {item.name}",
            change={"taken": [], "left": [slug]},
        )
    forget_planted(level)
    return entry


def swap_stock(entry: Entry, back: bool) -> None:
    """Take what an entry did to a level's stock back, or do it again; inside a transaction.

    Raises: HttpError 409 when an item is planted, or no longer on the shelf.
    """
    level = Level.objects.select_for_update().get(pk=entry.level_id)
    going, coming = (
        (entry.change["taken"], entry.change["left"])
        if back
        else (entry.change["left"], entry.change["taken"])
    )
    for slug in going:
        _check_unplanted(level, slug, slug)
    level.stock.filter(slug__in=going).delete()
    found = {item.slug: item for item in ShelfItem.objects.filter(slug__in=coming)}
    if len(found) < len(coming):
        raise HttpError(409, "It is no longer on the shelf.")
    StockItem.objects.bulk_create(copied(level, item) for item in found.values())
    level.scene_changed()


def planted_in(level: Level, slug: str) -> list[str]:
    """The names of a level's stands that plant an item, by rule or by hand; also of those that were removed,
    which undo may bring back."""
    by_hand = set(level.pins.filter(item=slug).values_list("stand", flat=True))
    return [
        s.name
        for s in Stand.every.filter(level=level)
        if s.pk in by_hand or any(e["item"] == slug for e in s.settings["mix"])
    ]


def _check_unplanted(level: Level, slug: str, name: str) -> None:
    stands = planted_in(level, slug)
    if stands:
        raise Refused(f"item: {name} is planted in {', '.join(stands[:5])}; exchange it there first")


def copied(level: Level, item: ShelfItem) -> StockItem:
    """An item of the shelf as a level uses it."""
    return StockItem(
        level=level,
        slug=item.slug,
        revision=item.revision,
        **{name: getattr(item, name) for name in MEASURED},
    )
