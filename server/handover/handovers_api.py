"""Handovers: made by the worker from a recipe, kept, compared and downloaded; for people who are signed in,
and for build machines with a token."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError
from ninja.security import django_auth

from server.audit.recording import record
from server.handover import files
from server.handover.models import Handover
from server.handover.tokens import TokenAuth
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.schemas import JobOut, job_out
from server.levels.access import level_for
from server.levels.models import Level
from server.ranges import ranged
from thicket.document.settings import Name, Strict
from thicket.formats.recipe import Recipe
from thicket.planted.handover import MANIFEST, Manifest, read_manifest
from thicket.planted.handover_changes import HandoverChanges, compare

router = Router(tags=["handover"], auth=[TokenAuth(), django_auth])


class HandoverIn(Strict):
    """What to hand over: the level's recipe of this name, or a recipe that is called so this once; and the
    earlier handover since which only what has changed is wanted."""

    name: Name
    recipe: Recipe | None = None
    since: UUID | None = None


class HandoverOut(Schema):
    """A handover: when, by whom, by which recipe; its plants and files, the bytes of its zip, and the SHA-256
    of its manifest."""

    id: UUID
    at: datetime
    who: str
    name: str
    recipe: Recipe
    since: UUID | None
    plants: int
    files: int
    size: int
    digest: str


@router.get("/levels/{slug}/handovers", response=list[HandoverOut])
def list_handovers(request: HttpRequest, slug: str):
    """The last handovers of a level, the newest first."""
    return list(level_for(request, slug).handovers.all())


@router.post("/levels/{slug}/handovers", response=JobOut)
def make(request: HttpRequest, slug: str, data: HandoverIn):
    """Begin to hand a level over. When the job is done, the handover has the job's id."""
    level = level_for(request, slug)
    recipe = data.recipe
    if recipe is None:
        if data.name not in level.recipes:
            raise HttpError(404, f"{level.name} has no recipe {data.name!r}; somebody may have removed it.")
        recipe = Recipe.model_validate(level.recipes[data.name])
    since = _handover(level, data.since) if data.since else None
    record("export", request, data.name, level=level)
    return job_out(files.start(level, request.user, data.name, recipe, since))


@router.get("/levels/{slug}/handover-jobs/{job}", response=JobOut)
def look(request: HttpRequest, slug: str, job: UUID):
    """How far a handover is."""
    return job_out(_job(request, level_for(request, slug), job))


@router.post("/levels/{slug}/handover-jobs/{job}/stop", response=JobOut)
def stop(request: HttpRequest, slug: str, job: UUID):
    """Stop a handover; nothing of it is kept."""
    row = _job(request, level_for(request, slug), job)
    starting.stop(row.key)
    row.refresh_from_db()
    return job_out(row)


@router.delete("/levels/{slug}/handovers/{handover}", response=list[HandoverOut])
def remove(request: HttpRequest, slug: str, handover: UUID):
    """Remove a handover that is kept, and its files."""
    level = level_for(request, slug, to="plant")
    files.remove(_handover(level, handover))
    return list(level.handovers.all())


@router.get("/levels/{slug}/handovers/{handover}/manifest", response=Manifest)
def manifest(request: HttpRequest, slug: str, handover: UUID):
    """What files a handover has: see docs/formats.md."""
    return _manifest(_handover(level_for(request, slug), handover))


@router.get("/levels/{slug}/handovers/{handover}/zip")
def fetch(request: HttpRequest, slug: str, handover: UUID):
    """The files of a handover as one zip; a part of it is sent where a range is asked for."""
    level = level_for(request, slug)
    row = _handover(level, handover)
    record("download", request, row.name, level=level)
    return ranged(
        request, files.folder_of(row.pk) / "handover.zip", f"{level.slug}-{row.at:%Y-%m-%d-%H%M}.zip"
    )


@router.get("/levels/{slug}/handovers/{handover}/files/{name}")
def fetch_file(request: HttpRequest, slug: str, handover: UUID, name: str):
    """One file of a handover; a part of it is sent where a range is asked for."""
    level = level_for(request, slug)
    row = _handover(level, handover)
    if name != MANIFEST and name not in _manifest(row).files:
        raise HttpError(404, f"That handover has no file {name[:60]!r}.")
    record("download", request, f"{name} of {row.name}", level=level)
    return ranged(request, files.folder_of(row.pk) / "files" / name, name)


@router.get("/levels/{slug}/handovers/{handover}/changes", response=HandoverChanges)
def changes(request: HttpRequest, slug: str, handover: UUID, since: UUID):
    """What a handover has otherwise than an earlier one: plants by stand and by cell."""
    level = level_for(request, slug)
    earlier, later = (files.folder_of(_handover(level, pk).pk) / "files" for pk in (since, handover))
    return compare(earlier, later)


def _job(request: HttpRequest, level: Level, pk: UUID) -> Job:
    job = Job.objects.filter(pk=pk, kind="handover", level=level, user_id=request.user.pk).first()
    if job is None:
        raise HttpError(404, "There is no such handover under way, or it is another's.")
    return job


def _handover(level: Level, pk: UUID) -> Handover:
    row = level.handovers.filter(pk=pk).first()
    if row is None:
        raise HttpError(404, f"That handover is no longer kept: the last {files.LAST} of a level are.")
    return row


def _manifest(row: Handover) -> Manifest:
    return read_manifest(files.folder_of(row.pk) / "files")
