"""Long work on drafts: one thread each, with progress, and stopped between its steps."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field

from django.db import close_old_connections

log = logging.getLogger(__name__)


class Stopped(Exception):
    """Somebody stopped the work."""


@dataclass
class Job:
    """Work under way. `step` says in words what is done now, `share` how much of all, 0–1."""

    step: str = ""
    share: float = 0.0
    stopping: threading.Event = field(default_factory=threading.Event)
    thread: threading.Thread | None = None
    total: int = 0
    """Of what the share is counted in, where it is counted."""

    def tell(self, share: float, step: str | None = None) -> None:
        """Note how far the work has come.

        Raises: Stopped when it is to end.
        """
        if self.stopping.is_set():
            raise Stopped
        self.share, self.step = share, self.step if step is None else step


_jobs: dict[Hashable, Job] = {}
_lock = threading.Lock()


def job_of(key: Hashable) -> Job | None:
    """The work under way for a draft, or under another name."""
    with _lock:
        return _jobs.get(key)


def start(key: Hashable, work: Callable[[Job], None]) -> Job:
    """Begin work for a draft after what is under way for it has been stopped."""
    stop(key)
    job = Job()

    def run() -> None:
        close_old_connections()
        try:
            work(job)
        except Exception:
            log.exception("work on %s failed", key)
        finally:
            with _lock:
                if _jobs.get(key) is job:
                    del _jobs[key]
            close_old_connections()
            _close()

    job.thread = threading.Thread(target=run, name=f"work on {key}", daemon=True)
    with _lock:
        _jobs[key] = job
    job.thread.start()
    return job


def _close() -> None:
    from django.db import connections

    connections.close_all()


def stop(key: Hashable, wait: float = 60.0) -> None:
    """Stop the work for a draft and wait until it has ended."""
    job = job_of(key)
    if job and job.thread:
        job.stopping.set()
        if job.thread is not threading.current_thread():
            job.thread.join(wait)
