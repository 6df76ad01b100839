"""Shapes, masks and the touch's cells, and conditions looked at, tried, copied, kept as sets and asked
about."""

import base64
import json
import uuid

import numpy as np
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile

from server.document.planted import planted_of
from server.journal.commit import commit
from server.journal.models import Entry
from server.levels.models import Level
from server.stands.access import planting_of
from server.stands.models import Stand
from tests.server.test_ground import GroundCase, key, png
from thicket.document.edits import SetHeights
from thicket.ground.shapes import distances_at
from thicket.site.conditions import Condition


class Shapes(GroundCase):
    def tried(self, path, body):
        told = self.trial(path, body)
        self.assertEqual(told.status_code, 200, told.content)
        return told.json()

    ROAD = {
        "kind": "path",
        "form": "line",
        "name": "Cart road",
        "points": [[10, 60], [240, 90]],
        "width": 6,
        "clear": 2,
    }

    def put(self, *put, remove=(), client=None):
        return self.post("/shapes", {"key": key(), "put": list(put), "remove": list(remove)}, client)

    def near(self, points, room):
        level = Level.objects.get(pk=self.level.pk)
        shapes = list(planted_of(level).shapes.values())
        stand = level.stands.get(slug="birch")
        stand.level = level
        plants = planting_of(stand).plants((0, 0))
        return int(
            (
                distances_at(shapes, plants.form[:, 0].astype(float), plants.form[:, 2].astype(float))[0]
                < room
            ).sum()
        )

    def test_a_road_keeps_plants_away_also_when_it_is_moved(self):
        before = self.all_ids()
        tried = self.tried("/shapes", {"key": key(), "put": [self.ROAD]})["moved"]
        self.assertEqual(self.all_ids(), before)
        made = self.put(self.ROAD).json()
        self.assertEqual(self.near([], 2), 0)
        lost = before - self.all_ids()
        single = [s.pk for s in self.level.stands.filter(sward=False)]
        self.assertEqual(len(lost), sum(tried[str(pk)][1] for pk in single))
        self.assertEqual(made["entry"]["lost"], sum(t[1] for t in tried.values()))
        road = made["since"]["shapes"][0]
        moved = {k: road[k] for k in ("id", *self.ROAD)} | {"points": [[10, 160], [240, 190]]}
        self.put(moved)
        self.assertEqual(self.near([], 2), 0)
        self.assertTrue(lost - self.all_ids() < lost)
        north = self.north
        for _ in range(2):
            self.assertEqual(north.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual((self.all_ids(), north.get(f"{self.base}/shapes").json()), (before, []))
        north.post(f"{self.base}/redo")
        self.assertEqual(north.get(f"{self.base}/shapes").json()[0]["id"], road["id"])

    def test_locks_bounds_and_crossing_outlines_are_refused_with_a_sentence(self):
        locked = self.put(self.ROAD | {"locked": True}).json()["since"]["shapes"][0]
        said = {k: locked[k] for k in ("id", "locked", *self.ROAD)}
        bad = [
            (said | {"width": 9}, 409, "Cart road is locked"),
            (self.ROAD | {"points": [[0, 0], [900, 0]]}, 422, "outside the level"),
            (
                {
                    "kind": "area",
                    "form": "polygon",
                    "name": "Bow",
                    "points": [[0, 0], [90, 90], [90, 0], [0, 90]],
                },
                422,
                "crosses",
            ),
            (
                {"kind": "path", "form": "polygon", "name": "P", "points": [[0, 0], [9, 9]]},
                422,
                "a path is a line",
            ),
            ({"kind": "obstacle", "form": "circle", "name": "C"}, 422, "radius"),
            (said | {"id": 10**6}, 404, "no shape"),
        ]
        for shape, status, word in bad:
            answer = self.put(self.ROAD | {"name": "Fine"}, shape)
            self.assertEqual(answer.status_code, status, answer.content)
            self.assertIn(word, answer.json()["detail"])
        self.assertEqual(self.put(remove=[locked["id"]]).status_code, 409)
        self.assertEqual(self.put(self.ROAD, client=self.client_of("guest")).status_code, 403)
        self.assertEqual(len(self.north.get(f"{self.base}/shapes").json()), 1)
        self.assertEqual(self.put(said | {"locked": False}).status_code, 200)

    def test_geojson_out_and_in(self):
        self.put(
            self.ROAD,
            {
                "kind": "obstacle",
                "form": "box",
                "name": "Barn",
                "box": {"x": 100, "z": 200, "width": 8, "length": 14, "heading": 30},
            },
        )
        data = self.north.get(f"{self.base}/shapes.geojson").content
        path = f"{self.base}/shapes.geojson?key={key()}&name=back.geojson&instead=true"
        answer = self.north.post(path, data, content_type="application/geo+json")
        kept = ("kind", "form", "name", "points", "width", "clear", "box")
        self.assertEqual(
            [[s[k] for k in kept] for s in answer.json()["since"]["shapes"]],
            [[s[k] for k in kept] for s in self.north.get(f"{self.base}/shapes").json()],
        )
        self.assertEqual(len(answer.json()["since"]["shapes"]), 2)
        bad = self.north.post(path.replace("key=", "key=0"), b"{}", content_type="application/json")
        self.assertEqual(bad.status_code, 422)
        again = self.north.post(
            f"{self.base}/shapes.geojson?key={key()}&name=bad.geojson", b"{}", content_type="application/json"
        )
        self.assertIn("bad.geojson", again.json()["detail"])


class MasksAndCells(GroundCase):
    def test_a_mask_decides_where_plants_stand_and_is_undone(self):
        half = np.zeros((40, 64), np.uint8)
        half[:, 32:] = 255
        send = lambda data, name="east": self.north.post(
            f"{self.base}/masks",
            {
                "key": key(),
                "name": name,
                "file": SimpleUploadedFile("half.png", data),
            },
        )
        self.assertEqual(send(png(half)).status_code, 200)
        self.settings(conditions=[{"kind": "mask", "mask": "east", "lo": 0.9, "hi": 1}])
        xs = planting_of(Stand.objects.get(pk=self.birch.pk)).plants((0, 0)).form[:, 0]
        self.assertGreater(xs.min(), 120)
        full = len(xs)
        send(png(np.full((40, 64), 255, np.uint8)))
        self.assertGreater(self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], 1.6 * full)
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], full)
        self.assertEqual(send(b"nonsense").status_code, 422)
        self.assertEqual(send(png(half), " ").status_code, 422)
        removed = self.north.delete(f"{self.base}/masks/east?key={key()}")
        self.assertEqual((removed.status_code, self.north.get(f"{self.base}/masks").json()), (200, []))
        told = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()
        self.assertEqual((told["count"], told["warnings"]), (0, ["The level has no mask image 'east'."]))
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], full)

    def test_a_mask_is_made_here_looked_at_renamed_and_made_again(self):
        slope = {"kind": "slope", "lo": 0, "hi": 8, "soft_hi": 4}
        source = {"made_from": "suitability", "conditions": [slope], "cell": 1}
        made = self.post("/made-masks", {"key": key(), "name": "Gentle", "source": source})
        self.assertEqual(made.status_code, 200, made.content)
        look = lambda body: self.post("/mask-look", body).json()["raster"]
        self.assertEqual(look({"name": "Gentle"}), look({"source": source}))
        self.settings(conditions=[slope])
        by_condition = self.all_ids()
        curve = [[0, 0], [1, 1]]
        self.settings(conditions=[{"kind": "mask", "mask": "Gentle", "lo": 0, "hi": 1, "curve": curve}])
        by_mask = self.all_ids()
        self.assertLess(len(by_mask ^ by_condition), 0.02 * len(by_condition))
        renamed = self.post("/masks/Gentle/rename", {"key": key(), "to": "Not steep"})
        self.assertEqual(renamed.status_code, 200, renamed.content)
        self.assertEqual(self.all_ids(), by_mask)
        kept = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["settings"]["conditions"][0]
        self.assertEqual(kept["mask"], "Not steep")
        level = Level.objects.get(pk=self.level.pk)
        heights = planted_of(level).level.heights.ground.heights
        lead = User.objects.get(username="lead")
        commit(lead, level, uuid.uuid4(), SetHeights(heights=heights * np.float32(1.3), cell=1), "Steeper")
        (mask,) = self.north.get(f"{self.base}/masks").json()
        self.assertEqual((mask["name"], mask["current"]), ("Not steep", False))
        again = self.post("/made-masks", {"key": key(), "name": mask["name"], "source": mask["source"]})
        self.assertIn("made again", again.json()["entry"]["what"])
        self.assertTrue(again.json()["since"]["masks"][0]["current"])
        self.assertNotEqual(again.json()["moved"][str(self.birch.pk)], [0, 0])
        for entry in Entry.objects.filter(kind__in=("masks", "mask name", "heights")):
            user = self.lead if entry.kind == "heights" else self.north
            self.assertEqual(user.post(f"{self.base}/journal/{entry.pk}/undo").status_code, 200, entry.what)
        self.assertEqual(self.north.get(f"{self.base}/masks").json(), [])
        for path, body, why in (
            ("/made-masks", {"name": "X", "source": {"made_from": "rivers", "catchment": 1e6}}, "hectares"),
            ("/masks/Nothing/rename", {"to": "X"}, "no mask image"),
        ):
            refused = self.post(path, {"key": key(), **body})
            self.assertIn(refused.status_code, (404, 422), refused.content)
            self.assertIn(why, refused.json()["detail"])

    def test_a_mask_comes_from_colours_of_a_picture(self):
        picture = np.full((64, 64, 3), (120, 130, 80), np.uint8)
        picture[:, 20:30] = (40, 90, 170)
        form = lambda **more: {
            "colours": "#285aaa",
            "file": SimpleUploadedFile("map.png", png(picture)),
            **more,
        }
        looked = self.north.post(f"{self.base}/colour-masks/look", form())
        raster = np.frombuffer(base64.b64decode(looked.json()["raster"]), np.uint8)[4:].reshape(64, 64)
        self.assertTrue((raster[:, 20:30] == 255).all() and raster[:, :20].max() == 0)
        kept = self.north.post(f"{self.base}/colour-masks", form(key=key(), name="Brook"))
        self.assertEqual(kept.status_code, 200, kept.content)
        (mask,) = self.north.get(f"{self.base}/masks").json()
        self.assertEqual((mask["name"], mask["bits"], mask["source"]), ("Brook", 16, None))
        refused = self.north.post(f"{self.base}/colour-masks/look", form(colours="#ff0000"))
        self.assertEqual((refused.status_code, "no such colour" in refused.json()["detail"]), (422, True))

    def test_another_touch_cell_resamples_and_undo_is_exact(self):
        self.stroke()
        self.stroke(
            verb="thicken", path=[[30, 200], [90, 210]], stand=self.level.stands.get(slug="moor-grass").pk
        )
        before, touch = self.all_ids(), self.touch()
        for cell in (2.0, 0.5):
            tried = self.trial("/resolution", {"cell": cell}, client=self.lead).json()
            self.assertEqual(tried["tried"]["touch"], [256 / cell, 256 / cell])
            self.assertEqual(self.touch(), touch)
            kept = self.post("/resolution", {"key": key(), "cell": cell}, self.lead)
            self.assertEqual(kept.status_code, 200, kept.content)
            self.assertEqual((kept.json()["gained"], kept.json()["lost"]), (tried["gained"], tried["lost"]))
            now = self.all_ids()
            self.assertLess(len(now ^ before), 0.03 * len(before))
            self.assertLessEqual(
                kept.json()["entry"]["gained"] + kept.json()["entry"]["lost"], 0.05 * len(before) + 4000
            )
            self.lead.post(f"{self.base}/undo")
            self.assertEqual((self.all_ids(), self.touch()), (before, touch))
        self.post("/resolution", {"key": key(), "cell": 2}, self.lead)
        self.stroke(path=[[200, 40]], radius=20)
        painted = self.all_ids()
        self.lead.post(f"{self.base}/undo")
        self.assertLess(len(self.all_ids() ^ painted), 0.04 * len(painted))
        self.assertGreater(len(before - self.all_ids()), 4)
        self.north.post(f"{self.base}/undo")
        self.assertLess(len(self.all_ids() ^ before), 0.03 * len(before))
        for cell, word in ((0.01, "measures"), (40, "measures"), (-1, "cell")):
            answer = self.post("/resolution", {"key": key(), "cell": cell}, self.lead)
            self.assertEqual(
                (answer.status_code, word in answer.json()["detail"]), (422, True), answer.content
            )
        self.assertEqual(self.post("/resolution", {"key": key(), "cell": 2}).status_code, 403)


