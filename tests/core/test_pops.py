"""Walks and pops: the crossings against stepping frame by frame, the definition's parts, the least remedy
against trying all."""

import unittest
from dataclasses import replace
from itertools import product

import numpy as np

from tests.core.levels import drawn_level, plain_stand, tuned
from thicket.cache import Cache
from thicket.formats.stock import from_glb, to_glb
from thicket.ground.heights import Ground
from thicket.planted.costs import items_in
from thicket.planted.level import PlantedLevel
from thicket.planted.pops import Pops, Walker, other_billboards, unlikenesses
from thicket.planted.remedies import Change, Check, Remedy, check, least_of
from thicket.planting.stands import Plants
from thicket.refused import Refused
from thicket.sight.distances import Distances
from thicket.sight.drawing import Drawing
from thicket.sight.fog import Fog
from thicket.sight.pops import crossings, gentleness, unhidden
from thicket.sight.walks import route_of
from thicket.stock.billboards import kind_of
from thicket.stock.findings import mended

BEND = ((20.0, 30.0), (120.0, 60.0), (150.0, 180.0), (230.0, 200.0))


def some_plants(rng, n: int, ground: Ground) -> Plants:
    form = np.zeros((n, 10), np.float32)
    form[:, 0], form[:, 2] = rng.uniform(0, 256, (2, n))
    form[:, 1] = ground.height_at(form[:, 0].astype(float), form[:, 2].astype(float))
    form[:, 6], form[:, 7], form[:, 8] = 1, 1, rng.uniform(0.5, 1.5, n)
    return Plants(np.arange(n, dtype=np.uint64), form, rng.integers(0, 2, n).astype(np.uint8))


class Routes(unittest.TestCase):
    def setUp(self):
        self.ground = drawn_level(3).heights.ground

    def test_the_eye_keeps_speed_and_height_and_looks_ahead(self):
        route = route_of(self.ground, BEND, 2.5, 1.7)
        long = sum(np.hypot(b[0] - a[0], b[1] - a[1]) for a, b in zip(BEND, BEND[1:]))
        self.assertAlmostEqual(route.seconds, long / 2.5)
        above = route.eye[:, 1] - self.ground.height_at(route.eye[:, 0], route.eye[:, 2])
        np.testing.assert_allclose(above, 1.7, atol=1e-4)
        self.assertAlmostEqual(route.at(1.0).heading, np.degrees(np.arctan2(100, -30)), places=6)
        self.assertEqual(route.left_out(), [])

    def test_cliffs_and_what_lies_off_the_level_are_left_out_and_told(self):
        steps = np.zeros((65, 65), np.float32)
        steps[:, 30:] = 40
        route = route_of(Ground(steps, 1.0), ((10, 10), (50, 10), (80, 10)), 1.0, 1.7)
        (cliff, beyond) = route.left_out()
        self.assertTrue(18 <= cliff[0] <= 20 <= cliff[1] <= 21 and beyond == (54, 70))
        for points, speed, words in (
            (((5, 5), (5, 5)), 1, "two different places"),
            (((5, 5),), 1, "two different places"),
            (((5, 5), (9, 9)), 0, "above 0"),
            (((5, 5), (9, 9)), float("nan"), "above 0"),
            (((-50, 5), (-9, 9)), 1, "no stretch"),
        ):
            with self.assertRaisesRegex(Refused, words):
                route_of(Ground(steps, 1.0), points, speed, 1.7)


