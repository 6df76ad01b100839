"""The parts that others stand on: work in bands, attributes worked out once, rasters made tile by tile,
welded corners, ground that is made here or seen from above, unlikeness, the small plan."""

import json
import tempfile
import threading
import unittest
from pathlib import Path

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from demo.stock import MODELS
from thicket.bands import by_rows
from thicket.cache import Cache
from thicket.formats.mesh_in import DEEPEST, mesh_heights, project
from thicket.ground.heights import Ground
from thicket.ground.made import FEWEST, MOST, check_size, flat_ground, rolling_ground
from thicket.ground.plan import WATER, draw_plan
from thicket.lazy import lazy
from thicket.planted.tiled import TiledRaster
from thicket.refused import Refused
from thicket.stock.unlikeness import SIZES, unlikeness_of
from thicket.stock.welding import welded


class Bands(unittest.TestCase):
    @given(st.integers(0, 700), st.integers(1, 5), st.integers(1, 90))
    @settings(max_examples=60, deadline=None)
    def test_they_cover_every_row_once(self, rows, threads, least):
        done = np.zeros(rows, int)
        lock = threading.Lock()
        bands = []

        def work(first, last):
            with lock:
                done[first:last] += 1
                bands.append(last - first)

        by_rows(rows, work, threads, least)
        self.assertTrue((done == 1).all())
        if len(bands) > 1:
            self.assertGreaterEqual(min(bands), least)

    def test_what_goes_wrong_in_one_is_told(self):
        def work(first, last):
            if first:
                raise Refused("the second band")

        with self.assertRaisesRegex(Refused, "second band"):
            by_rows(400, work, threads=2)


class WorkedOutOnce(unittest.TestCase):
    def test_for_each_object_and_not_again(self):
        class Square:
            made = 0

            def __init__(self, side):
                self.side = side

            @lazy
            def area(self):
                """Its area."""
                Square.made += 1
                return self.side**2

        a, b = Square(3), Square(4)
        self.assertEqual((a.area, a.area, b.area, Square.made), (9, 9, 16, 2))
        self.assertEqual(Square.area.__doc__, "Its area.")


def ramp(window):
    """Each cell's own number, of rows of a thousand cells."""
    c0, r0, c1, r1 = window
    return np.arange(r0, r1)[:, None] * 1000.0 + np.arange(c0, c1)


class Tiled(unittest.TestCase):
    def raster(self, shape=(600, 700), threads=1):
        made = []

        def tile(window):
            made.append(window)
            return ramp(window)

        return TiledRaster(shape, tile, threads, lambda: made.append("first"), lambda r: None), made

    @given(st.tuples(*[st.integers(-40, 740)] * 4))
    @settings(max_examples=40, deadline=None)
    def test_a_window_has_its_values_and_no_more_tiles_than_it_touches(self, corners):
        raster, made = self.raster()
        (c0, c1), (r0, r1) = sorted(corners[::2]), sorted(corners[1::2])
        c1, r1 = c1 + 1, r1 + 1
        got = raster.over((c0, r0, c1, r1))
        inside = np.s_[max(r0, 0) : max(r1, 0), max(c0, 0) : max(c1, 0)]
        np.testing.assert_array_equal(got[inside], ramp((0, 0, 700, 600)).astype(np.float32)[inside])
        for left, top, right, bottom in made:
            self.assertTrue(left < max(c1, 1) and right > c0 - 256 and top < max(r1, 1) and bottom > r0 - 256)

    def test_the_whole_is_the_same_on_any_number_of_threads_and_each_tile_is_made_once(self):
        for threads in (1, 3):
            raster, made = self.raster(threads=threads)
            raster.over((300, 300, 301, 301))
            np.testing.assert_array_equal(raster.array, ramp((0, 0, 700, 600)).astype(np.float32))
            self.assertEqual(made.count("first"), 1)
            self.assertEqual(len(made), len(set(made)))

    def test_a_cache_counts_the_tiles_that_are_made_and_no_others(self):
        cache = Cache()

        def grown(raster):
            cache.replace("raster", raster, raster)

        raster = cache.get("raster", lambda: TiledRaster((600, 700), ramp, 1, lambda: None, grown))
        sizes = [cache._size]
        for window in ((0, 0, 9, 9), (0, 0, 20, 20), (300, 300, 301, 301), (0, 0, 700, 600)):
            raster.over(window)
            sizes.append(cache._size)
        self.assertEqual(sizes[1], sizes[2])
        self.assertEqual([a < b for a, b in zip(sizes, sizes[1:])], [True, False, True, True])
        self.assertEqual(sizes[-1] - sizes[0], raster.array.nbytes)

    def test_the_digest_of_a_window_follows_its_values_alone(self):
        one, _ = self.raster()
        other = TiledRaster((600, 700), lambda w: ramp(w) + (w[0] > 300), 1, lambda: None, lambda r: None)
        self.assertEqual(one.digest((0, 0, 100, 600)), other.digest((0, 0, 100, 600)))
        self.assertNotEqual(one.digest((500, 0, 600, 9)), other.digest((500, 0, 600, 9)))
        self.assertNotEqual(one.whole_digest, other.whole_digest)

    def test_places_have_what_they_are_interpolated_from(self):
        raster, made = self.raster()
        x, z = np.array([254.9, 260.2]), np.array([30.0, 31.5])
        got = map_coordinates(raster.around(x, z, 1.0), [z - 0.5, x - 0.5], order=1)
        np.testing.assert_allclose(got, (z - 0.5) * 1000 + x - 0.5, rtol=1e-6)
        self.assertEqual(len(made), 1)


