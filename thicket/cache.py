"""Computed results kept by content key, within a budget of memory."""

from __future__ import annotations

import ctypes
import gc
import logging
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Collection, Hashable, Mapping
from typing import Any, TypeVar

T = TypeVar("T")
log = logging.getLogger(__name__)
_LIBC = ctypes.CDLL(None)
_PAGE = os.sysconf("SC_PAGE_SIZE")
OVERHEAD = 200
"""Bytes that a result takes beside its arrays."""
GIVE_BACK = 32 << 20
"""After so many bytes of results were dropped, what is free goes back to the system, which the C library
keeps otherwise as long as anything in use lies beyond it."""


def resident() -> int:
    """Bytes of memory that this process takes."""
    with open("/proc/self/statm", "rb") as statm:
        return int(statm.read().split()[1]) * _PAGE


def size_of(result: Any) -> int:
    """About how many bytes a result takes: those of its arrays and strings, and some for what holds them."""
    if (size := getattr(result, "nbytes", None)) is not None:
        return int(size) + OVERHEAD
    if isinstance(result, (bytes, str)):
        return len(result) + OVERHEAD
    if isinstance(result, Mapping):
        return OVERHEAD + sum(map(size_of, result.values()))
    if isinstance(result, (tuple, list)):
        return OVERHEAD + sum(map(size_of, result))
    return OVERHEAD


class Cache:
    """Results by content key, of which those are dropped first that have not been asked for longest. Threads
    may share one: two that ask for the same key compute it once.

    Parameters: most, bytes of results that are kept; process, bytes that the whole process may take: when it
    takes more, which is looked at now and then, the older half is dropped and free memory goes back to the
    system.
    """

    EVERY, AFTER_DROPPING = 0.25, 2.0
    """Seconds between two looks at the process's memory; and after a half was dropped, which takes a moment
    to show."""

    def __init__(self, most: int = 512 << 20, process: int | None = None) -> None:
        self.most, self.process = most, process
        self._results: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._size = self._dropped = 0
        self._making: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()
        self._looking = threading.Lock()
        self._next_look = 0.0

    def __len__(self) -> int:
        return len(self._results)

    def peek(self, key: Hashable) -> Any:
        """The result under `key` when it is there, else None."""
        with self._lock:
            found = self._results.get(key)
            if found is None:
                return None
            self._results.move_to_end(key)
            return found[0]

    def put(self, key: Hashable, result: object, spare: bool = False) -> None:
        """Keep a result; when spare, only if nothing else has to go for it."""
        size = size_of(result)
        if spare and self._size + size > self.most:
            return
        with self._lock:
            self._drop(key)
            self._results[key] = result, size
            self._size += size
            while self._size > self.most and len(self._results) > 1:
                self._drop(next(iter(self._results)))
            give_back, self._dropped = self._dropped >= GIVE_BACK, self._dropped % GIVE_BACK
        if give_back:
            _LIBC.malloc_trim(0)
        if self.process is not None:
            self._look(self.process)

    def replace(self, key: Hashable, was: object, result: object) -> None:
        """Keep a result in place of another, when that is still the one that is kept."""
        with self._lock:
            found = self._results.get(key)
            if found is None or found[0] is not was:
                return
        self.put(key, result)

    def get(self, key: Hashable, make: Callable[[], T], spare: bool = False) -> T:
        """The result under `key`, made by `make` and put there when it is not there."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key][0]
            making = self._making.setdefault(key, threading.Lock())
        with making:
            with self._lock:
                if key in self._results:
                    return self._results[key][0]
            try:
                result = make()
                self.put(key, result, spare)
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return result

    def drop(self, results: Collection[object]) -> None:
        """Drop some results, wherever they are kept."""
        with self._lock:
            wanted = set(map(id, results))
            for key in [key for key, (result, _) in self._results.items() if id(result) in wanted]:
                self._drop(key)

    def clear(self) -> None:
        """Drop everything."""
        with self._lock:
            self._results.clear()
            self._size = 0

    def drop_older_half(self) -> None:
        """Drop the half of the results that has not been asked for longest; of a single one, too."""
        with self._lock:
            for key in list(self._results)[: -(-len(self._results) // 2)]:
                self._drop(key)

    def _drop(self, key: Hashable) -> None:
        found = self._results.pop(key, None)
        if found is not None:
            self._size -= found[1]
            self._dropped += found[1]

    def _look(self, most: int) -> None:
        """Look at the process's memory when it is time to, and drop the older half when it takes too much."""
        if time.monotonic() < self._next_look or not self._looking.acquire(blocking=False):
            return
        try:
            self._next_look = time.monotonic() + self.EVERY
            before = resident()
            if before > most:
                self.drop_older_half()
                gc.collect()
                _LIBC.malloc_trim(0)
                log.info(
                    "memory: %d MB, %d MB after the older results were dropped",
                    before >> 20,
                    resident() >> 20,
                )
                self._next_look = time.monotonic() + self.AFTER_DROPPING
        finally:
            self._looking.release()
