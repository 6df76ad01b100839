"""The worker's part in tests: done in the test's own process, when the test says so."""

from __future__ import annotations

from contextlib import nullcontext
from unittest import mock

from django_tasks_db.management.commands.db_worker import Worker

from server.jobs import running
from server.jobs.models import Job


def work_off() -> None:
    """Do all jobs that wait, one after another, as the worker does."""
    Worker(
        queue_names=["*"],
        interval=0,
        batch=True,
        backend_name="default",
        startup_delay=False,
        max_tasks=None,
        worker_id="test",
        excluded_queue_names=[],
    ).run()


def work_off_inside_a_transaction() -> None:
    """The same where a test's transaction hides the jobs from other connections: their progress is not told
    meanwhile."""
    with mock.patch.object(running, "reporting", lambda *_: nullcontext()):
        for job in Job.objects.filter(state=Job.State.WAITING).order_by("at"):
            Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING)
            running.do(Job.objects.select_related("level", "user").get(pk=job.pk))
