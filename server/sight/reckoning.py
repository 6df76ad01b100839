"""What a view of a level costs, by stand, from the core's reckoning."""

from __future__ import annotations

from server.cache import CACHE
from server.levels.models import Level
from server.stock.models import StockItem
from thicket.planted.costs import LINES, bookmark_view, game_item, line, over, spent, stand_cost
from thicket.planted.planting import Planting
from thicket.sight.cost import Cost, Item
from thicket.sight.views import View


def item_of(row: StockItem) -> Item:
    """A stock item as the reckoning sees it."""
    return CACHE.get(("item", row.pk, row.revision), lambda: game_item(row.slug, bytes(row.glb), row.traits))


def items_of(level: Level) -> dict[str, Item]:
    """All stock items of a level by slug."""
    rows = level.stock.defer("glb", "silhouette")
    return {row.slug: item_of(row) for row in rows}


def level_cost(level: Level, view: View, plantings: list[Planting]) -> dict[str, Cost]:
    """Cost by stand slug."""
    stock = items_of(level)
    return {planting.stand.slug: stand_cost(planting, stock, view) for planting in plantings}


__all__ = [
    "LINES",
    "bookmark_view",
    "game_item",
    "item_of",
    "items_of",
    "level_cost",
    "line",
    "over",
    "spent",
    "stand_cost",
]
