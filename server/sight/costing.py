"""What a view of a level costs, by stand, from the core's cost model."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from server.cache import CACHE
from server.document.own_ground import regions_of
from server.document.planted import planted_of, plantings_of
from server.levels.models import Level
from server.sight.schemas import ViewIn
from thicket.document.atmosphere import Atmosphere, FogSettings
from thicket.document.drawing import seen_through
from thicket.planted.costs import (
    LINES,
    bookmark_view,
    game_item,
    line,
    over,
    region_cost,
    settled,
    spent,
    stand_cost,
)
from thicket.sight.cost import Cost, Item, loads_of
from thicket.sight.devices import Device
from thicket.sight.drawing import Drawing
from thicket.sight.fog import Air
from thicket.sight.views import View


def item_of(row: Any) -> Item:
    """A stock item as the cost model sees it."""
    return CACHE.get(("item", row.pk, row.revision), lambda: game_item(row.slug, row.glb, row.traits))


def items_of(level: Level) -> dict[str, Item]:
    """All stock items of a level by slug."""
    rows = level.stock.defer("silhouette")
    return {row.slug: item_of(row) for row in rows}


def air_of(level: Level, fog: FogSettings | None = None) -> Air:
    """The level's fog as its drawing goes by it, or another one that is tried over its ground."""
    return planted_of(level).air(fog or Atmosphere.model_validate(level.atmosphere).fog)


def seen(level: Level, view: ViewIn) -> View:
    """A view of the level as somebody asks for it."""
    core = view.core()
    core = replace(core, drawing=replace(core.drawing, air=air_of(level, view.fog)))
    return settle(level, core)


def settle(level: Level, view: View) -> View:
    """A view settled for the level: see `thicket.planted.costs.settled`."""
    return settled(view, planted_of(level).plantings(), items_of(level))


def drawing_of(level: Level, tier: str = "") -> tuple[Drawing, Device]:
    """How the level is drawn, through a tier by name and on its device, or through none."""
    return seen_through({"drawing": level.drawing, "tiers": level.tiers}, tier, air_of(level))


def level_cost(level: Level, view: View) -> Cost:
    """What a view of the level costs, ground included."""
    planted = planted_of(level)
    return spent(planted.cost(view, items_of(level))) + planted.ground_cost(view)


def cost_out(level: Level, view: View) -> dict[str, Any]:
    """What a view of the level costs, by stand and by plot, as `server.sight.schemas.LevelCostOut`."""
    stock = items_of(level)
    costs = {pk: stand_cost(planting, stock, view) for pk, planting in plantings_of(level).items()}
    ground = planted_of(level).ground_cost(view)
    return {
        "device": view.device.name,
        "margin": view.device.margin(loads_of(spent(costs) + ground)),
        "total": asdict(spent(costs) + ground),
        "ground": asdict(ground),
        "stands": [{"stand": pk, **asdict(c)} for pk, c in costs.items()],
        "plots": [
            {"plot": name, **asdict(region_cost(planted_of(level).plantings(), stock, view, region))}
            for name, region in regions_of(level).items()
        ],
    }


__all__ = [
    "LINES",
    "air_of",
    "cost_out",
    "bookmark_view",
    "drawing_of",
    "game_item",
    "item_of",
    "items_of",
    "level_cost",
    "line",
    "over",
    "seen",
    "settle",
    "settled",
    "spent",
    "stand_cost",
]


def cost_change(before, after) -> dict[str, float]:
    """The difference of two costs, by what is counted."""
    if before is None or after is None:
        return {}
    names = ("triangles", "draw_calls", "shadow_triangles", "shadow_calls", "memory", "ms")
    return {name: round(getattr(after, name) - getattr(before, name), 4) for name in names}
