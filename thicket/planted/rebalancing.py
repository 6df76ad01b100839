"""A level brought under its marks: what each stand may be drawn like, what that spends in the frames that
count and what is seen of it, and the answer with the least to be seen."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from itertools import product
from typing import Any

import numpy as np
from pydantic import ValidationError

from thicket.document.edits import ChangeSettings
from thicket.document.settings import DistanceSettings
from thicket.planted.costs import LINES, drawn, largest_of, settled, stand_cost
from thicket.planted.hiding import hidden_share
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.planted.plots import Region
from thicket.planted.pops import contrast, edges_of
from thicket.planted.remedies import Change
from thicket.planted.sheets import box_around
from thicket.planting.stands import Plants, join
from thicket.progress import Report, quietly
from thicket.sight.cost import Cost, Item, loads_of
from thicket.sight.devices import Device
from thicket.sight.distances import Distances
from thicket.sight.fog import Fog, left, thicker
from thicket.sight.pops import SHADOW_DEPTH, lying, pixels_per_metre
from thicket.sight.rebalance import GAP, Answer, Choices, over_of, rebalance, trade_off
from thicket.sight.views import View
from thicket.stock.unlikeness import Unlikeness

KINDS = ("distances", "steps", "fades", "shadows", "tufts", "plants")
"""What of a stand may change: how far all of its states are drawn, one LOD step alone, the width of its
fades, its shadow reach; of a sward how many of its tufts, and of single plants how many there are."""
NEARER = 1.0, 0.85, 0.7, 0.55, 0.4
FADES = 1.0, 0.5
SHADOWS = 1.0, 0.6, 0.3, 0.0
STEPS = 0.6
SHARES = 1.0, 0.8, 0.6, 0.4
"""The factors that options are made of."""
TOGETHER = 4
"""What thinned stands do to each other is computed so many times at the most, each time for a new answer."""
CURVE = 9
"""So many answers along the trade-off."""
LIMITS = 10.0, 90.0
"""Seconds that the search takes at first, and again when the loss may still be above the least there can be.
"""


@dataclass(frozen=True, eq=False)
class Scene:
    """What a rebalance needs: level, stock as the cost model sees it, how unlike the states of its stock
    look, by slug; the views that count, with drawing and device; fog, the unit vector toward the sun, and the
    colours of the ground layers, sRGB 0–1 (layers, 3); the region whose plants alone are to come under the
    marks, if it is not the whole frame."""

    level: PlantedLevel
    stock: Mapping[str, Item]
    unlike: Mapping[str, Unlikeness]
    views: Sequence[View]
    fog: Fog = field(default_factory=Fog)
    sun: Sequence[float] = (0.0, 1.0, 0.0)
    ground_colours: np.ndarray | None = None
    region: Region | None = None

    def lines(self, planting: Planting, view: View, own: Distances) -> list[float]:
        """What a planting with distances of its own spends on each budget line in a view, by `LINES`."""
        return _lines(stand_cost(planting, self.stock, view, own=own, region=self.region), view.device)


@dataclass(frozen=True)
class Option:
    """What of a stand's settings is another, empty for nothing, and what is seen of that, in pixels of all
    views together; lines (views, lines) that it spends, with what others spend more that grow in the room
    that it leaves. share, a factor on its fullness."""

    stand: int
    change: Change
    share: float
    settings: Mapping[str, Any] = field(compare=False)
    loss: float
    spent: np.ndarray = field(compare=False)


@dataclass(frozen=True, eq=False)
class Rebalanced:
    """An answer: the option of each stand that may change; before and after, what each view spends on each
    line (views, lines); and answers along the trade-off of loss against milliseconds, when it is `done`."""

    answer: Answer
    options: Sequence[Option]
    before: np.ndarray
    after: np.ndarray
    curve: Sequence[tuple[float, float, Sequence[Option]]] = ()
    done: bool = True


def rebalance_level(
    scene: Scene,
    marks: Mapping[str, float],
    may: Mapping[int, Collection[str]],
    least: float = 0.4,
    report: Report = quietly,
    so_far: Callable[[Rebalanced], None] = lambda answer: None,
) -> Rebalanced:
    """The least visible loss that brings every view under the marks, or nearest to them.

    Parameters: scene; marks by budget line; of each stand, by number, which of `KINDS` may change; least, the
    factor below which no distance goes; so_far, given what is found first, when the search goes on. Of a
    region only what it spends counts, and what is lost to the eye wherever it is, since a stand's settings
    hold all over the level. Thinned single plants leave room in which others grow, which is counted with
    each; what several thinned stands do together is computed of an answer, and the next one looked for with
    that difference.
    """
    plantings = scene.level.plantings()
    views = [settled(view, plantings, scene.stock) for view in scene.views]
    base = _ground(scene, views)
    options: list[Option] = []
    for k, planting in enumerate(plantings):
        report(0.8 * k / len(plantings), f"Trying {planting.stand.name}")
        options += _options(scene, views, planting, may.get(planting.stand.number, ()), least)
    of = np.array([option.stand for option in options])
    spent = np.array([option.spent for option in options])
    choices = Choices(np.array([option.loss for option in options]), spent, of, base)
    before = choices.total([int(np.flatnonzero(of == n)[0]) for n in dict.fromkeys(of.tolist())])

    under = np.array([marks.get(name, np.inf) for name in LINES])

    def look(limit: float, done: bool = False) -> Rebalanced:
        """An answer, and what its options spend together."""
        nonlocal choices
        for _ in range(TOGETHER):
            answer = rebalance(choices, under, limit)
            taken, after = [options[k] for k in answer.taken], choices.total(answer.taken)
            if all(option.share == 1.0 or _sward(scene, option) for option in taken):
                break
            together = _together(scene, taken)
            over = over_of(together, under)
            answer = replace(answer, over=over)
            if np.allclose(together, after, rtol=1e-6):
                break
            choices, after = replace(choices, base=choices.base + together - after), together
        return Rebalanced(answer, taken, before, after, done=done)

    report(0.8, "Looking for the least loss")
    first, longer = LIMITS
    found = look(first)
    if found.answer.gap > GAP:
        so_far(found)
        report(0.85, "Looking for less loss")
        found = look(longer)
    report(0.9, "Following the trade-off")
    ms = LINES.index("ms")
    curve = [
        (float(choices.total(each.taken)[:, ms].max()), each.loss, [options[k] for k in each.taken])
        for each in trade_off(choices, ms, CURVE)
    ]
    return replace(found, curve=curve, done=True)


def _sward(scene: Scene, option: Option) -> bool:
    return scene.level.stands[option.stand].sward


def _ground(scene: Scene, views: Sequence[View]) -> np.ndarray:
    """What is spent in each view without any plant (views, lines)."""
    if scene.region is not None:
        return np.zeros((len(views), len(LINES)))
    base = np.array([_lines(scene.level.ground_cost(view), view.device) for view in views])
    base[:, LINES.index("ms")] += [view.device.fixed for view in views]
    return base


def _together(scene: Scene, taken: Sequence[Option]) -> np.ndarray:
    """What the level spends in each view with the settings of some options (views, lines)."""
    level = scene.level
    for option in taken:
        if option.settings:
            level = level.after(ChangeSettings(put={option.stand: dict(option.settings)})).after
    plantings = level.plantings()
    views = [settled(view, plantings, scene.stock) for view in scene.views]
    spent = [[scene.lines(p, view, p.settings.distances.core()) for p in plantings] for view in views]
    return np.asarray(_ground(scene, views) + np.array(spent).sum(axis=1))


def _lines(cost: Cost, device: Device) -> list[float]:
    triangles, calls, shadows, _, memory = loads_of(cost)
    return [triangles, calls, shadows, memory, device.ms(loads_of(cost))]


def changes_of(planting: Planting, kinds: Collection[str], least: float) -> list[Change]:
    """Every change of a stand that is looked at, the first none."""
    nearer = [f for f in NEARER if f >= least] if "distances" in kinds else [1.0]
    shadows = SHADOWS if "shadows" in kinds and planting.settings.distances.shadow > 0 else SHADOWS[:1]
    fades = FADES if "fades" in kinds and planting.settings.distances.fade > 0 else FADES[:1]
    out = [Change(*factors) for factors in product(nearer, fades, shadows)]
    if "steps" in kinds:
        own = planting.settings.distances.core()
        out += [Change(max(STEPS, least), edge=k) for k in range(len(own.steps))]
    return out


def _options(
    scene: Scene, views: Sequence[View], planting: Planting, kinds: Collection[str], least: float
) -> list[Option]:
    """What a stand may be drawn like; what loses more and spends no less than another is left out."""
    own, number = planting.settings.distances.core(), planting.stand.number
    tried: dict[Change, DistanceSettings] = {}
    for change in changes_of(planting, kinds, least):
        with suppress(ValidationError):  # beyond what distances may be
            tried[change] = DistanceSettings.of(change.of(own))
    thins = "tufts" if planting.stand.sward else "plants"
    shares = [f for f in SHARES if f >= least] if thins in kinds else SHARES[:1]
    out: list[Option] = []
    for share in shares:
        settings: dict[str, Any] = {}
        other, grown = planting, np.zeros((len(views), len(LINES)))
        if share != 1.0:
            settings["fullness"] = round(planting.settings.fullness * share, 4)
            level = scene.level.after(ChangeSettings(put={number: settings})).after
            other, grown = level.planting(number), _others(scene, views, number, level)
        loss = np.zeros(len(tried))
        for view in views:
            loss += _losses(scene, view, planting, other, [to.core() for to in tried.values()])
        for (change, to), lost in zip(tried.items(), loss.tolist()):
            spent = grown + np.array([scene.lines(other, view, to.core()) for view in views])
            drawn_so = settings if change == Change() else {**settings, "distances": to}
            out.append(Option(number, change, share, drawn_so, lost, spent))
    first, *others = out
    return [first, *(o for o in others if not any(_beats(better, o) for better in out if better is not o))]


def _others(scene: Scene, views: Sequence[View], number: int, level: PlantedLevel) -> np.ndarray:
    """What other stands than one, by number, spend more in each view as another level has them
    (views, lines)."""
    more = np.zeros((len(views), len(LINES)))
    for was in scene.level.plantings():
        now = level.planting(was.stand.number)
        sheets = was.sheets_in(was.everywhere)
        if was is now or was.stand.number == number or all(was.key(s) == now.key(s) for s in sheets):
            continue
        own = was.settings.distances.core()
        for k, view in enumerate(views):
            more[k] += np.subtract(scene.lines(now, view, own), scene.lines(was, view, own))
    return more


def _beats(better: Option, option: Option) -> bool:
    """Whether an option loses and spends no more than another, and one of them less."""
    if better.loss > option.loss or (better.spent > option.spent).any():
        return False
    return better.loss < option.loss or bool((better.spent < option.spent).any())


def _losses(
    scene: Scene, view: View, planting: Planting, other: Planting, tried: Sequence[Distances]
) -> np.ndarray:
    """What is seen, in pixels, of other distances in a view (tried,): of each plant in the picture the area
    by which its states differ, by the share of it that shows in a fade of another width, and that of its
    shadow where it has one no more, as in a pop; all of it of plants that `other`, the planting with other
    settings, does not have."""
    items, now = drawn(planting, scene.stock, view)
    if not view.drawing.plants:
        return np.zeros(len(tried))
    plants = _in_view(scene, view, planting, max(now.gone, now.shadow))
    form, item = plants.form.astype(float), plants.item.astype(int)
    eye = np.broadcast_to(view.eye, (len(form), 3))
    distance = np.linalg.norm(form[:, :3] - view.eye, axis=1)
    tall = np.array([scene.unlike[slug].height for slug in planting.items])[item] * form[:, 8]
    per_metre = pixels_per_metre(distance)
    fog = left(thicker(scene.fog, view.drawing.fog), distance, eye[:, 1], form[:, 1])
    hidden = hidden_share(scene.level, eye, form, tall)
    weight = form[:, 7] * form[:, 8] * per_metre**2 * fog * (1.0 - hidden)
    colours = contrast(scene.level, planting, scene.unlike, scene.ground_colours, form, item)
    normals = scene.level.ground.normal_at(form[:, 0], form[:, 2])
    shade = weight * SHADOW_DEPTH * lying(normals, eye, form[:, :3], scene.sun)
    pixels = tall * per_metre
    before, shaded = _states(scene, planting, items, now, form, item, distance)
    stays = np.ones(len(item), bool) if other is planting else _still_there(plants, other)
    out = np.zeros(len(tried))
    for k, own in enumerate(tried):
        drawn_so, then = drawn(planting, scene.stock, view, own)
        after, still = _states(scene, planting, drawn_so, then, form, item, distance)
        after, still = np.where(stays, after, -1), still & stays
        area = _between(scene, planting, item, before, after, pixels)
        if then.fade != now.fade:
            area += _faded(scene, planting, drawn_so, (now.fade, then), form, item, distance, pixels) * stays
        out[k] += (area * weight * colours).sum()
        lost = shaded & ~still
        nothing = np.full(len(item), -1)
        out[k] += (_between(scene, planting, item, before, nothing, pixels) * shade)[lost].sum()
    return out


def _still_there(plants: Plants, other: Planting) -> np.ndarray:
    """Which of the plants another planting has too (n,)."""
    if not len(plants):
        return np.zeros(0, bool)
    box = box_around(plants.form[:, 0], plants.form[:, 2])
    theirs = [other.plants(sheet).id for sheet in other.sheets_in(box)]
    return np.isin(plants.id, np.concatenate([np.empty(0, np.uint64), *theirs]))


def _in_view(scene: Scene, view: View, planting: Planting, reach: float) -> Plants:
    """The plants of a stand in the picture whose middle lies in the view, within a reach in m."""
    reach *= largest_of(planting) if planting.settings.distances.by_size else 1.0
    box = (view.x - reach, view.z - reach, view.x + reach, view.z + reach)
    plants = join([planting.plants(sheet) for sheet in planting.sheets_in(box)])
    if planting.stand.sward:
        plants = view.drawing.tufts(plants)
    at = plants.form[:, :3].astype(float)
    heights = np.array([scene.unlike[slug].height for slug in planting.items])
    at[:, 1] += heights[plants.item] * plants.form[:, 8] / 2
    seen = (at @ view.planes[:, :3].T + view.planes[:, 3] >= 0).all(axis=1)
    return plants.take(seen & (np.linalg.norm(at - view.eye, axis=1) < reach))


def _states(
    scene: Scene,
    planting: Planting,
    items: Sequence[Item],
    distances: Distances,
    form: np.ndarray,
    item: np.ndarray,
    distance: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """The state of the item whole in which each plant is drawn, −1 for none (n,), and whether it casts a
    shadow (n,); fades left out."""
    table = edges_of(items, [scene.stock[slug] for slug in planting.items], distances)
    far = distance / form[:, 8] if distances.by_size else distance
    radii = table.radii[item]
    passed = ((radii > 0) & (far[:, None] >= radii)).sum(axis=1)
    held = (table.radii > 0).sum(axis=1)[item]
    state = table.before[item, np.minimum(passed, table.before.shape[1] - 1)]
    return np.where(passed < held, state, -1), distance < table.shadow[item, 0]


def _faded(
    scene: Scene,
    planting: Planting,
    items: Sequence[Item],
    fades: tuple[float, Distances],
    form: np.ndarray,
    item: np.ndarray,
    distance: np.ndarray,
    pixels: np.ndarray,
) -> np.ndarray:
    """The area in m² by which what is drawn of each plant in a fade differs (n,), between the width in m that
    the fade had and the distances as they are to be: of the two states, the share that one has more."""
    was, then = fades
    table = edges_of(items, [scene.stock[slug] for slug in planting.items], then)
    far = distance / form[:, 8] if then.by_size else distance
    area = np.zeros(len(item))
    for radii, near, beyond in zip(table.radii.T, table.before.T, table.after.T):
        # The last state fades out before its edge, the others around theirs.
        ends, at = beyond[item] < 0, radii[item]
        shares = [
            np.clip((far - at) / max(width, 1e-9) + np.where(ends, 1.0, 0.5), 0.0, 1.0)
            for width in (was, then.fade)
        ]
        differs = np.where(at > 0, np.abs(shares[1] - shares[0]), 0.0)
        which = np.flatnonzero(differs)
        between = _between(
            scene, planting, item[which], near[item[which]], beyond[item[which]], pixels[which]
        )
        area[which] += differs[which] * between
    return area


def _between(
    scene: Scene, planting: Planting, item: np.ndarray, a: np.ndarray, b: np.ndarray, pixels: np.ndarray
) -> np.ndarray:
    """The area in m² by which what is drawn of each plant differs (n,)."""
    area = np.zeros(len(item))
    differ = np.flatnonzero(a != b)
    kinds = np.column_stack([item, a, b])[differ]
    for m, first, second in np.unique(kinds, axis=0).tolist():
        which = differ[(kinds == (m, first, second)).all(axis=1)]
        near, far = (first, second) if first >= 0 else (second, first)
        area[which] = scene.unlike[planting.items[m]].between(near, far, pixels[which])
    return area
