"""Plants taken out under a brush, and the stands that stand under a place."""

from __future__ import annotations

from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.own_ground import check_own, plot_at
from server.levels.planted import forget_planted, planted_of, planting_of, rows_of
from server.pins.actions import MOST, as_rows, box_of, places_of
from server.pins.rows import Rows, put_rows, swap_places
from server.sight.worst import change_at_worst
from server.stands.models import Stand
from server.stands.painting import check_unlocked
from thicket.ground.heights import at_cells
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planting.pins import inside_uprooted
from thicket.planting.strokes import Stroke, along_path
from thicket.refused import Refused

UNDER = 0.5
"""A plant without a wide crown is under a place within this many m."""


def _doomed(planting: Planting, stroke: Stroke) -> Rows:
    """Rows of the plants whose foot the stroke passes over, rule-made ones as they are to be: gone."""
    box = stroke.box
    rows: Rows = {}
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
    return was, {
        plant: row | {"gone": True} if row["home_x"] is not None else None for plant, row in was.items()
    }


def _take_out(level: Level, stands: list[Stand], stroke: Stroke) -> dict[str, dict[str, Rows]]:
    """The rows of what stands under the stroke, before and after it is taken out, by the primary key of those
    stands that have some."""
    change = {}
    for stand in stands:
        was, now = _doomed_pins(level, stand, stroke)
        rows = _doomed(planting_of(stand), stroke)
        if now or rows:
            change[str(stand.pk)] = {"before": dict.fromkeys(rows) | was, "after": now | rows}
    return change


@action
def uproot(user: User, stands: list[Stand], stroke: Stroke, key: UUID) -> Entry:
    """Take the plants of some stands out along a stroke, as one journal entry: they stay away under any rule,
    and no rule plants those stands there again; touch is left alone. Swards have no single plants and are
    passed over. A known key counts once.

    Raises: HttpError 409 when a stand is locked; Refused when no plant stands there.
    """
    level: Level = stands[0].level
    for stand in stands:
        check_unlocked(stand)
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        level.refresh_from_db(fields=["pin_revision"])
        forget_planted(level)
        check_own(level, user, stroke.path)
        single = [stand for stand in stands if not stand.sward]
        before, change = planted_of(level), _take_out(level, single, stroke)
        total = sum(len(c["after"]) for c in change.values())
        if not total:
            raise Refused(
                f"path: no plant of {', '.join(s.name for s in stands[:3])} stands under the brush there"
            )
        if level.pins.count() + total > MOST:
            raise Refused(
                f"path: that would make more than {MOST:,} pins, the most a level holds; thin the "
                f"touch instead"
            )
        places = [
            {
                "stand": stand.pk,
                "key": str(key),
                "path": [list(at) for at in stroke.path],
                "radius": stroke.radius,
            }
            for stand in single
        ]
        return _kept(
            user,
            level,
            key,
            f"{total:,} uprooted: {', '.join(s.name for s in single if str(s.pk) in change)}",
            {"stands": change, "places": {"before": [], "after": places}},
            before,
            stands,
        )


@action
def regrow(user: User, stand: Stand, key: UUID) -> Entry:
    """Let a stand grow again wherever it was uprooted, as one journal entry; a key that is known counts once.

    Raises: HttpError 409 when the stand is locked; Refused when it was not uprooted anywhere.
    """
    check_unlocked(stand)
    level: Level = stand.level
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        level.refresh_from_db(fields=["pin_revision"])
        forget_planted(level)
        before, places = planted_of(level), [place.as_dict() for place in level.uprooted.filter(stand=stand)]
        if not places:
            raise Refused(f"stand: {stand.name} was not uprooted anywhere")
        gone = [(str(pin.plant), pin.as_dict()) for pin in level.pins.filter(stand=stand, gone=True)]
        inside = inside_uprooted(
            before.level.pins_of(stand.number).uprooted,
            np.array([row["home_x"] for _, row in gone], float),
            np.array([row["home_z"] for _, row in gone], float),
        )
        rows = {plant: row for (plant, row), within in zip(gone, inside) if within}
        change = {str(stand.pk): {"before": rows, "after": dict.fromkeys(rows)}}
        return _kept(
            user,
            level,
            key,
            f"{stand.name} grows again where it was uprooted",
            {"stands": change, "places": {"before": places, "after": []}},
            before,
            [stand],
        )


def _kept(
    user: User, level: Level, key: UUID, what: str, change: dict, before: PlantedLevel, stands: list[Stand]
) -> Entry:
    """Store a change of pins and uprooted places with its journal entry; inside a transaction."""
    for pk, rows in change["stands"].items():
        put_rows(level, int(pk), rows["after"])
    swap_places(level, change["places"]["before"], change["places"]["after"])
    gained, lost = before.moved(planted_of(level), swards=False)
    where = [at for rows in change["stands"].values() for at in places_of(rows)]
    alone = stands[0] if len(stands) == 1 else None
    return Entry.objects.create(
        level=level,
        user=user,
        stand=alone,
        kind=Entry.Kind.PINS,
        key=key,
        worst=change_at_worst(level, before, box_of(where)),
        plot=plot_at(level, change["places"]["after"][0]["path"] if change["places"]["after"] else []),
        what=what[:200],
        change=change,
        gained=gained,
        lost=lost,
    )


def under(level: Level, x: float, z: float) -> list[dict]:
    """What stands over a place, top to bottom: of each stand its tallest plant there, by the height of its
    tip; then swards that cover the place. Each has stand, item, plant (text, empty for a sward), tip in m
    above the ground there."""
    heights = dict(level.stock.values_list("slug", "height"))
    ground = float(planted_of(level).ground.height_at(np.array([x]), np.array([z]))[0])
    found = []
    for stand in rows_of(level).values():
        planting = planting_of(stand)
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
