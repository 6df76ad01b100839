"""What a large change of a level would do, before it is kept: new ground, or another source of an item."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from thicket.document.level import Level, touch_shape
from thicket.planted.comparing import compare, difference
from thicket.planted.costs import LINES, bookmark_view, game_item, line, settled, stand_cost
from thicket.planted.level import PlantedLevel
from thicket.progress import Report
from thicket.refused import Refused
from thicket.sight.cost import Cost, Item
from thicket.sight.devices import Device
from thicket.sight.drawing import Drawing
from thicket.stock.making import Made

Change = dict[str, float]
"""The difference on each of `LINES`."""


@dataclass(frozen=True)
class StandForecast:
    """What becomes of one stand: plants before and after, those that come and go, and sentences; a stand that
    could no longer be planted is `refused`, and its note says why."""

    number: int
    name: str
    before: int
    after: int = 0
    gained: int = 0
    lost: int = 0
    notes: tuple[str, ...] = ()
    refused: bool = False


@dataclass(frozen=True)
class Forecast:
    """What new ground would change: by stand; by name of a saved view, the difference of its cost; and
    sentences."""

    stands: list[StandForecast]
    views: dict[str, Change]
    notes: list[str]


def forecast_ground(
    before: PlantedLevel, document: Level, stock: Mapping[str, Item], report: Report
) -> Forecast:
    """What a level would be on other ground.

    Parameters: before, the level as it is; document, the same with other heights or layers; stock, as the
    cost model sees it; report, called with the share that is done and what is done now.
    """
    after = before.edited(document)
    refused = {number: why for number in document.stands if (why := _refusal(after, number))}
    after = after.changed(stands={n: s for n, s in document.stands.items() if n not in refused})
    was, now = (level.details["view"]["bookmarks"] for level in (before.level, document))
    stands, totals = [], [dict.fromkeys(LINES, 0.0) for _ in was]
    for k, (number, stand) in enumerate(document.stands.items()):
        report(k / len(document.stands), f"Planting {stand.name} on the new ground")
        old = before.planting(number)
        if number in refused:
            notes = (refused[number],)
            stands.append(StandForecast(number, stand.name, old.count(), notes=notes, refused=True))
            continue
        new = after.planting(number)
        change = difference(old, new)
        lacks = tuple(f"{s}." for s in (after.rasters.lacks(c) for c in new.rules if c.on) if s)
        stands.append(
            StandForecast(number, stand.name, old.count(), new.count(), change.gained, change.lost, lacks)
        )
        for total, view_then, view_now in zip(totals, was, now):
            _add(
                total,
                stand_cost(old, stock, bookmark_view(view_then)),
                stand_cost(new, stock, bookmark_view(view_now), True),
            )
    moved = before.level.heights is not document.heights
    return Forecast(stands, _by_view(was, totals), _moved_notes(before, after, len(was)) if moved else [])


def _refusal(planted: PlantedLevel, number: int) -> str:
    """Why a stand could not be planted; empty when it could."""
    try:
        planted.planting(number)
    except Refused as error:
        return str(error)
    return ""


def _add(total: Change, before: Cost, after: Cost) -> None:
    for name in LINES:
        total[name] += line(after, name) - line(before, name)


def _by_view(bookmarks: Sequence[Mapping], totals: Sequence[Change]) -> dict[str, Change]:
    return {b["name"]: {k: round(v, 4) for k, v in t.items()} for b, t in zip(bookmarks, totals)}


def _moved_notes(before: PlantedLevel, after: PlantedLevel, views: int) -> list[str]:
    """What becomes of hand work on new heights."""
    notes = []
    if views:
        notes.append(
            f"{views} kept {'view is' if views == 1 else 'views are'} set on "
            f"the new ground, as high above it as before."
        )
    outside = [
        s.name
        for s in after.shapes.values()
        if s.box[2] > after.width + 1e-6 or s.box[3] > after.length + 1e-6
    ]
    if outside:
        reach = "1 shape reaches" if len(outside) == 1 else f"{len(outside)} shapes reach"
        kept = "is kept" if len(outside) == 1 else "are kept"
        notes.append(f"{reach} over the new edge and {kept}: {', '.join(outside[:5])}.")
    if (after.width, after.length) != (before.width, before.length):
        notes.append(
            f"The level measures {after.width:,.0f} m × {after.length:,.0f} m instead of "
            f"{before.width:,.0f} m × {before.length:,.0f} m; all keeps its place in metres from the "
            f"north-west corner."
        )
        rows, columns = touch_shape(after.length, after.width, before.level.touch_cell)
        painted = [touch.array for touch in before.level.touch.values()]
        cut = sum(1 for touch in painted if touch[rows:].any() or touch[:, columns:].any())
        if cut:
            stands = "1 stand" if cut == 1 else f"{cut} stands"
            notes.append(f"Painting of {stands} lies beyond the new edge and comes back only with undo.")
    return notes


@dataclass(frozen=True)
class ItemForecast:
    """What another source of an item would change in a level: the difference in each saved view by its name,
    and the plants that would gain and lose room."""

    views: dict[str, Change]
    gained: int
    lost: int


def forecast_item(
    now: PlantedLevel, slug: str, made: Made, stock: Mapping[str, Item], drawing: Drawing, device: Device
) -> ItemForecast:
    """What a level would be with another source of an item.

    Parameters: now, the level as it is; made, of the other source; stock, as the cost model sees it; drawing
    and device, by which the saved views are costed.
    """
    then = _with_item(now, slug, made)
    other = {**stock, slug: game_item(slug, made.glb, made.traits)}
    bookmarks = now.level.details["view"]["bookmarks"]
    totals = [dict.fromkeys(LINES, 0.0) for _ in bookmarks]
    views = [settled(bookmark_view(b, drawing, device), now.plantings(), stock) for b in bookmarks]
    gained = lost = 0
    for number in now.level.stands:
        before, after = now.planting(number), then.planting(number)
        more, fewer = compare(before, after) if then is not now else (0, 0)
        gained, lost = gained + more, lost + fewer
        if slug in before.items or more or fewer:
            for total, view in zip(totals, views):
                _add(total, stand_cost(before, stock, view), stand_cost(after, other, view, True))
    return ItemForecast(_by_view(bookmarks, totals), gained, lost)


def _with_item(planted: PlantedLevel, slug: str, made: Made) -> PlantedLevel:
    """A level with other footprints and anchors of an item; the same where they are alike."""
    item = planted.level.stock.get(slug)
    if item is None:
        return planted
    if (item.crown, item.trunk) == (made.crown, made.trunk) and not made.anchors and not item.points:
        return planted
    other = replace(item, crown=made.crown, trunk=made.trunk, points=made.anchors)
    return planted.changed(stock={**planted.level.stock, slug: other})
