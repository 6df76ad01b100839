"""The core of Knee Thicket: levels as values, planted, costed and written out, without a server or a
database.

    import thicket

    level = thicket.open_level("hobbin-delph/")
    planted = thicket.plant(level, threads=2)
    planted.counts()
    step = planted.after(ChangeSettings(put={5: {"fullness": 0.4}}))
    step.counts[5]                    # plants gained and lost
    planted = step.after
    level = thicket.edit(level, [step.edit, step.inverse])

Edits are in `thicket.document.edits`; what a planted level can be asked is in `thicket.planted.level`.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from thicket.cache import Cache
    from thicket.document.edits import Edit
    from thicket.document.level import Level
    from thicket.planted.level import PlantedLevel


def open_level(folder: str | Path) -> Level:
    """Read a level from a folder; see `thicket.document.reading.open_level`."""
    from thicket.document import reading

    return reading.open_level(folder)


def save_level(level: Level, folder: str | Path) -> None:
    """Write a level into a folder; see `thicket.document.folder.save_level`."""
    from thicket.document import folder as folders

    folders.save_level(level, Path(folder))


def edit(level: Level, edits: Iterable[Edit], undo: list[Edit] | None = None) -> Level:
    """A level after some edits; `undo` is given those that take them back, in the order to apply them in.

    Raises: Refused when one of them cannot be done; see `thicket.document.edits`.
    """
    from thicket.planted.masks import with_masks_made_again

    for each in edits:
        after = each.apply(level)
        if any(mask.source and mask.source.automatic for mask in after.masks.values()):
            after = with_masks_made_again(plant(after))
        if undo is not None:
            undo.insert(0, each.inverse(level))
        level = after
    return level


def plant(level: Level, threads: int = 1, cache: Cache | None = None) -> PlantedLevel:
    """A level with its plants, which are made as they are asked for.

    Parameters: level; threads that rasters are made by; cache where results are kept, one of its own when
    left out.
    """
    from thicket.planted.level import PlantedLevel

    return PlantedLevel(level, cache, threads)
