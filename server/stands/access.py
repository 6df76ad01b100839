"""The rows of a level's stands, as requests name them."""

from __future__ import annotations

from dataclasses import replace

from ninja.errors import HttpError

from server.document.planted import numbers_of, planted_of
from server.levels.models import Level
from server.stands.models import Stand
from server.stands.rows import values_of
from thicket.document.level import Stand as DocumentStand
from thicket.document.settings import StandSettings
from thicket.planted.planting import Planting


def _row(level: Level, pk: int, stand: DocumentStand) -> Stand:
    return Stand(pk=pk, level=level, number=stand.number, **values_of(stand))


def rows_of(level: Level) -> dict[int, Stand]:
    """The level's stands as rows, by number."""
    stands = planted_of(level).stands
    return {number: _row(level, pk, stands[number]) for pk, number in numbers_of(level).items()}


def stands_of(level: Level) -> list[Stand]:
    """All stands of the level, first those that claim room first."""
    return sorted(rows_of(level).values(), key=lambda stand: stand.order)


def stand_for(level: Level, stand_id: int) -> Stand:
    """A stand of the level.

    Raises: HttpError 404 when the level has no such stand.
    """
    number = numbers_of(level).get(stand_id)
    if number is None:
        raise HttpError(404, f"stand: {level.name} has no stand {stand_id}.")
    return _row(level, stand_id, planted_of(level).stands[number])


def planting_of(stand: Stand) -> Planting:
    """A stand's planting as the level is stored."""
    return planted_of(stand.level).planting(stand.number)


def document_of(stand: Stand, settings: StandSettings | None = None) -> DocumentStand:
    """A stand as the core has it; with other settings than its own when they are given, which are checked
    already."""
    now = planted_of(stand.level).stands[stand.number]
    return now if settings is None else replace(now, settings=settings)


def tried(stand: Stand, settings: StandSettings | None = None, checked: bool = True) -> Planting:
    """A stand's planting under other settings; see `PlantedLevel.trying`."""
    return planted_of(stand.level).trying(document_of(stand, settings), checked)
