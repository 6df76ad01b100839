"""The brush on the server: several stands, limits, fills, tips; uprooting, what is under a place, ghosts;
several people."""

import json
import uuid

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile

from server.cache import CACHE
from server.document.planted import planted_of
from server.journal.models import Entry
from server.levels.models import Level
from server.pins.models import Pin
from server.stands.access import planting_of, rows_of
from server.stands.models import TouchTile
from server.stands.painting import paint
from tests.caching import nothing_kept
from tests.fixtures import stored_touch
from tests.server.test_ground import GroundCase, key, png
from thicket.planted.brushing import Brush
from thicket.planting.density import TOUCH_UNIT
from thicket.planting.strokes import Stroke


class Brushes(GroundCase):
    def setUp(self):
        super().setUp()
        self.settings(conditions=[], spacing=4, fullness=0.5)
        self.stones = self.level.stands.get(slug="slate-blocks")

    def brush(self, status=200, stand=None, client=None, **body):
        said = {
            "key": key(),
            "stand": stand or self.birch.pk,
            "verb": "thin",
            "path": [[60, 60], [80, 70]],
            "radius": 16,
            "soft": 0,
            "strength": 1,
        } | body
        answer = (client or self.north).post(
            f"{self.base}/strokes", json.dumps(said), content_type="application/json"
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def touch(self, stand=None):
        stand = stand or self.birch
        stand.level = Level.objects.get(pk=self.level.pk)
        return stored_touch(stand).copy()

    def planting(self, pk):
        return planting_of(
            next(s for s in rows_of(Level.objects.get(pk=self.level.pk)).values() if s.pk == pk)
        )

    def undo(self, client=None):
        self.assertEqual((client or self.north).post(f"{self.base}/undo").status_code, 200)

    def test_level_works_toward_its_value_and_ease_evens_out(self):
        self.brush(verb="level", toward=-0.5)
        here = self.touch()[60:68, 62:76]
        self.assertTrue((here == round(-0.5 * TOUCH_UNIT)).all())
        before = self.touch().astype(float)
        self.brush(verb="ease", path=[[48, 60]], radius=14)
        after = self.touch().astype(float)
        rim = np.s_[50:70, 40:56]
        self.assertLess(
            np.abs(np.diff(after[rim], axis=1)).max(), 0.5 * np.abs(np.diff(before[rim], axis=1)).max()
        )
        self.assertLess(abs(after.mean() - before.mean()), 0.6)
        for _ in range(2):
            self.undo()
        self.assertFalse(self.touch().any())

    def test_a_tile_that_was_met_and_left_alone_reads_as_bare(self):
        self.brush(strength=0)
        CACHE.clear()
        self.assertFalse(self.touch().any())
        self.brush()
        kept = self.touch()
        CACHE.clear()
        np.testing.assert_array_equal(self.touch(), kept, "read anew from the database")
        self.assertTrue(kept.any())

    def test_several_stands_are_one_action(self):
        self.settings(under=["Stone"])
        told = self.brush(also=[self.stones.pk], verb="thin", strength=0.7)
        self.assertEqual((told["entry"]["what"], told["entry"]["kind"]), ("Thinned 2 stands", "paint"))
        self.assertTrue({self.birch.pk, self.stones.pk} <= {int(pk) for pk in told["since"]["keys"]})
        self.assertTrue(self.touch().any() and self.touch(self.stones).any())
        self.undo()
        self.assertFalse(self.touch().any() or self.touch(self.stones).any())
        self.post(f"/stands/{self.stones.pk}/change", {"key": key(), "locked": True})
        self.assertIn("Slate blocks is locked", self.brush(409, also=[self.stones.pk])["detail"])
        self.assertFalse(self.touch().any())

    def test_limits_hold_it_to_a_slope_an_area_a_layer_and_what_is_there(self):
        area = {
            "kind": "area",
            "form": "polygon",
            "name": "Glade",
            "clear": None,
            "points": [[60, 40], [120, 40], [120, 90], [60, 90]],
        }
        pk = self.post("/shapes", {"key": key(), "put": [area]}).json()["since"]["shapes"][-1]["id"]
        self.brush(limits={"area": pk})
        z, x = np.nonzero(self.touch())
        self.assertTrue(len(x) and (x >= 59).all() and (x <= 120).all())
        self.undo()
        self.brush(fill="area", limits={"area": pk})
        self.assertAlmostEqual(np.count_nonzero(self.touch()), 60 * 50, delta=120)
        self.undo()
        z, x = (v.ravel() + 0.5 for v in np.mgrid[0:256, 0:256].astype(float))
        height = planted_of(Level.objects.get(pk=self.level.pk)).ground.height_at(x, z).reshape(256, 256)
        low, high = np.percentile(height, [30, 60])
        self.brush(fill="level", limits={"altitude": [low, high]})
        worked = self.touch() != 0
        self.assertTrue(
            worked.any() and (height[worked] > low - 2).all() and (height[worked] < high + 2).all()
        )
        self.undo()
        self.brush(fill="level", strength=1)
        self.assertIn("Thinned Birch everywhere", Entry.objects.first().what)
        self.brush(verb="thicken", limits={"present": True})
        self.assertTrue((self.touch()[40:90, 40:90] == -TOUCH_UNIT).all(), "nothing is there to thicken")
        for _ in range(2):
            self.undo()
        for wrong, word in (
            ({"layer": "lava"}, "no ground layer 'lava'"),
            ({"area": 999}, "no area 999"),
            ({"slope": [30, 10]}, "ends (10) below its start (30)"),
        ):
            self.assertIn(word, self.brush(422, limits=wrong)["detail"])
        self.assertIn("which area", self.brush(422, fill="area")["detail"])
        self.assertFalse(self.touch().any())

    def test_pressure_and_tips(self):
        self.brush(verb="thicken", path=[[40, 60], [200, 60]], pressure=[0, 1], radius=6)
        line = self.touch()[60, 40:200].astype(float)
        np.testing.assert_allclose(line, np.linspace(0, TOUCH_UNIT, 160), atol=3)
        self.undo()
        self.assertIn("pressure", self.brush(422, pressure=[1])["detail"])
        grey = np.zeros((20, 40), np.uint8)
        grey[:, 20:] = 255
        tip = self.north.post("/api/tips", {"file": SimpleUploadedFile("half.png", png(grey))}).json()
        self.assertEqual(
            (tip["name"], tip["own"], tip["picture"][:22]), ("half", True, "data:image/png;base64,")
        )
        self.brush(verb="thicken", path=[[100, 100]], tip=tip["key"])
        x = np.nonzero(self.touch())[1]
        self.assertTrue(len(x) and x.min() >= 99)
        self.assertGreaterEqual(len(self.north.get("/api/tips").json()), 5)
        black = png(np.zeros((4, 4), np.uint8))
        for name, data, word in (
            ("a.png", b"no picture", "it is no PNG"),
            ("b.png", black, "black all over"),
        ):
            told = self.north.post("/api/tips", {"file": SimpleUploadedFile(name, data)})
            self.assertEqual((told.status_code, word in told.json()["detail"]), (422, True), told.content)
        self.assertEqual(self.client_of("south").delete(f"/api/tips/{tip['key']}").status_code, 403)
        self.assertEqual(self.north.delete(f"/api/tips/{tip['key']}").status_code, 204)
        self.assertIn("no longer there", self.brush(422, tip=tip["key"])["detail"])

    def test_uprooted_plants_stay_away_and_touch_is_left_alone(self):
        before = self.all_ids()
        body = {
            "key": key(),
            "stands": [self.birch.pk, self.stones.pk],
            "path": [[60, 60], [100, 80]],
            "radius": 12,
        }
        told = self.post("/uproot", body).json()
        self.assertEqual(self.post("/uproot", body).json()["entry"]["id"], told["entry"]["id"])
        self.assertGreater(told["entry"]["lost"], 5)
        self.assertFalse(TouchTile.objects.filter(stand=self.birch).exclude(data=b"").exists())
        form = self.planting(self.birch.pk).plants((0, 0)).form
        self.assertFalse((np.hypot(form[:, 0] - 80, form[:, 2] - 70) < 11.9).any())
        self.settings(fullness=0.7)
        form = self.planting(self.birch.pk).plants((0, 0)).form
        gone = Pin.objects.filter(stand=self.birch, gone=True).count()
        self.assertGreater(gone, 5)
        self.undo()
        self.undo()
        self.assertEqual((self.all_ids(), Pin.objects.count()), (before, 0))
        bare = self.post(
            "/uproot", {"key": key(), "stands": [self.stones.pk], "path": [[1, 1]], "radius": 0.1}
        )
        self.assertEqual((bare.status_code, "no plant of Slate blocks" in bare.json()["detail"]), (422, True))

    def test_an_uprooted_place_stays_clear_under_any_rule_until_it_is_let_grow_again(self):
        def inside():
            form = np.concatenate([self.planting(self.birch.pk).plants(sheet).form for sheet in ((0, 0),)])
            return int((np.hypot(form[:, 0] - 80, form[:, 2] - 70) < 15).sum())

        at_first, before = inside(), self.all_ids()
        self.post("/uproot", {"key": key(), "stands": [self.birch.pk], "path": [[80, 70]], "radius": 15})
        stand = f"/stands/{self.birch.pk}"
        for change in ({"fullness": 1.0}, {"spacing": 1.1}, {"conditions": []}):
            self.settings(**change)
            self.assertEqual(inside(), 0, change)
        self.post(f"{stand}/change", {"key": key(), "seed": 99})
        self.assertEqual(inside(), 0)
        self.assertGreater(len(self.planting(self.birch.pk).plants((0, 0)).id), len(before))
        said = self.post(f"{stand}/why", {"x": 80, "z": 70}).json()
        self.assertEqual(
            (said["planted"], "was uprooted here by hand" in said["shut"]), (False, True), said["shut"]
        )
        self.assertEqual(self.north.get(f"{self.base}{stand}").json()["uprooted"], 1)
        copy = self.post(f"{stand}/duplicate", {"key": key()}).json()["made"][0]
        self.assertEqual(self.north.get(f"{self.base}/stands/{copy}").json()["uprooted"], 1)
        self.post("/snapshots", {"key": key(), "name": "Cleared"})
        shot = self.level.snapshots.get().pk
        grown = self.post(f"{stand}/regrow", {"key": key()}).json()["entry"]
        self.assertGreater(grown["gained"], 50)
        self.assertGreater(inside(), at_first)
        self.assertIn("not uprooted anywhere", self.post(f"{stand}/regrow", {"key": key()}).json()["detail"])
        self.undo()
        self.assertEqual(inside(), 0)
        self.post(f"/journal/{grown['id']}/redo", {})
        self.post(f"/snapshots/{shot}/go-back", {"key": key()})
        self.assertEqual(inside(), 0)
        for _ in range(9):
            self.undo()
        self.assertEqual((self.all_ids(), Pin.objects.count()), (before, 0))

    def test_what_is_under_a_place_top_to_bottom(self):
        plants = self.planting(self.birch.pk).plants((0, 0))
        x, z = plants.form[5, 0], plants.form[5, 2]
        told = self.north.get(f"{self.base}/under?x={x}&z={z}").json()
        tips = [t["tip"] for t in told]
        self.assertEqual(tips, sorted(tips, reverse=True))
        self.assertIn((self.birch.pk, str(plants.id[5])), [(t["stand"], t["plant"]) for t in told])
        self.assertEqual(self.north.get(f"{self.base}/under?x=-4&z=3").status_code, 422)

    def test_a_ghost_is_the_very_plant_to_come(self):
        k = key()
        said = {"x": 77.0, "z": 88.0, "turn": 120, "height": 1.3}
        ghost = self.post(f"/stands/{self.birch.pk}/pins/try", {"key": k, "add": said}).json()
        self.assertEqual((ghost["trouble"], ghost["disc"]), ("", None))
        self.assertEqual(
            self.post(f"/stands/{self.birch.pk}/pins", {"key": k, "add": [said]}).status_code, 200
        )
        plants = self.planting(self.birch.pk).plants((0, 0))
        row = plants.form[plants.id == int(ghost["plant"]["plant"])][0]
        np.testing.assert_allclose(row, ghost["form"], atol=1e-4)
        near = self.post(
            f"/stands/{self.birch.pk}/pins/try", {"key": key(), "add": {"x": 77.1, "z": 88.0}}
        ).json()
        self.assertIn("would stand in a pinned birch", near["trouble"])
        np.testing.assert_allclose(near["disc"][:2], [77, 88], atol=1e-4)


class SeveralPeople(GroundCase):
    def keys(self):
        return {
            s["slug"]: (s["sheets"]["keys"], s["count"]) for s in self.north.get(f"{self.base}/stands").json()
        }

    def test_a_stroke_that_waited_for_another_carries_nothing_over_from_before_it(self):
        self.settings(conditions=[], spacing=3, fullness=0.9)
        stones = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{stones.pk}",
            {"key": key(), "settings": {"conditions": [], "fullness": 0.9}},
            method="patch",
        )
        self.post(
            "/strokes",
            {
                "key": key(),
                "stand": stones.pk,
                "verb": "thin",
                "path": [[9, 9]],
                "radius": 5,
                "soft": 0,
                "strength": 1,
            },
        )
        waits = Level.objects.get(pk=self.level.pk)
        for planting in planted_of(waits).plantings():
            for sheet in planting.sheets_in(planting.everywhere):
                planting.plants(sheet)
        body = {
            "stand": stones.pk,
            "verb": "thin",
            "path": [[60, 60]],
            "radius": 25,
            "soft": 0,
            "strength": 1,
        }
        self.assertEqual(self.post("/strokes", body | {"key": key()}).status_code, 200)
        mine = next(s for s in rows_of(waits).values() if s.pk == stones.pk)
        paint(
            User.objects.get(username="lead"),
            [mine],
            Brush(Stroke("thin", [(190, 190)], 25, 0, 1)),
            uuid.uuid4(),
        )
        now = self.keys()
        CACHE.clear()
        self.assertEqual(self.keys(), now)

    def beat(self, client, **said):
        body = {"x": 10, "z": 20, "heading": 90, "bench": "planting"} | said
        return client.post(f"{self.base}/beat", json.dumps(body), content_type="application/json").json()

    def test_others_are_seen_and_gone_when_they_leave(self):
        self.beat(self.lead, x=50)
        told = self.beat(self.north)
        self.assertEqual(
            [(p["name"], p["x"], p["bench"]) for p in told["others"]], [("lead", 50, "planting")]
        )
        self.beat(self.lead, leaving=True)
        self.assertEqual(self.beat(self.north)["others"], [])

    def test_strokes_and_undos_of_two_people_leave_what_planting_anew_gives(self):
        self.settings(conditions=[], spacing=3, fullness=0.9)
        stones = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{stones.pk}",
            {"key": key(), "settings": {"conditions": [], "fullness": 0.7}},
            method="patch",
        )
        self.keys()
        for stand in (stones.pk, self.birch.pk):
            body = {"stand": stand, "verb": "thin", "radius": 25, "soft": 0.5, "strength": 0.6}
            for client, x in (
                (self.north, 120),
                (self.lead, 150),
                (self.north, 0),
                (self.lead, 110),
                (self.lead, 0),
            ):
                if x:
                    told = self.post(
                        "/strokes", body | {"key": key(), "path": [[x, 100], [x + 20, 110]]}, client
                    )
                else:
                    told = client.post(f"{self.base}/undo")
                self.assertEqual(told.status_code, 200, told.content)
                now = self.keys()
                with nothing_kept():
                    self.assertEqual(self.keys(), now)

    def patch(self, client, settings, was):
        return client.patch(
            f"{self.base}/stands/{self.birch.pk}",
            json.dumps({"key": key(), "settings": settings, "was": was}),
            content_type="application/json",
        )

    def test_the_second_to_change_a_setting_is_told_both_values(self):
        old = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["settings"]
        self.assertEqual(self.patch(self.lead, {"spacing": 5}, {"spacing": old["spacing"]}).status_code, 200)
        told = self.patch(self.north, {"spacing": 6}, {"spacing": old["spacing"]})
        self.assertEqual(told.status_code, 409)
        self.assertEqual(
            told.json()["clashes"],
            [
                {
                    "stand": self.birch.pk,
                    "name": "spacing",
                    "was": old["spacing"],
                    "theirs": 5,
                    "yours": 6,
                    "who": "lead",
                }
            ],
        )
        varied = old["variation"]
        lean = self.patch(
            self.lead, {"variation": varied | {"lean": 9}}, {"variation": {"lean": varied["lean"]}}
        )
        self.assertEqual(lean.status_code, 200)
        now = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["settings"]["variation"]
        other = self.patch(
            self.north, {"variation": now | {"sink": 0.2}}, {"variation": {"sink": varied["sink"]}}
        )
        self.assertEqual(other.status_code, 200, "another part of the same setting is no clash")
        self.assertEqual(self.patch(self.north, {"spacing": 6}, {"spacing": 5}).status_code, 200)
        self.assertEqual(
            self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["settings"]["variation"]["lean"], 9
        )

    def test_any_action_can_be_taken_back_unless_a_later_one_depends_on_it(self):
        def act(client, path, entry):
            return client.post(f"{self.base}/journal/{entry}/{path}")

        before = self.all_ids()
        body = {
            "stand": self.birch.pk,
            "verb": "thin",
            "path": [[60, 60]],
            "radius": 20,
            "soft": 0.5,
            "strength": 0.8,
        }
        first = self.post("/strokes", body | {"key": key()}).json()["entry"]["id"]
        mine = self.lead.post(
            f"{self.base}/strokes",
            json.dumps(body | {"key": str(uuid.uuid4()), "path": [[150, 150]]}),
            content_type="application/json",
        ).json()["entry"]["id"]
        after = self.all_ids()
        self.assertEqual(act(self.lead, "undo", first).status_code, 200)
        self.assertEqual(act(self.lead, "undo", first).status_code, 409)
        self.assertEqual(act(self.north, "undo", mine).status_code, 200)
        self.assertEqual(self.all_ids(), before)
        for entry in (first, mine):
            self.assertEqual(act(self.north, "redo", entry).status_code, 200)
        self.assertEqual(self.all_ids(), after)
        one = self.settings(spacing=5)["entry"]["id"]
        self.settings(spacing=6)
        told = act(self.north, "undo", one)
        self.assertEqual((told.status_code, "changed since" in told.json()["detail"]), (409, True))
        self.assertEqual(act(self.client_of("guest"), "undo", mine).status_code, 403)
        self.assertEqual(act(self.north, "undo", 10**6).status_code, 404)
        self.assertEqual(self.north.get(f"{self.base}/journal").json()[0]["what"], "Birch: spacing")


