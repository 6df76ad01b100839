"""Planting the whole level: stand by stand in the order in which they claim room, a few sheets at a time."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from server.levels.scene import Scene
from server.stands.seating import BLOCK
from thicket.bands import THREADS

if TYPE_CHECKING:
    from server.stands.engine import Planting, Sheet


def plantings_of(scene: Scene) -> list[Planting]:
    """The plantings of all stands of single plants, first those that claim room first."""
    return [scene.planting(s) for s in sorted(scene.stands.values(), key=lambda s: s.order) if not s.sward]


def sheets_of(planting: Planting) -> list[Sheet]:
    """All sheets of a planting."""
    return list(planting.sheets_in(planting.everywhere))


def _blocks_of(planting: Planting) -> list[Sheet]:
    """A sheet of each block whose places are made together."""
    return list({(column // BLOCK, row // BLOCK): (column, row) for column, row in reversed(sheets_of(planting))}.values())


def plant_whole(scene: Scene, threads: int = THREADS) -> Iterator[tuple[Planting, Sheet]]:
    """Plant every sheet of single plants, and tell of each as it is done; the engine keeps them.

    What only one stand needs is let go of when it is planted. The places of the next stand, which kernels make without holding
    the interpreter, are made between a stand's sheets, which need it. Parameters: scene of the level; threads that work at it.
    Which thread plants what changes no bit.
    """
    whole = plantings_of(scene)
    with ThreadPoolExecutor(max(threads, 1)) as pool:
        for planting, after in zip(whole, [*whole[1:], None]):
            planting.ready()
            list(pool.map(planting.points, _blocks_of(planting)))
            sheets, waiting = sheets_of(planting), deque()
            ahead = _blocks_of(after) if threads > 1 and after and after.settings.layout.kind == "free" else []
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
            planting.let_go()
