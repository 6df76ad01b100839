"""Single plants by hand: they outlive every rule, claim room first, and every action is taken back
exactly."""

import csv
import io
import json

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from server.document.planted import planted_of
from server.journal.models import Entry
from server.levels.models import Level
from server.pins.models import Pin
from server.stands.models import Stand
from tests.server.test_api import VIEW
from tests.server.test_ground import GroundCase, key
from tests.server.test_room import overlaps
from thicket.document.settings import StandSettings


class Pins(GroundCase):
    def setUp(self):
        super().setUp()
        self.settings(conditions=[], spacing=4, fullness=0.8)
        self.path = f"/stands/{self.birch.pk}/pins"

    def fresh(self):
        return Level.objects.get(pk=self.level.pk)

    def plants(self, slug="birch"):
        """Form and item by id, as text."""
        planting = planted_of(self.fresh())[slug]
        plants = planting.plants((0, 0))
        return {
            str(i): (f, planting.items[m])
            for i, f, m in zip(plants.id.tolist(), plants.form.tolist(), plants.item.tolist())
        }

    def pin(self, status=200, path=None, **body):
        answer = self.post(path or self.path, {"key": key()} | body)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def state(self):
        return (
            {p.plant: p.as_dict() for p in Pin.objects.all()},
            self.all_ids(),
            [s["sheets"]["keys"] for s in self.north.get(f"{self.base}/stands").json()],
        )

    def test_removed_stays_removed_and_release_brings_it_back(self):
        before = self.plants()
        one, two = sorted(before)[:2]
        told = self.pin(remove=[one, two])
        self.assertEqual(
            (told["entry"]["lost"] >= 2, told["entry"]["what"]), (True, "Birch: 2 removed by hand")
        )
        self.assertTrue({one, two}.isdisjoint(self.plants()))
        self.settings(fullness=1)
        self.settings(conditions=[{"kind": "slope", "lo": 0, "hi": 80}])
        self.assertTrue({one, two}.isdisjoint(self.plants()))
        listed = self.north.get(f"{self.base}{self.path}").json()
        self.assertEqual({(p["plant"], p["state"]) for p in listed}, {(one, "gone"), (two, "gone")})
        self.pin(release=[one])
        self.assertTrue(one in self.plants() and two not in self.plants())
        self.assertEqual(self.plants()[one], before[one])

    def select(self, **said):
        answer = self.post("/select", said)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_plants_are_listed_page_by_page_found_and_grouped(self):
        def page(status=200, **said):
            answer = self.post("/plants", {"view": VIEW} | said)
            self.assertEqual(answer.status_code, status, answer.content)
            return answer.json()

        first = page(sort="height", descending=True)
        second = page(sort="height", descending=True, first=len(first["rows"]))
        self.assertGreater(first["total"], 200)
        self.assertGreaterEqual(first["rows"][-1]["tall"], second["rows"][0]["tall"])
        wanted = second["rows"][40]["plant"]
        around = page(sort="height", descending=True, around=wanted)
        self.assertEqual(around["rows"][around["at"] - around["first"]]["plant"], wanted)
        self.assertIsNone(page(around="123")["at"])
        groups = page(grouped="stand")["groups"]
        self.assertEqual(sum(group["count"] for group in groups), first["total"])
        part = page(grouped="stand", group=groups[0]["key"])
        self.assertEqual(
            (part["total"], {row["stand"] for row in part["rows"]}),
            (groups[0]["count"], {int(groups[0]["key"])}),
        )
        one = part["rows"][0]
        alike = self.select(plants=[one["plant"]], stands=[one["stand"]])["plants"][0]
        self.assertEqual(alike, {name: one[name] for name in alike})
        self.assertEqual(page(item="nothing")["rows"], [])
        for why, said in (
            ("three corners", {"outline": [[1, 1], [9, 9]]}),
            ("encloses nothing", {"outline": [[1, 1], [2, 2], [3, 3]]}),
        ):
            self.assertIn(why, page(422, **said)["detail"])
        page(404, stands=[10**9])

    def hand(self, plants, status=200, **said):
        answer = self.post("/hand", {"key": key(), "plants": plants} | said)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def draw_anew(self, plants, before):
        """Values by chance, each alone, from the stand's ranges and from given ones; and plants aligned."""
        now = lambda: {p["plant"]: p for p in self.select(stands=[self.birch.pk], pinned=True)["plants"]}
        variation = StandSettings.model_validate(Stand.objects.get(pk=self.birch.pk).settings).variation
        hand = lambda **said: self.hand({self.birch.pk: plants}, push=True, **said)
        hand(random=["size"])
        sized = now()
        heights = [p["height"] for p in sized.values()]
        self.assertTrue(variation.size[0] - 1e-6 <= min(heights) < max(heights) <= variation.size[1] + 1e-6)
        self.assertGreater(len(set(heights)), 30)
        kept = lambda p: [round(p[n], 2) for n in ("x", "z", "lift", "turn", "lean")] + [p["item"]]
        self.assertEqual([kept(p) for p in sized.values()], [kept(before[i]) for i in sized])
        hand(random=["turn", "lean"], ranges={"turn": [100, 140], "lean": [5, 8]})
        turned = now().values()
        self.assertTrue(all(4.99 <= p["lean"] <= 8.01 for p in turned))
        self.assertTrue(all(90 <= p["turn"] <= 150 for p in turned))
        hand(align="upright")
        self.assertLess(max(p["lean"] for p in now().values()), 0.05)
        hand(align="eye", eye=[200, 30])
        for p in now().values():
            bearing = np.degrees(np.arctan2(200 - p["x"], p["z"] - 30)) % 360
            self.assertAlmostEqual((p["turn"] - bearing + 180) % 360 - 180, 0, delta=0.1)
        hand(align="surface")
        ground = planted_of(Level.objects.get(pk=self.level.pk)).ground
        for p in now().values():
            normal = ground.normal_at(np.array([p["x"]]), np.array([p["z"]]))[0]
            self.assertAlmostEqual(p["lean"], np.degrees(np.arccos(normal[1])), delta=0.1)
        self.assertIn("ends (8) below", hand(random=["lean"], ranges={"lean": [9, 8]}, status=422)["detail"])

    def test_many_are_selected_and_changed_as_one_action(self):
        first = self.state()
        stones = self.level.stands.get(slug="slate-blocks")
        square = [[40, 40], [140, 40], [140, 140], [40, 140]]
        told = self.select(outline=square)
        self.assertEqual(told["total"], len(told["plants"]))
        inside = {i for i, (f, _) in self.plants().items() if 40 <= f[0] <= 140 and 40 <= f[2] <= 140}
        mine = {p["plant"]: p for p in told["plants"] if p["stand"] == self.birch.pk}
        self.assertEqual(set(mine), inside)
        some = {
            self.birch.pk: list(mine)[:40],
            stones.pk: [p["plant"] for p in told["plants"] if p["stand"] == stones.pk][:3],
        }
        done = self.hand(some, east=3, south=-2, turn_by=90, size_by=1.2, lean=12, push=True)
        self.assertEqual(
            done["entry"]["what"], f"Birch: 40 changed; Slate blocks: {len(some[stones.pk])} changed by hand"
        )
        after = {p["plant"]: p for p in self.select(stands=[self.birch.pk], pinned=True)["plants"]}
        self.assertEqual(set(after), set(some[self.birch.pk]))
        for plant, now in after.items():
            was = mine[plant]
            np.testing.assert_allclose([now["x"] - was["x"], now["z"] - was["z"]], [3, -2], atol=1e-4)
            self.assertAlmostEqual((now["turn"] - was["turn"] - 90 + 180) % 360 - 180, 0, delta=15)
            self.assertAlmostEqual(now["height"], min(was["height"] * 1.2, 10), places=4)
            self.assertAlmostEqual(now["lean"], 12, places=3)
            self.assertAlmostEqual(now["lift"], was["lift"], places=3)
        self.draw_anew(some[self.birch.pk], after)
        self.hand({self.birch.pk: list(after)[:5]}, do="copy", east=1.5, push=True)
        self.assertEqual(self.select(stands=[self.birch.pk], pinned=True)["total"], 45)
        self.hand({self.birch.pk: list(after)[:5]}, do="change", item="moor-grass", push=True)
        self.assertEqual(self.select(stands=[self.birch.pk], item="moor-grass")["total"], 5)
        self.hand({self.birch.pk: list(after)}, do="remove")
        for _ in range(9):
            self.north.post(f"{self.base}/undo")
        self.assertEqual(self.state(), first)
        self.assertIn(
            "encloses nothing", self.post("/select", {"outline": [[1, 1], [2, 2], [3, 3]]}).json()["detail"]
        )
        self.assertIn("has no plant 77", self.hand({self.birch.pk: ["77"]}, 409)["detail"])
        self.assertIn("1 to 10,000", self.hand({self.birch.pk: []}, 422)["detail"])
        self.assertEqual(self.state(), first)

    def test_a_move_freely_keeps_the_altitude(self):
        one = sorted(self.plants())[0]
        was = self.plants()[one][0]
        self.hand({self.birch.pk: [one]}, east=2 if was[0] < 128 else -2, free=True, push=True)
        self.assertAlmostEqual(self.plants()[one][0][1], was[1], places=3)

    def test_a_moved_turned_and_sized_plant_holds_through_new_rules_and_a_new_ground(self):
        plants = self.plants()
        one = next(i for i, (f, _) in sorted(plants.items()) if 40 < f[0] < 200 and 40 < f[2] < 200)
        form = plants[one][0]
        self.pin(
            change=[
                {
                    "plant": one,
                    "x": form[0] + 1.5,
                    "turn": 90,
                    "height": 1.3,
                    "width": 1.2,
                    "at": [form[0], form[2]],
                }
            ]
        )
        moved = self.plants()[one][0]
        self.assertAlmostEqual(moved[0], form[0] + 1.5, places=4)
        self.assertEqual([round(v, 3) for v in moved[7:9]], [1.2, 1.3])
        shown = self.north.get(f"{self.base}/stands/{self.birch.pk}/plant?x={moved[0]}&z={moved[2]}").json()
        self.assertEqual((shown["plant"], shown["state"], round(shown["turn"])), (one, "pinned", 90))
        self.settings(spacing=5, fullness=0.1)
        self.settings(conditions=[{"kind": "altitude", "lo": 9000, "hi": 9001}])
        self.assertEqual(set(self.plants()), {one})
        self.settings(mix=[{"item": "moor-grass", "weight": 1}])
        self.assertEqual(self.plants()[one], (moved, "birch"))
        rows = list(csv.DictReader(io.StringIO(self.handed_over("plants.csv").decode())))
        self.assertEqual([(r["id"], r["item"]) for r in rows if r["pinned"] == "1"], [(one, "birch")])

    def test_a_set_plant_makes_room_for_itself_and_pins_are_not_set_into_each_other(self):
        blocks = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{blocks.pk}",
            {"key": key(), "settings": {"conditions": [], "fullness": 1}},
            method="patch",
        )
        stones = self.plants("slate-blocks")
        crowded = sorted(stones.values(), key=lambda p: -p[0][7])[:12]
        add = [{"x": f[0], "z": f[2]} for f, _ in crowded]
        told = self.pin(add=add)
        self.assertGreaterEqual(told["entry"]["lost"], 12)
        self.assertEqual(told["entry"]["gained"] >= 12, True)
        at = np.array([f[::2][:2] for f, _ in self.plants().values()])
        for spot in add:
            self.assertLess(np.hypot(*(at - (spot["x"], spot["z"])).T).min(), 1e-3)
        bad, count = overlaps(self.fresh())
        self.assertEqual((bad, count > 800), (0, True))
        state = self.state()
        said = self.pin(422, add=[{"x": add[0]["x"] + 0.05, "z": add[0]["z"]}])["detail"]
        self.assertIn("pinned birch", said)
        self.assertIn("push it through", said)
        self.assertEqual(self.state(), state)
        self.pin(add=[{"x": add[0]["x"] + 0.05, "z": add[0]["z"]}], push=True)
        self.assertEqual(len(self.state()[0]), 13)

    def test_any_actions_and_their_undos_give_the_first_state(self):
        first, ids = self.state(), sorted(self.plants())
        actions = st.one_of(
            st.builds(lambda k: {"remove": [ids[k]]}, st.integers(0, 40)),
            st.builds(
                lambda k, t, s: {"change": [{"plant": ids[k], "turn": t, "height": s}], "push": True},
                st.integers(41, 80),
                st.floats(0, 359),
                st.floats(0.5, 2),
            ),
            st.builds(
                lambda x, z: {"add": [{"x": x, "z": z}], "push": True}, st.floats(5, 250), st.floats(5, 250)
            ),
        )

        @settings(max_examples=4, deadline=None)
        @given(st.lists(actions, min_size=1, max_size=3, unique_by=str))
        def check(some):
            done = 0
            for body in some:
                done += self.post(self.path, {"key": key()} | body).status_code == 200
            self.assertGreater(done, 0)
            then = self.state()
            for _ in range(done):
                self.assertEqual(self.north.post(f"{self.base}/undo").status_code, 200)
            self.assertEqual(self.state(), first)
            for _ in range(done):
                self.assertEqual(self.north.post(f"{self.base}/redo").status_code, 200)
            self.assertEqual(self.state(), then)
            for _ in range(done):
                self.north.post(f"{self.base}/undo")

        check()

    def test_an_exchanged_item_takes_the_same_places_pins_included(self):
        plants = self.plants()
        one = sorted(plants)[3]
        self.pin(change=[{"plant": one, "turn": 10}])
        self.settings(mix=[{"item": "birch", "weight": 1}, {"item": "moor-grass", "weight": 1}])
        mixed = self.plants()
        self.assertEqual(
            self.post("/exchange", {"key": key(), "item": "birch", "by": "moor-grass"}).status_code, 422
        )
        self.assertEqual(
            self.post("/exchange", {"key": key(), "item": "birch", "by": "palm"}).status_code, 422
        )
        answer = self.post("/exchange", {"key": key(), "item": "birch", "by": "slate-block"})
        self.assertEqual(answer.status_code, 200, answer.content)
        after = self.plants()
        both = mixed.keys() & after.keys()
        self.assertGreater(len(both), 0.7 * len(mixed))
        for i in both:
            self.assertEqual(after[i][1], {"birch": "slate-block"}.get(mixed[i][1], mixed[i][1]))
        self.assertEqual(after[one][1], "slate-block")
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.plants(), mixed)

    def test_bad_wishes_are_refused_whole(self):
        before, entries = self.state(), Entry.objects.count()
        one = sorted(self.plants())[0]
        grass = self.level.stands.get(slug="moor-grass").pk
        for body, status, word in (
            ({}, 422, "nothing was asked"),
            ({"remove": ["77"]}, 409, "no plant 77"),
            ({"release": [one]}, 409, "not pinned"),
            ({"add": [{"x": -4, "z": 9}]}, 422, "outside the level"),
            ({"add": [{"x": 9, "z": 9, "item": "palm"}]}, 422, "palm"),
            ({"change": [{"plant": one, "height": 0}]}, 422, "height"),
            ({"remove": ["1.5"]}, 422, "remove"),
            ({"remove": [one], "add": [{"x": 1e9, "z": 0}]}, 422, "outside"),
        ):
            told = self.pin(status, **body)
            self.assertIn(word, json.dumps(told), body)
        self.assertIn("sward", self.pin(422, f"/stands/{grass}/pins", add=[{"x": 9, "z": 9}])["detail"])
        self.assertEqual(
            self.post(self.path, {"key": key(), "remove": [one]}, self.client_of("guest")).status_code, 403
        )
        self.assertEqual((self.state(), Entry.objects.count()), (before, entries))
        same = key()
        for _ in range(2):
            self.assertEqual(self.post(self.path, {"key": same, "remove": [one]}).status_code, 200)
        self.assertEqual((len(self.state()[0]), Entry.objects.count()), (1, entries + 1))
