"""Places laid out along paths and in rows, and companions on the anchors of other plants."""

import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation
from shapely.geometry import Polygon

from tests.core.test_placement import rough_ground
from thicket.ground.shapes import Shape
from thicket.planting.companions import NO_ANCHORS, Anchors, closed_curve, seats_on
from thicket.planting.layouts import (
    Along,
    Inside,
    Round,
    Rows,
    along,
    expected,
    inside,
    radical_inverse,
    round_,
    rows,
)
from thicket.planting.pins import bearing_of, lean_of, leaning, turned_by
from thicket.planting.points import chosen
from thicket.planting.stands import Plants, Stand, grow

BENT = Shape("path", ((10, 10), (50, 10), (50, 70), (90, 100)), 2.0)
FIELD = Shape("area", ((20, 20), (120, 30), (100, 110), (30, 90)))


class Layouts(unittest.TestCase):
    def test_a_fence_has_even_steps_and_a_post_at_every_end_and_corner(self):
        seats = along(4, BENT, Along(every=3.3), 9)
        at = np.c_[seats.x, seats.z]
        for corner in BENT.points:
            self.assertLess(np.hypot(*(at - corner).T).min(), 1e-9)
        steps = np.hypot(*np.diff(at, axis=0).T)
        self.assertTrue((np.abs(steps - 3.3) < 0.15).all(), steps)
        self.assertEqual([round(float(b)) for b in seats.turn[[1, -1]]], [90, 127])
        for share in (0.25, 0.5):
            some = np.sort(np.flatnonzero(seats.threshold < share))
            self.assertLessEqual(np.diff(some).max() - np.diff(some).min(), 0, share)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(2, 90), st.sampled_from(["left", "right"]), st.floats(0.5, 6))
    def test_a_number_lies_at_its_offset_on_its_side(self, count, side, offset):
        straight = Shape("path", ((0, 50), (80, 50)), 2.0)
        seats = along(1, straight, Along(count=count, side=side, offset=offset, face="across"), 2)
        self.assertEqual(len(seats.x), count)
        np.testing.assert_allclose(seats.z, 50 + (offset if side == "right" else -offset), atol=1e-9)
        np.testing.assert_allclose(seats.x, np.linspace(0, 80, count), atol=1e-9)
        self.assertTrue((seats.turn == 180).all())

    def test_both_sides_staggered_stand_between_each_other(self):
        straight = Shape("path", ((0, 50), (80, 50)), 2.0)
        seats = along(1, straight, Along(every=4, side="both", offset=3, stagger=True), 2)
        left, right = (np.sort(seats.x[np.sign(seats.z - 50) == s]) for s in (-1, 1))
        np.testing.assert_allclose(right, (left[1:] + left[:-1]) / 2, atol=1e-9)
        self.assertEqual(len(set(map(tuple, seats.cell.tolist()))), len(seats.x))

    @settings(max_examples=25, deadline=None)
    @given(st.floats(0, 360), st.floats(1.5, 9), st.floats(1, 7), st.booleans())
    def test_rows_lie_apart_and_inside(self, bearing, apart, every, stagger):
        seats = rows(7, FIELD, Rows(bearing, apart, every, "along", stagger), 3)
        b = np.radians(bearing)
        along_, across = (
            seats.x * np.sin(b) - seats.z * np.cos(b),
            seats.x * np.cos(b) + seats.z * np.sin(b),
        )
        which = np.round((across - across.min()) / apart)
        np.testing.assert_allclose(across - across.min(), which * apart, atol=1e-6)
        for row in np.unique(which):
            steps = np.diff(np.sort(along_[which == row]))
            np.testing.assert_allclose(steps, every, atol=1e-6)
        self.assertAlmostEqual(len(seats.x) / expected(FIELD, Rows(bearing, apart, every)), 1, delta=0.25)
        half = seats.threshold < 0.5
        self.assertAlmostEqual(half.mean(), 0.5, delta=0.08)

    @settings(max_examples=25, deadline=None)
    @given(st.integers(1, 400), st.integers(0, 9))
    def test_so_many_lie_inside_or_round_an_area_evenly_and_so_do_the_first(self, count, seed):
        crescent = Shape("area", ((0, 0), (80, 0), (80, 90), (60, 20), (20, 20), (5, 90)))
        for area in (FIELD, crescent):
            outline = Polygon(area.points)
            within = inside(7, area, Inside(count), seed)
            at = np.c_[within.x, within.z]
            self.assertEqual(len(at), count)
            self.assertTrue(shapely.contains_xy(outline, at[:, 0], at[:, 1]).all())
            for share in (1.0, 0.5):
                some = at[within.threshold < share]
                self.assertEqual(len(some), int(share * count))
                if len(some) > 1:
                    apart = np.sqrt(outline.area / len(some))
                    self.assertGreater(cKDTree(some).query(some, k=2)[0][:, 1].min(), 0.35 * apart)
            on = round_(7, area, Round(count=count, face="along"), seed)
            self.assertEqual(len(on.x), count)
            edge, places = outline.exterior, shapely.points(np.c_[on.x, on.z])
            self.assertLess(float(shapely.distance(edge, places).max()), 1e-6)
            if count > 1:
                steps = np.diff([*sorted(shapely.line_locate_point(edge, places)), edge.length])
                np.testing.assert_allclose(steps, edge.length / count, atol=1e-6)

    def test_nothing_moves_when_the_fullness_does_and_bad_steps_are_refused(self):
        ground, stand = rough_ground(), Stand(3, 5, 1.0, 1.0, manner="path")
        seats = along(4, BENT, Along(every=3, jitter=0.4), 5)
        whole, half = (grow(stand, seats, seats.threshold < share, ground) for share in (1, 0.5))
        forms = dict(zip(whole.id.tolist(), whole.form.tolist()))
        self.assertEqual(len(forms), len(seats.x))
        self.assertTrue(all(forms[i] == f for i, f in zip(half.id.tolist(), half.form.tolist())))
        fixed = grow(
            Stand(3, 5, 1, 1, variation=type(stand.variation)(turn=(0, 0), lean=0, follow=0)),
            seats,
            np.arange(9),
            ground,
        )
        np.testing.assert_allclose([bearing_of(q) for q in fixed.form[:, 3:7]], seats.turn[:9], atol=0.01)
        for wrong in (lambda: along(1, BENT, Along(every=0), 1), lambda: rows(1, FIELD, Rows(0, 0, 1), 1)):
            with self.assertRaises(ValueError):
                wrong()

    def test_radical_inverse_mirrors_the_bits(self):
        n = np.arange(4096)
        slow = [int(f"{k:032b}"[::-1], 2) / 2**32 for k in n]
        np.testing.assert_array_equal(radical_inverse(n), slow)


