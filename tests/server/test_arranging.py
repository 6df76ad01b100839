"""Stands added, duplicated, moved, locked, re-seeded and removed, each undone; mixes by weight."""

import io

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from server.catalogue.whole import document_of, make_level
from server.document.planted import planted_of
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.access import tried
from server.stands.models import Stand
from tests.server.test_ground import GroundCase, key, png
from tests.server.test_room import overlaps
from thicket.document.settings import StandSettings
from thicket.planted.export import plants_csv

STROKE = {
    "verb": "thin",
    "path": [[30, 60], [60, 70]],
    "radius": 20,
    "soft": 0.5,
    "strength": 0.5,
}


def counted(stands):
    return {s["slug"]: s["count"] for s in stands}


class Arranging(GroundCase):
    def stands(self):
        return self.north.get(f"{self.base}/stands").json()

    def order(self):
        return [s["slug"] for s in self.stands()]

    def undone(self, times=1):
        for _ in range(times):
            answer = self.north.post(f"{self.base}/undo")
            self.assertEqual(answer.status_code, 200, answer.content)

    def test_add_duplicate_remove_and_undo_leave_all_as_it_was(self):
        self.stroke()
        before = self.stands()
        made = self.post(
            "/new-stand", {"key": key(), "name": "Young birch", "stratum": "Understorey", "item": "birch"}
        ).json()
        self.assertEqual(self.order(), ["slate-blocks", "birch", "young-birch", "moor-grass"])
        self.assertEqual(overlaps(self.fresh())[0], 0)
        copy = self.post(f"/stands/{self.birch.pk}/duplicate", {"key": key()}).json()
        self.assertEqual(self.order(), ["slate-blocks", "birch", "birch-again", "young-birch", "moor-grass"])
        rows = {s["slug"]: s for s in self.stands()}
        self.assertEqual(rows["birch-again"]["settings"], rows["birch"]["settings"])
        self.assertNotEqual(rows["birch-again"]["seed"], rows["birch"]["seed"])
        touch = [Stand.objects.get(pk=pk).touch_tiles.get().data for pk in (self.birch.pk, copy["made"][0])]
        self.assertEqual(bytes(touch[0]), bytes(touch[1]))
        self.assertEqual(overlaps(self.fresh())[0], 0)
        removed = self.post(f"/stands/{self.birch.pk}/remove", {"key": key()}).json()
        self.assertEqual(
            (removed["entry"]["lost"] >= rows["birch"]["count"], "birch" in self.order()), (True, False)
        )
        self.assertEqual(self.north.get(f"{self.base}/stands/{self.birch.pk}").status_code, 404)
        self.undone(3)
        after = self.stands()
        for one, two in zip(before, after):
            self.assertEqual((one["count"], one["sheets"]["keys"]), (two["count"], two["sheets"]["keys"]))
        self.north.post(f"{self.base}/redo")
        self.assertIn("young-birch", self.order())
        self.assertEqual(made["entry"]["what"], "Young birch added")

    def test_stands_are_switched_off_for_all_and_on_again(self):
        self.stroke()
        before = self.stands()
        grass = next(s for s in before if s["sward"])
        both = {"stands": [self.birch.pk, grass["id"]], "off": True}
        tried = self.trial("/switch-stands", both).json()
        self.assertEqual(tried["moved"][str(self.birch.pk)][1], counted(before)["birch"])
        self.assertEqual(self.stands(), before)
        off = self.post("/switch-stands", {"key": key(), **both})
        self.assertEqual(off.json()["entry"]["what"], "2 stands switched off")
        counts = counted(self.stands())
        self.assertEqual([counts["birch"], counts[grass["slug"]]], [0, 0])
        self.assertNotIn(b"birch", plants_csv(planted_of(self.fresh())))
        for path, body in (
            ("/strokes", {"stand": self.birch.pk, **STROKE}),
            (f"/stands/{self.birch.pk}/pins", {"add": [{"x": 30, "z": 30}]}),
        ):
            refused = self.post(path, {"key": key(), **body})
            self.assertEqual(refused.status_code, 409, refused.content)
            self.assertIn("Birch is off: switch it on first", refused.json()["detail"])
        self.post(f"/stands/{self.birch.pk}/change", {"key": key(), "locked": True})
        locked = self.post("/switch-stands", {"key": key(), "stands": [self.birch.pk], "off": False})
        self.assertIn("is locked", locked.json()["detail"])
        self.undone(2)
        for one, two in zip(before, self.stands()):
            self.assertEqual((one["count"], one["sheets"]["keys"]), (two["count"], two["sheets"]["keys"]))

    def test_stands_are_listed_under_groups_which_move_no_plant(self):
        before = self.stands()
        grass = next(s for s in before if s["sward"])
        self.post(f"/stands/{self.birch.pk}/change", {"key": key(), "locked": True})
        both = {"stands": [self.birch.pk, grass["id"]], "group": " Woodland "}
        done = self.post("/group-stands", {"key": key(), **both}).json()
        self.assertEqual((done["entry"]["what"], done["since"]["keys"]), ("2 stands into Woodland", {}))
        now = {s["slug"]: s for s in self.stands()}
        self.assertEqual([now[n]["group"] for n in ("birch", grass["slug"])], ["Woodland"] * 2)
        self.assertEqual([s["sheets"]["keys"] for s in self.stands()], [s["sheets"]["keys"] for s in before])
        user = User.objects.get(username="lead")
        again = make_level(user, document_of(self.fresh()), "Again")
        self.assertEqual(again.stands.get(slug="birch").group, "Woodland")
        out = self.post("/group-stands", {"key": key(), "stands": [grass["id"]], "group": ""}).json()
        self.assertEqual(out["entry"]["what"], f"{grass['name']} out of groups")
        self.undone(2)
        self.assertEqual({s["group"] for s in self.stands()}, {""})
        long = self.post("/group-stands", {"key": key(), "stands": [grass["id"]], "group": "g" * 81})
        self.assertEqual((long.status_code, "group" in long.json()["detail"]), (422, True))

    def fresh(self):
        return Level.objects.get(pk=self.level.pk)

    def test_order_decides_who_gives_way(self):
        self.settings(conditions=[], spacing=2.2, fullness=1)
        path = f"/stands/{self.birch.pk}/move"
        blocks = self.level.stands.get(slug="slate-blocks")
        before = {s["slug"]: s["count"] for s in self.stands()}
        answer = self.post(path, {"key": key(), "stratum": "Stone", "before": blocks.pk})
        self.assertEqual((answer.status_code, self.order()[0]), (200, "birch"))
        after = {s["slug"]: s["count"] for s in self.stands()}
        self.assertTrue(after["birch"] > before["birch"] and after["slate-blocks"] < before["slate-blocks"])
        self.assertEqual(overlaps(self.fresh())[0], 0)
        self.undone()
        self.assertEqual({s["slug"]: s["count"] for s in self.stands()}, before)
        self.settings(conditions=[{"kind": "stand", "lo": 0, "hi": 9, "stand": blocks.number}])
        refused = self.post(path, {"key": key(), "stratum": "Stone", "before": blocks.pk})
        self.assertEqual(
            (refused.status_code, "does not stand above" in refused.json()["detail"]), (422, True)
        )
        gone = self.post(f"/stands/{blocks.pk}/remove", {"key": key()})
        self.assertEqual((gone.status_code, self.order()[0]), (422, "slate-blocks"))

    def test_locked_stands_are_left_alone_and_seeds_are_rolled_and_undone(self):
        keys = self.stands()[1]["sheets"]["keys"]
        path = f"/stands/{self.birch.pk}/change"
        self.assertEqual(self.post(path, {"key": key(), "seed": 77}).status_code, 200)
        self.assertNotEqual(self.stands()[1]["sheets"]["keys"], keys)
        self.undone()
        self.assertEqual(self.stands()[1]["sheets"]["keys"], keys)
        self.post(path, {"key": key(), "locked": True})
        entries = Entry.objects.count()
        for answer in (
            self.stroke(),
            self.post(path, {"key": key(), "name": "Other"}),
            self.post(
                f"/stands/{self.birch.pk}", {"key": key(), "settings": {"fullness": 0.1}}, method="patch"
            ),
        ):
            self.assertEqual(
                (answer.status_code, "Birch is locked" in answer.json()["detail"]),
                (409, True),
                answer.content,
            )
        self.assertEqual(Entry.objects.count(), entries)
        self.post(path, {"key": key(), "locked": False})
        self.assertEqual(
            self.post(path, {"key": key(), "name": "Silver birch", "colour": "#334455"}).status_code, 200
        )
        self.assertEqual(
            [self.stands()[1][n] for n in ("name", "slug", "colour")], ["Silver birch", "birch", "#334455"]
        )
        for body, word in (({"name": ""}, "name"), ({"seed": -1}, "seed"), ({"colour": "red"}, "colour")):
            bad = self.post(path, {"key": key()} | body)
            self.assertEqual((bad.status_code, word in bad.json()["detail"]), (422, True))
        bad = self.post("/new-stand", {"key": key(), "name": "X", "stratum": "Shrub", "item": "palm"})
        self.assertEqual((bad.status_code, "palm" in bad.json()["detail"]), (422, True))
        self.assertEqual(
            self.post(path, {"key": key(), "name": "No"}, self.client_of("guest")).status_code, 403
        )

    def test_a_weight_moves_only_plants_to_or_from_its_own_item(self):
        self.settings(conditions=[], spacing=3, fullness=1, under=["Stone"])

        def items(**weights):
            mix = [{"item": i, "weight": w} for i, w in weights.items()]
            settings = Stand.objects.get(pk=self.birch.pk).settings
            settings = settings | {"mix": [m | {"item": m["item"].replace("_", "-")} for m in mix]}
            plants = tried(
                Stand.objects.get(pk=self.birch.pk), StandSettings.model_validate(settings)
            ).plants((0, 0))
            names = np.array([m["item"] for m in mix])
            return dict(zip(plants.id.tolist(), names[plants.item]))

        even = items(birch=1, slate_block=1, moor_grass=1)
        shares = np.array(
            [list(even.values()).count(i) for i in ("birch", "slate_block", "moor_grass")]
        ) / len(even)
        self.assertLess(np.abs(shares - 1 / 3).max(), 0.05)
        more = items(birch=2, slate_block=1, moor_grass=1)
        moved = {(even[i], more[i]) for i in even.keys() & more.keys() if even[i] != more[i]}
        self.assertEqual({to for _, to in moved}, {"birch"})
        without = items(moor_grass=1, birch=1)
        kept = [i for i in even.keys() & without.keys() if even[i] != "slate_block"]
        self.assertTrue(all(even[i] == without[i] for i in kept))
        for mix in ([{"item": "birch", "weight": 0}], [{"item": "birch", "weight": 1}] * 2):
            answer = self.settings_tried(self.birch.pk, {"mix": mix})
            self.assertEqual(
                (answer.status_code, "mix" in answer.json()["detail"]), (422, True), answer.content
            )


