"""The planting of a level: the core's results for the database's state, kept by content key."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from server.cache import ContentCache
from server.levels.ground import ground_key, ground_of
from server.levels.models import Level
from server.stands.models import Stand
from server.stands.schemas import StandSettings
from server.stands.touch import touch_of
from thicket.ground.heights import Ground
from thicket.planting.density import density, expected_count
from thicket.planting.points import PointSet
from thicket.planting.stands import Plants, grow, join, planted
from thicket.site.conditions import suitability

ENGINE = 1
"""Raise it when the same input plants otherwise than before, so that no kept tile is mistaken for a new one."""
STAND_SHEET, SWARD_SHEET = 256.0, 64.0
PLANT_CEILING, SWARD_PER_M2_CEILING = 2_000_000, 16.0

_points = ContentCache(48)
_sward_points = ContentCache(600)
_suitability = ContentCache(24)
_density = ContentCache(48)
_plants = ContentCache(1200)

Sheet = tuple[int, int]
Box = tuple[float, float, float, float]


def _digest(*parts: object) -> str:
    return hashlib.blake2b(json.dumps(parts, sort_keys=True, default=str).encode(), digest_size=8).hexdigest()


@dataclass(frozen=True, eq=False)
class SheetPoints:
    """All places of a stand, sorted by sheet, and where each sheet begins."""

    points: PointSet
    first: np.ndarray

    def of(self, index: int) -> PointSet:
        run = slice(self.first[index], self.first[index + 1])
        return PointSet(*(column[run] for column in self.points))


class Planting:
    """A stand with given settings and touch, ready to be counted and planted.

    `settings` may be a draft that is only tried; `touch` a map with a stroke that is only tried.
    """

    def __init__(self, stand: Stand, settings: StandSettings | None = None, touch: np.ndarray | None = None) -> None:
        self.stand, self.level = stand, stand.level
        self.settings = settings or StandSettings.model_validate(stand.settings)
        self.core = self.settings.core(stand.number, stand.seed)
        self._given_touch = touch
        check_ceiling(self.level, stand, self.settings)

    @property
    def sheet_size(self) -> float:
        """Plants are handed out in square sheets of this many m."""
        return SWARD_SHEET if self.stand.sward else STAND_SHEET

    @property
    def sheets(self) -> tuple[int, int]:
        """Columns and rows of sheets."""
        return int(-(-self.level.width // self.sheet_size)), int(-(-self.level.length // self.sheet_size))

    @property
    def ground(self) -> Ground:
        return ground_of(self.level)

    @cached_property
    def _touch(self):
        return touch_of(self.stand)

    @property
    def touch(self) -> np.ndarray:
        return self._touch.array if self._given_touch is None else self._given_touch

    @cached_property
    def suitability(self) -> np.ndarray:
        rules = self.settings.rules()
        key = (ground_key(self.level), tuple(rules))
        return _suitability.get(key, lambda: suitability(self.ground.fields, rules))

    @cached_property
    def density(self) -> np.ndarray:
        """Density float32 at cell centres."""
        if self._given_touch is not None:
            return density(self.suitability, self.touch)
        key = (ground_key(self.level), tuple(self.settings.rules()), self.stand.pk, tuple(sorted(self._touch.revisions.items())))
        return _density.get(key, lambda: density(self.suitability, self.touch))

    def window(self, sheet: Sheet) -> Box:
        """The ground of a sheet (column, row), cut at the level's edge."""
        x0, z0 = sheet[0] * self.sheet_size, sheet[1] * self.sheet_size
        return x0, z0, min(x0 + self.sheet_size, self.level.width), min(z0 + self.sheet_size, self.level.length)

    def sheets_in(self, box: Box) -> Iterator[Sheet]:
        """The sheets that a box in level metres touches."""
        columns, rows = self.sheets
        size = self.sheet_size
        for row in range(max(int(box[1] // size), 0), min(int(box[3] // size) + 1, rows)):
            for column in range(max(int(box[0] // size), 0), min(int(box[2] // size) + 1, columns)):
                yield column, row

    @property
    def everywhere(self) -> Box:
        return 0.0, 0.0, self.level.width - 1e-6, self.level.length - 1e-6

    def points(self, sheet: Sheet) -> PointSet:
        """The places of a sheet."""
        shape = (self.stand.seed, self.core.spacing)
        if self.stand.sward:
            return _sward_points.get((*shape, sheet, self.window(sheet)), lambda: self.core.points(self.window(sheet)))
        whole = _points.get((*shape, self.level.width, self.level.length), self._sort_points)
        return whole.of(sheet[1] * self.sheets[0] + sheet[0])

    def _sort_points(self) -> SheetPoints:
        points = self.core.points((0.0, 0.0, self.level.width, self.level.length))
        columns, rows = self.sheets
        index = (points.z // self.sheet_size).astype(int) * columns + (points.x // self.sheet_size).astype(int)
        order = np.argsort(index, kind="stable")
        first = np.searchsorted(index[order], np.arange(columns * rows + 1))
        return SheetPoints(PointSet(*(column[order] for column in points)), first)

    @cached_property
    def _settings_key(self) -> str:
        kept = self.settings.dict(exclude={"distances", "tints"})
        return _digest(ENGINE, self.stand.number, self.stand.seed, self.sheet_size, ground_key(self.level), kept)

    def key(self, sheet: Sheet) -> str:
        """The content key of a sheet: equal inputs give equal keys, so an undone stroke brings the old one back."""
        x0, z0, x1, z1 = (v / self.level.cell for v in self.window(sheet))
        box = int(x0) - 1, int(z0) - 1, int(np.ceil(x1)) + 1, int(np.ceil(z1)) + 1
        return _digest(self._settings_key, sheet, self._touch.digest(box))

    def plants(self, sheet: Sheet) -> Plants:
        """The plants of a sheet."""

        def make() -> Plants:
            points = self.points(sheet)
            return grow(self.core, points, planted(self.core, points, self.density, self.level.cell), self.ground)

        return make() if self._given_touch is not None else _plants.get(self.key(sheet), make)

    def metres(self, cells: tuple[int, int, int, int]) -> Box:
        """A box of cells (col0, row0, col1, row1) in level metres."""
        return tuple(v * self.level.cell for v in cells)  # type: ignore[return-value]

    def plants_in(self, box: Box, density_map: np.ndarray) -> Plants:
        """The plants that a density map gives inside a box of level metres, half open."""
        parts = []
        for sheet in self.sheets_in(box):
            points = self.points(sheet)
            inside = (points.x >= box[0]) & (points.x < box[2]) & (points.z >= box[1]) & (points.z < box[3])
            points = PointSet(*(column[inside] for column in points))
            parts.append(grow(self.core, points, planted(self.core, points, density_map, self.level.cell), self.ground))
        return join(parts)

    def count(self) -> int:
        """Plants in the level: counted, or for a sward reckoned from its density field."""
        if self.stand.sward:
            full = self.core.per_m2
            return round(expected_count(self.density, self.core.fullness, self.level.cell, full))
        return sum(int(planted(self.core, points, self.density, self.level.cell).sum())
                   for points in map(self.points, self.sheets_in(self.everywhere)))


def check_ceiling(level: Level, stand: Stand, settings: StandSettings) -> None:
    """Refuse a spacing so small that the level would hold too many plants."""
    per_m2 = settings.core(stand.number, stand.seed).per_m2
    if stand.sward and per_m2 > SWARD_PER_M2_CEILING + 0.5:
        raise ValueError(f"spacing: {settings.spacing:g} m means {per_m2:.1f} tufts per m²; "
                         f"the ceiling is {SWARD_PER_M2_CEILING:g}")
    total = per_m2 * level.width * level.length
    if not stand.sward and total > PLANT_CEILING:
        raise ValueError(f"spacing: {settings.spacing:g} m means up to {total:,.0f} plants in this level; "
                         f"the ceiling is {PLANT_CEILING:,}")


def compare(before: Planting, after: Planting) -> tuple[int, int]:
    """Plants gained and lost between two plantings of a stand, without growing any.

    With the same places, every place is looked at; with other places (a new spacing or seed) all plants
    are lost and all are new. A sward's are reckoned from its density fields.
    """
    old, new = before.count(), after.count()
    same = (before.core.spacing, before.core.seed) == (after.core.spacing, after.core.seed)
    if not same:
        return new, old
    if before.stand.sward:
        cell, full = before.level.cell, before.core.per_m2
        change = (np.minimum(after.density * after.core.fullness, 1.0)
                  - np.minimum(before.density * before.core.fullness, 1.0)) * (cell * cell * full)
        return round(float(change[change > 0].sum())), round(float(-change[change < 0].sum()))
    gained = lost = 0
    for sheet in before.sheets_in(before.everywhere):
        points = before.points(sheet)
        was = planted(before.core, points, before.density, before.level.cell)
        now = planted(after.core, points, after.density, after.level.cell)
        gained += int((now & ~was).sum())
        lost += int((was & ~now).sum())
    return gained, lost
