"""Saved levels that people bring as a zip, opened by the worker."""

from __future__ import annotations

import shutil
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from uuid import UUID, uuid4

from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile

from server.audit.recording import record
from server.catalogue.whole import check_free, make_level
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level
from thicket.formats.bounded import Bounds, bounded
from thicket.planted.checking import open_checked
from thicket.refused import Refused

KIND = "open level"
BOUNDS = Bounds(memory=2_000_000_000, seconds=60, patience=180.0)
AT_ONCE = 3
UNPACKED = "unpacked-"
KEEP_FOR = 24 * 3600.0
"""Seconds after which a file that no job took is removed."""


def _folder() -> Path:
    return Path(settings.VAR_DIR) / "opening"


def _path_of(file: str) -> Path:
    return _folder() / f"{file}.zip"


def start(user: User, file: UploadedFile, name: str) -> Job:
    """Have a zip opened as a new level, led by who brings it.

    Raises: Refused when there is a level of the name that it is to have, or another file of theirs is being
    opened."""
    if name:
        check_free(name)
    waiting = [job for job in Job.objects.filter(kind=KIND, user=user) if job.busy]
    if len(waiting) >= AT_ONCE:
        raise Refused(f"file: {AT_ONCE} saved levels of yours are being opened: wait for them, or stop one")
    _sweep()
    kept = str(uuid4())
    _folder().mkdir(parents=True, exist_ok=True)
    with _path_of(kept).open("wb") as out:
        for chunk in file.chunks():
            out.write(chunk)
    called = f"file: {(file.name or 'level.zip')[:80]}"
    return starting.start(KIND, f"{KIND} {kept}", user, file=kept, called=called, name=name)


def job_of(user: User, pk: UUID) -> Job | None:
    """A zip's job, when it is this person's."""
    return Job.objects.filter(pk=pk, kind=KIND, user=user).first()


def level_of(job: Job) -> Level | None:
    """The level that a job has made."""
    return Level.objects.filter(pk=job.arguments.get("made")).first()


@work(KIND)
def _open(job: Job, progress: Progress) -> None:
    assert job.user is not None
    path, called = _path_of(job.arguments["file"]), job.arguments["called"]
    try:
        progress.report(0.1, "Reading the file")
        with tempfile.TemporaryDirectory(
            prefix=UNPACKED, dir=_folder(), ignore_cleanup_errors=True
        ) as folder:
            document = bounded(
                called,
                open_checked,
                path,
                called,
                Path(folder),
                bounds=BOUNDS,
                tick=progress.check,
                work=Path(folder),
            )
        progress.report(0.5, "Storing the level")
        level = make_level(job.user, document, job.arguments["name"])
        record("level", None, "opened from a file", level, job.user.get_username())
        Job.objects.filter(pk=job.pk).update(arguments=job.arguments | {"made": level.pk})
        progress.share, progress.step = 1.0, "The level is there"
    finally:
        path.unlink(missing_ok=True)


def _sweep() -> None:
    for path in _folder().glob("*.zip"):
        if path.stat().st_mtime < time.time() - KEEP_FOR:
            path.unlink(missing_ok=True)


def clear_out() -> None:
    """Remove what a worker that was killed left unpacked: what lies there longer than a file is read."""
    for folder in _folder().glob(f"{UNPACKED}*"):
        with suppress(FileNotFoundError):
            if folder.stat().st_mtime < time.time() - 2 * BOUNDS.patience:
                shutil.rmtree(folder, ignore_errors=True)
