"""Whether a level that somebody brings could have been made here."""

from __future__ import annotations

from pathlib import Path

from thicket.cache import Cache
from thicket.document.level import Level
from thicket.document.reading import open_zip
from thicket.planted.asking import check_above, check_layout, conditions_of
from thicket.planted.level import PlantedLevel
from thicket.refused import Refused
from thicket.site.kinds import OF_STANDS


def check_level(level: Level) -> None:
    """Refuse a level that could not have been made on the screen: a stand that asks one that is gone or not
    planted before it, or has more plants than a stand may have.

    Raises: Refused naming the stand.
    """
    planted = PlantedLevel(level, Cache())
    for stand in level.in_order:
        try:
            for where, condition in conditions_of(stand):
                if condition.rule.needs in OF_STANDS and condition.stand in level.stands:
                    plants = condition.rule.needs == "plants"
                    check_above(stand, level.stands[condition.stand], where, plants)
            if stand.settings.layout.kind == "anchors":
                check_layout(planted, stand)
        except Refused as error:
            raise Refused(f"level.json: stands: {stand.name}: {error}") from None
    for stand in level.in_order:
        try:
            planted.planting(stand.number)
        except Refused as error:
            raise Refused(f"level.json: stands: {stand.name}: {error}") from None


def open_checked(path: Path, name: str, folder: Path) -> Level:
    """A level from a zip that somebody brought; see `thicket.document.reading.open_zip`.

    Raises: Refused.
    """
    level = open_zip(path, name, folder)
    check_level(level)
    return level
