"""The rebalance on the server: done by the worker, kept by what it follows from; its answer, tried as
settings, costs what it says; locks and what has no answer."""

from unittest.mock import patch

from server.jobs.models import Job
from server.jobs.running import Stopped
from server.levels.models import Level
from server.sight.models import RebalanceAnswer
from server.stands.models import Stand
from tests.server.test_ground import GroundCase, key
from tests.worker import work_off_inside_a_transaction as work_off

ALL = ["distances", "steps", "fades", "shadows", "tufts"]
LOOSE = {"triangles": 1e9, "draw_calls": 1e9, "shadow_triangles": 1e9, "memory": 1e12, "ms": 1e6}


class Rebalances(GroundCase):
    def setUp(self):
        super().setUp()
        views = [
            {"name": n, "x": x, "y": 392, "z": z, "heading": h, "pitch": -4, "fov": 55}
            for n, x, z, h in (("South", 128, 220, 0), ("East", 220, 128, 270))
        ]
        Level.objects.filter(pk=self.level.pk).update(bookmarks=views)
        self.may = {s.pk: ALL for s in Stand.objects.filter(level=self.level, locked=False)}

    def ask(self, marks=LOOSE, status=200, **more):
        body = {"marks": marks, "may": self.may, "worst": False, **more}
        answer = self.post("/rebalance", body)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def result(self, marks=LOOSE, **more):
        self.assertTrue(self.ask(marks, begin=True, **more)["running"])
        work_off()
        return self.ask(marks, **more)["result"]

    def test_its_answer_meets_the_marks_and_costs_what_it_says_once_kept(self):
        free = self.result()
        self.assertEqual((free["changes"], free["loss"]), ([], 0))
        self.assertEqual([p["name"] for p in free["places"]], ["South", "East"])
        now = max(place["before"]["ms"] for place in free["places"])
        marks = LOOSE | {"ms": now * 0.85}
        found = self.result(marks)
        self.assertEqual(set(found["over"].values()), {0})
        self.assertTrue(found["changes"] and found["loss"] > 0)
        self.assertLess(max(place["after"]["ms"] for place in found["places"]), now * 0.8501)
        self.assertGreater(found["places"][0]["before"]["ms"], found["places"][0]["after"]["ms"] - 1e-9)
        ms = [point["ms"] for point in found["curve"]]
        self.assertEqual(ms, sorted(ms, reverse=True))
        for change in found["changes"]:
            to = {name: change[name] for name in ("distances", "fullness") if change[name] is not None}
            self.assertEqual(self.patched(change["stand"], to).status_code, 200)
        for place in found["places"]:
            view = {k: place[k] for k in ("x", "y", "z", "heading", "pitch", "fov")} | {"aspect": 16 / 9}
            self.assertAlmostEqual(
                self.post("/cost", view).json()["total"]["ms"], place["after"]["ms"], places=4
            )
        self.assertIsNone(self.ask(marks)["result"], "the level is another now")

    def test_what_is_found_first_stays_when_the_search_is_stopped(self):
        marks = LOOSE | {"ms": 0.85 * max(place["before"]["ms"] for place in self.result()["places"])}
        self.ask(marks, begin=True)
        with (
            patch("thicket.planted.rebalancing.GAP", -1.0),
            patch("thicket.planted.rebalancing.trade_off", side_effect=Stopped),
        ):
            work_off()
        first = self.ask(marks)
        self.assertEqual((first["running"], first["result"]["done"]), (False, False))
        self.assertTrue(first["result"]["changes"])
        self.assertEqual(first["result"]["curve"], [])
        then = self.result(marks)
        self.assertTrue(then["done"] and then["curve"])
        self.assertEqual(then["changes"], first["result"]["changes"])

    def test_the_dearest_moments_of_a_walk_count(self):
        walk = {"points": [[40, 200], [200, 200], [200, 60]], "speed": 4, "eye": 1.7}
        self.post("/walks", {"key": key(), "walks": {"Round": walk}}, method="put")
        self.assertIn("no walk 'Gone'", self.ask(walks=["Gone"], status=422)["detail"])
        found = self.result(views=False, walks=["Round"])
        self.assertEqual(len(found["places"]), 3)
        for place in found["places"]:
            self.assertRegex(place["name"], r"^Round, \d:\d\d$")
            view = {k: place[k] for k in ("x", "y", "z", "heading", "pitch", "fov")} | {"aspect": 16 / 9}
            told = self.post("/cost", view).json()["total"]["ms"]
            self.assertAlmostEqual(told, place["before"]["ms"], places=4)

    def patched(self, pk, settings):
        body = {"key": key(), "settings": settings}
        return self.north.patch(f"{self.base}/stands/{pk}", body, content_type="application/json")

    def test_the_surveys_worst_places_count_and_a_known_answer_is_not_worked_out_again(self):
        found = self.result(worst=True, views=False)
        names = [p["name"] for p in found["places"]]
        self.assertEqual(names, [f"Worst place {n + 1}" for n in range(len(names))])
        self.assertGreater(len(names), 2)
        dear = [p["before"]["ms"] for p in found["places"]]
        self.assertEqual(dear, sorted(dear, reverse=True))
        self.ask(worst=True, views=False, begin=True)
        self.assertEqual(Job.objects.filter(kind="rebalance").count(), 1)
        self.ask(least=0.7, begin=True)
        self.assertEqual(self.north.delete(f"{self.base}/rebalance").status_code, 204)
        work_off()
        told = self.ask(least=0.7)
        self.assertEqual((told["running"], told["result"]), (False, None))
        self.assertEqual(RebalanceAnswer.objects.count(), 1)

    def test_marks_beyond_reach_say_by_how_much_and_what_has_no_answer_is_a_sentence(self):
        found = self.result(LOOSE | {"ms": 1e-3})
        self.assertGreater(found["over"]["ms"], 1)
        Stand.objects.filter(pk=self.birch.pk).update(locked=True)
        Level.objects.get(pk=self.level.pk).new_version()
        for more, words in (
            ({}, "is locked"),
            ({"may": {}}, "nothing may change"),
            ({"may": {10**9: ALL}}, "no longer has"),
            ({"may": {}, "views": False}, "no place counts"),
            ({"least": 0.1}, "greater than or equal to 0.4"),
            ({"marks": LOOSE | {"ms": 0}}, "greater than 0"),
        ):
            self.assertIn(words, str(self.ask(**({"marks": LOOSE} | more), status=422)))
