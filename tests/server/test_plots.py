"""Plots: kept by leads, their shares asked for and given, what they spend told, and nobody planting in
another's where that is refused."""

import numpy as np
from django.contrib.auth.models import User

from server.catalogue.whole import document_of, make_level
from server.document.own_ground import plots_of
from server.journal.models import Entry
from server.levels.models import Level
from server.pins.models import Pin
from server.stands.models import Stand
from tests.fixtures import stored_touch
from tests.server.test_api import VIEW
from tests.server.test_ground import GroundCase, key
from tests.worker import work_off_inside_a_transaction

SURVEY = {"step": 64, "begin": True}


class Plots(GroundCase):
    def setUp(self):
        super().setUp()
        west, middle = (
            {
                "kind": "area",
                "form": "polygon",
                "name": name,
                "points": [[x0, 0], [x1, 0], [x1, 256], [x0, 256]],
                "clear": None,
            }
            for name, x0, x1 in (("West half", 0, 128), ("Middle", 100, 200))
        )
        kept = self.post("/shapes", {"key": key(), "put": [west, middle]}, self.lead).json()
        self.west, self.middle = (
            next(s["id"] for s in kept["since"]["shapes"] if s["name"] == name)
            for name in ("West half", "Middle")
        )

    def said(self, **more):
        plots = {
            "North": {"owner": "north", "area": self.west, "shares": {"Console": {"ms": 1.5}}},
            "South": {"owner": "south", "area": self.middle, "shares": {"Console": {"ms": 2}}},
        }
        return {"plots": plots, "outside": "warned"} | more

    def keep(self, client=None, **more):
        body = {"key": key(), "plots": self.said(**more)}
        return self.post("/plots", body, client or self.lead, "put")

    def now(self):
        return plots_of(Level.objects.get(pk=self.level.pk))

    def stroke_at(self, x, z=120, client=None):
        body = {"stand": self.birch.pk, "verb": "thicken", "path": [[x, z]], "radius": 20, "soft": 0.2}
        return self.post("/strokes", {"key": key(), **body, "strength": 1}, client or self.north)

    def touched(self):
        """x in m of the cells that are painted."""
        return np.nonzero(stored_touch(self.birch))[1]

    def test_a_lead_keeps_them_and_they_travel_with_the_level(self):
        self.assertEqual(self.keep(self.north).status_code, 403)
        for wrong, words in (
            ({"plots": {"A": {"owner": "nobody", "area": self.west}}}, "not a member"),
            ({"plots": {"A": {"area": 99}}}, "not there any more"),
            ({"plots": {"A": {"area": self.west}, "B": {"area": self.west}}}, "the same area"),
            ({"plots": {"A": {"area": self.west, "shares": {"Console": {"fog": 1}}}}}, "fog"),
        ):
            refused = self.keep(**wrong)
            self.assertEqual(refused.status_code, 422, refused.content)
            self.assertIn(words, refused.json()["detail"])
        self.assertEqual(self.keep().status_code, 200)
        told = self.north.get(self.base).json()["plots"]
        self.assertEqual(list(told["plots"]), ["North", "South"])
        self.assertEqual(told["plots"]["North"]["shares"], {"Console": {"ms": 1.5}})
        level = Level.objects.get(pk=self.level.pk)
        made = make_level(User.objects.get(username="lead"), document_of(level), "Again")
        self.assertEqual(plots_of(made), plots_of(level))
        self.post("/undo", {}, self.lead)
        self.assertEqual(self.now().plots, {})
        self.post("/redo", {}, self.lead)
        self.assertEqual(list(self.now().plots), ["North", "South"])

    def test_shares_are_asked_for_given_and_sum_up_as_before(self):
        self.keep()
        south = self.client_of("south")
        ask = {"plot": "North", "giver": "South", "tier": "Console", "line": "ms", "amount": 0.5}

        def send(how, client, request=ask):
            return self.post(f"/plots/{how}", {"key": key(), "request": request}, client)

        self.assertEqual(send("ask", south).status_code, 403)
        self.assertEqual(send("ask", self.north).status_code, 200)
        self.assertEqual(send("grant", self.north).status_code, 403)
        self.assertEqual(self.keep().status_code, 200)
        self.assertEqual(len(self.now().requests), 1, "open requests outlive a lead's change")
        told = send("grant", south).json()
        self.assertEqual(told["entry"]["what"], "South gives North 0.5 ms in Console")
        self.assertEqual(send("grant", south).status_code, 422, "once")
        shares = {n: p.shares["Console"]["ms"] for n, p in self.now().plots.items()}
        self.assertEqual(shares, {"North": 2.0, "South": 1.5})
        send("ask", self.north, ask | {"amount": 9})
        self.assertIn("has no 9 ms", send("grant", self.lead, ask | {"amount": 9}).json()["detail"])
        self.assertEqual(send("drop", self.north, ask | {"amount": 9}).status_code, 200)
        self.assertEqual(self.now().requests, [])
        for wrong in ({"giver": "North"}, {"tier": "None"}, {"amount": 0}, {"plot": "East"}):
            self.assertEqual(send("ask", self.lead, ask | wrong).status_code, 422, wrong)

    def test_what_they_spend_is_told_for_a_view_and_by_the_survey(self):
        self.assertEqual(self.post("/cost", VIEW).json()["plots"], [])
        self.post("/survey", SURVEY)
        work_off_inside_a_transaction()
        self.assertTrue(self.post("/survey", SURVEY).json()["fresh"])
        self.keep()
        told = self.post("/cost", VIEW).json()
        self.assertEqual([p["plot"] for p in told["plots"]], ["North", "South"])
        for line in ("triangles", "plants"):
            self.assertGreater(told["plots"][0][line], 0)
            self.assertLess(sum(p[line] for p in told["plots"]), told["total"][line])
        self.assertFalse(self.post("/survey", SURVEY).json()["fresh"], "plots want a survey of their own")
        work_off_inside_a_transaction()
        found = self.post("/survey", SURVEY | {"plot": "South", "line": "triangles"}).json()
        self.assertTrue(found["fresh"])
        spent = {p["name"]: p for p in found["plots"]}
        self.assertEqual(max(found["map"]["values"]), spent["South"]["worst"]["triangles"])
        for plot in spent.values():
            for line, worst in plot["worst"].items():
                self.assertLessEqual(plot["most5"][line], worst)
        whole = self.post("/survey", SURVEY | {"line": "triangles"}).json()
        self.assertGreater(max(whole["map"]["values"]), spent["South"]["worst"]["triangles"])

    def test_a_stroke_tells_what_plots_will_spend_before_it_is_kept(self):
        self.keep()
        stroke = {"key": key(), "stand": self.birch.pk, "verb": "thin", "path": [[90, 150], [120, 120]]}
        stroke |= {"radius": 40, "soft": 0.2, "strength": 1}
        before = {p["plot"]: p for p in self.post("/cost", VIEW).json()["plots"]}
        told = {p["plot"]: p for p in self.post("/strokes/spent", stroke | {"view": VIEW}).json()}
        self.assertLess(told["North"]["triangles"], before["North"]["triangles"])
        self.assertEqual(self.post("/cost", VIEW).json()["plots"], list(before.values()), "nothing is kept")
        self.assertEqual(self.post("/strokes", stroke).status_code, 200)
        after = {p["plot"]: p for p in self.post("/cost", VIEW).json()["plots"]}
        self.assertEqual(told, {name: after[name] for name in told})
        away = stroke | {"key": key(), "path": [[30, 30]], "radius": 10, "view": VIEW}
        self.assertEqual([p["plot"] for p in self.post("/strokes/spent", away).json()], ["North"])
        self.assertIn("view", self.post("/strokes/spent", stroke).json()["detail"])

    def test_one_is_brought_under_its_shares_without_the_others(self):
        self.keep()
        stands = {
            s.pk: ["distances", "shadows"] for s in Stand.objects.filter(level=self.level, locked=False)
        }
        asked = {"marks": {"triangles": 1e9}, "may": stands, "walks": [], "worst": True, "views": False}

        def result(**more):
            self.post("/rebalance", asked | {"begin": True} | more)
            work_off_inside_a_transaction()
            return self.post("/rebalance", asked | more).json()["result"]

        spends = max(place["before"]["triangles"] for place in result(plot="South")["places"])
        self.assertLess(spends, max(place["before"]["triangles"] for place in result()["places"]))
        found = result(plot="South", marks={"triangles": spends * 0.7})
        self.assertEqual(found["over"]["triangles"], 0)
        self.assertTrue(found["changes"])
        for place in found["places"]:
            self.assertLessEqual(place["after"]["triangles"], spends * 0.7 * 1.000001)
            view = {k: place[k] for k in ("x", "y", "z", "heading", "pitch", "fov")} | {"aspect": 16 / 9}
            told = self.post("/cost", view).json()["plots"]
            south = next(p for p in told if p["plot"] == "South")
            self.assertEqual(south["triangles"], place["before"]["triangles"])
        gone = self.post("/rebalance", asked | {"plot": "East"})
        self.assertIn("no plot 'East'", gone.json()["detail"])
        self.assertEqual(self.post("/rebalance", asked | {"marks": {"triangles": 0}}).status_code, 422)

    def test_artists_plant_only_in_their_own_where_that_is_asked(self):
        self.keep()
        self.assertEqual(self.stroke_at(180).json()["entry"]["plot"], "South", "only tagged")
        self.post("/undo", {})
        self.keep(outside="refused")
        away = self.stroke_at(180)
        self.assertEqual(away.status_code, 403)
        self.assertIn("only in their own plots", away.json()["detail"])
        self.assertEqual(self.stroke_at(240).status_code, 403, "what belongs to no plot is the lead's")
        at_the_border = self.stroke_at(120)
        self.assertEqual(at_the_border.json()["entry"]["plot"], "North")
        self.assertTrue(len(self.touched()))
        self.assertLess(self.touched().max(), 128, "nothing of it reaches over")
        pins = f"/stands/{self.birch.pk}/pins"
        put = {"key": key(), "add": [{"x": 180, "z": 60}], "push": True}
        self.assertEqual(self.post(pins, put).status_code, 403)
        self.assertEqual(Pin.objects.count(), 0)
        put = {"key": key(), "add": [{"x": 60, "z": 60}], "push": True}
        self.assertEqual(self.post(pins, put).status_code, 200)
        self.assertEqual(Entry.objects.first().plot, "North")
        week = self.north.get(f"{self.base}/plots/week").json()
        done = [(p["plot"], p["actions"], p["people"]) for p in week["plots"]]
        self.assertEqual(done, [("North", 2, ["north"])], "what was taken back does not count")
        self.assertEqual([e["what"] for e in week["changes"]], ["Plots and allotments"] * 2)
        uproot = {"stands": [self.birch.pk], "path": [[180, 60]], "radius": 30}
        self.assertEqual(self.post("/uproot", {"key": key()} | uproot).status_code, 403)
        self.assertEqual(self.stroke_at(180, client=self.lead).status_code, 200)
        self.post("/shapes", {"key": key(), "put": [], "remove": [self.west]}, self.lead)
        self.assertEqual(self.stroke_at(60).status_code, 403, "a plot without its area has no ground")

    def test_no_other_way_leads_outside_of_ones_own_plots(self):
        self.keep()
        self.post("/snapshots", {"key": key(), "name": "Before"}, self.lead)
        shot = self.level.snapshots.get().pk
        self.assertEqual(self.stroke_at(180, client=self.lead).status_code, 200)
        theirs = Entry.objects.first()
        self.keep(outside="refused")
        ground = {"kind": "area", "form": "polygon", "name": "West half", "clear": None, "id": self.west}
        wide = [[0, 0], [250, 0], [250, 256], [0, 256]]
        block = {"kind": "obstacle", "form": "box", "name": "Shed"}
        box = lambda x: {"x": x, "z": 120, "width": 30, "length": 30, "heading": 0}
        birch = f"/stands/{self.birch.pk}"
        outside = [
            ("post", "/shapes", {"put": [ground | {"points": wide}]}),
            ("post", "/shapes", {"remove": [self.west]}),
            ("post", "/shapes", {"put": [block | {"box": box(200)}]}),
            ("patch", birch, {"settings": {"fullness": 0.05}}),
            ("patch", "/stands", {"stands": {str(self.birch.pk): {"settings": {"fullness": 0.05}}}}),
            ("post", f"{birch}/change", {"seed": 99}),
            ("post", f"{birch}/remove", {}),
            ("post", f"{birch}/duplicate", {}),
            ("post", "/exchange", {"item": "birch", "by": "slate-block"}),
            ("post", f"/snapshots/{shot}/go-back", {}),
            ("post", f"/journal/{theirs.pk}/undo", {}),
            ("post", "/uproot", {"stands": [self.birch.pk], "path": [[90, 120]], "radius": 120}),
            ("post", f"{birch}/scatter", {"outline": wide, "count": 20}),
            ("post", "/new-stand", {"name": "More", "stratum": "Shrub", "item": "slate-block"}),
        ]
        plants, entries = self.all_ids(), Entry.objects.count()
        for method, path, body in outside:
            refused = self.post(path, {"key": key(), **body}, self.north, method)
            self.assertEqual(refused.status_code, 403, (path, refused.content[:300]))
            self.assertRegex(refused.json()["detail"], "own plots|leads' to change")
            self.assertEqual((self.all_ids(), Entry.objects.count()), (plants, entries), path)
        within = self.post("/shapes", {"key": key(), "put": [block | {"box": box(40)}]})
        self.assertEqual(within.status_code, 200, within.content)
        self.assertNotEqual(self.all_ids(), plants)
        self.assertEqual(self.post("/undo", {}).status_code, 200)
        self.assertEqual(self.all_ids(), plants)
        distances = {"steps": [20], "billboard": 50, "gone": 90, "fade": 5, "shadow": 20}
        drawn = self.post(birch, {"key": key(), "settings": {"distances": distances}}, self.north, "patch")
        self.assertEqual(drawn.status_code, 200, "how far they are drawn moves no plant")
        for method, path, body in outside[3:6]:
            self.assertEqual(
                self.post(path, {"key": key(), **body}, self.lead, method).status_code, 200, path
            )

    def test_a_new_name_of_its_owner_stays_its_owner(self):
        self.keep(outside="refused")
        self.north.put("/api/session/name", {"name": "Northerly"}, content_type="application/json")
        self.assertEqual(self.now().plots["North"].owner, "Northerly")
        self.assertEqual(self.stroke_at(60).status_code, 200)
