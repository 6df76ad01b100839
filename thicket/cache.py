"""Computed results kept by content key, of this whole process under one budget of memory."""

from __future__ import annotations

import ctypes
import gc
import logging
import os
import threading
import time
import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")
log = logging.getLogger(__name__)


class ContentCache:
    """Keeps the last `limit` results, as long as the process stays within its memory; see `MemoryBudget`.

    Two threads that ask for the same key compute it once.
    """

    def __init__(self, limit: int) -> None:
        self.limit = limit
        self._results: OrderedDict[Hashable, object] = OrderedDict()
        self._making: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()
        BUDGET.watch(self)

    def peek(self, key: Hashable):
        """The result under `key` when it is there, else None."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
            return self._results.get(key)

    def put(self, key: Hashable, result: object) -> None:
        """Keep a result."""
        with self._lock:
            self._results[key] = result
            self._results.move_to_end(key)
            while len(self._results) > self.limit:
                self._results.popitem(last=False)
        BUDGET.check()

    def replace(self, key: Hashable, was: object, result: object) -> None:
        """Keep a result in place of another, when that is still the one that is kept."""
        with self._lock:
            if self._results.get(key) is was:
                self._results[key] = result

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

    def forget_older_half(self) -> None:
        """Let go of the half of the results that has not been asked for longest; of a single one, too."""
        with self._lock:
            for _ in range(-(-len(self._results) // 2)):
                self._results.popitem(last=False)


class MemoryBudget:
    """Holds the process to an amount of memory: what it really takes is looked at, and when that is more, every cache forgets its
    older half and what is free goes back to the system."""

    EVERY, AFTER_RELIEF = 0.25, 2.0
    """Seconds between two looks; and after a relief, which takes a moment to tell."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._caches: weakref.WeakSet[ContentCache] = weakref.WeakSet()
        self._lock = threading.Lock()
        self._next = 0.0

    def watch(self, cache: ContentCache) -> None:
        self._caches.add(cache)

    def check(self) -> None:
        """Look, when it is time to, and relieve when it must be."""
        if time.monotonic() < self._next or not self._lock.acquire(blocking=False):
            return
        try:
            if resident() > self.most:
                self.relieve()
                self._next = time.monotonic() + self.AFTER_RELIEF
            else:
                self._next = time.monotonic() + self.EVERY
        finally:
            self._lock.release()

    def relieve(self) -> None:
        """Forget the older half of everything kept, and give free memory back."""
        before = resident()
        for cache in list(self._caches):
            cache.forget_older_half()
        gc.collect()
        _LIBC.malloc_trim(0)
        log.info("memory: %d MB, %d MB after older results were let go of", before >> 20, resident() >> 20)


_LIBC = ctypes.CDLL(None)
_PAGE = os.sysconf("SC_PAGE_SIZE")


def resident() -> int:
    """Bytes of memory that this process takes."""
    with open("/proc/self/statm", "rb") as told:
        return int(told.read().split()[1]) * _PAGE


def _most() -> int:
    """The budget in bytes: KT_MEMORY_MB, or a quarter of the machine and at least 1 GB."""
    said = os.environ.get("KT_MEMORY_MB", "")
    if said.isdigit() and int(said):
        return int(said) << 20
    return max(os.sysconf("SC_PHYS_PAGES") * _PAGE // 4, 1 << 30)


BUDGET = MemoryBudget(_most())
"""The one of this process."""
