"""The one answer to every change of a level: what the page is to take over, and what has happened since a
version that it knows."""

from __future__ import annotations

import base64
from collections.abc import Iterable, Iterator, Mapping
from datetime import timedelta
from itertools import takewhile
from typing import Any

import numpy as np
from django.http import HttpRequest
from django.utils import timezone
from ninja import Schema
from pydantic import Field

from server.document.models import Version
from server.document.planted import numbers_of, planted_of
from server.document.versions import chain_since
from server.ground.out import MaskOut, masks_out
from server.journal.action import Done
from server.journal.models import Entry
from server.journal.schemas import EntryOut, entry_out
from server.journal.trying import trying
from server.journal.undoing import last_done, last_undone
from server.levels.models import Level
from server.shapes.out import shapes_out
from server.shapes.schemas import ShapeOut
from server.sight.costing import cost_change, cost_out, items_of, seen, stand_cost
from server.sight.schemas import LevelCostOut, ViewIn
from server.stands.access import rows_of
from server.stands.models import Stand
from server.stands.out import StandOut, stand_out
from server.stands.payload import encode, encode_marks, encode_raster
from server.surfaces.out import SurfaceOut, surfaces_out
from server.view.out import LevelOut, level_out
from thicket.document.edits import ChangeSettings, ChangeSurfaces, Paint
from thicket.document.surfaces import chosen_surfaces
from thicket.planted.comparing import NOWHERE
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_hand import plants_on
from thicket.planted.step import Step
from thicket.sight.cost import Cost
from thicket.sight.views import View

Place = tuple[float, float]
FEW = 16
"""Stands of which at most so many sheets change are counted in a try, however many plants they have."""
WHOLE = "order", "shapes", "surfaces", "masks", "level"
"""What is sent whole where any of it is other."""
PATIENCE = timedelta(seconds=10)
"""What a version changed is known after so long, or never: its process was ended."""


class Since(Schema):
    """What is other in a level since a version of it: stands to be put in place of those there were, those
    that are gone, all in their order; content keys of sheets, by stand and index, empty where it is not
    worked out whether they are other; and shapes, placed meshes, mask images and the level itself, each where
    it is other."""

    version: int
    stands: list[StandOut] = []
    gone: list[int] = []
    order: list[int] | None = None
    keys: dict[int, dict[int, str]] = {}
    counts: dict[int, int] = Field(default={}, description="plants of stands whose number is known by now")
    shapes: list[ShapeOut] | None = None
    surfaces: list[SurfaceOut] | None = None
    masks: list[MaskOut] | None = None
    level: LevelOut | None = None


class BegunOut(Schema):
    """A stand that would be there since: its spacing in m, fullness, and about how many plants it has."""

    spacing: float
    fullness: float
    count: int


STANDING = 20_000
"""So many plants on a mesh that is tried elsewhere are shown as they would stand."""


class StandingOut(Schema):
    """The plants of a stand that would stand on a placed mesh."""

    surface: int
    stand: int
    plants: str = Field(description="as `server.stands.payload.encode`, in base64")


class TriedOut(Schema):
    """What an action that is only tried would give, and of what was asked for, see
    `server.journal.trying`."""

    counts: dict[int, int] = Field(description="plants then, by stand")
    uncounted: list[int] = Field(description="stands that follow, and are too large to be counted in a try")
    begun: list[BegunOut]
    touch: tuple[int, int] = Field(description="rows and columns of the painted maps then")
    places: str = Field(description="as `server.stands.payload.encode_marks` lays them out, in base64")
    standing: list[StandingOut]
    suitability: str = Field(description="as `server.stands.payload.encode_raster`, in base64")


class ChangedOut(Schema):
    """An action that was kept, taken back or done again: its journal entry, plants gained and lost by it, and
    what is other since the version that it began from. Of one that is only tried (`X-Try`), the entry has
    no number, nothing is other, and `tried` says more."""

    entry: EntryOut
    gained: int
    lost: int
    moved: dict[int, tuple[int, int]] = Field(description="plants gained and lost by stand")
    made: list[int] = Field(description="stands that are there since")
    previous: int
    since: Since
    spent: LevelCostOut | None = Field(description="what the view costs since, where one was named")
    tried: TriedOut | None
    undo: str | None = Field(description="what the person could take back by now")
    redo: str | None = Field(description="and do again")


