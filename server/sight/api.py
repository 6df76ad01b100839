"""The cost of a view, and what pops on a walk."""

from __future__ import annotations

from dataclasses import asdict, astuple, replace
from math import isfinite
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.document.planted import numbers_of, planted_of, plantings_of
from server.jobs import starting
from server.levels.access import level_for
from server.sight import walks
from server.sight.costing import air_of, cost_out, items_of, level_cost, seen, settle
from server.sight.schemas import CostOut, LevelCostOut, ViewIn
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.settings import DistanceSettings, Number, Strict, shown
from thicket.document.walks import Walk
from thicket.planted.costs import cells_seen, crowd
from thicket.planted.instances import instances_at
from thicket.refused import Refused
from thicket.sight.drawing import CELL
from thicket.sight.fogged import WEIGHT
from thicket.sight.pops import NOTICED

BillboardKind = Literal["facing", "crossed", "three crossed"]
router = Router(tags=["sight"])


class CrowdIn(Strict):
    """A view, and how far, in m, is looked."""

    view: ViewIn
    reach: Annotated[float, Field(allow_inf_nan=False, ge=1, le=1e5)]


class CrowdOut(Schema):
    """How many plants of each stand, by its number here, the view has in even steps of distance."""

    stands: dict[int, list[int]]


@router.post("/levels/{slug}/crowd", response=CrowdOut)
def crowd_of_view(request: HttpRequest, slug: str, data: CrowdIn):
    """How many plants stand in a view at which distance, by stand."""
    level = level_for(request, slug)
    view = data.view.core()
    return {"stands": {pk: crowd(p, view, data.reach).tolist() for pk, p in plantings_of(level).items()}}


class InstancesIn(Strict):
    """A place in m, seen from a view; stands that are hidden, by their number here."""

    view: ViewIn
    x: Number
    z: Number
    hidden: Annotated[list[int], Field(max_length=500)] = []


class InstancesOut(Schema):
    """See `thicket.planted.instances.Instances`; the stand by its number here."""

    stand: int
    item: str
    state: int
    reason: Literal["", "off", "hidden", "share", "far", "outside", "fog"]
    plants: int
    fading: int
    behind: int
    triangles: int
    nearest: float


class CellOut(Schema):
    """A drawing cell: x0, z0, x1, z1 in m, and what stands in it."""

    box: tuple[float, float, float, float]
    groups: list[InstancesOut]


@router.post("/levels/{slug}/instances", response=CellOut)
def instances(request: HttpRequest, slug: str, data: InstancesIn):
    """What of the drawing cell around a place is drawn in a view, as what, and why the rest is not."""
    level = level_for(request, slug)
    rows = {number: pk for pk, number in numbers_of(level).items()}
    hidden = {number for number, pk in rows.items() if pk in data.hidden}
    view = seen(level, data.view)
    cell = instances_at(planted_of(level), items_of(level), view, data.x, data.z, hidden)
    groups = [{**asdict(group), "stand": rows[group.stand]} for group in cell.groups]
    return {"box": cell.box, "groups": groups}


class CheckIn(Strict):
    """A walk to be looked at for what pops: drawn so on a device, in this air, with distances that are tried
    for some stands, and other kinds of billboard for some items; pops of at least so many pixels are noticed.
    `begin` has it begun when it is not known yet."""

    walk: Walk
    drawing: DrawingSettings = DrawingSettings()
    device: DeviceSettings | None = None
    atmosphere: Atmosphere | None = None
    tried: Annotated[dict[int, DistanceSettings], Field(max_length=200)] = {}
    billboards: Annotated[dict[str, BillboardKind], Field(max_length=200)] = {}
    threshold: Annotated[float, Field(allow_inf_nan=False, ge=1, le=1e6), shown(10, "px")] = NOTICED
    begin: bool = False


class PopOut(Schema):
    """A pop. States: 0 the full mesh, then the coarser ones and the billboard; −1 nothing."""

    stand: int
    item: str
    time: float
    place: tuple[float, float, float]
    distance: float
    before: int
    after: int
    shadow: bool
    strength: float


