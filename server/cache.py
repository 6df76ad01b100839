"""What this process keeps of computed results: one cache, under one budget of memory."""

from __future__ import annotations

import os

from thicket.cache import Cache


def _budget() -> int:
    """Bytes that the process may take: KT_MEMORY_MB, or a quarter of the machine and at least 1 GB."""
    said = os.environ.get("KT_MEMORY_MB", "")
    if said.isdigit() and int(said):
        return int(said) << 20
    return max(os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") // 4, 1 << 30)


CACHE = Cache(most=_budget() // 2, process=_budget())
