"""Asking for long work, from the server: begun, looked at, stopped."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from server.jobs.models import Job
from server.jobs.running import run
from server.levels.models import Level

KEEP_FOR = timedelta(days=7)


def start(
    kind: str, key: str, user: User | None = None, level: Level | None = None, **arguments: object
) -> Job:
    """Have long work done by the worker; what was under way under the same key is stopped."""
    stop(key)
    Job.objects.filter(at__lt=timezone.now() - KEEP_FOR).delete()
    job = Job.objects.create(
        kind=kind, key=key, user=user, level=level, arguments=arguments, step="Waits for the worker"
    )
    transaction.on_commit(lambda: run.enqueue())
    return job


def _key_of(kind: str, level: Level, user: User) -> str:
    return f"{kind} {level.pk} {user.pk}"


def stop_own(kind: str, level: Level, user: User) -> None:
    """Stop the work of a kind that a person has under way on a level: see `progress_of`."""
    stop(_key_of(kind, level, user))


def progress_of(kind: str, level: Level, user: User, content: str, begin: bool, arguments: dict) -> dict:
    """How far a person's work of a kind on a level is, when it is that of a content; begun when it is not
    under way, if that is wished."""
    key = _key_of(kind, level, user)
    job = newest(key)
    mine = job is not None and job.arguments.get("content") == content
    if begin and not (mine and job and job.busy):
        job, mine = start(kind, key, user, level, content=content, **arguments), True
    if not (mine and job):
        return {"running": False, "share": 0.0, "step": "", "trouble": ""}
    return {"running": job.busy, "share": job.share, "step": job.step, "trouble": job.trouble}


def newest(key: str) -> Job | None:
    """The newest job under a key."""
    return Job.objects.filter(key=key).order_by("-at").first()


def under_way(key: str) -> Job | None:
    """The job under a key that has not ended."""
    job = newest(key)
    return job if job and job.busy else None


def stop(key: str) -> None:
    """Have all jobs under a key stopped: those that wait at once, one that runs at its next step."""
    jobs = Job.objects.filter(key=key)
    jobs.filter(state=Job.State.WAITING).update(state=Job.State.STOPPED, ended=timezone.now())
    jobs.filter(state=Job.State.RUNNING).update(stopping=True)
