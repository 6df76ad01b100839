"""A small thread-safe cache of computed arrays, by content key, oldest out first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")


class ContentCache:
    """Keeps the last `limit` results. Two threads that ask for the same key compute it once."""

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self._results: OrderedDict[Hashable, object] = OrderedDict()
        self._making: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result under `key`, made by `make` when it is not there."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key]  # type: ignore[return-value]
            making = self._making.setdefault(key, threading.Lock())
        with making:
            with self._lock:
                if key in self._results:
                    return self._results[key]  # type: ignore[return-value]
            result = make()
            with self._lock:
                self._results[key] = result
                self._making.pop(key, None)
                while len(self._results) > self.limit:
                    self._results.popitem(last=False)
        return result
