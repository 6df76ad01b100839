"""The shelf: things brought in, looked at and kept; taken into a level, planted, left out, taken back; and a
level from nothing."""

import io
import json
import os
import tempfile
from datetime import timedelta
from importlib import import_module
from pathlib import Path
from unittest import mock

import trimesh
from django.apps import apps
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import Client, TestCase, TransactionTestCase
from django.utils import timezone

from demo.shelf import starter
from demo.stock import MODELS
from server.document.files import clear_files
from server.document.models import EditArray, StoredFile
from server.document.planted import planted_of
from server.levels.models import Level
from server.stock.models import BroughtItem, ShelfItem, StockItem
from server.stock.shelf import put_on_shelf
from tests.core.test_stock import picture, textured, tree
from tests.fixtures import small_level
from tests.server.test_api import ApiCase
from tests.server.test_ground import key
from tests.worker import work_off
from thicket.formats.beside import files_of
from thicket.formats.stock import from_glb, measure, to_glb
from thicket.planting.stands import join


class Carried(TestCase):
    def test_bark_of_earlier_versions_stays_as_tints_left_it(self):
        old = to_glb(MODELS["birch"]())
        migration = import_module("server.stock.migrations.0003_untinted")
        row = StockItem(level=small_level(), slug="old-birch", name="Birch", height=9, crown=2, trunk=0.1)
        row.glb = old
        row.save()
        migration.say(apps, None)
        row.refresh_from_db()
        self.assertEqual(row.traits["untinted"], ["birch bark", "twig bark"])
        model = from_glb("old-birch", row.glb)
        tinted = {part.material.name: part.material.tinted for lod in model.lods for part in lod}
        self.assertEqual(tinted, {"birch bark": False, "twig bark": False, "birch leaves": True})
        self.assertEqual(measure("birch", row.glb), measure("birch", old))


