"""Handover files, made by the worker and fetched when they are done, and the bake that makes their plants
beforehand."""

from __future__ import annotations

from typing import Literal
from uuid import UUID

from django.http import FileResponse, HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError

from server.audit.recording import record
from server.handover import files
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.schemas import JobOut, job_out
from server.levels.access import level_for
from server.levels.models import Level
from server.stands import baking

router = Router(tags=["handover"])


@router.post("/levels/{slug}/handover/{file}", response=JobOut)
def make(
    request: HttpRequest,
    slug: str,
    file: Literal[
        "plants.csv",
        "level.json",
        "level.glb",
        "level.zip",
        "maps.zip",
        "densities.zip",
        "heights.png",
        "heights.tif",
        "layers.tif",
    ],
):
    """Begin to make a file: individual plants as CSV, stands and items and distances as JSON, plants with
    their meshes as binary glTF, the whole level as a zip that can be opened again; heights, ground layers,
    density maps of all stands, or all of these with the fields of the relief."""
    level = level_for(request, slug)
    record("export", request, file, level=level)
    return job_out(files.start(level, request.user, file))


def _job(request: HttpRequest, level: Level, pk: UUID) -> Job:
    job = Job.objects.filter(pk=pk, kind="handover", level=level, user=request.user).first()
    if job is None:
        raise HttpError(404, "That file is no longer kept: have it made again.")
    return job


@router.get("/levels/{slug}/handover/jobs/{job}", response=JobOut)
def look(request: HttpRequest, slug: str, job: UUID):
    """How far a file is."""
    return job_out(_job(request, level_for(request, slug), job))


@router.post("/levels/{slug}/handover/jobs/{job}/stop", response=JobOut)
def stop(request: HttpRequest, slug: str, job: UUID):
    """Stop making a file."""
    row = _job(request, level_for(request, slug), job)
    starting.stop(row.key)
    return job_out(starting.newest(row.key) or row)


@router.get("/levels/{slug}/handover/jobs/{job}/file")
def fetch(request: HttpRequest, slug: str, job: UUID):
    """A file that is done."""
    row = _job(request, level_for(request, slug), job)
    path = files.path_of(row)
    if not path.exists():
        raise HttpError(404, "That file is not there: have it made again.")
    return FileResponse(
        path.open("rb"), as_attachment=True, filename=path.name, content_type=files.FILES[path.name]
    )


class BakeOut(Schema):
    """A bake of all single plants: sheets in all and those that lie ready under their present key; what it is
    at; why the last one failed."""

    running: bool
    total: int
    done: int
    step: str
    trouble: str


@router.get("/levels/{slug}/bake", response=BakeOut)
def bake_state(request: HttpRequest, slug: str):
    """How far the level's bake is."""
    return baking.state(level_for(request, slug))


@router.post("/levels/{slug}/bake", response=BakeOut)
def bake(request: HttpRequest, slug: str):
    """Begin to bake the level, or go on where it was stopped."""
    level = level_for(request, slug, to="plant")
    baking.start(level, request.user)
    return baking.state(level)


@router.post("/levels/{slug}/bake/stop", response=BakeOut)
def stop_bake(request: HttpRequest, slug: str):
    """Stop the bake; what is done stays."""
    level = level_for(request, slug, to="plant")
    baking.stop(level)
    return baking.state(level)
