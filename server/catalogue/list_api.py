"""The list of levels, and what is done to levels as a whole."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.db.models import F
from django.http import HttpRequest
from ninja import Field, File, Form, Router, Schema
from ninja.errors import HttpError
from ninja.files import UploadedFile

from server.audit.recording import record
from server.catalogue import lifetime, opening, summaries
from server.jobs import starting
from server.jobs.models import Job
from server.jobs.schemas import JobOut, job_out
from server.journal.commit import commit
from server.levels.access import level_for
from server.levels.models import Level
from server.requests import KeyIn
from server.steps import ChangedOut, changed_out
from server.team.access import check_may_make_level
from thicket.document.edits import Rename
from thicket.document.settings import Name, Strict

router = Router(tags=["levels"])


class LevelCard(Schema):
    """A level in the list; `over` names the views whose cost overruns a budget mark. `fresh`, whether plants,
    over and plan are of the level as it is now; plants are not given before they were counted for the first
    time."""

    slug: str
    name: str
    role: str
    width: float
    length: float
    plants: int | None
    over: list[str]
    views: int
    plan: str
    fresh: bool
    trouble: str = Field(description="why it could not be counted; it is not tried again by itself")
    changed: datetime | None


class RemovedLevel(Schema):
    """A level that can be brought back, and until when."""

    slug: str
    name: str
    until: datetime


class RenameIn(KeyIn):
    name: Name


class LevelCopyIn(Strict):
    name: Name


class Slug(Schema):
    slug: str


@router.get("/levels", response=list[LevelCard])
def levels(request: HttpRequest):
    """The user's levels, from what is kept of each: nothing is planted to show them."""
    lifetime.clear_out()
    rows = Level.objects.filter(memberships__user=request.user, removed_at=None).annotate(
        role=F("memberships__role")
    )
    return [
        {
            "slug": level.slug,
            "name": level.name,
            "role": level.role,
            "width": level.width,
            "length": level.length,
            "views": len(level.bookmarks),
            **summaries.summary_of(level, request.user),
        }
        for level in rows.order_by("name")
    ]


@router.post("/levels/{slug}/summary", response={204: None})
def count_again(request: HttpRequest, slug: str):
    """Have the level counted for the list, after that failed or was stopped."""
    summaries.make(level_for(request, slug, to="plant"), request.user)
    return 204, None


@router.get("/removed-levels", response=list[RemovedLevel])
def removed(request: HttpRequest):
    """The removed levels that the user led, and can bring back."""
    return [
        {"slug": level.slug, "name": level.name, "until": level.removed_at + lifetime.RESTORABLE_FOR}
        for level in lifetime.removed_of(request.user)
    ]


@router.put("/levels/{slug}/name", response=ChangedOut)
def rename(request: HttpRequest, slug: str, data: RenameIn):
    """Give the level another name; leads only."""
    level, name = level_for(request, slug, to="lead"), data.name.strip()
    done = commit(request.user, level, data.key, Rename(name=name), f"Renamed {name}")
    return changed_out(request, level, done)


@router.post("/levels/{slug}/copy", response=Slug)
def copy(request: HttpRequest, slug: str, data: LevelCopyIn):
    """A level like this one, led by who copies it."""
    level = level_for(request, slug)
    check_may_make_level(request.user)
    return lifetime.copy(request.user, level, data.name.strip())


class OpeningOut(JobOut):
    """How far a saved level is that is being opened; the level, once it is there."""

    slug: str | None


def _opening_out(job: Job) -> dict:
    level = opening.level_of(job)
    return {**job_out(job), "slug": level and level.slug}


def _opening(request: HttpRequest, pk: UUID) -> Job:
    job = opening.job_of(request.user, pk)
    if job is None:
        raise HttpError(404, "That file is no longer kept: send it again.")
    return job


@router.post("/saved-levels", response=OpeningOut)
def open_saved(
    request: HttpRequest, file: File[UploadedFile], name: Annotated[str, Form(max_length=80)] = ""
):
    """Begin to make a new level, led by who brings it, from a zip of a level's folder."""
    check_may_make_level(request.user)
    return _opening_out(opening.start(request.user, file, name.strip()))


@router.get("/saved-levels/{job}", response=OpeningOut)
def look_at_opening(request: HttpRequest, job: UUID):
    """How far it is."""
    return _opening_out(_opening(request, job))


@router.post("/saved-levels/{job}/stop", response=OpeningOut)
def stop_opening(request: HttpRequest, job: UUID):
    """Stop opening a saved level; nothing of it is kept, unless it was there already."""
    starting.stop(_opening(request, job).key)
    return _opening_out(_opening(request, job))


@router.post("/levels/{slug}/remove", response={204: None})
def remove(request: HttpRequest, slug: str):
    """Remove the level; it can be brought back for a month. Leads only."""
    level = level_for(request, slug, to="lead")
    lifetime.remove(level)
    record("level", request, "removed", level)
    return 204, None


@router.post("/removed-levels/{slug}/bring-back", response=Slug)
def bring_back(request: HttpRequest, slug: str):
    """Bring a removed level back."""
    level = lifetime.bring_back(request.user, slug)
    record("level", request, "brought back", level)
    return level
