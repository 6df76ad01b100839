"""The list of levels: from what is kept of each, so that nothing is planted to show it; levels renamed,
copied, removed and brought back."""

import io
import json
from datetime import timedelta
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase
from django.utils import timezone
from PIL import Image

from server.catalogue.lifetime import RESTORABLE_FOR
from server.document.planted import planted_of
from server.levels.models import Level
from server.shapes.models import Shape
from server.stands.models import Stand
from tests.core.test_stock import picture
from tests.fixtures import small_level
from tests.server.test_api import ApiCase
from tests.server.test_ground import key
from tests.worker import work_off
from thicket.planted.planting import Planting


class Levels(TransactionTestCase):
    def setUp(self):
        self._fixture_teardown()
        self.level = small_level()
        self.lead, self.north, self.guest = (
            ApiCase.client_of(self, name) for name in ("lead", "north", "guest")
        )

    def ask(self, method, path, body=None, client=None):
        return getattr(client or self.lead, method)(
            path, json.dumps(body or {}), content_type="application/json"
        )

    def cards(self, client=None):
        return {card["slug"]: card for card in (client or self.lead).get("/api/levels").json()}

    def plants(self, slug):
        level = Level.objects.get(slug=slug)
        return {
            s.slug: planted_of(level).planting(s.number).count() for s in planted_of(level).stands.values()
        }

    def test_nothing_is_planted_to_show_the_list_and_it_comes_up_to_date(self):
        with mock.patch.object(Planting, "count", side_effect=AssertionError("planted while somebody waits")):
            card = self.cards()["test-moor"]
        self.assertEqual((card["plants"], card["fresh"], card["plan"]), (None, False, ""))
        work_off()
        card = self.cards()["test-moor"]
        self.assertEqual((card["plants"], card["fresh"]), (sum(self.plants("test-moor").values()), True))
        self.assertEqual(self.guest.get(card["plan"]).content[:4], b"\x89PNG")
        stand = self.level.stands.get(slug="birch")
        self.ask(
            "patch", f"/api/levels/test-moor/stands/{stand.pk}", {"key": key(), "settings": {"fullness": 0.1}}
        )
        old = self.cards()["test-moor"]
        self.assertEqual((old["plants"], old["fresh"], old["plan"]), (card["plants"], False, card["plan"]))
        work_off()
        new = self.cards()["test-moor"]
        self.assertTrue(new["fresh"] and new["plants"] < old["plants"] and new["plan"] != old["plan"])

    def test_a_view_over_its_marks_is_told_once_with_the_tiers_that_it_is_over_in(self):
        view = {"x": 90, "y": 392, "z": 90, "heading": 120, "pitch": -4, "fov": 55}
        self.level.bookmarks = [{"name": "Rim", **view}, {"name": "Sky", **view, "pitch": 89}]
        for name, tier in self.level.tiers.items():
            tier["marks"] = dict.fromkeys(tier["marks"], 1e12)
            tier["marks"]["triangles"] = 1e12 if name == "Console" else 1
        self.level.save(update_fields=["bookmarks", "tiers"])
        self.cards()
        work_off()
        self.assertEqual(
            self.cards()["test-moor"]["over"],
            [f"{name} on Handheld, Desktop" for name in ("Rim", "Sky")],
        )

    def test_a_level_is_renamed_and_that_is_taken_back(self):
        self.assertEqual(
            self.ask("put", "/api/levels/test-moor/name", {"key": key(), "name": " Moor End "}).status_code,
            200,
        )
        self.assertEqual(self.cards()["test-moor"]["name"], "Moor End")
        self.ask("post", "/api/levels/test-moor/undo")
        self.assertEqual(self.cards()["test-moor"]["name"], "Test Moor")
        self.assertEqual(
            self.ask(
                "put", "/api/levels/test-moor/name", {"key": key(), "name": "x"}, self.north
            ).status_code,
            403,
        )

    def test_looks_of_layers_are_taken_back_and_pictures_read_under_bounds(self):
        layer = lambda: self.guest.get("/api/levels/test-moor").json()["layers"][0]
        before = layer()
        self.assertEqual(before, {"name": "turf", "colour": "#8d9460", "look": "turf", "texture": ""})
        self.ask(
            "put",
            "/api/levels/test-moor/layers/look",
            {"key": key(), "name": "turf", "colour": "#102030", "look": "soil"},
        )
        self.assertEqual((layer()["colour"], layer()["look"]), ("#102030", "soil"))
        out = io.BytesIO()
        picture(size=(40, 90)).convert("RGB").save(out, "JPEG")
        send = lambda data: self.north.post(
            "/api/levels/test-moor/layers/texture",
            {
                "key": key(),
                "name": "turf",
                "file": SimpleUploadedFile("moss.jpg", data),
            },
        )
        self.assertEqual(send(out.getvalue()).status_code, 200)
        with Image.open(io.BytesIO(self.guest.get(layer()["texture"]).content)) as kept:
            self.assertEqual((kept.format, kept.size), ("PNG", (512, 512)))
        self.assertEqual(send(b"no picture").status_code, 422)
        self.ask("post", "/api/levels/test-moor/undo", client=self.north)
        self.assertEqual((layer()["texture"], layer()["colour"]), ("", "#102030"))
        self.ask("post", "/api/levels/test-moor/undo")
        self.assertEqual(layer(), before)

    def test_a_copy_has_the_same_plants_and_goes_its_own_way(self):
        road = {
            "kind": "path",
            "form": "line",
            "name": "Road",
            "points": [[10, 10], [240, 200]],
            "width": 4,
            "clear": 3,
        }
        told = self.ask("post", "/api/levels/test-moor/shapes", {"key": key(), "put": [road]}).json()
        birch = self.level.stands.get(slug="birch")
        near = [
            *birch.settings["conditions"],
            {"kind": "path", "lo": 0, "hi": 60, "shapes": [told["since"]["shapes"][0]["id"]]},
        ]
        self.ask(
            "patch",
            f"/api/levels/test-moor/stands/{birch.pk}",
            {"key": key(), "settings": {"conditions": near}},
        )
        stroke = {
            "key": key(),
            "stand": birch.pk,
            "verb": "thin",
            "path": [[80, 90]],
            "radius": 24,
            "soft": 0.4,
            "strength": 0.8,
        }
        self.assertEqual(self.ask("post", "/api/levels/test-moor/strokes", stroke).status_code, 200)
        pin = {"key": key(), "add": [{"x": 200, "z": 30}], "push": True}
        self.ask("post", f"/api/levels/test-moor/stands/{birch.pk}/pins", pin)
        made = self.ask("post", "/api/levels/test-moor/copy", {"name": "Other Moor"}, self.north)
        self.assertEqual((made.status_code, made.json()), (200, {"slug": "other-moor"}))
        self.assertEqual(self.plants("other-moor"), self.plants("test-moor"))
        self.assertEqual(
            self.ask("post", "/api/levels/test-moor/copy", {"name": "Other Moor"}).status_code, 422
        )
        self.assertEqual(
            self.lead.get("/api/levels/other-moor").status_code, 404, "its members do not come along"
        )
        before = self.plants("test-moor")
        mine = Level.objects.get(slug="other-moor")
        self.assertEqual(
            mine.stands.get(slug="birch").settings["conditions"][-1]["shapes"],
            [Shape.objects.get(level=mine).number],
        )
        other = Stand.objects.get(level=mine, slug="birch")
        self.ask(
            "patch",
            f"/api/levels/other-moor/stands/{other.pk}",
            {"key": key(), "settings": {"fullness": 0}},
            self.north,
        )
        self.assertEqual(self.plants("test-moor"), before)

    def test_a_removed_level_is_gone_for_all_and_comes_back_within_a_month(self):
        self.assertEqual(self.ask("post", "/api/levels/test-moor/remove", client=self.north).status_code, 403)
        self.assertEqual(self.ask("post", "/api/levels/test-moor/remove").status_code, 204)
        self.assertEqual((self.cards(), self.guest.get("/api/levels/test-moor").status_code), ({}, 404))
        self.assertEqual(self.guest.get("/api/removed-levels").json(), [])
        self.assertEqual([row["slug"] for row in self.lead.get("/api/removed-levels").json()], ["test-moor"])
        self.assertEqual(
            self.ask("post", "/api/removed-levels/test-moor/bring-back", client=self.north).status_code, 404
        )
        self.assertEqual(self.ask("post", "/api/removed-levels/test-moor/bring-back").status_code, 200)
        self.assertEqual(self.guest.get("/api/levels/test-moor").status_code, 200)
        self.ask("post", "/api/levels/test-moor/remove")
        Level.objects.update(removed_at=timezone.now() - RESTORABLE_FOR - timedelta(hours=1))
        self.cards()
        work_off()
        self.assertFalse(Level.objects.exists())
