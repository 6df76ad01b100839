"""Rows of pins, stored and put back."""

from __future__ import annotations

from django.db import connection
from django.db.models import QuerySet
from ninja.errors import HttpError

from server.levels.models import Level
from server.levels.planted import forget_planted
from server.pins.models import FIELDS, Pin, UprootedPlace

Rows = dict[str, dict | None]
"""What a hand can change of each plant, by id as text; None where there is no pin."""


_COLUMNS = ["level_id", "stand_id", "plant", *FIELDS]
_INSERT = (
    f"INSERT INTO {Pin._meta.db_table} ({', '.join(_COLUMNS)}) VALUES ({', '.join(['%s'] * len(_COLUMNS))})"
)
_PREPARE = [(name, Pin._meta.get_field(name).get_prep_value) for name in FIELDS]


def put_rows(level: Level, stand: int, rows: Rows) -> None:
    """Store rows of pins of one stand; inside a transaction. There may be ten thousand, so no object is made
    of each."""
    level.pins.filter(plant__in=[int(plant) for plant in rows]).delete()
    with connection.cursor() as cursor:
        cursor.executemany(
            _INSERT,
            [
                (level.pk, stand, int(plant), *(prepare(given[name]) for name, prepare in _PREPARE))
                for plant, given in rows.items()
                if given
            ],
        )
    level.pins_changed()


def put_places(level: Level, places: list[dict]) -> None:
    """Store uprooted places as `UprootedPlace.as_dict` has them; inside a transaction."""
    UprootedPlace.objects.bulk_create(
        UprootedPlace(
            level=level, stand_id=given["stand"], key=given["key"], path=given["path"], radius=given["radius"]
        )
        for given in places
    )
    level.pins_changed()


def swap_places(level: Level, have: list[dict], want: list[dict]) -> None:
    """Put uprooted places in others' stead; inside a transaction.

    Raises: HttpError 409 when one of those that are there has been let grow again since.
    """
    for given in have:
        if not level.uprooted.filter(stand=given["stand"], key=given["key"]).delete()[0]:
            raise HttpError(409, "What this uprooted has been let grow again since; undo that first.")
    put_places(level, want)
    forget_planted(level)


def rows_of(pins: QuerySet) -> Rows:
    """The rows of some pins, by id."""
    return {str(plant): dict(zip(FIELDS, given)) for plant, *given in pins.values_list("plant", *FIELDS)}


def swap_rows(level: Level, stand: int, have: Rows, want: Rows) -> None:
    """Put rows in others' stead; inside a transaction.

    Raises: HttpError 409 when one of those that are there has been changed since.
    """
    now = rows_of(
        Pin.objects.select_for_update().filter(level=level, plant__in=[int(plant) for plant in have])
    )
    if any(now.get(plant) != given for plant, given in have.items()):
        raise HttpError(409, "A plant that this set by hand has been changed since; undo that first.")
    put_rows(level, stand, want)
    forget_planted(level)
