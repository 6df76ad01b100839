"""Sets of stands: what grows on a placed mesh, kept under a name and planted on others."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router
from pydantic import TypeAdapter

from server.document.planted import planted_of
from server.levels.access import level_for
from server.requests import KeyIn
from server.stands.arranging import plant_set
from server.stands.models import StandSet
from server.stands.saved import SavedOut, keep, remove, saved_of, saved_out
from server.steps import ChangedOut, changed_out
from thicket.document.settings import Name, Strict
from thicket.planted.arranging import SavedStand, saved_stands
from thicket.refused import Missing

router = Router(tags=["stand sets"])
SAVED = TypeAdapter(list[SavedStand])


class StandSetOut(SavedOut):
    """A set: the names of its stands, and the items that they plant."""

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
        **saved_out(request, row),
        "stands": [stand.name for stand in saved],
        "items": sorted({entry.item for stand in saved for entry in stand.settings.mix}),
    }


@router.get("/stand-sets", response=list[StandSetOut])
def sets(request: HttpRequest):
    """The team's sets of stands."""
    return [_out(request, row) for row in StandSet.objects.select_related("by")]


@router.post("/stand-sets", response=StandSetOut)
def keep_set(request: HttpRequest, data: StandSetIn):
    """Keep the stands that grow on a placed mesh under a name. What they say of other stands, shapes, masks
    and layers of the level is left out."""
    level = planted_of(level_for(request, data.level, to="plant")).level
    if data.surface not in level.surfaces:
        raise Missing(f"surface: {level.name} has no placed mesh {data.surface}")
    saved = SAVED.dump_python(saved_stands(level, data.surface), mode="json")
    return _out(request, keep(request, StandSet, data.name, stands=saved))


@router.delete("/stand-sets/{pk}", response={204: None})
def remove_set(request: HttpRequest, pk: int):
    """Remove a set; what was planted by it stays."""
    remove(request, StandSet, pk)
    return 204, None


@router.post("/levels/{slug}/surfaces/{number}/plant-set", response=ChangedOut)
def plant(request: HttpRequest, slug: str, number: int, data: PlantSetIn):
    """Begin all stands of a set on a placed mesh, or its group, as one journal entry."""
    level = level_for(request, slug, to="plant")
    placed, row = planted_of(level).level.surfaces.get(number), saved_of(StandSet, data.set)
    if placed is None:
        raise Missing(f"surface: {level.name} has no placed mesh {number}")
    on = placed.group if data.group and placed.group else placed.name
    done = plant_set(request.user, level, data.key, row.name, SAVED.validate_python(row.stands), on)
    return changed_out(request, level, done, data.view)