def _reach(step: Step[PlantedLevel]) -> dict[str, Any]:
    """What a step is to have read again, as `Version.answer` holds it: stands by number, whole, or some of
    their sheets by index; `maybe`, sheets that may have changed, which is not worked out here for what is
    done many times a minute; and what else."""
    was, now = step.before.level, step.after.level
    whole = [
        number
        for number, stand in now.stands.items()
        if stand is not was.stands.get(number) or was.pins_of(number) is not now.pins_of(number)
    ]
    sheets: dict[int, list[int]] = {}
    maybe: dict[int, list[int]] = {}
    often = _often(step)
    for number in step.reached:
        if number not in now.stands or number in whole:
            continue
        planting = step.after.planting(number)
        if number not in step.after.regions and not planting.at_hand:
            whole.append(number)
            continue
        found = step.sheets_near(number) if often else step.sheets_of(number)
        if found:
            (maybe if often else sheets)[number] = [r * planting.sheets[0] + c for c, r in found]
    names = ("stock", "heights", "layers", "touch_cell", "name")
    view = was.details["view"] != now.details["view"]
    return {
        "whole": whole,
        "gone": sorted(was.stands.keys() - now.stands.keys()),
        "order": was.stands is not now.stands,
        "sheets": sheets,
        "maybe": maybe,
        "shapes": was.shapes is not now.shapes or was.details["shapes"] != now.details["shapes"],
        "surfaces": was.surfaces is not now.surfaces,
        "masks": was.masks is not now.masks or masks_follow(step),
        "level": view or any(getattr(was, name) is not getattr(now, name) for name in names),
    }


def masks_follow(step: Step[PlantedLevel]) -> bool:
    """Whether mask images that are made here may come out otherwise since a step."""
    was, now = step.before.level, step.after.level
    parts = ("heights", "layers", "shapes", "surfaces")
    other = any(getattr(was, part) is not getattr(now, part) for part in parts)
    return other and any(mask.source for mask in now.masks.values())


def _union(parts: Iterable[Mapping[str, Any]]) -> dict[str, Any]:
    out: dict[str, Any] = {"whole": set(), "gone": set(), "sheets": {}, "maybe": {}}
    out |= dict.fromkeys(WHOLE, False)
    for part in parts:
        out["whole"] |= set(part["whole"])
        out["gone"] = (out["gone"] | set(part["gone"])) - set(part["whole"])
        for kind in ("sheets", "maybe"):
            for number, sheets in part.get(kind, {}).items():
                out[kind].setdefault(int(number), set()).update(sheets)
        for name in WHOLE:
            out[name] |= part.get(name, False)
    return out


