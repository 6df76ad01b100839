"""Stands begun, doubled, put elsewhere in the order, and items exchanged in all of them: as edits."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from thicket.document.edits import AddStand, ChangePins, ChangeSettings, Edit, OrderStands, several
from thicket.document.edits.level import checked
from thicket.document.edits.plants import uprooted_places
from thicket.document.level import Item, Level, Stand
from thicket.document.level_file import StandFile, file_of, stand_from
from thicket.document.pin_rows import PinRow, Row, rows_of
from thicket.document.settings import MixEntry, Name, StandSettings, Stratum, Strict
from thicket.planted.level import PlantedLevel
from thicket.planting.hashing import seed_of
from thicket.planting.stands import STRATA
from thicket.refused import Conflict, Refused

BEGINNING = 20_000
"""A new stand begins with at most about so many plants."""
OF_THE_LEVEL = "stand", "painting", "density", "path", "area", "obstacle", "mesh", "mask", "layer"
"""Kinds of conditions that ask for what only one level has."""
CLINGING = "Stone", "Field", "Moss"
"""What begins along the surface of a mesh, and not upright."""


def beginning(item: Item, sward: bool) -> dict[str, Any]:
    """What a stand of an item begins with: so wide apart that crowns hardly meet, on ground that is not
    steep, and drawn as far as its states are seen to differ by at most two pixels."""
    reach = max(item.height, item.crown, 0.3)
    spacing = 0.7 if sward else round(min(max(2.2 * item.crown, 3 * item.trunk, 0.5), 60), 2)
    gone, found = round(min(max(reach * 90, 40), 1200)), item.distances
    steps = found.get("lods") or [round(gone * 0.08)]
    billboard = found.get("billboard") or steps[-1]
    gone = max(gone, round(1.5 * billboard))
    casts = not sward and item.traits.get("casts_shadow", True)
    return {
        "mix": [{"item": item.slug, "weight": 1}],
        "spacing": spacing,
        "conditions": [{"kind": "slope", "lo": 0, "hi": 32, "soft_hi": 8}],
        "distances": {
            "steps": steps[:6],
            "billboard": billboard,
            "gone": gone,
            "fade": round(max(gone * 0.03, 4)),
            "shadow": round(min(reach * 9, gone)) if casts else 0,
        },
    }


def begun(
    planted: PlantedLevel,
    number: int,
    slug: str,
    name: str,
    stratum: str,
    sward: bool,
    item: str,
    spacing: float | None = None,
    fullness: float | None = None,
    salt: object = "",
    on: Sequence[str] = (),
    mix: Sequence[MixEntry] = (),
) -> StandFile:
    """A new stand of one item, or of a mix with it, at the end of its stratum, on the terrain or on placed
    meshes and groups of some names, there all round; see `beginning` for what is not given.

    Raises: Refused when the level has no such item, or too many plants would stand.
    """
    level = planted.level
    if item not in level.stock:
        raise Refused(f"item: there is no stock item {item[:60]!r} in this level")
    settings = beginning(level.stock[item], sward) | ({"spacing": spacing} if spacing else {})
    if mix:
        settings["mix"] = [entry.model_dump(mode="json") for entry in mix]
    if on:
        settings |= {"on": list(on), "conditions": []}
        if stratum in CLINGING:
            settings["variation"] = {"follow": 1.0}
    place = max((s.place for s in level.stands.values() if s.stratum == stratum), default=-1) + 1
    given = StandFile(
        number=number,
        slug=slug,
        name=name,
        stratum=checked(Stratum, stratum),
        place=place,
        sward=sward,
        seed=seed_of(level.seed, number, salt),
        settings=StandSettings.model_validate(settings | {"fullness": 1.0 if fullness is None else fullness}),
    )
    if fullness is None:
        most = planted.trying(stand_from(given), checked=False).expected()
        few = round(max(min(0.4 if sward else 0.1, BEGINNING / max(most, 1)), 0.001), 3)
        given = given.model_copy(update={"settings": given.settings.model_copy(update={"fullness": few})})
    return given


class SavedStand(Strict):
    """A stand as a set of stands holds it: to be begun anew on another surface, in any level."""

    name: Name
    stratum: Stratum
    sward: bool = False
    colour: str = ""
    settings: StandSettings


def stands_on(level: Level, surface: int) -> list[Stand]:
    """The stands that grow on a placed mesh, by number, first those that claim room first."""
    placed = level.surfaces[surface]
    names = {placed.name, placed.group} - {""}
    return [stand for stand in level.in_order if names & set(stand.settings.on)]


def saved_stands(level: Level, surface: int) -> list[SavedStand]:
    """The stands that grow on a placed mesh, by number, as a set holds them. What they say of other stands,
    shapes and masks of the level is left out.

    Raises: Refused when none grows there.
    """
    found = stands_on(level, surface)
    if not found:
        raise Refused(f"surface: nothing grows on {level.surfaces[surface].name} yet")
    out = []
    for stand in found:
        given = stand.settings.model_dump(mode="json")
        given["conditions"] = [c for c in given["conditions"] if c["kind"] not in OF_THE_LEVEL]
        given["mix"] = [entry.model_dump(mode="json") for entry in portable_mix(stand.settings.mix)]
        given["on"] = []
        out.append(
            SavedStand(
                name=stand.name,
                stratum=checked(Stratum, stand.stratum),
                colour=stand.colour,
                settings=StandSettings.model_validate(given),
            )
        )
    return out


def portable_mix(mix: Sequence[MixEntry]) -> list[MixEntry]:
    """A mix as any level can use it: items' own conditions that ask for what only one level has are left
    out."""
    return [
        entry.model_copy(update={"drive": None})
        if entry.drive and entry.drive.kind in OF_THE_LEVEL
        else entry
        for entry in mix
    ]


def mix_for(level: Level, mix: Sequence[MixEntry]) -> tuple[list[MixEntry], list[str]]:
    """Those entries of a kept mix whose items a level has in stock, and the items that it has not.

    Raises: Refused when it has none of them.
    """
    missing = [entry.item for entry in mix if entry.item not in level.stock]
    if len(missing) == len(mix):
        raise Refused(f"mix: the level has no {', '.join(missing)} in stock; take them from the shelf first")
    return [entry for entry in mix if entry.item in level.stock], missing


def set_edit(
    level: Level,
    saved: Sequence[SavedStand],
    on: Sequence[str],
    names: Sequence[tuple[int, str, str]],
    salt: object,
) -> Edit:
    """Begin the stands of a set on placed meshes or groups of some names; `names` are the number, slug and
    name that each is given.

    Raises: Refused when the level has not all their items.
    """
    missing = {e.item for given in saved for e in given.settings.mix} - level.stock.keys()
    if missing:
        raise Refused(
            f"set: the level has no {', '.join(sorted(missing))} in stock; take it from the shelf first"
        )
    last = dict.fromkeys(STRATA, -1)
    for stand in level.stands.values():
        last[stand.stratum] = max(last[stand.stratum], stand.place)
    edits: list[Edit] = []
    for given, (number, slug, name) in zip(saved, names):
        last[given.stratum] += 1
        edits.append(
            AddStand(
                stand=StandFile(
                    number=number,
                    slug=slug,
                    name=name,
                    stratum=given.stratum,
                    place=last[given.stratum],
                    sward=given.sward,
                    seed=seed_of(level.seed, number, salt),
                    colour=given.colour,
                    settings=given.settings.model_copy(update={"on": list(on)}),
                )
            )
        )
    return several(edits)


def duplicate_edit(level: Level, of: Stand, number: int, slug: str, salt: object) -> Edit:
    """A copy of a stand below it, with its settings, painting and uprooted places, under a new seed."""
    copy = file_of(of).model_copy(
        update={
            "number": number,
            "slug": slug,
            "name": f"{of.name} again"[:80],
            "place": of.place + 1,
            "locked": False,
            "colour": "",
            "seed": seed_of(level.seed, number, salt),
        }
    )
    below = [s for s in level.in_order if s.stratum == of.stratum and s.order > of.order]
    stratum = checked(Stratum, of.stratum)
    touch, mesh_touch = level.touch.get(of.number), level.mesh_touch_of(of.number)
    added = AddStand(
        stand=copy,
        touch=touch.array if touch is not None and touch.tiles else None,
        mesh_touch=mesh_touch.to_bytes() if mesh_touch.painted_anywhere else None,
        uprooted=uprooted_places(level.pins_of(of.number)),
    )
    order = {s.number: (stratum, place) for place, s in enumerate(below, start=of.place + 2)}
    return several([added, OrderStands(put=order)] if order else [added])


def move_edit(level: Level, stand: Stand, stratum: str, before: int | None) -> OrderStands:
    """Put a stand into a stratum, before another of its stands, by number, or at the end."""
    others = [s for s in level.in_order if s.stratum == stratum and s.number != stand.number]
    at = next((k for k, s in enumerate(others) if s.number == before), len(others))
    others.insert(at, stand)
    kind = checked(Stratum, stratum)
    return OrderStands(put={s.number: (kind, place) for place, s in enumerate(others)})


def exchange_edit(level: Level, item: str, by: str) -> Edit:
    """Plant one item in another's stead in every mix and pin; the same plants, in the same places.

    Raises: Conflict when a stand that has it is locked; Refused for an
    unknown item, when nothing plants it, or a mix has both.
    """
    if by not in level.stock:
        raise Refused(f"by: there is no stock item {by[:60]!r} in this level")
    name = level.stock[item].name if item in level.stock else item[:60]
    mixes, pins = {}, {}
    for stand in level.in_order:
        mix = [entry.model_dump(mode="json") for entry in stand.settings.mix]
        rows: dict[int, Row | None] = {
            plant: row.model_copy(update={"item": by})
            for plant, row in rows_of(level.pins_of(stand.number)).items()
            if isinstance(row, PinRow) and row.item == item
        }
        has = [entry for entry in mix if entry["item"] == item]
        if not (has or rows):
            continue
        if stand.locked:
            raise Conflict(f"{stand.name} is locked: unlock it first")
        if has and any(entry["item"] == by for entry in mix):
            raise Refused(
                f"item: the mix of {stand.name} has {level.stock[by].name} already; take one of the two out "
                "first"
            )
        for entry in has:
            entry.update(item=by, mark=entry.get("mark") or item)
        if has:
            mixes[stand.number] = {"mix": mix}
        if rows:
            pins[stand.number] = rows
    if not (mixes or pins):
        raise Refused(f"item: nothing in {level.name} plants {name}")
    edits: list[Edit] = [ChangeSettings(put=mixes)] if mixes else []
    edits += [ChangePins(put=pins)] if pins else []
    return several(edits)
