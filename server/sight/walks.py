"""Checking a walk for what pops: done by the worker, kept by what it follows from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any, NamedTuple

import numpy as np
from django.contrib.auth.models import User

from server.document.files import with_files
from server.document.planted import numbers_of, planted_of
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level
from server.sight.costing import items_of
from server.sight.models import WalkCheck
from thicket.document.atmosphere import FogSettings, Sun
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.edits import ChangeSettings
from thicket.document.settings import DistanceSettings
from thicket.document.walks import Walk
from thicket.hashing import digest
from thicket.planted.pops import Pops, Walker, colours_of, other_billboards, unlikenesses
from thicket.planted.remedies import Check, Remedy, check

CHECKS = 30
"""So many checks of a level are kept."""
WORST = 40
"""So many of the strongest pops are listed."""
BINS = 240
"""The curve of a walk has so many values."""


class WalkRequest(NamedTuple):
    """What a check is of: a walk, how the level is drawn and on which device, its fog and sun, distances that
    are tried by the stand's number in the database, kinds of billboard that are tried by item, and from how
    many pixels a pop is noticed."""

    walk: Walk
    drawing: DrawingSettings
    device: DeviceSettings
    fog: FogSettings
    sun: Sun
    tried: Mapping[int, DistanceSettings]
    billboards: Mapping[str, str]
    threshold: float

    def as_json(self) -> dict[str, Any]:
        return {
            "walk": self.walk.model_dump(mode="json"),
            "drawing": self.drawing.model_dump(mode="json"),
            "device": self.device.model_dump(mode="json"),
            "fog": self.fog.model_dump(mode="json"),
            "sun": self.sun.model_dump(mode="json"),
            "tried": {str(pk): d.model_dump(mode="json") for pk, d in sorted(self.tried.items())},
            "billboards": dict(sorted(self.billboards.items())),
            "threshold": self.threshold,
        }


def state_of(level: Level, user: User, asked: WalkRequest, begin: bool) -> dict:
    """How far a check is, with its result when it is there; begun when it is not, if that is wished."""
    arguments = asked.as_json()
    content = digest(level.version, arguments)
    kept = WalkCheck.objects.filter(level=level, content=content).first()
    if kept:
        return {"running": False, "share": 1.0, "step": "", "trouble": "", "result": kept.result}
    return {**starting.progress_of("walk", level, user, content, begin, arguments), "result": None}


@work("walk")
def _check(job: Job, progress: Progress) -> None:
    level, given = job.level, job.arguments
    planted, numbers = planted_of(level), numbers_of(level)
    for pk, distances in given["tried"].items():
        if int(pk) in numbers:
            number = numbers[int(pk)]
            planted = planted.after(ChangeSettings(put={number: {"distances": distances}})).after
    fog = FogSettings.model_validate(given["fog"])
    progress.report(0.0, "Comparing the states of the stock")
    stock = with_files(level, planted.level).stock
    walker = Walker(
        planted,
        items_of(level),
        Walk.model_validate(given["walk"]).route(planted.ground),
        replace(DrawingSettings.model_validate(given["drawing"]).core(), air=planted.air(fog)),
        fog.core(),
        Sun.model_validate(given["sun"]).toward,
        unlikenesses(planted.cache, stock),
        colours_of(level.layers),
        other_billboards(planted.cache, stock),
        DeviceSettings.model_validate(given["device"]).core(),
    )
    for tried in given["billboards"].items():
        if tried in walker.billboards:
            walker = walker.with_billboard(*tried)
    found = check(walker, given["threshold"], report=progress.report)
    ids = {number: pk for pk, number in numbers.items()}
    WalkCheck.objects.update_or_create(
        level=level, content=given["content"], defaults={"result": to_json(found, walker, ids)}
    )
    old = WalkCheck.objects.filter(level=level).order_by("-pk").values_list("pk", flat=True)[CHECKS:]
    WalkCheck.objects.filter(pk__in=list(old)).delete()


def to_json(found: Check, walker: Walker, numbers: dict[int, int]) -> dict[str, Any]:
    """A check as JSON; stands by their number in the database."""
    route, pops = found.route, list(found.pops.values())
    width = route.seconds / BINS
    sums = sum(
        (np.histogram(p.time, BINS, (0.0, route.seconds), weights=p.strength)[0] for p in pops),
        np.zeros(BINS),
    )
    items = {n: walker.level.planting(n).items for n in found.pops}
    worst = sorted(
        ((float(p.strength[k]), p, int(k)) for p in pops for k in np.argsort(-p.strength)[:WORST]),
        key=lambda each: -each[0],
    )[:WORST]
    return {
        "seconds": route.seconds,
        "left_out": route.left_out(),
        "curve": np.round(sums / width, 1).tolist(),
        "times": np.round(found.times, 2).tolist(),
        "ms": np.round(found.whole, 3).tolist(),
        "lines": {str(numbers.get(number, 0)): np.round(ms, 4).tolist() for number, ms in found.ms.items()},
        "stands": [
            {
                "stand": numbers[p.stand],
                "pops": len(p.time),
                "noticed": p.noticed(found.threshold),
                "worst": float(p.strength.max(initial=0.0)),
            }
            for p in pops
        ],
        "worst": [_pop(p, k, numbers, items[p.stand]) for _, p, k in worst],
        "remedies": [_remedy(r, numbers) for r in found.remedies],
        "least": [_remedy(r, numbers) for r in found.least],
    }


def _pop(pops: Pops, k: int, numbers: dict[int, int], items: list[str]) -> dict:
    return {
        "stand": numbers[pops.stand],
        "item": items[int(pops.item[k])],
        "time": round(float(pops.time[k]), 3),
        "place": [round(float(v), 2) for v in pops.place[k]],
        "distance": round(float(pops.distance[k]), 1),
        "before": int(pops.before[k]),
        "after": int(pops.after[k]),
        "shadow": bool(pops.shadow[k]),
        "strength": round(float(pops.strength[k]), 1),
    }


def _remedy(remedy: Remedy, numbers: dict[int, int]) -> dict:
    return {
        "stand": numbers.get(remedy.stand, 0),
        **asdict(remedy.change),
        "distances": remedy.distances and remedy.distances.model_dump(),
        "fog": remedy.fog,
        "hides": remedy.hides,
        "item": remedy.item,
        "billboard": remedy.billboard,
        "left": remedy.left,
        "ms": round(remedy.ms, 3),
    }
