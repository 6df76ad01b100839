"""Undo and redo: each person takes back their own last action, as the difference it made."""

from __future__ import annotations

from dataclasses import replace

from django.contrib.auth.models import User
from django.db import transaction
from django.dispatch import Signal
from ninja.errors import HttpError

from server.journal.action import Done, retry_on_deadlock
from server.journal.commit import move
from server.journal.models import Entry
from server.journal.trying import trying
from server.levels.models import Level

moved = Signal()
"""Sent with `entry` and `back` when an entry has been taken back or done again; in its transaction."""


def last_done(user: User, level: Level, only: tuple[str, ...] = ()) -> Entry | None:
    """The user's last action that stands; with some of its fields alone, where they are named."""
    return Entry.objects.filter(user=user, level=level, undone=False).only(*only).first()


def last_undone(user: User, level: Level, only: tuple[str, ...] = ()) -> Entry | None:
    """The action the user took back last; a new action ends redoing what was taken back before it."""
    mine = Entry.objects.filter(user=user, level=level)
    newest = mine.values_list("at", flat=True).first()
    if newest is None:
        return None
    return mine.filter(undone=True, touched__gt=newest).order_by("id").only(*only).first()


def undo(user: User, level: Level) -> Done:
    """Take the user's last action back."""

    def work() -> Done:
        with transaction.atomic():
            return _move(user, last_done(user, level), True, "There is nothing of yours to undo here.")

    return retry_on_deadlock(work)


def redo(user: User, level: Level) -> Done:
    """Do again what the user took back last."""

    def work() -> Done:
        with transaction.atomic():
            return _move(user, last_undone(user, level), False, "There is nothing to redo.")

    return retry_on_deadlock(work)


def move_entry(user: User, level: Level, pk: int, back: bool) -> Done:
    """Take back an action of the level, whoever did it, or do it again.

    Raises: HttpError 404 when there is none, 409 when it is taken back, or stands, already, or something
    later depends on it.
    """

    def work() -> Done:
        with transaction.atomic():
            entry = Entry.objects.filter(level=level, pk=pk).first()
            if entry is None:
                raise HttpError(404, f"There is no action {pk} in {level.name}'s journal.")
            return _move(user, entry, back)

    return retry_on_deadlock(work)


def _move(user: User, entry: Entry | None, back: bool, otherwise: str = "") -> Done:
    """Move an entry, and those of other levels that were made with it, back or forth; in a transaction."""
    if entry is None:
        raise HttpError(409, otherwise)
    Level.objects.select_for_update().get(pk=entry.level_id)
    entry = Entry.objects.select_for_update().get(pk=entry.pk)
    if entry.undone == back:
        raise HttpError(409, "It has been taken back already." if back else "It stands already.")
    done = move(user, entry, back)
    if trying.get():
        return done
    others = Entry.objects.filter(group=entry.group, undone=not back).exclude(pk=entry.pk)
    elsewhere = tuple(move(user, other, back) for other in others) if entry.group else ()
    moved.send(sender=Entry, entry=entry, back=back)
    return replace(done, elsewhere=elsewhere)
