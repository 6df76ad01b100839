"""What a view of a level costs, by stand, from the core's reckoning."""

from __future__ import annotations

from dataclasses import replace

from server.cache import CACHE
from server.levels.models import Level
from server.stock.models import StockItem
from thicket.formats.stock import measure
from thicket.planted.planting import Planting
from thicket.sight.cost import Cost, Item, Layout, Patch, lay_out, reckon
from thicket.sight.views import CELL, View

LINES = ("triangles", "draw_calls", "shadow_triangles", "memory", "ms")


def item_of(row: StockItem) -> Item:
    """A stock item as the reckoning sees it."""
    return CACHE.get(("item", row.pk, row.revision), lambda: game_item(row.slug, bytes(row.glb), row.traits))


def game_item(slug: str, glb: bytes, traits: dict) -> Item:
    """An item as a game draws it, from its file and traits."""
    item = measure(slug, glb)
    billboard = item.billboard if traits.get("becomes_billboard", True) else None
    return replace(item, billboard=billboard, casts_shadow=traits.get("casts_shadow", True))


def items_of(level: Level) -> dict[str, Item]:
    """All stock items of a level by slug."""
    rows = level.stock.defer("glb", "silhouette")
    return {row.slug: item_of(row) for row in rows}


def _layout(planting: Planting, sheet, items: list[Item], tried: bool) -> Patch:
    plants = planting.plants(sheet)

    def make() -> Layout:
        return lay_out(plants, [item.bound for item in items])

    if tried:
        return Patch(plants, make())
    return Patch(plants, CACHE.get(("layout", planting.key(sheet), tuple(i.slug for i in items)), make))


def stand_cost(planting: Planting, stock: dict[str, Item], view: View, tried: bool = False) -> Cost:
    """What a planting costs in a view."""
    items = [stock[slug] for slug in planting.items]
    distances = planting.settings.distances.core()
    reach = max(distances.gone, distances.shadow) + CELL
    box = (view.x - reach, view.z - reach, view.x + reach, view.z + reach)
    patches = [_layout(planting, sheet, items, tried) for sheet in planting.sheets_in(box)]
    return reckon(patches, items, distances, view)


def level_cost(level: Level, view: View, plantings: list[Planting]) -> dict[str, Cost]:
    """Cost by stand slug."""
    stock = items_of(level)
    return {planting.stand.slug: stand_cost(planting, stock, view) for planting in plantings}


def spent(costs: dict[str, Cost]) -> Cost:
    """The sum over stands."""
    return sum(costs.values(), Cost())


def line(cost: Cost, name: str) -> float:
    """What a cost puts on a budget line; the draw calls of the shadow pass count as draw calls."""
    return cost.draw_calls + cost.shadow_calls if name == "draw_calls" else getattr(cost, name)


def over(marks: dict[str, float], cost: Cost) -> list[str]:
    """The budget lines that a cost overruns."""
    return [name for name in LINES if marks.get(name) and line(cost, name) > marks[name]]


def bookmark_view(level: Level, bookmark: dict) -> View:
    """A bookmark as a view of 16:9."""
    return View(*(bookmark[k] for k in ("x", "y", "z", "heading", "pitch", "fov")), 16 / 9)
