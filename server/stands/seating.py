"""Where a stand may plant: its places thrown freely, laid out, or on another stand's plants, sheet by sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from thicket.cache import ContentCache
from thicket.hashing import digest
from thicket.planting.companions import NO_ANCHORS, Anchors, seats_on
from thicket.planting.layouts import along, expected, none_laid, rows
from thicket.planting.points import PointSet, Seats, chosen, gathered
from thicket.planting.stands import join
from thicket.refused import Refused

if TYPE_CHECKING:
    from server.stands.engine import Planting, Sheet

BLOCK = 4
"""Free places are made for so many sheets by so many at once."""
PLANT_CEILING = 2_000_000

_points = ContentCache(200)
_sward_points = ContentCache(600)
_seats = ContentCache(600)


@dataclass(frozen=True, eq=False)
class SheetPoints:
    """Places sorted by sheet, and where each sheet begins."""

    points: PointSet | Seats
    first: np.ndarray

    def of(self, index: int) -> PointSet | Seats:
        return chosen(self.points, slice(self.first[index], self.first[index + 1]))

    @property
    def nbytes(self) -> int:
        return sum(column.nbytes for column in self.points)


def sorted_by_sheet(points, size: float, columns: int, count: int, x0: float = 0.0, z0: float = 0.0) -> SheetPoints:
    """Places by the square sheet they lie in, counted row by row from (x0, z0)."""
    index = ((points.z - z0) // size).astype(int) * columns + ((points.x - x0) // size).astype(int)
    order = np.argsort(index, kind="stable")
    return SheetPoints(chosen(points, order), np.searchsorted(index[order], np.arange(count + 1)))


def places(planting: Planting, sheet: Sheet) -> PointSet | Seats:
    """The places of one sheet."""
    kind = planting.settings.layout.kind
    if kind == "anchors":
        layout = planting.settings.layout
        key = planting.stand.seed, layout.around, layout.group, layout.inside, host_key(planting, sheet)
        return _seats.get(key, lambda: _on_hosts(planting, sheet))
    if kind != "free":
        said = planting.settings.layout.model_dump()
        shapes = [(n, planting.scene.shapes[n].points, planting.scene.shapes[n].width) for n in followed(planting)]
        key = digest(planting.stand.seed, said, shapes, planting.sheets, planting.scene.width, planting.scene.length)
        whole = _points.get(key, lambda: _laid_out(planting))
        return whole.of(sheet[1] * planting.sheets[0] + sheet[0])
    shape = (planting.stand.seed, planting.core.spacing)
    if planting.stand.sward:
        window = planting.window(sheet)
        return _sward_points.get((*shape, sheet, window), lambda: planting.core.points(window))
    block = sheet[0] // BLOCK, sheet[1] // BLOCK
    side = planting.sheet_size * BLOCK
    x0, z0 = block[0] * side, block[1] * side
    window = (x0, z0, min(x0 + side, planting.scene.width), min(z0 + side, planting.scene.length))
    made = _points.get((*shape, window), lambda: sorted_by_sheet(
        planting.core.points(window), planting.sheet_size, BLOCK, BLOCK * BLOCK, x0, z0))
    return made.of((sheet[1] % BLOCK) * BLOCK + sheet[0] % BLOCK)


def followed(planting: Planting) -> list[int]:
    """The shapes that the stand's layout follows."""
    layout = planting.settings.layout
    kind = {"path": "path", "rows": "area"}.get(layout.kind)
    return [n for n, s in planting.scene.shapes.items() if s.kind == kind and (not layout.shapes or n in layout.shapes)]


