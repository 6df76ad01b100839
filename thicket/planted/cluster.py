"""Planting a level on a cluster of Dask workers, which need nothing but the core installed.

A task plants one stand in a region of a few sheets a side. It is given what the stands above it have in that
region and those next to it, and those that it measures to or stands on everywhere. A worker makes itself
whatever else it needs, so which worker plants what, and whether one dies, changes no bit.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from itertools import chain
from typing import Any

from distributed import Client, Future, as_completed

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.lazy import lazy
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.sheets import STAND_SHEET, Sheet
from thicket.planting.stands import Plants
from thicket.refused import Refused

WORKER_MEMORY = 2 << 30
"""Bytes that a worker process may take before it drops the older half of what it keeps."""
SIDES = 8, 4, 2, 1
"""Sheets that a region may have a side."""
PATIENCE = 5
"""Seconds that a scheduler may take to answer."""
Planted = list[tuple[int, Sheet, str, Plants]]
"""Sheets with their stand's number, their key and their plants."""


class Sent:
    """A level as it is sent to workers. A worker holds one, and keeps what it has planted for its next
    region."""

    def __init__(self, level: Level) -> None:
        bare = {slug: replace(item, glb=b"", silhouette=b"") for slug, item in level.stock.items()}
        self.level = replace(level, stock=bare, details={})

    def __getstate__(self) -> dict[str, Any]:
        return {"level": self.level}

    @lazy
    def planted(self) -> PlantedLevel:
        """The level, planted in this process as far as it is asked for."""
        # Its budget is the memory that the process takes.
        return PlantedLevel(self.level, Cache(most=1 << 40, process=WORKER_MEMORY), threads=1)


def plant_region(sent: Sent, number: int, sheets: list[Sheet], above: list[Planted]) -> Planted:
    """Plant sheets of a stand, by number, on a worker, from what is planted above it."""
    for other, sheet, key, plants in chain.from_iterable(above):
        planting = sent.planted.planting(other)
        if sheet not in planting.keys.known:
            planting.adopt(sheet, key, plants)
    planting = sent.planted.planting(number)
    return [(number, sheet, planting.key(sheet), planting.plants(sheet)) for sheet in sheets]


def regions_of(planting: Planting, side: int) -> dict[Sheet, list[Sheet]]:
    """A stand's sheets in regions of `side` sheets a side, by the region's column and row."""
    regions = defaultdict(list)
    for sheet in planting.sheets_in(planting.everywhere):
        regions[sheet[0] // side, sheet[1] // side].append(sheet)
    return dict(sorted(regions.items()))


def _tasks_of(planting: Planting, region: Sheet, tasks: dict[int, dict[Sheet, Future]]) -> list[Future]:
    """The tasks whose plants a stand needs in a region; `tasks` are those of the stands above."""
    out = []
    for number, regions in tasks.items():
        everywhere = planting.asks_for([number])
        for (column, row), task in regions.items():
            if everywhere or max(abs(column - region[0]), abs(row - region[1])) <= 1:
                out.append(task)
    return out


def _side_for(level: PlantedLevel, workers: int) -> int:
    """The side of regions, in sheets: as large as gives each worker two."""
    columns, rows = (-(-v // STAND_SHEET) for v in (level.width, level.length))
    sides = (side for side in SIDES if -(-columns // side) * -(-rows // side) >= 2 * workers)
    return next(sides, SIDES[-1])


def plant_on(scheduler: str, level: PlantedLevel) -> Iterator[tuple[Planting, Sheet]]:
    """Plant every sheet of single plants on the workers of a scheduler, and report each as it comes; the
    level keeps them.

    Parameters: scheduler, an address such as tcp://host:8786; level. Neighbouring regions go to one worker,
    unless another has nothing to do.

    Raises: Refused when the scheduler does not answer or has no workers.
    """
    try:
        client = Client(scheduler, timeout=PATIENCE, set_as_default=False)
    except (OSError, ValueError) as error:
        raise Refused(f"scheduler: nothing answers at {scheduler} ({error})") from error
    with client:
        workers = sorted(client.scheduler_info(n_workers=-1)["workers"])
        if not workers:
            raise Refused(f"scheduler: {scheduler} has no workers; start some with `dask worker {scheduler}`")
        sent = client.scatter(Sent(level.level), broadcast=True, hash=False)
        side = _side_for(level, len(workers))
        tasks: dict[int, dict[Sheet, Future]] = {}
        for stand in level.level.singles:
            planting = level.planting(stand.number)
            regions = regions_of(planting, side)
            tasks[stand.number] = {
                region: client.submit(
                    plant_region,
                    sent,
                    stand.number,
                    sheets,
                    _tasks_of(planting, region, tasks),
                    workers=[workers[k * len(workers) // len(regions)]],
                    allow_other_workers=True,
                    pure=False,
                )
                for k, (region, sheets) in enumerate(regions.items())
            }
        every = [task for regions in tasks.values() for task in regions.values()]
        for task in as_completed(every, loop=client.loop):
            for number, sheet, key, plants in task.result():
                planting = level.planting(number)
                planting.adopt(sheet, key, plants)
                yield planting, sheet
