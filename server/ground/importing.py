"""From a file to a level's ground: read, forecast, kept. The same for the screen and the command line."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.document.arrays import EditArrays, drop_arrays, store_arrays
from server.document.planted import document_now, planted_of
from server.ground.rows import layers_named
from server.journal.action import Done, action
from server.journal.commit import commit_made
from server.levels.ground import store
from server.levels.looks import look_of
from server.levels.models import Level, Membership
from server.levels.rows import view_of
from server.sight.costing import LINES, bookmark_view, items_of, line, stand_cost
from server.stands.access import stands_of
from server.steps import note_effect
from thicket.document.atmosphere import atmosphere_for
from thicket.document.drawing import tiers_for
from thicket.document.edits import Edit, SetHeights, SetLayers, several
from thicket.document.edits.files import json_of
from thicket.document.level import touch_shape
from thicket.formats.heights_in import HeightsFile
from thicket.formats.layers_in import Layers, normalised, proposed_frame, read_channels
from thicket.ground.heights import Ground
from thicket.limits import LARGEST_TOUCH_CELL, SMALLEST_TOUCH_CELL, check_ground
from thicket.planted.comparing import difference
from thicket.planted.level import PlantedLevel
from thicket.planting.hashing import seed_of
from thicket.refused import Refused

Report = Callable[[float, str], None]
MARKS = {
    "triangles": 1_000_000,
    "draw_calls": 1200,
    "shadow_triangles": 300_000,
    "memory": 64_000_000,
    "ms": 6.0,
}


@dataclass(frozen=True, eq=False)
class NewGround:
    """What would be kept: heights with their cell, or ground layers, or both; None where nothing changes."""

    heights: np.ndarray | None = None
    cell: float = 0.0
    layers: Layers | None = None


def chosen_heights(
    file: HeightsFile, cell: float | None, low: float | None, high: float | None
) -> tuple[np.ndarray, float]:
    """Heights in m and their cell from a file and what a person says of it.

    Raises: Refused when something is not known or out of bounds.
    """
    cell = cell or file.cell
    if not cell:
        raise Refused("the file does not say how far apart its values lie: give the cell size, in m")
    check_ground(*file.shape, cell)
    return file.altitudes(low, high), float(cell)


def chosen_layers(
    paths: Sequence[tuple[Path, str]], names: Sequence[str], shape: tuple[int, int], other_form: str = ""
) -> Layers:
    """Ground layers for a level of `shape` cells from files of channels, one after another; `other_form`,
    "stretch" or "crop", for maps of another form, which are refused otherwise."""
    channels = [c for path, name in paths for c in read_channels(path, name)]
    frame = proposed_frame(channels[0].shape, shape) if channels and other_form == "crop" else None
    files = ", ".join(name for _, name in paths)
    return normalised(channels, names, shape, files, frame, other_form == "stretch")


def edit_of(level: Level, new: NewGround) -> Edit:
    """The edit that gives a level new ground."""
    edits: list[Edit] = []
    if new.heights is not None:
        edits.append(SetHeights(heights=new.heights, cell=new.cell))
    if new.layers is not None:
        names = tuple(new.layers.names)
        chosen = {given["name"]: given for given in view_of(level)["layers"]}
        drawn = tuple(
            chosen.get(layer["name"]) or {**layer, "look": look_of(layer["name"]), "texture": ""}
            for layer in layers_named(level, names)
        )
        edits.append(SetLayers(names=names, weights=new.layers.weights, drawn=drawn))
    return several(edits)


def forecast(level: Level, new: NewGround, report: Report) -> dict:
    """What keeping new ground would change: plants by stand, the cost of each bookmarked view, what is
    re-seated.

    Returns: stands, a list of name, before, after, gained, lost and notes; views, a list of name and the
    difference on each budget line; notes, sentences.
    """
    before_it, document = planted_of(level), edit_of(level, new).apply(document_now(level))
    stands, notes = stands_of(level), []
    stock = items_of(level)
    changes, totals = [], [dict.fromkeys(LINES, 0.0) for _ in level.bookmarks]
    after_it = before_it.edited(document)
    refused = {stand.number: given for stand in stands if (given := _too_many(after_it, stand.number))}
    after_it = after_it.changed(stands={n: s for n, s in document.stands.items() if n not in refused})
    for k, stand in enumerate(stands):
        report(k / max(len(stands), 1), f"Planting {stand.name} on the new ground")
        now = before_it.planting(stand.number)
        if stand.number in refused:
            changes.append(
                {
                    "stand": stand.pk,
                    "name": stand.name,
                    "before": now.count(),
                    "after": 0,
                    "gained": 0,
                    "lost": 0,
                    "notes": [refused[stand.number]],
                    "refused": True,
                }
            )
            continue
        before, after = now, after_it.planting(stand.number)
        change = difference(before, after)
        lacking = [f"{s}." for s in (after_it.rasters.lacks(c) for c in after.rules if c.on) if s]
        changes.append(
            {
                "stand": stand.pk,
                "name": stand.name,
                "before": before.count(),
                "after": after.count(),
                "gained": change.gained,
                "lost": change.lost,
                "notes": lacking,
                "refused": False,
            }
        )
        marks = document.details["view"]["bookmarks"]
        for total, was, now in zip(totals, level.bookmarks, marks):
            cost = stand_cost(before, stock, bookmark_view(was))
            then = stand_cost(after, stock, bookmark_view(now), True)
            for name in LINES:
                total[name] += line(then, name) - line(cost, name)
    if new.heights is not None:
        notes += _moved_notes(level, before_it, after_it)
    views = [
        {"name": b["name"], "change": {k: round(v, 4) for k, v in t.items()}}
        for b, t in zip(level.bookmarks, totals)
    ]
    return {"stands": changes, "views": views, "notes": notes}


def _too_many(planted: PlantedLevel, number: int) -> str:
    """Why a stand could not be planted for its number of plants; empty when it could."""
    try:
        planted.planting(number)
    except Refused as error:
        return str(error)
    return ""


def _moved_notes(level: Level, before: PlantedLevel, after: PlantedLevel) -> list[str]:
    """What becomes of hand work on new heights."""
    notes = []
    if level.bookmarks:
        notes.append(
            f"{len(level.bookmarks)} kept {'view is' if len(level.bookmarks) == 1 else 'views are'} set on "
            f"the new ground, as high above it as before."
        )
    outside = [
        s.name
        for s in after.shapes.values()
        if s.box[2] > after.width + 1e-6 or s.box[3] > after.length + 1e-6
    ]
    if outside:
        reach = "1 shape reaches" if len(outside) == 1 else f"{len(outside)} shapes reach"
        kept = "is kept" if len(outside) == 1 else "are kept"
        notes.append(f"{reach} over the new edge and {kept}: {', '.join(outside[:5])}.")
    if (after.width, after.length) != (level.width, level.length):
        notes.append(
            f"The level measures {after.width:,.0f} m × {after.length:,.0f} m instead of "
            f"{level.width:,.0f} m × "
            f"{level.length:,.0f} m; all keeps its place in metres from the north-west corner."
        )
        rows, columns = touch_shape(after.length, after.width, level.touch_cell)
        painted = [touch.array for touch in before.level.touch.values()]
        cut = sum(1 for touch in painted if touch[rows:].any() or touch[:, columns:].any())
        if cut:
            stands = "1 stand" if cut == 1 else f"{cut} stands"
            notes.append(f"Painting of {stands} lies beyond the new edge and comes back only with undo.")
    return notes


@action
def keep(
    user: User,
    level: Level,
    key: UUID,
    new: NewGround,
    what: str,
    report: Report,
    forecast: dict | None = None,
) -> Done:
    """Give a level new ground, as one journal entry that can be undone; all of it or nothing.

    Raises: Refused when a stand could no longer be planted; whatever `report` raises to stop it.
    """
    refused = [n for s in (forecast or {}).get("stands", []) if s["refused"] for n in s["notes"]]
    if refused:
        raise Refused(" ".join(refused))
    # What the journal will hold is written before the level is locked, so that nobody who paints in it waits.
    edit, arrays = edit_of(level, new), dict[str, np.ndarray]()
    report(0.1, "Storing what was there")
    json_of(edit.inverse(document_now(level)), arrays)
    json_of(edit, arrays)
    known = set(EditArrays(level))
    try:
        store_arrays(level, arrays)
        report(0.6, "Storing the ground")
        done = commit_made(user, level, key, lambda row: (edit_of(row, new), what))
    except BaseException:
        drop_arrays(level, arrays.keys() - known)
        raise
    note_effect(done)
    return done


def create(user: User, name: str, slug: str, new: NewGround, report: Report) -> Level:
    """A new level on new heights, with its maker as lead; all of it or nothing.

    Raises: Refused when there are no heights, or the name or its slug is taken or empty.
    """
    if new.heights is None:
        raise Refused("a new level needs heights")
    if not name.strip() or not slug or len(slug) > 60:
        raise Refused("name: the level needs a name with letters or digits in it")
    if Level.objects.filter(slug=slug).exists():
        raise Refused(f"name: there is a level called {slug!r} already")
    rows, columns = new.heights.shape[0] - 1, new.heights.shape[1] - 1
    layers = new.layers or Layers(["ground"], np.full((rows, columns, 1), 255, np.uint8), 0.0)
    ground = Ground(new.heights, new.cell)
    with transaction.atomic():
        level = Level.objects.create(
            slug=slug,
            name=name.strip()[:80],
            seed=seed_of("level", slug),
            cell=new.cell,
            rows=rows,
            columns=columns,
            low=float(new.heights.min()),
            high=float(new.heights.max()),
            touch_cell=min(max(new.cell, SMALLEST_TOUCH_CELL), LARGEST_TOUCH_CELL),
            tiers=tiers_for(MARKS),
            atmosphere=atmosphere_for(
                ground.width, ground.length, float(new.heights.min()), float(new.heights.max())
            ).model_dump(mode="json"),
            bookmarks=[_overlook(ground)],
            layers=[],
        )
        level.layers = layers_named(level, tuple(layers.names))
        level.save()
        store(level, "heights", new.heights, 1, lambda share: report(share / 2, "Storing the heights"))
        store(level, "layers", layers.weights, 1, lambda s: report(0.5 + s / 2, "Storing the ground layers"))
        Membership.objects.create(user=user, level=level, role=Membership.Role.LEAD)
    return level


def _overlook(ground: Ground) -> dict:
    """A view over the ground from its southern edge."""
    x, z = ground.width / 2, ground.length * 0.95
    y = float(ground.height_at(np.array([x]), np.array([z]))[0])
    above = min(max(2.0, 0.06 * ground.length, float(ground.heights.max()) - y + 0.02 * ground.length), 150.0)
    return {
        "name": "From the south",
        "x": round(x, 1),
        "y": round(y + above, 2),
        "z": round(z, 1),
        "heading": 0.0,
        "pitch": -16.0,
        "fov": 55.0,
    }
