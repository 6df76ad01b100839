"""Devices on the server: measured from frames, kept with a tier, told with every cost, taken back, and saved
with the level."""

from dataclasses import replace

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from server.catalogue.whole import document_of, make_level
from server.document.planted import planted_of
from server.levels.models import Level
from server.sight.costing import air_of, items_of
from tests.server.test_atmosphere import opened
from tests.server.test_ground import GroundCase, key
from thicket.document.folder import zip_level
from thicket.planted.captures import SIMULATED, captures_csv, frames_by_chance, loads_in, run

HIDDEN = SIMULATED["console"]
VIEW = {"x": 128, "y": 390, "z": 250, "heading": 0, "pitch": -5, "fov": 55, "aspect": 1.6}


def captures(count: int = 60) -> SimpleUploadedFile:
    """Frames of a simulated device by chance, as a file."""
    rng = np.random.default_rng(4)
    loads = rng.uniform(0.05, 1, (count, 5)) * (9e5, 1500, 4e5, 30, 6e7)
    return SimpleUploadedFile("console.csv", captures_csv(loads, run(HIDDEN, loads)).encode())


class Devices(GroundCase):
    def measure(self, file, status=200, **more):
        body = {"file": file, "name": "Bench unit", **more}
        answer = self.lead.post(f"{self.base}/devices/calibrate", body)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def test_a_device_is_measured_kept_with_a_tier_and_reckons_from_then_on(self):
        found = self.measure(captures(200))
        self.assertEqual((len(found["frames"]), found["unclear"]), (200, []))
        self.assertEqual(found["left_out"], sum(not fits for *_, fits in found["frames"]))
        device = found["device"]
        self.assertEqual((device["name"], device["frames"]), ("Bench unit", 200 - found["left_out"]))
        self.assertAlmostEqual(device["fixed"], HIDDEN.fixed, delta=0.3)
        self.assertAlmostEqual(found["error"], 0.05, delta=0.015)
        plain = self.post("/cost", VIEW).json()
        self.assertEqual((plain["device"], plain["margin"]), ("Plain desktop", None))
        before = Level.objects.get(pk=self.level.pk).tiers
        tiers = before | {"Console": before["Console"] | {"device": device}}
        self.post("/tiers", {"key": key(), "tiers": tiers}, self.lead, "put")
        kept = self.lead.get(self.base).json()["tiers"]["Console"]["device"]
        self.assertEqual(kept, device)
        told = self.post("/cost", VIEW | {"device": kept}).json()
        self.assertEqual(told["device"], "Bench unit")
        total = told["total"]
        mega = {"per_mtri": "triangles", "per_shadow_mtri": "shadow_triangles", "per_mbyte": "memory"}
        ms = sum(device[part] * total[load] / 1e6 for part, load in mega.items())
        calls = total["draw_calls"] + total["shadow_calls"]
        ms += device["per_kcall"] * calls / 1e3 + device["per_alpha_mpx"] * total["alpha_mpx"]
        self.assertAlmostEqual(total["ms"], ms + device["fixed"], places=3)
        self.assertGreater(told["ground"]["ms"], device["fixed"])
        self.assertTrue(0.08 * total["ms"] < told["margin"] < 0.2 * total["ms"])
        level = Level.objects.get(pk=self.level.pk)
        made = make_level(level.memberships.first().user, opened(zip_level(document_of(level))), "Again")
        self.assertEqual(made.tiers["Console"]["device"], device)
        self.post("/undo", {}, self.lead)
        self.assertEqual(Level.objects.get(pk=self.level.pk).tiers, before)

    def test_frames_by_the_cameras_place_are_reckoned_through_the_tier(self):
        planted = planted_of(self.level)
        air = air_of(self.level)
        views = [
            replace(view, drawing=replace(view.drawing, air=air))
            for view in frames_by_chance(planted, 320, 2)[::8]
        ]
        loads = loads_in(planted, views, items_of(self.level))
        rows = [
            ",".join(f"{v!r}" for v in (w.x, w.y, w.z, w.heading, w.pitch, w.fov, took))
            for w, took in zip(views, run(HIDDEN, loads).tolist())
        ]
        places = "\n".join(["x,y,z,heading,pitch,fov,ms", *rows]).encode()
        said = captures_csv(loads, run(HIDDEN, loads)).encode()
        by_place = self.measure(SimpleUploadedFile("a.csv", places), tier="Desktop")
        by_load = self.measure(SimpleUploadedFile("b.csv", said))
        np.testing.assert_allclose(
            [frame[:2] for frame in by_place["frames"]], [frame[:2] for frame in by_load["frames"]], rtol=1e-3
        )
        through = self.measure(SimpleUploadedFile("a.csv", places), tier="Handheld")
        self.assertNotEqual(through["frames"], by_place["frames"])
        many = places + b"\n" + b"\n".join(row.encode() for row in rows * 3)
        self.assertIn("at most 120", self.measure(SimpleUploadedFile("a.csv", many), 422)["detail"])
        self.assertIn("no tier", self.measure(SimpleUploadedFile("a.csv", places), 422, tier="Toy")["detail"])

    def test_captures_and_devices_that_cannot_be_are_a_sentence_and_nothing_is_stored(self):
        before = Level.objects.get(pk=self.level.pk).tiers
        for data, words in (
            (b"fps\n60", "are missing"),
            (b"\xff\xfe\x00", "no text in UTF-8"),
            (b"", "missing"),
        ):
            told = self.measure(SimpleUploadedFile("a.csv", data), 422)
            self.assertIn(words, told["detail"])
        self.assertIn("name", str(self.measure(captures(), 422, name="x" * 200)))
        for device, words in (
            ({"per_mtri": -1}, "greater than or equal to 0"),
            ({"spread": [[0] * 6] * 2}, "has six rows"),
            ({"spread": [[0] * 5] * 6}, "at least 6"),
            ({"name": ""}, "at least 1"),
        ):
            tiers = {"Console": before["Console"] | {"device": device}}
            told = self.lead.put(
                f"{self.base}/tiers", {"key": key(), "tiers": tiers}, content_type="application/json"
            )
            self.assertEqual(told.status_code, 422)
            self.assertIn(words, str(told.json()))
        self.assertEqual(Level.objects.get(pk=self.level.pk).tiers, before)
