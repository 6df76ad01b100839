"""The survey of a level: done by the worker, kept by what it follows from, and given as maps."""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any, NamedTuple, get_args

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction

from server.cache import CACHE
from server.document import planted
from server.document.own_ground import regions_of
from server.document.planted import planted_of
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level
from server.sight.costing import air_of, items_of
from server.sight.models import LevelSurvey, SurveyPoint
from thicket.document.drawing import DeviceSettings, DrawingSettings
from thicket.document.plots import Line
from thicket.hashing import digest
from thicket.planted.level import PlantedLevel
from thicket.planted.survey import Survey, repaired, survey
from thicket.progress import Report, quietly
from thicket.refused import Refused
from thicket.sight.cost import Item
from thicket.sight.devices import Device
from thicket.sight.fog import Air

SURVEYS = 8
"""So many surveys of a level are kept."""
MOST = 40_000
"""A survey has so many places at the most."""
GROWING, SHOW_EVERY = "growing", 1.5
"""With this begins what a survey is kept under that is not done yet, every so many seconds."""
POINTS, SHOWN = 200, 12
"""So many states of a level are kept in the history of its cost, and shown."""
WORST, APART = 8, 40.0
"""So many of the worst places are listed, at least so many m apart."""


class SurveyRequest(NamedTuple):
    """What is surveyed: how the level is drawn, m between places, m of the eye above the ground."""

    drawing: DrawingSettings
    step: float
    eye: float

    def as_json(self) -> dict[str, Any]:
        return {"drawing": self.drawing.model_dump(mode="json"), "step": self.step, "eye": self.eye}


def check(level: Level, step: float) -> None:
    """Refuse a grid of more places than a survey may have."""
    places = level.columns * level.cell / step * level.rows * level.cell / step
    if places > MOST:
        finest = np.sqrt(level.columns * level.rows * level.cell**2 / MOST)
        raise Refused(
            f"step: that is {places:,.0f} places, more than the {MOST:,} that a survey has; take "
            f"{np.ceil(finest):.0f} m or more"
        )


def state_of(
    level: Level, user: User, asked: SurveyRequest, device: dict, begin: bool
) -> tuple[dict, Survey | None]:
    """How far a survey is; and the survey, or the newest from before the level's last changes. Begun when it
    is not known, if that is wished; the device is that of the history's milliseconds."""
    arguments = asked.as_json()
    of, content = digest(arguments), _content(level, asked)
    rows = LevelSurvey.objects.filter(level=level, asked=of).defer("data")
    row = rows.filter(content=content).first() or rows.order_by("-pk").first()
    found = row and survey_of(row)
    fresh = row is not None and row.content == content
    if fresh:
        return {"running": False, "share": 1.0, "step": "", "trouble": "", "fresh": True}, found
    return {
        **starting.progress_of("survey", level, user, content, begin, arguments | {"device": device}),
        "fresh": False,
    }, found


def survey_of(row: LevelSurvey) -> Survey:
    """A survey as it is kept."""
    return CACHE.get(("survey", row.pk), lambda: unpacked(bytes(row.data)))


def _content(level: Level, asked: SurveyRequest) -> str:
    """What a survey follows from."""
    return digest(level.version, asked.as_json(), {n: r.key for n, r in regions_of(level).items()})


@dataclass(frozen=True)
class _Surveyed:
    """What the worker has surveyed last of a level, so that after a change only what differs is counted."""

    level: PlantedLevel
    asked: str
    air: Air
    plots: dict[str, str]
    stock: Mapping[str, Item]
    found: Survey | None = None

    @property
    def nbytes(self) -> int:
        return self.found.nbytes if self.found else 0


@work("survey")
def _survey(job: Job, progress: Progress) -> None:
    given = job.arguments
    drawing = DrawingSettings.model_validate(given["drawing"])
    device = DeviceSettings.model_validate(given["device"])
    make(
        job.level,
        SurveyRequest(drawing, given["step"], given["eye"]),
        device,
        given["content"],
        progress.report,
    )