class Welded(unittest.TestCase):
    def test_corners_at_one_place_are_one_however_a_writer_split_them(self):
        ball = trimesh.creation.icosphere(2, 3.0)
        split = ball.vertices[ball.faces].reshape(-1, 3).astype(np.float32)
        places, number = welded(split)
        self.assertEqual(places, len(ball.vertices))
        for k in range(places):
            self.assertLess(np.ptp(split[number == k], axis=0).max(), 1e-5)
        moved, _ = welded(split + 5000)
        self.assertEqual(moved, places)


class MadeGround(unittest.TestCase):
    def test_flat_ground_is_flat_and_as_large_as_it_was_said_to_be(self):
        ground = flat_ground(120, 60.4, 2, altitude=31)
        self.assertEqual((ground.width, ground.length), (120, 60))
        self.assertEqual(set(np.unique(ground.heights)), {31.0})

    def test_hills_are_as_high_as_asked_the_same_each_time_and_others_by_another_seed(self):
        hills = [rolling_ground(300, 200, 2, 40, 90, seed).heights for seed in (5, 5, 6)]
        self.assertAlmostEqual(float(np.ptp(hills[0])), 40, places=3)
        np.testing.assert_array_equal(hills[0], hills[1])
        self.assertGreater(np.abs(hills[0] - hills[2]).max(), 5)
        gentle = rolling_ground(300, 200, 2, 40, 280, 5).heights
        slope = lambda h: np.abs(np.diff(h, axis=1)).mean()
        self.assertLess(slope(gentle), slope(hills[0]))

    def test_sizes_that_cannot_be_kept_say_what_to_take(self):
        for cell, what in (
            (0, "above 0"),
            (float("nan"), "above 0"),
            (0.1, "at least 0.25 m"),
            (200, "smaller"),
        ):
            with self.assertRaisesRegex(Refused, what):
                check_size(1000, 1000, cell)
        self.assertEqual(check_size(1024, 8 * 4, 4), (FEWEST, 257))
        self.assertLess(check_size(1000, 1000, 0.25)[0], MOST)


