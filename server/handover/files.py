"""Handover files made by the worker, and fetched when they are done."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User

from server.handover import writing
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level

KEEP_FOR = 24 * 3600.0
"""Seconds for which a file is kept."""
FILES = {
    "plants.csv": "text/csv; charset=utf-8",
    "level.json": "application/json",
    "level.glb": "model/gltf-binary",
    "level.zip": "application/zip",
    "maps.zip": "application/zip",
    "densities.zip": "application/zip",
    "heights.png": "image/png",
    "heights.tif": "image/tiff",
    "layers.tif": "image/tiff",
}
"""What is handed over, with its content type."""
MAKE = {
    "plants.csv": writing.plants_csv,
    "level.json": writing.level_json,
    "level.glb": writing.plants_glb,
    "level.zip": writing.level_zip,
    "maps.zip": writing.maps_zip,
    "densities.zip": writing.densities_zip,
    "heights.png": writing.heights_png,
    "heights.tif": writing.heights_tif,
    "layers.tif": writing.layers_tif,
}


def _folder() -> Path:
    return Path(settings.VAR_DIR) / "handover"


def path_of(job: Job) -> Path:
    """Where a job's file lies when it is done."""
    return _folder() / str(job.pk) / job.arguments["file"]


def start(level: Level, user: User, name: str) -> Job:
    """Have a file made for somebody; one of the same name that they are still waiting for is stopped."""
    return starting.start("handover", f"handover {level.pk} {user.pk} {name}", user, level, file=name)


@work("handover")
def _make(job: Job, progress: Progress) -> None:
    _sweep()
    name, path = job.arguments["file"], path_of(job)
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        part = path.with_suffix(".part")
        part.write_bytes(MAKE[name](job.level, progress.report))
        progress.report(1.0, f"{name} is ready")
        part.rename(path)
    except BaseException:
        shutil.rmtree(path.parent, ignore_errors=True)
        raise


def _sweep() -> None:
    """Remove files that nobody has come for."""
    for folder in _folder().glob("*"):
        if folder.stat().st_mtime < time.time() - KEEP_FOR:
            shutil.rmtree(folder, ignore_errors=True)
