"""Footprints kept apart: against scipy's tree, bit for bit in any window, and the ground that discs take."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from thicket.planting.room import (
    NO_DISCS,
    NOWHERE,
    Discs,
    concat_discs,
    covered,
    crowded,
    differing,
    near,
    taken,
)


def scattered(seed, n, side=100.0, widest=3.0):
    rng = np.random.default_rng(seed)
    return Discs(rng.uniform(0, side, n), rng.uniform(0, side, n), rng.uniform(0.05, widest, n))


class Room(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 999), st.integers(0, 300), st.integers(0, 300), st.floats(0, 2))
    def test_taken_against_a_tree(self, seed, n, m, gap):
        discs, mine = scattered(seed, n), scattered(seed + 1000, m)
        found = taken(discs, *mine, gap)
        if n and m:
            tree = cKDTree(np.c_[discs.x, discs.z])
            slow = np.array(
                [
                    any(
                        np.hypot(discs.x[k] - x, discs.z[k] - z) < discs.r[k] + r + gap
                        for k in tree.query_ball_point([x, z], 3 + r + gap)
                    )
                    for x, z, r in zip(*mine)
                ]
            )
            np.testing.assert_array_equal(found, slow)
        else:
            self.assertFalse(found.any())

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 999), st.integers(2, 300))
    def test_crowded_leaves_no_overlap_and_takes_no_more_than_it_must(self, seed, n):
        mine = scattered(seed, n)
        threshold = np.random.default_rng(seed).permutation(n) / n
        gone = crowded(*mine, threshold)
        left = Discs(*(c[~gone] for c in mine))
        far = np.hypot(left.x[:, None] - left.x, left.z[:, None] - left.z) - left.r[:, None] - left.r
        np.fill_diagonal(far, 1)
        self.assertTrue((far >= 0).all())
        near_lower = (
            np.hypot(mine.x[:, None] - mine.x, mine.z[:, None] - mine.z) < mine.r[:, None] + mine.r
        ) & (threshold[None] < threshold[:, None])
        np.testing.assert_array_equal(gone, near_lower.any(axis=1))

    def test_a_window_with_its_margin_decides_as_the_whole(self):
        discs, mine = scattered(5, 800, 300), scattered(6, 900, 300)
        threshold = np.random.default_rng(7).permutation(900) / 900
        whole = taken(discs, *mine, 0.5), crowded(*mine, threshold, 0.5)
        for box in ((0, 0, 90, 60), (100, 50, 180, 210), (250, 250, 300, 300)):
            inside = (mine.x >= box[0]) & (mine.x < box[2]) & (mine.z >= box[1]) & (mine.z < box[3])
            np.testing.assert_array_equal(
                taken(near(discs, box, 3.5), *(c[inside] for c in mine), 0.5), whole[0][inside]
            )
            by = 6.5
            wide = (
                (mine.x >= box[0] - by)
                & (mine.x < box[2] + by)
                & (mine.z >= box[1] - by)
                & (mine.z < box[3] + by)
            )
            np.testing.assert_array_equal(
                crowded(*(c[wide] for c in mine), threshold[wide], 0.5)[inside[wide]], whole[1][inside]
            )

    @settings(max_examples=120, deadline=None)
    @given(
        *[
            st.sets(
                st.tuples(*[st.sampled_from([0.0, 0.5, 1.0, 2.25, 7.0])] * 2, st.sampled_from([0.1, 0.5])),
                max_size=40,
            )
        ]
        * 2,
        st.sampled_from([None, (0.2, 0.2, 1.5, 3.0), (6.0, -1.0, 9.0, 0.0)]),
    )
    def test_the_box_around_those_without_a_twin(self, some, other, within):
        x0, z0, x1, z1 = within or (-9, -9, 99, 99)
        odd = [(x, z, r) for x, z, r in some ^ other if x0 - r < x < x1 + r and z0 - r < z < z1 + r]
        around = tuple(
            pick(v)
            for pick, v in zip((min, min, max, max), zip(*((x - r, z - r, x + r, z + r) for x, z, r in odd)))
        )
        a, b = (Discs(*np.array(sorted(rows), float).reshape(-1, 3).T.copy()) for rows in (some, other))
        self.assertEqual(differing(a, b, within), around or NOWHERE)

    def test_ground_taken_adds_up(self):
        discs = Discs(np.array([10.0, 30.2, 50.7]), np.array([10.0, 41.9, 20.3]), np.array([2.0, 0.3, 4.0]))
        for cell, shape in ((1.0, (64, 64)), (0.5, (128, 128)), (4.0, (16, 16))):
            ground = float(covered(discs, cell, shape).sum(dtype=float)) * cell**2
            self.assertAlmostEqual(ground, np.pi * (discs.r**2).sum(), places=2)
        self.assertEqual(covered(NO_DISCS, 1.0, (5, 5)).sum(), 0)
        self.assertEqual(len(concat_discs([discs, NO_DISCS, discs]).x), 6)
