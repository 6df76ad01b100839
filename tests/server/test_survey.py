"""The survey on the server: done by the worker, told line by line as the cost model has it, kept over the
level's changes and said to be old, stopped."""

import io
from unittest import mock

import numpy as np
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.db.models import F

from server.jobs.models import Job
from server.jobs.running import Stopped
from server.levels.models import Level
from server.sight import surveys
from server.sight.judging import judge_new
from server.sight.models import LevelSurvey
from server.stands.access import planting_of
from server.stands.models import Stand
from tests.caching import nothing_kept
from tests.fixtures import MARKS
from tests.server.test_ground import GroundCase, key
from tests.server.test_mixes import AREA
from tests.worker import work_off_inside_a_transaction as work_off
from thicket.document.drawing import DeviceSettings, DrawingSettings, tiers_for
from thicket.hashing import digest
from thicket.planted.survey import EYE
from thicket.progress import quietly

DEVICE = {"name": "Ours", "per_mtri": 5, "per_kcall": 7, "fixed": 1.5}


class Surveys(GroundCase):
    def ask(self, status=200, **more):
        answer = self.post("/survey", {"step": 32, **more})
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def test_it_is_done_by_the_worker_and_every_line_is_what_the_view_costs(self):
        self.assertEqual((self.ask()["map"], Job.objects.count()), (None, 0))
        self.assertTrue(self.ask(begin=True)["running"])
        self.assertEqual(self.ask(begin=True)["map"], None)
        self.assertEqual(Job.objects.filter(kind="survey").count(), 1)
        work_off()
        for line in ("ms", "triangles", "shadow_triangles", "memory"):
            told = self.ask(line=line, device=DEVICE)
            self.assertTrue(told["fresh"] and not told["running"])
            map_ = told["map"]
            self.assertEqual((map_["columns"] * map_["rows"], map_["step"]), (64, 32))
            self.assertEqual(len(map_["values"]), 64)
            worst = map_["worst"][0]
            self.assertAlmostEqual(worst["value"], max(map_["values"]), places=3)
            self.assertTrue(max(map_["values"]) >= map_["most5"] >= sorted(map_["values"])[32])
            view = {name: worst[name] for name in ("x", "y", "z", "heading")}
            view |= {"pitch": 0, "fov": 55, "aspect": 16 / 9, "device": DEVICE}
            cost = self.post("/cost", view).json()
            self.assertAlmostEqual(cost["total"][line] / worst["value"], 1, places=2)
            by_stand = {s["stand"]: s[line] for s in cost["stands"]} | {0: cost["ground"][line]}
            for stand, value in worst["spent"]:
                self.assertAlmostEqual(by_stand[stand] / max(value, 1e-9), 1, places=2)
            self.assertEqual(worst["spent"][0][0], max(by_stand, key=by_stand.get))
        own = self.ask(line="triangles", stand=self.birch.pk)["map"]
        self.assertLess(max(own["values"]), max(self.ask(line="triangles")["map"]["values"]))

    def test_the_first_one_is_looked_at_while_it_grows_and_leaves_nothing_behind_when_stopped(self):
        user, level, grown = User.objects.get(username="north"), Level.objects.get(), []
        asked = surveys.SurveyRequest(DrawingSettings(), 32.0, EYE)

        def look(share, step):
            _, found = surveys.state_of(level, user, asked, {}, False)
            grown.append(list(found.loads) if found else [])
            if len(grown) == last:
                raise Stopped

        last = 4
        with nothing_kept(), mock.patch("server.sight.surveys.SHOW_EVERY", -1):
            with self.assertRaises(Stopped):
                surveys.make(level, asked, DeviceSettings(), report=look)
            self.assertEqual([len(stands) for stands in grown], [0, 0, 2, 3])
            self.assertEqual(LevelSurvey.objects.count(), 0)
            last = 0
            surveys.make(level, asked, DeviceSettings(), report=look)
            other = asked._replace(step=64.0)
            cut_off = f"{surveys.GROWING} {digest(other.as_json())}"
            LevelSurvey.objects.create(level=level, asked=digest(other.as_json()), content=cut_off, data=b"")
            surveys.make(level, asked._replace(eye=2.0), DeviceSettings(), report=quietly)
        growing = LevelSurvey.objects.filter(content__startswith=surveys.GROWING)
        self.assertEqual([row.content for row in growing], [cut_off], "another's is in nobody's way")
        self.assertEqual(self.ask(stand=self.birch.pk)["fresh"], True)
        new = Stand.objects.get(pk=self.birch.pk)
        new.pk, new.slug, new.number, new.place = None, "new", 90, 90
        new.save()
        self.assertIsNone(self.ask(stand=new.pk)["map"], "it was not there yet")

    def test_the_command_has_it_ready_for_who_looks_through_the_last_tier(self):
        level = Level.objects.get()
        Level.objects.update(tiers=tiers_for(MARKS))
        drawing = tiers_for(MARKS)["Desktop"]["drawing"]
        self.assertIsNone(self.ask(drawing=drawing)["map"])
        told = io.StringIO()
        call_command("survey", level.slug, step=32.0, stdout=told)
        self.assertIn("through Desktop", told.getvalue())
        self.assertTrue(self.ask(drawing=drawing)["fresh"])
        for wrong, words in (
            ({"tier": "Pocket"}, "no tier 'Pocket'"),
            ({"step": 0.5}, "more than the 40,000"),
        ):
            with self.assertRaisesMessage(CommandError, words):
                call_command("survey", level.slug, stdout=told, **wrong)
        with self.assertRaisesMessage(CommandError, "no level called 'nowhere'"):
            call_command("survey", "nowhere")

    def test_a_change_makes_it_old_but_it_can_still_be_looked_at(self):
        self.ask(begin=True)
        work_off()
        self.ask(drawing={"distances": 0.5}, begin=True)
        work_off()
        self.assertEqual(LevelSurvey.objects.count(), 2)
        before = self.ask()["map"]["values"]
        self.assertNotEqual(self.ask(drawing={"distances": 0.5})["map"]["values"], before)
        self.stroke(strength=1, radius=40)
        old = self.ask()
        self.assertEqual((old["fresh"], old["running"], old["map"]["values"]), (False, False, before))
        self.ask(begin=True)
        work_off()
        now = self.ask()
        self.assertTrue(now["fresh"])
        self.assertNotEqual(now["map"]["values"], before)
        past = now["history"]
        self.assertEqual([p["actions"] for p in past], [1, 0])
        self.assertEqual(past[0]["what"], [self.level.entries.first().what])
        self.assertEqual([round(p["value"], 4) for p in past], [max(now["map"]["values"]), max(before)])
        LevelSurvey.objects.all().delete()
        with nothing_kept():
            self.ask(begin=True)
            work_off()
            np.testing.assert_allclose(self.ask()["map"]["values"], now["map"]["values"], rtol=1e-4)
        self.post("/undo", {})
        self.ask(begin=True)
        work_off()
        self.assertEqual(self.ask()["map"]["values"], before)

    def test_an_action_is_told_with_what_it_adds_to_the_dearest_view_that_it_reaches(self):
        self.stroke(strength=1, radius=24)
        self.assertIsNone(self.last()["worst"], "the level has not been surveyed")
        tiers = self.level.tiers
        tiers["Desktop"]["device"] = DEVICE
        Level.objects.update(tiers=tiers)
        self.ask(begin=True, device=DEVICE)
        work_off()
        judge_new()
        stand = f"/stands/{self.birch.pk}"
        (plants,) = (planting_of(s).plants((0, 0)) for s in [Stand.objects.get(pk=self.birch.pk)])
        removed = {"key": key(), "remove": [str(plants.id[0])]}
        lighter = {"key": key(), "settings": {"distances": {**self.birch.settings["distances"], "shadow": 0}}}
        coarser = {"key": key(), "cell": 8}
        rock = AREA | {"kind": "obstacle", "clear": 0.5, "name": "Rock"}
        drawing = {"shadow_reach": 5, "distances": 0.5}
        actions = (
            ("painted", lambda: self.stroke(strength=1, radius=40, verb="thin")),
            ("cleared", lambda: self.post(f"{stand}/clear", {"key": key()})),
            ("painted again", lambda: self.stroke(strength=1, radius=40, verb="thin")),
            ("all cleared", lambda: self.post("/clear", {"key": key()})),
            ("removed", lambda: self.post(f"{stand}/pins", removed)),
            ("without shadows", lambda: self.post(stand, lighter, method="patch")),
            ("painted once more", lambda: self.stroke(strength=1, radius=40, verb="thin")),
            ("coarser touch", lambda: self.post("/resolution", coarser, self.lead)),
            ("an obstacle", lambda: self.post("/shapes", {"key": key(), "put": [rock]})),
            ("a stand removed", lambda: self.post(f"{stand}/remove", {"key": key()})),
            (
                "drawn less far",
                lambda: self.post("/drawing", {"key": key(), "drawing": drawing}, method="put"),
            ),
        )
        for name, act in actions:
            with self.subTest(name):
                answer = act()
                self.assertEqual(answer.status_code, 200, answer.content)
                self.assertIsNone(self.last()["worst"], "it is judged by a worker, later")
                self.assertEqual(judge_new(), 1)
                entry = self.last()
                worst = entry["worst"]
                after = self.frame(worst)
                self.post(f"/journal/{entry['id']}/undo", {})
                self.assertAlmostEqual(after - self.frame(worst), worst["ms"], places=3)
                self.assertNotEqual(worst["ms"], 0)
                self.post(f"/journal/{entry['id']}/redo", {})
        self.assertLess(worst["ms"], 0)

    def test_a_stand_that_cannot_be_planted_keeps_no_action_from_being_stored(self):
        tiers = self.level.tiers
        self.ask(begin=True, device=tiers["Desktop"]["device"])
        work_off()
        sward = Stand.objects.get(level=self.level, sward=True)
        too_many = sward.settings | {"spacing": 0.2}
        Stand.objects.filter(pk=sward.pk).update(settings=too_many)
        Level.objects.update(version=F("version") + 1)
        for told in (False, True):
            nearer = {"key": key(), "drawing": {"shadow_reach": 5, "distances": 0.5}}
            self.assertEqual(self.post("/drawing", nearer, method="put").status_code, 200)
            judge_new()
            self.assertEqual(self.last()["worst"] is not None, told)
            self.post("/undo", {})
            Stand.objects.filter(pk=sward.pk).update(settings=sward.settings)
            Level.objects.update(version=F("version") + 1)

    def last(self) -> dict:
        return self.north.get(f"{self.base}/journal").json()[0]

    def frame(self, worst: dict) -> float:
        """What the whole frame costs there now, in ms."""
        view = {name: worst[name] for name in ("x", "y", "z", "heading")}
        drawing = Level.objects.get().drawing
        view |= {"pitch": 0, "fov": 55, "aspect": 16 / 9, "device": DEVICE, "drawing": drawing}
        return self.post("/cost", view).json()["total"]["ms"]

    def test_it_is_stopped_and_what_cannot_be_surveyed_is_a_sentence(self):
        self.ask(begin=True)
        self.assertEqual(self.north.delete(f"{self.base}/survey").status_code, 204)
        work_off()
        told = self.ask()
        self.assertEqual((told["running"], told["map"]), (False, None))
        for wrong, words in (
            ({"step": 1}, "greater than or equal to 8"),
            ({"step": 1e9}, "less than or equal to 64"),
            ({"eye": 0}, "greater than or equal to 0.1"),
            ({"line": "fps"}, "draw_calls"),
            ({"stand": 10**9}, "no longer has this stand"),
        ):
            self.assertIn(words, str(self.ask(422, **wrong)))
        most, surveys.MOST = surveys.MOST, 900
        self.addCleanup(setattr, surveys, "MOST", most)
        self.assertIn("take 9 m or more", self.ask(422, step=8)["detail"])
        self.assertEqual(Level.objects.get(pk=self.level.pk).surveys.count(), 0)
