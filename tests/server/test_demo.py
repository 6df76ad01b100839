"""Hobbin Delph as it is delivered: nothing stands in anything, every kind of condition is used, edits keep to
their reach, and a new heightmap leaves every pin and id where it was."""

import io

import numpy as np
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import TestCase

import thicket
from server.cache import CACHE
from server.catalogue.whole import document_of
from server.document.planted import planted_of
from server.levels.models import Level
from server.stands.access import rows_of
from server.stands.painting import paint
from tests.core.test_edits import bytes_of, written
from tests.server.test_ground import key
from tests.server.test_room import overlaps
from thicket.document.edits.examples import examples
from thicket.document.rasters import Heights
from thicket.ground.shapes import distances_at
from thicket.planted.brushing import Brush
from thicket.planting.stands import join
from thicket.planting.strokes import Stroke
from thicket.site.kinds import KINDS


class Demo(TestCase):
    @classmethod
    def setUpTestData(cls):
        call_command("build_demo", stdout=io.StringIO())

    def setUp(self):
        self.level = Level.objects.get()

    def test_nothing_overlaps_over_the_whole_level_pins_included(self):
        scene = planted_of(self.level)
        self.assertEqual(sum(len(p.id) for p in scene.level.pins.values()), 7)
        bad, count = overlaps(self.level)
        self.assertEqual((bad, count > 30_000), (0, True))
        for stand in scene.stands.values():
            planting = scene.planting(stand.number)
            if not stand.sward and stand.slug != "sleepers":
                form = np.concatenate(
                    [planting.plants(s).form for s in planting.sheets_in(planting.everywhere)]
                ).astype(float)
                for shape in scene.clearing(planting.settings):
                    far = distances_at([shape], form[:, 0], form[:, 2])[0]
                    self.assertTrue((far >= shape.clear - 1e-3).all(), (stand.slug, shape.name))

    def test_it_uses_every_kind_of_condition_layout_and_stratum(self):
        stands = list(planted_of(self.level).stands.values())
        plantings = [planted_of(self.level).planting(s.number) for s in stands]
        used = {c.kind for p in plantings for c in p.settings.rules()} | {
            e.drive.kind for p in plantings for e in p.settings.mix if e.drive
        }
        self.assertEqual(used, set(KINDS))
        self.assertEqual(
            {s.stratum for s in stands}, {"Stone", "Canopy", "Understorey", "Shrub", "Field", "Moss"}
        )
        self.assertTrue({"free", "path", "anchors"} <= {p.settings.layout.kind for p in plantings})
        for planting in plantings:
            by_hand = len(planting.pins.id) if not planting.settings.fullness else 0
            self.assertGreater(planting.count(), 0 if by_hand else 5, planting.stand.slug)
            self.assertEqual([c for c in planting.rules if planted_of(self.level).rasters.lacks(c)], [])

    def test_an_example_of_every_kind_of_edit_is_taken_back_to_the_folders_own_bytes(self):
        level = document_of(self.level)
        first = bytes_of(level)
        for kind, edits in examples().items():
            with self.subTest(kind):
                undo = []
                after = thicket.edit(level, written(edits), undo)
                self.assertEqual(edits[-1].kind, kind)
                if kind not in ("leave item", "remove snapshot"):
                    self.assertNotEqual(bytes_of(after), first)
                self.assertEqual(bytes_of(thicket.edit(after, written(undo))), first)

    def test_a_stroke_leaves_the_keys_beyond_its_reach_right(self):
        birch = rows_of(self.level)[planted_of(self.level)["birch"].stand.number]
        old = {
            p.stand.slug: [p.key(k) for k in p.sheets_in(p.everywhere)]
            for p in planted_of(self.level).plantings()
        }
        paint(
            User.objects.get(username="north"),
            [birch],
            Brush(Stroke("thin", [(300, 620), (330, 640)], 24, 0.5, 1.0)),
            key(),
        )
        carried = {
            s.slug: planted_of(self.level).planting(s.number) for s in planted_of(self.level).stands.values()
        }
        CACHE.clear()
        changed = {}
        for plain in planted_of(Level.objects.get()).plantings():
            stand = plain.stand
            keys = [plain.key(k) for k in plain.sheets_in(plain.everywhere)]
            self.assertEqual(
                [carried[stand.slug].key(k) for k in plain.sheets_in(plain.everywhere)], keys, stand.slug
            )
            changed[stand.slug] = sum(a != b for a, b in zip(keys, old[stand.slug]))
        self.assertEqual(
            [changed[s] for s in ("slate-blocks", "tip-rubble", "sleepers", "sleeper-stacks")], [0, 0, 0, 0]
        )
        self.assertTrue(0 < changed["birch"] <= 4 and 0 < changed["young-birch"] <= 4)

    def test_a_new_heightmap_at_another_resolution_leaves_ids_and_pins(self):
        level = planted_of(self.level)
        after = level.changed(heights=Heights.of(level.ground.heights[::2, ::2] + np.float32(3), 2.0))
        before, now = level["sleeper-stacks"], after["sleeper-stacks"]
        self.assertEqual(now.pinned.id.tolist(), before.pinned.id.tolist())
        np.testing.assert_array_equal(now.pinned.form[:, [0, 2]], before.pinned.form[:, [0, 2]])
        lift = now.pinned.form[:, 1] - after.ground.height_at(now.pins.x, now.pins.z)
        np.testing.assert_allclose(lift, before.pins.lift, atol=1e-4)
        old, new = (
            join([p.plants(s) for s in p.sheets_in(p.everywhere)])
            for p in (level["sleepers"], after["sleepers"])
        )
        places = [dict(zip(p.id.tolist(), p.form[:, [0, 2]].tolist())) for p in (old, new)]
        both = places[0].keys() & places[1].keys()
        self.assertGreater(len(both), 0.97 * len(old))
        self.assertTrue(all(places[0][i] == places[1][i] for i in both))
        ground = after.ground.height_at(new.form[:, 0].astype(float), new.form[:, 2].astype(float))
        np.testing.assert_allclose(new.form[:, 1], ground - 0.01, atol=1e-3)
