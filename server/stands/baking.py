"""Baking: every sheet of single plants of a level made beforehand and laid on disk under its content key.

A bake can be stopped, and goes on where it was, since a sheet that lies there under its present key is not
made again. Sheets that no longer hold are swept when a bake ends.
"""

from __future__ import annotations

import contextlib

from django.conf import settings
from django.contrib.auth.models import User

from server.document.planted import planted_of
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.baked import folder_of, store_sheet
from server.levels.models import Level
from thicket.planted.whole import plant_whole, sheets_in_all, sheets_of, singles_of


def _job_key(level: Level) -> str:
    return f"bake {level.pk}"


def state(level: Level) -> dict:
    """How far the bake is: sheets in all and done, whether it runs, and what it is at; why it failed, if the
    last one did."""
    job = starting.newest(_job_key(level))
    if job and job.busy:
        total = max(job.total, 1)
        return {
            "running": True,
            "total": total,
            "done": round(job.share * total),
            "step": job.step,
            "trouble": "",
        }
    have = {p.name for p in folder_of(level).glob("*.npz")} if folder_of(level).exists() else set()
    wanted = [
        (planting, sheet) for planting in singles_of(planted_of(level)) for sheet in sheets_of(planting)
    ]
    done = sum(f"{planting.key(sheet)}.npz" in have for planting, sheet in wanted) if have else 0
    return {
        "running": False,
        "total": len(wanted),
        "done": done,
        "step": "",
        "trouble": job.trouble if job else "",
    }


def start(level: Level, user: User) -> None:
    """Begin to bake, or go on where it was."""
    if not starting.under_way(_job_key(level)):
        starting.start("bake", _job_key(level), user, level)


def stop(level: Level) -> None:
    """Stop the bake; what is done stays."""
    starting.stop(_job_key(level))


@work("bake")
def _bake(job: Job, progress: Progress) -> None:
    level = job.level
    level_planted = planted_of(level)
    progress.total = sheets_in_all(level_planted)
    kept: set[str] = set()
    with contextlib.closing(plant_whole(level_planted, scheduler=settings.SCHEDULER)) as planted:
        progress.report(0.0, "reading the ground")
        for planting, sheet in planted:
            key = planting.key(sheet)
            kept.add(f"{key}.npz")
            if not (folder_of(level) / f"{key}.npz").exists():
                store_sheet(level, key, planting.plants(sheet))
            progress.report(len(kept) / progress.total, planting.stand.name)
        for old in folder_of(level).glob("*"):
            if old.name not in kept:
                old.unlink(missing_ok=True)
