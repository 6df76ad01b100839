"""Who is in a level, and where. It is told anew every second or two and kept only in this process, which is
the only one."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field

AWAY = 6.0
"""Seconds after which somebody who says nothing is taken to have left."""


@dataclass(frozen=True)
class Here:
    """A person's eye: x, z in m, heading a bearing in degrees; and the bench they are at."""

    name: str
    x: float
    z: float
    heading: float
    bench: str
    at: float = field(default_factory=time.monotonic)


_lock = threading.Lock()
_here: dict[int, dict[str, Here]] = {}


def tell(level: int, here: Here) -> list[Here]:
    """Note where somebody is in a level, and hear where the others are, by name."""
    with _lock:
        people = {name: h for name, h in _here.get(level, {}).items() if here.at - h.at < AWAY}
        people[here.name] = here
        _here[level] = people
        return sorted((h for h in people.values() if h.name != here.name), key=lambda h: h.name)


def leave(level: int, name: str) -> None:
    """Note that somebody has left a level."""
    with _lock:
        _here.get(level, {}).pop(name, None)
