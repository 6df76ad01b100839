"""The check of a walk over a planted level: what pops, what the frames cost, and which change mends it at the
least cost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from pydantic import ValidationError
from scipy.optimize import Bounds, LinearConstraint, milp

from thicket.document.settings import DistanceSettings
from thicket.planted.costs import costs_by
from thicket.planted.planting import Planting
from thicket.planted.pops import Known, Pops, Walker
from thicket.progress import Report, quietly
from thicket.sight.distances import Distances
from thicket.sight.pops import NOTICED
from thicket.sight.views import View
from thicket.sight.walks import Route

TOGETHER = (1.0, 1.0), (1.0, 2.0), (1.0, 4.0), (1.25, 1.0), (1.25, 2.0), (1.6, 1.0), (1.6, 2.0)
"""Factors on distances and fades that remedies are made of."""
SHADOWS = 1.0, 2.0, 4.0
"""Factors on shadow reaches."""
ALONE = 1.6
"""The factor by which one edge alone is moved."""
FOGS = (1.5, 2.0, 3.0)


@dataclass(frozen=True)
class Change:
    """A change of a stand's distances: factors on its edges, fades and shadow reach; of its edges only one
    when `edge` is given, counted along the LOD steps, then the billboard, then gone; or the state beyond
    that edge left out."""

    farther: float = 1.0
    fade: float = 1.0
    shadows: float = 1.0
    edge: int | None = None
    left_out: bool = False

    def of(self, own: Distances) -> Distances:
        """The distances changed; what an edge meets is pushed along."""
        edges = np.array([*own.steps, own.billboard, own.gone])
        if self.edge is None:
            edges = edges * self.farther
        elif self.left_out:
            edges[self.edge] = edges[self.edge + 1]
        else:
            edges[self.edge] *= self.farther
        *steps, billboard, gone = np.maximum.accumulate(edges).tolist()
        fade, shadow = own.fade * self.fade, own.shadow * self.shadows
        return replace(own, steps=tuple(steps), billboard=billboard, gone=gone, fade=fade, shadow=shadow)


@dataclass(frozen=True)
class Remedy:
    """A change of one stand with the distances that it comes to; when stand is 0, fog so many times as dense,
    nothing drawn that the fog `hides`, or another kind of billboard for an item. Pops above the threshold
    that are left of its own, or of all when stand is 0; ms that it adds to the worst frame of the walk."""

    stand: int
    change: Change = Change()
    distances: DistanceSettings | None = None
    fog: float = 1.0
    hides: bool = False
    item: str = ""
    billboard: str = ""
    left: int = 0
    ms: float = 0.0


@dataclass(frozen=True, eq=False)
class Check:
    """A walk checked: pops by stand number; times (frames,) in s and ms (frames,) by stand number, 0 for the
    ground; remedies; and the cheapest change of each stand that leaves the fewest noticed pops."""

    route: Route
    pops: Mapping[int, Pops]
    times: np.ndarray
    ms: Mapping[int, np.ndarray]
    remedies: Sequence[Remedy] = ()
    least: Sequence[Remedy] = ()
    threshold: float = NOTICED

    @property
    def whole(self) -> np.ndarray:
        """ms of each frame, everything together."""
        return np.sum(list(self.ms.values()), axis=0)


def check(
    walker: Walker, threshold: float = NOTICED, remedies: bool = True, report: Report = quietly
) -> Check:
    """Check a walk: pops, cost of the frames, and, if wished, what mends the noticed ones."""
    plantings = [p for p in walker.level.plantings() if walker.drawing.plants]
    pops = {}
    for k, planting in enumerate(plantings):
        report(0.4 * k / len(plantings), f"Looking for pops of {planting.stand.name}")
        pops[planting.stand.number] = walker.pops_of(planting)
        walker.level.release()
    times = walker.times()
    views = [walker.view(time) for time in times]
    ms = {0: np.array([walker.level.ground_cost(view).ms for view in views])}
    for k, planting in enumerate(plantings):
        report(0.4 + 0.3 * k / len(plantings), f"Computing the cost of {planting.stand.name}")
        ms[planting.stand.number] = _frames(walker, planting, views)
        walker.level.release()
    found = Check(walker.route, pops, times, ms, threshold=threshold)
    if not remedies:
        return found
    options: dict[int, list[tuple[Remedy, np.ndarray]]] = {}
    thick = dict.fromkeys(FOGS, 0)
    bad = [p for p in plantings if pops[p.stand.number].noticed(threshold)]
    for k, planting in enumerate(bad):
        report(0.7 + 0.3 * k / len(bad), f"Trying changes of {planting.stand.name}")
        known: Known = {}
        options[planting.stand.number] = _options(walker, planting, views, found, known)
        for fog in FOGS:
            thick[fog] += walker.pops_of(planting, fog=fog, known=known).noticed(threshold)
        walker.level.release()
    offered = [remedy for each in options.values() for remedy, _ in each[1:]]
    offered += [
        Remedy(0, fog=fog, left=count, ms=_fog_ms(walker.in_fog(fog), plantings, found))
        for fog, count in thick.items()
    ]
    air = walker.drawing.air
    if air is not None and not air.hides:
        hiding = replace(walker, drawing=replace(walker.drawing, air=replace(air, hides=True)))
        count = sum(each.noticed(threshold) for each in pops.values())
        offered.append(Remedy(0, hides=True, left=count, ms=_fog_ms(hiding, plantings, found)))
    offered += _other_billboards(walker, plantings, views, found)
    return replace(found, remedies=offered, least=least_of(found, options))


def _other_billboards(
    walker: Walker, plantings: Sequence[Planting], views: Sequence[View], found: Check
) -> Iterator[Remedy]:
    """Every other billboard of the items that are noticed to become one, or to cease to be one."""
    noticed = {number: pops.noticed(found.threshold) for number, pops in found.pops.items()}
    popping = {slug for planting in plantings for slug in _billboards_noticed(walker, planting, found)}
    for slug, kind in walker.billboards:
        if slug not in popping:
            continue
        other = walker.with_billboard(slug, kind)
        mine = [p for p in plantings if slug in p.items]
        now = {p.stand.number: other.pops_of(p).noticed(found.threshold) for p in mine}
        more = sum(_frames(other, p, views) - found.ms[p.stand.number] for p in mine)
        ms = float((found.whole + more).max() - found.whole.max())
        yield Remedy(0, item=slug, billboard=kind, left=sum((noticed | now).values()), ms=ms)


def _billboards_noticed(walker: Walker, planting: Planting, found: Check) -> set[str]:
    """The items of a planting with a noticed pop to or from their billboard."""
    pops = found.pops[planting.stand.number]
    billboard = np.array([len(walker.stock[slug].lods) for slug in planting.items])[pops.item]
    which = (pops.strength >= found.threshold) & (np.maximum(pops.before, pops.after) == billboard)
    return {planting.items[m] for m in np.unique(pops.item[which])}


def _fog_ms(walker: Walker, plantings: Sequence[Planting], found: Check) -> float:
    """What the dearest frame of a checked walk takes more in other fog, in ms."""
    views = [walker.view(time) for time in found.times]
    whole = np.array([walker.level.ground_cost(view).ms for view in views])
    if walker.drawing.air is not None and walker.drawing.air.hides:
        for planting in plantings:
            whole = whole + _frames(walker, planting, views)
    else:
        whole = whole + found.whole - found.ms[0]
    return float(whole.max() - found.whole.max())


def _frames(walker: Walker, planting: Planting, views: Sequence[View]) -> np.ndarray:
    return np.array([costs[0].ms for costs in costs_by(planting, walker.stock, views, [None])])


def _options(
    walker: Walker, planting: Planting, views: Sequence[View], found: Check, known: Known
) -> list[tuple[Remedy, np.ndarray]]:
    """What each change of a planting leaves of its pops and adds to each frame; the first changes nothing."""
    number, whole, own = planting.stand.number, found.whole, planting.settings.distances.core()
    settings = {}
    for change in _changes(walker, planting, found):
        with suppress(ValidationError):  # beyond what distances may be
            settings[change] = DistanceSettings.of(change.of(own))
    walker.find(planting, [to.core() for to in settings.values()], known)
    left_over: dict[Change, int] = {}
    for change, to in settings.items():
        if any(not n and _smaller(less, change) for less, n in left_over.items()):
            continue  # a smaller change leaves none already
        left_over[change] = walker.pops_of(planting, to.core(), known=known).noticed(found.threshold)
    frames = costs_by(planting, walker.stock, views, [settings[change].core() for change in left_over])
    out = []
    for k, (change, count) in enumerate(left_over.items()):
        more = np.array([costs[k].ms for costs in frames]) - found.ms[number]
        ms = float((whole + more).max() - whole.max())
        tried = settings[change] if change != Change() else None
        out.append((Remedy(number, change, tried, left=count, ms=ms), more))
    return out


def _changes(walker: Walker, planting: Planting, found: Check) -> list[Change]:
    """Every change that is tried: of distances and fades where states pop, of shadow reaches where shadows
    do; and of each edge alone at which something is noticed."""
    pops = found.pops[planting.stand.number]
    noticed = pops.strength >= found.threshold
    of_states = noticed & ~pops.shadow
    shadows = SHADOWS if (noticed & pops.shadow).any() else SHADOWS[:1]
    others = TOGETHER if of_states.any() else TOGETHER[:1]
    changes = [Change(farther, fade, reach) for (farther, fade), reach in product(others, shadows)]
    steps = len(planting.settings.distances.core().steps)
    edges = set()
    for item, a, b in {*zip(*(v[of_states].tolist() for v in (pops.item, pops.before, pops.after)))}:
        lods = len(walker.stock[planting.items[item]].lods)
        near = min(a, b)
        edges.add(steps + 1 if near < 0 else min(near, steps) if near < lods - 1 else steps)
    for edge in sorted(edges):
        changes.append(Change(ALONE, edge=edge))
        if edge <= steps:
            changes.append(Change(edge=edge, left_out=True))
    return changes


def _smaller(one: Change, other: Change) -> bool:
    """Whether a change of all edges goes nowhere farther than another."""
    if one.edge is not None or other.edge is not None:
        return False
    return one.farther <= other.farther and one.fade <= other.fade and one.shadows <= other.shadows


def least_of(found: Check, options: Mapping[int, list[tuple[Remedy, np.ndarray]]]) -> list[Remedy]:
    """Of every stand one of the changes that leave the fewest noticed pops, so that the dearest frame of the
    walk costs the least; exact, by an integer programme: choose one option of each stand, with z at least the
    ms of every frame, and make z the least."""
    fewest = [min(remedy.left for remedy, _ in each) for each in options.values()]
    choices = [[o for o in each if o[0].left == few] for each, few in zip(options.values(), fewest)]
    flat = [option for each in choices for option in each]
    if not flat:
        return []
    base = found.whole
    frames = np.column_stack([more for _, more in flat])
    of = np.repeat(np.arange(len(choices)), [len(each) for each in choices])
    # The tie-break, a thousandth, prefers what costs less over the whole walk.
    aim = np.r_[1e-3 * frames.mean(axis=0), 1.0]
    one_each = np.column_stack([of == np.arange(len(choices))[:, None], np.zeros(len(choices))])
    under = np.column_stack([frames, -np.ones(len(frames))])
    solved = milp(
        aim,
        constraints=[LinearConstraint(one_each, 1, 1), LinearConstraint(under, -np.inf, -base)],
        integrality=np.r_[np.ones(len(flat)), 0],
        bounds=Bounds(np.r_[np.zeros(len(flat)), 0], np.r_[np.ones(len(flat)), np.inf]),
    )
    return [option for (option, _), taken in zip(flat, solved.x) if taken > 0.5]
