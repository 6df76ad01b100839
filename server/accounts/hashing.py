"""How passwords are hashed: Argon2, with so little memory at work at once that a flood of sign-ins cannot
fill the machine."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from django.contrib.auth.hashers import Argon2PasswordHasher
from ninja.errors import HttpError

AT_ONCE = 2
"""So many passwords are hashed at the same time in this process."""
PATIENCE = 10.0
"""Seconds that a sign-in waits for its turn."""
_turns = threading.BoundedSemaphore(AT_ONCE)


class Hasher(Argon2PasswordHasher):
    """Argon2id with 46 MiB, one pass and one lane (the first choice of OWASP's password storage cheat
    sheet)."""

    time_cost, memory_cost, parallelism = 1, 47_104, 1


@contextmanager
def turn_to_hash() -> Iterator[None]:
    """Wait for one's turn to have a password hashed.

    Raises: HttpError 429 when it does not come.
    """
    if not _turns.acquire(timeout=PATIENCE):
        raise HttpError(429, "Many people sign in at this moment: try again in a few seconds.")
    try:
        yield
    finally:
        _turns.release()
