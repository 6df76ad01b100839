"""Plants taken out under a brush, and the stands that stand under a place."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.scene import forget_scene, scene_of
from server.pins.keeping import MOST, as_rows, moved
from server.pins.rows import Rows, put_rows
from server.stands.engine import Planting
from server.stands.models import Stand
from server.stands.painting import check_unlocked
from thicket.ground.heights import at_cells
from thicket.planting.strokes import Stroke, along_path
from thicket.refused import Refused

ROUNDS = 6
"""What is taken out leaves room for others, which are taken out too, at most so many times."""
UNDER = 0.5
"""A plant without a wide crown is under a place within this many m."""


def _doomed(planting: Planting, stroke: Stroke) -> Rows:
    """Rows of the plants whose foot the stroke passes over, rule-made ones as they are to be: gone."""
    box, rows = stroke.box, {}
    for sheet in planting.sheets_in(box):
        plants = planting.plants(sheet)
        x, z = plants.form[:, 0].astype(float), plants.form[:, 2].astype(float)
        near = np.flatnonzero((x >= box[0]) & (x <= box[2]) & (z >= box[1]) & (z <= box[3]))
        near = near[along_path(stroke.path, x[near], z[near]) <= stroke.radius]
        doomed = as_rows(planting, plants.take(near[~np.isin(plants.id[near], planting.pins.id)]))
        rows.update((plant, row | {"gone": True}) for plant, row in doomed.items())
    return rows


def _doomed_pins(level: Level, stand: Stand, stroke: Stroke) -> tuple[Rows, Rows]:
    """The stand's pins that the stroke passes over, as they are and as they are to be."""
    pins = list(level.pins.filter(stand=stand, gone=False))
    if not pins:
        return {}, {}
    far = along_path(stroke.path, np.array([p.x for p in pins]), np.array([p.z for p in pins]))
    hit = [p for p, d in zip(pins, far) if d <= stroke.radius]
    was = {str(p.plant): p.as_dict() for p in hit}
    return was, {plant: row | {"gone": True} if row["home_x"] is not None else None for plant, row in was.items()}


def _take_out(level: Level, stands: list[Stand], stroke: Stroke, change: dict[str, dict[str, Rows]]) -> bool:
    """Take out what stands under the stroke now, and add it to the change by stand; whether there was anything."""
    scene, found = scene_of(level), False
    for stand in stands:
        if stand.sward:
            continue
        was, now = _doomed_pins(level, stand, stroke)
        rows = _doomed(scene.planting(scene.stands[stand.number]), stroke)
        now |= rows
        if now:
            if level.pins.count() + len(now) > MOST:
                raise Refused(f"path: that would make more than {MOST:,} pins, the most a level holds; thin the touch instead")
            said = change.setdefault(str(stand.pk), {"before": {}, "after": {}})
            said["before"] |= dict.fromkeys(rows) | was
            said["after"] |= now
            put_rows(level, stand.pk, now)
            found = True
    if found:
        forget_scene(level)
    return found


@action
def uproot(user: User, stands: list[Stand], stroke: Stroke, key: UUID) -> Entry:
    """Take the plants of some stands out along a stroke, as one journal entry: they stay away under any rule, touch is left alone.
    A key that is known counts once.

    Raises: HttpError 409 when a stand is locked; Refused when no plant stands there.
    """
    level: Level = stands[0].level
    for stand in stands:
        check_unlocked(stand)
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        level.refresh_from_db(fields=["pin_revision"])
        forget_scene(level)
        before, change = scene_of(level), {}
        for _ in range(ROUNDS):
            if not _take_out(level, stands, stroke, change):
                break
        total = sum(len(c["after"]) for c in change.values())
        if not total:
            raise Refused(f"path: no plant of {', '.join(s.name for s in stands[:3])} stands under the brush there")
        names = [s.name for s in stands if str(s.pk) in change]
        gained, lost = moved(before, scene_of(level))
        return Entry.objects.create(
            level=level, user=user, stand=stands[0] if len(stands) == 1 else None, kind=Entry.Kind.PINS, key=key,
            what=f"{total:,} uprooted: {', '.join(names)}"[:200], change={"stands": change}, gained=gained, lost=lost)


def under(level: Level, x: float, z: float) -> list[dict]:
    """What stands over a place, top to bottom: of each stand its tallest plant there, by the height of its tip; then swards that
    cover the place. Each has stand, item, plant (text, empty for a sward), tip in m above the ground there."""
    scene, heights = scene_of(level), dict(level.stock.values_list("slug", "height"))
    ground = float(scene.ground.height_at(np.array([x]), np.array([z]))[0])
    found = []
    for stand in scene.stands.values():
        planting = scene.planting(stand)
        if stand.sward:
            dense = float(at_cells(planting.density, planting.density_cell, np.array([x]), np.array([z]))[0])
            if dense * planting.core.fullness > 0.02:
                tip = heights.get(planting.items[0], 0.0) * planting.core.variation.size[1]
                found.append({"stand": stand.pk, "item": planting.items[0], "plant": "", "tip": tip})
            continue
        wide = np.maximum(planting.radii.max(axis=1), UNDER)
        tall = np.array([heights.get(slug, 0.0) for slug in planting.items])
        best = None
        for sheet in planting.sheets_reaching((x, z, x, z), UNDER, True):
            plants = planting.plants(sheet)
            far = np.hypot(plants.form[:, 0] - x, plants.form[:, 2] - z)
            hit = np.flatnonzero(far <= np.maximum(wide[plants.item] * plants.form[:, 7], UNDER))
            for k in hit:
                tip = float(plants.form[k, 1] + tall[plants.item[k]] * plants.form[k, 8]) - ground
                if best is None or tip > best["tip"]:
                    item = planting.items[int(plants.item[k])]
                    best = {"stand": stand.pk, "item": item, "plant": str(int(plants.id[k])), "tip": tip}
        if best:
            found.append(best)
    return sorted(found, key=lambda f: -f["tip"])
