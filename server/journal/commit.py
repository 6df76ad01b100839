"""Changing a level by an edit of the core: done to the level as it is stored, its rows brought to what
differs, and the journal given the edit with the one that takes it back."""

from __future__ import annotations

from collections.abc import Callable
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
from server.sight.worst import change_at_worst, drawing_at_worst
from thicket.document.edits import Edit
from thicket.document.edits.files import edit_from, json_of
from thicket.planted.step import Step

Making = Callable[[Level], tuple[Edit, str]]
"""Makes an edit, and the words for it, from a level's row that is locked."""


@action
def commit(user: User, level: Level, key: UUID, edit: Edit, what: str) -> Entry:
    """Do an edit to a level, as one journal entry; a key that is known counts once.

    Raises: Refused as `Edit.apply`.
    """
    return commit_made(user, level, key, lambda row: (edit, what))


def commit_made(user: User, level: Level, key: UUID, make: Making) -> Entry:
    """The same with an edit that follows from the level as it is then; for what is an `action` itself. What
    the edit does to plants, and to the dearest view that it reaches, is worked out after it is stored."""
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        edit, what = make(row)
        drawn = {"drawing": row.drawing, "tiers": row.tiers}
        step, inverse = _step(row, edit)
        change = {"edit": _stored(row, edit), "inverse": _stored(row, inverse)}
        entry = Entry.objects.create(
            level=row, user=user, kind=edit.kind, key=key, what=what[:200], change=change
        )
    forget_planted(level)
    if step.sheets:
        entry.gained, entry.lost = step.gained, step.lost
        entry.worst = change_at_worst(row, step.before)
    elif drawn != {"drawing": row.drawing, "tiers": row.tiers}:
        entry.worst = drawing_at_worst(row, drawn)
    entry.save(update_fields=["gained", "lost", "worst"])
    return entry


def move(entry: Entry, back: bool) -> None:
    """Take back what a journal entry did to its level, or do it again; inside a transaction.

    Raises: Conflict when what it would change has been changed since.
    """
    row = Level.objects.select_for_update().get(pk=entry.level_id)
    wanted, other = ("inverse", "edit") if back else ("edit", "inverse")
    _, inverse = _step(row, edit_from(entry.change[wanted], JournalArrays(row)))
    entry.change[other] = _stored(row, inverse)
    entry.save(update_fields=["change"])


def _step(row: Level, edit: Edit) -> tuple[Step, Edit]:
    """Do an edit to a level whose row is locked: the step, and the edit that takes it back."""
    before, now = planted_of(row), document_now(row)
    then, inverse = edit.apply(now), edit.inverse(now)
    store_difference(row, now, then)
    forget_planted(row)
    return Step(before, planted_of(row), edit), inverse


def _stored(row: Level, edit: Edit) -> dict[str, Any]:
    arrays: dict[str, np.ndarray] = {}
    given = json_of(edit, arrays)
    store_arrays(row, arrays)
    return given
