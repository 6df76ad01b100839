"""What changes between two plantings of one stand."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from thicket.ground.rasters import resample
from thicket.planted.planting import Planting
from thicket.planted.sheets import Box
from thicket.planting.stands import Plants

Places = tuple[np.ndarray, np.ndarray]
NOWHERE = np.empty((0, 2))


@dataclass(frozen=True, eq=False)
class Difference:
    """Plants gained and lost, and where they stand: float64 (n, 2) x, z in m; not of a sward of the
    terrain."""

    gained: int
    lost: int
    came: np.ndarray
    went: np.ndarray


def _standing(planting: Planting, sheets: list) -> Places:
    """Ids and places of all plants of some sheets."""
    return _places_of(map(planting.plants, sheets))


def _places_of(parts: Iterable[Plants]) -> Places:
    ids, at = [np.empty(0, np.uint64)], [NOWHERE]
    for plants in parts:
        ids.append(plants.id)
        at.append(plants.form[:, [0, 2]].astype(float))
    return np.concatenate(ids), np.concatenate(at)


def _all_of(planting: Planting | None) -> tuple[int, np.ndarray]:
    if planting is None:
        return 0, NOWHERE
    if planting.stand.mapped:
        return planting.count(), NOWHERE
    at = _standing(planting, list(planting.sheets_in(planting.everywhere)))[1]
    return len(at), at


def _sward_change(before: Planting, after: Planting) -> tuple[float, float]:
    """Tufts gained and lost, from the density fields of one extent; where only the painting differs, from
    those in its box."""
    painted = before.touch_map.differing(after.touch_map) if _painted_only(before, after) else None
    if painted:
        cell, fields = before.cell, [p.sward_density_in(painted) for p in (before, after)]
    else:
        cell = min(before.density_cell, after.density_cell)
        shape = max(before.density.shape, after.density.shape)
        fields = [resample(p.density, shape) for p in (before, after)]
    was, now = (np.minimum(f * p.core.fullness, 1.0) for f, p in zip(fields, (before, after)))
    change = (now.astype(float) - was) * (cell * cell * before.core.per_m2)
    return float(change[change > 0].sum()), float(-change[change < 0].sum())


def _painted_only(before: Planting, after: Planting) -> bool:
    """Whether two plantings of a sward differ at most in what is painted, in the cells of their ground."""
    return (
        before.stand.key == after.stand.key
        and before.cell == before.touch_cell == after.touch_cell
        and before.suitability is after.suitability
        and list(before.around.above) == list(after.around.above)
    )


def difference(before: Planting | None, after: Planting | None, box: Box | None = None) -> Difference:
    """Plants gained and lost between two plantings of a stand; None stands for one that is not there. `box`,
    in m, is ground outside of which nothing differs, where that is known.

    With the same places, every place is looked at; with others (a new spacing or seed) all plants go and all
    come. A sward's are computed from its density fields, on grounds of another size from their totals.
    """
    if before is None or after is None:
        (n, at_new), (m, at_old) = _all_of(after), _all_of(before)
        return Difference(n, m, at_new, at_old)
    same = before.core.key == after.core.key
    extent = (before.width, before.length) == (after.width, after.length)
    if before.stand.mapped or after.stand.mapped:
        both = before.stand.mapped and after.stand.mapped
        if same and extent and both:
            gained, lost = _sward_change(before, after)
        elif same and both:
            change = after.count() - before.count()
            gained, lost = max(change, 0), max(-change, 0)
        else:
            gained, lost = after.count(), before.count()
        return Difference(round(gained), round(lost), NOWHERE, NOWHERE)
    if box and same and extent:
        (old, at_old), (new, at_new) = (_places_of([p.plants_in(box)]) for p in (before, after))
    else:
        sheets = [list(p.sheets_in(p.everywhere)) for p in (before, after)]
        if same and extent:
            sheets[0] = sheets[1] = [s for s in sheets[0] if before.key(s) != after.key(s)]
        (old, at_old), (new, at_new) = _standing(before, sheets[0]), _standing(after, sheets[1])
    if not same:
        return Difference(len(new), len(old), at_new, at_old)
    came, went = at_new[~np.isin(new, old)], at_old[~np.isin(old, new)]
    return Difference(len(came), len(went), came, went)


def compare(before: Planting, after: Planting) -> tuple[int, int]:
    """Plants gained and lost; see `difference`."""
    change = difference(before, after)
    return change.gained, change.lost


def changed_places(before: Planting | None, after: Planting | None) -> np.ndarray:
    """Where a stand's plants came, went, or became others in any way: float64 (n, 2) x, z in m. None stands
    for a stand that is not there."""
    keys = [{s: p.key(s) for s in p.sheets_in(p.everywhere)} if p else {} for p in (before, after)]
    same = {sheet for sheet, key in keys[0].items() if keys[1].get(sheet) == key}
    was, now = (_by_id(p, sorted(k.keys() - same)) if p else {} for p, k in zip((before, after), keys))
    changed = [
        given for one, other in ((was, now), (now, was)) for n, given in one.items() if other.get(n) != given
    ]
    return np.array([(form[0], form[2]) for form, _ in changed], float).reshape(-1, 2)


def _by_id(planting: Planting, sheets: list) -> dict[int, tuple[tuple[float, ...], str]]:
    """Form and item of all plants of some sheets, by their ids."""
    items = [entry.item for entry in planting.settings.mix]
    found: dict[int, tuple[tuple[float, ...], str]] = {}
    for sheet in sheets:
        plants = planting.plants(sheet)
        rows = zip(plants.id.tolist(), plants.form.tolist(), plants.item.tolist())
        found.update((plant, (tuple(form), items[item])) for plant, form, item in rows)
    return found
