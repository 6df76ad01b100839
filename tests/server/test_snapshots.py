"""Snapshots compared and gone back to, bakes stopped and gone on with, the sample of nine, and two people at
once."""

import shutil
import threading

import numpy as np
from django.db import connections
from django.test import TransactionTestCase

from server.cache import CACHE
from server.document.arrays import EditArrays
from server.document.planted import planted_of
from server.journal.models import Entry
from server.levels.baked import baked_of, folder_of
from server.levels.models import Level
from tests.fixtures import small_level, stored_touch
from tests.server.test_api import ApiCase
from tests.server.test_ground import GroundCase, key
from tests.worker import work_off
from thicket.document.edits.files import edit_from


class Snapshots(GroundCase):
    def take(self, name):
        answer = self.post("/snapshots", {"key": key(), "name": name})
        self.assertEqual(answer.status_code, 200, answer.content)
        return self.level.snapshots.get(name=name).pk

    def compare(self, before, after=0):
        told = self.post("/snapshots/compare", {"before": before, "after": after}).json()
        marks = np.frombuffer(
            self.post("/snapshots/difference", {"before": before, "after": after}).content, "<u4", 2
        )
        return {s["name"]: s for s in told["stands"]}, marks.tolist()

    def state(self):
        return [
            (s["slug"], s["count"], s["sheets"]["keys"]) for s in self.north.get(f"{self.base}/stands").json()
        ]

    def test_going_back_brings_every_plant_and_stroke_and_is_undone(self):
        self.stroke()
        one = str(sorted(self.ids()[0])[0])
        self.post(f"/stands/{self.birch.pk}/pins", {"key": key(), "remove": [one]})
        first, start = self.take("Before"), self.state()
        self.assertEqual([s["name"] for s in self.north.get(f"{self.base}/snapshots").json()], ["Before"])
        bare = self.ids()[0]
        self.stroke(verb="thicken", path=[[60, 60]], radius=30)
        self.settings(fullness=0.95)
        blocks = self.level.stands.get(slug="slate-blocks")
        self.post(f"/stands/{blocks.pk}/remove", {"key": key()})
        self.post(f"/stands/{self.birch.pk}/pins", {"key": key(), "release": [one]})
        self.post("/new-stand", {"key": key(), "name": "Scrub", "stratum": "Shrub", "item": "birch"})
        now, then = self.ids()[0], self.state()
        told, marks = self.compare(first)
        self.assertEqual((told["Birch"]["gained"], told["Birch"]["lost"]), (len(now - bare), len(bare - now)))
        self.assertEqual((told["Slate blocks"]["after"], told["Scrub"]["before"]), (0, 0))
        self.assertEqual(
            marks, [sum(s[n] for s in told.values() if s["name"] != "Moor-grass") for n in ("gained", "lost")]
        )
        second = self.take("After")
        self.assertEqual(self.compare(first, second)[1], marks)
        answer = self.post(f"/snapshots/{first}/go-back", {"key": key()})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(self.state(), start)
        self.assertEqual(self.compare(first)[1], [0, 0])
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.state(), then)
        self.north.post(f"{self.base}/redo")
        self.assertEqual(self.state(), start)
        self.stroke(self.client_of("south"), path=[[200, 200]])
        refused = self.north.post(f"{self.base}/undo")
        self.assertEqual((refused.status_code, "changed since" in refused.json()["detail"]), (409, True))

    def test_bad_wishes(self):
        first = self.take("One")
        for path, body, status, word in (
            ("/snapshots", {"key": key(), "name": "One"}, 422, "already"),
            ("/snapshots", {"key": key(), "name": ""}, 422, "name"),
            ("/snapshots/compare", {"before": 10**8}, 404, "no snapshot"),
            ("/snapshots/0/go-back", {"key": key()}, 422, "choose"),
        ):
            answer = self.post(path, body)
            self.assertEqual(
                (answer.status_code, word in answer.json()["detail"]), (status, True), answer.content
            )
        self.assertEqual(
            self.post("/snapshots", {"key": key(), "name": "No"}, self.client_of("guest")).status_code, 403
        )
        self.lead.post(
            f"{self.base}/resolution", {"key": key(), "cell": 2.0}, content_type="application/json"
        )
        refused = self.post(f"/snapshots/{first}/go-back", {"key": key()})
        self.assertEqual(
            (refused.status_code, "touch cells of 1 m" in refused.json()["detail"]),
            (422, True),
            refused.content,
        )
        gone = self.north.delete(f"{self.base}/snapshots/{first}?key={key()}")
        self.assertEqual((gone.status_code, self.north.get(f"{self.base}/snapshots").json()), (200, []))
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.north.get(f"{self.base}/snapshots").json()[0]["name"], "One")

    def test_a_sample_shows_what_is_tried(self):
        tried = {
            "mix": [{"item": "birch", "weight": 1}, {"item": "slate-block", "weight": 1, "sink": 0.3}],
            "variation": {"size": [0.5, 0.6], "width": [1, 1], "turn": [90, 90], "lean": 0, "follow": 1},
        }
        nine = self.post(f"/stands/{self.birch.pk}/sample", {"settings": tried}).json()
        self.assertEqual(len(nine), 9)
        self.assertEqual({p["item"] for p in nine}, {"birch", "slate-block"})
        for plant in nine:
            self.assertAlmostEqual(plant["lean"], 18, delta=0.1)
            tall = {"birch": 9.6, "slate-block": 0.9}[plant["item"]]
            self.assertTrue(0.5 * tall <= plant["height"] <= 0.6 * tall + 1e-6)
            self.assertEqual(plant["sink"], 0.3 if plant["item"] == "slate-block" else 0)
        tried = {"variation": tried["variation"] | {"follow": 0}}
        upright = self.post(f"/stands/{self.birch.pk}/sample", {"settings": tried}).json()
        self.assertTrue(all(abs(p["lean"]) < 1e-4 and abs(p["turn"] - 270) < 1e-3 for p in upright))