class SeenFromAbove(unittest.TestCase):
    def read(self, mesh, suffix=".glb", cell=None, largest=4097):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"ground{suffix}"
            if isinstance(mesh, (bytes, str)):
                path.write_bytes(mesh.encode() if isinstance(mesh, str) else mesh)
            else:
                path.write_bytes(
                    trimesh.Scene(mesh).export(file_type="glb")
                    if suffix == ".glb"
                    else mesh.export(file_type="obj").encode()
                )
            return mesh_heights(path, suffix, cell, largest)

    def test_the_highest_point_over_each_place_is_that_of_the_shapes_it_was_made_of(self):
        ball = trimesh.creation.icosphere(5, 2.5)
        ball.apply_translation([1, 1.5, 0.7])
        mesh = trimesh.util.concatenate([trimesh.creation.box((8, 3, 6)), ball])
        for suffix in (".glb", ".obj"):
            seen = self.read(mesh, suffix, cell=0.25)
            self.assertEqual((seen.heights.shape, seen.triangles), ((25, 33), len(mesh.faces)))
            z, x = np.mgrid[-3:3.01:0.25, -4:4.01:0.25]
            off = (x - 1) ** 2 + (z - 0.7) ** 2
            top = np.where(off < 2.5**2, 1.5 + np.sqrt(np.maximum(2.5**2 - off, 0)), 1.5)
            np.testing.assert_allclose(seen.heights, top, atol=0.03)

    def test_a_grid_comes_back_as_it_was(self):
        heights = np.random.default_rng(3).uniform(0, 9, (12, 17)).astype(np.float32)
        z, x = np.mgrid[0:12, 0:17] * 2.0
        corners = np.stack([x, heights, z], -1).reshape(-1, 3)
        a = (np.arange(11)[:, None] * 17 + np.arange(16)).ravel()
        faces = np.concatenate([np.stack([a, a + 17, a + 1], 1), np.stack([a + 1, a + 17, a + 18], 1)])
        np.testing.assert_allclose(project(corners + [7, 0, -3], faces, 2.0), heights, atol=1e-4)
        holed = project(corners, faces[5:], 2.0)
        self.assertEqual(np.argwhere(np.isnan(holed)).tolist(), [[0, 0]])

    def test_what_is_no_ground_says_why(self):
        wall = trimesh.Trimesh([[0, 0, 0], [5, 0, 0], [0, 9, 0]], [[0, 1, 2]])
        heap = trimesh.util.concatenate([trimesh.creation.box((40, 1, 40)) for _ in range(70)])
        sheet = trimesh.creation.box((40, 1, 40))
        nodes = [{"children": [k + 1]} for k in range(DEEPEST + 5)]
        nested = json.dumps({"asset": {"version": "2.0"}, "nodes": nodes})
        for what, suffix, cell, says in (
            (wall, ".glb", None, "no extent"),
            (heap, ".glb", None, "over each other"),
            (sheet, ".glb", 0.001, "choose larger cells"),
            (sheet, ".glb", -1, "above 0"),
            ("o empty\n", ".obj", None, "no triangles|damaged"),
            ("v 0 0 0" + " 1" * 70_000, ".obj", None, "64 KB"),
            (b"glTF, or not", ".glb", None, "damaged"),
            (nested, ".gltf", None, "deep"),
        ):
            with self.subTest(says), self.assertRaisesRegex(Refused, says):
                self.read(what, suffix, cell)


class Unlike(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.birch = unlikeness_of(MODELS["birch"]())

    def test_a_state_is_like_itself_and_two_differ_as_much_either_way(self):
        area = self.birch.area
        states = len(area)
        for a in range(states):
            self.assertEqual(area[a, a].max(), 0)
            for b in range(a):
                np.testing.assert_allclose(area[a, b], area[b, a])
        self.assertTrue((area[:, -1] > 0).all())

    def test_small_on_the_screen_states_are_more_alike(self):
        against_first = self.birch.area[0, 1:-1]
        self.assertTrue((against_first[:, 0] < against_first[:, -1]).all())

    def test_between_two_sizes_it_is_interpolated_and_beyond_them_it_stays(self):
        told = self.birch.between(0, 1, np.array([1, SIZES[0], SIZES[-1], 4000.0]))
        np.testing.assert_allclose(told, self.birch.area[0, 1][[0, 0, -1, -1]])
        middle = self.birch.between(0, 1, np.array([np.sqrt(32 * 64)]))
        np.testing.assert_allclose(middle, self.birch.area[0, 1][3:5].mean())

    def test_the_mean_colour_of_a_birch_is_green(self):
        red, green, blue = self.birch.colour
        self.assertGreater(green, max(red, blue))


class Plan(unittest.TestCase):
    def test_it_has_the_levels_proportions_its_water_and_its_plants(self):
        ground = Ground(np.tile(np.linspace(0, 20, 65, dtype=np.float32), (33, 1)), 2.0)
        layers = np.full((32, 64, 1), 255, np.uint8)
        colours = np.array([[120, 130, 90.0]])
        draw = lambda waters, marks: draw_plan(ground, layers, colours, waters, marks, 200)
        bare = draw([], [])
        self.assertEqual(bare.shape, (100, 200, 3))
        wet = draw([(5.0, (0, 0, 128, 32))], [])
        changed = (wet != bare).any(-1)
        self.assertTrue((wet[changed] == WATER.astype(np.uint8)).all())
        rows, columns = np.nonzero(changed)
        self.assertLess(rows.max(), 51)
        self.assertAlmostEqual(columns.max() / 200 * 20, 5, delta=0.6)
        marked = draw([], [("Canopy", np.array([[64.0, 32.0]]))])
        rows, columns = np.nonzero((marked != bare).any(-1))
        self.assertLess(np.hypot(rows - 50, columns - 100).max(), 2)


if __name__ == "__main__":
    unittest.main()
