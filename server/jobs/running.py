"""Doing long work, in the worker: progress told to the database, stopped between steps, and ended
honestly."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import timedelta
from uuid import UUID

from django.db import Error, connections
from django.utils import timezone
from django_tasks import task

from server.jobs.models import Beat, Job
from thicket.refused import Refused

log = logging.getLogger(__name__)
LIVES = timedelta(seconds=12)
"""A worker that has said nothing for so long is taken for dead."""
EVERY = 0.25
"""Seconds between two looks at the database."""
RESTARTED = "The server was restarted while this was under way, and nothing of it was kept: begin it again."


class Stopped(Exception):
    """Somebody stopped the work."""


@dataclass
class Progress:
    """What the work tells while it goes on. `step` says in words what is done now, `share` how much of all,
    0–1; `total` is what the share is counted in, where it is counted."""

    step: str = ""
    share: float = 0.0
    total: int = 0
    stopping: threading.Event = field(default_factory=threading.Event)

    def check(self) -> None:
        """Raises: Stopped when the work is to end."""
        if self.stopping.is_set():
            raise Stopped

    def tell(self, share: float, step: str | None = None) -> None:
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
def run(pk: str) -> None:
    """Do a job that waits."""
    if not Job.objects.filter(pk=pk, state=Job.State.WAITING).update(state=Job.State.RUNNING):
        return
    job = Job.objects.select_related("level", "user").get(pk=pk)
    progress, state, trouble = Progress(), Job.State.DONE, ""
    try:
        with telling(job.pk, progress):
            WORK[job.kind](job, progress)
    except Stopped:
        state = Job.State.STOPPED
    except Refused as error:
        state, trouble = Job.State.FAILED, f"{str(error).rstrip('.')}."
    except Exception:
        log.exception("%s failed", job)
        state, trouble = (
            Job.State.FAILED,
            "It failed for a reason that is in the server's log; nothing was changed.",
        )
    Job.objects.filter(pk=pk).update(
        state=state,
        trouble=trouble[:500],
        share=progress.share,
        step=progress.step[:200],
        total=progress.total,
        ended=timezone.now(),
    )


@contextmanager
def telling(pk: UUID, progress: Progress):
    """While the block runs, a thread with a connection of its own writes the progress down and reads whether
    to stop."""
    done = threading.Event()

    def look() -> None:
        while not done.wait(EVERY):
            try:
                Job.objects.filter(pk=pk).update(
                    step=progress.step[:200], share=progress.share, total=progress.total
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
    """Whether a worker has said so lately."""
    return Beat.objects.filter(at__gt=timezone.now() - LIVES).exists()


def end_what_was_cut_off() -> None:
    """Mark jobs that a worker before this one was at as failed; to be called before the first is done."""
    Job.objects.filter(state=Job.State.RUNNING).update(
        state=Job.State.FAILED, trouble=RESTARTED, ended=timezone.now()
    )
