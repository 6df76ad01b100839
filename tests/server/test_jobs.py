"""Long work: told as it goes on, stopped between its steps, failed with a sentence, and ended honestly after
a restart."""

import threading
from contextlib import nullcontext
from functools import partial
from unittest import mock

from django.contrib.auth.models import User
from django.db import OperationalError, connections
from django.test import TransactionTestCase
from django.utils import timezone

from server.jobs import running, starting
from server.jobs.models import Job
from server.jobs.running import RESTARTED, WORK
from server.levels.models import Level
from tests.fixtures import small_level
from tests.server.test_api import ApiCase
from tests.worker import work_off
from thicket.refused import Refused


class Jobs(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()

    def do(self, work, key="k"):
        """Have the worker do a job; the job as it ended."""
        with mock.patch.dict(WORK, {"test": work}):
            job = starting.start("test", key)
            work_off()
        job.refresh_from_db()
        return job

    def test_progress_is_told_to_other_connections_while_it_goes_on(self):
        seen = []

        def work(job, progress):
            progress.total = 4
            progress.report(0.5, "half way")
            for _ in range(40):
                row = Job.objects.get(pk=job.pk)
                if row.step == "half way":
                    seen.append((row.state, row.share, row.total))
                    return
                progress.stopping.wait(0.05)

        job = self.do(work)
        self.assertEqual(seen, [("running", 0.5, 4)])
        self.assertEqual((job.state, job.share, job.trouble), ("done", 0.5, ""))

    def test_a_running_job_stops_at_its_next_step_and_a_waiting_one_is_never_begun(self):
        begun = threading.Event()

        def stopper():
            begun.wait(10)
            starting.stop("k")
            connections.close_all()

        def work(job, progress):
            begun.set()
            for _ in range(200):
                progress.report(0.1)
                progress.stopping.wait(0.05)
            self.fail("it was not stopped")

        thread = threading.Thread(target=stopper)
        thread.start()
        self.assertEqual(self.do(work).state, "stopped")
        thread.join()
        calls = mock.Mock()
        with mock.patch.dict(WORK, {"test": calls}):
            first, second = starting.start("test", "again"), starting.start("test", "again")
            work_off()
        self.assertEqual([c.args[0].pk for c in calls.call_args_list], [second.pk])
        first.refresh_from_db()
        self.assertEqual(first.state, "stopped")

    def test_what_cannot_be_done_is_a_sentence_and_what_fails_tells_nothing_of_its_inside(self):
        def refuse(job, progress):
            raise Refused("the file is cut short")

        def break_down(job, progress):
            raise OSError("/some/path: no space left")

        self.assertEqual(
            (self.do(refuse).state, self.do(refuse).trouble), ("failed", "the file is cut short.")
        )
        with self.assertLogs("server.jobs.running", "ERROR"):
            job = self.do(break_down)
        self.assertEqual((job.state, "log" in job.trouble, "/" in job.trouble), ("failed", True, False))

    def test_a_restart_ends_what_was_under_way_and_does_what_waits(self):
        now, make = timezone.now(), partial(Job.objects.create, kind="test", state=Job.State.RUNNING)
        cut = make(key="a", worker="worker", alive=now)
        silent = make(key="c", worker="worker-2", alive=now - running.SILENT)
        other = make(key="d", worker="worker-2", alive=now)
        done = mock.Mock()
        with mock.patch.dict(WORK, {"test": done}):
            starting.start("test", "b", User.objects.create_user("somebody"))
            running.end_what_was_cut_off("worker")
            work_off()
        for job in (cut, silent, other):
            job.refresh_from_db()
        self.assertEqual((cut.state, cut.trouble), ("failed", RESTARTED))
        self.assertEqual((silent.state, other.state), ("failed", "running"), "another worker is at that one")
        done.assert_called_once()

    def test_jobs_of_one_level_are_done_one_after_another_and_levels_take_turns(self):
        level = small_level()
        user = User.objects.get(username="north")
        other = Level.objects.create(slug="b", name="B", seed=1, cell=1, rows=9, columns=9, low=0, high=1)
        begun, beside = [], []

        def work(job, progress):
            begun.append(job.key)
            if job.key == "a1":  # another worker looks for something to do meanwhile
                beside.append(running._claimed())

        with mock.patch.dict(WORK, {"test": work}):
            for key, of in (("a1", level), ("a2", level), ("a3", level), ("b1", other), ("b2", other)):
                starting.start("test", key, user, of)
            work_off()
            self.assertEqual([job.key for job in beside], ["b1"], "not of the level that is at work")
            self.assertEqual(begun, ["a1", "a2", "a3"], "b's turn is that other worker's")
            running.do(beside[0])
            running.run.enqueue()
            work_off()
            self.assertEqual(begun[3:], ["b1", "b2"])
            begun.clear()
            for key, of in (("a1", level), ("a2", level), ("b1", other), ("b2", other)):
                starting.start("test", f"{key} again", user, of)
            work_off()
        self.assertEqual([key[:2] for key in begun], ["a1", "b1", "a2", "b2"])

    def test_a_job_whose_worker_lost_the_database_ends_when_it_is_back(self):
        real, times = Job.objects.filter, iter(range(10**9))

        def away(*args, **kwargs):
            if kwargs.get("state") == Job.State.RUNNING and "pk" in kwargs and next(times) < 2:
                raise OperationalError(2013, "lost")
            return real(*args, **kwargs)

        def work(job, progress):
            raise OperationalError(2013, "lost")

        with (
            mock.patch.object(running, "reporting", lambda *_: nullcontext()),
            mock.patch.object(Job.objects, "filter", away),
            mock.patch.object(running.time, "sleep"),
            self.assertLogs("server.jobs.running", "ERROR"),
        ):
            job = Job.objects.create(key="k", kind="test", state=Job.State.RUNNING)
            with mock.patch.dict(WORK, {"test": work}):
                running.do(job)
        job.refresh_from_db()
        self.assertEqual((job.state, job.trouble), ("failed", running.AWAY))
        self.assertEqual(self.do(lambda *_: None).state, "done", "and can be begun again")

    def test_a_file_under_way_is_anothers_secret_and_is_told_stopped(self):
        small_level()
        north, lead = (ApiCase.client_of(self, name) for name in ("north", "lead"))
        base = "/api/levels/test-moor"
        job = north.post(
            f"{base}/handovers", {"name": "All", "recipe": {}}, content_type="application/json"
        ).json()
        self.assertEqual((job["state"], job["step"]), ("waiting", "Waits for the worker"))
        at = f"{base}/handover-jobs/{job['id']}"
        self.assertEqual(lead.get(at).status_code, 404)
        self.assertEqual(north.get(f"{base}/handovers/{job['id']}/zip").status_code, 404)
        self.assertEqual(north.post(f"{at}/stop").json()["state"], "stopped")
        work_off()
        self.assertEqual(north.get(at).json()["state"], "stopped")
        self.assertEqual(north.get(f"{base}/handovers").json(), [])

    def test_a_full_disk_is_not_ready(self):
        running.beat()
        with mock.patch("server.health.shutil.disk_usage", return_value=mock.Mock(free=100 << 20)):
            answer = self.client.get("/ready")
        self.assertEqual(
            (answer.status_code, answer.json()["disk"], answer.json()["worker"]), (503, False, True)
        )

    def test_a_read_that_the_database_made_give_way_is_asked_again(self):
        small_level()
        north = ApiCase.client_of(self, "north")
        real, times = Job.objects.filter, []

        def gave_way(*args, **kwargs):
            times.append(1)
            if len(times) < 3:
                raise OperationalError(1213, "Deadlock found when trying to get lock")
            return real(*args, **kwargs)

        with mock.patch.object(Job.objects, "filter", gave_way):
            self.assertEqual((north.get("/api/jobs").status_code, len(times)), (200, 3))

    def test_work_under_way_is_listed_and_stopped_by_who_may(self):
        level = small_level()
        people = {name: ApiCase.client_of(self, name) for name in ("north", "lead", "guest")}
        self.assertEqual(people["guest"].get("/api/levels").json()[0]["trouble"], "")
        (found,) = people["north"].get("/api/jobs").json()
        self.assertEqual((found["level"], found["by"], found["may_stop"]), (level.name, "guest", False))
        stop = f"/api/jobs/{found['id']}/stop"
        self.assertEqual(people["north"].post(stop).status_code, 403)
        self.assertEqual(people["lead"].post(stop).status_code, 204, "a lead stops what others began")
        for _ in range(3):
            (card,) = people["guest"].get("/api/levels").json()
        self.assertEqual((card["trouble"], Job.objects.count()), ("Counting was stopped.", 1))
        people["north"].post(f"/api/levels/{level.slug}/summary")
        with (
            mock.patch("server.catalogue.summaries.plan.plan_png", side_effect=OSError),
            self.assertLogs("server"),
        ):
            work_off()
        for _ in range(3):
            (card,) = people["guest"].get("/api/levels").json()
        self.assertIn("log", card["trouble"])
        self.assertEqual(Job.objects.count(), 2, "what failed is not begun again by each look")
        people["north"].post(f"/api/levels/{level.slug}/summary")
        work_off()
        (card,) = people["guest"].get("/api/levels").json()
        self.assertEqual((card["trouble"], card["fresh"]), ("", True))

    def test_a_worker_that_says_nothing_is_taken_for_dead(self):
        self.assertEqual(self.client.get("/ready").json()["worker"], False)
        running.beat()
        answer = self.client.get("/ready")
        self.assertEqual((answer.status_code, answer.json()["ready"]), (200, True))
