"""Snapshots taken, compared and gone back to."""

from __future__ import annotations

import hashlib
import json
import secrets
from collections import defaultdict
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.journal.action import action
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.levels.rasters import place
from server.pins.models import Pin
from server.pins.reading import all_pins
from server.pins.rows import put_places, put_rows
from server.sight.reckoning import cost_change, items_of, stand_cost
from server.sight.worst import change_at_worst
from server.snapshots.models import Snapshot, SnapshotTouch
from server.stands.models import Stand, TouchTile, document_of_stand
from thicket.document.touch import TouchMap
from thicket.planted.comparing import Difference, difference
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.refused import Refused
from thicket.sight.cost import Cost
from thicket.sight.views import View

ROW = ("number", "slug", "name", "stratum", "place", "sward", "seed", "locked", "colour", "settings")
MOST = 60


def take(user: User, level: Level, name: str = "") -> Snapshot:
    """Save the planting as it is now. Without a name it is kept for undo only.

    Raises: Refused when the name is taken, or the level holds too many.
    """
    if name and level.snapshots.filter(name=name).exists():
        raise Refused(f"name: {level.name} has a snapshot called {name!r} already")
    if name and level.snapshots.exclude(name="").count() >= MOST:
        raise Refused(f"snapshots: a level holds at most {MOST}; remove one first")
    planted = planted_of(level)
    stands = {str(s.pk): {field: getattr(s, field) for field in ROW} for s in level.stands.all()}
    pins: dict[str, dict] = defaultdict(dict)
    for pin in level.pins.all():
        pins[str(pin.stand_id)][str(pin.plant)] = pin.as_dict()
    count = sum(planting.count() for planting in planted.plantings()) if name else 0
    with transaction.atomic():
        shot = Snapshot.objects.create(
            level=level,
            name=name,
            by=user,
            touch_cell=level.touch_cell,
            stands=stands,
            pins=dict(pins),
            uprooted=[place.as_dict() for place in level.uprooted.all()],
            count=count,
        )
        SnapshotTouch.objects.bulk_create(
            SnapshotTouch(snapshot=shot, stand_id=t.stand_id, tx=t.tx, tz=t.tz, data=t.data)
            for t in TouchTile.objects.filter(stand__level=level, stand__gone=False)
        )
    return shot


def planted_at(level: Level, shot: Snapshot | None) -> PlantedLevel:
    """The level as it would be planted by a snapshot, on the ground as it is now; as it is now for None.

    Raises: Refused when the touch maps have had other cells since.
    """
    if shot is None:
        return planted_of(level)
    _check_cells(level, shot)
    maps: dict[int, np.ndarray] = {int(pk): np.zeros(level.touch_shape, np.int16) for pk in shot.stands}
    for tile in shot.touch_tiles.all():
        if tile.data:
            place(maps[tile.stand_id], tile.tx, tile.tz, tile.data)
    numbers = {int(pk): row["number"] for pk, row in shot.stands.items()}
    pins = all_pins(
        {
            int(pk): [(int(plant), given) for plant, given in rows.items()]
            for pk, rows in shot.pins.items()
            if rows
        },
        shot.uprooted,
    )
    return planted_of(level).changed(
        stands={row["number"]: document_of_stand(Stand(level=level, **row)) for row in shot.stands.values()},
        touch={numbers[pk]: TouchMap.of(touch) for pk, touch in maps.items()},
        pins={numbers[pk]: given for pk, given in pins.items() if pk in numbers},
    )


def _check_cells(level: Level, shot: Snapshot) -> None:
    if shot.touch_cell != level.touch_cell:
        raise Refused(
            f"snapshot: {shot.name} was painted on touch cells of {shot.touch_cell:g} m, and the "
            f"level now has cells "
            f"of {level.touch_cell:g} m; set the resolution back on the Ground bench first"
        )


def compared(level: Level, before: Snapshot | None, after: Snapshot | None, view: View | None) -> dict:
    """How two states differ: for each stand the counts and the plants gained and lost, and the cost
    difference in a view."""
    old, new = planted_at(level, before), planted_at(level, after)
    stock = items_of(level)
    rows, costs = [], [Cost(), Cost()]
    ids = dict(Stand.every.filter(level=level).values_list("number", "pk"))
    for number in _both(old, new):
        states = [planted.planting(number) if number in planted.stands else None for planted in (old, new)]
        counts = [planting.count() if planting else 0 for planting in states]
        change = _change(*states)
        name = next(planting.stand.name for planting in reversed(states) if planting)
        rows.append(
            {
                "stand": ids[number],
                "name": name,
                "before": counts[0],
                "after": counts[1],
                "gained": change.gained,
                "lost": change.lost,
            }
        )
        for k, planting in enumerate(states):
            if view and planting:
                costs[k] += stand_cost(planting, stock, view, True)
    return {"stands": rows, "cost": cost_change(*costs) if view else {}}


