"""A small thread-safe cache of computed arrays, by content key, oldest out first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")


class ContentCache:
    """Keeps the last `limit` results, and of those with a size no more than `most` bytes altogether.

    Two threads that ask for the same key compute it once.
    """

    def __init__(self, limit: int, most: int | None = None) -> None:
        self.limit, self.most = limit, most
        self._results: OrderedDict[Hashable, object] = OrderedDict()
        self._making: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()
        self._size = 0

    def peek(self, key: Hashable):
        """The result under `key` when it is there, else None."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
            return self._results.get(key)

    def put(self, key: Hashable, result: object) -> None:
        """Keep a result."""
        with self._lock:
            self._size += _size(result) - _size(self._results.pop(key, None))
            self._results[key] = result
            while len(self._results) > self.limit or (self.most and self._size > self.most and len(self._results) > 1):
                self._size -= _size(self._results.popitem(last=False)[1])

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
            try:
                result = make()
                self.put(key, result)
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return result


def _size(result: object) -> int:
    return getattr(result, "nbytes", 0)
