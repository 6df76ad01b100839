"""Changing a level by an edit of the core: done to the level as it is stored, its rows brought to what
differs, and the journal given the edit with the one that takes it back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.journal.action import action
from server.journal.arrays import JournalArrays, store_arrays
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.planted import forget_planted, planted_of
from server.levels.storing import document_now, store_difference
from server.sight.reckoning import cost_change, items_of, stand_cost
from server.sight.worst import change_at_worst, drawing_at_worst
from server.stands.models import Stand
from thicket.document.edits import Edit
from thicket.document.edits.files import edit_from, json_of
from thicket.planted.level import PlantedLevel
from thicket.planted.step import Step
from thicket.refused import Refused
from thicket.sight.cost import Cost
from thicket.sight.views import View

Making = Callable[[Level], tuple[Edit, str]]
"""Makes an edit, and the words for it, from a level's row that is locked."""


@action
def commit(user: User, level: Level, key: UUID, edit: Edit, what: str) -> Entry:
    """Do an edit to a level, as one journal entry; a key that is known counts once.

    Raises: Refused as `Edit.apply`.
    """
    return commit_made(user, level, key, lambda row: (edit, what))


def commit_made(
    user: User,
    level: Level,
    key: UUID,
    make: Making,
    stands: Sequence[Stand] | None = None,
    view: View | None = None,
) -> Entry:
    """The same with an edit that follows from the level as it is then; for what is an `action` itself. What
    the edit does to plants, to the cost of a view, and to the dearest view that it reaches, is worked out
    after it is stored.

    Parameters: stands, those whose plants are counted, all when left out; view, of which the cost of those
    stands is noted.
    """
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        edit, what = make(row)
        drawn = {"drawing": row.drawing, "tiers": row.tiers}
        step, inverse = _step(row, edit)
        entry = Entry.objects.create(
            level=row,
            user=user,
            stand=stands[0] if stands and len(stands) == 1 else None,
            kind=edit.kind,
            key=key,
            what=what[:200],
            change={"edit": _stored(row, edit), "inverse": _stored(row, inverse)},
        )
    forget_planted(level)
    numbers = list(step.sheets) if stands is None else [stand.number for stand in stands]
    counts = [step.counted(number) for number in numbers]
    entry.gained, entry.lost = (sum(pair[side] for pair in counts) for side in (0, 1))
    if numbers:
        entry.worst = change_at_worst(row, step.before)
    elif drawn != {"drawing": row.drawing, "tiers": row.tiers}:
        entry.worst = drawing_at_worst(row, drawn)
    if view:
        entry.cost = _cost_change(row, step, numbers, view)
    entry.save(update_fields=["gained", "lost", "worst", "cost"])
    return entry


def _cost_change(
    row: Level, step: Step[PlantedLevel], numbers: Iterable[int], view: View
) -> dict[str, float]:
    """What some stands, by number, cost more in a view after a step than before it."""
    stock, costs = items_of(row), []
    for level in (step.before, step.after):
        here = [level.planting(number) for number in numbers if number in level.stands]
        costs.append(sum((stand_cost(planting, stock, view) for planting in here), Cost()))
    return cost_change(*costs)


def move(entry: Entry, back: bool) -> None:
    """Take back what a journal entry did to its level, or do it again; inside a transaction.

    Raises: Conflict when what it would change has been changed since.
    """
    row = Level.objects.select_for_update().get(pk=entry.level_id)
    wanted, other = ("inverse", "edit") if back else ("edit", "inverse")
    _, inverse = _step(row, edit_from(entry.change[wanted], JournalArrays(row)))
    entry.change[other] = _stored(row, inverse)
    entry.save(update_fields=["change"])


def _step(row: Level, edit: Edit) -> tuple[Step[PlantedLevel], Edit]:
    """Do an edit to a level whose row is locked: the step, and the edit that takes it back."""
    before, now = planted_of(row), document_now(row)
    then, inverse = edit.apply(now), edit.inverse(now)
    store_difference(row, now, then)
    forget_planted(row)
    after = planted_of(row)
    for number, stand in then.stands.items():
        if stand is not now.stands.get(number) or _plantable(before, number):
            after.planting(number)  # refuses one that could no longer be planted
    return Step(before, after, edit), inverse


def _plantable(level: PlantedLevel, number: int) -> bool:
    try:
        level.planting(number)
    except Refused:
        return False
    return True


def _stored(row: Level, edit: Edit) -> dict[str, Any]:
    arrays: dict[str, np.ndarray] = {}
    given = json_of(edit, arrays)
    store_arrays(row, arrays)
    return given
