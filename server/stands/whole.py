"""Planting the whole level: every sheet of every stand of single plants, a few sheets at a time."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from server.levels.scene import Scene
from thicket.bands import THREADS

if TYPE_CHECKING:
    from server.stands.engine import Planting, Sheet


def plantings_of(scene: Scene) -> list[Planting]:
    """The plantings of all stands of single plants, first those that claim room first."""
    return [scene.planting(s) for s in sorted(scene.stands.values(), key=lambda s: s.order) if not s.sward]


def sheets_of(plantings: list[Planting]) -> list[list[tuple[Planting, Sheet]]]:
    """All sheets, one place after another; at each place those of all stands, in the order in which they claim room."""
    if not plantings:
        return []
    everywhere = plantings[0].sheets_in(plantings[0].everywhere)
    return [[(planting, sheet) for planting in plantings] for sheet in everywhere]


def plant_whole(scene: Scene, threads: int = THREADS) -> Iterator[list[tuple[Planting, Sheet]]]:
    """Plant every sheet of single plants, and tell of each place as it is done; sheets are kept as the engine keeps them.

    Parameters: scene of the level; threads that work at it. Which thread plants what changes no bit.
    """
    plantings = plantings_of(scene)
    for planting in plantings:
        planting.ready()

    def work(place: list[tuple[Planting, Sheet]]) -> list[tuple[Planting, Sheet]]:
        for planting, sheet in place:
            planting.plants(sheet)
        return place

    if threads <= 1:
        yield from map(work, sheets_of(plantings))
        return
    with ThreadPoolExecutor(threads) as pool:
        yield from pool.map(work, sheets_of(plantings))
