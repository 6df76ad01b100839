"""Rasters kept in few bytes, and discs distinguished."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from thicket.ground.rasters import compressed, decompressed


class Squeezed(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(
        arrays(
            np.int16,
            array_shapes(min_dims=2, max_dims=2, max_side=40),
            elements=st.one_of(st.integers(-2, 2), st.integers(-32768, 32767)),
        )
    )
    def test_any_raster_comes_back(self, raster):
        packed = compressed(raster)
        np.testing.assert_array_equal(decompressed(packed, raster.shape), raster)
        with self.assertRaises(ValueError):
            decompressed(packed[:-1], raster.shape)
        with self.assertRaises(ValueError):
            decompressed(packed + bytes(2), raster.shape)

    def test_smooth_ones_take_little(self):
        z, x = np.mgrid[0:256, 0:256]
        self.assertLess(len(compressed(np.zeros((256, 256), np.int16))), 520)
        self.assertLess(
            len(compressed(np.clip(300 - 4 * np.hypot(x - 90, z - 120), 0, 255).astype(np.int16))),
            65536 // 12,
        )