def lacking_layout(planting: Planting) -> str:
    """What a stand's layout asks for that the level does not have, as a sentence without its stop; empty when there is nothing."""
    layout, scene = planting.settings.layout, planting.scene
    kind = {"path": "path", "rows": "area"}.get(layout.kind)
    if kind and any(n not in scene.shapes for n in layout.shapes):
        return f"One of the {kind}s that it follows is no longer there"
    if kind and not followed(planting):
        return f"The level has no {kind} that it could follow"
    if layout.kind != "anchors":
        return ""
    if planting.host not in scene.stands:
        return "The stand that it stands on is no longer there"
    host = scene.planting(scene.stands[planting.host])
    return "" if _anchors_of_host(planting, host) else f"Nothing that {host.stand.name} plants has {anchors_named(layout.group)}"


def anchors_named(group: str) -> str:
    """What a companion stands on, in words."""
    return f"anchor points called {group!r}" if group else "anchor points"


def _anchors_of_host(planting: Planting, host: Planting) -> dict[str, Anchors]:
    """The anchors that a companion may stand on, by the slug of its host's items that have some."""
    found = {slug: planting.scene.anchors[slug].of(planting.settings.layout.group) for slug in host.items
             if slug in planting.scene.anchors}
    return {slug: said for slug, said in found.items() if len(said.at)}


def check_layout(planting: Planting) -> None:
    """Refuse a layout that would give too many plants.

    Raises: Refused with the count and the ceiling.
    """
    layout = planting.settings.layout.core()
    total = sum(expected(planting.scene.shapes[n], layout) for n in followed(planting))
    if total > PLANT_CEILING:
        raise Refused(f"layout: this means up to {total:,.0f} plants of {planting.stand.name}; the ceiling is {PLANT_CEILING:,}")


def _laid_out(planting: Planting) -> SheetPoints:
    layout = planting.settings.layout
    lay: Callable = rows if layout.kind == "rows" else along
    parts = [lay(n, planting.scene.shapes[n], layout.core(), planting.stand.seed) for n in followed(planting)]
    seats = gathered([part for part in parts if len(part.x)] or [none_laid()])
    inside = (seats.x >= 0) & (seats.z >= 0) & (seats.x < planting.scene.width) & (seats.z < planting.scene.length)
    columns, many = planting.sheets
    return sorted_by_sheet(chosen(seats, inside), planting.sheet_size, columns, columns * many)


def host_reach(planting: Planting) -> float:
    """How far, in m, a companion can stand from its host's foot."""
    hosts = planting.scene.planting(planting.scene.stands[planting.host])
    return max((said.reach for said in _anchors_of_host(planting, hosts).values()), default=0.0) * hosts.tallest


def _host_sheets(planting: Planting, sheet: Sheet) -> list[Sheet]:
    """The sheets of the host whose plants can carry companions in a sheet."""
    host, box = planting.scene.stands[planting.host], planting.window(sheet)
    hosts = planting.scene.planting(host)
    far = host_reach(planting)
    return list(hosts.sheets_in((box[0] - far, box[1] - far, box[2] + far, box[3] + far)))


def host_key(planting: Planting, sheet: Sheet) -> str:
    """Equal as long as the hosts around a sheet, and their anchors, are."""
    if planting.host not in planting.scene.stands:
        return ""
    hosts = planting.scene.planting(planting.scene.stands[planting.host])
    anchors = [said.plain() for said in _anchors_of_host(planting, hosts).values()]
    return digest(sheet, [hosts.key(s) for s in _host_sheets(planting, sheet)], hosts.items, anchors)


def _on_hosts(planting: Planting, sheet: Sheet) -> Seats:
    if planting.host not in planting.scene.stands:
        return none_laid()
    hosts = planting.scene.planting(planting.scene.stands[planting.host])
    plants = join([hosts.plants(s) for s in _host_sheets(planting, sheet)])
    mine, layout = _anchors_of_host(planting, hosts), planting.settings.layout
    anchors = [mine.get(slug, NO_ANCHORS) for slug in hosts.items]
    seats = seats_on(plants, anchors, layout.around, planting.stand.seed, layout.inside)
    x0, z0, x1, z1 = planting.window(sheet)
    return chosen(seats, (seats.x >= x0) & (seats.x < x1) & (seats.z >= z0) & (seats.z < z1))
