"""So many plants set by hand at once inside an outline."""

import numpy as np
import shapely
from django.test import SimpleTestCase
from scipy.spatial.distance import pdist

import thicket
from tests.core.levels import drawn_level, tuned
from thicket.document.edits import ChangeShapes
from thicket.document.level_file import ShapeFile
from thicket.document.pin_rows import PinRow
from thicket.planted.hand import hand_edit
from thicket.planted.scattering import scattered
from thicket.refused import Refused

LINE = [(20.0, 20.0), (110.0, 30.0), (100.0, 110.0), (60.0, 60.0), (15.0, 90.0)]
"""An outline that is not convex."""


class Scattered(SimpleTestCase):
    def setUp(self):
        level = thicket.plant(drawn_level(4))
        self.stand = level.level.singles[0]
        self.level = tuned(level, self.stand.slug, {"spacing": 3.0})

    def scatter(self, count, level=None, items=(), key="k", outline=LINE):
        level = level or self.level
        wish = scattered(level, self.stand.number, outline, count, items, key)
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
            ({"items": ["unknown"]}, "unknown is not in the mix"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                self.scatter(5, **more)

    def test_some_of_the_mix_alone(self):
        items = sorted(self.level.level.stock)[:3]
        mix = [{"item": item, "weight": k + 1.0} for k, item in enumerate(items)]
        level = tuned(self.level, self.stand.slug, {"mix": mix})
        drawn = {row.item for row in self.rows(self.scatter(80, level))}
        self.assertEqual(drawn, set(items))
        some = {row.item for row in self.rows(self.scatter(80, level, items=items[1:]))}
        self.assertEqual(some, set(items[1:]))
