"""Doing long work, in the worker: progress reported to the database, stopped between steps, and ended
honestly."""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from uuid import UUID

from django.db import Error, connection, connections
from django.db.models import Max, Q
from django.utils import timezone
from django_tasks import task

from server.errors import is_away
from server.jobs.models import Beat, Job
from server.locks import turn
from thicket.refused import Refused

log = logging.getLogger(__name__)
LIVES = timedelta(seconds=12)
"""A worker that has reported nothing for so long is taken for dead."""
SILENT = timedelta(seconds=30)
"""A job whose worker has written nothing about it for so long has been cut off."""
WORKER = os.environ.get("KT_WORKER", "worker")
EVERY = 0.25
"""Seconds between two looks at the database."""
RESTARTED = "The server was restarted while this was under way, and nothing of it was kept: begin it again."
AWAY = "The database was away while this was under way, and nothing of it was kept: begin it again."
FAILED = "It failed for a reason that is in the server's log; nothing was changed."


class Stopped(Exception):
    """Somebody stopped the work."""


@dataclass
class Progress:
    """What the work reports while it goes on. `step` says in words what is done now, `share` how much of all,
    0–1; `total` is what the share is counted in, where it is counted."""

    step: str = ""
    share: float = 0.0
    total: int = 0
    stopping: threading.Event = field(default_factory=threading.Event)

    def check(self) -> None:
        """Raises: Stopped when the work is to end."""
        if self.stopping.is_set():
            raise Stopped

    def report(self, share: float, step: str | None = None) -> None:
        """Note how far the work has come.

        Raises: Stopped when it is to end.
        """
        self.check()
        self.share, self.step = share, self.step if step is None else step


Work = Callable[[Job, Progress], None]
WORK: dict[str, Work] = {}
"""What does each kind of job. It raises `Stopped` when it was stopped and Refused when it cannot be done."""


def work(kind: str) -> Callable[[Work], Work]:
    """Have a function do the jobs of a kind."""

    def enter(function: Work) -> Work:
        WORK[kind] = function
        return function

    return enter


@task()
def run() -> None:
    """Do the job whose turn it is."""
    job = _claimed()
    if job is None:
        return
    try:
        do(job)
    finally:
        if Job.objects.filter(state=Job.State.WAITING).exists():
            run.enqueue()


def _claimed() -> Job | None:
    """The waiting job to do next, marked as running: the oldest of the lane that was served longest ago,
    among those of which no other worker does one; None when there is none."""
    with turn("jobs"):
        running = {job.lane for job in Job.objects.filter(state=Job.State.RUNNING)}
        waiting = [
            j for j in Job.objects.filter(state=Job.State.WAITING).order_by("at") if j.lane not in running
        ]
        if not waiting:
            return None
        served = Job.objects.filter(began__isnull=False).values_list("level", "user").annotate(Max("began"))
        last: dict[tuple, datetime] = {}
        for level, user, began in served:
            lane = level, None if level else user
            last[lane] = max(began, last.get(lane, began))
        never = datetime.min.replace(tzinfo=UTC)
        job = min(waiting, key=lambda j: (last.get(j.lane, never), j.at))
        now = timezone.now()
        Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(
            state=Job.State.RUNNING, worker=WORKER, began=now, alive=now
        )
    return Job.objects.select_related("level", "user").get(pk=job.pk)


def do(job: Job) -> None:
    """Do a job, and write down how it ended."""
    progress, state, trouble = Progress(), Job.State.DONE, ""
    try:
        with reporting(job.pk, progress):
            WORK[job.kind](job, progress)
    except Stopped:
        state = Job.State.STOPPED
    except Refused as error:
        state, trouble = Job.State.FAILED, f"{str(error).rstrip('.')}."
    except Exception as error:
        log.exception("%s failed", job)
        state, trouble = Job.State.FAILED, AWAY if is_away(error) else FAILED
    _write_end(job, progress, state, trouble)


def _write_end(job: Job, progress: Progress, state: str, trouble: str) -> None:
    """Write down how a job ended; while the database is away, again and again."""
    while True:
        try:
            Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(
                state=state,
                trouble=trouble[:500],
                share=progress.share,
                step=progress.step[:200],
                total=progress.total,
                ended=timezone.now(),
            )
            return
        except Error:
            if connection.in_atomic_block:
                raise
            connections.close_all()
            time.sleep(1)


@contextmanager
def reporting(pk: UUID, progress: Progress):
    """While the block runs, a thread with a connection of its own writes the progress down and reads whether
    to stop."""
    done = threading.Event()

    def look() -> None:
        while not done.wait(EVERY):
            try:
                Job.objects.filter(pk=pk).update(
                    step=progress.step[:200],
                    share=progress.share,
                    total=progress.total,
                    alive=timezone.now(),
                )
                if Job.objects.filter(pk=pk, stopping=True).exists():
                    progress.stopping.set()
            except Error:
                connections.close_all()
        connections.close_all()

    thread = threading.Thread(target=look, name=f"progress of {pk}", daemon=True)
    thread.start()
    try:
        yield
    finally:
        done.set()
        thread.join(10)


def beat() -> None:
    """Say that the worker lives."""
    Beat.objects.update_or_create(pk=1, defaults={"at": timezone.now()})


def worker_lives() -> bool:
    """Whether a worker has reported lately."""
    return Beat.objects.filter(at__gt=timezone.now() - LIVES).exists()


def end_what_was_cut_off(worker: str = "") -> None:
    """Mark jobs as failed whose worker has been silent for too long, and all of one worker, which is just
    beginning; and see that what waits is done."""
    cut_off = Q(alive=None) | Q(alive__lt=timezone.now() - SILENT)
    if worker:
        cut_off |= Q(worker=worker)
    cut = Job.objects.filter(cut_off, state=Job.State.RUNNING)
    ended = cut.update(state=Job.State.FAILED, trouble=RESTARTED, ended=timezone.now())
    if ended or worker:
        for _ in range(Job.objects.filter(state=Job.State.WAITING).count()):
            run.enqueue()
