"""Bringing a level under its marks: asked for, looked at, stopped. What it says is kept as settings of
stands, as every draft is."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.jobs import starting
from server.levels.access import level_for
from server.sight import rebalances
from thicket.document.drawing import DeviceSettings, DrawingSettings, Mark
from thicket.document.plots import Line
from thicket.document.settings import DistanceSettings, Name, Strict, shown
from thicket.document.walks import WALKS

router = Router(tags=["sight"])
Kind = Literal["distances", "steps", "fades", "shadows", "tufts", "plants"]


class RebalanceIn(Strict):
    """The marks to be met, with how the level is drawn and on which device; whether kept views and the
    survey's worst places count, and the walks whose dearest moments do; what may change, by stand; the factor
    below which no distance goes; the plot whose plants alone are to meet the marks, empty for the whole
    frame. `begin` has it begun when it is not known yet."""

    drawing: DrawingSettings = DrawingSettings()
    device: DeviceSettings | None = None
    marks: Annotated[dict[Line, Mark], Field(min_length=1)]
    views: bool = True
    worst: bool = True
    walks: Annotated[list[Name], Field(max_length=WALKS)] = []
    may: Annotated[dict[int, list[Kind]], Field(max_length=200)]
    least: Annotated[float, Field(allow_inf_nan=False, ge=0.4, le=1), shown(0.05, "%")] = 0.4
    plot: Name | Literal[""] = ""
    begin: bool = False


class ChangeOut(Schema):
    """A stand with other distances or fullness, null for its own: by factors on distances, of one edge alone
    where one is given, on the width of its fades, on its shadow reach and on how many plants or tufts it has;
    its loss in pixels of all places together, and the ms that it then takes at its dearest place."""

    stand: int
    farther: float
    fade: float = 1.0
    shadows: float
    edge: int | None
    share: float
    distances: DistanceSettings | None
    fullness: float | None
    loss: float
    ms: float


class PlaceOut(Schema):
    """A view that counts, and what it spends on each line before and after."""

    name: str
    x: float
    y: float
    z: float
    heading: float
    pitch: float
    fov: float
    before: dict[str, float]
    after: dict[str, float]


class PointOut(Schema):
    """An answer along the trade-off: the ms of its dearest place, its loss, and its changes."""

    ms: float
    loss: float
    changes: list[ChangeOut]


class RebalanceResult(Schema):
    """The least loss in pixels that meets the marks, or comes nearest to them: `over`, by which share each
    line still overruns its mark; `gap`, by how much the loss may be above the least there can be. Not `done`
    while less is looked for, or when that was stopped."""

    done: bool = True
    loss: float
    gap: float
    over: dict[str, float]
    changes: list[ChangeOut]
    places: list[PlaceOut]
    curve: list[PointOut]


class RebalanceOut(Schema):
    running: bool
    share: float
    step: str
    trouble: str
    result: RebalanceResult | None


@router.post("/levels/{slug}/rebalance", response=RebalanceOut)
def rebalance(request: HttpRequest, slug: str, data: RebalanceIn):
    """How far the rebalance is, and what it found."""
    level = level_for(request, slug, to="plant")
    asked = rebalances.RebalanceRequest(
        data.drawing,
        data.device or DeviceSettings(),
        data.marks,
        data.views,
        data.worst,
        data.walks,
        data.may,
        data.least,
        data.plot,
    )
    rebalances.check(level, asked)
    return rebalances.state_of(level, request.user, asked, data.begin)


@router.delete("/levels/{slug}/rebalance", response={204: None})
def stop_rebalance(request: HttpRequest, slug: str):
    """Stop the rebalance that one has under way."""
    level = level_for(request, slug, to="plant")
    starting.stop_own("rebalance", level, request.user)
    return 204, None
