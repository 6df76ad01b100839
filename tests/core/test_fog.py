"""Fog against its definition: sums along the line of sight, limits, and what each kind leaves."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from thicket.document.atmosphere import Atmosphere, FogSettings, atmosphere_for, from_before
from thicket.sight.fog import Fog, left, mean_density

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
