"""Changes of what a level can plant: items taken, left out, given another version, and held at one."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.edits.values import Blob
from thicket.document.level import Item, Level
from thicket.document.level_file import ItemFile
from thicket.document.stock_file import item_file, item_from
from thicket.hashing import hash_of
from thicket.limits import LARGEST_MESH, STOCK, check_count
from thicket.refused import Conflict, Missing, Refused


class _Whole(Edit):
    """An item with its files: `mesh`, a binary glTF, and `silhouette`, a PNG."""

    item: ItemFile
    mesh: Blob
    silhouette: Blob = b""

    def _item(self) -> Item:
        if len(self.mesh) > LARGEST_MESH:
            raise Refused(f"mesh: it has more than {LARGEST_MESH >> 20} MB")
        return item_from(self.item, self.mesh, self.silhouette)


class TakeItem(_Whole):
    """Take an item into stock. `order` says where one that is put back stands."""

    kind: Literal["take item"] = "take item"
    order: tuple[str, ...] = ()

    def apply(self, level: Level) -> Level:
        if self.item.slug in level.stock:
            raise Refused(f"item: {level.name} has {self.item.name or self.item.slug} already")
        after = replace(level, stock=changed(level.stock, {self.item.slug: self._item()}, self.order))
        check_count("stock", after.stock, STOCK)
        return after

    def inverse(self, level: Level) -> LeaveItem:
        item = self.apply(level).stock[self.item.slug]
        return LeaveItem(slug=self.item.slug, expected=_state(item))


class LeaveItem(Edit):
    """Leave an item out of stock that nothing plants. `expected`, where it is given, is what it must be until
    then."""

    kind: Literal["leave item"] = "leave item"
    slug: str
    expected: str | None = None

    def apply(self, level: Level) -> Level:
        item = item_of(level, self.slug)
        if self.expected is not None:
            check_as_before(item.name, _state(item), self.expected)
        planted = stands_that_plant(level, self.slug)
        if planted:
            raise Refused(
                f"item: {item.name} is planted in {', '.join(planted[:5])}; exchange it there first"
            )
        placed = [p.name for p in level.surfaces.values() if p.item == self.slug]
        if placed:
            raise Conflict(f"item: {item.name} is placed as {', '.join(placed[:5])}; remove that first")
        return replace(level, stock=changed(level.stock, {self.slug: None}))

    def inverse(self, level: Level) -> TakeItem:
        item = item_of(level, self.slug)
        return TakeItem(
            item=item_file(item), mesh=item.glb, silhouette=item.silhouette, order=tuple(level.stock)
        )


class VersionItem(_Whole):
    """Give an item of the stock another version: all of it but its slug. `expected`, where it is given, is
    the digest of what it must be until then."""

    kind: Literal["version item"] = "version item"
    expected: str | None = None

    def apply(self, level: Level) -> Level:
        now = item_of(level, self.item.slug)
        if self.expected is not None:
            check_as_before(now.name, item_digest(now), self.expected)
        return replace(level, stock={**level.stock, self.item.slug: self._item()})

    def inverse(self, level: Level) -> VersionItem:
        was = item_of(level, self.item.slug)
        after = self.apply(level).stock[self.item.slug]
        return VersionItem(
            item=item_file(was), mesh=was.glb, silhouette=was.silhouette, expected=item_digest(after)
        )


class HoldItem(Edit):
    """Hold the level at the version of an item that it has, or let it follow the shelf from now on."""

    kind: Literal["hold item"] = "hold item"
    slug: str
    held: bool

    def apply(self, level: Level) -> Level:
        item = item_of(level, self.slug)
        return replace(level, stock={**level.stock, self.slug: replace(item, held=self.held)})

    def inverse(self, level: Level) -> HoldItem:
        return HoldItem(slug=self.slug, held=item_of(level, self.slug).held)


def stands_that_plant(level: Level, slug: str) -> list[str]:
    """The names of the stands that plant an item, by rule or by hand."""
    return [
        stand.name
        for number, stand in level.stands.items()
        if slug in level.pins_of(number).slugs or any(entry.item == slug for entry in stand.settings.mix)
    ]


def item_of(level: Level, slug: str) -> Item:
    """An item of a level's stock. Raises: Refused when there is none."""
    if slug not in level.stock:
        raise Missing(f"item: {level.name} does not use {slug[:60]!r}")
    return level.stock[slug]


def _state(item: Item) -> str:
    """Equal for items that are alike, and alike held."""
    return f"{item_digest(item)} {item.held}"


def item_digest(item: Item) -> str:
    """Equal for items that are alike in all that a version can change."""
    text = item_file(item).model_dump_json(exclude={"held"})
    return hash_of(text.encode(), item.glb, item.silhouette).hex()
