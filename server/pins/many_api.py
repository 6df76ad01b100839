"""Many single plants at once: selected, and changed by hand together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field, model_validator

from server.document.planted import numbers_of, planted_of
from server.levels.access import level_for
from server.pins.actions import change_many
from server.pins.api import Lift, Many, PlantId, PlantOut, Turn
from server.requests import KeyIn
from server.stands.access import stand_for
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Degrees, Multiple, Number, Share, Strict, shown
from thicket.planted.hand import PinChanges
from thicket.planted.selecting import selected
from thicket.planted.varying import Align, Random
from thicket.planting.pins import bearing_of, lean_of
from thicket.refused import Refused

router = Router(tags=["pins"])


class SelectIn(Strict):
    """Which single plants: of these stands, of all when there are none; inside an outline; of one item;
    pinned ones alone."""

    stands: list[int] = Field(default=[], max_length=200)
    outline: list[tuple[Number, Number]] | None = Field(default=None, min_length=3, max_length=2000)
    item: Annotated[str, Field(max_length=60)] = ""
    pinned: bool = False
    plants: list[PlantId] | None = Field(default=None, max_length=Many, description="these alone")


class SelectedOut(PlantOut):
    """A single plant, and whose it is."""

    stand: int


def selected_out(
    stand: int, plant: int, item: str, form: Sequence[float], ground: float, pinned: bool
) -> dict[str, Any]:
    """A plant of a stand, by primary key, for the API; ground, the altitude under it in m."""
    q = np.array(form[3:7])
    return {
        "stand": stand,
        "plant": str(plant),
        "item": item,
        "x": form[0],
        "y": form[1],
        "z": form[2],
        "state": "pinned" if pinned else "rule",
        "lift": form[1] - ground,
        "turn": bearing_of(q),
        "lean": lean_of(q),
        "width": form[7],
        "height": form[8],
        "tint": form[9],
    }


class SelectionOut(Schema):
    """The plants that were asked for, 10,000 at the most, and how many there are."""

    plants: list[SelectedOut]
    total: int


@router.post("/levels/{slug}/select", response=SelectionOut)
def select(request: HttpRequest, slug: str, data: SelectIn):
    """Single plants by outline, item or pins."""
    level = level_for(request, slug)
    planted, ids = planted_of(level), {number: pk for pk, number in numbers_of(level).items()}
    numbers = [stand_for(level, pk).number for pk in data.stands]
    numbers = numbers or [stand.number for stand in planted.level.in_order]
    only = None if data.plants is None else np.array([int(p) for p in data.plants], np.uint64)
    found, total = selected(planted, numbers, data.outline, data.item, data.pinned, only)
    out = []
    for planting, plants in found:
        pinned = np.isin(plants.id, planting.pins.id)
        ground = planting.ground.height_at(plants.form[:, 0].astype(float), plants.form[:, 2].astype(float))
        for k, (form, plant, item) in enumerate(
            zip(plants.form.tolist(), plants.id.tolist(), plants.item.tolist())
        ):
            out.append(
                selected_out(
                    ids[planting.stand.number], plant, planting.items[item], form, float(ground[k]), pinned[k]
                )
            )
    return {"plants": out, "total": total}


class RangesIn(Strict):
    """From where values are drawn by chance; from the stand's own ranges where they are null."""

    turn: tuple[Turn, Turn] | None = None
    size: tuple[Multiple, Multiple] | None = None
    lean: tuple[Degrees, Degrees] | None = None

    @model_validator(mode="after")
    def check(self) -> Self:
        for name in ("turn", "size", "lean"):
            pair = getattr(self, name)
            if pair and pair[0] > pair[1]:
                raise Refused(f"{name} ends ({pair[1]:g}) below its start ({pair[0]:g})")
        return self


class HandIn(KeyIn):
    """One thing done to many single plants, by stand: values for all of them, or what theirs are to be
    changed by. All of it or nothing. `random` draws values by chance, for each plant its own; `align` lays
    plants along the surface, upright, or turns their fronts to an eye at x, z. `turn_by` turns each, and with
    `about`, an x and z, all of them about that place; `roll_east` and `roll_south` turn each about the axes
    that point east and south, in degrees. `free` keeps altitudes while moving, else plants keep their lift
    above the ground; `push` sets plants where others are in the way."""

    plants: dict[int, list[PlantId]] = Field(min_length=1)
    do: Literal["change", "copy", "remove", "release"] = "change"
    east: Annotated[Number, shown(0.25, "m")] = 0
    south: Annotated[Number, shown(0.25, "m")] = 0
    rise: Annotated[float, Field(allow_inf_nan=False, ge=-500, le=500), shown(0.05, "m")] = 0
    free: bool = False
    turn_by: Turn = 0
    about: tuple[Number, Number] | None = None
    roll_east: Turn = 0
    roll_south: Turn = 0
    size_by: Annotated[float, Field(allow_inf_nan=False, ge=0.05, le=20), shown(0.05, "×")] = 1
    lean: Annotated[float, Field(allow_inf_nan=False, ge=0, le=90), shown(1, "°")] | None = None
    item: Annotated[str, Field(max_length=60)] | None = None
    turn: Turn | None = None
    width: Multiple | None = None
    height: Multiple | None = None
    lift: Lift | None = None
    tint: Share | None = None
    random: Annotated[list[Random], Field(max_length=4)] = []
    ranges: RangesIn = RangesIn()
    align: Align | None = None
    eye: tuple[Number, Number] | None = None
    push: bool = False

    def wish(self, ids: list[str]) -> PinChanges:
        """What it asks for of one stand."""
        given = self.model_dump(exclude={"key", "view", "plants", "do", "push"})
        each = [given | {"plant": int(p)} for p in ids]
        return PinChanges(
            change=each if self.do == "change" else [],
            copy=each if self.do == "copy" else [],
            remove=[int(p) for p in ids] if self.do == "remove" else [],
            release=[int(p) for p in ids] if self.do == "release" else [],
            push=self.push,
        )


@router.post("/levels/{slug}/hand", response=ChangedOut)
def hand(request: HttpRequest, slug: str, data: HandIn):
    """Do one thing to many single plants, as one journal entry."""
    level = level_for(request, slug, to="plant")
    total = sum(map(len, data.plants.values()))
    if not 0 < total <= Many:
        raise Refused(f"plants: {total:,} were named; 1 to {Many:,} can be changed at once")
    wishes = {stand_for(level, pk).number: data.wish(ids) for pk, ids in data.plants.items() if ids}
    return changed_out(request, level, change_many(request.user, level, data.key, wishes), data.view)
