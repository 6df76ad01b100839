"""The atmosphere is kept with the level, told in the journal, taken back, handed over and saved with it."""

import json
from io import BytesIO
from pathlib import Path
from tempfile import NamedTemporaryFile, TemporaryDirectory
from zipfile import ZipFile

from server.catalogue.whole import document_of, make_level
from server.levels.models import Level
from tests.server.test_ground import GroundCase, key
from thicket.document.atmosphere import Atmosphere, FogSettings, Sun, Water
from thicket.document.folder import zip_level
from thicket.document.reading import open_zip

DUSK = Atmosphere(
    sun=Sun(bearing=280, elevation=8, colour="#ffb070", strength=0.7),
    fog=FogSettings(kind="linear", start=20, end=300, colour="#8899aa"),
    waters=[Water(altitude=361.5, box=(20, 20, 90, 120))],
).model_dump(mode="json")


def opened(data: bytes):
    """The level in a zip."""
    with NamedTemporaryFile(suffix=".zip") as file, TemporaryDirectory() as folder:
        file.write(data)
        file.flush()
        return open_zip(Path(file.name), "level.zip", Path(folder))


class Kept(GroundCase):
    def put(self, atmosphere, client=None):
        return self.post("/atmosphere", {"key": key(), "atmosphere": atmosphere}, client, "put")

    def now(self):
        return self.north.get(self.base).json()["atmosphere"]

    def test_it_is_kept_told_and_taken_back(self):
        before, plants = self.now(), self.ids()
        self.assertEqual((before["sun"]["bearing"], before["fog"]["kind"]), (200, "exponential"))
        entry = self.put(DUSK).json()["entry"]
        self.assertEqual((entry["what"], entry["kind"], self.now()), ("Atmosphere", "atmosphere", DUSK))
        self.assertEqual(self.ids(), plants, "nothing of it moves a plant")
        self.assertEqual(self.north.get(f"{self.base}/journal?topic=air").json()[0]["what"], "Atmosphere")
        moved = self.post("/undo", {}).json()
        self.assertEqual((moved["since"]["stands"], self.now()), ([], before))
        self.post("/redo", {})
        self.assertEqual(self.now(), DUSK)

    def test_what_it_hides_is_not_paid_for_and_a_fog_that_is_tried_says_what_it_saves(self):
        eye = {"x": 64, "y": 363, "z": 64, "heading": 40, "pitch": -8, "fov": 55, "aspect": 1.6}
        fog = DUSK["fog"] | {"start": 0, "end": 30}
        before = self.post("/cost", eye).json()["total"]
        told = self.post("/fog", eye | {"fog": fog}).json()
        self.assertAlmostEqual(told["clear"], 0.98 * 30)
        self.assertTrue(told["saves"]["triangles"] > 0 and told["ms"] > 0, told)
        self.put(DUSK | {"fog": fog | {"hides": True}})
        after = self.post("/cost", eye).json()["total"]
        self.assertEqual(before["triangles"] - after["triangles"], told["saves"]["triangles"])
        again = self.post("/cost", eye | {"fog": fog | {"hides": False}}).json()["total"]
        self.assertEqual(again["triangles"], before["triangles"], "the fog that is tried counts")

    def test_what_cannot_be_is_a_sentence_at_its_field_and_nothing_is_stored(self):
        before = self.now()
        for part, field, words in (
            ({"fog": {"kind": "linear", "start": 200, "end": 200}}, "fog", "before it starts at 200 m"),
            ({"fog": {"density": -1}}, "density", "greater than or equal to 0"),
            ({"sun": {"elevation": 0}}, "elevation", "greater than or equal to 1"),
            ({"sky": {"zenith": "blue"}}, "zenith", "pattern"),
            ({"waters": [{"altitude": 1e9, "box": [0, 0, 1, 1]}]}, "altitude", "less than or equal"),
            ({"mist": 1}, "mist", "not"),
        ):
            answer = self.put(part)
            self.assertEqual(answer.status_code, 422, part)
            self.assertIn(words, answer.json()["detail"])
            self.assertTrue(any(field in name for name in answer.json()["fields"]), answer.json())
        answer = self.north.put(
            f"{self.base}/atmosphere",
            f'{{"key": "{key()}", "atmosphere": {{"fog": {{"start": NaN}}}}}}',
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(self.put(DUSK, self.client_of("guest")).status_code, 403)
        self.assertEqual(self.now(), before)

    def test_it_goes_with_the_level_and_to_the_engine(self):
        self.put(DUSK)
        level = Level.objects.get(pk=self.level.pk)
        saved = zip_level(document_of(level))
        made = make_level(level.memberships.first().user, opened(saved), "Again")
        self.assertEqual(made.atmosphere, DUSK)
        self.assertEqual(json.loads(self.handed_over("level.json"))["atmosphere"], DUSK)

    def test_a_level_saved_before_there_was_one_opens(self):
        saved = zip_level(document_of(Level.objects.get(pk=self.level.pk)))
        out = BytesIO()
        with ZipFile(BytesIO(saved)) as files, ZipFile(out, "w") as old:
            for name in files.namelist():
                data = files.read(name)
                if name.endswith("level.json"):
                    body = json.loads(data)
                    del body["view"]["atmosphere"]
                    body["view"] |= {
                        "sun": {"bearing": 140, "elevation": 25},
                        "fog": 0.003,
                        "waters": [{"altitude": 12, "box": [0, 0, 9, 9]}],
                    }
                    data = json.dumps(body).encode()
                old.writestr(name, data)
        air = Atmosphere.model_validate(opened(out.getvalue()).details["view"]["atmosphere"])
        self.assertEqual(
            (air.sun.bearing, air.fog.kind, air.fog.density, air.waters[0].altitude),
            (140, "exponential", 0.003, 12),
        )
        self.assertGreater(air.fog.thinning, 0)
