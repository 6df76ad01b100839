"""Changes by snapshots: taken, removed, and gone back to."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from thicket.document.edits.base import Edit, changed, check_as_before
from thicket.document.edits.plants import Places, uprooted_from, uprooted_places
from thicket.document.edits.stands import check_mix
from thicket.document.edits.values import Array, Blob
from thicket.document.level import Level, Snapshot, snapshot_of
from thicket.document.level_file import StandFile, file_of, stand_from
from thicket.document.mesh_touch import MeshTouch
from thicket.document.pin_rows import PinRows, pins_from, rows_of
from thicket.document.settings import Name, Strict
from thicket.document.touch import TouchMap
from thicket.hashing import digest
from thicket.limits import SNAPSHOTS
from thicket.refused import Conflict, Missing, Refused


class Saved(Strict):
    """The planting of a level, as a snapshot holds it. Touch is int16 over all touch cells of `touch_cell` m,
    on placed meshes a file of `MeshTouch`; all but the stands by their numbers."""

    touch_cell: float
    stands: tuple[StandFile, ...]
    touch: dict[int, Array] = {}
    mesh_touch: dict[int, Blob] = {}
    pins: dict[int, PinRows] = {}
    uprooted: dict[int, Places] = {}

    model_config = {"arbitrary_types_allowed": True, "frozen": True}

    @classmethod
    def of(cls, shot: Snapshot) -> Saved:
        """A snapshot as an edit holds it."""
        return cls(
            touch_cell=shot.touch_cell,
            stands=tuple(file_of(stand) for _, stand in sorted(shot.stands.items())),
            touch={n: t.array for n, t in shot.touch.items() if t.tiles},
            mesh_touch={n: t.to_bytes() for n, t in shot.mesh_touch.items() if t.painted_anywhere},
            pins={n: rows_of(pins) for n, pins in shot.pins.items()},
            uprooted={n: uprooted_places(pins) for n, pins in shot.pins.items() if pins.uprooted},
        )

    def snapshot(self) -> Snapshot:
        """The same as a value of the core."""
        return Snapshot(
            self.touch_cell,
            {given.number: stand_from(given) for given in self.stands},
            {n: TouchMap.of(np.ascontiguousarray(array, np.int16)) for n, array in self.touch.items()},
            {
                n: pins_from(self.pins.get(n, {}), map(uprooted_from, self.uprooted.get(n, ())))
                for n in sorted(self.pins.keys() | self.uprooted.keys())
            },
            {n: MeshTouch.from_bytes(data) for n, data in self.mesh_touch.items()},
        )


class TakeSnapshot(Edit):
    """Save the planting as it is now under a name. `saved` is for one that is put back after its removal."""

    kind: Literal["take snapshot"] = "take snapshot"
    name: Name
    saved: Saved | None = None
    order: tuple[str, ...] = ()

    def apply(self, level: Level) -> Level:
        if self.name in level.snapshots:
            raise Refused(f"name: {level.name} has a snapshot called {self.name!r} already")
        if len(level.snapshots) >= SNAPSHOTS:
            raise Refused(f"snapshots: a level holds at most {SNAPSHOTS}; remove one first")
        shot = self.saved.snapshot() if self.saved else snapshot_of(level)
        return replace(level, snapshots=changed(level.snapshots, {self.name: shot}, self.order))

    def inverse(self, level: Level) -> RemoveSnapshot:
        return RemoveSnapshot(name=self.name)


class RemoveSnapshot(Edit):
    """Remove a snapshot."""

    kind: Literal["remove snapshot"] = "remove snapshot"
    name: Name

    def apply(self, level: Level) -> Level:
        snapshot_called(level, self.name)
        return replace(level, snapshots=changed(level.snapshots, {self.name: None}))

    def inverse(self, level: Level) -> TakeSnapshot:
        shot = snapshot_called(level, self.name)
        return TakeSnapshot(name=self.name, saved=Saved.of(shot), order=tuple(level.snapshots))


class GoBack(Edit):
    """Make the planting of a snapshot, by name, the level's again."""

    kind: Literal["go back"] = "go back"
    name: Name

    def apply(self, level: Level) -> Level:
        return _planted_as(level, snapshot_called(level, self.name))

    def inverse(self, level: Level) -> SetPlanting:
        after = self.apply(level)
        return SetPlanting(saved=Saved.of(snapshot_of(level)), expected=planting_digest(after))


class SetPlanting(Edit):
    """Give the level another planting: all its stands, painting and single plants. `expected` is the digest
    of the planting that must be there until then."""

    kind: Literal["planting"] = "planting"
    saved: Saved
    expected: str | None = None

    def apply(self, level: Level) -> Level:
        if self.expected is not None:
            check_as_before("The planting", planting_digest(level), self.expected)
        return _planted_as(level, self.saved.snapshot())

    def inverse(self, level: Level) -> SetPlanting:
        after = self.apply(level)
        return SetPlanting(saved=Saved.of(snapshot_of(level)), expected=planting_digest(after))


def snapshot_called(level: Level, name: str) -> Snapshot:
    """A snapshot of a level. Raises: Refused when there is none of that name."""
    if name not in level.snapshots:
        raise Missing(f"name: {level.name} has no snapshot {name[:60]!r}; somebody may have removed it")
    return level.snapshots[name]


def _planted_as(level: Level, shot: Snapshot) -> Level:
    locked = [stand.name for stand in level.stands.values() if stand.locked]
    if locked:
        raise Conflict(f"{locked[0]} is locked: unlock it first")
    after = replace(
        level,
        stands=dict(shot.stands),
        touch=dict(shot.touch),
        pins=dict(shot.pins),
        mesh_touch=dict(shot.mesh_touch),
    )
    if shot.touch_cell != level.touch_cell or any(t.shape != level.touch_shape for t in shot.touch.values()):
        raise Refused(
            f"snapshot: it was painted on touch cells of {shot.touch_cell:g} m over another ground or with "
            f"other cells than the level has now, {level.touch_cell:g} m; set these back on the Ground bench "
            "first"
        )
    for stand in shot.stands.values():
        check_mix(after, stand.settings, stand.name)
    return after


def planting_digest(level: Level) -> str:
    """Equal for levels that have the same stands, painting and single plants."""
    shot = snapshot_of(level)
    return digest(
        shot.touch_cell,
        [file_of(stand).model_dump(mode="json") for _, stand in sorted(shot.stands.items())],
        sorted((n, t.whole_digest) for n, t in shot.touch.items() if t.painted_anywhere),
        sorted((n, t.digest) for n, t in shot.mesh_touch.items() if t.painted_anywhere),
        [
            (n, [(p, row.model_dump(mode="json")) for p, row in rows_of(pins).items()], pins.uprooted)
            for n, pins in sorted(shot.pins.items())
        ],
    )
