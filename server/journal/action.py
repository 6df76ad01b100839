"""What makes an action count once: the one mechanism for everything that writes a journal entry under a
key."""

from __future__ import annotations

import dataclasses
import functools
import hashlib
import inspect
import random
import time
from collections.abc import Callable
from typing import Any, TypeVar
from uuid import UUID

import numpy as np
from django.contrib.auth.models import User
from django.db import IntegrityError, OperationalError, connection
from django.db.models import Model
from ninja.errors import HttpError

from server.errors import GAVE_WAY
from server.journal.models import Entry, acting
from server.levels.models import Level
from thicket.document.edits import Edit
from thicket.document.edits.files import json_of
from thicket.planted.level import PlantedLevel
from thicket.planted.step import Step
from thicket.refused import Refused

T = TypeVar("T")
TIMES = 6


@dataclasses.dataclass(frozen=True)
class Done:
    """An action on a level, whose row is as it left it: its journal entry; the version that it began from;
    what it did, None where it had been done before under the same key; whether it is a new action, not one
    that was taken back or done again; and what it did in other levels."""

    level: Level
    entry: Entry
    previous: int = 0
    step: Step[PlantedLevel] | None = None
    new: bool = False
    elsewhere: tuple[Done, ...] = ()


def retry_on_deadlock(work: Callable[[], T]) -> T:
    """Work that is one transaction, done again up to six times when the database made it give way to
    another."""
    for k in range(TIMES):
        try:
            return work()
        except OperationalError as error:
            if error.args[0] not in GAVE_WAY or k == TIMES - 1 or connection.in_atomic_block:
                raise
        time.sleep(random.uniform(0.5, 1.5) * 0.01 * 2**k)
    raise AssertionError("unreachable")


def action(work: Callable[..., Done]) -> Callable[..., Done]:
    """A decorator for a function that changes a level in one transaction and returns what it did.

    The function has parameters `user` and `key`, and one of `level`, `stand` and `stands`. Called again
    under the same key with the same arguments, it changes nothing, since a key is unique: the entry that it
    made is returned, also when both are sent at the same moment.

    Raises: HttpError 409 when the key has been used for something else.
    """
    signature = inspect.signature(work)

    @functools.wraps(work)
    def done(*args: Any, **kwargs: Any) -> Done:
        given = signature.bind(*args, **kwargs).arguments
        user, key, level = given["user"], given["key"], _level_of(given)
        arguments = {name: value for name, value in given.items() if name not in ("user", "key")}
        fingerprint = _fingerprint(work.__name__, arguments)
        token = acting.set(fingerprint)
        try:
            return retry_on_deadlock(functools.partial(work, *args, **kwargs))
        except (IntegrityError, Refused, HttpError):
            # It may have failed only because the same action has been done already, before or at the same
            # moment.
            known = None if connection.needs_rollback else _known(user, level, key, fingerprint)
            if known is None:
                raise
            level.refresh_from_db(fields=["version"])
            return Done(level, known)
        finally:
            acting.reset(token)

    return done


def _level_of(given: dict[str, Any]) -> Level:
    if "level" in given:
        return given["level"]
    return (given["stand"] if "stand" in given else given["stands"][0]).level


def _known(user: User, level: Level, key: UUID, fingerprint: str) -> Entry | None:
    """The entry that was made under a key."""
    entry = Entry.objects.filter(key=key).first()
    if entry is None:
        return None
    same = entry.level_id == level.pk and entry.user_id == user.pk and entry.fingerprint in ("", fingerprint)
    if not same:
        raise HttpError(
            409, "This action's key has been used for something else: send it under a key of its own."
        )
    return entry


def _fingerprint(name: str, given: dict[str, Any]) -> str:
    return hashlib.blake2b(f"{name} {_plain(given)}".encode(), digest_size=12).hexdigest()


def _plain(value: Any) -> Any:
    """Arguments as something whose `repr` is the same for the same arguments."""
    if isinstance(value, Model):
        return f"{value._meta.label} {value.pk}"
    if isinstance(value, np.ndarray):
        return hashlib.blake2b(np.ascontiguousarray(value), digest_size=12).hexdigest()
    if isinstance(value, Edit):
        arrays: dict[str, np.ndarray] = {}
        return repr(json_of(value, arrays))
    if dataclasses.is_dataclass(value):
        return [_plain(getattr(value, f.name)) for f in dataclasses.fields(value)]
    if isinstance(value, dict):
        return sorted((str(k), _plain(v)) for k, v in value.items())
    if isinstance(value, (list, tuple)):
        return [_plain(v) for v in value]
    return "" if callable(value) else repr(value)
