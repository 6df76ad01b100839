"""The wind's loop closes, keeps its measure, and blows the way it is said to."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from thicket.sight.wind import Wind, sway

WINDS = st.builds(
    Wind,
    st.floats(0, 360),
    st.floats(0, 40),
    st.floats(0, 1),
    st.floats(1, 500),
    st.floats(0, 1),
    st.floats(1, 120),
)
AT = np.random.default_rng(3).uniform(0, 1000, (3, 60))


class Winds(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(WINDS, st.floats(0, 200))
    def test_the_loop_closes_without_a_seam(self, wind, time):
        x, z, own = AT[0], AT[1], AT[2] / 1000
        now, then = sway(wind, x, z, own, time), sway(wind, x, z, own, time + wind.loop)
        np.testing.assert_allclose(now, then, atol=1e-6)
        self.assertTrue((now >= -0.5 - 1e-9).all() and (now <= 1.5 + 1e-9).all())

    def test_a_gust_travels_with_the_wind_at_about_its_speed(self):
        wind = Wind(bearing=270, speed=6, wavelength=24, turbulence=0, loop=12)
        x = np.arange(0.0, 24.0, 0.1)
        crest = [float(x[sway(wind, x, 0 * x, 0 * x, t).argmax()]) for t in (0.0, 1.0)]
        self.assertAlmostEqual(
            (crest[1] - crest[0]) % 24, wind.gusts * wind.wavelength / wind.loop, delta=0.2
        )
