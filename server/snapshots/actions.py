"""Snapshots taken, removed, compared and gone back to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.journal.action import Done
from server.journal.commit import commit
from server.levels.models import Level
from server.sight.costing import cost_change, items_of, stand_cost
from server.snapshots.models import Snapshot
from server.stands.rows import stand_ids
from thicket.document.edits import GoBack, RemoveSnapshot, TakeSnapshot
from thicket.planted.comparing import Difference, difference
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.sight.cost import Cost
from thicket.sight.views import View


def take(user: User, level: Level, key: UUID, name: str) -> Done:
    """Save the planting as it is now.

    Raises: Refused when the name is taken, or the level holds too many.
    """
    done = commit(user, level, key, TakeSnapshot(name=name), f"Snapshot {name} taken")
    if done.step:
        count = sum(planting.count() for planting in done.step.after.plantings())
        level.snapshots.filter(name=name).update(count=count)
    return done


def remove(user: User, level: Level, key: UUID, shot: Snapshot) -> Done:
    """Remove a snapshot; the planting is left as it is."""
    return commit(user, level, key, RemoveSnapshot(name=shot.name), f"Snapshot {shot.name} removed")


def go_back(user: User, level: Level, key: UUID, shot: Snapshot) -> Done:
    """Make a snapshot the level's planting again."""
    return commit(user, level, key, GoBack(name=shot.name), f"Back to {shot.name}")


def planted_at(level: Level, shot: Snapshot | None) -> PlantedLevel:
    """The level as it would be planted by a snapshot, on the ground as it is now; as it is now for None.

    Raises: Refused when the touch maps have had other cells since.
    """
    planted = planted_of(level)
    if shot is None:
        return planted
    unlocked = {n: replace(s, locked=False) for n, s in planted.level.stands.items()}
    return planted.edited(GoBack(name=shot.name).apply(replace(planted.level, stands=unlocked)))


def compared(level: Level, before: Snapshot | None, after: Snapshot | None, view: View | None) -> dict:
    """How two states differ: for each stand the counts and the plants gained and lost, and the cost
    difference in a view."""
    old, new = planted_at(level, before), planted_at(level, after)
    stock, ids = items_of(level), stand_ids(level)
    rows, costs = [], [Cost(), Cost()]
    for states in _pairs(old, new):
        change = _change(*states)
        stand = next(planting.stand for planting in reversed(states) if planting)
        counts = [planting.count() if planting else 0 for planting in states]
        rows.append(
            {
                "stand": ids[stand.number],
                "name": stand.name,
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


def _pairs(old: PlantedLevel, new: PlantedLevel) -> Iterator[tuple[Planting | None, Planting | None]]:
    """All stands that either state has, in order, as both plant them."""
    for stand in sorted({**old.stands, **new.stands}.values(), key=lambda s: s.order):
        was, now = (p.planting(stand.number) if stand.number in p.stands else None for p in (old, new))
        yield was, now


def _change(was: Planting | None, now: Planting | None) -> Difference:
    if was and now:
        return difference(was, now)
    planting, at = now or was, np.empty((0, 2))
    assert planting is not None, "a stand is in one of the two"
    if not planting.stand.mapped:
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
    changes = [_change(*states) for states in _pairs(planted_at(level, before), planted_at(level, after))]
    return np.concatenate([c.came for c in changes]), np.concatenate([c.went for c in changes])
