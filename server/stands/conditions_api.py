"""Conditions: looked at on the real ground, taken from a ground layer, copied, kept as sets, and asked
why."""

from __future__ import annotations

import base64
from typing import Annotated

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.document.planted import planted_of
from server.levels.access import level_for
from server.levels.models import Level
from server.stands.access import planting_of, stand_for, tried
from server.stands.checking import merged
from server.stands.models import ConditionSet
from server.stands.saved import SavedOut, keep, remove, saved_of, saved_out
from thicket.document.settings import Conditions, ConditionSettings, Name, NoiseSettings, Number, Strict
from thicket.ground.noise import Noise, noise_field
from thicket.planted.explaining import layer_bands, look, why
from thicket.site.kinds import KINDS

router = Router(tags=["conditions"])
PICTURE = 128


class LookOut(Schema):
    """How a condition's values lie over the ground."""

    counts: list[int]
    edges: list[float]
    lowest: float
    highest: float


class BandsOut(Schema):
    altitude: tuple[float, float]
    slope: tuple[float, float]


class NoiseIn(Strict):
    """Noise over a square of level metres from a corner."""

    noise: NoiseSettings
    x: Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)] = 0
    z: Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)] = 0
    side: Annotated[float, Field(allow_inf_nan=False, ge=0.01, le=70_000)]


class NoiseOut(Schema):
    """Values uint8, 255 for 1, row by row, in base64."""

    side: int
    values: str


class WhyIn(Strict):
    """A place in level metres, asked under the stand's settings or under others that are tried. `on`, where
    it lies on a placed mesh, is the mesh's id and the altitude."""

    x: Number
    z: Number
    on: tuple[int, Number] | None = None
    settings: dict = {}


class WhyValue(Schema):
    """What a condition found: the ground's value (`beyond` when it is only known to be farther), and its
    result 0–1."""

    kind: str
    value: float
    beyond: bool
    result: float


class WhyCondition(WhyValue):
    """One of the stand's conditions: the suitability after it, whether it decides where plants stand, and
    by what it multiplies their size, where it does."""

    running: float | None
    on: bool
    join: str
    size: float | None
    lean: float | None
    tint: float | None


class WhyItem(Schema):
    """An item of the mix: its share of the plants at the place, and what its own condition found."""

    item: str
    share: float
    condition: WhyValue | None


class WhyPlace(Schema):
    """The stand's nearest place: a plant stands there when its threshold lies under density × fullness."""

    x: float
    z: float
    distance: float
    threshold: float


class WhyOut(Schema):
    """Why here, why not; `shut` names what leaves no room, `by_hand` the plant that a hand has set,
    `trails` the paths that lay plants over. Items are given where one of them has a condition of its own."""

    x: float
    z: float
    conditions: list[WhyCondition]
    suitability: float
    touch: float
    density: float
    fullness: float
    place: WhyPlace | None
    shut: str
    by_hand: str
    planted: bool
    items: list[WhyItem]
    trails: list[str]


class SetIn(Strict):
    """A set of conditions under a name; one of the same name is replaced."""

    name: Name
    level: str
    conditions: Conditions


class SetOut(SavedOut):
    kinds: list[str]


class FitOut(Schema):
    """A set brought to a level: what it asks for by name there; what could not be found is left out, as the
    notes say."""

    conditions: list[ConditionSettings]
    notes: list[str]


@router.post("/levels/{slug}/conditions/look", response=LookOut)
def look_at(request: HttpRequest, slug: str, data: ConditionSettings, stand: int | None = None):
    """The histogram of what a condition looks at, over the real ground, or over the placed meshes that a
    stand grows on."""
    level = level_for(request, slug)
    return look(planted_of(level), data.core(), planting_of(stand_for(level, stand)) if stand else None)


@router.post("/levels/{slug}/conditions/noise", response=NoiseOut)
def noise(request: HttpRequest, slug: str, data: NoiseIn):
    """Noise drawn over a piece of the level."""
    level_for(request, slug)
    cell = data.side / PICTURE
    col, row = round(data.x / cell), round(data.z / cell)
    field = noise_field(Noise(**data.noise.model_dump()), cell, (col, row, col + PICTURE, row + PICTURE))
    return {
        "side": PICTURE,
        "values": base64.b64encode((field * 255).round().astype(np.uint8).tobytes()).decode(),
    }


@router.get("/levels/{slug}/layers/{layer}/bands", response=BandsOut)
def bands(request: HttpRequest, slug: str, layer: str):
    """The altitudes and slopes that hold the middle nine tenths of a ground layer."""
    return layer_bands(planted_of(level_for(request, slug)), layer)


@router.post("/levels/{slug}/stands/{stand}/why", response=WhyOut)
def why_here(request: HttpRequest, slug: str, stand: int, data: WhyIn):
    """Why a place carries a plant of the stand, or does not."""
    row = stand_for(level_for(request, slug), stand)
    planting = tried(row, merged(row, data.settings)) if data.settings else planting_of(row)
    return why(planted_of(row.level), planting, data.x, data.z, data.on)


def _set_out(request: HttpRequest, row: ConditionSet) -> dict:
    return {**saved_out(request, row), "kinds": [c["kind"] for c in row.conditions]}


@router.get("/condition-sets", response=list[SetOut])
def sets(request: HttpRequest):
    """The team's sets of conditions."""
    return [_set_out(request, row) for row in ConditionSet.objects.select_related("by")]


@router.post("/condition-sets", response=SetOut)
def keep_set(request: HttpRequest, data: SetIn):
    """Save conditions under a name. Shapes, which belong to one level, are left out; stands are remembered by
    name."""
    level = level_for(request, data.level, to="plant")
    names = dict(level.stands.values_list("number", "name"))
    given = [
        {**c.model_dump(mode="json"), "shapes": [], "stand_name": names.get(c.stand, "")}
        for c in data.conditions
    ]
    return _set_out(request, keep(request, ConditionSet, data.name, conditions=given))


@router.delete("/condition-sets/{pk}", response={204: None})
def drop_set(request: HttpRequest, pk: int):
    """Remove a set; see `server.levels.access.may_change` for who may."""
    remove(request, ConditionSet, pk)
    return 204, None


@router.get("/levels/{slug}/condition-sets/{pk}", response=FitOut)
def fit(request: HttpRequest, slug: str, pk: int):
    """A set as it can be used in a level."""
    level: Level = level_for(request, slug)
    numbers = {name: number for number, name in level.stands.values_list("number", "name")}
    layers, masks = {la["name"] for la in level.layers}, set(level.masks.values_list("name", flat=True))
    document = planted_of(level).level
    groups = {shape.group for shape in document.shapes.values()}
    groups |= {placed.group for placed in document.surfaces.values()}
    kept, notes = [], []
    for given in saved_of(ConditionSet, pk).conditions:
        given = dict(given)
        name = given.pop("stand_name", "")
        if "stand" in KINDS[given["kind"]].parameters:
            given["stand"] = numbers.get(name, 0)
        lack = {
            **dict.fromkeys(("stand", "painting", "density"), not given["stand"] and f"stand {name!r}"),
            "mask": given["mask"] not in masks and f"mask image {given['mask']!r}",
            "layer": not set(given["layers"]) <= layers and f"ground layer {', '.join(given['layers'])}",
        }.get(given["kind"])
        lack = lack or ", ".join(f"group {name!r}" for name in given.get("groups", []) if name not in groups)
        if lack:
            notes.append(f"{level.name} has no {lack}: that condition was left out.")
        else:
            kept.append(given)
    return {"conditions": kept, "notes": notes}
