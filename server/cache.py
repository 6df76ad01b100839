"""What this process keeps of computed results: one cache, under one budget of memory."""

from __future__ import annotations

import os

from thicket.cache import Cache


def _budget() -> int:
    """Bytes that the process may take: its share among KT_PROCESSES of KT_MEMORY_MB, or of a quarter of the
    machine and at least 1 GB."""
    given = os.environ.get("KT_MEMORY_MB", "")
    machine = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    whole = int(given) << 20 if given.isdigit() and int(given) else max(machine // 4, 1 << 30)
    return whole // int(os.environ.get("KT_PROCESSES", "1"))


CACHE = Cache(most=_budget() // 2, process=_budget())