def _since(
    level: Level,
    reach: Mapping[str, Any],
    place: Place | None,
    counted: Iterable[int] = (),
    version: int | None = None,
) -> dict:
    """What is other in a level, in full, by what is to be read again; around a place. `counted` are stands,
    by primary key, whose plants are wanted; `version`, up to which it is known what is other, if that is not
    the last."""
    planted, numbers = planted_of(level), numbers_of(level)
    ids = {number: pk for pk, number in numbers.items()}
    rows = rows_of(level) if reach["whole"] else {}
    keys: dict[int, dict[int, str]] = {}
    for number, sheets in reach["maybe"].items():
        if number in ids and number not in reach["whole"]:
            keys[ids[number]] = dict.fromkeys(sheets, "")
    for number, sheets in reach["sheets"].items():
        if number in ids and number not in reach["whole"]:
            planting = planted.planting(number)
            columns = planting.sheets[0]
            known = {k: planting.key((k % columns, k // columns)) for k in sheets}
            keys[ids[number]] = keys.get(ids[number], {}) | known
    wanted = [(pk, planted.planting(numbers[pk])) for pk in counted if pk in numbers]
    return {
        "version": version or level.version,
        "stands": [stand_out(rows[number], place) for number in sorted(reach["whole"]) if number in rows],
        "gone": _ids_of_gone(level, reach["gone"]),
        "order": [ids[s.number] for s in planted.level.in_order] if reach["order"] else None,
        "keys": keys,
        "counts": {pk: planting.count() for pk, planting in wanted if planting.at_hand},
        "shapes": shapes_out(level) if reach["shapes"] else None,
        "surfaces": surfaces_out(level) if reach["surfaces"] else None,
        "masks": masks_out(level) if reach["masks"] else None,
        "level": level_out(level) if reach["level"] else None,
    }


def _ids_of_gone(level: Level, numbers: Iterable[int]) -> list[int]:
    wanted = list(numbers)
    if not wanted:
        return []
    return list(Stand.every.filter(level=level, number__in=wanted).values_list("pk", flat=True))


def note_effect(
    done: Done, view: View | None = None, reach: dict[str, Any] | None = None
) -> dict[int, tuple[int, int]]:
    """Work out what an action did, after it was stored, and note it: for other pages what they are to read
    again; in the journal, of one that stands, plants gained and lost, and the cost in a view. Likewise of
    what it did in other levels. `reach` is what other pages are to read, where it is known already. Returns:
    plants gained and lost now, by stand's number."""
    for other in done.elsewhere:
        note_effect(other)
    row, entry, step = done.level, done.entry, done.step
    if step is None:
        return {}
    numbers = _counted(step)
    moved = {number: _moved(step, number) for number in numbers}
    gained, lost = (sum(pair[side] for pair in moved.values()) for side in (0, 1))
    if entry.pk is None:
        entry.gained, entry.lost = gained, lost
        entry.cost = _cost_change(row, step, numbers, view) if view else {}
        return moved
    Version.objects.filter(level=row, number=row.version).update(answer=reach or _reach(step))
    if not entry.undone:
        entry.gained, entry.lost = gained, lost
        if view:
            entry.cost = _cost_change(row, step, numbers, view)
        # No `save`, which fails where the level has been deleted meanwhile.
        Entry.objects.filter(pk=entry.pk).update(gained=gained, lost=lost, cost=entry.cost)
    return moved


def _often(step: Step[PlantedLevel]) -> bool:
    """Whether a step is done many times a minute, so that no stands are worked out with it but those that it
    is about."""
    return isinstance(step.edit, (Paint, ChangeSettings))


def _counted(step: Step[PlantedLevel]) -> list[int]:
    """The stands whose plants are counted; in a try all that follow, but for large ones, if those alone that
    it is about are not asked for."""
    about = step.edit.stands & step.after.stands.keys()
    if "own" in trying.get() or _often(step) and not trying.get():
        return sorted(about)
    if trying.get():
        return [n for n in step.reached if n in about or _countable(step, n)]
    return sorted(step.sheets)


def _countable(step: Step[PlantedLevel], number: int) -> bool:
    """Whether counting what a step does to a stand costs little, for all that is known without planting
    it."""
    there = next(level for level in (step.before, step.after) if number in level.stands)
    return there.planting(number).at_hand or 0 < len(step.sheets_near(number)) <= FEW


def _moved(step: Step[PlantedLevel], number: int) -> tuple[int, int]:
    """Plants of a stand gained and lost; about so many in a try, of a large stand that came."""
    if trying.get() and number not in step.before.stands:
        now = step.after.planting(number)
        return (now.count() if now.at_hand else round(now.expected())), 0
    return step.counted(number)


def _tried_out(step: Step[PlantedLevel], numbers: list[int], row: Level) -> dict:
    """See `TriedOut`; the stands of a row's level by number."""
    wanted, ids = trying.get(), {number: pk for pk, number in numbers_of(row).items()}
    now, begun, suitability = step.after, [], b""
    made = [number for number in numbers if number not in step.before.stands]
    for number in made:
        settings = now.stands[number].settings
        count = _moved(step, number)[0]
        begun.append({"spacing": settings.spacing, "fullness": settings.fullness, "count": count})
    kept = [n for n in numbers if n in now.stands and n not in made]
    shown = [n for n in numbers if _countable(step, n)] if "places" in wanted else []
    changes = [step.difference(number) for number in shown]
    places = [np.concatenate([NOWHERE, *(getattr(c, way) for c in changes)]) for way in ("came", "went")]
    own = [stand.number for stand in now.level.in_order if stand.number in step.edit.stands]
    if "suitability" in wanted and own:
        suitability = encode_raster(now.planting(own[0]).suitability.array)
    return {
        "counts": {ids[n]: now.planting(n).count() for n in kept},
        "uncounted": [ids[n] for n in step.reached if n not in numbers] if "own" not in wanted else [],
        "begun": begun,
        "touch": now.level.touch_shape,
        "places": base64.b64encode(encode_marks(*places)).decode() if "places" in wanted else "",
        "standing": list(_standing_out(step, ids)) if "standing" in wanted else [],
        "suitability": base64.b64encode(suitability).decode(),
    }


def _standing_out(step: Step[PlantedLevel], ids: Mapping[int, int]) -> Iterator[dict]:
    """The plants on the placed meshes that a step puts, of each stand that grows there; of a mesh with more
    than `STANDING` of them, none. ids gives the primary keys of stands by number."""
    level = step.after.level
    for surface in step.edit.put if isinstance(step.edit, ChangeSurfaces) else ():
        here = [s.number for s in level.in_order if surface in chosen_surfaces(level, s.settings.on)]
        plants = {number: plants_on(step.after.planting(number), surface) for number in here if number in ids}
        if sum(map(len, plants.values())) <= STANDING:
            for number, found in plants.items():
                packed = base64.b64encode(encode(found)).decode()
                yield {"surface": surface, "stand": ids[number], "plants": packed}


def changed_out(request: HttpRequest, level: Level, done: Done, view_in: ViewIn | None = None) -> dict:
    """The answer to a change; with what it costs in a view, where one is named."""
    row = done.level
    row.role = level.role
    view = seen(row, view_in) if view_in else None
    reach = _reach(done.step) if done.step and done.entry.pk else None
    moved = note_effect(done, view, reach)
    undo, redo = done.entry if done.new else last_done(request.user, row), None
    if not done.new:  # a new action ends redoing what was taken back before it
        redo = last_undone(request.user, row)
    tried = None
    if done.entry.pk is None:
        since = {"version": row.version}
        tried = _tried_out(done.step, sorted(moved), row) if done.step else None
    else:
        since = whole_level(row) if reach is None else _since(row, _union([reach]), None)
    return {
        "entry": entry_out(done.entry, request.user),
        "gained": sum(gained for gained, _ in moved.values()) if done.step else done.entry.gained,
        "lost": sum(lost for _, lost in moved.values()) if done.step else done.entry.lost,
        "moved": {pk: moved[number] for pk, number in numbers_of(row).items() if number in moved},
        "made": _made(done.step, row),
        "previous": done.previous,
        "since": since,
        "spent": cost_out(row, view) if view and done.entry.pk else None,
        "tried": tried,
        "undo": undo.what if undo else None,
        "redo": redo.what if redo else None,
    }


def _made(step: Step[PlantedLevel] | None, row: Level) -> list[int]:
    """The primary keys of the stands that came with a step."""
    if step is None or step.before.stands is step.after.stands:
        return []
    return [pk for pk, number in numbers_of(row).items() if number not in step.before.stands]


def _cost_change(row: Level, step: Step[PlantedLevel], numbers: list[int], view: View) -> dict[str, float]:
    """What some stands, by number, cost more in a view after a step than before it."""
    stock, costs = items_of(row), []
    for level in (step.before, step.after):
        tried = level is step.after and bool(trying.get())
        here = [level.planting(number) for number in numbers if number in level.stands]
        costs.append(sum((stand_cost(p, stock, view, tried) for p in here), Cost()))
    return cost_change(*costs)


def whole_level(level: Level, place: Place | None = None) -> dict:
    """All of a level, for who cannot be sent what has changed."""
    reach = {"whole": planted_of(level).stands, "gone": [], "sheets": {}, "maybe": {}}
    return _since(level, reach | dict.fromkeys(WHOLE, True), place)


def since_version(level: Level, version: int, place: Place | None, counted: Iterable[int]) -> dict:
    """What is other in a level since one of its versions."""
    chain = chain_since(level, version)
    if chain is None:
        return whole_level(level, place)
    ready = list(takewhile(lambda step: step.answer is not None, chain))
    if len(ready) < len(chain) and chain[len(ready)].at < timezone.now() - PATIENCE:
        return whole_level(level, place)
    reach = _union(step.answer or {} for step in ready)
    return _since(level, reach, place, counted, ready[-1].number if ready else version)
