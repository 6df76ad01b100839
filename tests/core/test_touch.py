"""Touch in tiles: windows against the whole array, hashes."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from thicket.document.touch import TILE, TouchMap, touch_blocks

SHAPE = 300, 530
RNG = np.random.default_rng(7)
corner = st.tuples(st.integers(-40, 600), st.integers(-40, 340), st.integers(1, 400), st.integers(1, 300))


class Windows(SimpleTestCase):
    @given(corner, st.sets(st.tuples(st.integers(0, 2), st.integers(0, 1)), max_size=4))
    @settings(max_examples=60, deadline=None)
    def test_any_window_is_a_piece_of_the_whole(self, at, painted):
        whole = np.zeros(SHAPE, np.int16)
        for tx, tz in painted:
            part = whole[tz * TILE : (tz + 1) * TILE, tx * TILE : (tx + 1) * TILE]
            part[...] = RNG.integers(-255, 256, part.shape)
        of = TouchMap.of(whole)
        sparse = TouchMap(SHAPE, {tile: of.tiles[tile] for tile in painted})
        col0, row0, wide, long = at
        box = col0, row0, col0 + wide, row0 + long
        cut = whole[max(row0, 0) : max(row0 + long, 0), max(col0, 0) : max(col0 + wide, 0)]
        for kept in of, sparse:
            np.testing.assert_array_equal(kept.array, whole)
            np.testing.assert_array_equal(kept.window(box)[0].ravel(), cut.ravel())
        self.assertEqual(of.digest(box), sparse.digest(box))
        if cut.size:
            for a, b in zip(sparse.blocks(box), touch_blocks(whole, box)):
                np.testing.assert_array_equal(a, b)
            other = whole.copy()
            other[max(row0, 0) + cut.shape[0] // 2, max(col0, 0) + cut.shape[1] // 2] += 1
            self.assertNotEqual(TouchMap.of(other).digest(box), of.digest(box), "one cell by one unit")
