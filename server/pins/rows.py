"""What a hand did to single plants of a level, read into a document and written from one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db import connection

from server.levels.models import Level
from server.pins.models import FIELDS, Pin, UprootedPlace
from server.stands.models import Stand
from thicket.document.level import Level as Document
from thicket.document.pin_rows import VALUES, GoneRow, PinRow, Row, pins_from, rows_of
from thicket.planting.pins import Pins, Uprooted

_COLUMNS = ["level_id", "stand_id", "plant", *FIELDS]
_INSERT = (
    f"INSERT INTO {Pin._meta.db_table} ({', '.join(_COLUMNS)}) VALUES ({', '.join(['%s'] * len(_COLUMNS))})"
)


def read(level: Level) -> dict[str, Any]:
    """The parts of a document that are pins and uprooted places, of stands that have some."""
    numbers = dict(level.stands.values_list("pk", "number"))
    rows: dict[int, dict[int, Row]] = defaultdict(dict)
    for stand, plant, *given in level.pins.values_list("stand_id", "plant", *FIELDS):
        rows[stand][plant] = _row(dict(zip(FIELDS, given)))
    places = defaultdict(list)
    for stand, path, radius in level.uprooted.values_list("stand_id", "path", "radius"):
        at = tuple(tuple(map(float, point)) for point in path)
        places[stand].append(Uprooted(at, float(radius)))
    have = sorted((number, pk) for pk, number in numbers.items() if rows.get(pk) or places.get(pk))
    return {"pins": {number: pins_from(rows.get(pk, {}), places.get(pk, ())) for number, pk in have}}


def _row(given: dict[str, Any]) -> Row:
    """A pin of the database as the core has it."""
    home = None if given["home_x"] is None else (given["home_x"], given["home_z"])
    if given["gone"]:
        return GoneRow.model_construct(home=home)
    values = {name: given[name] for name in ("item", "x", "z", "lift", *VALUES)}
    return PinRow.model_construct(**values, home=home, surface=given["surface"])


def _values(row: Row) -> tuple:
    """A pin of the core as the database has it."""
    home_x, home_z = row.home or (None, None)
    if isinstance(row, GoneRow):
        return "", home_x, home_z, 0.0, 0, 0, 0, 1, 1, 1, 0.5, True, home_x, home_z, 0
    values = (getattr(row, name) for name in VALUES)
    return row.item, row.x, row.z, row.lift, *values, False, home_x, home_z, row.surface


def write(row: Level, before: Document, after: Document, user: User) -> None:
    """Bring pins and uprooted places from one document to another; inside a transaction. There may be ten
    thousand, so no object is made of each."""
    if before.pins is after.pins:
        return
    ids = dict(Stand.every.filter(level=row).values_list("number", "pk"))
    for number in sorted(before.pins.keys() | after.pins.keys()):
        was, now = before.pins_of(number), after.pins_of(number)
        if was is now:
            continue
        old, fresh = rows_of(was), rows_of(now)
        put = {plant: given for plant, given in fresh.items() if old.get(plant) != given}
        row.pins.filter(stand=ids[number], plant__in=[*(old.keys() - fresh.keys()), *put]).delete()
        _insert(row, ids[number], put)
        if was.uprooted != now.uprooted:
            row.uprooted.filter(stand=ids[number]).delete()
            _insert_places(row, ids[number], now.uprooted)


def insert_pins(row: Level, stand: int, pins: Pins) -> None:
    """Write all pins and uprooted places of a new stand, by primary key."""
    _insert(row, stand, rows_of(pins))
    _insert_places(row, stand, pins.uprooted)


def _insert(row: Level, stand: int, put: Mapping[int, Row]) -> None:
    lines = [(row.pk, stand, plant, *_values(given)) for plant, given in put.items()]
    with connection.cursor() as cursor:
        cursor.executemany(_INSERT, lines)


def _insert_places(row: Level, stand: int, places: Iterable[Uprooted]) -> None:
    for place in places:
        path = [list(point) for point in place.path]
        UprootedPlace.objects.create(level=row, stand_id=stand, path=path, radius=place.radius)
