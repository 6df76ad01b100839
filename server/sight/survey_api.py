"""The survey of a level: asked for, stopped, and looked at line by line."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, get_args

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.jobs import starting
from server.levels.access import level_for
from server.sight import surveys
from server.sight.surveys import APART, WORST, SurveyRequest, numbers_of
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.plots import Line
from thicket.document.settings import Name, Strict
from thicket.planted.survey import COARSEST, EYE, FINEST, STEP, Survey
from thicket.refused import Refused
from thicket.sight.devices import Device

router = Router(tags=["sight"])


class SurveyIn(Strict):
    """How the level is drawn and on which device; m between places, m of the eye above the ground; the budget
    line, of the whole frame, of one stand (0: the ground) or of one plot. `begin` has the survey begun when
    it is not known yet."""

    drawing: DrawingSettings = DrawingSettings()
    device: DeviceSettings | None = None
    step: Annotated[float, Field(allow_inf_nan=False, ge=FINEST, le=COARSEST)] = STEP
    eye: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=100)] = EYE
    line: Line = "ms"
    stand: int | None = None
    plot: Name | None = None
    begin: bool = False


class WorstOut(Schema):
    """A place and the heading in degrees in which a frame costs the most there; x, y, z of the eye in m;
    `spent`, by stand, those that spend the most first, the ground under 0."""

    x: float
    y: float
    z: float
    heading: float
    value: float
    spent: list[tuple[int, float]]


class SurveyMap(Schema):
    """A budget line over the level: of each place, row by row, what the dearest heading costs;
    5 % of places are dearer than `most5`."""

    columns: int
    rows: int
    step: float
    values: list[float]
    most5: float
    worst: list[WorstOut]


class PlotSpent(Schema):
    """What the plants of a plot spend, by budget line: in the view that costs them the most, and what is
    passed in one of twenty of the views that see them."""

    name: str
    worst: dict[Line, float]
    most5: dict[Line, float]


class SurveyPointOut(Schema):
    """What the worst frame cost at a survey; how many actions came since the survey before, the last three in
    words."""

    at: datetime
    value: float
    actions: int
    what: list[str]


class SurveyOut(Schema):
    """How far a survey is, the map, and what each plot spends; not `fresh` when it is from before the level's
    last changes."""

    fresh: bool
    running: bool
    share: float
    step: str
    trouble: str
    map: SurveyMap | None
    history: list[SurveyPointOut] = []
    plots: list[PlotSpent] = []


def _spent(found: Survey, plot: str, device: Device) -> dict:
    """What a plot's plants spend, for `PlotSpent`."""
    worst, most5 = {}, {}
    for name in get_args(Line):
        values = found.line(name, device, plot)
        seen = values[values > 0]
        worst[name] = float(values.max())
        most5[name] = float(np.percentile(seen, 95)) if len(seen) else 0.0
    return {"name": plot, "worst": worst, "most5": most5}


@router.post("/levels/{slug}/survey", response=SurveyOut)
def survey_level(request: HttpRequest, slug: str, data: SurveyIn):
    """How far the survey is, and what it found."""
    level = level_for(request, slug, to="plant")
    surveys.check(level, data.step)
    numbers = numbers_of(level)
    if data.stand is not None and data.stand not in numbers:
        raise Refused("stand: the level no longer has this stand")
    asked = SurveyRequest(data.drawing, data.step, data.eye)
    given = data.device or DeviceSettings()
    state, found = surveys.state_of(level, request.user, asked, given.model_dump(mode="json"), data.begin)
    stand = None if data.stand is None else numbers[data.stand]
    if found is None or (stand is not None and stand not in found.loads):
        return {**state, "map": None}
    device = given.core()
    plot = data.plot if data.plot in found.plots else None
    values = found.line(data.line, device, stand if plot is None else plot)
    rows = {number: pk for pk, number in numbers.items()}
    spent = {rows[n]: found.line(data.line, device, n) for n in found.loads if n in rows}
    worst = []
    for place, heading in found.worst(values, WORST, APART):
        x, y, z = found.eyes[place].round(2).tolist()
        each = [(pk, float(v[place, heading])) for pk, v in spent.items() if v[place, heading] > 0]
        each = sorted(each, key=lambda part: -part[1])[:4]
        worst.append(
            {
                "x": x,
                "y": y,
                "z": z,
                "heading": float(found.headings[heading]),
                "value": float(values[place, heading]),
                "spent": each,
            }
        )
    most = values.max(axis=1)
    return {
        **state,
        "history": surveys.history(level, asked, data.line),
        "plots": [_spent(found, name, device) for name in found.plots],
        "map": {
            "columns": found.columns,
            "rows": len(most) // found.columns,
            "step": found.step,
            "values": most.astype(float).round(4).tolist(),
            "most5": float(np.percentile(most, 95)),
            "worst": worst,
        },
    }


@router.delete("/levels/{slug}/survey", response={204: None})
def stop_survey(request: HttpRequest, slug: str):
    """Stop the survey that one has under way."""
    level = level_for(request, slug, to="plant")
    starting.stop_own("survey", level, request.user)
    return 204, None
