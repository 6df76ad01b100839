"""The long work that is under way, looked at and stopped."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.http import HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError

from server.errors import NotAllowed
from server.jobs import starting
from server.jobs.models import Job
from server.levels.models import Membership

router = Router(tags=["jobs"])
TITLES = {
    "summarise": "Counting plants for the list of levels",
    "open level": "Opening a saved level",
    "read draft": "Reading ground",
    "keep draft": "Keeping ground",
    "handover": "Writing a handover file",
    "survey": "Surveying the level",
    "walk": "Checking a walk",
    "rebalance": "Bringing a level under its marks",
    "bake": "Planting a level from nothing",
    "bring stock": "Reading meshes",
    "mend stock": "Mending an item",
    "clear out levels": "Clearing out removed levels",
}


class WorkOut(Schema):
    """Long work that waits or is done now: for which level, and who began it; whether one may stop it."""

    id: UUID
    title: str
    level: str
    by: str
    state: str
    step: str
    share: float
    at: datetime
    may_stop: bool


def _seen_by(user: User) -> QuerySet[Job]:
    """The work that a person is shown: their own, and that of the levels they are a member of."""
    busy = Job.objects.filter(state__in=(Job.State.WAITING, Job.State.RUNNING)).select_related(
        "level", "user"
    )
    if user.is_superuser:
        return busy
    return busy.filter(Q(user=user) | Q(level__memberships__user=user)).distinct()


def _led(user: User) -> set[int]:
    return set(user.memberships.filter(role=Membership.Role.LEAD).values_list("level_id", flat=True))


def _may_stop(user: User, job: Job, led: set[int]) -> bool:
    return user.is_superuser or job.user_id == user.pk or job.level_id in led


@router.get("/jobs", response=list[WorkOut])
def under_way(request: HttpRequest):
    """The long work that waits or is done now, first what was asked for first."""
    led = _led(request.user)
    return [
        {
            "id": job.pk,
            "title": TITLES.get(job.kind, job.kind),
            "level": job.level.name if job.level else "",
            "by": job.user.get_username() if job.user else "",
            "may_stop": _may_stop(request.user, job, led),
            **{name: getattr(job, name) for name in ("state", "step", "share", "at")},
        }
        for job in _seen_by(request.user).order_by("at")
    ]


@router.post("/jobs/{job}/stop", response={204: None})
def stop(request: HttpRequest, job: UUID):
    """Stop long work: one's own, or as a lead any of the level's."""
    row = _seen_by(request.user).filter(pk=job).first()
    if row is None:
        raise HttpError(404, "That work has ended.")
    if not _may_stop(request.user, row, _led(request.user)):
        raise NotAllowed("Only who began it, or a lead of the level, may stop it.")
    starting.stop(row.key)
    return 204, None
