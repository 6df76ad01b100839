"""From a file to a level's ground: read, forecast, kept. The same for the screen and the command line."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.ground.swapping import keep_ground, reseated
from server.journal.action import action
from server.journal.models import Entry
from server.levels.access import stands_of
from server.levels.ground import layers_of, next_revision, store
from server.levels.models import Level, Membership
from server.levels.planted import forget_planted, planted_of
from server.sight.reckoning import LINES, bookmark_view, items_of, line, stand_cost
from thicket.document.atmosphere import atmosphere_for
from thicket.document.drawing import tiers_for
from thicket.document.level import Level as Document
from thicket.document.level import touch_shape
from thicket.document.rasters import Heights, LayerMaps
from thicket.document.touch import TouchMap, fitted
from thicket.formats.heights_in import HeightsFile
from thicket.formats.layers_in import Layers, normalised, proposed_frame, read_channels
from thicket.ground.heights import Ground
from thicket.ground.rasters import resample
from thicket.limits import LARGEST_TOUCH_CELL, SMALLEST_TOUCH_CELL, check_ground
from thicket.planted.comparing import difference
from thicket.planted.level import PlantedLevel
from thicket.planting.hashing import seed_of
from thicket.refused import Refused

Tell = Callable[[float, str], None]
COLOURS = ("#8d9460", "#6f7782", "#a39a8b", "#7d6a52", "#b9a587", "#5f7358", "#9a8f6a", "#76808a")
"""Given to new ground layers in turn."""
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


def _fitted_layers(level: Level, shape: tuple[int, int]) -> np.ndarray:
    """The level's own layers on other cells."""
    weights = layers_of(level).weights
    out = np.stack([resample(weights[..., k], shape) for k in range(weights.shape[2])], axis=-1)
    return np.ascontiguousarray(out)


def with_ground(level: Level, new: NewGround) -> Document:
    """The level as it would be with new ground; touch is fitted to it."""
    document = planted_of(level).level
    if new.heights is not None:
        rows, columns = new.heights.shape[0] - 1, new.heights.shape[1] - 1
        document = replace(document, heights=Heights.of(new.heights, new.cell))
        shape = document.touch_shape
        document = replace(
            document,
            touch={
                n: TouchMap.of(fitted(touch.array, level.touch_cell, shape, level.touch_cell))
                for n, touch in document.touch.items()
            },
        )
        if new.layers is None and (rows, columns) != (level.rows, level.columns):
            document = replace(
                document, layers=LayerMaps.of(document.layers.names, _fitted_layers(level, (rows, columns)))
            )
    if new.layers is not None:
        document = replace(document, layers=LayerMaps.of(new.layers.names, new.layers.weights))
    return document


def forecast(level: Level, new: NewGround, tell: Tell) -> dict:
    """What keeping new ground would change: plants by stand, the cost of each bookmarked view, what is
    re-seated.

    Returns: stands, a list of name, before, after, gained, lost and notes; views, a list of name and the
    difference on each budget line; notes, sentences.
    """
    before_it, document = planted_of(level), with_ground(level, new)
    stands, notes = stands_of(level), []
    stock = items_of(level)
    told, totals = [], [dict.fromkeys(LINES, 0.0) for _ in level.bookmarks]
    after_it = before_it.edited(document)
    refused = {stand.number: given for stand in stands if (given := _too_many(after_it, stand.number))}
    after_it = after_it.changed(stands={n: s for n, s in document.stands.items() if n not in refused})
    for k, stand in enumerate(stands):
        tell(k / max(len(stands), 1), f"Planting {stand.name} on the new ground")
        now = before_it.planting(stand.number)
        if stand.number in refused:
            told.append(
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
        told.append(
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
        marks = level.bookmarks if new.heights is None else reseated(level, new.heights, new.cell)
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
    return {"stands": told, "views": views, "notes": notes}


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
    user: User, level: Level, key: UUID, new: NewGround, what: str, tell: Tell, told: dict | None = None
) -> Entry:
    """Store new ground and give it to the level, as one journal entry that can be undone; all of it or
    nothing.

    Raises: Refused when a stand could no longer be planted; whatever `tell` raises to stop it.
    """
    refused = [n for s in (told or {}).get("stands", []) if s["refused"] for n in s["notes"]]
    if refused:
        raise Refused(" ".join(refused))
    revision = next_revision(level)
    try:
        # The tiles are written before the level is locked, so that nobody who paints in it waits for them.
        fields = _store(level, new, revision, tell)
        with transaction.atomic():
            row = Level.objects.select_for_update().get(pk=level.pk)
            if new.heights is not None:
                fields["bookmarks"] = reseated(row, new.heights, new.cell)
            gained, lost = (sum(s[k] for s in (told or {}).get("stands", [])) for k in ("gained", "lost"))
            cost = {k: v for view in (told or {}).get("views", [])[:1] for k, v in view["change"].items()}
            entry = keep_ground(user, row, key, Entry.Kind.GROUND, what, fields, gained, lost, cost)
    except BaseException:
        level.ground_tiles.filter(revision=revision).delete()
        raise
    forget_planted(level)
    return entry


def _store(level: Level, new: NewGround, revision: int, tell: Tell) -> dict:
    """Write the new rasters' tiles under a revision that nothing refers to yet; the level's fields that
    follow."""
    fields: dict = {}
    both = new.heights is not None and new.layers is not None
    if new.heights is not None:
        store(
            level,
            "heights",
            new.heights,
            revision,
            lambda s: tell(s * (0.5 if both else 1), "Storing the heights"),
        )
        fields |= {
            "ground_revision": revision,
            "cell": new.cell,
            "rows": new.heights.shape[0] - 1,
            "columns": new.heights.shape[1] - 1,
            "low": float(new.heights.min()),
            "high": float(new.heights.max()),
        }
    shape = (fields.get("rows", level.rows), fields.get("columns", level.columns))
    if new.layers is not None:
        store(
            level,
            "layers",
            new.layers.weights,
            revision,
            lambda s: tell(0.5 + s / 2 if both else s, "Storing the ground layers"),
        )
        old = {given["name"]: given["colour"] for given in level.layers}
        spare = [c for c in COLOURS if c not in old.values()] or list(COLOURS)
        fields |= {
            "layers_revision": revision,
            "layers": [
                {"name": n, "colour": old.get(n) or spare[k % len(spare)]}
                for k, n in enumerate(new.layers.names)
            ],
        }
    elif shape != (level.rows, level.columns):
        store(
            level,
            "layers",
            _fitted_layers(level, shape),
            revision,
            lambda s: tell(s, "Fitting the ground layers"),
        )
        fields["layers_revision"] = revision
    return fields


def create(user: User, name: str, slug: str, new: NewGround, tell: Tell) -> Level:
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
        for field, value in _store(level, NewGround(new.heights, new.cell, layers), 1, tell).items():
            setattr(level, field, value)
        level.save()
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
