"""Walks and tiers of a level: kept, told, taken back, handed over; the check is done by the worker, kept by
what it follows from, and of what is tried."""

import json

import numpy as np

from server.catalogue.whole import document_of, make_level
from server.jobs.models import Job
from server.levels.models import Level
from server.sight.models import WalkCheck
from tests.fixtures import MARKS
from tests.server.test_atmosphere import opened
from tests.server.test_ground import GroundCase, key
from tests.worker import work_off_inside_a_transaction as work_off
from thicket.document.drawing import tiers_for
from thicket.document.folder import zip_level
from thicket.formats.stock import from_glb
from thicket.stock.billboards import kind_of

WALK = {"points": [[40, 40], [90, 60], [120, 150], [200, 210]], "speed": 4.0, "eye": 1.7}


class Walks(GroundCase):
    def check(self, begin=True, status=200, **more):
        answer = self.post("/walks/check", {"walk": WALK, "begin": begin, **more})
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def result(self, **more):
        self.check(**more)
        work_off()
        return self.check(begin=False, **more)["result"]

    def test_what_pops_is_found_kept_and_found_anew_when_the_level_changes(self):
        self.assertIsNone(self.check(begin=False)["result"])
        self.assertEqual(Job.objects.filter(kind="walk").count(), 0)
        self.assertTrue(self.check()["running"])
        work_off()
        found = self.check(begin=False)["result"]
        long = sum(np.hypot(*np.subtract(b, a)) for a, b in zip(WALK["points"], WALK["points"][1:]))
        self.assertAlmostEqual(found["seconds"], long / WALK["speed"], places=6)
        self.assertEqual(len(found["times"]), len(found["ms"]))
        self.assertEqual({s["stand"] for s in found["stands"]}, {s.pk for s in self.level.stands.all()})
        self.assertTrue(found["worst"] and found["worst"][0]["strength"] >= found["worst"][-1]["strength"])
        for part, whole in enumerate(found["ms"]):
            self.assertAlmostEqual(sum(ms[part] for ms in found["lines"].values()), whole, delta=0.01)
        self.assertEqual(WalkCheck.objects.count(), 1)
        self.check()
        self.assertEqual(Job.objects.filter(kind="walk").count(), 1, "what is known is not worked out again")
        self.post(
            "/strokes",
            {
                "key": key(),
                "stand": self.birch.pk,
                "verb": "thin",
                "path": [[90, 90]],
                "radius": 30,
                "soft": 0,
                "strength": 1,
            },
        )
        self.assertIsNone(self.check(begin=False)["result"])

    def test_longer_fades_that_are_tried_leave_fewer_and_nothing_is_stored(self):
        plain = self.result(threshold=20)
        distances = self.birch.settings["distances"] | {"fade": 60}
        tried = self.result(threshold=20, tried={self.birch.pk: distances})
        self.assertLess(sum(tried["curve"]), sum(plain["curve"]))
        self.birch.refresh_from_db()
        self.assertNotEqual(self.birch.settings["distances"]["fade"], 60)

    def test_another_billboard_is_tried_as_it_was_told(self):
        plain = self.result(threshold=20)
        crossed = [r for r in plain["remedies"] if r["billboard"] == "crossed"]
        self.assertTrue(crossed)
        slug = crossed[0]["item"]
        tried = self.result(threshold=20, billboards={slug: "crossed"})
        self.assertEqual(sum(s["noticed"] for s in tried["stands"]), crossed[0]["left"])
        item = self.level.stock.get(slug=slug)
        path = f"/api/levels/{self.level.slug}/stock/{slug}/{item.revision}/billboard"
        shown = self.north.get(f"{path}/crossed.glb").content
        self.assertEqual(kind_of(from_glb(slug, shown).billboard), "crossed")
        self.assertEqual(kind_of(from_glb(slug, bytes(item.glb)).billboard), "facing")
        self.assertEqual(self.north.get(f"{path}/folded.glb").status_code, 422)
        for billboards, words in (
            ({"no-such": "crossed"}, "no 'no-such' that becomes a billboard"),
            ({slug: "folded"}, "crossed"),
        ):
            told = self.check(billboards=billboards, status=422)
            self.assertIn(words, str(told))

    def test_what_cannot_be_walked_is_a_sentence(self):
        for walk, words in (
            ({"points": [[10, 10], [10, 10]]}, "two different places"),
            ({"points": [[10, 10]]}, "at least 2"),
            (WALK | {"speed": 0}, "greater than or equal to 0.1"),
            ({"points": [[-90, 10], [-20, 10]]}, "no stretch of it"),
        ):
            told = self.check(walk=walk, status=422)
            self.assertIn(words, told["detail"])
        self.assertEqual(Job.objects.count(), 0)

    def test_walks_tiers_and_drawing_are_kept_told_taken_back_and_go_with_the_level(self):
        lead = self.client_of("lead")
        tiers = tiers_for(MARKS) | {"Pocket": tiers_for(MARKS)["Handheld"]}
        for path, field, fresh, client in (
            ("/walks", "walks", {"There": WALK}, self.north),
            ("/drawing", "drawing", {"sward_share": 0.5, "cell": 128}, self.north),
            ("/tiers", "tiers", tiers, lead),
        ):
            before, plants = client.get(self.base).json()[field], self.ids()
            entry = self.post(path, {"key": key(), field: fresh}, client, "put").json()["entry"]
            self.assertEqual(entry["kind"], field)
            now = client.get(self.base).json()[field]
            self.assertEqual({n: now[n] for n in fresh}, fresh)
            self.assertEqual(self.ids(), plants, "nothing of it moves a plant")
            self.post("/undo", {}, client)
            self.assertEqual(client.get(self.base).json()[field], before)
            self.post("/redo", {}, client)
        level = Level.objects.get(pk=self.level.pk)
        made = make_level(level.memberships.first().user, opened(zip_level(document_of(level))), "Again")
        self.assertEqual(list(made.tiers), [*tiers_for(MARKS), "Pocket"])
        self.assertEqual((made.walks, made.drawing["cell"]), ({"There": WALK}, 128))
        told = json.loads(self.handed_over("level.json"))
        self.assertEqual((told["walks"], list(told["tiers"])), ({"There": WALK}, list(made.tiers)))

    def test_tiers_that_cannot_be_are_a_sentence_and_nothing_is_stored(self):
        lead, before = self.client_of("lead"), Level.objects.get(pk=self.level.pk).tiers
        console = before["Console"]
        for tiers, words in (
            ({}, "at least 1"),
            ({"Console": console | {"drawing": {"plants": False}}}, "a tier that draws no plants"),
            ({"Console": console | {"drawing": {"distances": 0}}}, "greater than or equal to 0.05"),
            ({"Console": {"drawing": {}}}, "required"),
            ({" ": console}, "pattern"),
            ({f"T{n}": console for n in range(9)}, "at most 8"),
        ):
            answer = self.post("/tiers", {"key": key(), "tiers": tiers}, lead, "put")
            self.assertEqual(answer.status_code, 422, tiers)
            self.assertIn(words, answer.json()["detail"])
        gone = self.post("/marks", {"key": key(), "tier": "Pocket", "marks": MARKS}, lead, "put")
        self.assertIn("has no tier 'Pocket'", gone.json()["detail"])
        self.assertEqual(Level.objects.get(pk=self.level.pk).tiers, before)
