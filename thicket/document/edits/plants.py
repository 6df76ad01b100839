"""Changes of single plants by hand: pins, and places that were uprooted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Literal, cast

from pydantic import Field

from thicket.document.edits.base import Edit, check_as_before, unlocked
from thicket.document.level import Level, Stand
from thicket.document.pin_rows import OnMesh, PinRow, Plant, Row, pins_from, rows_of
from thicket.document.settings import Number
from thicket.limits import PINS, UPROOTED
from thicket.planting.pins import Pins, Uprooted
from thicket.refused import Refused

Path = Annotated[tuple[tuple[Number, Number], ...], Field(min_length=1, max_length=4000)]
MeshPath = Annotated[tuple[OnMesh, ...], Field(min_length=1, max_length=4000)]
Place = tuple[
    Path | MeshPath,
    Annotated[float, Field(allow_inf_nan=False, gt=0, le=500)],
]
Places = tuple[Place, ...]
"""Where a stand was uprooted: paths as `thicket.planting.pins.Uprooted` has them, and radii in m."""


def with_pins(level: Level, number: int, pins: Pins) -> Level:
    """The level with other pins of a stand; none are left out."""
    kept = {n: p for n, p in level.pins.items() if n != number}
    if len(pins.id) or len(pins.replaced) or pins.uprooted:
        kept[number] = pins
    after = replace(level, pins=dict(sorted(kept.items())))
    total = sum(len({*p.id.tolist(), *p.replaced.tolist()}) for p in after.pins.values())
    if total > PINS:
        raise Refused(f"pins: a level holds at most {PINS:,} pins; there would be {total:,}")
    return after


class ChangePins(Edit):
    """Single plants of stands, by number and id, set as they are to be, and released where None is given.
    `expected`, where it is given, is what must be there until then."""

    kind: Literal["pins"] = "pins"
    put: dict[int, dict[Plant, Row | None]]
    expected: dict[int, dict[Plant, Row | None]] | None = None

    @property
    def stands(self) -> set[int]:
        return set(self.put)

    def apply(self, level: Level) -> Level:
        for number, put in self.put.items():
            stand, have = unlocked(level, number), rows_of(level.pins_of(number))
            if stand.sward:
                raise Refused(f"stand: {stand.name} is a sward; it has no single plants to set or remove")
            for plant, row in put.items():
                if self.expected is not None:
                    check_as_before(f"A plant of {stand.name}", have.get(plant), self.expected[number][plant])
                if isinstance(row, PinRow) and row.item not in level.stock:
                    raise Refused(f"item: {level.name} has no stock item {row.item!r}")
            rows = {plant: row for plant, row in {**have, **put}.items() if row is not None}
            level = with_pins(level, number, pins_from(rows, tuple(level.pins_of(number).uprooted)))
        return level

    def inverse(self, level: Level) -> ChangePins:
        have = {number: rows_of(level.pins_of(number)) for number in self.put}
        return ChangePins(
            put={n: {plant: have[n].get(plant) for plant in put} for n, put in self.put.items()},
            expected={n: _as_stored(put) for n, put in self.put.items()},
        )


def _as_stored(rows: Mapping[int, Row | None]) -> dict[int, Row | None]:
    """Rows with their numbers as pins hold them: some in single precision."""
    known = {plant: row for plant, row in rows.items() if row is not None}
    return {**dict.fromkeys(rows), **rows_of(pins_from(known))}


class ChangeUprooted(Edit):
    """Places where a stand, by number, was uprooted: `put`, each before the place of an index among those
    there are; and `removed`, by about their indexes, which others' may have shifted."""

    kind: Literal["uprooted"] = "uprooted"
    number: int
    put: dict[int, Place] = {}
    removed: dict[int, Place] = {}

    @property
    def stands(self) -> set[int]:
        return {self.number}

    def apply(self, level: Level) -> Level:
        stand, pins = unlocked(level, self.number), level.pins_of(self.number)
        places = list(pins.uprooted)
        for index in sorted(self._removed(stand, places), reverse=True):
            del places[index]
        for index, place in sorted(self.put.items()):
            places.insert(index, uprooted_from(place))
        total = sum(len(p.uprooted) for n, p in level.pins.items() if n != self.number) + len(places)
        if total > UPROOTED:
            raise Refused(f"uprooted: a level holds at most {UPROOTED:,} places that were uprooted")
        return with_pins(level, self.number, pins._replace(uprooted=tuple(places)))

    def _removed(self, stand: Stand, places: list[Uprooted]) -> dict[int, Place]:
        """Which of some places it removes, by the indexes that they have.

        Raises: Conflict when one is not there.
        """
        found: dict[int, Place] = {}
        for index, place in self.removed.items():
            wanted = uprooted_from(place)
            have = [k for k, there in enumerate(places) if there == wanted and k not in found]
            check_as_before(f"Where {stand.name} was uprooted", bool(have), True)
            found[index if index in have else have[0]] = place
        return found

    def inverse(self, level: Level) -> ChangeUprooted:
        stand, places = unlocked(level, self.number), list(level.pins_of(self.number).uprooted)
        return ChangeUprooted(number=self.number, put=self._removed(stand, places), removed=self.put)


def uprooted_places(pins: Pins) -> Places:
    """Where a stand was uprooted, as edits have it."""
    return cast(Places, tuple(pins.uprooted))


def uprooted_from(place: Place) -> Uprooted:
    """An uprooted place from its path (m) and radius (m)."""
    path, radius = place
    return Uprooted(path, radius)
