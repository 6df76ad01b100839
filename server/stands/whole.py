"""Planting the whole level: stand by stand in the order in which they claim room, a few sheets at a time."""

from __future__ import annotations

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


def plant_whole(scene: Scene, threads: int = THREADS) -> Iterator[tuple[Planting, Sheet]]:
    """Plant every sheet of single plants, and tell of each as it is done; the engine keeps them.

    What only one stand needs is let go of when it is planted. Parameters: scene of the level; threads that work at it. Which
    thread plants what changes no bit.
    """
    with ThreadPoolExecutor(max(threads, 1)) as pool:
        for planting in plantings_of(scene):
            planting.ready()
            sheets = sheets_of(planting)
            blocks = {(column // BLOCK, row // BLOCK): (column, row) for column, row in reversed(sheets)}
            list(pool.map(planting.points, blocks.values()))
            for sheet, _ in zip(sheets, pool.map(planting.plants, sheets)):
                yield planting, sheet
            planting.let_go()