class RemedyOut(Schema):
    """A change of one stand (0: of the level's fog, or of an item's billboard) by factors, of one edge alone
    where one is given (counted along the LOD steps, then the billboard, then gone), or of the state beyond it
    left out; the distances that it comes to; the noticed pops that are left of it, and the ms that the
    dearest frame of the walk takes more."""

    stand: int
    farther: float
    fade: float
    shadows: float
    edge: int | None
    left_out: bool
    distances: DistanceSettings | None
    fog: float
    hides: bool
    item: str
    billboard: BillboardKind | Literal[""]
    left: int
    ms: float


class StandPops(Schema):
    stand: int
    pops: int
    noticed: int
    worst: float


class WalkResult(Schema):
    """What pops on a walk: `curve`, pixels a second in even parts of the walk; `ms` of the frames at `times`,
    and by stand in `lines`, the ground under 0; `least`, the cheapest changes that leave the fewest."""

    seconds: float
    left_out: list[tuple[float, float]]
    curve: list[float]
    times: list[float]
    ms: list[float]
    lines: dict[int, list[float]]
    stands: list[StandPops]
    worst: list[PopOut]
    remedies: list[RemedyOut]
    least: list[RemedyOut]


class CheckOut(Schema):
    running: bool
    share: float
    step: str
    trouble: str
    result: WalkResult | None


@router.post("/levels/{slug}/walks/check", response=CheckOut)
def check_walk(request: HttpRequest, slug: str, data: CheckIn):
    """How far the check of a walk is, and what it found."""
    level = level_for(request, slug, to="plant")
    data.walk.route(planted_of(level).ground)
    for slug in data.billboards:
        item = items_of(level).get(slug)
        if item is None or item.billboard is None:
            raise Refused(f"billboards: the level has no {slug[:60]!r} that becomes a billboard")
    air = data.atmosphere or Atmosphere.model_validate(level.atmosphere)
    asked = walks.WalkRequest(
        data.walk,
        data.drawing,
        data.device or DeviceSettings(),
        air.fog,
        air.sun,
        data.tried,
        data.billboards,
        data.threshold,
    )
    return walks.state_of(level, request.user, asked, data.begin)


@router.delete("/levels/{slug}/walks/check", response={204: None})
def stop_check(request: HttpRequest, slug: str):
    """Stop the check that one has under way."""
    level = level_for(request, slug, to="plant")
    starting.stop_own("walk", level, request.user)
    return 204, None


class SeenOut(Schema):
    """What a view sees: squares of `size` m as column, row, and the ms that their plants cost in it."""

    size: float
    cells: list[tuple[int, int, float]]


@router.post("/levels/{slug}/seen", response=SeenOut)
def seen_cells(request: HttpRequest, slug: str, data: ViewIn):
    """The squares of the level that a view spends its time on, the dearest first."""
    level = level_for(request, slug)
    found = cells_seen(planted_of(level).plantings(), items_of(level), seen(level, data))
    cells = sorted(((*cell, ms) for cell, ms in found.items()), key=lambda each: -each[2])
    return {"size": CELL, "cells": cells}


class FogOut(Schema):
    """What the fog of a view costs: megapixels of ground whose colour it changes, and the ms for these;
    `clear`, the distance in m beyond which it hides everything, null where it hides nothing; and what not
    drawing that saves, or would save."""

    mpx: float
    ms: float
    clear: float | None
    saves: CostOut


@router.post("/levels/{slug}/fog", response=FogOut)
def fog_of_view(request: HttpRequest, slug: str, data: ViewIn):
    """What the fog of a view costs, and what it saves to leave out what it hides."""
    level = level_for(request, slug)
    level_air = air_of(level, data.fog)
    costs = []
    for hides in (False, True):
        core = data.core()
        core = replace(core, drawing=replace(core.drawing, air=replace(level_air, hides=hides)))
        costs.append(level_cost(level, settle(level, core)))
    clear = core.clear
    mpx = planted_of(level).fogged(core)
    return {
        "mpx": mpx,
        "ms": core.device.ms((0, 0, 0, WEIGHT * mpx, 0)),
        "clear": clear if isfinite(clear) else None,
        "saves": {name: was - now for (name, was), now in zip(asdict(costs[0]).items(), astuple(costs[1]))},
    }


@router.post("/levels/{slug}/cost", response=LevelCostOut)
def cost(request: HttpRequest, slug: str, data: ViewIn):
    """What the view costs, by stand and by plot."""
    level = level_for(request, slug)
    return cost_out(level, seen(level, data))
