"""So many plants set by hand at once inside an outline."""

import numpy as np
import shapely
from django.test import SimpleTestCase
from scipy.spatial.distance import pdist
from scipy.spatial.transform import Rotation

import thicket
from tests.core.levels import drawn_level, tuned
from thicket.document.edits import ChangeShapes
from thicket.document.level_file import ShapeFile
from thicket.document.pin_rows import PinRow
from thicket.document.settings import MixEntry
from thicket.planted.hand import PinChanges, hand_edit
from thicket.planted.scattering import SNUG, piled, scattered
from thicket.refused import Refused

LINE = [(20.0, 20.0), (110.0, 30.0), (100.0, 110.0), (60.0, 60.0), (15.0, 90.0)]
"""An outline that is not convex."""


class Scattered(SimpleTestCase):
    def setUp(self):
        level = thicket.plant(drawn_level(4))
        self.stand = level.level.singles[0]
        self.level = tuned(level, self.stand.slug, {"spacing": 3.0})

    def scatter(self, count, level=None, mix=(), key="k", outline=LINE):
        level = level or self.level
        wish = scattered(level, self.stand.number, outline, count, mix, key)
        return hand_edit(level, {self.stand.number: wish}, key)

    def rows(self, edit):
        return [row for row in edit.put[self.stand.number].values() if isinstance(row, PinRow)]

    def test_just_so_many_stand_inside_a_spacing_apart_and_the_same_key_gives_the_same(self):
        edit = self.scatter(150)
        at = np.array([(row.x, row.z) for row in self.rows(edit)])
        self.assertEqual(len(at), 150)
        self.assertTrue(shapely.contains_xy(shapely.Polygon(LINE), at[:, 0], at[:, 1]).all())
        self.assertGreaterEqual(pdist(at).min(), 3.0 - 1e-3)
        self.assertEqual(edit, self.scatter(150))
        other = np.array([(row.x, row.z) for row in self.rows(self.scatter(150, key="another"))])
        self.assertFalse(np.array_equal(at, other))
        few = {(row.x, row.z) for row in self.rows(self.scatter(40))}
        self.assertLess(
            few, set(map(tuple, at.tolist())), "fewer are some of the same, well apart themselves"
        )
        step = self.level.after(edit)
        there = step.after.planting(self.stand.number)
        self.assertLessEqual({row.x for row in self.rows(edit)}, set(there.pins.x.tolist()))
        back = step.after.after(edit.inverse(self.level.level)).after
        before = self.level.planting(self.stand.number).pins.id.tolist()
        self.assertEqual(back.planting(self.stand.number).pins.id.tolist(), before)

    def test_what_is_kept_clear_and_what_a_hand_has_set_stays_so(self):
        corners = [(40, 40), (70, 40), (70, 60), (40, 60)]
        pond = ShapeFile(number=50, kind="obstacle", name="Pond", points=corners, width=0, clear=2)
        level = self.level.after(ChangeShapes(put={50: pond})).after
        first = self.scatter(60, level)
        both = level.after(first).after
        second = self.scatter(60, both, key="second")
        at = np.array([(row.x, row.z) for row in self.rows(first) + self.rows(second)])
        self.assertGreater(shapely.distance(shapely.Polygon(pond.points), shapely.points(at)).min(), 2.0)

    def test_too_many_are_refused_with_how_many_fit_and_nonsense_with_a_reason(self):
        with self.assertRaisesRegex(Refused, r"count: \d+ of 1,000 have room there, 3 m apart"):
            self.scatter(1000)
        for more, words in (
            ({"outline": [(0, 0), (50, 50), (50, 0), (0, 50)]}, "crosses itself"),
            ({"outline": [(9, 9), (20, 9), (31, 9)]}, "has no size"),
            ({"outline": [(-90, -90), (-50, -90), (-50, -50)]}, "lies outside"),
            ({"mix": [MixEntry(item="unknown", weight=1)]}, "no stock item 'unknown'"),
            ({"mix": [MixEntry(item="birch", weight=0)]}, "none of those chosen has a share"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                self.scatter(5, **more)

    def test_from_a_mix_of_their_own_by_its_shares_and_sizes(self):
        items = sorted(self.level.level.stock)[:3]
        mix = [MixEntry(item=item, weight=weight) for item, weight in zip(items, (1.0, 3.0, 0.0))]
        mix[0].size, mix[1].sink = (2.0, 2.5), 0.4
        drawn = self.rows(self.scatter(150, mix=mix))
        counts = [sum(row.item == item for row in drawn) for item in items]
        self.assertEqual((sum(counts), counts[2]), (150, 0))
        self.assertTrue(22 < counts[0] < 55, counts)
        for row in drawn:
            if row.item == items[0]:
                self.assertTrue(2 <= row.height <= 2.5 and row.width == row.height)
            else:
                self.assertAlmostEqual(row.lift, -0.4)


class Piled(SimpleTestCase):
    """Items dropped onto one another."""

    def setUp(self):
        self.level = thicket.plant(drawn_level(4))
        self.number = self.level.level.singles[0].number
        self.item = sorted(self.level.level.stock)[0]

    def pile(self, count, outline=LINE, key="k", level=None):
        level = level or self.level
        wish = piled(level, self.number, outline, count, [MixEntry(item=self.item, weight=1)], key)
        edit = hand_edit(level, {self.number: wish}, key)
        return edit, [row for row in edit.put[self.number].values() if isinstance(row, PinRow)]

    def bodies(self, rows):
        """Middle and axis of each, and half of its width and height in m."""
        item = self.level.level.stock[self.item]
        q = np.array([(r.qx, r.qy, r.qz, r.qw) for r in rows])
        up = Rotation.from_quat(q).apply([0, 1, 0])
        foot = np.array([(r.x, r.lift, r.z) for r in rows])
        foot[:, 1] += self.level.ground.height_at(foot[:, 0], foot[:, 2])
        half = np.array([item.height * r.height / 2 for r in rows])
        wide = np.array([SNUG * max(item.crown, item.trunk) * r.width for r in rows])
        return foot + up * half[:, None], up, wide, SNUG * half

    def surface_points(self, middle, up, wide, half, rng):
        way = rng.normal(size=(400, 3))
        way /= np.linalg.norm(way, axis=1)[:, None]
        along = way @ up
        return middle + (way - along[:, None] * up) * wide + along[:, None] * up * half

    def test_they_lie_on_the_ground_and_on_each_other_not_in_them_nor_in_the_air(self):
        small = [(60.0, 60.0), (64.0, 60.0), (64.0, 64.0), (60.0, 64.0)]
        edit, rows = self.pile(60, small)
        self.assertEqual(edit, self.pile(60, small)[0], "the same key, the same pile")
        self.assertNotEqual(edit, self.pile(60, small, "other")[0])
        middle, up, wide, half = self.bodies(rows)
        off = np.abs(middle[:, [0, 2]] - 62).max(axis=1)
        self.assertTrue((off < 2).sum() > 9 and np.median(off) < 8, "they roll out of it, not away")
        rng, touching = np.random.default_rng(1), 0
        for k in range(len(rows)):
            at = self.surface_points(middle[k], up[k], wide[k], half[k], rng)
            over = at[:, 1] - self.level.ground.height_at(at[:, 0], at[:, 2])
            deepest, lowest = -over.min(), over.min()
            for j in range(len(rows)):
                if j != k and np.linalg.norm(middle[j] - middle[k]) < wide[j] + wide[k] + half[j] + half[k]:
                    off = at - middle[j]
                    along = off @ up[j]
                    across = np.linalg.norm(off - along[:, None] * up[j], axis=1)
                    inside = 1 - np.sqrt((across / wide[j]) ** 2 + (along / half[j]) ** 2)
                    deepest = max(deepest, float(inside.max()) * min(wide[j], half[j]))
                    lowest = min(lowest, -float(inside.max()) * max(wide[j], half[j]))
            self.assertLess(deepest, 0.3 * min(wide[k], half[k]), "it lies in another, or in the ground")
            touching += lowest < 0.25 * wide[k]
        self.assertEqual(touching, len(rows), "nothing hangs in the air")
        alone = self.bodies(self.pile(1, small)[1])[0][0, 1]
        self.assertGreater(middle[:, 1].max(), alone + half.min(), "they lie on one another")

    def test_what_is_kept_clear_stays_so_and_all_is_taken_back(self):
        corners = [(40, 40), (70, 40), (70, 60), (40, 60)]
        pond = ShapeFile(number=50, kind="obstacle", name="Pond", points=corners, width=0, clear=1)
        level = self.level.after(ChangeShapes(put={50: pond})).after
        edit, rows = self.pile(80, level=level)
        at = np.array([(row.x, row.z) for row in rows])
        self.assertGreater(shapely.distance(shapely.Polygon(corners), shapely.points(at)).min(), 0.5)
        step = level.after(edit)
        there = step.after.planting(self.number)
        self.assertEqual(len(there.pins.id), len(rows) + len(level.planting(self.number).pins.id))
        back = step.after.after(edit.inverse(level.level)).after
        self.assertEqual(back.counts(), level.counts())
        with self.assertRaisesRegex(Refused, "all of it is kept clear"):
            self.pile(5, [(45, 45), (60, 45), (60, 55)], level=level)


class Handles(SimpleTestCase):
    """Single plants moved, raised and turned along axes."""

    def test_a_selection_is_raised_turned_about_its_middle_and_rolled(self):
        level = thicket.plant(drawn_level(4))
        stand = level.level.singles[0]
        edit = hand_edit(level, {stand.number: scattered(level, stand.number, LINE, 8, [], "k")}, "k")
        level = level.after(edit).after
        ids = [p for p, row in edit.put[stand.number].items() if isinstance(row, PinRow)]

        def done(**given):
            wish = PinChanges(change=[{"plant": p, **given} for p in ids], push=True)
            now = hand_edit(level, {stand.number: wish}, "h").put[stand.number]
            return [(edit.put[stand.number][p], now[p]) for p in ids]

        for was, now in done(rise=1.5):
            self.assertAlmostEqual(now.lift - was.lift, 1.5)
            self.assertEqual((now.x, now.z), (was.x, was.z))
        for was, now in done(about=(60, 60), turn_by=90):
            self.assertAlmostEqual(now.x - 60, -(was.z - 60), places=6)
            self.assertAlmostEqual(now.z - 60, was.x - 60, places=6)
        for name, axis in (("roll_east", (1, 0, 0)), ("roll_south", (0, 0, 1))):
            for was, now in done(**{name: 30}):
                before, after = (Rotation.from_quat([r.qx, r.qy, r.qz, r.qw]) for r in (was, now))
                turned = Rotation.from_rotvec(np.radians(30) * np.array(axis)) * before
                self.assertLess((after * turned.inv()).magnitude(), 1e-6)
