"""Fog against its definition: sums along the line of sight, limits, and what each kind leaves."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.levels import drawn_level
from thicket.document.atmosphere import Atmosphere, FogSettings, atmosphere_for, from_before
from thicket.planted.costs import drawn, items_in, stand_cost
from thicket.planted.level import PlantedLevel
from thicket.sight.cost import Patch, frame_cost, lay_out
from thicket.sight.drawing import Drawing
from thicket.sight.fog import HIDDEN, TALL, Fog, clear_distance, left, mean_density
from thicket.sight.fogged import WEIGHT
from thicket.sight.views import View

altitude = st.floats(-50, 400)
kinds = st.sampled_from(["linear", "exponential", "squared"])
fogs = st.builds(
    Fog,
    kinds,
    st.floats(0, 0.05),
    st.floats(0, 200),
    st.floats(201, 3000),
    st.sampled_from([0.0, 5.0, 40.0, 300.0]),
    st.floats(0, 200),
)


class WhatIsLeft(unittest.TestCase):
    @given(fogs, altitude, altitude)
    def test_its_mean_density_is_the_sum_along_the_line_of_sight(self, fog, eye, place):
        along = np.linspace(eye, place, 20001)
        if fog.thinning:
            dense = np.exp(-np.maximum(along - fog.level, 0) / fog.thinning)
            mean = np.trapezoid(dense, dx=1 / 20000)
        else:
            mean = 1.0
        self.assertAlmostEqual(float(mean_density(fog, eye, place)), float(mean), delta=2e-4)

    @given(fogs, altitude, altitude, st.floats(0, 5000), st.floats(0, 500))
    def test_it_leaves_less_and_less_and_never_less_than_nothing(self, fog, eye, place, near, more):
        a, b = (float(left(fog, d, eye, place)) for d in (near, near + more))
        self.assertTrue(0 <= b <= a <= 1)
        self.assertAlmostEqual(
            float(left(fog, near, eye, place)), float(left(fog, near, place, eye)), delta=1e-6
        )

    def test_each_kind_is_as_defined(self):
        d = np.array([0.0, 50.0, 100.0, 300.0])
        self.assertEqual(left(Fog("none"), d).tolist(), [1, 1, 1, 1])
        np.testing.assert_allclose(left(Fog("linear", start=50, end=150), d), [1, 1, 0.5, 0])
        np.testing.assert_allclose(left(Fog("exponential", 0.01), d), np.exp(-0.01 * d))
        np.testing.assert_allclose(left(Fog("squared", 0.01), d), np.exp(-((0.01 * d) ** 2)))
        high = Fog("exponential", 0.01, thinning=20, level=100)
        self.assertAlmostEqual(float(left(high, 100, 120, 120)), float(np.exp(-np.exp(-1))))
        self.assertEqual(float(left(high, 100, 20, 90)), float(left(Fog("exponential", 0.01), 100)))

    @given(fogs, altitude, st.floats(0, 200), st.floats(0, 40), st.floats(1, 3))
    def test_from_where_it_hides_everything_nothing_that_stands_there_is_seen(self, fog, eye, top, up, far):
        clear = float(clear_distance(fog, eye, top))
        if np.isfinite(clear):
            self.assertLessEqual(float(left(fog, clear * far, eye, top + up)), HIDDEN + 1e-6)
            nearer = np.nextafter(clear * 0.999, 0)
            self.assertGreaterEqual(float(left(fog, nearer, eye, top + TALL)), HIDDEN - 1e-6)
        else:
            self.assertGreater(float(left(fog, 1e5, eye, top + TALL)), 0)


class InFog(unittest.TestCase):
    """A view of a level in fog."""

    def setUp(self):
        self.level = PlantedLevel(drawn_level(3))
        self.air = self.level.air(FogSettings(kind="linear", start=10, end=70, hides=True))
        self.view = View(128, 385, 128, 30, -10, 60, 1.6, drawing=Drawing(air=self.air))

    def test_what_it_hides_costs_nothing_and_nothing_else_is_left_out(self):
        clear = self.view.clear
        self.assertAlmostEqual(clear, 10 + 0.98 * 60)
        stock, own = items_in(self.level.level), self.level.plantings()
        bare = replace(self.view, drawing=replace(self.view.drawing, air=replace(self.air, hides=False)))
        fewer = 0
        for planting in own:
            forms = [planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)]
            near = [p.take(np.linalg.norm(p.form[:, :3] - self.view.eye, axis=1) < clear) for p in forms]
            items, distances = drawn(planting, stock, self.view)
            bounds = [item.bound for item in items]
            patches = [Patch(p, lay_out(p, bounds)) for p in near]
            want, got = frame_cost(patches, items, distances, bare), stand_cost(planting, stock, self.view)
            self.assertEqual(got.triangles + got.culled, want.triangles + want.culled)
            self.assertEqual(got.shadow_triangles, want.shadow_triangles)
            fewer += stand_cost(planting, stock, bare).triangles - got.triangles
        self.assertGreater(fewer, 0)

    def test_the_pixels_that_lie_in_it_are_those_whose_ground_is_far_enough(self):
        level_down = replace(self.view, y=1000.0, pitch=-90.0)
        mpx = 1080**2 * 1.6 / 1e6
        for start, want in ((990.0, 0.0), (0.0, mpx)):
            air = self.level.air(FogSettings(kind="linear", start=start, end=start + 4000))
            view = replace(level_down, fov=4.0, drawing=Drawing(air=air))
            self.assertAlmostEqual(self.level.fogged(view), want, places=6)
            more = self.level.ground_cost(view).alpha_mpx
            self.assertAlmostEqual(more, WEIGHT * want, places=6)
        up = replace(self.view, pitch=89.0, fov=20.0)
        self.assertEqual(self.level.fogged(up), 0.0, "the sky has colours of its own")
        none = replace(level_down, drawing=Drawing(air=self.level.air(FogSettings(kind="none"))))
        self.assertEqual(self.level.fogged(none), 0.0)


class Settings(unittest.TestCase):
    def test_what_cannot_be_is_a_sentence(self):
        for part, words in (
            ({"fog": {"kind": "linear", "start": 90, "end": 40}}, "before it starts at 90 m"),
            ({"fog": {"density": float("nan")}}, "finite"),
            ({"sun": {"elevation": -4}}, "greater than or equal to 1"),
            ({"sun": {"colour": "red"}}, "pattern"),
            ({"waters": [{"altitude": 3, "box": [5, 0, 5, 9]}]}, "needs a width"),
            ({"waters": [{"altitude": 3, "box": [0, 0, 5, 9]}] * 5}, "at most 4"),
        ):
            with self.assertRaises(ValidationError) as told:
                Atmosphere.model_validate(part)
            self.assertIn(words, str(told.exception))

    def test_that_of_a_new_level_loses_three_quarters_from_end_to_end(self):
        for side in (40, 1024, 16000):
            fog = atmosphere_for(side, side, 10, 90).fog
            far = float(left(fog.core(), np.hypot(side, side), 10, 10))
            self.assertTrue(far > 0.2, (side, far))
        self.assertAlmostEqual(far, 0.2466, places=2)

    def test_what_was_kept_before_is_carried_over(self):
        old = {"sun": {"bearing": 200, "elevation": 33}, "fog": 0.002, "waters": [], "wind": {}}
        now = from_before(old, 0, 60)
        self.assertEqual((set(now), now["atmosphere"]["sun"]["bearing"]), ({"wind", "atmosphere"}, 200))
        self.assertEqual(Atmosphere.model_validate(now["atmosphere"]).fog.density, 0.002)
        self.assertEqual(from_before(now, 0, 60), now)
        self.assertEqual(FogSettings().core(), Fog())
