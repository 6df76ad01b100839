"""The survey of a level: done by the worker, kept by what it follows from, and told as maps."""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from django.contrib.auth.models import User

from server.cache import CACHE
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level, LevelSurvey
from server.levels.planted import planted_of
from server.levels.plots import regions_of
from server.levels.summaries import stamp_of
from server.sight.reckoning import items_of
from server.stands.models import Stand
from thicket.document.drawing import DrawingSettings
from thicket.hashing import digest
from thicket.planted.level import PlantedLevel
from thicket.planted.survey import Survey, repaired, survey
from thicket.refused import Refused
from thicket.sight.cost import Item

KEPT = 8
"""So many surveys of a level are kept."""
MOST = 40_000
"""A survey has so many places at the most."""
WORST, APART = 8, 40.0
"""So many of the worst places are listed, at least so many m apart."""


class Asked(NamedTuple):
    """What is surveyed: how the level is drawn, m between places, m of the eye above the ground."""

    drawing: DrawingSettings
    step: float
    eye: float

    def as_json(self) -> dict[str, Any]:
        return {"drawing": self.drawing.model_dump(mode="json"), "step": self.step, "eye": self.eye}


SAID = ("drawing", "step", "eye")


def check(level: Level, step: float) -> None:
    """Refuse a grid of more places than a survey may have."""
    places = level.columns * level.cell / step * level.rows * level.cell / step
    if places > MOST:
        finest = np.sqrt(level.columns * level.rows * level.cell**2 / MOST)
        raise Refused(
            f"step: that is {places:,.0f} places, more than the {MOST:,} that a survey has; take "
            f"{np.ceil(finest):.0f} m or more"
        )


def state_of(level: Level, user: User, asked: Asked, begin: bool) -> tuple[dict, Survey | None]:
    """How far a survey is; and the survey, or the newest from before the level's last changes. Begun when it
    is not known, if that is wished."""
    arguments = asked.as_json()
    content = digest(stamp_of(level)[0], arguments, {n: r.key for n, r in regions_of(level).items()})
    rows = LevelSurvey.objects.filter(level=level, asked=digest(arguments)).defer("data")
    row = rows.filter(content=content).first() or rows.order_by("-pk").first()
    found = row and CACHE.get(("survey", row.pk), lambda: unpacked(bytes(row.data)))
    fresh = row is not None and row.content == content
    if fresh:
        return {"running": False, "share": 1.0, "step": "", "trouble": "", "fresh": True}, found
    return {
        **starting.progress_of("survey", level, user, content, begin, arguments),
        "fresh": False,
    }, found


@dataclass(frozen=True)
class _Surveyed:
    """What the worker has surveyed last of a level, so that after a change only what differs is counted."""

    level: PlantedLevel
    asked: str
    plots: dict[str, str]
    stock: Mapping[str, Item]
    found: Survey | None = None

    @property
    def nbytes(self) -> int:
        return self.found.nbytes if self.found else 0


@work("survey")
def _survey(job: Job, progress: Progress) -> None:
    level, given = job.level, job.arguments
    drawing = DrawingSettings.model_validate(given["drawing"]).core()
    asked = digest({name: given[name] for name in SAID})
    plots, key = regions_of(level), ("surveyed", level.pk)
    stock, areas = items_of(level), {name: region.key for name, region in plots.items()}
    now = _Surveyed(planted_of(level), asked, areas, stock)
    last = CACHE.peek(key)
    how: dict[str, Any] = {"drawing": drawing, "tell": progress.tell, "plots": plots}
    found = None
    if last is not None and (last.asked, last.plots, last.stock) == (now.asked, now.plots, now.stock):
        found = repaired(last.found, last.level, now.level, stock, **how)
    if found is None:
        found = survey(now.level, stock, step=given["step"], height=given["eye"], **how)
    CACHE.put(key, replace(now, found=found))
    LevelSurvey.objects.update_or_create(
        level=level, content=given["content"], defaults={"data": packed(found), "asked": asked}
    )
    old = LevelSurvey.objects.filter(level=level).order_by("-pk").values_list("pk", flat=True)[KEPT:]
    LevelSurvey.objects.filter(pk__in=list(old)).delete()


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
    return {0: 0} | dict(Stand.objects.filter(level=level).values_list("pk", "number"))
