"""Strokes of a brush on the ground."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from server.ground.touching_up import touch_up
from server.levels.access import level_for
from server.stands.brush_api import BrushIn, LimitsIn
from server.steps import ChangedOut, changed_out
from thicket.document.level_file import MaskName
from thicket.document.settings import Number, Share, shown
from thicket.document.views import LayerName
from thicket.planted.brush_limits import Limits
from thicket.planted.painting_masks import MaskBrush
from thicket.planted.touching_up import MOST_RAISED, GroundBrush
from thicket.refused import Refused

router = Router(tags=["ground"])


class GroundStrokeIn(BrushIn):
    """A drag of the brush over the terrain: see `thicket.planted.touching_up.GroundBrush`. With `mask` it
    works on a mask image: see `thicket.planted.painting_masks.MaskBrush`."""

    verb: Literal["raise", "lower", "smooth", "flatten", "slope", "cover", "whiten", "blacken", "even"]
    mask: MaskName | Literal[""] = ""
    grey: Share = 0.5
    limits: LimitsIn = LimitsIn()
    amount: Annotated[float, Field(allow_inf_nan=False, gt=0, le=MOST_RAISED), shown(0.25, "m")] = 1.0
    toward: Annotated[Number, shown(0.5, "m")] | None = None
    layer: LayerName | Literal[""] = ""

    def brush(self) -> GroundBrush | MaskBrush:
        """The brush as the core works with it."""
        stroke, limits = self.stroke(self.verb), Limits(**self.limits.model_dump())
        if limits.present:
            raise Refused("limits: there is no stand here that could already be present")
        if self.mask:
            return MaskBrush(stroke, self.mask, self.grey, limits)
        return GroundBrush(stroke, self.amount, self.toward, self.layer, limits)


@router.post("/levels/{slug}/ground/strokes", response=ChangedOut)
def ground_stroke(request: HttpRequest, slug: str, data: GroundStrokeIn):
    """Raise, lower, smooth or flatten the ground, lay an even slope, cover it with a layer, or paint a mask
    image, under one drag of the brush."""
    level = level_for(request, slug, to="plant")
    done = touch_up(request.user, level, data.brush(), data.key)
    return changed_out(request, level, done, data.view)