class Companions(unittest.TestCase):
    ledge = Anchors(
        np.array([[0.8, 0.5, 0.0], [0.0, 0.6, 0.7], [-0.6, 0.4, 0.0]]),
        np.array([[0.3, 1, 0], [0.0, 1, 0], [-0.5, 1, 0.1]]) / np.array([[1.044], [1], [1.122]]),
    )

    def hosts(self, n=40):
        rng = np.random.default_rng(3)
        form = np.empty((n, 10), np.float32)
        form[:, :3], form[:, 7:9] = rng.uniform(0, 100, (n, 3)), rng.uniform(0.5, 2, (n, 2))
        form[:, 3:7], form[:, 9] = Rotation.random(n, random_state=4).as_quat(), 0.5
        return Plants(rng.integers(0, 2**62, n).astype(np.uint64), form, (np.arange(n) % 2).astype(np.uint8))

    def test_they_sit_where_the_mesh_is_moved_turned_and_scaled(self):
        hosts = self.hosts()
        seats = seats_on(hosts, [self.ledge, NO_ANCHORS], 0, 11)
        self.assertEqual(len(seats.x), 3 * 20)
        want, up = [], []
        for at, way in zip(self.ledge.at, self.ledge.up):
            for f in hosts.form[hosts.item == 0].astype(float):
                scale, turn = f[[7, 8, 7]], Rotation.from_quat(f[3:7])
                want.append(f[:3] + turn.apply(at * scale))
                up.append(turn.apply(way / scale) / np.linalg.norm(way / scale))
        np.testing.assert_allclose(np.c_[seats.x, seats.y, seats.z], want, atol=1e-4)
        np.testing.assert_allclose(seats.up, up, atol=1e-5)
        plants = grow(Stand(9, 11, 1.0, 1.0), seats, np.arange(60), rough_ground())
        self.assertEqual(len(np.unique(plants.id)), 60)
        np.testing.assert_allclose(plants.form[:, 1], seats.y, atol=1e-5)

    @settings(max_examples=20, deadline=None)
    @given(st.sets(st.integers(0, 39), min_size=1, max_size=30), st.integers(0, 9))
    def test_each_host_keeps_its_companions_whatever_becomes_of_others(self, left, around):
        hosts, stand, ground = self.hosts(), Stand(9, 11, 1.0, 0.6), rough_ground()
        everyone, some = (
            seats_on(h, [self.ledge, self.ledge], around, 11) for h in (hosts, hosts.take(sorted(left)))
        )
        grown = [grow(stand, s, s.threshold < 0.6, ground) for s in (everyone, some)]
        forms = [dict(zip(p.id.tolist(), p.form.tolist())) for p in grown]
        self.assertTrue(forms[1].items() <= forms[0].items())
        self.assertAlmostEqual((everyone.threshold < 0.6).mean(), 0.6, delta=0.15)

    def test_a_number_is_spread_evenly_round_the_closed_curve(self):
        way = np.arange(9) * 2 * np.pi / 9
        ring = Anchors(np.c_[np.cos(way), 0 * way, np.sin(way)], np.tile([0.0, 1, 0], (9, 1)))
        round_ = closed_curve(ring, 12)
        np.testing.assert_allclose(np.linalg.norm(round_.at, axis=1), 1, atol=0.02)
        gaps = np.linalg.norm(np.diff(np.r_[round_.at, round_.at[:1]], axis=0), axis=1)
        np.testing.assert_allclose(gaps, gaps.mean(), rtol=0.02)
        self.assertEqual(len(seats_on(self.hosts(), [NO_ANCHORS, NO_ANCHORS], 3, 1).x), 0)
        self.assertEqual(len(chosen(seats_on(self.hosts(), [ring, ring], 4, 1), slice(0, 7)).x), 7)


