"""Where a stand may plant: its places thrown freely, laid out, or on another stand's plants, sheet by
sheet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from thicket.cache import Cache
from thicket.document.level import Item
from thicket.hashing import digest
from thicket.planted.facts import Facts
from thicket.planted.parts import Standing
from thicket.planted.sheets import Sheet, Sheets, widened
from thicket.planting.companions import NO_ANCHORS, Anchors, seats_on
from thicket.planting.layouts import FOLLOWS, LAID, expected, none_laid
from thicket.planting.points import PointSet, Seats, chosen, concat_points
from thicket.planting.stands import join
from thicket.refused import Refused

BLOCK = 4
"""Free places are made for so many sheets by so many at once."""
PLANT_CEILING = 2_000_000


@dataclass(frozen=True, eq=False)
class SheetPoints:
    """Places sorted by sheet, and where each sheet begins."""

    points: PointSet | Seats
    first: np.ndarray

    def of(self, index: int) -> PointSet | Seats:
        """The places of one of its sheets."""
        return chosen(self.points, slice(self.first[index], self.first[index + 1]))

    @property
    def nbytes(self) -> int:
        return sum(column.nbytes for column in self.points)


def sorted_by_sheet(
    points: PointSet | Seats, size: float, columns: int, count: int, x0: float = 0.0, z0: float = 0.0
) -> SheetPoints:
    """Places by the square sheet they lie in, counted row by row from (x0, z0)."""
    index = ((points.z - z0) // size).astype(int) * columns + ((points.x - x0) // size).astype(int)
    order = np.argsort(index, kind="stable")
    return SheetPoints(chosen(points, order), np.searchsorted(index[order], np.arange(count + 1)))


class Places:
    """The places of one stand. `host` is the planting that a companion stands on, None for other stands, and
    where it is gone."""

    def __init__(self, facts: Facts, sheets: Sheets, host: Standing | None, cache: Cache) -> None:
        self.facts, self.sheets, self.host, self.cache = facts, sheets, host, cache

    def of(self, sheet: Sheet) -> PointSet | Seats:
        """The places of one sheet."""
        facts, sheets = self.facts, self.sheets
        kind = facts.settings.layout.kind
        if kind == "anchors":
            layout = facts.settings.layout
            seats = facts.stand.seed, layout.around, layout.group, layout.inside, self.host_key(sheet)
            return self.cache.get(("seats", *seats), lambda: self._on_hosts(sheet))
        if kind != "free":
            shapes = [(n, facts.level.shapes[n].points, facts.level.shapes[n].width) for n in facts.followed]
            key = digest(
                facts.stand.seed,
                facts.settings.layout.model_dump(),
                shapes,
                sheets.sheets,
                sheets.width,
                sheets.length,
            )
            whole = self.cache.get(("laid out", key), self._laid_out)
            return whole.of(sheet[1] * sheets.sheets[0] + sheet[0])
        shape = (facts.stand.seed, facts.core.spacing)
        if facts.stand.sward:
            window = sheets.window(sheet)
            tufts = "tufts", *shape, sheet, window
            return self.cache.get(tufts, lambda: facts.core.points(window), spare=True)
        block = sheet[0] // BLOCK, sheet[1] // BLOCK
        side = sheets.sheet_size * BLOCK
        x0, z0 = block[0] * side, block[1] * side
        window = (x0, z0, min(x0 + side, sheets.width), min(z0 + side, sheets.length))
        made = self.cache.get(
            ("points", *shape, window),
            lambda: sorted_by_sheet(
                facts.core.points(window), sheets.sheet_size, BLOCK, BLOCK * BLOCK, x0, z0
            ),
        )
        return made.of((sheet[1] % BLOCK) * BLOCK + sheet[0] % BLOCK)

    def blocks(self) -> list[Sheet]:
        """A sheet of each block whose places are made together."""
        all_sheets = list(self.sheets.sheets_in(self.sheets.everywhere))
        return list(
            {(column // BLOCK, row // BLOCK): (column, row) for column, row in reversed(all_sheets)}.values()
        )

    def lacking(self) -> str:
        """What the layout asks for that the level does not have, as a sentence without its stop; empty when
        there is nothing."""
        facts, layout = self.facts, self.facts.settings.layout
        kind = FOLLOWS.get(layout.kind)
        if kind and any(n not in facts.level.shapes for n in layout.shapes):
            return f"One of the {kind}s that it follows is no longer there"
        if kind and not facts.followed:
            return f"The level has no {kind} that it could follow"
        if layout.kind != "anchors":
            return ""
        if self.host is None:
            return "The stand that it stands on is no longer there"
        return (
            ""
            if self._anchors(self.host)
            else f"Nothing that {self.host.stand.name} plants has {anchors_named(layout.group)}"
        )

    def check(self) -> None:
        """Refuse a layout that would give too many plants.

        Raises: Refused with the count and the ceiling.
        """
        facts = self.facts
        layout = facts.settings.layout.core()
        total = sum(expected(facts.level.shapes[n], layout) for n in facts.followed)
        if total > PLANT_CEILING:
            raise Refused(
                f"layout: this means up to {total:,.0f} plants of {facts.stand.name}; the ceiling "
                f"is {PLANT_CEILING:,}"
            )

    @property
    def surfaces(self) -> dict[int, int]:
        """The numbers of the placed meshes that its plants stand on, by their ids: none."""
        return {}

    def host_reach(self) -> float:
        """How far, in m, a companion can stand from its host's foot."""
        if self.host is None:
            return 0.0
        return (
            max((found.reach for found in self._anchors(self.host).values()), default=0.0) * self.host.tallest
        )

    def host_key(self, sheet: Sheet) -> str:
        """Equal as long as the hosts around a sheet, and their anchors, are."""
        if self.host is None:
            return ""
        anchors = [found.plain() for found in self._anchors(self.host).values()]
        return digest(
            sheet, [self.host.key(s) for s in self._host_sheets(self.host, sheet)], self.host.items, anchors
        )

    def _anchors(self, host: Standing) -> dict[str, Anchors]:
        """The anchors that a companion may stand on, by the slug of its host's items that have some."""
        return anchors_among(host.items, self.facts.level.stock, self.facts.settings.layout.group)

    def _laid_out(self) -> SheetPoints:
        facts, sheets, layout = self.facts, self.sheets, self.facts.settings.layout
        lay_out: Any = LAID[layout.kind]
        parts = [lay_out(n, facts.level.shapes[n], layout.core(), facts.stand.seed) for n in facts.followed]
        seats = concat_points([part for part in parts if len(part.x)] or [none_laid()])
        within = (seats.x >= 0) & (seats.z >= 0) & (seats.x < sheets.width) & (seats.z < sheets.length)
        columns, many = sheets.sheets
        return sorted_by_sheet(chosen(seats, within), sheets.sheet_size, columns, columns * many)

    def _host_sheets(self, host: Standing, sheet: Sheet) -> list[Sheet]:
        """The sheets of the host whose plants can carry companions in a sheet."""
        return list(host.sheets_in(widened(self.sheets.window(sheet), self.host_reach())))

    def _on_hosts(self, sheet: Sheet) -> Seats:
        if self.host is None:
            return none_laid()
        plants = join([self.host.plants(s) for s in self._host_sheets(self.host, sheet)])
        mine, layout = self._anchors(self.host), self.facts.settings.layout
        anchors = [mine.get(slug, NO_ANCHORS) for slug in self.host.items]
        seats = seats_on(plants, anchors, layout.around, self.facts.stand.seed, layout.inside)
        x0, z0, x1, z1 = self.sheets.window(sheet)
        return chosen(seats, (seats.x >= x0) & (seats.x < x1) & (seats.z >= z0) & (seats.z < z1))


def anchors_among(items: list[str], stock: Mapping[str, Item], group: str) -> dict[str, Anchors]:
    """The anchors of a group, all for the empty name, by the slug of those items that have some."""
    known = {slug: stock[slug].anchors for slug in items if slug in stock}
    found = {slug: anchors.of(group) for slug, anchors in known.items() if anchors is not None}
    return {slug: anchors for slug, anchors in found.items() if len(anchors.at)}


def anchors_named(group: str) -> str:
    """What a companion stands on, in words."""
    return f"anchor points called {group!r}" if group else "anchor points"
