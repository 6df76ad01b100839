"""Single plants: found, set, moved, turned, sized, exchanged, removed and released."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import UUID4, AfterValidator, Field

from server.document.planted import numbers_of, planted_of
from server.levels.access import level_for
from server.pins.actions import change_pins, ghost, regrow, scatter, uproot
from server.requests import KeyIn
from server.stands.access import planting_of, stand_for
from server.stands.brush_api import OnMesh
from server.steps import ChangedOut, changed_out
from thicket.document.pin_rows import VALUES, GoneRow, Row, rows_of
from thicket.document.settings import Mix, Multiple, Number, Share, Strict, shown
from thicket.planted.hand import PinChanges, as_rows
from thicket.planted.planting import Planting
from thicket.planted.scattering import MOST
from thicket.planted.uprooting import over
from thicket.planting.pins import bearing_of, lean_of
from thicket.planting.strokes import Stroke
from thicket.refused import Refused

router = Router(tags=["pins"])


def _in_64_bits(text: str) -> str:
    if int(text) >= 2**64:
        raise Refused("a plant's id has at most 64 bits")
    return text


PlantId = Annotated[
    str, Field(pattern=r"^\d{1,20}$", description="64-bit id as text"), AfterValidator(_in_64_bits)
]
Turn = Annotated[
    float,
    Field(allow_inf_nan=False, ge=-360, le=720, description="bearing of its front in degrees"),
    shown(5, "°"),
]
Lift = Annotated[
    float,
    Field(allow_inf_nan=False, ge=-50, le=500, description="m of its foot above the ground"),
    shown(0.05, "m"),
]
Place = Annotated[float, Query(ge=-1e6, le=1e6, allow_inf_nan=False, description="level metres")]
Altitude = Annotated[
    float | None, Query(ge=-1e6, le=1e6, allow_inf_nan=False, description="m, of a place on a placed mesh")
]
Many = 10_000


class Parts(Strict):
    """What a hand can set on a plant; what is left out stays, or is drawn from the stand's mix and
    variation."""

    item: Annotated[str, Field(max_length=60)] | None = None
    turn: Turn | None = None
    width: Multiple | None = None
    height: Multiple | None = None
    lift: Lift | None = None
    tint: Share | None = None


On = tuple[int, Number]
"""Where a place lies on a placed mesh: the mesh's id, and the altitude in m."""


class AddPlant(Parts):
    """A plant to be set at a place."""

    x: Number
    z: Number
    on: On | None = None
    mix: Mix | None = Field(default=None, description="what it is drawn from; the stand's mix when null")

    def wish(self) -> dict[str, Any]:
        """What is asked for, as the core takes it."""
        return {**self.model_dump(exclude={"mix"}), "mix": self.mix}


class ChangePlant(Parts):
    """A plant to be changed; `at` is about where it stands, which finds a rule-made one sooner."""

    plant: PlantId
    x: Annotated[Number, shown(0.25, "m")] | None = None
    z: Annotated[Number, shown(0.25, "m")] | None = None
    at: tuple[Number, Number] | None = None
    on: On | None = None


class PinsIn(KeyIn):
    """What is to be done to single plants of a stand; all of it or nothing. `push` sets plants where others
    are in the way."""

    add: list[AddPlant] = Field(default=[], max_length=Many)
    change: list[ChangePlant] = Field(default=[], max_length=Many)
    remove: list[PlantId] = Field(default=[], max_length=Many)
    release: list[PlantId] = Field(default=[], max_length=Many)
    push: bool = False


class PlantOut(Schema):
    """A single plant of a stand. `state` is rule, pinned or gone; `y` is the altitude of its foot."""

    plant: str
    item: str
    state: str
    x: float
    y: float
    z: float
    lift: float
    turn: float
    lean: float
    width: float
    height: float
    tint: float


def _out(planting: Planting, plant: int, row: Row, state: str) -> dict:
    x, z = row.home if isinstance(row, GoneRow) else (row.x, row.z)
    y = float(planting.ground.height_at(np.array([x]), np.array([z]))[0])
    if isinstance(row, GoneRow):
        nothing = dict.fromkeys(("lift", "turn", "lean"), 0.0) | {"width": 1.0, "height": 1.0, "tint": 0.5}
        return {"plant": str(plant), "item": "", "state": "gone", "x": x, "y": y, "z": z, **nothing}
    q = np.array([row.qx, row.qy, row.qz, row.qw])
    rest = {name: getattr(row, name) for name in ("item", "x", "z", "lift", "width", "height", "tint")}
    at = {"y": y + row.lift, "turn": bearing_of(q), "lean": lean_of(q)}
    return {"plant": str(plant), "state": state, **at, **rest}


def _near(planting: Planting, x: float, z: float, reach: float, y: float | None) -> dict | None:
    best, found = reach, None
    for sheet in planting.sheets_in((x - reach, z - reach, x + reach, z + reach)):
        plants = planting.plants(sheet)
        if len(plants):
            far = np.hypot(plants.form[:, 0] - x, plants.form[:, 2] - z)
            if y is not None:
                far = np.hypot(far, plants.form[:, 1] - y)
            k = int(far.argmin())
            if far[k] <= best:
                best, pinned = float(far[k]), bool(np.isin(plants.id[k], planting.pins.id))
                ((plant, row),) = as_rows(planting, plants.take(np.array([k]))).items()
                found = _out(planting, plant, row, "pinned" if pinned else "rule")
    return found


