"""Doing a transaction again when the database chose it to give way to another."""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable
from typing import TypeVar

from django.db import OperationalError, connection

from server.levels.models import Level
from server.levels.scene import forget_scene

T = TypeVar("T")
_GAVE_WAY = {1205, 1213}
"""MariaDB's numbers for a lock that was waited for too long, and for a deadlock."""
TIMES = 6


def again_on_deadlock(level_of: Callable[..., Level]) -> Callable[[Callable[..., T]], Callable[..., T]]:
    """A decorator for work that is one transaction: it is begun anew, up to six times, when the database made it give way.

    `level_of`, given the work's own arguments, tells the level, which is read anew before that.
    """

    def decorate(work: Callable[..., T]) -> Callable[..., T]:
        @functools.wraps(work)
        def done(*args, **kwargs) -> T:
            for k in range(TIMES):
                try:
                    return work(*args, **kwargs)
                except OperationalError as error:
                    if error.args[0] not in _GAVE_WAY or k == TIMES - 1 or connection.in_atomic_block:
                        raise
                forget_scene(level_of(*args, **kwargs))
                time.sleep(random.uniform(0.5, 1.5) * 0.01 * 2**k)
            raise AssertionError("unreachable")

        return done

    return decorate