class KeptWithTheLevel(GroundCase):
    def test_views_and_wind_are_kept_told_and_taken_back(self):
        first = self.north.get(self.base).json()
        view = {
            "name": "From the gate",
            "x": 20,
            "y": 380,
            "z": 30,
            "heading": 90,
            "pitch": -4,
            "fov": 60,
            "picture": "data:image/jpeg;base64,AAAA",
        }
        kept = self.post("/views", {"key": key()} | view).json()["since"]["level"]["bookmarks"]
        self.assertEqual(kept[-1], view)
        wider = self.post("/views", {"key": key()} | view | {"fov": 50}).json()["since"]["level"]
        self.assertEqual(wider["bookmarks"][-1]["fov"], 50)
        for wrong in ({"name": " "}, {"fov": 5}, {"picture": "javascript:alert(1)"}, {"x": 1e9}):
            self.assertEqual(self.post("/views", {"key": key()} | view | wrong).status_code, 422, wrong)
        self.north.delete(f"{self.base}/views/From%20the%20gate?key={key()}")
        self.assertEqual(self.north.get(self.base).json()["bookmarks"], first["bookmarks"])
        wind = first["wind"] | {"speed": 9, "stiffness": first["wind"]["stiffness"] | {"birch": 0.2}}
        self.assertEqual(
            self.post("/wind", {"key": key(), "wind": wind}, method="put").json()["entry"]["what"], "Wind"
        )
        self.assertEqual(self.north.get(self.base).json()["wind"], wind)
        told = json.loads(self.handed_over("level.json"))
        self.assertEqual((told["wind"]["speed"], told["wind"]["stiffness"]["birch"]), (9, 0.2))
        self.assertEqual(
            self.post("/wind", {"key": key(), "wind": wind | {"loop": 0}}, method="put").status_code, 422
        )
        self.assertEqual(
            self.post("/wind", {"key": key(), "wind": wind}, self.client_of("guest"), "put").status_code, 403
        )
        for _ in range(4):
            self.assertEqual(self.north.post(f"{self.base}/undo").status_code, 200)
        now = self.north.get(self.base).json()
        self.assertEqual((now["wind"], now["bookmarks"]), (first["wind"], first["bookmarks"]))
        data = self.north.get(f"{self.base}/stands/{self.birch.pk}/field/touch").content
        rows, columns = np.frombuffer(data[:4], "<u2")
        self.assertEqual(set(data[4:]), {127})
        self.assertEqual(int(rows) * int(columns), len(data) - 4)
