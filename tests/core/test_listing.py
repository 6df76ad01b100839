"""Single plants as a list, against the cost model and slow second ways."""

import unittest
from dataclasses import replace

import numpy as np

import thicket
from tests.core.levels import drawn_level
from thicket.document.edits import ChangePins
from thicket.document.pin_rows import PinRow
from thicket.planted.costs import settled, stand_cost
from thicket.planted.listing import Wanted, listed
from thicket.sight.cost import Item, Mesh
from thicket.sight.drawing import Drawing
from thicket.sight.views import View

TREE = Item("tree", (Mesh(500, 3, 2.0, 9), Mesh(90, 2, 2.0, 9)), Mesh(2, 1, 9.0, 9), 8.0, 77)


class Listing(unittest.TestCase):
    def setUp(self):
        level = drawn_level(4)
        stand = level.singles[0]
        pin = PinRow(item="birch", x=60, z=60, lift=0, qx=0, qy=0, qz=0, qw=1, width=1, height=1.5, tint=0)
        self.level = thicket.plant(ChangePins(put={stand.number: {7: pin}}).apply(level))
        self.stock = dict.fromkeys(level.stock, TREE)
        self.numbers = tuple(s.number for s in self.level.level.in_order)
        self.view = View(90, self.level.ground.heights.max() + 5, 150, 20, -15, 60, 1.6)

    def list(self, view=None, **more):
        return listed(self.level, Wanted(self.numbers, **more), view or self.view, self.stock)

    def test_triangles_are_those_of_the_cost_model_in_every_way_of_drawing(self):
        for drawing in (Drawing(), Drawing(distances=0.3, fades=2), Drawing(full_meshes=5, cell=32)):
            view = settled(replace(self.view, drawing=drawing), self.level.plantings(), self.stock)
            found = self.list(view)
            for planting in self.level.plantings():
                if planting.stand.sward:
                    continue
                mine = found.triangles[found.stand == planting.stand.number].sum()
                self.assertEqual(mine, stand_cost(planting, self.stock, view).triangles)

    def test_all_plants_are_listed_once_in_the_order_that_is_asked_for(self):
        found = self.list()
        singles = [p for p in self.level.plantings() if not p.stand.sward]
        self.assertEqual(len(found), sum(p.count() for p in singles))
        self.assertEqual(len(set(zip(found.stand, found.id))), len(found))
        far = np.linalg.norm(found.form[:, :3].astype(float) - self.view.eye, axis=1)
        np.testing.assert_allclose(found.far, far)
        for sort, column in (
            ("far", "far"),
            ("height", "height"),
            ("triangles", "triangles"),
            ("stand", "stand"),
            ("item", "item"),
        ):
            for descending in (False, True):
                values = getattr(self.list(sort=sort, descending=descending), column)
                values = values[::-1] if descending else values
                self.assertTrue((values[:-1] <= values[1:]).all(), (sort, descending))
        tall = self.level.level.stock["birch"].height
        hand = self.list(by_hand=True, sort="height", descending=True)
        self.assertTrue(hand.by_hand.all() and 7 in hand.id)
        self.assertAlmostEqual(float(hand.height[list(hand.id).index(7)]), 1.5 * tall, places=5)

    def test_filters_and_groups_are_what_a_slow_second_way_finds(self):
        every = self.list()
        some = self.list(item="birch", height=(2.0, 4.5), in_sight=True)
        wanted = (every.item == "birch") & (every.height >= 2) & (every.height <= 4.5) & (every.triangles > 0)
        self.assertTrue(0 < len(some) == wanted.sum())
        square = ((50.0, 50.0), (120.0, 50.0), (120.0, 110.0), (50.0, 110.0))
        x, z = every.form[:, 0], every.form[:, 2]
        self.assertEqual(len(self.list(outline=square)), ((x > 50) & (x < 120) & (z > 50) & (z < 110)).sum())
        for grouped in ("stand", "item", "cell", "area"):
            whole = self.list(grouped=grouped)
            self.assertEqual(sum(n for n, _ in whole.groups.values()), len(every))
            self.assertEqual(sum(t for _, t in whole.groups.values()), int(every.triangles.sum()))
            key = max(whole.groups, key=lambda k: whole.groups[k])
            part = self.list(grouped=grouped, group=key)
            self.assertEqual((len(part), int(part.triangles.sum())), whole.groups[key])
            self.assertEqual(part.groups, whole.groups, "the others stay to be chosen from")
            if grouped == "cell":
                west, north = map(float, key.split())
                inside = (x // 64 * 64 == west) & (z // 64 * 64 == north)
                self.assertEqual(len(part), inside.sum())
        self.assertEqual(len(self.list(grouped="cell", group="no such")), 0)
        fine = self.list(replace(self.view, drawing=Drawing(cell=32)), grouped="cell")
        self.assertTrue({int(v) % 64 for key in fine.groups for v in key.split()} == {0, 32})
