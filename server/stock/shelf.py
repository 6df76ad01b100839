"""The shelf: items put on it, and taken from it into levels."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.models import Level
from server.slugs import free_slug
from server.stock.models import MADE, MEASURED, ShelfItem, ShelfVersion, StockItem
from thicket.document.edits import Edit, LeaveItem, Several, TakeItem
from thicket.document.edits.stock import item_of, stands_that_plant
from thicket.document.level_file import ItemDistances, ItemFile, ItemTraits
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


def item_file(source: ShelfItem | ShelfVersion, slug: str, name: str, held: bool = False) -> ItemFile:
    """An item of the shelf, or a version of it, as a level has it."""
    return ItemFile(
        slug=slug,
        name=name,
        height=source.height,
        crown=source.crown,
        trunk=source.trunk,
        points=source.anchors,
        traits=ItemTraits.model_validate(source.traits),
        distances=ItemDistances.model_validate(source.distances),
        held=held,
        version=source.revision,
    )


@action
def take(user: User, level: Level, key: UUID, slugs: Sequence[str]) -> Done:
    """Take items from the shelf into a level.

    Raises: Refused when one is not on the shelf, or there are too many.
    """

    def make(row: Level) -> tuple[Edit, str]:
        have = planted_of(row).level.stock
        wanted = [slug for slug in dict.fromkeys(slugs) if slug not in have]
        found = {item.slug: item for item in ShelfItem.objects.filter(slug__in=wanted, gone=False)}
        missing = [slug for slug in wanted if slug not in found]
        if missing:
            raise Refused(f"items: there is no stock item {missing[0][:60]!r} on the shelf")
        if len(have) + len(wanted) > STOCK:
            raise Refused(f"items: a level uses at most {STOCK} stock items")
        taken = [
            TakeItem(
                item=item_file(found[slug], slug, found[slug].name),
                mesh=found[slug].glb,
                silhouette=bytes(found[slug].silhouette),
            )
            for slug in wanted
        ]
        names = ", ".join(found[slug].name for slug in wanted) or "nothing new"
        return Several(edits=tuple(taken)), f"Taken into stock: {names}"

    return commit_made(user, level, key, make)


@action
def leave(user: User, level: Level, key: UUID, slug: str) -> Done:
    """Leave an item out of a level that plants nothing of it.

    Raises: Missing when the level has no such item; Refused when it is planted, naming the stands.
    """

    def make(row: Level) -> tuple[Edit, str]:
        return LeaveItem(slug=slug), f"Left out of stock: {item_of(planted_of(row).level, slug).name}"

    return commit_made(user, level, key, make)


def planted_in(level: Level, slug: str) -> list[str]:
    """The names of a level's stands that plant an item, by rule or by hand."""
    return stands_that_plant(planted_of(level).level, slug)


def put_into(level: Level, slugs: Sequence[str]) -> None:
    """Give a level that is being made items of the shelf."""
    found = {item.slug: item for item in ShelfItem.objects.filter(slug__in=slugs)}
    for place, slug in enumerate(slugs):
        given = {name: getattr(found[slug], name) for name in MEASURED}
        StockItem.objects.create(level=level, slug=slug, place=place, revision=found[slug].revision, **given)