class Found(unittest.TestCase):
    def test_crossings_are_those_of_stepping_the_walk_frame_by_frame(self):
        rng = np.random.default_rng(11)
        ground = drawn_level(3).heights.ground
        plants, route = some_plants(rng, 400, ground), route_of(ground, BEND, 3.0, 1.7)
        radii = np.array([[15.0, 40.0, 90.0], [25.0, 0.0, 70.0]])
        for by_size in (False, True):
            found = crossings(plants, radii, by_size, route)
            self.assertTrue((np.diff(found.time) >= 0).all())
            scale = plants.form[:, 8:9] if by_size else 1.0
            limits = radii[plants.item] * scale
            times = np.arange(0, route.seconds, 1 / 60)
            eye = np.column_stack([np.interp(times, route.time, route.eye[:, k]) for k in range(3)])
            near, expected = None, []
            for time, at in zip(times, eye):
                far = np.linalg.norm(plants.form[:, :3] - at, axis=1)[:, None]
                now = far < limits
                if near is not None:
                    for k, e in np.argwhere(now != near):
                        expected.append((k, e, not now[k, e], time))
                near = now
            last = times[-1]
            ours = [c for c in zip(found.plant, found.edge, found.away, found.time) if c[3] <= last]
            self.assertGreater(len(expected), 300)
            self.assertEqual(sorted(c[:3] for c in ours), sorted(c[:3] for c in expected))
            stepped = sorted(expected)
            for a, b in zip(sorted(ours), stepped):
                self.assertLess(abs(a[3] - b[3]), 1 / 60 + 1e-6)

    def test_what_the_ground_hides_is_not_seen(self):
        heights = np.zeros((101, 101), np.float32)
        heights[:, 50] = 10
        form = np.zeros((3, 10), np.float32)
        form[:, 0], form[:, 2] = (30, 90, 90), 50
        eye = np.array([[10.0, 2.0, 50.0]] * 3)
        seen = unhidden(Ground(heights, 1.0), eye, form, np.array([4.0, 4.0, 40.0]))
        np.testing.assert_allclose(seen[:2], [1, 0])
        self.assertAlmostEqual(seen[2], (40 - 2 - 8 * 2) / 40, delta=0.02)


