"""Planting the whole level: stand by stand in the order in which they claim room, a few sheets at a time."""

from __future__ import annotations

from collections import deque
from collections.abc import Generator
from concurrent.futures import Future, ThreadPoolExecutor

from thicket.bands import THREADS
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import Sheet
from thicket.planting.stands import Plants


def singles_of(level: PlantedLevel) -> list[Planting]:
    """The plantings of all stands of single plants, first those that claim room first."""
    return [level.planting(stand.number) for stand in level.level.singles]


def sheets_of(planting: Planting) -> list[Sheet]:
    """All sheets of a planting."""
    return list(planting.sheets_in(planting.everywhere))


def sheets_in_all(level: PlantedLevel) -> int:
    """How many sheets of single plants a level has."""
    return sum(len(sheets_of(planting)) for planting in singles_of(level))


def _blocks_of(planting: Planting | None) -> list[Sheet]:
    """The blocks of a planting's places that can be made ahead."""
    return planting.places.blocks() if planting and planting.settings.layout.kind == "free" else []


def plant_whole(
    level: PlantedLevel, threads: int = THREADS, scheduler: str = ""
) -> Generator[tuple[Planting, Sheet]]:
    """Plant every sheet of single plants, and report each as it is done; the level keeps them. With a
    scheduler's address, on its workers: see `thicket.planted.cluster`.

    What only one stand needs is dropped when it is planted. The places of the next stand, which kernels make
    without holding the interpreter, are made between a stand's sheets, which need it. Parameters: level;
    threads that work at it. Which thread plants what changes no bit.
    """
    if scheduler:
        from thicket.planted.cluster import plant_on

        yield from plant_on(scheduler, level)
        return
    whole = singles_of(level)
    with ThreadPoolExecutor(max(threads, 1)) as pool:
        for planting, after in zip(whole, [*whole[1:], None]):
            planting.prepare()
            list(pool.map(planting.points, planting.places.blocks()))
            sheets = sheets_of(planting)
            waiting: deque[tuple[Sheet, Future[Plants]]] = deque()
            ahead = _blocks_of(after) if threads > 1 else []
            every = max(len(sheets) // max(len(ahead), 1), 1)
            try:
                for k, sheet in enumerate(sheets):
                    if after and ahead and k % every == 0:
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