class Shelf(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.lead, self.north, self.guest = (
            ApiCase.client_of(self, name) for name in ("lead", "north", "guest")
        )
        self.base = f"/api/levels/{self.level.slug}"

    def post(self, path, body, client=None, method="post"):
        return getattr(client or self.north, method)(path, json.dumps(body), content_type="application/json")

    def bring(self, *files, client=None, **said):
        sent = [SimpleUploadedFile(name, data) for name, data in files]
        answer = (client or self.north).post("/api/shelf/bring", {"files": sent, "options": json.dumps(said)})
        self.assertEqual(answer.status_code, 200, answer.content)
        work_off()
        return self.north.get(f"/api/shelf/bring/{answer.json()['id']}").json()

    def kept(self, batch, **named):
        things = [
            {"id": t["id"], "name": t["name"], "group": "tree"} | named
            for t in batch["things"]
            if not t["refused"]
        ]
        return self.post(f"/api/shelf/bring/{batch['id']}/keep", {"things": things})

    def test_a_mesh_is_brought_in_looked_at_kept_taken_planted_costed_and_handed_over(self):
        data = tree(5.0).export(file_type="glb")
        batch = self.bring(("fir.glb", data), ("bad.obj", b"v 0 0 0\n"))
        self.assertEqual((batch["state"], [t["name"] for t in batch["things"]]), ("done", ["bad", "fir"]))
        bad, fir = batch["things"]
        self.assertTrue(bad["refused"].startswith("bad.obj: "))
        self.assertEqual([s["name"] for s in fir["states"]], ["lod0", "lod1", "billboard"])
        self.assertIn("LOD 2 would never be drawn", " ".join(fir["notes"]))
        self.assertEqual(self.north.get(fir["picture"]).content[:4], b"\x89PNG")
        self.assertEqual(self.lead.get(f"/api/shelf/bring/{batch['id']}").status_code, 404)
        self.assertEqual(ShelfItem.objects.count(), 0)
        again = self.post(f"/api/shelf/bring/{batch['id']}", {"unit": "ft", "lods": 1}, method="put")
        self.assertEqual(again.status_code, 200)
        work_off()
        fir = self.north.get(f"/api/shelf/bring/{batch['id']}").json()["things"][1]
        self.assertAlmostEqual(fir["height"], 5 * 0.3048, places=3)
        self.assertEqual(len(fir["states"]), 3)
        batch = self.north.get(f"/api/shelf/bring/{batch['id']}").json()
        item = self.kept(batch, name="Fir").json()[0]
        self.assertEqual((item["slug"], item["name"], BroughtItem.objects.count()), ("fir", "Fir", 0))
        taken = self.post(f"{self.base}/stock/take", {"key": key(), "items": ["fir"]})
        self.assertEqual((taken.status_code, taken.json()["entry"]["what"]), (200, "Taken into stock: Fir"))
        made = self.post(
            f"{self.base}/new-stand", {"key": key(), "name": "Firs", "stratum": "Canopy", "item": "fir"}
        ).json()
        stand = self.north.get(f"{self.base}/stands/{made['made'][0]}").json()
        self.assertGreater(stand["count"], 20)
        view = {"x": 128, "y": 400, "z": 250, "heading": 0, "pitch": -10, "fov": 55, "aspect": 1.6}
        cost = self.post(f"{self.base}/cost", view).json()
        self.assertGreater(next(s for s in cost["stands"] if s["stand"] == made["made"][0])["triangles"], 0)
        self.assertIn(b",firs,fir,", self.handed("csv", "plants.csv"))
        refused = self.post(f"{self.base}/stock/leave", {"key": key(), "item": "fir"})
        self.assertEqual((refused.status_code, "Firs" in refused.json()["detail"]), (422, True))

    def test_taking_and_leaving_can_be_taken_back_and_names_are_told_apart(self):
        box = textured(trimesh.creation.box()).export(file_type="glb")
        self.assertEqual(
            self.kept(self.bring(("crate.glb", box)), name="Crate", group="made thing").status_code, 200
        )
        twice = self.kept(self.bring(("crate.glb", box)), name="Crate")
        self.assertEqual((twice.status_code, "already" in twice.json()["detail"]), (422, True))
        names = lambda: list(Level.objects.get(pk=self.level.pk).stock.values_list("slug", flat=True))
        before = names()
        self.post(f"{self.base}/stock/take", {"key": key(), "items": ["crate"]})
        self.assertEqual(names(), [*before, "crate"])
        self.post(f"{self.base}/undo", {})
        self.assertEqual(names(), before)
        self.post(f"{self.base}/redo", {})
        self.post(f"{self.base}/stock/leave", {"key": key(), "item": "crate"})
        self.assertEqual(names(), before)
        self.assertEqual(
            self.post(f"{self.base}/stock/take", {"key": key(), "items": ["nothing"]}).status_code, 422
        )
        page = self.guest.get("/api/shelf?search=crat&group=made thing&sort=height").json()
        self.assertEqual((page["total"], page["items"][0]["slug"]), (1, "crate"))
        self.assertEqual(self.guest.get("/api/shelf?search=oak").json()["total"], 0)
        self.assertEqual(self.guest.get(page["items"][0]["glb"]).content[:4], b"glTF")

    def test_a_mesh_is_stored_once_for_shelf_levels_and_journal_and_goes_with_its_last_user(self):
        before = set(StoredFile.objects.values_list("pk", flat=True))
        box = textured(trimesh.creation.box()).export(file_type="glb")
        self.kept(self.bring(("crate.glb", box)), name="Crate")
        self.post(f"{self.base}/stock/take", {"key": key(), "items": ["crate"]})
        item = ShelfItem.objects.get(slug="crate")
        self.post(f"{self.base}/stock/leave", {"key": key(), "item": "crate"})
        self.post(f"{self.base}/undo", {})
        taken = self.level.stock.get(slug="crate")
        self.assertEqual((taken.mesh_id, taken.glb), (item.mesh_id, item.glb))
        stored = EditArray.objects.filter(digest=item.mesh_id).values_list("file_id", "data")
        self.assertEqual(list(stored), [(item.mesh_id, b"")])
        StoredFile.objects.update(at=timezone.now() - timedelta(days=2))
        item.delete()
        clear_files()
        self.assertEqual(set(StoredFile.objects.values_list("pk", flat=True)), before | {taken.mesh_id})
        taken.delete()
        EditArray.objects.all().delete()
        clear_files()
        self.assertEqual(set(StoredFile.objects.values_list("pk", flat=True)), before)

    def planted(self, slug="birch"):
        """Ids and items of a stand's plants, through the door they are fetched by."""
        stand = next(s for s in self.north.get(f"{self.base}/stands").json() if s["slug"] == slug)
        scene_level = Level.objects.get(pk=self.level.pk)
        planting = planted_of(scene_level).planting(stand["number"])
        plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
        return {int(i): planting.items[k] for i, k in zip(plants.id, plants.item)}

    def tufts(self):
        planted = planted_of(Level.objects.get(pk=self.level.pk))
        return sum(p.count() for p in planted.plantings() if p.stand.sward)

    def shelved(self, slug="birch"):
        """An item of the level put on the shelf, as the level has it."""
        put_on_shelf(starter(slug), slug, slug.capitalize(), "tree")
        item = self.north.get(f"/api/shelf/{slug}").json()
        self.level.stock.filter(slug=slug).delete()
        self.level.new_version()
        self.post(f"{self.base}/stock/take", {"key": key(), "items": [slug]})
        return item

    def edited(self, item, **said):
        body = {name: item[name] for name in ("revision", "name", "group", "tags", "note", "traits")} | said
        return self.post(f"/api/shelf/{item['slug']}", body, method="put")

    def test_another_source_keeps_every_plant_in_every_level_and_is_taken_back_at_once(self):
        item = self.shelved()
        held, third = small_level("held-moor"), small_level("third-moor")
        self.post(
            "/api/levels/held-moor/stock/hold", {"key": key(), "item": "birch", "held": True}, self.lead
        )
        before, tufts = self.planted(), self.tufts()
        batch = self.bring(("fir.glb", tree(7.0).export(file_type="glb")))
        thing = batch["things"][0]["id"]
        told = {
            row["level"]: row
            for row in self.north.get(f"/api/shelf/birch/against/{batch['id']}/{thing}").json()
        }
        self.assertEqual(told.keys(), {"Test Moor", "Held Moor", "Third Moor"})
        body = {"revision": item["revision"], "batch": batch["id"], "thing": thing}
        new = self.post("/api/shelf/birch/replace", body).json()
        entry, row = third.entries.get(), told["Third Moor"]
        self.assertEqual((entry.gained, entry.lost), (row["gained"], row["lost"]))
        self.assertEqual(
            (new["revision"], round(new["height"], 1), new["traits"]["collider"]), (2, 7.0, "cylinder")
        )
        after = self.planted()
        changed = [row for row in told.values() if row["level"] == "Test Moor"][0]
        more = len(after) - len(before) + self.tufts() - tufts
        self.assertEqual(more, changed["gained"] - changed["lost"], "plants and tufts")
        self.assertEqual(
            before.items() & after.items(),
            {(k, v) for k, v in after.items() if k in before},
            "the same plants",
        )
        self.assertEqual(self.level.stock.get(slug="birch").revision, 2)
        self.assertEqual(held.stock.get(slug="birch").revision, 1)
        self.assertEqual(self.post("/api/shelf/birch/replace", body).status_code, 409, "looked at before")
        self.assertEqual(self.post(f"{self.base}/undo", {}).status_code, 200)
        self.assertEqual(self.planted(), before)
        self.assertEqual(
            (third.stock.get(slug="birch").revision, third.entries.get().undone),
            (1, True),
            "taken back everywhere",
        )
        self.assertEqual(self.north.get("/api/shelf/birch").json()["revision"], 1)
        self.post(f"{self.base}/redo", {})
        self.assertEqual(self.planted(), after)
        self.post("/api/shelf/birch/version", {"revision": 2, "use": 1})
        self.assertEqual(self.planted(), before)
        self.assertEqual(
            [v["revision"] for v in self.north.get("/api/shelf/birch").json()["versions"]], [2, 1]
        )

    def test_a_mended_copy_is_looked_at_and_then_takes_the_items_place(self):
        scene = trimesh.Scene()
        for k in range(6):
            box = textured(trimesh.creation.box((1, 1, 1)), picture((40 * k, 90, 200, 255)))
            box.apply_translation([0, k + 0.5, 0])
            scene.add_geometry(box, f"box{k}")
        batch = self.bring(("machine.glb", scene.export(file_type="glb")))
        [thing] = batch["things"]
        self.assertIn("6 draw calls", " ".join(f["text"] for f in thing["findings"]))
        body = {"things": [{"id": thing["id"], "name": "Machine", "group": "made thing"}]}
        [item] = self.post(f"/api/shelf/bring/{batch['id']}/keep", body).json()
        self.assertEqual(item["states"][0]["materials"], 6)
        said = {"revision": 1, "mend": "merge materials"}
        copy = self.post("/api/shelf/machine/mended", said).json()
        work_off()
        [mended] = self.north.get(f"/api/shelf/bring/{copy['id']}").json()["things"]
        self.assertEqual((mended["states"][0]["materials"], mended["findings"]), (1, []))
        self.assertEqual(self.north.get("/api/shelf/machine").json()["revision"], 1, "only looked at")
        body = {"revision": 1, "batch": copy["id"], "thing": mended["id"]}
        now = self.post("/api/shelf/machine/replace", body).json()
        self.assertEqual((now["revision"], now["states"][0]["materials"]), (2, 1))
        self.assertEqual(now["versions"][0]["what"], "Machine: mended (merge materials)")

    def test_what_an_item_knows_is_edited_and_reaches_cost_companions_and_handover(self):
        item = self.shelved("slate-block")
        ring = [
            {"name": f"rim {k}", "at": [x, 0.7, z], "up": [0, 1, 0]}
            for k, (x, z) in enumerate(((-0.4, 0), (0, 0.4), (0.4, 0), (0, -0.4)))
        ]
        told = self.edited(
            item,
            anchors=ring,
            traits={"collider": "box", "casts_shadow": False, "stiffness": 1},
            trunk=0.9,
            tags=["quarry"],
            note="dug here",
        ).json()
        self.assertEqual((told["revision"], told["trunk"], told["tags"]), (2, 0.9, ["quarry"]))
        self.assertEqual(self.edited(item).status_code, 409, "looked at before it was changed")
        told = self.edited(told, name="Block of slate").json()
        self.assertEqual(
            (told["revision"], self.level.stock.get(slug="slate-block").name), (2, "Block of slate")
        )
        self.assertEqual(self.edited(told, anchors=[ring[0], ring[0]]).status_code, 422)
        self.assertEqual(self.edited(told, anchors=[ring[0] | {"at": [9, 9, 9]}]).status_code, 422)
        level = self.north.get(self.base).json()
        mine = next(i for i in level["stock"] if i["slug"] == "slate-block")
        self.assertEqual(
            (mine["traits"]["casts_shadow"], mine["anchors"]), (False, [a["name"] for a in ring])
        )
        stands = {s["slug"]: s for s in self.north.get(f"{self.base}/stands").json()}
        view = {"x": 128, "y": 400, "z": 250, "heading": 0, "pitch": -10, "fov": 55, "aspect": 1.6}
        cost = {s["stand"]: s for s in self.post(f"{self.base}/cost", view).json()["stands"]}
        self.assertEqual(cost[stands["slate-blocks"]["id"]]["shadow_triangles"], 0)
        layout = {
            "kind": "anchors",
            "host": stands["slate-blocks"]["number"],
            "group": "rim",
            "around": 3,
            "inside": True,
        }
        patch = lambda said: self.post(
            f"{self.base}/stands/{stands['birch']['id']}",
            {
                "key": key(),
                "settings": {
                    "layout": said,
                    "fullness": 1,
                },
            },
            method="patch",
        )
        self.assertEqual(patch(layout | {"group": "step"}).status_code, 422)
        self.assertEqual(patch(layout).status_code, 200)
        self.assertGreater(len(self.planted()), 20)
        glb = json.loads(self.handed("glb", "level.glb")[20:].split(b"BIN\0")[0][:-4].rstrip(b" \0") or b"{}")
        self.assertIn("box", [m.get("extras", {}).get("kind") for m in glb["meshes"]])
        self.assertEqual(self.post("/api/shelf/slate-block", {}, method="delete").status_code, 409)

    def handed(self, formats, file):
        body = {"name": "All", "recipe": {"formats": [formats]}}
        job = self.post(f"{self.base}/handovers", body).json()
        work_off()
        return b"".join(self.north.get(f"{self.base}/handovers/{job['id']}/files/{file}").streaming_content)

    def test_stand_ins_pictures_and_mends(self):
        made = self.post(
            "/api/shelf/new/stand-in",
            {"name": "Cone", "group": "tree", "shape": "cone", "height": 6, "width": 2, "colour": "#5a7a40"},
        ).json()
        self.assertEqual(
            (made["slug"], round(made["height"], 2), round(made["crown"], 2)), ("cone", 6.0, 1.0)
        )
        self.assertEqual(self.post("/api/shelf/cone", {}, method="delete").status_code, 204)
        self.assertEqual(self.north.get("/api/shelf?search=cone").json()["total"], 0)
        self.assertEqual(self.post("/api/shelf/cone/put-back", {}).json()["slug"], "cone")
        out = io.BytesIO()
        picture(size=(64, 64), holes=True).save(out, "PNG")
        batch = self.bring(("daisy.png", out.getvalue()), cards={"kind": "tuft", "rows": 2, "height": 0.4})
        self.assertEqual([t["name"] for t in batch["things"]], ["daisy 1", "daisy 2"])
        self.assertEqual([s["triangles"] for s in batch["things"][0]["states"]], [30, 4])
        mesh = textured(trimesh.creation.icosphere(3, 1.0), picture(size=(8, 8)))
        batch = self.bring(("ball.glb", mesh.export(file_type="glb")), lods=0, billboard="none")
        thing = batch["things"][0]
        self.assertEqual([f["mend"] for f in thing["findings"]], ["lods", "billboard"])
        self.assertEqual(self.north.get(thing["glb"]).content[:4], b"glTF")
        mended = self.post(f"/api/shelf/bring/{batch['id']}/{thing['id']}/mend", {"mend": "lods"}).json()[
            "things"
        ][0]
        self.assertEqual([f["mend"] for f in mended["findings"]], ["billboard"])
        self.assertEqual(
            self.post(f"/api/shelf/bring/{batch['id']}/{thing['id']}/mend", {"mend": "magic"}).status_code,
            422,
        )
        kept = self.kept(self.north.get(f"/api/shelf/bring/{batch['id']}").json(), name="Ball").json()[0]
        again = self.post("/api/shelf/ball/mend", {"revision": kept["revision"], "mend": "billboard"}).json()
        self.assertEqual(
            ([f["mend"] for f in again["findings"]], again["states"][-1]["name"], again["revision"]),
            (["drop lod 2"], "billboard", 2),
            "which makes the last LOD idle",
        )
        crossed = self.post("/api/shelf/ball/mend", {"revision": 2, "mend": "billboard crossed"}).json()
        self.assertEqual(
            [state["triangles"] for state in (again["states"][-1], crossed["states"][-1])], [2, 4]
        )

    def test_a_new_stand_tells_what_it_begins_with_and_the_ceiling_counts_what_would_stand(self):
        once = key()
        ask = lambda **said: self.north.post(
            f"{self.base}/new-stand",
            json.dumps({"key": once, "name": "More", "stratum": "Shrub", "item": "birch", **said}),
            content_type="application/json",
            headers={"X-Try": "1"},
        )
        told = ask(
            view={"x": 128, "y": 400, "z": 250, "heading": 0, "pitch": -10, "fov": 55, "aspect": 1.6}
        ).json()
        made = self.post(
            f"{self.base}/new-stand", {"key": once, "name": "More", "stratum": "Shrub", "item": "birch"}
        ).json()
        stand = self.north.get(f"{self.base}/stands/{made['made'][0]}").json()
        begun = {name: stand["settings"][name] for name in ("spacing", "fullness")}
        self.assertEqual(told["tried"]["begun"], [begun | {"count": stand["count"]}])
        self.assertEqual((told["gained"], told["lost"]), (made["gained"], made["lost"]))
        self.assertTrue(stand["counted"])
        self.assertEqual(self.north.get(f"{self.base}/stands/{made['made'][0]}/count").json(), stand["count"])
        self.assertGreater(told["entry"]["cost"]["triangles"], 0)
        with mock.patch("thicket.planted.planting.PLANT_CEILING", 2000):
            dense = {
                "key": key(),
                "name": "Dense",
                "stratum": "Moss",
                "item": "birch",
                "spacing": 2,
                "fullness": 1,
            }
            refused = self.post(f"{self.base}/new-stand", dense)
            self.assertEqual(
                (refused.status_code, "the ceiling is 2,000" in refused.json()["detail"]), (422, True)
            )
            self.assertEqual(
                self.post(f"{self.base}/new-stand", dense | {"key": key(), "fullness": 0.05}).status_code, 200
            )

    def test_what_is_dropped_leaves_nothing_and_no_mesh_is_a_sentence(self):
        batch = self.bring(("notes.txt", b"x"))
        self.assertEqual((batch["state"], "no mesh" in batch["trouble"]), ("failed", True))
        self.assertEqual(self.north.delete(f"/api/shelf/bring/{batch['id']}").status_code, 204)
        self.assertEqual(BroughtItem.objects.count(), 0)

    def test_ground_is_made_for_a_new_level(self):
        hills = {"form": "rolling", "width": 96, "length": 64, "height": 12, "wavelength": 30}
        for spec, spread in (({"form": "flat", "width": 64, "length": 32}, 0), (hills, 12)):
            draft = self.post("/api/drafts/made", spec, self.lead).json()
            work_off()
            told = self.lead.get(f"/api/drafts/{draft['id']}").json()
            self.assertEqual((told["state"], told["found"]["columns"]), ("ready", spec["width"] + 1))
            self.assertAlmostEqual(told["found"]["highest"] - told["found"]["lowest"], spread, places=3)
        self.post(f"/api/drafts/{draft['id']}/keep", {"key": key(), "name": "Made Here"}, self.lead)
        work_off()
        level = Level.objects.get(slug="made-here")
        self.assertEqual((level.width, level.length), (96, 64))
        too = self.post(
            "/api/drafts/made", {"form": "flat", "width": 60000, "length": 60000, "cell": 1}, self.lead
        )
        self.assertEqual((too.status_code, "take cells of at least" in too.json()["detail"]), (422, True))


class CommandLine(TestCase):
    def run_it(self, *arguments, **options):
        out = io.StringIO()
        call_command(*arguments, stdout=out, stderr=out, **options)
        return out.getvalue()

    def test_from_nothing_to_a_planted_level(self):
        User.objects.create_superuser("marsh", password="long-enough-word")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "fir.glb"
            path.write_bytes(tree(812.0).export(file_type="glb"))
            told = self.run_it("bring_stock", str(path), "--name", "Fir", "--group", "tree")
            self.assertRegex(told, r"^fir\t8\.12 m\t\d+/\d+/2\t\d+ m/\d+ m\t.*taken for cm")
            path.write_bytes(b"glTF")
            with self.assertRaisesMessage(CommandError, "1 could not be brought in"):
                self.run_it("bring_stock", str(path))
            with self.assertRaisesMessage(CommandError, "--group: 1 to 40"):
                self.run_it("bring_stock", str(path), "--group", "x" * 41)
        self.assertIn(
            "256 m × 128 m, led by marsh", self.run_it("new_level", "Low Fell", "--flat", "256x128")
        )
        self.assertIn("Fir", self.run_it("take_stock", "low-fell", "fir"))
        self.assertIn(
            "a stand of Fir",
            self.run_it(
                "new_stand", "low-fell", "fir", "--stratum", "Canopy", "--spacing", "6", "--fullness", "0.5"
            ),
        )
        stand = Level.objects.get(slug="low-fell").stands.get()
        self.assertEqual((stand.settings["spacing"], stand.settings["fullness"]), (6, 0.5))
        for bad in (
            ("take_stock", "low-fell", "oak"),
            ("new_level", "X", "--flat", "wide"),
            ("take_stock", "nowhere", "fir"),
            ("new_stand", "low-fell", "oak", "--stratum", "Canopy", "--spacing", "6"),
        ):
            with self.assertRaises(CommandError):
                self.run_it(*bad)

    def test_a_file_on_disk_brings_what_it_names_in_its_own_folder(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "fir"
            folder.mkdir()
            for file, data in tree(8.0).export(file_type="gltf").items():
                (folder / ("fir.gltf" if file.endswith(".gltf") else file)).write_bytes(data)
            mesh = folder / "fir.gltf"
            self.assertRegex(self.run_it("bring_stock", str(mesh)), r"^fir\t8\.00 m")
            told = json.loads(mesh.read_text())
            lost = told["buffers"][0]["uri"]
            for uri, words in (
                ("lost.bin", "lost.bin, which was not given"),
                (f"../{lost}", "outside what was given"),
            ):
                told["buffers"][0]["uri"] = uri
                mesh.write_text(json.dumps(told))
                (Path(name) / lost).write_bytes((folder / lost).read_bytes())
                out = io.StringIO()
                with self.assertRaises(CommandError):
                    call_command("bring_stock", str(mesh), stdout=out, stderr=out)
                self.assertIn(words, out.getvalue())
            (folder / "block.obj").write_text(
                "mtllib sub/block.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nusemtl a\nf 1 2 3\nf 1 4 2\n"
            )
            (folder / "sub").mkdir()
            (folder / "sub" / "block.mtl").write_text("newmtl a\nKd 1 0 0\nmap_Kd red.png\n")
            (folder / "sub" / "red.png").write_bytes(b"picture")
            found = files_of(folder / "block.obj")
            self.assertEqual(sorted(found), ["block.obj", "sub/block.mtl", "sub/red.png"])


class FirstAccount(TestCase):
    def test_the_first_account_is_made_with_the_code_and_no_second(self):
        client = Client()
        self.assertTrue(client.get("/api/session").json()["first"])
        body = {"name": "marsh", "password": "long-enough-word", "code": "wrong"}
        ask = lambda: client.post("/api/session/first", json.dumps(body), content_type="application/json")
        with mock.patch.dict(os.environ, {"KT_FIRST_CODE": "ab12-cd34"}):
            self.assertEqual((ask().status_code, User.objects.count()), (403, 0))
            body["code"] = " AB12-cd34 "
            self.assertEqual((ask().status_code, ask().status_code), (200, 409))
        told = client.get("/api/session").json()
        self.assertEqual((told["name"], told["first"], told["looks_after"]), ("marsh", False, True))