class Conditions(GroundCase):
    def test_why_tells_of_the_hand_of_sizes_of_items_and_of_trails(self):
        trail = {"reach": 10, "lean": 40, "flatten": 0.5, "strata": ["Canopy"]}
        lane = {"kind": "path", "form": "line", "name": "Lane", "points": [[0, 120], [250, 120]], "width": 4}
        self.post("/shapes", {"key": key(), "put": [lane | {"trail": trail, "clear": None}]})
        slope = {"kind": "slope", "lo": 0, "hi": 90}
        never = {"kind": "altitude", "lo": 5000, "hi": 6000}
        mix = [{"item": "birch", "weight": 1, "drive": never}, {"item": "slate-block", "weight": 3}]
        sized = never | {"density": False, "size": 0.5}
        self.settings(mix=mix, conditions=[slope, sized], clear_of=[])
        pins, ask = f"/stands/{self.birch.pk}/pins", f"/stands/{self.birch.pk}/why"
        put = {"key": key(), "add": [{"x": 60, "z": 127, "item": "birch"}], "push": True}
        self.assertEqual(self.post(pins, put).status_code, 200)
        told = self.post(ask, {"x": 60.1, "z": 127}).json()
        self.assertIn("set by hand", told["by_hand"])
        self.assertEqual((told["planted"], told["shut"]), (True, ""))
        self.assertEqual([c["size"] for c in told["conditions"]], [None, 0.5])
        self.assertEqual([(i["item"], i["share"]) for i in told["items"]], [("birch", 0), ("slate-block", 1)])
        self.assertEqual(told["items"][0]["condition"]["result"], 0)
        self.assertRegex(told["trails"][0], r"Lane lays it over, by \d+° and \d+%")
        away = self.post(ask, {"x": 60, "z": 200}).json()
        self.assertEqual((away["by_hand"], away["trails"]), ("", []))

    def test_every_kind_is_looked_at_tried_kept_and_asked_why(self):
        self.post(
            "/shapes",
            {
                "key": key(),
                "put": [
                    Shapes.ROAD,
                    {
                        "kind": "area",
                        "form": "polygon",
                        "name": "Wood",
                        "clear": None,
                        "points": [[20, 120], [200, 130], [150, 240]],
                    },
                    {
                        "kind": "obstacle",
                        "form": "circle",
                        "name": "Tank",
                        "round": {"x": 60, "z": 60, "radius": 9},
                    },
                ],
            },
        )
        self.north.post(
            f"{self.base}/masks",
            {
                "key": key(),
                "name": "m",
                "file": SimpleUploadedFile("m.png", png(np.arange(256, dtype=np.uint8)[None].repeat(99, 0))),
            },
        )
        blocks = self.level.stands.get(slug="slate-blocks").number
        rules = [
            {"kind": "altitude", "lo": 350, "hi": 400},
            {"kind": "slope", "lo": 0, "hi": 40, "soft_hi": 5},
            {"kind": "facing", "lo": 0, "hi": 150, "centre": 90},
            {"kind": "hollow", "lo": -9, "hi": 2, "radius": 25},
            {"kind": "wetness", "lo": 0, "hi": 12},
            {"kind": "layer", "lo": 0.5, "hi": 1, "layers": ["turf"]},
            {"kind": "noise", "lo": 0.2, "hi": 1, "noise": {"form": "ridged", "wavelength": 30}},
            {"kind": "path", "lo": 4, "hi": 1e5},
            {"kind": "area", "lo": 0.2, "hi": 1, "depth": True, "join": "or"},
            {"kind": "obstacle", "lo": 5, "hi": 1e5},
            {"kind": "stand", "lo": 0, "hi": 40, "stand": blocks},
            {"kind": "mask", "lo": 0.1, "hi": 1, "mask": "m"},
            {"kind": "flat", "lo": 0, "hi": 9, "radius": 2, "size": 0.5},
        ]
        for rule in rules:
            seen = self.post("/conditions/look", rule)
            self.assertEqual(seen.status_code, 200, seen.content)
            self.assertEqual((len(seen.json()["counts"]), sum(seen.json()["counts"]) > 0), (64, True), rule)
        stand = f"/stands/{self.birch.pk}"
        tried = self.settings_tried(self.birch.pk, {"conditions": rules}, "own,places,suitability").json()
        moved, laid = (base64.b64decode(tried["tried"][name]) for name in ("places", "suitability"))
        came, went = np.frombuffer(moved, "<u4", 2)
        self.assertEqual(
            (came, went, len(moved)), (tried["gained"], tried["lost"], 8 + 8 * (int(came) + int(went)))
        )
        before = self.all_ids()
        kept = self.settings(conditions=rules)
        self.assertEqual(self.north.get(f"{self.base}{stand}/field/suitability").content, laid)
        self.assertEqual(kept["entry"]["lost"], len(before - self.all_ids()))
        row = Stand.objects.get(pk=self.birch.pk)
        planting = planting_of(row)
        for x, z in ((40.0, 200.0), (100.0, 71.7), (200.0, 30.0)):
            told = self.post(f"{stand}/why", {"x": x, "z": z}).json()
            self.assertEqual(len(told["conditions"]), len(rules))
            at = told["place"]
            ids = planting.plants((0, 0)).form[:, [0, 2]]
            stands = bool((np.hypot(ids[:, 0] - at["x"], ids[:, 1] - at["z"]) < 0.01).any())
            self.assertEqual(stands, told["planted"])
            cell = planting.suitability.array[int(at["z"]), int(at["x"])]
            self.assertAlmostEqual(told["conditions"][-1]["running"], float(cell), places=4)
        shut = self.post(f"{stand}/why", {"x": 100, "z": 71.7}).json()
        self.assertIn("Cart road", shut["shut"])
        outside = self.post(f"{stand}/why", {"x": 1000, "z": 0})
        self.assertEqual((outside.status_code, "outside" in outside.json()["detail"]), (422, True))
        free = self.post(f"{stand}/why", {"x": 40, "z": 200, "settings": {"conditions": []}}).json()
        self.assertEqual((free["conditions"], free["suitability"]), ([], 1))

    def test_a_distance_to_a_shape_that_is_gone_counts_as_far_from_it(self):
        road = self.post("/shapes", {"key": key(), "put": [Shapes.ROAD | {"clear": None}]}).json()["since"][
            "shapes"
        ][0]["id"]
        self.settings(conditions=[{"kind": "path", "lo": -100, "hi": 20, "shapes": [road]}])
        self.assertGreater(self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], 20)
        self.post("/shapes", {"key": key(), "remove": [road]})
        told = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()
        self.assertEqual((told["count"], len(told["warnings"])), (0, 1))

    def test_size_follows_a_condition_and_ids_stay(self):
        plants = planting_of(Stand.objects.get(pk=self.birch.pk)).plants((0, 0))
        rules = self.birch.settings["conditions"] + [
            {"kind": "altitude", "lo": 375, "hi": 999, "density": False, "size": 0.5}
        ]
        self.settings(conditions=rules)
        smaller = planting_of(Stand.objects.get(pk=self.birch.pk)).plants((0, 0))
        self.assertTrue(set(plants.id.tolist()) <= set(smaller.id.tolist()))
        smaller = smaller.take(np.isin(smaller.id, plants.id))
        np.testing.assert_array_equal(plants.id, smaller.id)
        share = smaller.form[:, 8] / plants.form[:, 8]
        self.assertTrue(
            ((share > 0.49) & (share < 1.001)).all() and share.min() < 0.51 and share.max() > 0.99
        )
        np.testing.assert_array_equal(plants.form[:, :7], smaller.form[:, :7])

    def test_dependent_stands_follow_a_stroke_and_a_draft_names_them(self):
        blocks = self.level.stands.get(slug="slate-blocks")
        self.settings(conditions=[{"kind": "stand", "lo": 0, "hi": 6, "stand": blocks.number}])
        near = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()
        self.assertGreater(near["count"], 20)
        path = [[20, 20], [240, 240], [20, 240], [240, 20]]
        answer = self.stroke(stand=blocks.pk, path=path, radius=150, strength=1, soft=0).json()
        self.assertEqual(
            [int(pk) for pk in answer["since"]["keys"]],
            [blocks.pk, self.birch.pk, self.level.stands.get(slug="moor-grass").pk],
        )
        self.assertLess(
            self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], 0.2 * near["count"]
        )

    def test_conditions_that_cannot_be_asked_are_refused(self):
        blocks, grass = (self.level.stands.get(slug=s) for s in ("slate-blocks", "moor-grass"))
        bad = [(blocks, {"kind": "stand", "stand": self.birch.number}, "above")] + [
            (self.birch, rule, word)
            for rule, word in (
                ({"kind": "stand", "stand": grass.number}, "sward"),
                ({"kind": "stand", "stand": self.birch.number}, "above"),
                ({"kind": "stand", "stand": 99}, "no longer"),
                ({"kind": "layer", "layers": ["lava"]}, "lava"),
                ({"kind": "mask", "mask": "x"}, "mask image"),
                ({"kind": "path", "shapes": [77]}, "no longer"),
                ({"kind": "hollow", "radius": 900}, "cells"),
                ({"kind": "slope", "size": 3}, "size"),
                ({"kind": "noise", "noise": {"octaves": 40}}, "octaves"),
            )
        ]
        for stand, rule, word in bad:
            answer = self.settings_tried(stand.pk, {"conditions": [{"lo": 0, "hi": 9} | rule]})
            self.assertEqual(answer.status_code, 422, (rule, answer.content))
            self.assertIn(word, answer.json()["detail"])

    def test_take_from_a_layer_copy_and_sets(self):
        bands = self.north.get(f"{self.base}/layers/turf/bands").json()
        cells = planted_of(self.level).rasters.whole_values
        for kind, (lo, hi) in bands.items():
            found = cells(Condition(kind, 0, 1))
            self.assertAlmostEqual(
                float(((found >= lo - 0.05) & (found <= hi + 0.05)).mean()), 0.9, delta=0.02
            )
        self.assertEqual(self.north.get(f"{self.base}/layers/lava/bands").status_code, 422)
        rules = [
            {"kind": "slope", "lo": 0, "hi": 11},
            {"kind": "layer", "lo": 0.4, "hi": 1, "layers": ["turf"]},
            {"kind": "stand", "lo": 0, "hi": 9, "stand": self.level.stands.get(slug="slate-blocks").number},
        ]
        others = [self.birch.pk, self.level.stands.get(slug="moor-grass").pk]
        copy = lambda to: self.north.patch(
            f"{self.base}/stands",
            {"key": key(), "stands": {pk: {"settings": {"conditions": rules}} for pk in to}},
            content_type="application/json",
        )
        copied = copy(others).json()
        self.assertEqual(len(copied["entry"]["stands"]), 2)
        self.assertEqual({len(Stand.objects.get(pk=pk).settings["conditions"]) for pk in others}, {3})
        entries = Entry.objects.count()
        refused = copy([self.birch.pk, self.level.stands.get(slug="slate-blocks").pk])
        self.assertEqual((refused.status_code, Entry.objects.count()), (422, entries))
        body = json.dumps({"name": "Gentle turf", "level": self.level.slug, "conditions": rules})
        made = self.north.post("/api/condition-sets", body, content_type="application/json").json()
        self.assertEqual(made["kinds"], ["slope", "layer", "stand"])
        fits = self.north.get(f"{self.base}/condition-sets/{made['id']}").json()
        self.assertEqual(
            ([c["kind"] for c in fits["conditions"]], fits["notes"]), (["slope", "layer", "stand"], [])
        )
        Stand.objects.filter(slug="slate-blocks").update(name="Boulders")
        fits = self.north.get(f"{self.base}/condition-sets/{made['id']}").json()
        self.assertEqual((len(fits["conditions"]), "Slate blocks" in fits["notes"][0]), (2, True))
        walls = {"kind": "obstacle", "lo": 2, "hi": 1e5, "groups": ["walls"]}
        body = json.dumps({"name": "Off walls", "level": self.level.slug, "conditions": [walls]})
        off = self.north.post("/api/condition-sets", body, content_type="application/json").json()
        fits = self.north.get(f"{self.base}/condition-sets/{off['id']}").json()
        self.assertEqual((fits["conditions"], "no group 'walls'" in fits["notes"][0]), ([], True))
        south = self.client_of("south")
        self.assertEqual(south.delete(f"/api/condition-sets/{made['id']}").status_code, 403)
        self.assertEqual(self.lead.delete(f"/api/condition-sets/{made['id']}").status_code, 204)

    def test_relief_and_noise_are_handed_out(self):
        for kind in ("shading", "slope", "facing", "hollow", "wetness", "altitude"):
            data = self.north.get(f"{self.base}/relief/1/{kind}?radius=15").content
            rows, columns = np.frombuffer(data, "<u2", 2)
            low, high = np.frombuffer(data, "<f4", 2, 4)
            self.assertEqual((rows, columns, len(data)), (256, 256, 12 + 2 * 256 * 256), kind)
            if kind == "altitude":
                self.assertTrue(345 < low < 350 and 388 < high < 394)
        self.assertEqual(self.north.get(f"{self.base}/relief/1/hollow?radius=0").status_code, 422)
        self.assertEqual(self.north.get(f"{self.base}/relief/9/slope").status_code, 409)
        drawn = self.post("/conditions/noise", {"noise": {"form": "cellular"}, "side": 99}).json()
        self.assertEqual(drawn["side"], 128)
