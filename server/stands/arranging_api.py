"""Stands added, duplicated, moved, changed and removed."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from server.document.planted import numbers_of
from server.levels.access import level_for
from server.requests import KeyIn
from server.stands import arranging
from server.stands.access import stand_for
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Colour, Id, Mix, Name, Share, Stratum, shown

router = Router(tags=["stands"])


Spacing = Annotated[float, Field(allow_inf_nan=False, ge=0.2, le=200), shown(0.1, "m")]


class AddIn(KeyIn):
    """A new stand of a stock item; a sward has no single plants. Spacing (m) and fullness are proposed where
    they are not given."""

    name: Name
    stratum: Stratum
    item: Annotated[str, Field(max_length=60)]
    sward: bool = False
    spacing: Spacing | None = None
    fullness: Annotated[Share, shown(0.01, "%")] | None = None
    mix: Mix | None = Field(None, description="what it plants, its item among it; else that alone")
    on: list[Name] = Field(
        default=[], max_length=50, description="placed meshes, and groups of them, that it grows on"
    )


class MoveIn(KeyIn):
    """Put the stand into a stratum, before another of its stands, or at its end."""

    stratum: Stratum
    before: int | None = None


class ChangeIn(KeyIn):
    """What is to change; the rest stays."""

    name: Name | None = None
    seed: Annotated[int, Field(ge=0, lt=2**31)] | None = None
    locked: bool | None = None
    colour: Colour | Literal[""] | None = None


class SwitchIn(KeyIn):
    """Stands, by id, to be switched off or on."""

    stands: Annotated[list[Id], Field(min_length=1, max_length=200)]
    off: bool


class GroupIn(KeyIn):
    """Stands, by id, to be listed under a group of this name; under none when it is empty."""

    stands: Annotated[list[Id], Field(min_length=1, max_length=200)]
    group: Name | Literal[""]


class ExchangeIn(KeyIn):
    """Plant the item `by` wherever `item` is planted."""

    item: str
    by: str


@router.post("/levels/{slug}/new-stand", response=ChangedOut)
def add(request: HttpRequest, slug: str, data: AddIn):
    """Add a stand."""
    level = level_for(request, slug, to="plant")
    given = data.model_dump(exclude={"key", "view"}) | {"name": data.name.strip(), "mix": data.mix or ()}
    return changed_out(request, level, arranging.add(request.user, level, data.key, **given), data.view)


@router.post("/levels/{slug}/stands/{stand}/duplicate", response=ChangedOut)
def duplicate(request: HttpRequest, slug: str, stand: int, data: KeyIn):
    """Duplicate a stand with its settings and painting, under a new seed."""
    level = level_for(request, slug, to="plant")
    done = arranging.duplicate(request.user, stand_for(level, stand), data.key)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/stands/{stand}/move", response=ChangedOut)
def move(request: HttpRequest, slug: str, stand: int, data: MoveIn):
    """Give a stand another place in the order of who claims room first."""
    level = level_for(request, slug, to="plant")
    row, before = stand_for(level, stand), numbers_of(level).get(data.before or 0)
    done = arranging.move(request.user, row, data.key, data.stratum, before)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/stands/{stand}/change", response=ChangedOut)
def change(request: HttpRequest, slug: str, stand: int, data: ChangeIn):
    """Rename, re-seed, colour, lock or unlock a stand."""
    level = level_for(request, slug, to="plant")
    fields = data.model_dump(exclude={"key", "view"}, exclude_none=True)
    done = arranging.change(request.user, stand_for(level, stand), data.key, fields)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/switch-stands", response=ChangedOut)
def switch(request: HttpRequest, slug: str, data: SwitchIn):
    """Switch stands off, so that nothing of them stands, is counted or handed over; or on again."""
    level = level_for(request, slug, to="plant")
    rows = [stand_for(level, pk) for pk in dict.fromkeys(data.stands)]
    done = arranging.switch(request.user, level, data.key, rows, data.off)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/group-stands", response=ChangedOut)
def group(request: HttpRequest, slug: str, data: GroupIn):
    """List stands under a group of one's own name in the column, or under none."""
    level = level_for(request, slug, to="plant")
    rows = [stand_for(level, pk) for pk in dict.fromkeys(data.stands)]
    return changed_out(
        request, level, arranging.group(request.user, level, data.key, rows, data.group.strip())
    )


@router.post("/levels/{slug}/stands/{stand}/remove", response=ChangedOut)
def remove(request: HttpRequest, slug: str, stand: int, data: KeyIn):
    """Remove a stand; undo brings it back with all its painting."""
    level = level_for(request, slug, to="plant")
    done = arranging.remove(request.user, stand_for(level, stand), data.key)
    return changed_out(request, level, done, data.view)


@router.post("/levels/{slug}/exchange", response=ChangedOut)
def exchange(request: HttpRequest, slug: str, data: ExchangeIn):
    """Exchange a stock item for another in every mix and pin."""
    level = level_for(request, slug, to="plant")
    done = arranging.exchange(request.user, level, data.key, data.item, data.by)
    return changed_out(request, level, done, data.view)
