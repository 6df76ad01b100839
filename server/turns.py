"""Work on one level by turns within this process."""

from __future__ import annotations

import threading

_turns = [threading.Lock() for _ in range(64)]


def turn(slug: str) -> threading.Lock:
    """The lock to hold while a level is read, changed and told about; a few levels may share one.

    Nothing depends on it for being right: rows are locked in the database. But who waits here reads the level
    after the one before has changed it, so what that one has worked out is carried on; and threads do not
    hold each other up.
    """
    return _turns[hash(slug) % len(_turns)]
