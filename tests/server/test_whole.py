"""A level of the database written into a folder and made from it again: the same plants, and everything
people see of it."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command

import thicket
from server.levels.models import Level, Membership
from tests.core.test_stock import picture
from tests.server import test_same_plants
from tests.server.test_ground import GroundCase, key
from tests.server.test_same_plants import hash_of_plants
from tests.worker import work_off_inside_a_transaction
from thicket.planting.stands import join


class Whole(GroundCase):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "level"

    def told(self, slug):
        """What the API tells of a level, but for what is its own: name, slug, ids."""
        text = self.lead.get(f"/api/levels/{slug}").content.decode()
        level = json.loads(text.replace(f"/levels/{slug}/", "/levels/-/"))
        stands = self.lead.get(f"/api/levels/{slug}/stands").json()
        shapes = self.lead.get(f"/api/levels/{slug}/shapes").json()
        pins = [self.lead.get(f"/api/levels/{slug}/stands/{s['id']}/pins").json() for s in stands]
        pins = [sorted(json.dumps(p) for p in some if p["state"] != "gone") for some in pins]
        own = {"name", "slug", "bookmarks", "stock", "ground_revision", "layers_revision"}
        return (
            {k: v for k, v in level.items() if k not in own},
            [{k: v for k, v in s.items() if k not in ("id", "revision", "sheets")} for s in stands],
            shapes,
            pins,
        )

    def test_a_level_comes_back_the_same_and_plants_without_a_database_as_with_one(self):
        level = test_same_plants.Drawn.draw(self, 2)
        Membership.objects.get_or_create(
            level=level, user=User.objects.get(username="lead"), defaults={"role": "lead"}
        )
        base = f"/api/levels/{level.slug}/layers"
        self.lead.put(
            f"{base}/look",
            json.dumps({"key": key(), "name": "turf", "colour": "#112233", "look": "rock"}),
            content_type="application/json",
        )
        moss = io.BytesIO()
        picture(size=(40, 40)).save(moss, "PNG")
        texture = {"key": key(), "name": "turf", "file": SimpleUploadedFile("moss.png", moss.getvalue())}
        self.assertEqual(self.lead.post(f"{base}/texture", texture).status_code, 200)
        level.stock.update(silhouette=moss.getvalue())
        level = Level.objects.get(pk=level.pk)
        call_command("save_level", level.slug, str(self.folder), stdout=io.StringIO())
        call_command(
            "open_level", str(self.folder), "--name", "Brought Back", "--user", "lead", stdout=io.StringIO()
        )
        again = Level.objects.get(name="Brought Back")
        self.assertEqual(hash_of_plants(again), hash_of_plants(level))
        self.assertEqual(self.told(again.slug), self.told(level.slug))
        shown = self.lead.get(f"/api/levels/{again.slug}").json()["layers"][0]
        self.assertEqual((shown["colour"], shown["look"]), ("#112233", "rock"))
        self.assertEqual(self.lead.get(shown["texture"]).status_code, 200)
        items = [
            {i.slug: (bytes(i.glb), bytes(i.silhouette)) for i in one.stock.all()} for one in (level, again)
        ]
        self.assertEqual(*items)
        planted = thicket.plant(thicket.open_level(self.folder))
        told = {s["slug"]: s["count"] for s in self.lead.get(f"/api/levels/{level.slug}/stands").json()}
        self.assertEqual(planted.counts(), told)
        self.assertGreater(len(join([planted["birch"].plants((0, 0))])), 10)

    def test_a_zip_goes_out_and_comes_in_on_the_screen(self):
        data = self.handed_over("level.zip")
        self.assertEqual(data, self.handed_over("level.zip"), "the same level gives the same bytes")

        def send(content, name="", client=self.lead):
            file = SimpleUploadedFile("saved.zip", content)
            begun = client.post("/api/saved-levels", {"file": file, "name": name})
            self.assertEqual(begun.status_code, 200, begun.content)
            work_off_inside_a_transaction()
            return client.get(f"/api/saved-levels/{begun.json()['id']}").json()

        made = send(data, "From a File")
        self.assertEqual((made["state"], made["share"]), ("done", 1.0), made)
        self.assertEqual(hash_of_plants(Level.objects.get(slug=made["slug"])), hash_of_plants(self.level))
        self.assertEqual(Membership.objects.get(level__slug=made["slug"]).user.username, "lead")
        levels = Level.objects.count()
        empty = io.BytesIO()
        zipfile.ZipFile(empty, "w").close()
        broken = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(data)) as good, zipfile.ZipFile(broken, "w") as bad:
            for name in good.namelist():
                bad.writestr(name, b"glTF junk" if name == "stock/birch.glb" else good.read(name))
        for content, words in (
            (broken.getvalue(), "stock/birch.glb"),
            (data, "already"),
            (b"no zip", "zip that can be read"),
            (empty.getvalue(), "level.json"),
            (data[: len(data) // 2], "zip that can be read"),
        ):
            refused = send(content)
            self.assertEqual((refused["state"], refused["slug"]), ("failed", None))
            self.assertIn(words, refused["trouble"])
        taken = SimpleUploadedFile("saved.zip", data)
        told = self.lead.post("/api/saved-levels", {"file": taken, "name": "From a File"})
        self.assertEqual(told.status_code, 422, "a name that is taken is told at once")
        begun = self.lead.post("/api/saved-levels", {"file": SimpleUploadedFile("saved.zip", data)}).json()
        stopped = self.lead.post(f"/api/saved-levels/{begun['id']}/stop").json()
        work_off_inside_a_transaction()
        self.assertEqual(stopped["state"], "stopped")
        self.assertEqual(Level.objects.count(), levels)

    def test_what_cannot_be_made_is_a_sentence_and_leaves_nothing(self):
        call_command("save_level", self.level.slug, str(self.folder), stdout=io.StringIO())
        levels = Level.objects.count()
        for arguments, words in ((["--user", "nobody"], "no account"), ([], "already")):
            with self.assertRaisesRegex(CommandError, words):
                call_command("open_level", str(self.folder), *arguments, stdout=io.StringIO())
        (self.folder / "stock" / "birch.glb").unlink()
        with self.assertRaisesRegex(CommandError, "birch.glb"):
            call_command("open_level", str(self.folder), "--name", "Other", stdout=io.StringIO())
        self.assertEqual(Level.objects.count(), levels)
        with self.assertRaisesRegex(CommandError, "no level"):
            call_command("save_level", "nowhere", str(self.folder), stdout=io.StringIO())