@router.get("/levels/{slug}/stands/{stand}/plant", response=PlantOut | None)
def plant_at(
    request: HttpRequest,
    slug: str,
    stand: int,
    x: Place,
    z: Place,
    reach: Annotated[float, Query(gt=0, le=100)] = 5,
    y: Altitude = None,
):
    """The stand's plant nearest to a place, within a reach in m; nothing when there is none. On a placed mesh
    the altitude distinguishes its sides."""
    row = stand_for(level_for(request, slug), stand)
    return None if row.sward else _near(planting_of(row), x, z, reach, y)


@router.get("/levels/{slug}/stands/{stand}/pins", response=list[PlantOut])
def pins(request: HttpRequest, slug: str, stand: int):
    """The stand's pins and the plants removed from it by hand."""
    planting = planting_of(stand_for(level_for(request, slug), stand))
    return [_out(planting, plant, row, "pinned") for plant, row in rows_of(planting.pins).items()]


@router.post("/levels/{slug}/stands/{stand}/pins", response=ChangedOut)
def change(request: HttpRequest, slug: str, stand: int, data: PinsIn):
    """Set, change, remove and release single plants, as one journal entry."""
    level = level_for(request, slug, to="plant")
    row = stand_for(level, stand)
    wish = PinChanges(
        [a.wish() for a in data.add],
        [{**c.model_dump(), "plant": int(c.plant)} for c in data.change],
        [int(p) for p in data.remove],
        [int(p) for p in data.release],
        data.push,
    )
    return changed_out(request, level, change_pins(request.user, row, data.key, wish), data.view)


class GhostIn(Strict):
    """A plant that is to be set, under the key it would be set with."""

    key: UUID4
    add: AddPlant
    push: bool = False


class GhostOut(Schema):
    """The very plant to come: as a row of a sheet's plants (`form`), and what is in the way."""

    plant: PlantOut
    form: list[float]
    trouble: str = Field(description="what is in the way, as a sentence; empty when nothing is")
    disc: tuple[float, float, float] | None = Field(
        description="x, z and radius in m of the footprint in the way"
    )


@router.post("/levels/{slug}/stands/{stand}/pins/try", response=GhostOut)
def try_pin(request: HttpRequest, slug: str, stand: int, data: GhostIn):
    """The plant that setting one would give; nothing is stored."""
    row = stand_for(level_for(request, slug, to="plant"), stand)
    if row.sward:
        raise Refused(f"stand: {row.name} is a sward; it has no single plants to set")
    plant, given, trouble = ghost(row, data.key, data.add.wish(), data.push)
    shown = _out(planting_of(row), plant, given, "pinned")
    form = [given.x, shown["y"], given.z, *(getattr(given, name) for name in VALUES)]
    return {
        "plant": shown,
        "form": form,
        "trouble": f"{trouble}." if trouble else "",
        "disc": trouble.disc if trouble else None,
    }


class ScatterIn(KeyIn):
    """So many plants of a stand to be set inside an outline, drawn from a mix, its own when it is null; with
    `pile` they are dropped there and come to rest on one another."""

    outline: list[tuple[Number, Number]] = Field(min_length=3, max_length=2000)
    count: Annotated[int, Field(ge=1, le=MOST)] = 20
    mix: Mix | None = None
    pile: bool = False


@router.post("/levels/{slug}/stands/{stand}/scatter", response=ChangedOut)
def scatter_plants(request: HttpRequest, slug: str, stand: int, data: ScatterIn):
    """Set so many plants evenly by chance inside an outline, as one journal entry."""
    level = level_for(request, slug, to="plant")
    row = stand_for(level, stand)
    done = scatter(request.user, row, data.key, data.outline, data.count, data.mix or [], data.pile)
    return changed_out(request, level, done, data.view)


class UprootIn(KeyIn):
    """Plants of some stands to be taken out under the brush; `on` as of a stroke."""

    stands: list[int] = Field(min_length=1, max_length=200)
    path: list[tuple[Number, Number]] = Field(min_length=1, max_length=4000)
    on: list[OnMesh] = Field(default=[], max_length=4000)
    radius: Annotated[float, Field(allow_inf_nan=False, ge=0.1, le=500)]


@router.post("/levels/{slug}/uproot", response=ChangedOut)
def uproot_plants(request: HttpRequest, slug: str, data: UprootIn):
    """Take out the plants that the brush passes over, as one journal entry."""
    level = level_for(request, slug, to="plant")
    rows = [stand_for(level, pk) for pk in dict.fromkeys(data.stands)]
    done = uproot(request.user, rows, Stroke("thin", data.path, data.radius, 0, 1, on=data.on), data.key)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/stands/{stand}/regrow", response=ChangedOut)
def let_grow_again(request: HttpRequest, slug: str, stand: int, data: KeyIn):
    """Let a stand grow again wherever it was uprooted, as one journal entry."""
    level = level_for(request, slug, to="plant")
    done = regrow(request.user, stand_for(level, stand), data.key)
    return changed_out(request, level, done, data.view)


class UnderOut(Schema):
    """What of a stand stands over a place; `tip` in m above the ground there, `plant` empty for a sward."""

    stand: int
    item: str
    plant: str
    tip: float


@router.get("/levels/{slug}/under", response=list[UnderOut])
def what_is_under(request: HttpRequest, slug: str, x: Place, z: Place, y: Altitude = None):
    """The stands that stand over a place, top to bottom."""
    level = level_for(request, slug)
    if not (0 <= x < level.width and 0 <= z < level.length):
        raise Refused(
            f"place: {x:g}, {z:g} lies outside the level, which is {level.width:g} m × {level.length:g} m"
        )
    ids = {number: pk for pk, number in numbers_of(level).items()}
    return [
        {
            "stand": ids[one.stand],
            "item": one.item,
            "plant": "" if one.plant is None else str(one.plant),
            "tip": one.tip,
        }
        for one in over(planted_of(level), x, z, y)
    ]
