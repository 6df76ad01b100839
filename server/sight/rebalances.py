"""A level brought under its marks: worked out by the worker, kept by what it follows from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any, NamedTuple

from django.contrib.auth.models import User

from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level, RebalanceAnswer
from server.levels.planted import planted_of
from server.levels.summaries import stamp_of
from server.levels.whole import document_of
from server.sight.reckoning import items_of
from server.stands.models import Stand
from thicket.document.atmosphere import Atmosphere
from thicket.document.drawing import DeviceSettings, DrawingSettings, Marks
from thicket.hashing import digest
from thicket.planted.costs import LINES, bookmark_view
from thicket.planted.pops import colours_of, unlikenesses
from thicket.planted.rebalancing import Option, Rebalanced, Scene, rebalance_level
from thicket.planted.survey import survey
from thicket.refused import Refused
from thicket.sight.views import View

KEPT = 20
"""So many answers of a level are kept."""
WORST, APART, STEP = 6, 60.0, 32.0
"""So many of the worst places of a survey count, at least so many m apart, on a grid of so many m."""


class Asked(NamedTuple):
    """What is to be met: how the level is drawn, on which device, the marks, whether the kept views and the
    survey's worst places count, what may change of which stand by its number in the database, and the factor
    below which no distance goes."""

    drawing: DrawingSettings
    device: DeviceSettings
    marks: Marks
    views: bool
    worst: bool
    may: Mapping[int, Sequence[str]]
    least: float

    def as_json(self) -> dict[str, Any]:
        return {
            "drawing": self.drawing.model_dump(mode="json"),
            "device": self.device.model_dump(mode="json"),
            "marks": self.marks.model_dump(mode="json"),
            "views": self.views,
            "worst": self.worst,
            "may": {str(pk): sorted(kinds) for pk, kinds in sorted(self.may.items())},
            "least": self.least,
        }


def check(level: Level, asked: Asked) -> None:
    """Refuse what has no answer: no place that counts, nothing that may change, a locked stand."""
    if not (asked.views and level.bookmarks or asked.worst):
        raise Refused("views: no place counts; keep a view, or let the survey's worst places count")
    rows = {row.pk: row for row in Stand.objects.filter(level=level)}
    for pk in asked.may:
        if pk not in rows:
            raise Refused("may: the level no longer has one of these stands")
        if rows[pk].locked:
            raise Refused(f"may: {rows[pk].name} is locked")
    if not any(asked.may.values()):
        raise Refused("may: nothing may change")


def state_of(level: Level, user: User, asked: Asked, begin: bool) -> dict:
    """How far the answer is, with it when it is there; begun when it is not, if that is wished."""
    arguments = asked.as_json()
    content = digest(stamp_of(level)[0], arguments)
    kept = RebalanceAnswer.objects.filter(level=level, content=content).first()
    if kept:
        return {"running": False, "share": 1.0, "step": "", "trouble": "", "result": kept.result}
    state = starting.progress_of("rebalance", level, user, content, begin, arguments)
    return {**state, "result": None}


@work("rebalance")
def _rebalance(job: Job, progress: Progress) -> None:
    level, given = job.level, job.arguments
    rows = {row.pk: row for row in Stand.objects.filter(level=level)}
    planted, stock = planted_of(level), items_of(level)
    drawing = DrawingSettings.model_validate(given["drawing"]).core()
    device = DeviceSettings.model_validate(given["device"]).core()
    places = {}
    if given["views"]:
        places = {b["name"]: bookmark_view(b, drawing, device) for b in level.bookmarks}
    if given["worst"]:
        found = survey(planted, stock, drawing, STEP, tell=lambda share, step: progress.tell(share / 4, step))
        for n, (place, heading) in enumerate(found.worst(found.line("ms", device), WORST, APART), start=1):
            x, y, z = found.eyes[place].tolist()
            way = float(found.headings[heading])
            places[f"Worst place {n}"] = View(x, y, z, way, 0.0, 55.0, 16 / 9, drawing=drawing, device=device)
    progress.tell(0.25, "Comparing the states of the stock")
    air = Atmosphere.model_validate(level.atmosphere)
    scene = Scene(
        planted,
        stock,
        unlikenesses(planted.cache, document_of(level).stock),
        list(places.values()),
        air.fog.core(),
        air.sun.toward,
        colours_of(level.layers),
    )
    may = {rows[int(pk)].number: kinds for pk, kinds in given["may"].items() if int(pk) in rows}
    answer = rebalance_level(
        scene,
        given["marks"],
        may,
        given["least"],
        lambda share, step: progress.tell(0.25 + 0.75 * share, step),
    )
    numbers = {row.number: row.pk for row in rows.values()}
    RebalanceAnswer.objects.update_or_create(
        level=level, content=given["content"], defaults={"result": told(answer, places, numbers)}
    )
    old = RebalanceAnswer.objects.filter(level=level).order_by("-pk").values_list("pk", flat=True)[KEPT:]
    RebalanceAnswer.objects.filter(pk__in=list(old)).delete()


def told(found: Rebalanced, places: Mapping[str, View], numbers: Mapping[int, int]) -> dict[str, Any]:
    """An answer as JSON; stands by their number in the database."""
    return {
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
        "shadows": change["shadows"],
        "edge": change["edge"],
        "tufts": option.tufts,
        "distances": distances and distances.model_dump(mode="json"),
        "fullness": option.settings.get("fullness"),
        "loss": round(option.loss, 1),
        "ms": round(float(option.spent[:, LINES.index("ms")].max()), 4),
    }
