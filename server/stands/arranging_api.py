"""Stands added, duplicated, moved, changed and removed."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import UUID4, Field

from server.document.planted import numbers_of, planted_of
from server.journal.schemas import KeyIn
from server.levels.access import level_for
from server.sight.reckoning import cost_change, items_of, seen, stand_cost
from server.sight.schemas import ViewIn
from server.stands import arranging
from server.stands.access import stand_for
from server.steps import ChangedOut, changed_out
from thicket.document.level_file import stand_from
from thicket.document.settings import Colour, Name, Share, Stratum, Strict
from thicket.sight.cost import Cost

router = Router(tags=["stands"])


Spacing = Annotated[float, Field(allow_inf_nan=False, ge=0.2, le=200)]


class AddIn(Strict):
    """A new stand of a stock item; a sward has no single plants. Spacing (m) and fullness are proposed where
    they are not given."""

    key: UUID4
    name: Name
    stratum: Stratum
    item: Annotated[str, Field(max_length=60)]
    sward: bool = False
    spacing: Spacing | None = None
    fullness: Share | None = None


class TryNewIn(Strict):
    """A new stand to be looked at before it is begun, in a view."""

    stratum: Stratum
    item: Annotated[str, Field(max_length=60)]
    sward: bool = False
    spacing: Spacing | None = None
    fullness: Share | None = None
    view: ViewIn | None = None


class TryNewOut(Schema):
    """What a new stand would begin with: spacing, fullness, about how many plants, and what they cost in the
    view."""

    spacing: float
    fullness: float
    count: int
    cost: dict[str, float]


class MoveIn(Strict):
    """Put the stand into a stratum, before another of its stands, or at its end."""

    key: UUID4
    stratum: Stratum
    before: int | None = None


class ChangeIn(Strict):
    """What is to change; the rest stays."""

    key: UUID4
    name: Name | None = None
    seed: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    locked: bool | None = None
    colour: Colour | Literal[""] | None = None


class ExchangeIn(Strict):
    """Plant the item `by` wherever `item` is planted."""

    key: UUID4
    item: str
    by: str


@router.post("/levels/{slug}/new-stand", response=ChangedOut)
def add(request: HttpRequest, slug: str, data: AddIn):
    """Add a stand."""
    level = level_for(request, slug, to="plant")
    given = data.model_dump(exclude={"key"}) | {"name": data.name.strip()}
    return changed_out(request, level, arranging.add(request.user, level, data.key, **given))


@router.post("/levels/{slug}/new-stand/try", response=TryNewOut)
def try_new(request: HttpRequest, slug: str, data: TryNewIn):
    """What a new stand would begin with and cost; nothing is stored."""
    level = level_for(request, slug)
    stand = arranging.new_stand(level, "It", data.stratum, data.sward, data.item, data.spacing, data.fullness)
    planting, cost = planted_of(level).trying(stand_from(stand), checked=False), {}
    if data.view:
        cost = cost_change(Cost(), stand_cost(planting, items_of(level), seen(level, data.view), tried=True))
    return {
        "spacing": stand.settings.spacing,
        "fullness": stand.settings.fullness,
        "count": round(planting.expected()),
        "cost": cost,
    }


@router.post("/levels/{slug}/stands/{stand}/duplicate", response=ChangedOut)
def duplicate(request: HttpRequest, slug: str, stand: int, data: KeyIn):
    """Duplicate a stand with its settings and painting, under a new seed."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, arranging.duplicate(request.user, stand_for(level, stand), data.key))


@router.post("/levels/{slug}/stands/{stand}/move", response=ChangedOut)
def move(request: HttpRequest, slug: str, stand: int, data: MoveIn):
    """Give a stand another place in the order of who claims room first."""
    level = level_for(request, slug, to="plant")
    row, before = stand_for(level, stand), numbers_of(level).get(data.before or 0)
    return changed_out(request, level, arranging.move(request.user, row, data.key, data.stratum, before))


@router.post("/levels/{slug}/stands/{stand}/change", response=ChangedOut)
def change(request: HttpRequest, slug: str, stand: int, data: ChangeIn):
    """Rename, re-seed, colour, lock or unlock a stand."""
    level = level_for(request, slug, to="plant")
    fields = {name: value for name, value in data.model_dump(exclude={"key"}).items() if value is not None}
    return changed_out(
        request, level, arranging.change(request.user, stand_for(level, stand), data.key, fields)
    )


@router.post("/levels/{slug}/stands/{stand}/remove", response=ChangedOut)
def remove(request: HttpRequest, slug: str, stand: int, data: KeyIn):
    """Remove a stand; undo brings it back with all its painting."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, arranging.remove(request.user, stand_for(level, stand), data.key))


@router.post("/levels/{slug}/exchange", response=ChangedOut)
def exchange(request: HttpRequest, slug: str, data: ExchangeIn):
    """Exchange a stock item for another in every mix and pin."""
    level = level_for(request, slug, to="plant")
    return changed_out(request, level, arranging.exchange(request.user, level, data.key, data.item, data.by))
