"""What a view of a planted level costs, by stand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from thicket.document.level import Level
from thicket.formats.stock import measure
from thicket.planted.planting import Planting
from thicket.sight.cost import Cost, Item, Patch, lay_out, reckon
from thicket.sight.views import CELL, View

LINES = ("triangles", "draw_calls", "shadow_triangles", "memory", "ms")


def game_item(slug: str, glb: bytes, traits: Mapping) -> Item:
    """An item as a game draws it, from its file and traits."""
    item = measure(slug, glb)
    billboard = item.billboard if traits.get("becomes_billboard", True) else None
    return replace(item, billboard=billboard, casts_shadow=traits.get("casts_shadow", True))


def items_in(level: Level) -> dict[str, Item]:
    """The items of a level, whose meshes are at hand, by slug."""
    return {slug: game_item(slug, item.glb, item.traits) for slug, item in level.stock.items() if item.glb}


def stand_cost(planting: Planting, stock: Mapping[str, Item], view: View, tried: bool = False) -> Cost:
    """What a planting costs in a view. `tried` has nothing kept of it."""
    items = [stock[slug] for slug in planting.items]
    distances = planting.settings.distances.core()
    reach = max(distances.gone, distances.shadow) + CELL
    box = (view.x - reach, view.z - reach, view.x + reach, view.z + reach)
    return reckon(
        [_patch(planting, sheet, items, tried) for sheet in planting.sheets_in(box)], items, distances, view
    )


def _patch(planting: Planting, sheet: tuple[int, int], items: list[Item], tried: bool) -> Patch:
    plants, bounds = planting.plants(sheet), [item.bound for item in items]
    if tried:
        return Patch(plants, lay_out(plants, bounds))
    key = "layout", planting.key(sheet), tuple(item.slug for item in items)
    return Patch(plants, planting.around.cache.get(key, lambda: lay_out(plants, bounds)))


def spent(costs: Mapping[str, Cost]) -> Cost:
    """The sum over stands."""
    return sum(costs.values(), Cost())


def line(cost: Cost, name: str) -> float:
    """What a cost puts on a budget line; the draw calls of the shadow pass count as draw calls."""
    return cost.draw_calls + cost.shadow_calls if name == "draw_calls" else getattr(cost, name)


def over(marks: Mapping[str, float], cost: Cost) -> list[str]:
    """The budget lines that a cost overruns."""
    return [name for name in LINES if marks.get(name) and line(cost, name) > marks[name]]


def bookmark_view(bookmark: Mapping) -> View:
    """A bookmark as a view of 16:9."""
    x, y, z, heading, pitch, fov = (bookmark[k] for k in ("x", "y", "z", "heading", "pitch", "fov"))
    return View(x, y, z, heading, pitch, fov, 16 / 9)
