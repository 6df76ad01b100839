"""Mixes kept under a name, for any stand of any level."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import TypeAdapter

from server.document.planted import planted_of
from server.levels.access import level_for
from server.stands.models import SavedMix
from server.stands.saved import SavedOut, keep, remove, saved_of, saved_out
from thicket.document.settings import Mix, MixEntry, Name, Strict
from thicket.planted.arranging import mix_for, portable_mix

router = Router(tags=["mixes"])
MIX = TypeAdapter(Mix)


class MixOut(SavedOut):
    """A mix: the items that it plants, by weight, the heaviest first."""

    items: list[str]


class MixIn(Strict):
    """A mix of a level's stand, to be kept under a name; one of the same name is replaced."""

    name: Name
    level: str
    mix: Mix


class MixForOut(Schema):
    """A kept mix as a level can plant it; `missing` are the items that it has not in stock, left out."""

    mix: list[MixEntry]
    missing: list[str]


def _out(request: HttpRequest, row: SavedMix) -> dict:
    entries = sorted(MIX.validate_python(row.mix), key=lambda entry: -entry.weight)
    return {**saved_out(request, row), "items": [entry.item for entry in entries]}


@router.get("/kept-mixes", response=list[MixOut])
def mixes(request: HttpRequest):
    """The team's mixes."""
    return [_out(request, row) for row in SavedMix.objects.select_related("by")]


@router.post("/kept-mixes", response=MixOut)
def keep_mix(request: HttpRequest, data: MixIn):
    """Keep a mix under a name. What its items' own conditions say of stands, shapes, masks and layers of the
    level is left out."""
    level_for(request, data.level, to="plant")
    mix = MIX.dump_python(portable_mix(data.mix), mode="json")
    return _out(request, keep(request, SavedMix, data.name, mix=mix))


@router.delete("/kept-mixes/{pk}", response={204: None})
def remove_mix(request: HttpRequest, pk: int):
    """Remove a mix; stands that took it keep theirs."""
    remove(request, SavedMix, pk)
    return 204, None


@router.get("/levels/{slug}/kept-mixes/{pk}", response=MixForOut)
def mix_for_level(request: HttpRequest, slug: str, pk: int):
    """A mix as it can be planted in a level."""
    level = planted_of(level_for(request, slug)).level
    mix, missing = mix_for(level, MIX.validate_python(saved_of(SavedMix, pk).mix))
    return {"mix": mix, "missing": missing}
