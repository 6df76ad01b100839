"""Slope, facing, hollow–ridge, unevenness and wetness against planes, cones, gdaldem, slow second ways and a
hand-worked grid."""

import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
import rasterio
from hypothesis import given, settings
from hypothesis import strategies as st

from demo import ground as demo_ground
from thicket.formats.handover import heights_tif
from thicket.ground.heights import Ground
from thicket.ground.hollow import WIDEST, disc, topographic_position_index, unevenness
from thicket.ground.relief import FLAT, facing_of_cells, slope_and_aspect, to_cells
from thicket.ground.wetness import LEAST_SLOPE, fill_depressions, topographic_wetness_index

DIRECTIONS = range(0, 360, 45)


def turned(a, b):
    """The angle between bearings, below 0 the other way."""
    return (np.asarray(a) - b + 180) % 360 - 180


class Slopes(unittest.TestCase):
    def test_planes_in_eight_directions(self):
        z, x = np.mgrid[0:20, 0:23].astype(float)
        for bearing in DIRECTIONS:
            for steep in (1.0, 5.0, 30.0, 60.0, 80.0):
                down, fall = np.radians(bearing), np.tan(np.radians(steep))
                heights = (1000 - fall * 2.0 * (x * np.sin(down) - z * np.cos(down))).astype(np.float32)
                slope, facing = slope_and_aspect(heights, 2.0)
                np.testing.assert_allclose(slope, steep, atol=0.02)
                np.testing.assert_allclose(turned(facing, bearing), 0, atol=0.2)
                np.testing.assert_allclose(turned(facing_of_cells(heights, 2.0), bearing), 0, atol=0.2)

    def test_cones_fall_outward_in_all_directions(self):
        z, x = np.mgrid[-60:61, -60:61].astype(float)
        far = np.hypot(x, z)
        slope, facing = slope_and_aspect((300 - far * np.tan(np.radians(35))).astype(np.float32), 1.0)
        off = far > 12
        np.testing.assert_allclose(slope[off], 35, atol=0.35)
        outward = np.degrees(np.arctan2(x, -z)) % 360
        self.assertLess(np.abs(turned(facing, outward)[off]).max(), 0.35)
        for bearing in DIRECTIONS:
            i, j = 60 + round(40 * np.sin(np.radians(bearing))), 60 - round(40 * np.cos(np.radians(bearing)))
            self.assertAlmostEqual(float(turned(facing[j, i], bearing)), 0, delta=0.8)

    def test_flat_ground_faces_nowhere_and_threads_change_nothing(self):
        slope, facing = slope_and_aspect(np.full((9, 9), 12, np.float32), 1.0)
        self.assertTrue((slope == 0).all() and (facing == FLAT).all())
        rough = np.random.default_rng(1).normal(0, 3, (301, 187)).astype(np.float32)
        for one, two in zip(slope_and_aspect(rough, 0.5, threads=1), slope_and_aspect(rough, 0.5, threads=3)):
            np.testing.assert_array_equal(one, two)

    def test_against_gdaldem_on_the_demo_ground(self):
        built = demo_ground.build()
        slope, facing = slope_and_aspect(built.heights, demo_ground.CELL)
        with tempfile.TemporaryDirectory() as folder:
            source = Path(folder) / "heights.tif"
            source.write_bytes(heights_tif(Ground(built.heights, demo_ground.CELL)))
            for mode, ours in (("slope", slope), ("aspect", facing)):
                out = Path(folder) / f"{mode}.tif"
                subprocess.run(["gdaldem", mode, str(source), str(out), "-q"], check=True)
                with rasterio.open(out) as file:
                    theirs = file.read(1)
                inner = (slice(1, -1), slice(1, -1))
                known = theirs[inner] != -9999
                away = (
                    np.abs(ours[inner] - theirs[inner])
                    if mode == "slope"
                    else np.abs(turned(ours[inner], theirs[inner]))
                )
                if mode == "aspect":
                    known &= slope[inner] > 1
                self.assertGreater(known.mean(), 0.9)
                self.assertLess(away[known].max(), 0.02 if mode == "slope" else 0.2)


