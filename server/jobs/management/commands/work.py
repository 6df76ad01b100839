"""A worker: does long work, one job after another, beside the server."""

import logging
import os
import threading
import time

from django.core.management.base import BaseCommand
from django.db import Error, connections
from django_tasks_db.management.commands.db_worker import Worker
from django_tasks_db.models import DBTaskResult

from server.catalogue import opening
from server.jobs import running
from server.jobs.models import Job
from server.locks import turn
from server.sight.judging import judge_new

log = logging.getLogger(__name__)
NICER = int(os.environ.get("KT_NICER", 10))
"""Work in the background gives way to what people wait for; tests, which wait for it, set 0."""


class Command(BaseCommand):
    help = "Do long work: imports, forecasts, bakes, handover files. `kt` starts it beside the server."

    def handle(self, *args, **options):
        os.nice(NICER)
        worker = Worker(
            queue_names=["*"],
            interval=0.2,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=running.WORKER,
            excluded_queue_names=[],
        )
        worker.configure_signals()
        for work in (self._beat, self._judge):
            threading.Thread(target=work, daemon=True).start()
        begun = False
        while worker.running:
            try:
                if not begun:
                    self._begin()
                    begun = True
                worker.run()
            except Error:
                log.warning("the database is away; trying again", exc_info=True)
                connections.close_all()
                time.sleep(1)

    def _begin(self) -> None:
        running.end_what_was_cut_off(running.WORKER)
        if not Job.objects.filter(kind=opening.KIND, state=Job.State.RUNNING).exists():
            opening.clear_out()
        DBTaskResult.objects.running().filter(worker_ids__contains=running.WORKER).update(status="FAILED")

    def _judge(self) -> None:
        """Work out what new actions add to the dearest views. Of several workers one does so."""
        while True:
            try:
                with turn("judging"):
                    while judge_new():
                        pass
            except Error:
                connections.close_all()
            time.sleep(1)

    def _beat(self) -> None:
        """Say every two seconds that this worker lives. When the database has been there for long enough
        for the others to have reported too, end what those were at that have not."""
        since = time.monotonic()
        while True:
            try:
                running.beat()
                if time.monotonic() - since > running.SILENT.total_seconds():
                    running.end_what_was_cut_off()
            except Error:
                connections.close_all()
                since = time.monotonic()
            time.sleep(2)
