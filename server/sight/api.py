"""The cost of a view."""

from __future__ import annotations

from dataclasses import asdict

from django.http import HttpRequest
from ninja import Router

from server.levels.access import level_for, stands_of
from server.levels.planted import planting_of
from server.sight.reckoning import items_of, spent, stand_cost
from server.sight.schemas import LevelCostOut, ViewIn
from thicket.sight.cost import PLAIN_DEVICE

router = Router(tags=["sight"])


@router.post("/levels/{slug}/cost", response=LevelCostOut)
def cost(request: HttpRequest, slug: str, data: ViewIn):
    """What the view costs, by stand."""
    level = level_for(request, slug)
    stock, view = items_of(level), data.core()
    costs = {stand.pk: stand_cost(planting_of(stand), stock, view) for stand in stands_of(level)}
    return {
        "device": PLAIN_DEVICE.name,
        "total": asdict(spent(costs)),
        "stands": [{"stand": pk, **asdict(c)} for pk, c in costs.items()],
    }
