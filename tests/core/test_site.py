"""Conditions: a tile gives what the whole gives; bands, joins and sizes; shapes' distances against Shapely;
noise; resampling."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from shapely.geometry import LineString, Point, Polygon

import thicket
from tests.core.levels import drawn_level, plain_stand
from thicket.document.edits import ChangeSettings, ChangeShapes, OrderStands, SetTouchCell
from thicket.document.shape_file import shape_file
from thicket.ground.noise import FORMS, Noise, noise_field
from thicket.ground.rasters import regrid_vertices, resample
from thicket.ground.shapes import Shape, box, circle, depth_field, distance_field, distances_at, in_clearing
from thicket.ground.wetness import topographic_wetness_index
from thicket.hashing import digest_of
from thicket.planted.asking import check_site
from thicket.planted.brushing import Brush
from thicket.planting.density import TOUCH_UNIT, density, density_at, density_field
from thicket.planting.hashing import cell_hash, seed_of
from thicket.planting.strokes import Stroke
from thicket.refused import Refused
from thicket.site.conditions import Condition, drive_factor, middle, result, suitability
from thicket.site.fields import suitable, values
from thicket.site.kinds import KINDS, far_away
from thicket.site.parameters import ENDLESS
from thicket.site.site import Site

ROWS, COLUMNS, CELL = 70, 83, 1.5
RNG = np.random.default_rng(11)
Z, X = np.mgrid[0 : ROWS + 1, 0 : COLUMNS + 1].astype(float)
HEIGHTS = (50 + 12 * np.sin(X / 9) + 9 * np.cos(Z / 7) + RNG.normal(0, 0.5, X.shape)).astype(np.float32)
HEIGHTS[30:36, 30:40] = 55
PLANTS = RNG.uniform(0, 100, (60, 2))
PAINTED = RNG.uniform(-1, 1, (ROWS, COLUMNS)).astype(np.float32)
SHAPES = {
    1: Shape("path", ((3.0, 4.0), (60.0, 40.0), (110.0, 90.0)), 3.0),
    2: Shape("area", ((20.0, 15.0), (70.0, 20.0), (50.0, 80.0), (25.0, 60.0)), clear=None),
    3: Shape("obstacle", circle(80.0, 30.0, 9.0)),
    4: Shape("obstacle", box(30.0, 90.0, 8.0, 15.0, 40.0)),
}


def plants(number, window):
    x0, z0, x1, z1 = window
    return PLANTS[(PLANTS[:, 0] >= x0) & (PLANTS[:, 0] <= x1) & (PLANTS[:, 1] >= z0) & (PLANTS[:, 1] <= z1)]


SITE = Site(
    HEIGHTS,
    CELL,
    {
        "turf": RNG.integers(0, 256, (ROWS, COLUMNS)).astype(np.uint8),
        "scree": RNG.integers(0, 256, (ROWS, COLUMNS)).astype(np.uint8),
    },
    {"round": RNG.integers(0, 256, (21, 40)).astype(np.uint8)},
    SHAPES,
    lambda: topographic_wetness_index(HEIGHTS, CELL),
    plants,
    painting=lambda number, w: np.ascontiguousarray(PAINTED[w[1] : w[3], w[0] : w[2]]),
    density=lambda number, w: np.abs(PAINTED[w[1] : w[3], w[0] : w[2]]),
)


BORDERS = [
    {},
    {"border": 8.0},
    {"border": 8.0, "rough": 3.0, "noise": Noise("gradient", 6.0)},
    {"rough": 3.0},
]


def condition(kind, draw):
    """A condition of a kind with drawn settings."""
    more = {
        "hollow": {"radius": draw(st.floats(1, 30))},
        "flat": {"radius": draw(st.floats(1, 9))},
        "layer": {"layers": draw(st.sampled_from([("turf",), ("turf", "scree")]))},
        "noise": {
            "noise": Noise(
                draw(st.sampled_from(FORMS)),
                draw(st.floats(2, 90)),
                draw(st.integers(1, 4)),
                seed=draw(st.integers(0, 99)),
            )
        },
        "area": draw(st.sampled_from([{"depth": True}, *BORDERS])),
        "path": draw(st.sampled_from(BORDERS)),
        "stand": {"stand": 7},
        "painting": {"stand": 7},
        "density": {"stand": 7},
        "mask": {"mask": "round"},
    }
    hi = draw(st.floats(0, 25))
    return Condition(kind, draw(st.floats(-20, hi)), hi, soft_hi=draw(st.floats(0, 6)), **more.get(kind, {}))


class Windows(unittest.TestCase):
    @settings(max_examples=120, deadline=None)
    @given(st.data(), st.sampled_from(list(KINDS)))
    def test_a_tile_gives_what_the_whole_gives_bit_for_bit(self, data, kind):
        c = condition(kind, data.draw)
        col0, row0 = data.draw(st.integers(0, COLUMNS - 1)), data.draw(st.integers(0, ROWS - 1))
        col1, row1 = data.draw(st.integers(col0 + 1, COLUMNS)), data.draw(st.integers(row0 + 1, ROWS))
        whole = values(SITE, c, SITE.whole)
        self.assertEqual((whole.shape, whole.dtype), ((ROWS, COLUMNS), np.float32))
        tile = values(SITE, c, (col0, row0, col1, row1))
        np.testing.assert_array_equal(tile, whole[row0:row1, col0:col1])
        np.testing.assert_array_equal(
            suitable(SITE, [c], (col0, row0, col1, row1)),
            suitable(SITE, [c], SITE.whole)[row0:row1, col0:col1],
        )

    def test_what_is_not_there_is_said(self):
        for c, word in (
            (Condition("layer", 0, 1, layers=("lava",)), "lava"),
            (Condition("mask", 0, 1, mask="blot"), "blot"),
        ):
            with self.assertRaisesRegex(ValueError, word):
                values(SITE, c, SITE.whole)
        bare = Site(HEIGHTS, CELL)
        for c in (Condition("wetness", 0, 9), Condition("stand", 0, 9, stand=1)):
            with self.assertRaises(ValueError):
                values(bare, c, bare.whole)
        far = Condition("obstacle", 0, 9)
        np.testing.assert_array_equal(values(bare, far, bare.whole), far_away(far.reach))

    def test_distance_to_plants_is_the_nearest(self):
        c = Condition("stand", 0, 12, stand=3)
        found = values(SITE, c, SITE.whole)
        z, x = (np.mgrid[0:ROWS, 0:COLUMNS] + 0.5) * CELL
        slow = np.min(np.hypot(x[..., None] - PLANTS[:, 0], z[..., None] - PLANTS[:, 1]), axis=-1)
        np.testing.assert_allclose(found, np.minimum(slow, far_away(c.reach)), atol=1e-4)


class Bands(unittest.TestCase):
    def test_facing_is_about_its_centre_and_flat_ground_fails(self):
        c = Condition("facing", 0, 40, soft_hi=20, centre=350)
        found = result(np.array([350, 10, 30, 31, 40, 50, 170, -1], np.float32), c)
        self.assertTrue((found[:3] == 1).all() and (found[5:] == 0).all())
        self.assertAlmostEqual(float(found[4]), 0.5, places=5)

    def test_hard_edges_hold_their_own_values_and_endless_bands_have_no_end(self):
        found = result(np.array([1.999, 2, 3, 3.001], np.float32), Condition("altitude", 2, 3))
        self.assertEqual(found.tolist(), [0, 1, 1, 0])
        far = Condition("path", 5, ENDLESS)
        self.assertEqual(
            result(np.array([4, 5, float(far_away(far.reach))], np.float32), far).tolist(), [0, 1, 1]
        )

    def test_a_masks_values_are_the_density_through_a_curve_at_16_bits(self):
        fine = np.linspace(0, 65535, 1201).astype(np.uint16)[None].repeat(3, 0)
        site = Site(np.zeros((4, 1202), np.float32), CELL, masks={"m": fine})
        curve = ((0.0, 1.0), (0.25, 0.5), (1.0, 0.0))
        c = Condition("mask", 0, 1, mask="m", curve=curve)
        found = suitable(site, [c], site.whole)[1]
        self.assertEqual(len(np.unique(found)), 1201, "no step of 8 bits is left")
        np.testing.assert_allclose(found, np.interp(fine[0] / 65535, *zip(*curve)), atol=2e-6)
        turned = Condition("mask", 0, 1, mask="m", curve=curve, join="except")
        np.testing.assert_allclose(suitable(site, [turned], site.whole)[1], 1 - found, atol=1e-6)
        half = Condition("mask", 0, 1, mask="m", curve=curve, density=False, size=0.5)
        sizes = drive_factor("size", [fine[:1] / 65535], [half], (1, 1201))[0]
        np.testing.assert_allclose(sizes, 0.5 + 0.5 * found, atol=2e-6)
        for wrong, words in (
            ({"curve": ((0.5, 1.0),)}, "two points"),
            ({"curve": ((0.5, 1.0), (0.5, 0.0))}, "to the right"),
            ({"curve": ((0.0, 0.0), (1.0, 1.5))}, "0 to 1"),
            ({"curve": curve, "kind": "slope"}, "only shares go"),
            ({"curve": curve, "kind": "path"}, "over a border"),
            ({"border": 3.0, "kind": "slope"}, "have borders"),
            ({"border": 3.0, "depth": True, "kind": "area"}, "choose one"),
        ):
            with self.assertRaisesRegex(Refused, words):
                Condition(**{"kind": "mask", "lo": 0, "hi": 1, "mask": "m"} | wrong)

    def test_a_border_falls_off_along_a_curve_and_is_roughened(self):
        outline = Polygon(SHAPES[2].points)
        z, x = (np.mgrid[0:ROWS, 0:COLUMNS] + 0.5) * CELL
        places = [Point(*at) for at in zip(x.ravel(), z.ravel())]
        inside = np.array([outline.contains(p) * outline.exterior.distance(p) for p in places])
        curve = ((0.0, 0.2), (0.5, 1.0), (1.0, 0.6))
        found = suitable(SITE, [Condition("area", 0, 1, border=10.0, curve=curve)], SITE.whole).ravel()
        np.testing.assert_allclose(found, np.interp(inside / 10, *zip(*curve)), atol=1e-5)
        line = LineString(SHAPES[1].points).buffer(1.5)
        away = np.array([line.distance(p) for p in places])
        band = Condition("path", 0.5, 1, border=6.0)
        np.testing.assert_array_equal(suitable(SITE, [band], SITE.whole).ravel() == 1, away >= 3 - 1e-9)
        rough = {"border": 10.0, "rough": 4.0, "noise": Noise("gradient", 9.0, seed=3)}
        moved = values(SITE, Condition("area", 0, 1, **rough), SITE.whole).ravel()
        self.assertTrue((moved[inside > 14] == 1).all())
        outside = np.array([outline.distance(p) for p in places])
        self.assertTrue((moved[outside > 4] == 0).all())
        near = (inside > 0) & (inside < 10)
        shift = np.abs(moved - np.clip(inside / 10, 0, 1))[near]
        self.assertLessEqual(float(shift.max()), 0.4 + 1e-5)
        self.assertGreater(float(shift.mean()), 0.05)

    def test_a_condition_may_drive_size_and_leave_density_alone(self):
        fields = [np.linspace(0, 10, 11, dtype=np.float32)[None]] * 2
        rules = [Condition("altitude", 0, 4, soft_hi=2, density=False, size=0.4), Condition("slope", 3, 20)]
        np.testing.assert_array_equal(suitability(fields, rules, (1, 11))[0], [0] * 3 + [1] * 8)
        np.testing.assert_allclose(
            drive_factor("size", fields, rules, (1, 11))[0], [1] * 5 + [0.7] + [0.4] * 5, atol=1e-6
        )
        turned = [Condition("altitude", 0, 4, join="except", density=False, size=0.5)]
        np.testing.assert_allclose(drive_factor("size", fields[:1], turned, (1, 11))[0], [0.5] * 5 + [1] * 6)
        np.testing.assert_array_equal(suitability(fields[:1], turned, (1, 11)), 1)

    def test_the_middle_of_a_layer(self):
        altitude = np.arange(1000, dtype=np.float32)
        self.assertEqual(middle(altitude, np.ones(1000)), (49, 949))
        self.assertEqual(middle(altitude, (altitude >= 500).astype(float), 0.8), (549, 949))
        with self.assertRaisesRegex(ValueError, "no ground"):
            middle(altitude, np.zeros(1000))

    def test_conditions_that_make_no_sense(self):
        for bad in (
            {"kind": "moonlight"},
            {"kind": "layer"},
            {"kind": "stand"},
            {"kind": "mask"},
            {"kind": "slope", "depth": True},
            {"kind": "slope", "size": 0},
            {"kind": "slope", "density": False},
            {"kind": "flat", "radius": 0},
            {"kind": "slope", "join": "xor"},
        ):
            with self.assertRaises(ValueError):
                Condition(**{"lo": 0, "hi": 1} | bad)


class Shapes(unittest.TestCase):
    def test_distances_against_shapely(self):
        z, x = (np.mgrid[0:ROWS, 0:COLUMNS] + 0.5) * CELL
        for shape in SHAPES.values():
            field = distance_field([shape], CELL, (0, 0, COLUMNS, ROWS))
            form = LineString(shape.points) if shape.kind == "path" else Polygon(shape.points)
            for j, i in RNG.integers(0, (ROWS, COLUMNS), (150, 2)):
                at = Point(x[j, i], z[j, i])
                want = at.distance(form) - shape.half
                if shape.kind != "path" and form.contains(at):
                    want = -at.distance(form.exterior)
                self.assertAlmostEqual(float(field[j, i]), want, places=3)
            np.testing.assert_allclose(
                distances_at([shape], x.ravel(), z.ravel())[0].reshape(x.shape), field, atol=1e-3
            )

    def test_depth_runs_from_the_edge_to_the_deepest_whatever_the_size(self):
        for size in (10.0, 60.0):
            square = Shape("area", ((20, 20), (20 + size, 20), (20 + size, 20 + size), (20, 20 + size)))
            depth = depth_field([square], 0.5, (0, 0, 200, 200))
            self.assertGreater(depth.max(), 0.93)
            self.assertEqual(depth[10, 10], 0)
            middle_row = depth[int((20 + size / 2) / 0.5)]
            self.assertAlmostEqual(float(middle_row[int((20 + size / 4) / 0.5)]), 0.5, delta=0.06)

    def test_kept_clear_takes_the_footprint_along(self):
        road = Shape("path", ((0, 50), (100, 50)), width=4, clear=1)
        x, z = np.full(5, 50.0), np.array([50, 52.9, 53.2, 53.6, 54.0])
        self.assertEqual(in_clearing([road], 0.5, x, z).tolist(), [True, True, True, False, False])
        open_ = Shape("area", ((0, 0), (99, 0), (99, 99)), clear=None)
        self.assertFalse(in_clearing([open_], 5, x, z).any())

    def test_boxes_and_circles(self):
        corners = np.array(box(10, 20, 4, 8, 90))
        self.assertEqual(corners[:, 0].min(), 6)
        self.assertEqual((corners[:, 1].min(), corners[:, 1].max()), (18, 22))
        self.assertAlmostEqual(Polygon(circle(0, 0, 10)).area, np.pi * 100, delta=1.2)

    def test_shapes_that_cannot_be(self):
        for kind, points, more, word in (
            ("area", ((0, 0), (10, 10), (10, 0), (0, 10)), {}, "crosses"),
            ("area", ((0, 0), (1, 1)), {}, "3 different"),
            ("path", ((3, 3), (3, 3)), {"width": 2}, "2 different"),
            ("path", ((0, 0), (9, 9)), {}, "width"),
            ("obstacle", ((0, 0), (float("inf"), 1), (3, 3)), {}, "not a number"),
            ("area", ((0, 0), (9, 0), (9, 9)), {"clear": -1}, "clear margin"),
        ):
            with self.assertRaisesRegex(ValueError, word):
                Shape(kind, points, **more)
        for bad in (lambda: circle(0, 0, 0), lambda: box(0, 0, 1, 0, 0)):
            with self.assertRaises(ValueError):
                bad()


class PaintedStands(unittest.TestCase):
    def test_the_painting_of_a_stand_is_read_at_any_touch_cell_and_window(self):
        level = drawn_level(5)
        number = next(n for n, touch in level.touch.items() if touch.painted_anywhere)
        c = Condition("painting", -1, 1, stand=number)
        for cell in (1.0, 0.5, 3.0):
            planted = thicket.plant(SetTouchCell(cell=cell).apply(level))
            whole = planted.rasters.whole_values(c)
            touch = planted.level.touch_of(number).array / TOUCH_UNIT
            if cell == 1.0:
                np.testing.assert_allclose(whole, touch, atol=1e-6)
            window = (37, 50, 141, 130)
            part = planted.rasters.values(c, window)
            np.testing.assert_allclose(part, whole[50:130, 37:141], atol=1e-5)
            for j, i in ((50, 60), (77, 120), (255, 255)):
                near = touch[
                    max(int((j + 0.5) / cell - 0.5), 0) : int((j + 0.5) / cell + 0.5) + 1,
                    max(int((i + 0.5) / cell - 0.5), 0) : int((i + 0.5) / cell + 0.5) + 1,
                ]
                self.assertTrue(near.min() - 1e-6 <= whole[j, i] <= near.max() + 1e-6, (cell, j, i))

    def test_who_follows_the_painting_or_density_of_a_sward_follows_its_strokes(self):
        level = drawn_level(5).with_stand(plain_stand(40, "Moss", 5.0))
        sward = next(s for s in level.in_order if s.sward)
        level = OrderStands(put={40: ("Moss", 99)}).apply(level)
        slope = {"conditions": [{"kind": "slope", "lo": 0, "hi": 14, "soft_hi": 4}]}
        level = ChangeSettings(put={sward.number: slope | {"fullness": 0.8}}).apply(level)
        for kind, lo in (("painting", 0.2), ("density", 0.7)):
            where = {"kind": kind, "stand": sward.number, "lo": lo, "hi": 1}
            planted = thicket.plant(ChangeSettings(put={40: {"conditions": [where]}}).apply(level))
            before = planted.planting(40).count()
            stroke = Stroke("thicken", [(60, 200), (160, 200)], 30, 0.3, 1.0)
            after = planted.after(Brush(stroke).painting(planted, [sward.number])).after
            self.assertGreater(after.planting(40).count(), before + 25)
            steeper = ChangeSettings(put={sward.number: {"fullness": 0.9, "conditions": []}})
            for step in (after, after.after(steeper).after):
                again = thicket.plant(step.level)
                for sheet in again.planting(40).sheets_in(again.planting(40).everywhere):
                    one, two = (p.planting(40).plants(sheet) for p in (step, again))
                    np.testing.assert_array_equal(one.form, two.form)
                    self.assertEqual(step.planting(40).key(sheet), again.planting(40).key(sheet))
                if kind == "density":
                    grass = again.planting(sward.number)
                    dense = density(grass.suitability.array, grass.touch) * grass.core.fullness
                    found = again.rasters.whole_values(Condition("density", 0, 1, stand=sward.number))
                    np.testing.assert_allclose(found, dense, atol=1e-5)


class NoiseFields(unittest.TestCase):
    def test_forms_spread_over_0_to_1_and_follow_their_seed(self):
        for form in FORMS:
            noise = Noise(form, 30, 3)
            field = noise_field(noise, 1.0, (0, 0, 300, 300))
            usual = (0.0, 0.4) if form == "light" else (0.35, 0.65)
            self.assertTrue(field.min() >= 0 and field.max() <= 1, form)
            self.assertTrue(usual[0] < np.median(field) < usual[1], (form, np.median(field)))
            self.assertLess(field.min(), 0.15)
            self.assertGreater(field.max(), 0.85)
            np.testing.assert_array_equal(field, noise_field(noise, 1.0, (0, 0, 300, 300)))
            other = noise_field(Noise(form, 30, 3, seed=2), 1.0, (0, 0, 300, 300))
            self.assertLess(abs(np.corrcoef(field.ravel(), other.ravel())[0, 1]), 0.15)
            flat = noise_field(Noise(form, 30, 3, contrast=0, shift=0.2), 1.0, (0, 0, 9, 9))
            np.testing.assert_allclose(flat, 0.7, atol=1e-6)

    def test_cells_and_their_borders_are_those_of_the_nearest_points(self):
        """Against a k-d tree over the points, one by one."""
        wave, side = 20.0, 160
        where = np.stack(np.meshgrid(np.arange(side), np.arange(side)), -1).reshape(-1, 2) + 0.5
        cells, borders = (
            noise_field(Noise(form, wave, 1), 1.0, (0, 0, side, side)).ravel()
            for form in ("cells", "borders")
        )
        seed, lattice = seed_of("noise", 1), range(-4, 13)
        hashes = {(i, j): cell_hash(seed, i, j) for i in lattice for j in lattice}
        points = np.array([(i + (h & 0xFFFF) / 65536, j + (h >> 16) / 65536) for (i, j), h in hashes.items()])
        tree = cKDTree(points * wave)
        near = tree.query(where)[1]
        shown = {k: set(np.round(cells[near == k], 6).tolist()) for k in np.unique(near)}
        self.assertTrue(all(len(values) == 1 for values in shown.values()))
        self.assertGreater(len({v for values in shown.values() for v in values}), 0.9 * len(shown))
        for k in range(0, len(where), 487):
            own, rest = points[near[k]] * wave, np.delete(points, near[k], 0) * wave
            away = rest - own
            far = (((rest + own) / 2 - where[k]) * away).sum(1) / np.linalg.norm(away, axis=1)
            border = min(far.min() / wave, 0.3125)
            self.assertAlmostEqual(float(borders[k]), 1 - 3.2 * border, delta=1e-4)

    def test_it_is_moved_in_metres(self):
        for form in FORMS:
            here = noise_field(Noise(form, 30, 2), 1.0, (10, 20, 60, 70))
            moved = noise_field(Noise(form, 30, 2, moved=(7.0, -12.0)), 1.0, (17, 8, 67, 58))
            np.testing.assert_allclose(here, moved, atol=1e-5)

    def test_wavelength_is_in_metres(self):
        fine = noise_field(Noise("gradient", 40, 1), 0.5, (0, 0, 400, 400))
        coarse = noise_field(Noise("gradient", 40, 1), 2.0, (0, 0, 100, 100))
        np.testing.assert_allclose(fine.reshape(100, 4, 100, 4).mean((1, 3)), coarse, atol=0.02)


class Tuned(unittest.TestCase):
    def test_a_stand_keeps_out_of_what_joins_a_group_of_any_kind(self):
        level = drawn_level(3, singles=2).with_stand(plain_stand(20, "Moss", 2.0))
        wall = Shape("obstacle", circle(60.0, 200.0, 12.0), clear=3.0, name="Wall", group="works")
        road = Shape("path", ((100.0, 20.0), (240.0, 120.0)), width=4, clear=1.0, name="Road")
        level = replace(level, shapes=level.shapes | {11: wall, 12: road})
        groups = {20: {"clear_of": [], "clear_of_groups": ["works"], "conditions": []}}
        planted = thicket.plant(ChangeSettings(put=groups).apply(level))
        for sward in (False, True):
            if sward:
                planted = thicket.plant(
                    replace(
                        planted.level,
                        stands={**planted.level.stands, 20: replace(planted.level.stands[20], sward=True)},
                    )
                )

            def nearest(level, shape):
                planting = level.planting(20)
                form = planting.plants_in(planting.everywhere).form.astype(float)
                return float(distances_at([shape], form[:, 0].copy(), form[:, 2].copy())[0].min())

            edge = 2.0 if sward else 0.0  # a sward's cells at the edge are half kept clear
            self.assertGreaterEqual(nearest(planted, wall), 3 - 1e-3 - edge)
            self.assertLess(nearest(planted, road), 0)
            joined = shape_file(planted.level, 12).model_copy(update={"group": "works"})
            step = planted.after(ChangeShapes(put={12: joined}))
            self.assertGreaterEqual(nearest(step.after, road), 1 - 1e-3 - edge)
            self.assertEqual(
                step.after.planting(20).count(), thicket.plant(step.after.level).planting(20).count()
            )

    def test_what_joins_a_group_counts_at_once(self):
        level = drawn_level(3, singles=2).with_stand(plain_stand(20, "Moss", 2.0))
        wall = Shape("obstacle", circle(60.0, 200.0, 12.0), clear=None, name="Wall", group="walls")
        other = replace(wall, points=circle(200.0, 60.0, 12.0), name="Other", group="")
        level = replace(level, shapes=level.shapes | {11: wall, 12: other})
        off = {
            "kind": "obstacle",
            "groups": ["walls"],
            "lo": 0,
            "hi": 1e5,
            "border": 20,
            "curve": [(0, 0), (1, 1)],
        }
        planted = thicket.plant(ChangeSettings(put={20: {"conditions": [off]}}).apply(level))

        def nearest(planted, shape):
            planting = planted.planting(20)
            form = np.concatenate([planting.plants(s).form for s in planting.sheets_in(planting.everywhere)])
            return float(distances_at([shape], form[:, 0].astype(float), form[:, 2].astype(float))[0].min())

        self.assertGreater(nearest(planted, wall), 0)
        self.assertLess(nearest(planted, other), -4)
        joined = shape_file(planted.level, 12).model_copy(update={"group": "walls"})
        step = planted.after(ChangeShapes(put={12: joined}))
        self.assertGreater(nearest(step.after, other), 0)
        self.assertGreater(step.counted(20)[1], 5)
        back = ChangeShapes(put={12: joined}).inverse(planted.level)
        self.assertEqual(step.after.after(back).after.level.shapes[12], other)
        hedges = {20: {"conditions": [off | {"groups": ["hedges"]}]}}
        wrong = thicket.plant(ChangeSettings(put=hedges).apply(level))
        with self.assertRaisesRegex(Refused, "no group 'hedges'"):
            check_site(wrong, wrong.stands[20])

    def test_whatever_is_changed_of_a_condition_counts(self):
        level = drawn_level(3, singles=2).with_stand(plain_stand(20, "Moss", 2.0))
        area = {"kind": "area", "lo": 0.2, "hi": 1, "border": 12}
        ways = [
            area,
            area | {"border": 30},
            area | {"curve": [(0, 1), (1, 0)]},
            area | {"curve": [(0, 1), (0.5, 1), (1, 0)]},
            area | {"rough": 8},
            area | {"rough": 8, "noise": {"wavelength": 9}},
            area | {"rough": 8, "noise": {"wavelength": 9, "seed": 5}},
        ]
        planted, seen = thicket.plant(level), set()
        for way in ways:
            edit = ChangeSettings(put={20: {"conditions": [way]}})
            planted = planted.after(edit).after
            ids = digest_of(np.concatenate([planted.planting(20).plants(s).id for s in ((0, 0),)]))
            anew = thicket.plant(edit.apply(level)).planting(20).plants((0, 0))
            self.assertEqual(ids, digest_of(anew.id))
            seen.add(ids)
        self.assertEqual(len(seen), len(ways))


class Resampling(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(2, 40), st.integers(2, 40), st.integers(2, 40), st.integers(2, 40), st.integers(0, 5))
    def test_constants_stay_and_nothing_is_invented(self, rows, columns, high, wide, seed):
        self.assertTrue((resample(np.full((rows, columns), 7, np.int16), (high, wide)) == 7).all())
        raster = np.random.default_rng(seed).uniform(-1, 1, (rows, columns)).astype(np.float32)
        out = resample(raster, (high, wide))
        self.assertEqual(out.shape, (high, wide))
        self.assertGreaterEqual(out.min(), raster.min() - 1e-6)
        self.assertLessEqual(out.max(), raster.max() + 1e-6)
        if high <= rows and wide <= columns:
            self.assertAlmostEqual(float(out.mean()), float(raster.mean()), places=4)

    def test_planes_survive_both_ways(self):
        z, x = np.mgrid[0:33, 0:41].astype(np.float32)
        fine = regrid_vertices(3 * x + 2 * z, (65, 81))
        np.testing.assert_allclose(fine, 1.5 * np.mgrid[0:65, 0:81][1] + np.mgrid[0:65, 0:81][0], atol=1e-3)
        np.testing.assert_allclose(regrid_vertices(fine, (33, 41)), 3 * x + 2 * z, atol=1e-3)

    def test_density_from_rasters_of_two_sizes(self):
        suit = RNG.uniform(0, 1, (20, 24)).astype(np.float32)
        touch = RNG.integers(-TOUCH_UNIT, TOUCH_UNIT, (20, 24)).astype(np.int16)
        z, x = (np.mgrid[0:20, 0:24] + 0.5) * 2.0
        at = density_at(suit, 2.0, touch, 2.0, x.ravel(), z.ravel())
        np.testing.assert_allclose(at.reshape(20, 24), density(suit, touch), atol=2e-3)
        field, cell = density_field(suit, 2.0, resample(touch, (80, 96)), 0.5)
        self.assertEqual((field.shape, cell), ((80, 96), 0.5))
        window = density_at(
            suit, 2.0, touch[4:12, 6:16], 2.0, x[5:11, 7:15].ravel(), z[5:11, 7:15].ravel(), (6, 4)
        )
        np.testing.assert_array_equal(window, at.reshape(20, 24)[5:11, 7:15].ravel(), "to the last bit")
