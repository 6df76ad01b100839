"""A level brought under its marks: worked out by the worker, kept by what it follows from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, NamedTuple

import numpy as np
from django.contrib.auth.models import User

from server.document.files import with_files
from server.document.own_ground import regions_of
from server.document.planted import numbers_of, planted_of
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level
from server.sight.costing import air_of, items_of
from server.sight.models import RebalanceAnswer
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.plots import Line
from thicket.document.walks import Walk
from thicket.hashing import digest
from thicket.planted.costs import LINES, bookmark_view, spent
from thicket.planted.level import PlantedLevel
from thicket.planted.pops import colours_of, unlikenesses
from thicket.planted.rebalancing import Option, Rebalanced, Scene, rebalance_level
from thicket.planted.survey import survey
from thicket.refused import Refused
from thicket.sight.cost import Item
from thicket.sight.devices import Device
from thicket.sight.drawing import Drawing
from thicket.sight.views import View

FORM = 2
"""Of what a kept answer holds; another has all worked out again."""
ANSWERS = 20
"""So many answers of a level are kept."""
WORST, APART, STEP = 6, 60.0, 32.0
"""So many of the worst places of a survey count, at least so many m apart, on a grid of so many m."""

MOMENTS, DEAREST, WALK_APART = 32, 3, 25.0
"""So many moments of a walk are computed, and so many of the dearest count, at least so many m apart."""


class RebalanceRequest(NamedTuple):
    """What is to be met: how the level is drawn, on which device, the marks, whether the kept views and the
    survey's worst places count, and which walks by name; what may change of which stand by its number in the
    database, and the factor below which no distance goes; the plot whose plants alone are to meet the marks,
    empty for the whole frame."""

    drawing: DrawingSettings
    device: DeviceSettings
    marks: Mapping[Line, float]
    views: bool
    worst: bool
    walks: Sequence[str]
    may: Mapping[int, Sequence[str]]
    least: float
    plot: str = ""

    def as_json(self) -> dict[str, Any]:
        return {
            "drawing": self.drawing.model_dump(mode="json"),
            "device": self.device.model_dump(mode="json"),
            "marks": dict(sorted(self.marks.items())),
            "views": self.views,
            "worst": self.worst,
            "walks": sorted(self.walks),
            "may": {str(pk): sorted(kinds) for pk, kinds in sorted(self.may.items())},
            "least": self.least,
            "plot": self.plot,
        }


def check(level: Level, asked: RebalanceRequest) -> None:
    """Refuse what has no answer: no place that counts, nothing that may change, a locked stand."""
    lost = [name for name in asked.walks if name not in level.walks]
    if lost:
        raise Refused(f"walks: {level.name} has no walk {lost[0][:60]!r} any more")
    if not (asked.views and level.bookmarks or asked.worst or asked.walks):
        raise Refused("views: no place counts; keep a view or a walk, or let the survey's worst places count")
    if asked.plot and asked.plot not in regions_of(level):
        raise Refused(f"plot: {level.name} has no plot {asked.plot[:60]!r} with ground any more")
    stands = planted_of(level).stands
    rows = {pk: stands[number] for pk, number in numbers_of(level).items()}
    for pk in asked.may:
        if pk not in rows:
            raise Refused("may: the level no longer has one of these stands")
        if rows[pk].locked:
            raise Refused(f"may: {rows[pk].name} is locked")
    if not any(asked.may.values()):
        raise Refused("may: nothing may change")


def state_of(level: Level, user: User, asked: RebalanceRequest, begin: bool) -> dict:
    """How far the answer is, with it when it is there; begun when it is not, if that is wished."""
    arguments = asked.as_json()
    region = regions_of(level).get(asked.plot)
    content = digest(FORM, level.version, arguments, region and region.key)
    kept = RebalanceAnswer.objects.filter(level=level, content=content).first()
    if kept and kept.result.get("done", True):
        return {"running": False, "share": 1.0, "step": "", "trouble": "", "result": kept.result}
    state = starting.progress_of("rebalance", level, user, content, begin, arguments)
    return {**state, "result": kept and kept.result}


@work("rebalance")
def _rebalance(job: Job, progress: Progress) -> None:
    level, given = job.level, job.arguments
    planted, stock = planted_of(level), items_of(level)
    rows = {pk: planted.stands[number] for pk, number in numbers_of(level).items()}
    drawing = replace(DrawingSettings.model_validate(given["drawing"]).core(), air=air_of(level))
    device = DeviceSettings.model_validate(given["device"]).core()
    places = {}
    if given["views"]:
        places = {b["name"]: bookmark_view(b, drawing, device) for b in level.bookmarks}
    region = regions_of(level).get(given["plot"])
    if given["worst"]:

        def quarter(share: float, step: str) -> None:
            progress.report(share / 4, step)

        plots = {given["plot"]: region} if region else {}
        found = survey(planted, stock, drawing, STEP, report=quarter, plots=plots)
        spends = found.line("ms", device, given["plot"] if region else None)
        for n, (place, heading) in enumerate(found.worst(spends, WORST, APART), start=1):
            x, y, z = found.eyes[place].tolist()
            way = float(found.headings[heading])
            places[f"Worst place {n}"] = View(x, y, z, way, 0.0, 55.0, 16 / 9, drawing=drawing, device=device)
    for name in given["walks"]:
        progress.report(0.25, f"Finding the dearest moments of {name}")
        places |= _dearest(planted, stock, name, Walk.model_validate(level.walks[name]), drawing, device)
    progress.report(0.25, "Comparing the states of the stock")
    air = Atmosphere.model_validate(level.atmosphere)
    scene = Scene(
        planted,
        stock,
        unlikenesses(planted.cache, with_files(level, planted.level).stock),
        list(places.values()),
        air.fog.core(),
        air.sun.toward,
        colours_of(level.layers),
        region,
    )
    may = {rows[int(pk)].number: kinds for pk, kinds in given["may"].items() if int(pk) in rows}
    numbers = {row.number: pk for pk, row in rows.items()}

    def keep(answer: Rebalanced) -> None:
        RebalanceAnswer.objects.update_or_create(
            level=level, content=given["content"], defaults={"result": to_json(answer, places, numbers)}
        )

    answer = rebalance_level(
        scene,
        given["marks"],
        may,
        given["least"],
        lambda share, step: progress.report(0.25 + 0.75 * share, step),
        keep,
    )
    keep(answer)
    old = RebalanceAnswer.objects.filter(level=level).order_by("-pk").values_list("pk", flat=True)[ANSWERS:]
    RebalanceAnswer.objects.filter(pk__in=list(old)).delete()


def _dearest(
    planted: PlantedLevel, stock: Mapping[str, Item], name: str, walk: Walk, drawing: Drawing, device: Device
) -> dict[str, View]:
    """The dearest moments of a walk, apart from each other, as views by name."""
    route = walk.route(planted.ground)
    seen = []
    for time in np.linspace(0.0, route.seconds, MOMENTS):
        view = replace(route.at(float(time)), drawing=drawing, device=device)
        cost = spent(planted.cost(view, stock)) + planted.ground_cost(view)
        seen.append((cost.ms, float(time), view))
    found: dict[str, View] = {}
    for _, time, view in sorted(seen, key=lambda each: -each[0]):
        if all(np.hypot(view.x - v.x, view.z - v.z) >= WALK_APART for v in found.values()):
            found[f"{name}, {int(time // 60)}:{int(time % 60):02d}"] = view
        if len(found) == DEAREST:
            break
    return found


def to_json(found: Rebalanced, places: Mapping[str, View], numbers: Mapping[int, int]) -> dict[str, Any]:
    """An answer as JSON; stands by their number in the database."""
    return {
        "done": found.done,
        "loss": round(found.answer.loss, 1),
        "gap": found.answer.gap,
        "over": dict(zip(LINES, found.answer.over)),
        "changes": [_change(option, numbers) for option in found.options if option.settings],
        "places": [
            {
                "name": name,
                **{k: getattr(view, k) for k in ("x", "y", "z", "heading", "pitch", "fov")},
                "before": dict(zip(LINES, before.tolist())),
                "after": dict(zip(LINES, after.tolist())),
            }
            for (name, view), before, after in zip(places.items(), found.before, found.after)
        ],
        "curve": [
            {
                "ms": round(ms, 4),
                "loss": round(loss, 1),
                "changes": [_change(option, numbers) for option in options if option.settings],
            }
            for ms, loss, options in found.curve
        ],
    }


def _change(option: Option, numbers: Mapping[int, int]) -> dict[str, Any]:
    change, distances = asdict(option.change), option.settings.get("distances")
    return {
        "stand": numbers[option.stand],
        "farther": change["farther"],
        "fade": change["fade"],
        "shadows": change["shadows"],
        "edge": change["edge"],
        "share": option.share,
        "distances": distances and distances.model_dump(mode="json"),
        "fullness": option.settings.get("fullness"),
        "loss": round(option.loss, 1),
        "ms": round(float(option.spent[:, LINES.index("ms")].max()), 4),
    }
