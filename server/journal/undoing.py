"""Undo and redo: each person takes back their own last action, as the difference it made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db import transaction
from ninja.errors import HttpError

from server.ground.swapping import swap_ground
from server.journal.action import retry_on_deadlock
from server.journal.commit import move
from server.journal.models import Entry
from server.levels.models import Level
from server.levels.own_ground import held_to_own
from server.pins.actions import swap_pins
from server.snapshots.actions import swap_snapshots
from server.stands.arranging import swap_stands
from server.stands.painting import TouchChange, shift, shift_all
from server.stock.shelf import swap_stock
from server.stock.versions import swap_hold, swap_version
from thicket.document.touch import Cells


@dataclass(frozen=True)
class Moved:
    """An entry taken back or done again, and the plants that came and went with it."""

    entry: Entry
    gained: int
    lost: int
    box: Cells | None = None


def last_done(user: User, level: Level) -> Entry | None:
    """The user's last action that stands."""
    return Entry.objects.filter(user=user, level=level, undone=False).first()


def last_undone(user: User, level: Level) -> Entry | None:
    """The action the user took back last; a new action ends redoing what was taken back before it."""
    mine = Entry.objects.filter(user=user, level=level)
    newest = mine.first()
    return mine.filter(undone=True, touched__gt=newest.at).order_by("id").first() if newest else None


def undo(user: User, level: Level) -> Moved:
    """Take the user's last action back."""

    def work() -> Moved:
        with transaction.atomic():
            return _move(
                _locked(last_done(user, level), "There is nothing of yours to undo here."), back=True
            )

    return _held(user, level, work)


def redo(user: User, level: Level) -> Moved:
    """Do again what the user took back last."""

    def work() -> Moved:
        with transaction.atomic():
            return _move(_locked(last_undone(user, level), "There is nothing to redo."), back=False)

    return _held(user, level, work)


def _held(user: User, level: Level, work: Callable[[], Moved]) -> Moved:
    return retry_on_deadlock(level, lambda: held_to_own(level, user, work))


def undo_entry(user: User, level: Level, pk: int) -> Moved:
    """Take back an action of the level, whoever did it.

    Raises: HttpError 404 when there is none, 409 when it is taken back already or something later depends on
    it.
    """
    return _held(user, level, lambda: _one(level, pk, back=True))


def redo_entry(user: User, level: Level, pk: int) -> Moved:
    """Do an action of the level again that was taken back.

    Raises: as `undo_entry`.
    """
    return _held(user, level, lambda: _one(level, pk, back=False))


def _one(level: Level, pk: int, back: bool) -> Moved:
    with transaction.atomic():
        if not Entry.objects.filter(level=level, pk=pk).exists():
            raise HttpError(404, f"There is no action {pk} in {level.name}'s journal.")
        entry = _locked(Entry(pk=pk), "")
        if entry.undone == back:
            raise HttpError(409, "It has been taken back already." if back else "It stands already.")
        if entry.kind == Entry.Kind.STROKE and entry.stand.gone:
            raise HttpError(409, f"{entry.stand.name} has been removed since; bring it back first.")
        return _move(entry, back)


def _locked(entry: Entry | None, sentence: str) -> Entry:
    if entry is None:
        raise HttpError(409, sentence)
    return Entry.objects.select_for_update().select_related("stand__level", "level").get(pk=entry.pk)


def _move(entry: Entry, back: bool) -> Moved:
    change = None
    if "edit" in entry.change:
        move(entry, back)
    else:
        change = UNDO[entry.kind](entry, back)
    entry.undone = back
    entry.save(update_fields=["undone", "touched"])
    if change is not None:
        return Moved(entry, change.gained, change.lost, change.box)
    return Moved(entry, *((entry.lost, entry.gained) if back else (entry.gained, entry.lost)))


def _swap_stock(entry: Entry, back: bool) -> None:
    if "item" in entry.change:
        swap_version(entry, back)
    elif "hold" in entry.change:
        swap_hold(entry.level, entry.change["hold"], entry.change["before" if back else "after"])
    else:
        swap_stock(entry, back)


UNDO: dict[str, Callable[[Entry, bool], TouchChange | None]] = {
    Entry.Kind.STROKE: shift,
    Entry.Kind.STROKES: shift_all,
    Entry.Kind.STANDS: swap_stands,
    Entry.Kind.SNAPSHOT: swap_snapshots,
    Entry.Kind.STOCK: _swap_stock,
    Entry.Kind.PINS: swap_pins,
    Entry.Kind.GROUND: swap_ground,
    Entry.Kind.RESOLUTION: swap_ground,
}
"""By kind, what takes an entry back that holds no edit, or does it again, inside a transaction. It tells the
plants that come and go where that can differ from what the entry says."""
