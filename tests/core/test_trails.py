"""Plants laid over beside a trail: away from its line, less and less, and none elsewhere."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from shapely.geometry import LineString, Point
from shapely.ops import nearest_points

from tests.core.test_placement import rough_ground
from thicket.ground.shapes import Shape, Trail
from thicket.planting.points import point_set
from thicket.planting.stands import Stand, Variation, grow
from thicket.planting.trails import laid_over, trails_near

LINE = ((5.0, 8.0), (30.0, 12.0), (34.0, 38.0))


def grown():
    stand = Stand(3, 5, 1.1, 1.0, variation=Variation(lean=0, follow=0))
    points = point_set(5, 1.1, (0, 0, 40, 40))
    return grow(stand, points, np.arange(len(points.x)), rough_ground(41))


def trail(reach=2.5, lean=50.0, flatten=0.4, strata=("Field",), width=1.0):
    return Shape("path", LINE, width, None, trail=Trail(reach, lean, flatten, strata))


class Trails(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(st.floats(0, 6), st.floats(5, 85), st.floats(0, 0.95), st.floats(0.2, 3))
    def test_upright_plants_lean_away_as_far_as_they_are_near(self, reach, lean, flatten, width):
        before = grown()
        after = laid_over(before, [trail(reach, lean, flatten, width=width)])
        np.testing.assert_array_equal(after.id, before.id)
        np.testing.assert_array_equal(after.form[:, [0, 1, 2, 7, 9]], before.form[:, [0, 1, 2, 7, 9]])
        line = LineString(LINE)
        up = Rotation.from_quat(after.form[:, 3:7]).apply([0, 1, 0])
        ahead = Rotation.from_quat(after.form[:, 3:7]).apply([0, 0, -1])
        for k, (x, z) in enumerate(before.form[:, [0, 2]].astype(float)):
            foot, _ = nearest_points(line, Point(x, z))
            far = np.hypot(x - foot.x, z - foot.y)
            e = max(far - width / 2, 0) / reach if reach else 0.0
            share = 0.0 if far >= width / 2 + reach else 1 - e * e * (3 - 2 * e)
            self.assertAlmostEqual(after.form[k, 8] / before.form[k, 8], 1 - share * flatten, places=5)
            self.assertAlmostEqual(np.degrees(np.arccos(min(up[k, 1], 1))), share * lean, delta=0.1)
            if share > 0.02 and far > 0.01:
                away = np.array([x - foot.x, z - foot.y]) / far
                np.testing.assert_allclose(up[k, [0, 2]], away * np.hypot(*up[k, [0, 2]]), atol=2e-3)
            if share == 1 and far > 0.01 and lean < 80:
                self.assertGreater(ahead[k, [0, 2]] @ away / np.hypot(*ahead[k, [0, 2]]), 0.999)
            if not share:
                np.testing.assert_array_equal(after.form[k], before.form[k])

    def test_only_its_strata_and_only_near_it(self):
        shapes = [trail(), Shape("path", LINE, 1.0), trail(strata=("Moss",))]
        self.assertEqual(trails_near(shapes, "Field", (0, 0, 40, 40)), shapes[:1])
        self.assertEqual(trails_near(shapes, "Canopy", (0, 0, 40, 40)), [])
        self.assertEqual(trails_near(shapes, "Field", (0, 38.0 + 0.5 + 2.6, 40, 60)), [])
        self.assertIs(laid_over(plants := grown(), []), plants)
        for bad in ((-1, 10, 0.1), (21, 10, 0.1), (1, 86, 0.1), (1, 10, 1.0)):
            with self.assertRaisesRegex(ValueError, "trail reaches"):
                Trail(*bad, ("Field",))
        with self.assertRaisesRegex(ValueError, "no path"):
            Shape("area", ((0, 0), (5, 0), (5, 5)), trail=Trail(1, 10, 0.1, ("Field",)))
