"""Work on one level by turns, over all processes."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection

PATIENCE = 30
"""Seconds after which somebody goes on without their turn."""


@contextmanager
def level_lock(slug: str) -> Iterator[None]:
    """Hold a level's lock in the database while the level is read, changed and reported.

    Nothing depends on it for being right: rows are locked. But who waits here reads the level after the one
    before has changed it, so what that one has worked out is carried on; and threads do not hold each other
    up.
    """
    with turn(slug):
        yield


@contextmanager
def turn(what: str) -> Iterator[None]:
    """Take turns at something with the other processes that share the database."""
    given = f"{connection.settings_dict['NAME']}/{what}"
    name = hashlib.blake2b(given.encode(), digest_size=16).hexdigest()
    with connection.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, %s)", [name, PATIENCE])
        cursor.fetchall()
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute("SELECT RELEASE_LOCK(%s)", [name])
            cursor.fetchall()
