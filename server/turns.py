"""Work on one level by turns within this process."""

from __future__ import annotations

import threading
from collections import defaultdict

_turns: defaultdict[str, threading.Lock] = defaultdict(threading.Lock)


def turn(slug: str) -> threading.Lock:
    """The lock to hold while a level is read, changed and told about.

    Nothing depends on it for being right: rows are locked in the database. But who waits here reads the level after the one
    before has changed it, so what that one has worked out is carried on; and threads do not hold each other up.
    """
    return _turns[slug]