class Hollows(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(
        st.integers(4, 26),
        st.integers(4, 26),
        st.floats(0.6, 9),
        st.sampled_from([0.5, 1.0, 2.0]),
        st.integers(0, 9),
    )
    def test_both_against_a_walk_over_every_disc(self, rows, columns, radius, cell, seed):
        heights = np.random.default_rng(seed).normal(0, 8, (rows, columns)).astype(np.float32)
        reach = len(disc(radius, cell)) - 1
        half = disc(radius, cell)
        mean, rise = np.empty((rows, columns)), np.empty((rows, columns))
        for j in range(rows):
            for i in range(columns):
                inside = [
                    heights[b, a]
                    for b in range(max(j - reach, 0), min(j + reach + 1, rows))
                    for a in range(max(i - half[abs(b - j)], 0), min(i + half[abs(b - j)] + 1, columns))
                ]
                mean[j, i] = np.mean(inside, dtype=float)
                rise[j, i] = max(abs(max(inside) - heights[j, i]), abs(heights[j, i] - min(inside)))
        np.testing.assert_allclose(
            topographic_position_index(heights, cell, radius), heights - mean, atol=2e-3
        )
        np.testing.assert_allclose(unevenness(heights, cell, radius), rise, atol=1e-5)

    def test_a_dome_is_a_ridge_and_a_bowl_a_hollow(self):
        z, x = np.mgrid[-40:41, -40:41]
        dome = (30 * np.exp(-(x**2 + z**2) / 300)).astype(np.float32)
        self.assertGreater(topographic_position_index(dome, 1.0, 15)[40, 40], 5)
        self.assertLess(topographic_position_index(-dome, 1.0, 15)[40, 40], -5)
        plane = (x * 0.7).astype(np.float32)
        np.testing.assert_allclose(topographic_position_index(plane, 1.0, 10)[12:-12, 12:-12], 0, atol=1e-3)

    def test_radii_that_cannot_be(self):
        for radius in (0.0, -3.0, float("nan"), WIDEST + 5.0):
            with self.assertRaisesRegex(ValueError, "radius"):
                topographic_position_index(np.zeros((9, 9), np.float32), 1.0, radius)


class Wetness(unittest.TestCase):
    def test_a_hand_worked_grid(self):
        """Three rows that fall east by 1 m a cell: water is shared by drop / length × width of contour."""
        heights = np.tile(np.array([2, 1, 0], np.float32), (3, 1))
        ahead, aslant = 1 / 1 * 0.5, 1 / 2**0.5 * 0.354
        middle, edge = ahead + 2 * aslant, ahead + aslant
        area = np.ones((3, 3))
        area[1, 1] += ahead / middle + 2 * aslant / edge
        area[0, 1] = area[2, 1] = 1 + ahead / edge + aslant / middle
        area[1, 2] += area[1, 1] * ahead / middle + 2 * area[0, 1] * aslant / edge
        area[0, 2] = area[2, 2] = 1 + area[0, 1] * ahead / edge + area[1, 1] * aslant / middle
        steep = np.full((3, 3), LEAST_SLOPE)
        steep[1, :2] = middle / (0.5 + 2 * 0.354)
        steep[[0, 2], :2] = edge / (0.5 + 0.354)
        np.testing.assert_allclose(topographic_wetness_index(heights, 1.0), np.log(area / steep), atol=1e-4)
        self.assertAlmostEqual(float(area[:, 2].sum()), 9.0)

    def test_filling_reaches_the_lowest_way_out_and_no_higher(self):
        heights = np.full((6, 6), 5, np.float32)
        heights[2:4, 2:4] = 0
        heights[2, 4], heights[2, 5] = 4, 3
        filled = fill_depressions(heights)
        want = heights.copy()
        want[2:4, 2:4] = 4
        np.testing.assert_array_equal(filled, want)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(3, 18), st.integers(3, 18), st.integers(0, 40), st.sampled_from([1, 3, 50]))
    def test_filled_ground_is_the_least_surface_that_drains(self, rows, columns, seed, steps):
        heights = np.random.default_rng(seed).integers(0, steps + 1, (rows, columns)).astype(np.float32)
        filled = fill_depressions(heights)
        slow = np.full(heights.shape, np.inf, np.float32)
        slow[[0, -1]], slow[:, [0, -1]] = heights[[0, -1]], heights[:, [0, -1]]
        while True:
            around = np.pad(slow, 1, constant_values=np.inf)
            least = np.min(
                [
                    around[1 + b : rows + 1 + b, 1 + a : columns + 1 + a]
                    for b in (-1, 0, 1)
                    for a in (-1, 0, 1)
                ],
                axis=0,
            )
            fresh = np.maximum(heights, np.minimum(slow, least))
            if (fresh == slow).all():
                break
            slow = fresh
        np.testing.assert_array_equal(filled, slow)
        self.assertTrue(np.isfinite(topographic_wetness_index(heights, 2.0)).all())

    def test_valleys_are_wetter_than_their_sides(self):
        z, x = np.mgrid[0:80, 0:61].astype(float)
        valley = (np.abs(x - 30) * 0.4 + (80 - z) * 0.1).astype(np.float32)
        wet = to_cells(topographic_wetness_index(valley, 1.0))
        self.assertGreater(wet[70, 29:31].mean(), wet[70, 10:20].mean() + 2)
        self.assertGreater(wet[70, 30], wet[10, 30])
