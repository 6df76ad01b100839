"""Single plants: found, set, moved, turned, sized, exchanged, removed and released."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from server.journal.schemas import entry_out
from server.levels.access import level_for, stand_for
from server.pins.keeping import Wish, as_row, change_pins
from server.stands.api import ChangedOut
from server.stands.engine import Planting, planting_of
from server.stands.models import Stand
from server.stands.schemas import Multiple, Number, Share, Strict
from thicket.planting.pins import bearing_of

router = Router(tags=["pins"])
PlantId = Annotated[str, Field(pattern=r"^\d{1,20}$", description="64-bit id as text")]
Turn = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=720, description="bearing of its front in degrees")]
Lift = Annotated[float, Field(allow_inf_nan=False, ge=-50, le=500, description="m of its foot above the ground")]
Many = 10_000


class Parts(Strict):
    """What a hand can set on a plant; what is left out stays, or is drawn from the stand's mix and variation."""

    item: Annotated[str, Field(max_length=60)] | None = None
    turn: Turn | None = None
    width: Multiple | None = None
    height: Multiple | None = None
    lift: Lift | None = None
    tint: Share | None = None


class AddPlant(Parts):
    """A plant to be set at a place."""

    x: Number
    z: Number


class ChangePlant(Parts):
    """A plant to be changed; `at` is about where it stands, which finds a rule-made one sooner."""

    plant: PlantId
    x: Number | None = None
    z: Number | None = None
    at: tuple[Number, Number] | None = None


class PinsIn(Strict):
    """What is to be done to single plants of a stand; all of it or nothing. `push` sets plants where others are in the way."""

    key: UUID
    add: list[AddPlant] = Field(default=[], max_length=Many)
    change: list[ChangePlant] = Field(default=[], max_length=Many)
    remove: list[PlantId] = Field(default=[], max_length=Many)
    release: list[PlantId] = Field(default=[], max_length=Many)
    push: bool = False


class PlantOut(Schema):
    """A single plant of a stand. `state` is rule, pinned or gone."""

    plant: str
    item: str
    state: str
    x: float
    z: float
    lift: float
    turn: float
    width: float
    height: float
    tint: float


def _out(plant: int, row: dict, state: str) -> dict:
    turn = bearing_of(np.array([row[n] for n in ("qx", "qy", "qz", "qw")]))
    return {"plant": str(plant), "state": state, "turn": turn, **{n: row[n] for n in PlantOut.model_fields if n in row}}


def _near(planting: Planting, x: float, z: float, reach: float) -> dict | None:
    best, found = reach, None
    for sheet in planting.sheets_in((x - reach, z - reach, x + reach, z + reach)):
        plants = planting.plants(sheet)
        if len(plants):
            far = np.hypot(plants.form[:, 0] - x, plants.form[:, 2] - z)
            k = int(far.argmin())
            if far[k] <= best:
                best, pinned = float(far[k]), bool(np.isin(plants.id[k], planting.pins.id))
                found = _out(int(plants.id[k]), as_row(planting, plants, k, False), "pinned" if pinned else "rule")
    return found


@router.get("/levels/{slug}/stands/{stand}/plant", response=PlantOut | None)
def plant_at(request: HttpRequest, slug: str, stand: int, x: float, z: float, reach: Annotated[float, Query(gt=0, le=100)] = 5):
    """The stand's plant nearest to a place, within a reach in m; nothing when there is none."""
    row = stand_for(level_for(request, slug), stand)
    return None if row.sward else _near(planting_of(row), x, z, reach)


@router.get("/levels/{slug}/stands/{stand}/pins", response=list[PlantOut])
def pins(request: HttpRequest, slug: str, stand: int):
    """The stand's pins and the plants removed from it by hand."""
    row: Stand = stand_for(level_for(request, slug), stand)
    return [_out(p.plant, p.as_dict(), "gone" if p.gone else "pinned") for p in row.pins.all()]


@router.post("/levels/{slug}/stands/{stand}/pins", response=ChangedOut)
def change(request: HttpRequest, slug: str, stand: int, data: PinsIn):
    """Set, change, remove and release single plants, as one journal entry."""
    level = level_for(request, slug, to="plant")
    row = stand_for(level, stand)
    wish = Wish([a.dict() for a in data.add], [{**c.dict(), "plant": int(c.plant)} for c in data.change],
                [int(p) for p in data.remove], [int(p) for p in data.release], data.push)
    entry = change_pins(request.user, row, data.key, wish)
    return {"entry": entry_out(entry, request.user), "stand": None, "keys": {},
            "stale": list(level.stands.values_list("pk", flat=True))}
