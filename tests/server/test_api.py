"""The API as a client sees it: strokes, undo, settings, roles, bad input, and the files of the handover."""

import csv
import io
import json
import tempfile
import uuid
from pathlib import Path

import numpy as np
import rasterio
import trimesh
from django.core.management import call_command
from django.test import Client, TestCase
from PIL import Image

from server.journal.models import Entry
from server.stands.models import TouchTile
from tests.fixtures import PASSWORD, small_level
from tests.worker import work_off_inside_a_transaction
from thicket.formats.glb import GlbReader

VIEW = {"x": 120, "y": 395, "z": 230, "heading": 0, "pitch": -6, "fov": 55, "aspect": 1.6}


class ApiCase(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.level = small_level()
        cls.birch = cls.level.stands.get(slug="birch")

    def client_of(self, name):
        client = Client()
        answer = client.post(
            "/api/session", {"name": name, "password": PASSWORD}, content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return client

    def setUp(self):
        self.north = self.client_of("north")
        self.base = f"/api/levels/{self.level.slug}"

    def post(self, path, body, client=None, method="post"):
        return getattr(client or self.north, method)(
            f"{self.base}{path}", json.dumps(body), content_type="application/json"
        )

    def trial(self, path, body, parts="1", method="post", client=None):
        """What is answered to an action that is tried."""
        return getattr(client or self.north, method)(
            f"{self.base}{path}",
            json.dumps({"key": str(uuid.uuid4())} | body),
            content_type="application/json",
            headers={"X-Try": parts},
        )

    def settings_tried(self, stand, settings, parts="own", **more):
        """What is answered to settings of a stand that are tried."""
        return self.trial(f"/stands/{stand}", {"settings": settings} | more, parts, "patch")

    def count_tried(self, stand, settings):
        return self.settings_tried(stand, settings).json()["tried"]["counts"][str(stand)]

    def stroke(self, client=None, **changes):
        body = {
            "key": str(uuid.uuid4()),
            "stand": self.birch.pk,
            "verb": "thin",
            "path": [[80, 90], [130, 100]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        } | changes
        return self.post("/strokes", body, client)

    def hand_over(self, client=None, name="For the game", **more):
        """Where a handover lies that the worker has made."""
        with self.captureOnCommitCallbacks(execute=True):
            answer = self.post("/handovers", {"name": name} | more, client)
        self.assertEqual(answer.status_code, 200, answer.content)
        work_off_inside_a_transaction()
        job = (client or self.north).get(f"{self.base}/handover-jobs/{answer.json()['id']}").json()
        self.assertEqual(job["state"], "done", job)
        return f"{self.base}/handovers/{job['id']}"

    def handed_over(self, file):
        """A handover file, as the worker makes it and a person fetches it."""
        formats = {"plants.csv": "csv", "level.json": "csv", "level.zip": "level"}
        at = self.hand_over(recipe={"formats": [formats[file]]})
        return b"".join(self.north.get(f"{at}/files/{file}").streaming_content)

    def touch(self):
        return {(t.tx, t.tz): bytes(t.data) for t in TouchTile.objects.filter(stand=self.birch)}

    def ids(self, client=None):
        client = client or self.north
        stand = client.get(f"{self.base}/stands/{self.birch.pk}").json()
        sheets, ids = stand["sheets"], []
        for index, key in enumerate(sheets["keys"]):
            column, row = index % sheets["columns"], index // sheets["columns"]
            data = client.get(f"{self.base}/stands/{self.birch.pk}/plants/{column}/{row}/{key}").content
            n = int.from_bytes(data[4:8], "little")
            ids += np.frombuffer(data, "<u8", n, 8 + 40 * n).tolist()
        self.assertEqual(len(ids), stand["count"])
        return set(ids), sheets["keys"]


class Strokes(ApiCase):
    def test_stroke_undo_redo(self):
        before, keys = self.ids()
        answer = self.stroke(view=VIEW).json()
        after, _ = self.ids()
        self.assertEqual(
            (len(after - before), len(before - after)), (answer["entry"]["gained"], answer["entry"]["lost"])
        )
        self.assertGreater(answer["entry"]["lost"], 5)
        self.assertLess(answer["entry"]["cost"]["triangles"], 0)
        moved = self.north.post(f"{self.base}/undo").json()
        self.assertEqual(moved["gained"], answer["entry"]["lost"])
        self.assertEqual(self.ids(), (before, keys))
        self.assertEqual(self.north.post(f"{self.base}/redo").status_code, 200)
        self.assertEqual(self.ids()[0], after)
        self.assertEqual(self.north.post(f"{self.base}/redo").status_code, 409)

    def test_a_tried_stroke_shows_what_a_kept_one_leaves(self):
        body = {
            "key": str(uuid.uuid4()),
            "stand": self.birch.pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        data = self.post("/strokes/try", body).content
        x0, z0, x1, z1 = np.frombuffer(data, "<f4", 4)
        n = int.from_bytes(data[20:24], "little")
        tried = set(np.frombuffer(data, "<u8", n, 24 + 40 * n).tolist())
        self.assertEqual(self.touch(), {})
        whole, _ = self.ids()
        self.post("/strokes", body)
        kept, _ = self.ids()
        self.assertTrue(tried <= kept)
        self.assertGreater(len(whole), len(kept))
        self.assertTrue(x0 < 80 < x1 and z0 < 90 < z1)

    def test_two_people_undo_only_their_own(self):
        south = self.client_of("south")
        start, _ = self.ids()
        self.stroke(path=[[60, 60]], strength=0.5)
        only_north = self.touch()
        self.stroke(south, path=[[66, 64]], verb="thin", strength=0.3)
        self.assertNotEqual(self.touch(), only_north)
        self.assertEqual(south.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(self.touch(), only_north)
        self.assertEqual(south.post(f"{self.base}/undo").status_code, 409)
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.ids()[0], start)

    def test_a_stroke_sent_twice_counts_once(self):
        key = str(uuid.uuid4())
        first = self.stroke(key=key).json()
        touch = self.touch()
        self.assertEqual(self.stroke(key=key).json()["entry"]["id"], first["entry"]["id"])
        self.assertEqual(self.touch(), touch)


class Settings(ApiCase):
    def test_try_tells_what_keep_does_and_undo_takes_it_back(self):
        path = f"/stands/{self.birch.pk}"
        before, _ = self.ids()
        settings = {"fullness": 0.3, "conditions": [{"kind": "altitude", "lo": 360, "hi": 380, "soft_hi": 5}]}
        tried = self.settings_tried(self.birch.pk, settings, view=VIEW).json()
        self.assertEqual(self.ids()[0], before)
        kept = self.post(
            path, {"key": str(uuid.uuid4()), "settings": settings, "view": VIEW}, method="patch"
        ).json()["entry"]
        after, _ = self.ids()
        self.assertEqual(tried["tried"]["counts"], {str(self.birch.pk): len(after)})
        self.assertEqual((tried["gained"], tried["lost"]), (kept["gained"], kept["lost"]))
        self.assertEqual((len(after - before), len(before - after)), (kept["gained"], kept["lost"]))
        cost = self.post("/cost", VIEW).json()
        self.north.post(f"{self.base}/undo")
        self.assertEqual(self.ids()[0], before)
        again = self.post("/cost", VIEW).json()
        mine = [
            next(s["triangles"] for s in c["stands"] if s["stand"] == self.birch.pk) for c in (cost, again)
        ]
        self.assertEqual(mine[0] - mine[1], tried["entry"]["cost"]["triangles"])

    def test_bad_input_is_a_sentence_with_the_field_and_changes_nothing(self):
        for settings, word in (
            ({"spacing": 0}, "spacing"),
            ({"fullness": float("nan")}, "fullness"),
            ({"conditions": [{"kind": "slope", "lo": 9, "hi": 3}]}, "conditions"),
            ({"mix": [{"item": "oak", "weight": 1}]}, "mix"),
            ({"speling": 1}, "speling"),
        ):
            answer = self.settings_tried(self.birch.pk, settings)
            self.assertEqual(answer.status_code, 422, (settings, answer.content))
            self.assertIn(word, answer.json()["detail"])
        self.assertEqual(self.settings_tried(999999, {}).status_code, 404)
        bad = [("/strokes", '{"key": ', 400, ""), ("/cost", json.dumps(VIEW | {"fov": 400}), 422, "fov")]
        for path, body, status, word in bad:
            answer = self.north.post(f"{self.base}{path}", body, content_type="application/json")
            self.assertEqual(answer.status_code, status, (path, body, answer.content))
            self.assertIn(word, answer.json()["detail"])
        for changes, word in (
            ({"path": [[5000, 5000]]}, "outside"),
            ({"radius": -1}, "radius"),
            ({"strength": 2}, "strength"),
            ({"path": []}, "path"),
            ({"stand": 10**7}, "stand"),
            ({"path": [[float("nan"), 1]]}, "path"),
        ):
            answer = self.stroke(**changes)
            self.assertIn(answer.status_code, (404, 422), changes)
            self.assertIn(word, answer.json()["detail"])
        big = self.north.post(f"{self.base}/strokes", "x" * 700_000, content_type="application/json")
        self.assertEqual((big.status_code, "too large" in big.json()["detail"]), (413, True))
        self.assertEqual((Entry.objects.count(), self.touch()), (0, {}))


class Roles(ApiCase):
    def test_viewers_look_and_leads_set_marks(self):
        guest, lead = self.client_of("guest"), self.client_of("lead")
        refused = self.stroke(guest)
        self.assertEqual(refused.status_code, 403)
        self.assertIn("only artists and leads", refused.json()["detail"])
        self.assertEqual(guest.get(f"{self.base}/stands").status_code, 200)
        marks = {
            "key": str(uuid.uuid4()),
            "tier": "Console",
            "marks": {"triangles": 5, "draw_calls": 5, "shadow_triangles": 5, "memory": 5, "ms": 5},
        }
        self.assertEqual(self.post("/marks", marks, method="put").status_code, 403)
        self.assertEqual(self.post("/marks", marks, lead, method="put").status_code, 200)
        self.assertEqual(Client().get(f"{self.base}/stands").status_code, 401)
        self.assertEqual(self.north.get("/api/levels/nowhere").status_code, 404)

    def test_keys_are_kept_for_a_person_wherever_they_sign_in(self):
        def keep(keys):
            return self.north.put(
                "/api/session/keys", json.dumps({"keys": keys}), content_type="application/json"
            )

        kept = {"thicken": "f", "walk": "Ω"}
        self.assertEqual(keep(kept).json()["keys"], kept)
        elsewhere = Client().post(
            "/api/session", {"name": "north", "password": PASSWORD}, content_type="application/json"
        )
        self.assertEqual(elsewhere.json()["keys"], {"thicken": "f", "walk": "Ω"})
        self.assertEqual(self.client_of("lead").get("/api/session").json()["keys"], {})
        for bad, said in (
            ({"thicken": "f", "thin": "f"}, "both"),
            ({"thicken": "ff"}, "keys"),
            ({"thicken": "4"}, "keys"),
        ):
            answer = keep(bad)
            self.assertEqual(
                (answer.status_code, said in answer.json()["detail"]), (422, True), answer.content
            )
        self.assertEqual(self.north.get("/api/session").json()["keys"], {"thicken": "f", "walk": "Ω"})
        self.assertEqual(
            Client().put("/api/session/keys", '{"keys": {}}', content_type="application/json").status_code,
            401,
        )
        self.assertEqual(keep({}).json()["keys"], {})

    def test_sign_in_is_throttled_and_pages_are_guarded(self):
        for _ in range(6):
            answer = Client().post(
                "/api/session", {"name": "south", "password": "wrong"}, content_type="application/json"
            )
        self.assertEqual(answer.status_code, 429)
        locked = Client().post(
            "/api/session", {"name": "south", "password": PASSWORD}, content_type="application/json"
        )
        self.assertEqual((locked.status_code, "wait" in locked.json()["detail"]), (429, True))
        page = Client().get("/levels")
        self.assertIn("script-src 'self'", page["Content-Security-Policy"])
        strict = Client(enforce_csrf_checks=True)
        user = self.level.memberships.get(user__username="north").user
        strict.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        self.assertEqual(strict.post(f"{self.base}/undo").status_code, 403)


class Handover(ApiCase):
    def files(self, kind):
        with tempfile.TemporaryDirectory() as folder:
            call_command("handover", self.level.slug, formats=kind, out=Path(folder), stdout=io.StringIO())
            return {p.name: p.read_bytes() for p in Path(folder).iterdir()}

    def test_csv_and_json(self):
        files = self.files("csv")
        self.assertEqual(files, self.files("csv"))
        rows = list(csv.DictReader(io.StringIO(files["plants.csv"].decode())))
        self.assertEqual(",".join(rows[0]), "id,stand,item,x,y,z,qx,qy,qz,qw,sx,sy,sz,tint,pinned,surface")
        ids = [int(row["id"]) for row in rows]
        self.assertEqual(ids, sorted(set(ids)))
        self.assertEqual({i for i, row in zip(ids, rows) if row["stand"] == "birch"}, self.ids()[0])
        for row in rows[:50]:
            self.assertAlmostEqual(sum(float(row[q]) ** 2 for q in ("qx", "qy", "qz", "qw")), 1, places=5)
        stands = json.loads(files["level.json"])["stands"]
        self.assertEqual([s["slug"] for s in stands], ["slate-blocks", "birch", "moor-grass"])
        self.assertTrue(stands[2]["sward"] and stands[1]["items"][0]["trunk"] > 0)
        self.assertEqual(self.handed_over("plants.csv"), files["plants.csv"])

    def test_glb_holds_all_instances_and_opens_elsewhere(self):
        data = self.files("glb")["level.glb"]
        reader = GlbReader(data)
        birch = next(n for n in reader.json["nodes"] if n["name"] == "birch/birch")
        attributes = birch["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
        ids = reader.array(attributes["_ID"]).astype("<u2").copy().view("<u8")[:, 0]
        self.assertEqual(set(ids.tolist()), self.ids()[0])
        self.assertEqual(len(reader.array(attributes["ROTATION"])), len(ids))
        scene = trimesh.load(io.BytesIO(data), file_type="glb")
        triangles = {len(g.faces) for g in scene.geometry.values()}
        self.assertTrue({54, 220} & triangles, triangles)

    def test_maps(self):
        files = self.files("maps,ground")
        with rasterio.MemoryFile(files["heights.tif"]) as memory, memory.open() as tif:
            heights = tif.read(1)
            self.assertEqual((tif.res, tif.dtypes, heights.shape), ((1.0, 1.0), ("float32",), (257, 257)))
        self.assertEqual((float(heights.min()), float(heights.max())), (self.level.low, self.level.high))
        density = Image.open(io.BytesIO(files["density-birch.png"]))
        self.assertEqual((density.size, density.mode), ((256, 256), "I;16"))

    def test_bake_prints_a_row_for_every_stand(self):
        out = io.StringIO()
        call_command("bake", self.level.slug, stdout=out)
        rows = [line.split("\t") for line in out.getvalue().splitlines()]
        self.assertEqual([r[0] for r in rows], ["name", "Slate blocks", "Birch", "Moor-grass"])
        self.assertEqual(int(rows[2][1]), len(self.ids()[0]))