class Turning(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 999), st.floats(-180, 360))
    def test_turning_by_degrees_turns_the_bearing(self, seed, degrees):
        upright = Rotation.from_euler("y", seed, degrees=True).as_quat()
        turned = turned_by(upright, degrees)
        self.assertAlmostEqual(
            ((bearing_of(turned) - bearing_of(upright) - degrees + 180) % 360), 180, places=6
        )
        tilted = Rotation.random(random_state=seed)
        np.testing.assert_allclose(
            turned_by(tilted.as_quat(), degrees),
            (Rotation.from_euler("y", -degrees, degrees=True) * tilted).as_quat(),
            atol=1e-9,
        )


class Leaning(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.floats(0, 60), st.floats(0, 360), st.floats(0, 360), st.floats(0, 85))
    def test_a_plant_leans_as_far_as_told_toward_where_it_leaned(self, lean, toward, turn, want):
        axis = np.array([np.cos(np.radians(toward)), 0, np.sin(np.radians(toward))])
        q = (
            Rotation.from_rotvec(axis * np.radians(lean)) * Rotation.from_rotvec([0, -np.radians(turn), 0])
        ).as_quat()
        self.assertAlmostEqual(lean_of(q), lean, places=4)
        now = leaning(q, want)
        self.assertAlmostEqual(lean_of(now), want, places=4)
        if lean > 1 and want > 1:
            up, then = (Rotation.from_quat(v).apply([0, 1, 0])[[0, 2]] for v in (q, now))
            self.assertGreater(np.dot(up, then) / np.linalg.norm(up) / np.linalg.norm(then), 0.9999)
