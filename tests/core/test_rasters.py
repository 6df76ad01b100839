"""Rasters kept in few bytes, and discs told apart."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from thicket.ground.rasters import loosened, squeezed
from thicket.planting.room import Discs, only_in


class Squeezed(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(arrays(np.int16, array_shapes(min_dims=2, max_dims=2, max_side=40),
                  elements=st.one_of(st.integers(-2, 2), st.integers(-32768, 32767))))
    def test_any_raster_comes_back(self, raster):
        packed = squeezed(raster)
        np.testing.assert_array_equal(loosened(packed, raster.shape), raster)
        with self.assertRaises(ValueError):
            loosened(packed[:-1], raster.shape)
        with self.assertRaises(ValueError):
            loosened(packed + bytes(2), raster.shape)

    def test_smooth_ones_take_little(self):
        z, x = np.mgrid[0:256, 0:256]
        self.assertLess(len(squeezed(np.zeros((256, 256), np.int16))), 520)
        self.assertLess(len(squeezed(np.clip(300 - 4 * np.hypot(x - 90, z - 120), 0, 255).astype(np.int16))), 65536 // 12)


class DiscsToldApart(unittest.TestCase):
    @settings(max_examples=80, deadline=None)
    @given(st.lists(st.tuples(*[st.sampled_from([0.0, 0.5, 1.0, 2.25])] * 3), max_size=40),
           st.lists(st.tuples(*[st.sampled_from([0.0, 0.5, 1.0, 2.25])] * 3), max_size=40))
    def test_only_those_without_a_twin(self, some, other):
        a, b = (Discs(*np.array(rows, float).reshape(-1, 3).T) for rows in (some, other))
        left = only_in(a, b)
        self.assertEqual(list(zip(*(c.tolist() for c in left))), [row for row in some if row not in other])
