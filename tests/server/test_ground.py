"""Ground brought in, replaced, taken back, and imported and written from the command line."""

import io
import json
import tempfile
import time
import uuid
from pathlib import Path
from unittest import mock
from unittest.mock import patch

import numpy as np
import rasterio
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import TransactionTestCase
from PIL import Image

from server.document.arrays import store_arrays
from server.document.models import EditArray
from server.document.planted import planted_of
from server.ground import drafts, importing
from server.ground.models import Draft
from server.journal.models import Entry
from server.levels.models import GroundTile, Level
from server.stands.access import planting_of
from server.stands.models import TouchTile
from tests.fixtures import small_level
from tests.server.test_api import VIEW, ApiCase
from tests.worker import work_off
from thicket.formats.handover import heights_tif, layers_tif
from thicket.ground.heights import Ground
from thicket.refused import Refused

Z, X = np.mgrid[0:257, 0:257].astype(float)
HEIGHTS = (370 + 14 * np.sin(X / 41) + 9 * np.cos(Z / 29)).astype(np.float32)


def key():
    return str(uuid.uuid4())


def png(values):
    out = io.BytesIO()
    Image.fromarray(values).save(out, "PNG")
    return out.getvalue()


class GroundCase(ApiCase):
    def setUp(self):
        super().setUp()
        self.lead = self.client_of("lead")

    def all_ids(self, level=None):
        """Ids of every single plant of the level."""
        level = level or Level.objects.get(pk=self.level.pk)
        out = set()
        for stand in level.stands.filter(sward=False):
            stand.level = level
            planting = planting_of(stand)
            for sheet in planting.sheets_in(planting.everywhere):
                out |= set(planting.plants(sheet).id.tolist())
        return out

    def settings(self, **changes):
        answer = self.post(f"/stands/{self.birch.pk}", {"key": key(), "settings": changes}, method="patch")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class Imports(TransactionTestCase):
    """Drafts are read by the worker, so nothing may wait in a test's transaction."""

    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.lead = ApiCase.client_of(self, "lead")
        self.north = ApiCase.client_of(self, "north")
        self.base = f"/api/levels/{self.level.slug}"

    def bring(self, files, kind="heights", level=None, client=None, **options):
        files = [SimpleUploadedFile(name, data) for name, data in files]
        body = {
            "kind": kind,
            "level": self.level.slug if level is None else level,
            "options": json.dumps(options),
            "files": files,
        }
        answer = (client or self.lead).post("/api/drafts", body)
        return answer if answer.status_code != 200 else self.settled(answer.json()["id"])

    def settled(self, draft, until=("ready", "failed", "kept")):
        work_off()
        told = self.lead.get(f"/api/drafts/{draft}").json()
        self.assertIn(told["state"], until, told)
        return told

    def keep(self, draft, name=""):
        path = f"/api/drafts/{draft['id']}"
        answer = self.lead.post(
            f"{path}/keep", json.dumps({"key": key(), "name": name}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return self.settled(draft["id"])

    def state(self):
        level = Level.objects.get(pk=self.level.pk)
        touch = sorted(TouchTile.objects.filter(stand__level=level).values_list("stand", "tx", "tz", "data"))
        now = planted_of(level).level
        return now.heights.key, now.layers.key, touch, level.bookmarks, GroundCase.all_ids(self, level)

    def test_a_look_while_other_options_are_said_does_not_take_the_draft_for_cut_off(self):
        draft = self.bring([("knoll.tif", heights_tif(Ground(HEIGHTS, 1.0)))])
        row, newest = Draft.objects.get(pk=draft["id"]), drafts.starting.newest

        def other_options_come_between(name):
            found = newest(name)
            drafts.read(row)
            return found

        with patch.object(drafts.starting, "newest", side_effect=other_options_come_between):
            drafts.look(Draft.objects.get(pk=row.pk))
        self.assertEqual(Draft.objects.get(pk=row.pk).state, "reading")
        self.assertEqual(self.settled(draft["id"])["state"], "ready")

    def test_replacing_heights_tells_before_what_it_does_and_is_undone(self):
        Level.objects.update(
            bookmarks=[{"name": "Knoll", **{k: VIEW[k] for k in ("x", "y", "z", "heading", "pitch", "fov")}}]
        )
        birch = self.level.stands.get(slug="birch")
        body = {
            "key": key(),
            "stand": birch.pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        self.north.post(f"{self.base}/strokes", json.dumps(body), content_type="application/json")
        before = self.state()
        raised = HEIGHTS + (12 * np.exp(-((X - 120) ** 2 + (Z - 120) ** 2) / 2000)).astype(np.float32)
        draft = self.bring([("knoll.tif", heights_tif(Ground(raised, 1.0)))])
        self.assertEqual((draft["state"], draft["found"]["says"]), ("ready", ["cell", "low", "high"]))
        self.assertEqual(self.lead.get(f"/api/drafts/{draft['id']}/preview.png").content[:4], b"\x89PNG")
        self.assertEqual(self.state(), before)
        told = {s["name"]: s for s in draft["forecast"]["stands"]}
        self.assertEqual(self.keep(draft)["state"], "kept")
        after = self.state()
        self.assertEqual(after[2], before[2])
        single = [told["Birch"], told["Slate blocks"]]
        self.assertEqual(len(after[4] - before[4]), sum(s["gained"] for s in single))
        self.assertEqual(len(before[4] - after[4]), sum(s["lost"] for s in single))
        self.assertGreater(after[3][0]["y"], before[3][0]["y"] + 0.0)
        entry = Entry.objects.first()
        self.assertEqual((entry.kind, entry.gained), ("heights", sum(s["gained"] for s in told.values())))
        level = Level.objects.get(pk=self.level.pk)
        stand = level.stands.get(slug="birch")
        stand.level = level
        plants = planting_of(stand).plants((0, 0))
        on = Ground(raised, 1.0).height_at(plants.form[:, 0], plants.form[:, 2])
        np.testing.assert_allclose(plants.form[:, 1], on - 0.05, atol=1e-4)
        self.assertEqual(self.lead.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(self.state(), before)
        self.assertEqual(self.lead.post(f"{self.base}/redo").status_code, 200)
        self.assertEqual(self.state(), after)

    def test_layers_of_another_form_are_cropped_by_a_frame_or_stretched(self):
        ramp = np.tile(np.linspace(0, 255, 600).astype(np.uint8), (300, 1))
        draft = self.bring([("splat.png", png(np.dstack([ramp, 255 - ramp, ramp * 0])))], "layers")
        found = draft["found"]
        self.assertEqual((draft["state"], found["frame"]), ("ready", [0.25, 0.0, 0.75, 1.0]))
        self.assertEqual(found["sources"], [f"splat.png, channel {k}" for k in (1, 2, 3)])
        self.assertEqual(found["names"], ["splat 1", "splat 2", "splat 3"])
        whole = self.lead.get(f"/api/drafts/{draft['id']}/preview.png?whole=true").content
        self.assertEqual(Image.open(io.BytesIO(whole)).size, (560, 280))
        shares = lambda: np.load(drafts.folder_of(Draft.objects.get()) / "layers.npy")[100, [2, 253], 0] / 255
        np.testing.assert_allclose(shares(), [0.25, 0.75], atol=0.02)
        said = draft["options"] | {"frame": [0, 0, 0.5, 1]}
        self.lead.put(f"/api/drafts/{draft['id']}", json.dumps(said), content_type="application/json")
        self.settled(draft["id"])
        np.testing.assert_allclose(shares(), [0, 0.5], atol=0.02)
        said = draft["options"] | {"stretch": True}
        self.lead.put(f"/api/drafts/{draft['id']}", json.dumps(said), content_type="application/json")
        draft = self.settled(draft["id"])
        np.testing.assert_allclose(shares(), [0, 1], atol=0.02)
        self.assertIn("stretched", " ".join(draft["found"]["notes"]))
        self.assertEqual(self.keep(draft)["state"], "kept")
        self.assertEqual([la["name"] for la in Level.objects.get().layers], found["names"])
        named = layers_tif(np.full((256, 256, 2), 127, np.uint8), ["moor", "bog"], 1.0)
        self.assertEqual(self.bring([("l.tif", named)], "layers")["found"]["names"], ["moor", "bog"])

    def test_another_resolution_and_extent_keeps_ids_touch_and_layers(self):
        body = {
            "key": key(),
            "stand": self.level.stands.get(slug="birch").pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        self.north.post(f"{self.base}/strokes", json.dumps(body), content_type="application/json")
        before = self.state()
        finer = planted_of(Level.objects.get(pk=self.level.pk)).ground
        z, x = np.mgrid[0:513, 0:513] * 0.5
        same = finer.height_at(x.ravel(), z.ravel()).reshape(513, 513)
        self.keep(self.bring([("fine.tif", heights_tif(Ground(same, 0.5)))]))
        fine = self.state()
        level = Level.objects.get(pk=self.level.pk)
        self.assertEqual((level.rows, level.cell, level.touch_shape), (512, 0.5, (256, 256)))
        self.assertEqual(fine[2], before[2])
        self.assertLess(len(fine[4] ^ before[4]), 0.06 * len(before[4]))
        small = self.bring([("cut.tif", heights_tif(Ground(HEIGHTS[:101, :151], 1.0)))])
        self.assertTrue(any("150 m × 100 m" in note for note in small["forecast"]["notes"]))
        self.keep(small)
        level = Level.objects.get(pk=self.level.pk)
        self.assertEqual(
            (level.touch_shape, planted_of(level).level.layers.weights.shape), ((100, 150), (100, 150, 1))
        )
        self.assertTrue(self.state()[4] < before[4] | fine[4])
        self.lead.post(f"{self.base}/undo")
        self.assertEqual(self.state(), fine)
        self.lead.post(f"{self.base}/undo")
        self.assertEqual(self.state(), before)

    def test_layers_are_named_and_conditions_that_lose_theirs_are_warned_of(self):
        birch = self.level.stands.get(slug="birch")
        birch.settings["conditions"] = [{"kind": "layer", "lo": 0.5, "hi": 1, "layers": ["turf"]}]
        birch.save()
        half = np.zeros((256, 256, 3), np.uint8)
        half[:, :128, 0], half[:, 128:, 1] = 255, 255
        draft = self.bring([("cover.png", png(half))], "layers", names=["scree", "mud", "slate"])
        self.assertEqual(draft["found"]["shares"], [0.5, 0.5, 0])
        told = {s["name"]: s for s in draft["forecast"]["stands"]}
        self.assertEqual(
            (told["Birch"]["after"], told["Birch"]["notes"]), (0, ["The level has no ground layer 'turf'."])
        )
        self.assertEqual(self.keep(draft)["state"], "kept")
        stands = {s["slug"]: s for s in self.north.get(f"{self.base}/stands").json()}
        self.assertEqual(
            (stands["birch"]["count"], stands["birch"]["warnings"]),
            (0, ["The level has no ground layer 'turf'."]),
        )
        self.assertEqual(
            [la["name"] for la in self.north.get(self.base).json()["layers"]], ["scree", "mud", "slate"]
        )
        self.lead.post(f"{self.base}/undo")
        self.assertGreater(self.north.get(f"{self.base}/stands/{birch.pk}").json()["count"], 100)

    def test_a_new_level_from_a_picture_that_says_nothing(self):
        steps = np.rint((HEIGHTS - HEIGHTS.min()) / (HEIGHTS.max() - HEIGHTS.min()) * 65535).astype(np.uint16)
        draft = self.bring([("moor.png", png(steps))], level="")
        self.assertEqual(draft["state"], "failed")
        self.assertIn("Say the cell size and the lowest altitude and the highest altitude", draft["trouble"])
        self.assertTrue(draft["found"]["histogram"])
        said = {"cell": 2, "low": 100, "high": 160}
        self.lead.put(f"/api/drafts/{draft['id']}", json.dumps(said), content_type="application/json")
        draft = self.settled(draft["id"], ("ready",))
        self.assertEqual(self.keep(draft, "High Moor")["level"], "high-moor")
        level = self.lead.get("/api/levels/high-moor").json()
        self.assertEqual(
            (level["role"], level["rows"], level["cell"], round(level["low"]), round(level["high"])),
            ("lead", 256, 2, 100, 160),
        )
        self.assertEqual(self.north.get("/api/levels/high-moor").status_code, 404)
        tile = self.lead.get(f"/api/levels/high-moor/ground/{level['ground_revision']}/heights/1/1")
        self.assertEqual(tile.status_code, 200)

    def test_stopping_leaves_nothing_and_a_failure_half_way_neither(self):
        before, tiles = self.state(), GroundTile.objects.count()
        draft = self.bring([("a.tif", heights_tif(Ground(HEIGHTS + 5, 1.0)))])
        path = f"/api/drafts/{draft['id']}"

        def stored_and_stopped(level, arrays):
            store_arrays(level, arrays)
            self.assertTrue(EditArray.objects.exists())
            self.assertEqual(self.lead.post(f"{path}/stop").status_code, 200)
            time.sleep(1)

        with mock.patch.object(importing, "store_arrays", side_effect=stored_and_stopped):
            told = self.keep(draft)
        self.assertEqual((told["state"], "stopped" in told["trouble"]), ("ready", True))
        self.assertFalse(EditArray.objects.exists())
        self.assertEqual((self.state(), GroundTile.objects.count()), (before, tiles))
        with mock.patch.object(importing, "commit_made", side_effect=Refused("the disk is full")):
            told = self.keep(draft)
        self.assertEqual((told["state"], told["trouble"]), ("ready", "the disk is full."))
        self.assertEqual(
            (self.state(), GroundTile.objects.count(), Entry.objects.count()), (before, tiles, 0)
        )
        self.assertEqual(self.lead.delete(path).status_code, 204)
        self.assertEqual((Draft.objects.count(), self.lead.get(path).status_code), (0, 404))

    def test_bad_files_are_a_sentence(self):
        cut = png(np.random.default_rng(1).integers(0, 9, (64, 64)).astype(np.uint16))[:900]
        for name, data, word in (
            ("cut.png", cut, "cut.png"),
            ("x.txt", b"hello", "none of PNG"),
            ("up.tif", heights_tif(Ground(HEIGHTS * 1e7, 1.0)), "cannot be altitudes"),
        ):
            draft = self.bring([(name, data)])
            self.assertEqual(draft["state"], "failed")
            self.assertIn(word, draft["trouble"])
        bad = self.bring([("l.png", cut)], "layers")
        self.assertIn("l.png", bad["trouble"])
        self.assertEqual(self.bring([("a.tif", b"")], client=self.north).status_code, 403)
        self.assertEqual(self.bring([("a.tif", b"x"), ("b.tif", b"y")]).status_code, 422)
        tight = self.level.stands.get(slug="slate-blocks")
        tight.settings |= {"spacing": 0.5, "fullness": 1, "conditions": []}
        tight.save()
        wide = self.bring([("wide.tif", heights_tif(Ground(HEIGHTS, 5.0)))])
        self.assertIn("the ceiling is", " ".join(n for s in wide["forecast"]["stands"] for n in s["notes"]))
        self.assertIn("the ceiling is", self.keep(wide)["trouble"])


class CommandLine(GroundCase):
    def run_import(self, *args, **options):
        with tempfile.TemporaryDirectory() as folder:
            folder = Path(folder)
            (folder / "h.tif").write_bytes(heights_tif(Ground(HEIGHTS[:129, :200], 2.0)))
            (folder / "l.tif").write_bytes(layers_tif(np.full((128, 199, 2), 100, np.uint8), ["a", "b"], 2.0))
            out = io.StringIO()
            call_command(
                "import_ground",
                *(a.replace("@", str(folder)) for a in args),
                stdout=out,
                stderr=io.StringIO(),
            )
            return out.getvalue()

    def test_a_level_is_made_changed_and_written_out_again(self):
        self.run_import("Far Fell", "--heights", "@/h.tif", "--layers", "@/l.tif", "--names", "rock, heath")
        level = Level.objects.get(slug="far-fell")
        self.assertEqual(
            (level.rows, level.columns, level.cell, [la["name"] for la in level.layers]),
            (128, 199, 2.0, ["rock", "heath"]),
        )
        np.testing.assert_array_equal(planted_of(level).ground.heights, HEIGHTS[:129, :200])
        said = self.run_import(self.level.slug, "--heights", "@/h.tif")
        self.assertIn("Birch: ", said)
        self.assertEqual(Entry.objects.get(level=self.level).kind, "heights")
        with tempfile.TemporaryDirectory() as folder:
            call_command("handover", "far-fell", formats="ground", out=Path(folder), stdout=io.StringIO())
            files = {p.name: p for p in Path(folder).iterdir()}
            self.assertEqual(
                set(files),
                {
                    "manifest.json",
                    "heights.tif",
                    "heights.png",
                    "heights.r16",
                    "slope.tif",
                    "facing.tif",
                    "hollow-ridge.tif",
                    "wetness.tif",
                    "layers.tif",
                },
            )
            for name in ("slope", "facing", "hollow-ridge", "wetness"):
                with rasterio.open(files[f"{name}.tif"]) as file:
                    self.assertEqual((file.shape, file.transform.a), ((129, 200), 2.0))
                    self.assertTrue(np.isfinite(file.read(1)).all())
            call_command(
                "import_ground",
                "again",
                "--heights",
                str(files["heights.tif"]),
                "--layers",
                str(files["layers.tif"]),
                "--names",
                "rock,heath",
                stdout=io.StringIO(),
                stderr=io.StringIO(),
            )
        again, first = (planted_of(Level.objects.get(slug=s)).level for s in ("again", "far-fell"))
        self.assertEqual((again.heights.key, again.layers.key), (first.heights.key, first.layers.key))

    def test_bad_command_lines_change_nothing(self):
        levels = Level.objects.count()
        for args, word in (
            (("x",), "Give --heights"),
            (("x", "--layers", "@/l.tif", "--names", "a,b"), "needs --heights"),
            (("x", "--heights", "@/missing.tif"), "missing.tif"),
            (("x", "--heights", "@/h.tif", "--user", "nobody"), "nobody"),
            (("x", "--heights", "@/h.tif", "--layers", "@/l.tif", "--names", "a"), "1 names"),
        ):
            with self.assertRaisesRegex(CommandError, word):
                self.run_import(*args)
        self.assertEqual((Level.objects.count(), Entry.objects.count()), (levels, 0))
