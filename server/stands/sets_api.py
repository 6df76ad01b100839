"""Sets of stands: what grows on a placed mesh, kept under a name and planted on others."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import TypeAdapter

from server.document.planted import planted_of
from server.levels.access import check_may_change, level_for, may_change
from server.requests import KeyIn
from server.stands.arranging import plant_set
from server.stands.models import StandSet
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Name, Strict
from thicket.planted.arranging import SavedStand, saved_stands
from thicket.refused import Missing

router = Router(tags=["stand sets"])
SAVED = TypeAdapter(list[SavedStand])


class StandSetOut(Schema):
    """A set: the names of its stands, and the items that they plant."""

    id: int
    name: str
    by: str
    may_change: bool
    stands: list[str]
    items: list[str]


class StandSetIn(Strict):
    """What grows on a placed mesh of a level, to be kept under a name; one of the same name is replaced."""

    name: Name
    level: str
    surface: int


class PlantSetIn(KeyIn):
    """A set to be planted; on the mesh alone, or on its whole group."""

    set: int
    group: bool = False


def _out(request: HttpRequest, row: StandSet) -> dict:
    saved = SAVED.validate_python(row.stands)
    return {
        "id": row.pk,
        "name": row.name,
        "by": row.by.get_username(),
        "may_change": may_change(request.user, row.by_id),
        "stands": [stand.name for stand in saved],
        "items": sorted({entry.item for stand in saved for entry in stand.settings.mix}),
    }


def _the_set(pk: int) -> StandSet:
    row = StandSet.objects.filter(pk=pk).first()
    if row is None:
        raise Missing(f"set: there is no set of stands {pk}; somebody may have removed it")
    return row


@router.get("/stand-sets", response=list[StandSetOut])
def sets(request: HttpRequest):
    """The team's sets of stands."""
    return [_out(request, row) for row in StandSet.objects.select_related("by")]


@router.post("/stand-sets", response=StandSetOut)
def keep(request: HttpRequest, data: StandSetIn):
    """Keep the stands that grow on a placed mesh under a name. What they say of other stands, shapes, masks
    and layers of the level is left out."""
    level = planted_of(level_for(request, data.level, to="plant")).level
    if data.surface not in level.surfaces:
        raise Missing(f"surface: {level.name} has no placed mesh {data.surface}")
    saved = SAVED.dump_python(saved_stands(level, data.surface), mode="json")
    with transaction.atomic():
        row = StandSet.objects.select_for_update().filter(name=data.name).first()
        if row:
            check_may_change(request.user, row.name, row.by)
        row = row or StandSet(name=data.name, by=request.user)
        row.stands = saved
        row.save()
    return _out(request, row)


@router.delete("/stand-sets/{pk}", response={204: None})
def remove(request: HttpRequest, pk: int):
    """Remove a set; what was planted by it stays."""
    row = _the_set(pk)
    check_may_change(request.user, row.name, row.by)
    row.delete()
    return 204, None


@router.post("/levels/{slug}/surfaces/{number}/plant-set", response=ChangedOut)
def plant(request: HttpRequest, slug: str, number: int, data: PlantSetIn):
    """Begin all stands of a set on a placed mesh, or its group, as one journal entry."""
    level = level_for(request, slug, to="plant")
    placed, row = planted_of(level).level.surfaces.get(number), _the_set(data.set)
    if placed is None:
        raise Missing(f"surface: {level.name} has no placed mesh {number}")
    on = placed.group if data.group and placed.group else placed.name
    done = plant_set(request.user, level, data.key, row.name, SAVED.validate_python(row.stands), on)
    return changed_out(request, level, done, data.view)
