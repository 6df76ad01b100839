"""Handovers on the server: recipes kept with a level, files made by the worker, downloads that go on, what
has changed since, and tokens for build machines."""

import hashlib
import io
import json
import shutil
import uuid
import zipfile
from unittest import mock
from urllib.parse import quote

import numpy as np
from django.contrib.auth.models import User
from django.test import Client

from server.handover import files
from server.handover.models import BuildToken, Handover
from server.jobs.models import Job
from server.journal.commit import commit
from server.levels.models import Level
from tests.server.test_api import ApiCase
from tests.worker import work_off_inside_a_transaction
from thicket.document.edits import ChangeMasks

CELLS = {"formats": ["parquet", "geojson"], "axes": "z-up-left", "unit": "cm", "cell": 64}


class HandoverCase(ApiCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(lambda: [shutil.rmtree(f, ignore_errors=True) for f in self.folders()])

    def folders(self):
        return [files.folder_of(job.pk) for job in Job.objects.filter(kind="handover")]

    def save(self, client=None, **put):
        return self.patch(client or self.north, {"key": str(uuid.uuid4()), "put": put})

    def patch(self, client, body):
        return client.patch(f"{self.base}/recipes", json.dumps(body), content_type="application/json")

    def zipped(self, at):
        data = b"".join(self.north.get(f"{at}/zip").streaming_content)
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return data, {name: archive.read(name) for name in archive.namelist()}


class Recipes(HandoverCase):
    def test_they_are_kept_for_all_taken_back_and_go_with_the_level(self):
        made = self.save(Game=CELLS)
        self.assertEqual((made.status_code, made.json()["entry"]["what"]), (200, "Recipes"))
        other = self.client_of("lead")
        self.assertEqual(self.save(other, Review={"formats": ["csv"]}).status_code, 200)
        kept = other.get(self.base).json()["recipes"]
        self.assertEqual((list(kept), kept["Game"]["cell"]), (["Game", "Review"], 64))
        self.assertEqual(self.north.post(f"{self.base}/undo").status_code, 200)
        self.assertEqual(list(self.fresh().recipes), ["Review"], "another's recipe stays")
        self.assertEqual(self.north.post(f"{self.base}/redo").status_code, 200)
        with zipfile.ZipFile(io.BytesIO(self.handed_over("level.zip"))) as archive:
            saved = json.loads(archive.read("level.json"))["view"]["recipes"]
        self.assertEqual(saved, self.fresh().recipes)

    def test_bad_ones_are_refused_by_the_field_and_nothing_is_kept(self):
        for recipe, words in (
            ({"formats": []}, "formats"),
            ({"formats": ["pdf"]}, "formats"),
            ({"cell": 3}, "at least 16 m"),
            ({"axes": "x-up"}, "axes"),
            ({"colour": 1}, "colour"),
        ):
            refused = self.save(Bad=recipe)
            self.assertEqual((refused.status_code, words in refused.json()["detail"]), (422, True), refused)
        self.assertEqual(self.fresh().recipes, {})
        gone = self.save(Never=None)
        self.assertEqual((gone.status_code, "Never" in gone.json()["detail"]), (404, True))
        many = self.save(**{f"R{k}": {"formats": ["csv"]} for k in range(20)})
        self.assertEqual(many.status_code, 200)
        self.assertEqual(self.save(More={"formats": ["csv"]}).status_code, 422)

    def fresh(self):
        return Level.objects.get(pk=self.level.pk)


class Made(HandoverCase):
    def test_a_recipe_is_run_by_its_name_and_its_zip_holds_what_the_manifest_says(self):
        self.save(Game=CELLS | {"stands": ["birch"]})
        at = self.hand_over(name="Game")
        (row,) = self.north.get(f"{self.base}/handovers").json()
        data, found = self.zipped(at)
        manifest = json.loads(found.pop("manifest.json"))
        self.assertEqual(
            {name: hashlib.sha256(part).hexdigest() for name, part in found.items()},
            {name: entry["sha256"] for name, entry in manifest["files"].items()},
        )
        self.assertEqual((row["who"], row["name"], row["size"]), ("north", "Game", len(data)))
        self.assertEqual(row["plants"], len(self.ids()[0]))
        self.assertEqual(manifest["plants"], {"birch": row["plants"]})
        digest = hashlib.sha256(
            b"".join(self.north.get(f"{at}/files/manifest.json").streaming_content)
        ).hexdigest()
        self.assertEqual(row["digest"], digest)
        again, _ = self.zipped(self.hand_over(name="Game"))
        self.assertEqual(again, data, "the same level gives the same bytes")

    def test_a_download_that_broke_off_goes_on(self):
        at = self.hand_over(recipe={"formats": ["csv"]})
        whole = self.north.get(f"{at}/files/plants.csv")
        data = b"".join(whole.streaming_content)

        def part(asked, **more):
            return self.north.get(f"{at}/files/plants.csv", headers={"range": asked} | more)

        for asked, want in (
            ("bytes=0-99", data[:100]),
            (f"bytes={len(data) - 7}-", data[-7:]),
            ("bytes=-50", data[-50:]),
            ("bytes=100-999999999", data[100:]),
        ):
            answer = part(asked)
            self.assertEqual((answer.status_code, b"".join(answer.streaming_content)), (206, want), asked)
        self.assertEqual(part("bytes=5-9")["Content-Range"], f"bytes 5-9/{len(data)}")
        self.assertEqual(part(f"bytes={len(data)}-").status_code, 416)
        same = part("bytes=0-9", **{"if-range": whole["ETag"]})
        other = part("bytes=0-9", **{"if-range": '"another"'})
        self.assertEqual((same.status_code, other.status_code), (206, 200))
        for odd in ("bytes=-", "bytes=a-b", "lines=1-2", "bytes=1-2,4-5", "bytes=9-1"):
            self.assertIn(part(odd).status_code, (200, 416), odd)
        self.assertEqual(self.north.get(f"{at}/files/..%2Fhandover.zip").status_code, 404)

    def test_a_file_of_any_name_is_fetched(self):
        mask = ChangeMasks(put={"Nässe/50 %": np.full((9, 9), 7, np.uint8)})
        commit(User.objects.get(username="lead"), self.level, uuid.uuid4(), mask, "Masks")
        at = self.hand_over(recipe={"formats": ["ground"]})
        (name,) = [n for n in self.north.get(f"{at}/manifest").json()["files"] if n.startswith("mask-N")]
        answer = self.north.get(f"{at}/files/{quote(name)}", headers={"range": "bytes=1-3"})
        self.assertEqual((answer.status_code, b"".join(answer.streaming_content)), (206, b"PNG"))
        again = {"range": "bytes=1-3", "if-range": answer["ETag"]}
        self.assertEqual(self.north.get(f"{at}/files/{quote(name)}", headers=again).status_code, 206)

    def test_only_what_has_changed_goes_into_the_zip_and_the_plants_are_counted(self):
        first = self.hand_over(recipe=CELLS)
        answer = self.stroke(path=[[90, 90], [96, 94]], radius=12, strength=1).json()
        second = self.hand_over(recipe=CELLS, since=first.rsplit("/", 1)[1])
        (_, before), (_, changed) = self.zipped(first), self.zipped(second)
        manifest = json.loads(changed["manifest.json"])
        self.assertEqual(set(manifest["written"]), changed.keys() - {"manifest.json"})
        self.assertTrue(0 < len(changed) < len(before) / 2, (len(changed), len(before)))
        pieced = {n: d for n, d in (before | changed).items() if n not in manifest["dropped"]}
        _, whole = self.zipped(self.hand_over(recipe=CELLS))
        pieced.pop("manifest.json"), whole.pop("manifest.json")
        self.assertEqual(pieced, whole)
        for name, data in whole.items():
            file = b"".join(self.north.get(f"{second}/files/{name}").streaming_content)
            self.assertEqual(file, data, "one by one it is whole")
        told = self.north.get(f"{second}/changes?since={first.rsplit('/', 1)[1]}").json()
        birch = told["stands"]["birch"]
        self.assertEqual(
            (birch["added"], birch["removed"]), (answer["entry"]["gained"], answer["entry"]["lost"])
        )
        self.assertEqual(
            sum(cell["removed"] for cell in told["cells"].values()),
            sum(stand["removed"] for stand in told["stands"].values()),
        )
        other = self.hand_over(recipe=CELLS | {"unit": "m"}).rsplit("/", 1)[1]
        refused = self.north.get(f"{second}/changes?since={other}")
        self.assertEqual((refused.status_code, "unit" in refused.json()["detail"]), (422, True))

    def test_the_last_ten_are_kept_and_one_can_be_removed(self):
        with mock.patch.object(files, "LAST", 3):
            made = [self.hand_over(recipe={"formats": ["geojson"]}).rsplit("/", 1)[1] for _ in range(5)]
        kept = [row["id"] for row in self.north.get(f"{self.base}/handovers").json()]
        self.assertEqual(kept, made[:1:-1])
        there = [files.folder_of(pk).exists() for pk in made]
        self.assertEqual(there, [False, False, True, True, True])
        left = self.north.delete(f"{self.base}/handovers/{made[4]}").json()
        self.assertEqual([row["id"] for row in left], made[3:1:-1])
        self.assertFalse(files.folder_of(made[4]).exists())
        self.assertEqual(self.north.get(f"{self.base}/handovers/{made[0]}/zip").status_code, 404)

    def test_what_cannot_be_made_is_said_and_leaves_nothing(self):
        self.assertEqual(self.post("/handovers", {"name": "Never"}).status_code, 404)
        strange = self.post("/handovers", {"name": "A", "recipe": {}, "since": str(uuid.uuid4())})
        self.assertEqual(strange.status_code, 404)
        first = self.hand_over(recipe={"formats": ["csv"]}).rsplit("/", 1)[1]
        for recipe, more, words in (
            ({"formats": ["csv"], "stands": ["gone"]}, {}, "no stand 'gone'"),
            ({"formats": ["csv"], "unit": "cm"}, {"since": first}, "unit"),
        ):
            self.assertIn(words, self.failed(recipe, **more))
        with mock.patch("thicket.planted.handover.os.replace", side_effect=OSError(28, "No space left")):
            self.assertIn("No space left", self.failed({"formats": ["geojson"]}))
        with mock.patch.object(files, "_keep", side_effect=RuntimeError):
            self.assertIn("server's log", self.failed({"formats": ["geojson"]}))
        self.assertEqual([str(row.pk) for row in Handover.objects.all()], [first])
        self.assertEqual([f.name for f in self.folders() if f.exists()], [first])
        self.assertFalse([f for f in self.folders() if f.with_suffix(".part").exists()])

    def failed(self, recipe, **more):
        with self.assertLogs() if "log" in more else mock.patch("server.jobs.running.log"):
            job = self.post("/handovers", {"name": "A", "recipe": recipe} | more).json()
            work_off_inside_a_transaction()
        answer = self.north.get(f"{self.base}/handover-jobs/{job['id']}").json()
        self.assertEqual(answer["state"], "failed")
        return answer["trouble"]


class Tokens(HandoverCase):
    def machine(self, token):
        return Client(headers={"authorization": f"Bearer {token}"}, enforce_csrf_checks=True)

    def made(self, name="builds", client=None):
        answer = (client or self.north).post(
            "/api/session/tokens", json.dumps({"name": name}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_a_machine_hands_over_by_a_token_and_does_nothing_else(self):
        self.save(Game={"formats": ["geojson"]})
        token = self.made()["token"]
        self.assertNotIn(token, str(list(BuildToken.objects.values())))
        machine = self.machine(token)
        body = json.dumps({"name": "Game"})
        job = machine.post(f"{self.base}/handovers", body, content_type="application/json")
        self.assertEqual(job.status_code, 200, job.content)
        work_off_inside_a_transaction()
        self.assertEqual(machine.get(f"{self.base}/handover-jobs/{job.json()['id']}").json()["state"], "done")
        zipped = machine.get(f"{self.base}/handovers/{job.json()['id']}/zip")
        self.assertTrue(b"".join(zipped.streaming_content).startswith(b"PK"))
        for path in ("", "/stands", "/journal", "/members", "/bake"):
            self.assertEqual(machine.get(self.base + path).status_code, 401, path)
        self.assertEqual(machine.get("/api/session/tokens").status_code, 401)
        self.assertEqual(self.patch(machine, {"put": {}}).status_code, 403, "no session, so no CSRF token")
        kinds = [(r["kind"], r["person"]) for r in self.client_of("lead").get("/api/audit").json()]
        self.assertIn(("token", "north"), kinds)
        self.assertLess({("export", "north"), ("download", "north")}, set(kinds))
        self.assertIsNotNone(self.north.get("/api/session/tokens").json()[0]["used"])

    def test_a_token_that_ended_or_whose_person_may_no_longer_lets_nobody_in(self):
        north = User.objects.get(username="north")
        made = self.made()
        machine = self.machine(made["token"])
        at = f"{self.base}/handovers"
        self.assertEqual(machine.get(at).status_code, 200)
        self.assertEqual(self.machine(made["token"][:-1]).get(at).status_code, 401)
        User.objects.filter(pk=north.pk).update(is_active=False)
        self.assertEqual(machine.get(at).status_code, 401)
        User.objects.filter(pk=north.pk).update(is_active=True)
        self.level.memberships.filter(user=north).delete()
        self.assertEqual(machine.get(at).status_code, 404)
        ended = self.north.delete(f"/api/session/tokens/{made['tokens'][0]['id']}")
        self.assertEqual((ended.status_code, ended.json()), (200, []))
        self.assertEqual(machine.get(at).status_code, 401)

    def test_names_are_ones_own_and_there_are_not_too_many(self):
        self.made()
        twice = self.north.post(
            "/api/session/tokens", json.dumps({"name": "builds"}), content_type="application/json"
        )
        self.assertEqual((twice.status_code, "builds" in twice.json()["detail"]), (422, True))
        lead = self.client_of("lead")
        mine = self.made(client=lead)["tokens"][0]["id"]
        self.assertEqual(self.north.delete(f"/api/session/tokens/{mine}").status_code, 404)
        for k in range(19):
            self.made(f"t{k}")
        full = self.north.post("/api/session/tokens", '{"name": "x"}', content_type="application/json")
        self.assertEqual((full.status_code, "at most 20" in full.json()["detail"]), (422, True))