def _both(old: PlantedLevel, new: PlantedLevel) -> list[int]:
    """The numbers of all stands that either state has, in order."""
    return [s.number for s in sorted({**old.stands, **new.stands}.values(), key=lambda s: s.order)]


def _change(was: Planting | None, now: Planting | None) -> Difference:
    if was and now:
        return difference(was, now)
    planting, at = now or was, np.empty((0, 2))
    assert planting is not None, "a stand is in one of the two"
    if not planting.stand.sward:
        at = np.concatenate(
            [
                planting.plants(s).form[:, [0, 2]].astype(float)
                for s in planting.sheets_in(planting.everywhere)
            ]
        )
    count, none = planting.count(), np.empty((0, 2))
    return Difference(count, 0, at, none) if now else Difference(0, count, none, at)


def differences(
    level: Level, before: Snapshot | None, after: Snapshot | None
) -> tuple[np.ndarray, np.ndarray]:
    """Where the single plants stand that one state has and the other has not: x, z of those gained and those
    lost."""
    old, new = planted_at(level, before), planted_at(level, after)
    changes = [
        _change(*(planted.planting(number) if number in planted.stands else None for planted in (old, new)))
        for number in _both(old, new)
    ]
    return np.concatenate([c.came for c in changes]), np.concatenate([c.went for c in changes])


def state_digest(level: Level) -> str:
    """A hash of all that a snapshot holds, as it is now."""
    stands = {s.pk: [getattr(s, field) for field in ROW] for s in level.stands.all()}
    pins = [(p.stand_id, p.plant, p.as_dict()) for p in level.pins.all()]
    places = [place.as_dict() for place in level.uprooted.all()]
    total = hashlib.blake2b(
        json.dumps([stands, pins, places, level.touch_cell], sort_keys=True).encode(), digest_size=16
    )
    for tile in TouchTile.objects.filter(stand__level=level, stand__gone=False).order_by("stand", "tz", "tx"):
        total.update(f"{tile.stand_id}/{tile.tx}/{tile.tz}".encode() + bytes(tile.data))
    return total.hexdigest()


def _apply(level: Level, shot: Snapshot) -> None:
    """Make a snapshot the level's planting; inside a transaction."""
    kept = {int(pk): row for pk, row in shot.stands.items()}
    for stand in Stand.every.select_for_update().filter(level=level):
        row = kept.get(stand.pk)
        for field, value in (row or {}).items():
            setattr(stand, field, value)
        stand.gone = row is None
        stand.revision += 1
        stand.save()
    TouchTile.objects.filter(stand__in=kept).delete()
    TouchTile.objects.bulk_create(
        TouchTile(stand_id=t.stand_id, tx=t.tx, tz=t.tz, data=t.data, revision=secrets.randbelow(2**31))
        for t in shot.touch_tiles.all()
    )
    Pin.objects.filter(level=level).delete()
    for pk, rows in shot.pins.items():
        put_rows(level, int(pk), rows)
    level.uprooted.all().delete()
    put_places(level, shot.uprooted)
    forget_planted(level)


@action
def go_back(user: User, level: Level, shot: Snapshot, key: UUID) -> Entry:
    """Make a snapshot the level's planting again, as an action that can be undone; a key that is known counts
    once."""
    _check_cells(level, shot)
    with transaction.atomic():
        Level.objects.select_for_update().get(pk=level.pk)
        forget_planted(level)
        locked = [s.name for s in level.stands.all() if s.locked]
        if locked:
            raise HttpError(409, f"{locked[0]} is locked: unlock it first.")
        told = compared(level, None, shot, None)["stands"]
        planted, before = planted_of(level), take(user, level)
        _apply(level, shot)
        after = take(user, level)
        return Entry.objects.create(
            level=level,
            user=user,
            kind=Entry.Kind.SNAPSHOT,
            key=key,
            what=f"Back to {shot.name}",
            change={"before": before.pk, "after": after.pk, "digest": state_digest(level)},
            gained=sum(row["gained"] for row in told),
            lost=sum(row["lost"] for row in told),
            worst=change_at_worst(level, planted),
        )


def swap_snapshots(entry: Entry, back: bool) -> None:
    """Take going back to a snapshot back, or do it again; inside a transaction.

    Raises: HttpError 409 when the planting has been changed since.
    """
    level = entry.level
    if state_digest(level) != entry.change["digest"]:
        raise HttpError(409, "The planting has been changed since; undo that first.")
    _apply(level, Snapshot.objects.get(pk=entry.change["before" if back else "after"]))
    entry.change["digest"] = state_digest(level)
    entry.save(update_fields=["change"])