class AtOnce(TransactionTestCase):
    """Two people at the same moment, each in a thread of their own."""

    def test_strokes_on_the_same_ground_all_count_and_come_off_again(self):
        self._fixture_teardown()
        level = small_level()
        birch, base = level.stands.get(slug="birch"), f"/api/levels/{level.slug}"
        clients = {name: ApiCase.client_of(self, name) for name in ("north", "south")}
        answers = []

        def work(name, verb):
            for k in range(6):
                body = {
                    "key": key(),
                    "stand": birch.pk,
                    "verb": verb,
                    "path": [[110 + 4 * k, 120], [140, 126]],
                    "radius": 20,
                    "soft": 0.5,
                    "strength": 0.2,
                }
                answer = clients[name].post(f"{base}/strokes", body, content_type="application/json")
                answers.append((answer.status_code, answer.content))
            connections.close_all()

        threads = [
            threading.Thread(target=work, args=said) for said in (("north", "thin"), ("south", "thicken"))
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual([code for code, _ in answers], [200] * 12, answers)
        entries = Entry.objects.filter(level=level)
        self.assertEqual(entries.count(), 12)
        whole = np.zeros((256, 256), int)
        for entry in entries:
            (part,) = edit_from(entry.change["edit"], EditArrays(level)).parts
            col0, row0, col1, row1 = part.box
            whole[row0:row1, col0:col1] += part.delta
        fresh = Level.objects.get(pk=level.pk)
        stand = fresh.stands.get(slug="birch")
        stand.level = fresh
        np.testing.assert_array_equal(stored_touch(stand), whole)
        for name in ("north", "south") * 6:
            self.assertEqual(clients[name].post(f"{base}/undo").status_code, 200)
        self.assertFalse(stored_touch(stand).any())


class Bakes(TransactionTestCase):
    """The worker bakes, so nothing may wait in a test's transaction."""

    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.lead, self.north = (ApiCase.client_of(self, name) for name in ("lead", "north"))
        self.base = f"/api/levels/{self.level.slug}"
        shutil.rmtree(folder_of(self.level), ignore_errors=True)

    def bake(self, path=""):
        return self.north.post(f"{self.base}/bake{path}").json()

    def test_a_bake_is_laid_down_stopped_and_gone_on_with(self):
        level = Level.objects.get(pk=self.level.pk)
        want = {p.stand.slug: p.plants((0, 0)) for p in planted_of(level).plantings() if not p.stand.sward}
        self.assertEqual(
            self.lead.get(f"{self.base}/bake").json(),
            {"running": False, "total": 2, "done": 0, "step": "", "trouble": ""},
        )
        self.assertTrue(self.bake()["running"])
        work_off()
        told = self.lead.get(f"{self.base}/bake").json()
        self.assertEqual((told["running"], told["done"], told["total"]), (False, 2, 2))
        CACHE.clear()
        fresh = Level.objects.get(pk=self.level.pk)
        for stand in planted_of(fresh).stands.values():
            if not stand.sward:
                planting = planted_of(fresh).planting(stand.number)
                laid = baked_of(fresh)(planting.key((0, 0)))
                np.testing.assert_array_equal(laid.form, want[stand.slug].form)
                np.testing.assert_array_equal(planting.plants((0, 0)).id, want[stand.slug].id)
        body = {
            "key": key(),
            "stand": self.level.stands.get(slug="birch").pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        self.north.post(f"{self.base}/strokes", body, content_type="application/json")
        self.assertEqual(self.lead.get(f"{self.base}/bake").json()["done"], 1)
        self.bake()
        self.assertFalse(self.bake("/stop")["running"])
        self.assertGreaterEqual(self.lead.get(f"{self.base}/bake").json()["done"], 1)
