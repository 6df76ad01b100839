"""Changes of stands: added, removed, ordered, their fields and their settings."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from thicket.document.edits.base import Edit, check_as_before, stand_of, unlocked
from thicket.document.edits.level import checked
from thicket.document.edits.plants import Places, uprooted_from, uprooted_places, with_pins
from thicket.document.edits.values import Array, Blob
from thicket.document.level import Level
from thicket.document.level_file import Seed, StandFile, file_of, stand_from
from thicket.document.mesh_touch import MeshTouch
from thicket.document.pin_rows import PinRows, pins_from, rows_of
from thicket.document.settings import Colour, Name, StandSettings, Stratum
from thicket.document.touch import TouchMap, fitted
from thicket.limits import LARGEST_TOUCH_CELL, SMALLEST_TOUCH_CELL, STANDS, check_count
from thicket.refused import Refused

Number = int


def check_mix(level: Level, settings: StandSettings, name: str) -> None:
    """Raises: Refused when a mix has an item that the level does not have."""
    for entry in settings.mix:
        if entry.item not in level.stock:
            raise Refused(f"mix: {name} plants {entry.item[:60]!r}, which is not in stock")


class AddStand(Edit):
    """Put a new stand into the level, with what is painted and set by hand of it: `touch`, int16 over all of
    the level's touch cells, or over those of `touch_cell` m, where that is given, from which it is resampled;
    `mesh_touch`, on placed meshes, as a file of `MeshTouch`; `pins` and `uprooted` as
    `thicket.document.edits.plants` has them."""

    kind: Literal["add stand"] = "add stand"
    stand: StandFile
    touch: Array | None = None
    touch_cell: Annotated[float, Field(ge=SMALLEST_TOUCH_CELL, le=LARGEST_TOUCH_CELL)] | None = None
    mesh_touch: Blob | None = None
    pins: PinRows = {}
    uprooted: Places = ()

    @property
    def stands(self) -> set[int]:
        return {self.stand.number}

    def apply(self, level: Level) -> Level:
        given = self.stand
        if given.number in level.stands or any(s.slug == given.slug for s in level.stands.values()):
            raise Refused(f"stand: {level.name} has a stand {given.number} or {given.slug!r} already")
        touch = self.touch
        if touch is not None and self.touch_cell is not None:
            if touch.ndim != 2:
                raise Refused("touch: it is a table of rows and columns")
            touch = fitted(touch, self.touch_cell, level.touch_shape, level.touch_cell)
        if touch is not None and touch.shape != level.touch_shape:
            raise Refused("touch: the level's touch has other cells by now")
        check_mix(level, given.settings, given.name)
        stands = {**level.stands, given.number: stand_from(given)}
        after = replace(level, stands=dict(sorted(stands.items())))
        check_count("stands", after.stands, STANDS)
        if touch is not None:
            after = after.with_touch(given.number, TouchMap.of(np.ascontiguousarray(touch, np.int16)))
        if self.mesh_touch is not None:
            painted = MeshTouch.from_bytes(self.mesh_touch)
            after = replace(after, mesh_touch={**after.mesh_touch, given.number: painted})
        if self.pins or self.uprooted:
            after = with_pins(after, given.number, pins_from(self.pins, map(uprooted_from, self.uprooted)))
        return after

    def inverse(self, level: Level) -> RemoveStand:
        return RemoveStand(number=self.stand.number)


class RemoveStand(Edit):
    """Take a stand out of the level, by number, with all that is painted and set by hand of it."""

    kind: Literal["remove stand"] = "remove stand"
    number: Number

    @property
    def stands(self) -> set[int]:
        return {self.number}

    def apply(self, level: Level) -> Level:
        unlocked(level, self.number)

        def without(things: Any) -> dict:
            return {number: thing for number, thing in things.items() if number != self.number}

        return replace(
            level,
            stands=without(level.stands),
            touch=without(level.touch),
            pins=without(level.pins),
            mesh_touch=without(level.mesh_touch),
        )

    def inverse(self, level: Level) -> AddStand:
        stand, pins = stand_of(level, self.number), level.pins_of(self.number)
        touch, mesh_touch = level.touch.get(self.number), level.mesh_touch_of(self.number)
        return AddStand(
            stand=file_of(stand),
            touch=touch.array if touch is not None and touch.tiles else None,
            touch_cell=level.touch_cell,
            mesh_touch=mesh_touch.to_bytes() if mesh_touch.painted_anywhere else None,
            pins=rows_of(pins),
            uprooted=uprooted_places(pins),
        )


class OrderStands(Edit):
    """Put stands elsewhere in the order, by number: stratum, and place in it. `expected` as in `SetStand`."""

    kind: Literal["order stands"] = "order stands"
    put: dict[Number, tuple[Stratum, int]]
    expected: dict[Number, tuple[Stratum, int]] | None = None

    @property
    def stands(self) -> set[int]:
        return set(self.put)

    def apply(self, level: Level) -> Level:
        stands = dict(level.stands)
        for number, (stratum, place) in self.put.items():
            stand = stand_of(level, number)
            if self.expected is not None:
                check_as_before(
                    f"The order of {stand.name}", (stand.stratum, stand.place), self.expected[number]
                )
            stands[number] = replace(stand, stratum=stratum, place=place)
        return replace(level, stands=stands)

    def inverse(self, level: Level) -> OrderStands:
        was = {n: stand_of(level, n) for n in self.put}
        return OrderStands(
            put={n: (checked(Stratum, s.stratum), s.place) for n, s in was.items()}, expected=dict(self.put)
        )


class SetStand(Edit):
    """Give a stand, by number, another name, colour, group or seed, lock or unlock it, switch it off or on:
    what is not None. `expected`, where it is given, are the values that these must have until then."""

    kind: Literal["stand"] = "stand"
    number: Number
    name: Name | None = None
    colour: Colour | Literal[""] | None = None
    group: Name | Literal[""] | None = None
    seed: Seed | None = None
    locked: bool | None = None
    off: bool | None = None
    expected: dict[str, Any] | None = None

    @property
    def stands(self) -> set[int]:
        return {self.number}

    def _fields(self) -> dict[str, Any]:
        given = {name: getattr(self, name) for name in ("name", "colour", "group", "seed", "locked", "off")}
        return {name: value for name, value in given.items() if value is not None}

    def apply(self, level: Level) -> Level:
        stand, fields = stand_of(level, self.number), self._fields()
        if stand.locked and fields.keys() - {"locked", "group"} and self.locked is not False:
            unlocked(level, self.number)
        for name, value in (self.expected or {}).items():
            check_as_before(f"{stand.name}: its {name}", getattr(stand, name), value)
        return level.with_stand(replace(stand, **fields))

    def inverse(self, level: Level) -> SetStand:
        stand, fields = stand_of(level, self.number), self._fields()
        return SetStand(number=self.number, expected=fields, **{n: getattr(stand, n) for n in fields})


class ChangeSettings(Edit):
    """Change settings of stands, by number: the fields that are given. `expected` as in `SetStand`."""

    kind: Literal["settings"] = "settings"
    put: dict[Number, dict[str, Any]] = Field(description="fields of StandSettings by stand")
    expected: dict[Number, dict[str, Any]] | None = None

    @property
    def stands(self) -> set[int]:
        return set(self.put)

    def apply(self, level: Level) -> Level:
        stands = dict(level.stands)
        for number, fields in self.put.items():
            stand = unlocked(level, number)
            now = stand.settings.model_dump(mode="json")
            for name, value in (self.expected or {}).get(number, {}).items():
                check_as_before(f"{stand.name}: its {name.replace('_', ' ')}", now[name], value)
            settings = checked(StandSettings, {**now, **fields})
            check_mix(level, settings, stand.name)
            stands[number] = replace(stand, settings=settings)
        return replace(level, stands=stands)

    def inverse(self, level: Level) -> ChangeSettings:
        after = self.apply(level)
        put, expected = {}, {}
        for number, fields in self.put.items():
            was, now = (of.stands[number].settings.model_dump(mode="json") for of in (level, after))
            put[number] = {name: was[name] for name in fields}
            expected[number] = {name: now[name] for name in fields}
        return ChangeSettings(put=put, expected=expected)