def make(
    level: Level,
    to_survey: SurveyRequest,
    device: DeviceSettings,
    content: str = "",
    report: Report = quietly,
) -> None:
    """Survey a level and keep what is found, under what it follows from; the device is that of the history's
    milliseconds."""
    content = content or _content(level, to_survey)
    given = to_survey.as_json()
    asked, air = digest(given), air_of(level)
    plots, key = regions_of(level), ("surveyed", level.pk)
    stock, areas = items_of(level), {name: region.key for name, region in plots.items()}
    now = _Surveyed(planted_of(level), asked, air, areas, stock)
    last = CACHE.peek(key)
    drawing = replace(to_survey.drawing.core(), air=air)
    how: dict[str, Any] = {"drawing": drawing, "report": report, "plots": plots}
    found = None
    if last is not None and (last.asked, last.air, last.plots, last.stock) == (
        asked,
        air,
        areas,
        stock,
    ):
        found = repaired(last.found, last.level, now.level, stock, **how)
    if found is None:
        with _growing(level, asked) as show:
            found = survey(now.level, stock, step=to_survey.step, height=to_survey.eye, so_far=show, **how)
    drawn = {"drawing": given["drawing"], "device": device.model_dump(mode="json")}
    CACHE.put(key, replace(now, found=found))
    _note_worst(level, asked, found, device.core())
    LevelSurvey.objects.update_or_create(
        level=level, content=content, defaults={"data": packed(found), "asked": asked, **drawn}
    )
    old = LevelSurvey.objects.filter(level=level).order_by("-pk").values_list("pk", flat=True)[SURVEYS:]
    LevelSurvey.objects.filter(pk__in=list(old)).delete()


@contextmanager
def _growing(level: Level, asked: str) -> Iterator[Callable[[Survey], None]]:
    """Keeps what a survey has found so far while the block runs, now and then, where there is no older one to
    be looked at."""
    mine = LevelSurvey.objects.filter(level=level, asked=asked)
    content, shown = f"{GROWING} {asked}", time.monotonic()
    begun = mine.filter(content=content)
    begun.delete()
    first = not mine.exists()

    def show(part: Survey) -> None:
        nonlocal shown
        if first and time.monotonic() - shown > SHOW_EVERY:
            with transaction.atomic():
                begun.delete()
                LevelSurvey.objects.create(level=level, asked=asked, content=content, data=packed(part))
            shown = time.monotonic()

    try:
        yield show
    finally:
        begun.delete()


def _note_worst(level: Level, asked: str, found: Survey, device: Device) -> None:
    """Note what the worst frame costs now, once for each state of the level."""
    last = level.entries.order_by("-pk").values_list("pk", flat=True).first() or 0
    worst = {name: float(found.line(name, device).max()) for name in get_args(Line)}
    SurveyPoint.objects.update_or_create(level=level, asked=asked, entry=last, defaults={"worst": worst})
    old = SurveyPoint.objects.filter(level=level, asked=asked).order_by("-pk")[POINTS:]
    SurveyPoint.objects.filter(pk__in=[point.pk for point in old]).delete()


def history(level: Level, asked: SurveyRequest, line: str) -> list[dict]:
    """How a line of the worst frame changed from survey to survey, the newest first: when, what it costs, and
    the actions since the one before, the last three in words."""
    points = level.survey_points.filter(asked=digest(asked.as_json())).order_by("-pk")[: SHOWN + 1]
    past = []
    for now, before in zip(points, [*points[1:], None]):
        done = level.entries.filter(
            undone=False, pk__lte=now.entry, pk__gt=before.entry if before else now.entry
        )
        past.append(
            {
                "at": now.at,
                "value": now.worst[line],
                "actions": done.count(),
                "what": list(done.order_by("-pk").values_list("what", flat=True)[:3]),
            }
        )
    return past[:SHOWN]


def packed(found: Survey) -> bytes:
    """A survey as NPZ."""
    out = io.BytesIO()
    arrays: dict[str, Any] = {
        "grid": np.array([found.step, found.columns]),
        "eyes": found.eyes,
        "headings": found.headings,
        "stands": np.array(list(found.loads), np.int64),
        "loads": np.stack(list(found.loads.values())),
    }
    arrays |= {f"plot {name}": loads for name, loads in found.plots.items()}
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def unpacked(data: bytes) -> Survey:
    """A survey from NPZ."""
    with np.load(io.BytesIO(data), allow_pickle=False) as file:
        step, columns = file["grid"]
        loads = dict(zip(file["stands"].tolist(), file["loads"]))
        plots = {name[5:]: file[name] for name in file.files if name.startswith("plot ")}
        return Survey(float(step), int(columns), file["eyes"], file["headings"], loads, plots)


def numbers_of(level: Level) -> dict[int, int]:
    """The stands' numbers in the level by those in the database; 0 is the ground in both."""
    return {0: 0} | dict(planted.numbers_of(level))
