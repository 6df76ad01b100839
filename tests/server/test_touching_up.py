"""The ground touched up by several people: stored tile by tile, read again as it was, taken back exactly."""

import random

import numpy as np
from django.contrib.auth.models import User

from server.catalogue.lifetime import copy
from server.catalogue.whole import document_of, make_level
from server.document.planted import planted_of, read_document
from server.journal.models import Entry
from server.levels.models import GroundTile, Level
from server.stands.models import Stand
from tests.caching import nothing_kept
from tests.server.test_ground import GroundCase, key


class TouchUp(GroundCase):
    def stroke(self, verb="raise", path=((90, 90), (120, 100)), client=None, status=200, **more):
        body = {"key": key(), "verb": verb, "path": path, "radius": 12, "soft": 0.5, "strength": 1, **more}
        answer = self.post("/ground/strokes", body, client or self.lead)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def ground(self):
        """Heights and layers as the rows hold them, which is what is kept of the level too."""
        level = Level.objects.get(pk=self.level.pk)
        with nothing_kept():
            stored = read_document(level)
        kept = planted_of(Level.objects.get(pk=self.level.pk)).level
        for part in ("heights", "layers"):
            self.assertEqual(getattr(stored, part).key, getattr(kept, part).key)
        return stored

    def take_back(self, entry, way="undo"):
        answer = self.post(f"/journal/{entry}/{way}", {}, self.lead)
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_strokes_of_two_people_are_taken_back_in_any_order(self):
        began, north = self.ground(), self.client_of("north")
        entries = [
            self.stroke("raise", amount=4)["entry"]["id"],
            self.stroke("smooth", client=north)["entry"]["id"],
            self.stroke("flatten", path=((100, 100),))["entry"]["id"],
        ]
        self.assertIsNotNone(self.ground().heights.raised)
        random.Random(3).shuffle(entries)
        for entry in entries:
            self.take_back(entry)
        now = self.ground()
        self.assertEqual(now.heights.key, began.heights.key)
        kinds = set(GroundTile.objects.filter(level=self.level).values_list("kind", flat=True))
        self.assertEqual(kinds, {"heights", "layers"}, "nothing is stored of what is no longer raised")
        self.take_back(entries[0], "redo")
        self.assertNotEqual(self.ground().heights.key, began.heights.key)

    def test_what_a_stroke_does_is_answered_counted_and_only_its_tiles_are_new(self):
        before = self.lead.get(self.base).json()
        stored = self.all_ids()
        changed = self.stroke("lower", amount=9)
        self.assertGreater(changed["gained"] + changed["lost"], 0)
        singles = Stand.objects.filter(level=self.level, sward=False).values_list("pk", flat=True)
        moved = [changed["moved"].get(str(pk), (0, 0)) for pk in singles]
        self.assertEqual(len(self.all_ids()) - len(stored), sum(came - went for came, went in moved))
        after = changed["since"]["level"]
        self.assertEqual(after["ground_tiles"]["layers"], before["ground_tiles"]["layers"])
        other = [a != b for a, b in zip(after["ground_tiles"]["heights"], before["ground_tiles"]["heights"])]
        self.assertEqual(
            other, [True, False, False, False], "257 vertices are four tiles, one of them touched"
        )
        revision = after["ground_tiles"]["heights"][0]
        tile = self.lead.get(f"{self.base}/ground/{revision}/heights/0/0")
        self.assertEqual(tile.status_code, 200)
        self.assertLess(after["low"], before["low"] + 0.01)
        entry = Entry.objects.get(pk=changed["entry"]["id"])
        self.assertEqual((entry.kind, entry.what), ("raise", "Lowered the ground"))

    def test_a_mask_is_painted_and_made_again_by_itself_under_what_is_painted(self):
        conditions = [{"kind": "slope", "lo": 0, "hi": 12}]
        source = {"made_from": "suitability", "conditions": conditions, "automatic": True}
        made = self.post("/made-masks", {"key": key(), "name": "Gentle", "source": source}, self.lead)
        self.assertEqual(made.status_code, 200, made.content)

        def stored():
            level = Level.objects.get(pk=self.level.pk)
            with nothing_kept():
                mask = read_document(level).masks["Gentle"]
            kept = planted_of(Level.objects.get(pk=self.level.pk)).level.masks["Gentle"]
            self.assertEqual((mask.key, mask.source), (kept.key, kept.source))
            return mask

        began = stored()
        painted = self.stroke("whiten", mask="Gentle")
        self.assertEqual(painted["entry"]["what"], "Whitened the mask image Gentle")
        (out,) = painted["since"]["masks"]
        self.assertEqual((out["painted"], out["current"]), (True, True))
        white = stored()
        np.testing.assert_array_equal(white.base, began.base)
        raised = self.stroke("slope", path=((60, 160), (140, 160)), radius=20)
        (out,) = raised["since"]["masks"]
        self.assertTrue(out["current"], "it is made again with the stroke")
        remade = stored()
        self.assertNotEqual(remade.base.tobytes(), white.base.tobytes())
        np.testing.assert_array_equal(remade.painted, white.painted)
        for entry, way in ((painted, "undo"), (raised, "undo"), (painted, "redo"), (painted, "undo")):
            self.take_back(entry["entry"]["id"], way)
        self.assertEqual(stored().key, began.key)
        self.stroke("raise", mask="Gentle", status=422)
        self.stroke("whiten", status=422)
        self.stroke("whiten", mask="Nothing", status=404)
        self.stroke("raise", limits={"present": True}, status=422)
        flat = self.stroke("flatten", toward=900, path=((100, 30),), limits={"slope": [0, 80]})
        self.take_back(flat["entry"]["id"])

    def test_layers_are_added_painted_renamed_and_removed(self):
        began = self.ground()
        for path, body in (
            ("/layers/add", {"name": "mud"}),
            ("/layers/rename", {"name": "turf", "to": "grass"}),
        ):
            self.assertEqual(self.post(path, {"key": key(), **body}, self.lead).status_code, 200, path)
        names = [layer["name"] for layer in self.lead.get(self.base).json()["layers"]]
        self.assertEqual(names, ["grass", "mud"])
        colour = self.lead.get(self.base).json()["layers"][0]["colour"]
        self.assertEqual(colour, "#8d9460", "a renamed layer is drawn as before")
        self.stroke("cover", layer="mud")
        now = self.ground().layers.weights
        np.testing.assert_array_equal(now[95, 105], [0, 255])
        self.stroke("cover", layer="peat", status=422)
        answer = self.post("/layers/remove", {"key": key(), "name": "mud"}, self.lead)
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.ground().layers.names, ("grass",))
        for _ in range(4):
            self.assertEqual(self.post("/undo", {}, self.lead).status_code, 200)
        now = self.ground()
        self.assertEqual((now.layers.key, now.layers.names), (began.layers.key, ("turf",)))

    def test_it_travels_with_copies_and_saved_levels(self):
        self.stroke("raise", amount=3)
        raised = self.ground().heights
        level = Level.objects.get(pk=self.level.pk)
        lead = User.objects.get(username="lead")
        copied = copy(lead, level, "Another moor")
        opened = make_level(lead, document_of(level), "Moor again")
        for other in (copied, opened):
            with nothing_kept():
                there = read_document(Level.objects.get(pk=other.pk)).heights
            self.assertEqual(there.key, raised.key)
            np.testing.assert_array_equal(there.raised, raised.raised)

    def test_only_ones_own_plots_are_touched_up_where_that_is_asked(self):
        west = {
            "kind": "area",
            "form": "polygon",
            "name": "West half",
            "points": [[0, 0], [100, 0], [100, 256], [0, 256]],
            "clear": None,
        }
        kept = self.post("/shapes", {"key": key(), "put": [west]}, self.lead).json()
        area = kept["since"]["shapes"][-1]["id"]
        plots = {"plots": {"North": {"owner": "north", "area": area, "shares": {}}}, "outside": "refused"}
        self.assertEqual(
            self.post("/plots", {"key": key(), "plots": plots}, self.lead, "put").status_code, 200
        )
        Stand.objects.filter(level=self.level).delete()
        north, south = self.client_of("north"), self.client_of("south")
        self.stroke(client=north)
        raised = self.ground().heights.raised
        self.assertTrue(raised[:, :101].any())
        self.assertFalse(raised[:, 101:].any())
        self.stroke(client=south, status=422)
