"""Strokes of a brush on the ground."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from server.ground.touching_up import touch_up
from server.levels.access import level_for
from server.stands.brush_api import BrushIn
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Number, shown
from thicket.document.views import LayerName
from thicket.planted.touching_up import MOST_RAISED, GroundBrush

router = Router(tags=["ground"])


class GroundStrokeIn(BrushIn):
    """A drag of the brush over the terrain: see `thicket.planted.touching_up.GroundBrush`."""

    verb: Literal["raise", "lower", "smooth", "flatten", "slope", "cover"]
    amount: Annotated[float, Field(allow_inf_nan=False, gt=0, le=MOST_RAISED), shown(0.25, "m")] = 1.0
    toward: Annotated[Number, shown(0.5, "m")] | None = None
    layer: LayerName | Literal[""] = ""


@router.post("/levels/{slug}/ground/strokes", response=ChangedOut)
def ground_stroke(request: HttpRequest, slug: str, data: GroundStrokeIn):
    """Raise, lower, smooth or flatten the ground, lay an even slope, or cover it with a layer, under one drag
    of the brush."""
    level = level_for(request, slug, to="plant")
    brush = GroundBrush(data.stroke(data.verb), data.amount, data.toward, data.layer)
    return changed_out(request, level, touch_up(request.user, level, brush, data.key), data.view)
