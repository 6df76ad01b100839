"""Planting the whole level: stand by stand in the order in which they claim room, a few sheets at a time."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

from thicket.bands import THREADS
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Sheet


def singles_of(level: PlantedLevel) -> list[Planting]:
    """The plantings of all stands of single plants, first those that claim room first."""
    return [level.planting(stand.number) for stand in level.level.singles]


def sheets_of(planting: Planting) -> list[Sheet]:
    """All sheets of a planting."""
    return list(planting.sheets_in(planting.everywhere))


def plant_whole(level: PlantedLevel, threads: int = THREADS) -> Iterator[tuple[Planting, Sheet]]:
    """Plant every sheet of single plants, and tell of each as it is done; the engine keeps them.

    What only one stand needs is dropped when it is planted. The places of the next stand, which kernels make
    without holding the interpreter, are made between a stand's sheets, which need it. Parameters: level;
    threads that work at it. Which thread plants what changes no bit.
    """
    whole = singles_of(level)
    with ThreadPoolExecutor(max(threads, 1)) as pool:
        for planting, after in zip(whole, [*whole[1:], None]):
            planting.prepare()
            list(pool.map(planting.points, planting.places.blocks()))
            sheets, waiting = sheets_of(planting), deque()
            ahead = (
                after.places.blocks()
                if threads > 1 and after and after.settings.layout.kind == "free"
                else []
            )
            every = max(len(sheets) // max(len(ahead), 1), 1)
            try:
                for k, sheet in enumerate(sheets):
                    if ahead and k % every == 0:
                        pool.submit(after.points, ahead.pop())
                    waiting.append((sheet, pool.submit(planting.plants, sheet)))
                while waiting:
                    sheet, planted = waiting.popleft()
                    planted.result()
                    yield planting, sheet
            finally:
                for _, planted in waiting:
                    planted.cancel()
            planting.release()
