"""Handovers as folders on disk: made by the worker, the last ones of every level kept.

A handover lies in `handover/ID` of the state folder: its files in `files/`, and `handover.zip` with all of
them or, where it was made since an earlier one, with those that differ.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import time
import zipfile
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.contrib.auth.models import User

from server.handover import writing
from server.handover.models import Handover
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.running import Progress, work
from server.levels.models import Level
from thicket.formats.recipe import Recipe
from thicket.planted.handover import MANIFEST, Manifest
from thicket.progress import Report
from thicket.refused import Refused

LAST = 10
"""So many handovers of a level are kept."""
LEFT_OVER = 24 * 3600.0
"""Seconds after which a folder that belongs to no handover is removed."""
_PACKED = (".parquet", ".png", ".tif", ".zip")


def folder_of(handover: UUID) -> Path:
    """Where a handover lies."""
    return Path(settings.VAR_DIR) / "handover" / str(handover)


def start(level: Level, user: User, name: str, recipe: Recipe, since: Handover | None) -> Job:
    """Have a level handed over for somebody; what they have under way in this level is stopped."""
    return starting.start(
        "handover",
        f"handover {level.pk} {user.pk}",
        user,
        level,
        name=name,
        recipe=recipe.model_dump(mode="json"),
        since=since and str(since.pk),
    )


@work("handover")
def _make(job: Job, progress: Progress) -> None:
    given = job.arguments
    recipe = Recipe.model_validate(given["recipe"])
    since = given["since"] and folder_of(given["since"]) / "files"
    if since and not since.exists():
        raise Refused("since: the earlier handover is no longer kept")
    folder = folder_of(job.pk)
    part = folder.with_suffix(".part")
    _sweep()
    try:
        manifest = writing.hand_over(job.level, recipe, part / "files", since, progress.report)
        for name in manifest.files.keys() - set(manifest.written):
            os.link(since / name, part / "files" / name)
        _zip(part, [*manifest.written, MANIFEST], progress.report)
        progress.check()
        part.rename(folder)
        _keep(job, manifest)
    except BaseException:
        shutil.rmtree(part, ignore_errors=True)
        shutil.rmtree(folder, ignore_errors=True)
        raise


def _keep(job: Job, manifest: Manifest) -> None:
    folder = folder_of(job.pk)
    Handover.objects.create(
        pk=job.pk,
        level=job.level,
        who=job.user.get_username(),
        name=job.arguments["name"],
        recipe=manifest.recipe.model_dump(mode="json"),
        since=job.arguments["since"],
        plants=sum(manifest.plants.values()),
        files=len(manifest.files),
        size=(folder / "handover.zip").stat().st_size,
        digest=hashlib.sha256((folder / "files" / MANIFEST).read_bytes()).hexdigest(),
    )
    for old in job.level.handovers.all()[LAST:]:
        remove(old)


def remove(handover: Handover) -> None:
    """Remove a handover with its files."""
    folder = folder_of(handover.pk)
    handover.delete()
    shutil.rmtree(folder, ignore_errors=True)


def _zip(part: Path, names: list[str], report: Report) -> None:
    """Pack files of a handover; the same files always give the same bytes."""
    try:
        with zipfile.ZipFile(part / "handover.zip", "w") as archive:
            for name in names:
                report(0.95, f"Packing {name}")
                entry = zipfile.ZipInfo(name)
                entry.external_attr = 0o644 << 16
                entry.compress_type = zipfile.ZIP_STORED if name.endswith(_PACKED) else zipfile.ZIP_DEFLATED
                with (part / "files" / name).open("rb") as source, archive.open(entry, "w") as into:
                    shutil.copyfileobj(source, into, 1 << 20)
    except OSError as error:
        raise Refused(f"handover.zip: it cannot be written: {error.strerror}") from error


def _sweep() -> None:
    """Remove folders that lie there from handovers that were cut off, or whose level is gone."""
    root = folder_of(UUID(int=0)).parent
    known = {str(pk) for pk in Handover.objects.values_list("pk", flat=True)}
    for folder in root.glob("*"):
        if folder.name not in known and folder.stat().st_mtime < time.time() - LEFT_OVER:
            shutil.rmtree(folder, ignore_errors=True)
