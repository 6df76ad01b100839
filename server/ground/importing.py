"""From a file to a level's ground: read, forecast, kept. The same for the screen and the command line."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
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
from server.sight.costing import items_of
from server.stands.access import stands_of
from server.steps import note_effect
from thicket.document.atmosphere import atmosphere_for
from thicket.document.drawing import tiers_for
from thicket.document.edits import Edit, SetHeights, SetLayers, several
from thicket.document.edits.files import json_of
from thicket.document.views import overlook
from thicket.formats.heights_in import HeightsFile
from thicket.formats.layers_in import Layers, normalised, proposed_frame, read_channels
from thicket.ground.heights import Ground
from thicket.limits import LARGEST_TOUCH_CELL, SMALLEST_TOUCH_CELL, check_ground
from thicket.planted.forecast import forecast_ground
from thicket.planting.hashing import seed_of
from thicket.progress import Report
from thicket.refused import Refused

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
    """What keeping new ground would change; see `thicket.planted.forecast.Forecast`."""
    document = edit_of(level, new).apply(document_now(level))
    found = forecast_ground(planted_of(level), document, items_of(level), report)
    by_number = {stand.number: asdict(stand) for stand in found.stands}
    return {
        "stands": [{"stand": row.pk, **by_number[row.number]} for row in stands_of(level)],
        "views": [{"name": name, "change": change} for name, change in found.views.items()],
        "notes": found.notes,
    }


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
            bookmarks=[overlook(ground).model_dump(mode="json")],
            layers=[],
        )
        level.layers = layers_named(level, tuple(layers.names))
        level.save()
        store(level, "heights", new.heights, 1, lambda share: report(share / 2, "Storing the heights"))
        store(level, "layers", layers.weights, 1, lambda s: report(0.5 + s / 2, "Storing the ground layers"))
        Membership.objects.create(user=user, level=level, role=Membership.Role.LEAD)
    return level
