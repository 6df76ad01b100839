"""Work over the rows of a raster, cut into bands for a few threads. Kernels themselves are
single-threaded."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

THREADS = min(os.cpu_count() or 1, 8)


def by_rows(rows: int, work: Callable[[int, int], None], threads: int = THREADS, least: int = 64) -> None:
    """Call `work(first, last)` for bands of rows that together cover `rows`; bands have at least `least`
    rows.

    The bands must not depend on each other; which thread does which changes nothing in the result.
    """
    parts = max(min(threads * 4 if threads > 1 else 1, rows // least), 1)
    edges = [rows * k // parts for k in range(parts + 1)]
    if threads <= 1 or parts == 1:
        for first, last in zip(edges, edges[1:]):
            work(first, last)
        return
    with ThreadPoolExecutor(threads) as pool:
        for done in [pool.submit(work, first, last) for first, last in zip(edges, edges[1:])]:
            done.result()
