"""What an edit does to a planted level."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Generic, Protocol, TypeVar

from thicket.document.edits import Edit
from thicket.document.level import Level, Stand
from thicket.lazy import lazy
from thicket.planted.comparing import Difference, difference
from thicket.planted.planting import Planting
from thicket.planted.reach import unreached
from thicket.planted.sheets import Box, Sheet, around_any
from thicket.refused import Refused


class Planted(Protocol):
    """What a step needs of a planted level."""

    level: Level

    @property
    def regions(self) -> Mapping[int, Box | None]: ...

    @property
    def stands(self) -> Mapping[int, Stand]: ...

    def planting(self, number: int) -> Planting: ...


L = TypeVar("L", bound=Planted)


class Step(Generic[L]):
    """An edit done: `before` and `after` it, both with their plants. What it says of plants is worked out
    when it is asked for; stands go by their numbers."""

    def __init__(self, before: L, after: L, edit: Edit) -> None:
        self.before, self.after, self.edit = before, after, edit
        self._sheets: dict[int, list[Sheet]] = {}
        self._differences: dict[int, Difference] = {}

    @lazy
    def inverse(self) -> Edit:
        """The edit that takes this one back."""
        return self.edit.inverse(self.before.level)

    @lazy
    def sheets(self) -> dict[int, list[Sheet]]:
        """The sheets of every stand that may hold other plants than before: those whose keys differ, all of
        one that came or went. Stands of which there are none are left out."""
        found = {number: self.sheets_of(number) for number in self.reached}
        return {number: sheets for number, sheets in found.items() if sheets}

    @lazy
    def reached(self) -> list[int]:
        """The stands that follow from what the edit changes, whether or not their plants do."""
        numbers = self.before.stands.keys() | self.after.stands.keys()
        numbers -= unreached(self.before.level, self.after.level)
        return sorted(number for number in numbers if not self._untouched(number))

    def _plantings(self, number: int) -> tuple[Planting | None, Planting | None]:
        was, now = (
            level.planting(number) if number in level.stands else None for level in (self.before, self.after)
        )
        return was, now

    def sheets_of(self, number: int) -> list[Sheet]:
        """The sheets of one stand whose keys differ."""
        if number not in self._sheets:
            self._sheets[number] = self._changed_sheets(number)
        return self._sheets[number]

    def sheets_near(self, number: int) -> list[Sheet]:
        """The sheets of one stand that may differ, for all that is known without planting it."""
        was, now = self._plantings(number)
        if was is now or now is None:
            return []
        box = self.after.regions.get(number, now.everywhere)
        return sorted(now.sheets_in(box)) if box else []

    def _changed_sheets(self, number: int) -> list[Sheet]:
        was, now = self._plantings(number)
        if was is now:
            return []
        if self._untouched(number):
            return []
        box = self.after.regions.get(number)
        keys = [{s: p.key(s) for s in p.sheets_in(box or p.everywhere)} if p else {} for p in (was, now)]
        return sorted(s for s in keys[0].keys() | keys[1].keys() if keys[0].get(s) != keys[1].get(s))

    def _untouched(self, number: int) -> bool:
        """Whether it is known without planting it that a stand has not changed."""
        return number in self.after.regions and self.after.regions[number] is None

    @lazy
    def counts(self) -> dict[int, tuple[int, int]]:
        """Plants, or tufts of a sward, gained and lost, of every stand with changed sheets."""
        return {number: self.counted(number) for number in self.sheets}

    def counted(self, number: int) -> tuple[int, int]:
        """Plants, or tufts of a sward, that one stand gained and lost."""
        was, now = self._plantings(number)
        if was and now:
            change = self.difference(number)
            return change.gained, change.lost
        return (now.count(), 0) if now else (0, was.count() if was else 0)

    def difference(self, number: int) -> Difference:
        """What changes of one stand, and where."""
        if number not in self._differences:
            box = self.after.regions.get(number)
            self._differences[number] = difference(*self._plantings(number), box)
        return self._differences[number]

    @property
    def gained(self) -> int:
        """Plants and tufts gained in all."""
        return sum(gained for gained, _ in self.counts.values())

    @property
    def lost(self) -> int:
        """Plants and tufts lost in all."""
        return sum(lost for _, lost in self.counts.values())

    @lazy
    def box(self) -> Box | None:
        """The ground on which plants may change, in m; None where none do."""
        if self.reached and self.after.regions.keys() >= set(self.reached):
            return around_any(*(self.after.regions[number] for number in self.reached))
        windows: list[Box | None] = []
        for number, sheets in self.sheets.items():
            planting = next(p for p in reversed(self._plantings(number)) if p)
            windows += map(planting.window, sheets)
        return around_any(*windows)

    def blocked(self, inverses: Sequence[Edit]) -> list[int]:
        """Which of the edits that would take earlier ones back can no longer be done, by their indexes."""
        return [k for k, edit in enumerate(inverses) if not _can_be_done(edit, self.after.level)]


def _can_be_done(edit: Edit, level: Level) -> bool:
    try:
        edit.apply(level)
    except Refused:
        return False
    return True