class Checked(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        level = drawn_level(3)
        stands = {1: plain_stand(1, "Canopy", 9.0), 2: plain_stand(2, "Understorey", 7.0), 9: level.stands[9]}
        cls.level = PlantedLevel(replace(level, stands=stands, touch={}, pins={}))
        stock = items_in(cls.level.level)
        route = route_of(cls.level.ground, BEND, 3.0, 1.7)
        cls.walker = Walker(
            cls.level, stock, route, unlike=unlikenesses(cls.level.cache, cls.level.level.stock)
        )
        cls.found = check(cls.walker)

    def strengths(self, **changes) -> float:
        walker = replace(self.walker, **changes)
        return float(walker.pops_of(self.level.planting(1)).strength.sum())

    def test_longer_fades_denser_fog_and_slower_walks_each_hide_some(self):
        plain = self.strengths()
        self.assertGreater(plain, 0)
        self.assertLess(self.strengths(drawing=Drawing(fades=3)), plain)
        self.assertLess(self.strengths(fog=Fog("exponential", 0.02)), plain)
        self.assertEqual(self.strengths(fog=Fog("linear", start=0, end=1)), 0)
        slow = route_of(self.level.ground, BEND, 0.5, 1.7)
        self.assertLess(self.strengths(route=slow), plain)
        self.assertAlmostEqual(float(gentleness(2.0, np.array([8.0]))[0]), 2.0)

    def test_a_pop_is_told_with_its_states_in_the_order_they_are_seen(self):
        pops = self.found.pops[1]
        self.assertTrue((np.diff(pops.time) >= 0).all() and (pops.strength >= 0).all())
        lods = len(self.walker.stock["birch"].lods)
        changes = set(zip(pops.before[~pops.shadow].tolist(), pops.after[~pops.shadow].tolist()))
        self.assertIn((1, 0), changes)
        self.assertTrue(all(max(pair) <= lods for pair in changes))
        near = self.walker.route.at(float(pops.time[0]))
        self.assertAlmostEqual(
            float(np.linalg.norm(pops.place[0] - near.eye)), float(pops.distance[0]), places=3
        )
        self.assertEqual(set(self.found.ms), {0, 1, 2, 9})
        self.assertEqual(len(self.found.times), len(self.found.whole))

    def test_another_billboard_is_worked_out_as_the_item_would_be_with_it(self):
        stock = self.level.level.stock
        others = other_billboards(self.level.cache, stock)
        self.assertEqual({kind for slug, kind in others if slug == "birch"}, {"crossed", "three crossed"})
        walker = replace(self.walker, billboards=others)
        threshold = float(np.median(self.found.pops[1].strength))
        found = check(walker, threshold)
        told = [r for r in found.remedies if r.item == "birch"]
        self.assertEqual({r.billboard for r in told}, {"crossed", "three crossed"})
        for remedy in told:
            made = mended(from_glb("birch", stock["birch"].glb), f"billboard {remedy.billboard}")
            kept = self.level.changed(stock={**stock, "birch": replace(stock["birch"], glb=to_glb(made))})
            again = replace(
                self.walker,
                level=kept,
                stock=items_in(kept.level),
                unlike=unlikenesses(kept.cache, kept.level.stock),
            )
            after = check(again, threshold, remedies=False)
            self.assertEqual(remedy.left, sum(p.noticed(threshold) for p in after.pops.values()))
            self.assertAlmostEqual(remedy.ms, float(after.whole.max() - found.whole.max()))
            self.assertEqual(kind_of(made.billboard), remedy.billboard)

    def test_little_room_to_keep_results_changes_none_of_them(self):
        walker = self.walker
        narrow = PlantedLevel(walker.level.level, Cache(most=2_000_000), threads=1)
        told, same = (check(each, threshold=20) for each in (walker, replace(walker, level=narrow)))
        self.assertLessEqual(narrow.cache._size, 2_000_000)
        for number, pops in told.pops.items():
            for name in ("time", "place", "item", "before", "after", "shadow", "strength"):
                np.testing.assert_array_equal(getattr(pops, name), getattr(same.pops[number], name))
        for number, ms in told.ms.items():
            np.testing.assert_array_equal(ms, same.ms[number])
        self.assertEqual([*told.remedies], [*same.remedies])
        self.assertEqual([*told.least], [*same.least])
        self.assertTrue(told.remedies)

    def test_a_change_of_one_edge_pushes_those_that_it_meets_and_leaves_the_others(self):
        own = Distances((20.0, 50.0), 80.0, 200.0, 5.0, 40.0, by_size=True)
        whole = Distances((25.0, 62.5), 100.0, 250.0, 10.0, 120.0, by_size=True)
        self.assertEqual(Change(1.25, 2.0, 3.0).of(own), whole)
        for change, steps, billboard, gone in (
            (Change(3.0, edge=0), (60.0, 60.0), 80.0, 200.0),
            (Change(1.5, edge=2), (20.0, 50.0), 120.0, 200.0),
            (Change(1.5, edge=3), (20.0, 50.0), 80.0, 300.0),
            (Change(edge=0, left_out=True), (50.0, 50.0), 80.0, 200.0),
            (Change(edge=2, left_out=True), (20.0, 50.0), 200.0, 200.0),
        ):
            with self.subTest(change):
                self.assertEqual(change.of(own), replace(own, steps=steps, billboard=billboard, gone=gone))

    def test_remedies_are_worked_out_and_the_least_is_that_of_trying_all(self):
        self.assertTrue(self.found.remedies)
        slug = self.level.planting(1).stand.slug
        for remedy in self.found.remedies:
            if remedy.stand == 1:
                own = remedy.distances.core()
                left = self.walker.pops_of(self.level.planting(1), own).noticed(self.found.threshold)
                changed = tuned(self.level, slug, {"distances": remedy.distances})
                again = replace(self.walker, level=changed).pops_of(changed.planting(1))
                self.assertEqual((remedy.left, left), (left, again.noticed(self.found.threshold)))
        rng = np.random.default_rng(2)
        none = np.empty(0)
        for _ in range(20):
            frames = 6
            base = {0: rng.uniform(1, 3, frames)}
            options = {
                n: [
                    (Remedy(n, Change(k + 1.0), left=int(k < rng.integers(0, 3))), rng.uniform(0, 2, frames))
                    for k in range(4)
                ]
                for n in (1, 2, 3)
            }
            found = Check(self.walker.route, {}, none, base)
            best = min(
                float((base[0] + sum(more for _, more in picks)).max())
                for picks in product(*[[o for o in each if o[0].left == 0] for each in options.values()])
            )
            chosen = least_of(found, options)
            got = base[0] + sum(
                next(more for option, more in options[r.stand] if option is r) for r in chosen
            )
            self.assertAlmostEqual(float(got.max()), best, delta=0.01)
        some = Remedy(1, left=2)
        self.assertEqual(least_of(found, {1: [(Remedy(1, left=3), np.zeros(6)), (some, np.ones(6))]}), [some])
        self.assertEqual(least_of(found, {}), [])
        self.assertIsInstance(self.found.pops[2], Pops)
