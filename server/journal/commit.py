"""Changing a level: the one way. An edit of the core is done to the level as it is stored, what differs is
written, and the journal is given the edit with the one that takes it back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.document.arrays import EditArrays, store_arrays
from server.document.files import items_of, with_files, without_files
from server.document.own_ground import check_step, plot_at
from server.document.planted import document_now, hold, keep_numbers, planted_of, store_difference
from server.document.versions import note_version
from server.journal.action import Done, action
from server.journal.models import Entry
from server.journal.trying import trying
from server.levels.models import Level
from thicket.document.edits import ChangePins, Edit, LeaveItem, Several, TakeItem, VersionItem
from thicket.document.edits.files import edit_from, json_of
from thicket.planted.level import PlantedLevel
from thicket.planted.step import Step
from thicket.refused import Refused

Making = Callable[[Level], tuple[Edit, str]]
"""Makes an edit, and the words for it, from a level's row that is locked."""


@action
def commit(user: User, level: Level, key: UUID, edit: Edit, what: str) -> Done:
    """Do an edit to a level, as one journal entry; a key that is known counts once.

    Raises: Refused as `Edit.apply`.
    """
    return commit_made(user, level, key, lambda row: (edit, what))


def commit_made(
    user: User,
    level: Level,
    key: UUID,
    make: Making,
    cut: bool = False,
    at: Sequence[Sequence[float]] = (),
    more: dict[str, Any] | None = None,
    group: str = "",
) -> Done:
    """The same with an edit that follows from the level as it is then; for what is an `action` itself.

    Parameters: cut, whether the edit leaves out by itself what the person may not change, so that plants
    outside of their plots that follow from it are not refused; at, the places (x, z) that it was done at;
    more, what the entry is to hold beside the edits; group, a name that it shares with the entries of other
    levels that are taken back with it.
    """
    if trying.get():
        edit, what = make(level)
        return _tried(user, level, edit, what, cut)
    with transaction.atomic():
        row = Level.objects.select_for_update().get(pk=level.pk)
        previous = row.version
        edit, what = make(row)
        step, inverse = _do(user, row, edit, cut)
        arrays: dict[str, np.ndarray] = {}
        change = {"edit": json_of(edit, arrays), "inverse": json_of(inverse, arrays)} | (more or {})
        store_arrays(row, arrays)
        entry = Entry.objects.create(
            level=row,
            user=user,
            stands=sorted(edit.stands),
            kind=kind_of(edit),
            key=key,
            what=what[:200],
            change=change,
            plot=plot_at(level, at),
            group=group,
        )
        note_version(row, previous, change["edit"] if replayable(edit) else None, entry.pk)
        # Before the row is given free, so that who waits for it goes on from this planting. Were this rolled
        # back, nobody would meet its version again.
        hold(row, step.after)
    level.version = row.version
    return Done(row, entry, previous, step, new=True)


def _tried(user: User, level: Level, edit: Edit, what: str, cut: bool = False) -> Done:
    """What an edit would do; nothing is stored."""
    step = _step(user, level, edit, cut)
    entry = Entry(level=level, user=user, stands=sorted(edit.stands), kind=kind_of(edit), what=what[:200])
    return Done(level, entry, level.version, step)


def move(user: User, entry: Entry, back: bool) -> Done:
    """Take back what a journal entry did to its level, or do it again; inside a transaction.

    Raises: Conflict when what it would change has been changed since.
    """
    row = Level.objects.select_for_update().get(pk=entry.level_id)
    previous = row.version
    wanted, other = ("inverse", "edit") if back else ("edit", "inverse")
    edit = edit_from(entry.change[wanted], EditArrays(row))
    if trying.get():
        return _tried(user, row, edit, entry.what)
    step, inverse = _do(user, row, edit, cut=False)
    arrays: dict[str, np.ndarray] = {}
    given = entry.change[wanted] if replayable(edit) else None
    entry.change[other] = json_of(inverse, arrays)
    store_arrays(row, arrays)
    entry.undone = back
    entry.save(update_fields=["change", "undone", "touched"])
    note_version(row, previous, given, entry.pk)
    hold(row, step.after)
    return Done(row, entry, previous, step)


def _do(user: User, row: Level, edit: Edit, cut: bool) -> tuple[Step[PlantedLevel], Edit]:
    """Do an edit to a level whose row is locked: what it does, and the edit that takes it back."""
    step = _step(user, row, edit, cut)
    document = step.before.level
    inverse = edit.inverse(document)
    store_difference(row, document, step.after.level, user)
    previous = row.version
    row.new_version()
    if document.stands.keys() == step.after.level.stands.keys():
        keep_numbers(row, previous)
    if items_of(edit):
        step = Step(step.before, step.before.edited(without_files(row, step.after.level)), edit)
    return step, inverse


def _step(user: User, row: Level, edit: Edit, cut: bool) -> Step[PlantedLevel]:
    """What an edit does to a level as its row has it, with the files of the items that it is about.

    Raises: Refused or NotAllowed when it may not be done.
    """
    before, document = planted_of(row), document_now(row)
    if slugs := items_of(edit):
        document = with_files(row, document, slugs)
    if document.details["view"] != before.level.details["view"] or slugs:
        before = before.edited(document)
    step = before.after(edit)
    _check_plantable(step)
    if not cut:
        check_step(row, user, step)
    return step


def _check_plantable(step: Step[PlantedLevel]) -> None:
    """Refuse a step after which a stand could not be planted that could before it."""
    for number in step.after.stands:
        try:
            step.after.planting(number)
        except Refused:
            if number not in step.before.stands or _plantable(step.before, number):
                raise


def _plantable(level: PlantedLevel, number: int) -> bool:
    try:
        level.planting(number)
    except Refused:
        return False
    return True


def kind_of(edit: Edit) -> str:
    """The kind that the journal shows an edit under: of several, that of the first."""
    return kind_of(edit.edits[0]) if isinstance(edit, Several) and edit.edits else edit.kind


def replayable(edit: Edit) -> bool:
    """Whether another process can do an edit to the document that it has: not where it needs items' files,
    nor where it is so long that reading the level again costs less."""
    if isinstance(edit, Several):
        return len(edit.edits) < 100 and all(map(replayable, edit.edits))
    if isinstance(edit, ChangePins):
        return sum(map(len, edit.put.values())) < 1000
    return not isinstance(edit, (TakeItem, LeaveItem, VersionItem))