class Aiming(GroundCase):
    def test_a_count_is_met_exactly_where_the_ground_allows(self):
        path = f"/stands/{self.birch.pk}"
        for changes in ({}, {"conditions": [], "spacing": 2.4}, {"conditions": [], "spacing": 3, "gap": 2.6}):
            for count in (1, 57, 400):
                found = self.post(f"{path}/aim", {"count": count, "settings": changes}).json()
                self.assertEqual(found["count"], count)
                tried = self.count_tried(self.birch.pk, changes | {"fullness": found["fullness"]})
                self.assertEqual(tried, count)
        most = self.post(f"{path}/aim", {"count": 900_000}).json()
        full = self.count_tried(self.birch.pk, {"fullness": 1})
        self.assertEqual((most["fullness"], most["count"]), (1, full))
        grass = self.level.stands.get(slug="moor-grass").pk
        self.assertAlmostEqual(
            self.post(f"/stands/{grass}/aim", {"count": 20_000}).json()["count"], 20_000, delta=2
        )
        self.assertEqual(self.post(f"{path}/aim", {"count": 0}).status_code, 422)


class Clearing(GroundCase):
    stands = Arranging.stands

    def test_painting_goes_out_as_a_picture_and_comes_in_from_one(self):
        path = f"{self.base}/stands/{self.birch.pk}/painting"
        bare, grass = self.ids()
        self.stroke()
        painted, touch = self.ids()[0], self.touch()
        picture = self.north.get(f"{path}.png").content
        small = np.asarray(Image.open(io.BytesIO(self.north.get(f"{path}.png?columns=32").content)))
        self.assertEqual((small.shape, small.dtype), ((32, 32), np.uint16))
        send = lambda data, **more: self.north.post(
            path, {"key": key(), "file": SimpleUploadedFile("rows.png", data), **more}
        )
        told = send(png(np.full((64, 64), 255, np.uint8)), reading="adds").json()
        self.assertGreater(told["entry"]["gained"], 0)
        self.assertEqual(told["entry"]["what"], "Painting of Birch from rows.png")
        self.assertTrue(self.ids()[0] > bare)
        send(png(np.zeros((64, 64), np.uint8)), reading="takes")
        self.assertEqual(self.ids()[0], set())
        send(picture)
        self.assertEqual((self.ids()[0], self.touch()), (painted, touch))
        same = send(picture)
        self.assertEqual((same.status_code, "like that already" in same.json()["detail"]), (422, True))
        for _ in range(3):
            self.north.post(f"{self.base}/undo")
        self.assertEqual((self.ids()[0], self.touch()), (painted, touch))
        self.assertIn("not of one form", send(png(np.zeros((9, 64), np.uint8))).json()["detail"])
        self.assertEqual(self.north.get(f"{path}.png?columns=0").status_code, 422)
        self.birch.locked = True
        self.birch.save()
        self.assertEqual(send(png(np.zeros((64, 64), np.uint8))).status_code, 409)

    def test_painting_is_cleared_in_an_area_or_everywhere_and_undone(self):
        west = [[0, 0], [110, 0], [110, 256], [0, 256]]
        area = {"kind": "area", "form": "polygon", "name": "Glade", "clear": None, "points": west}
        glade = self.post("/shapes", {"key": key(), "put": [area]}).json()["since"]["shapes"][0]["id"]
        nothing = self.post(f"/stands/{self.birch.pk}/clear", {"key": key()})
        self.assertEqual((nothing.status_code, "no painting" in nothing.json()["detail"]), (422, True))
        bare, _ = self.ids()
        self.stroke()
        painted, touch = self.ids()[0], self.touch()
        answer = self.post(f"/stands/{self.birch.pk}/clear", {"key": key(), "area": glade}).json()
        west = self.ids()[0]
        self.assertTrue(painted < west < bare)
        self.assertEqual(len(west - painted), answer["entry"]["gained"])
        self.post(f"/stands/{self.birch.pk}/clear", {"key": key()})
        self.assertEqual(self.ids()[0], bare)
        for _ in range(2):
            self.north.post(f"{self.base}/undo")
        self.assertEqual((self.ids()[0], self.touch()), (painted, touch))
        grass = self.level.stands.get(slug="moor-grass")
        self.stroke(stand=grass.pk, path=[[60, 90]])
        keys = [s["sheets"]["keys"] for s in self.stands()]
        told = self.post("/clear", {"key": key(), "area": glade}).json()["entry"]
        self.assertEqual((told["kind"], told["what"]), ("paint", "Painting of all stands cleared in Glade"))
        self.assertEqual(self.ids()[0], west)
        self.assertEqual(self.post("/clear", {"key": key(), "area": glade}).status_code, 422)
        self.north.post(f"{self.base}/undo")
        self.assertEqual([s["sheets"]["keys"] for s in self.stands()], keys)
        wrong = self.post(f"/stands/{self.birch.pk}/clear", {"key": key(), "area": 10**6})
        self.assertEqual((wrong.status_code, "area" in wrong.json()["detail"]), (422, True))
