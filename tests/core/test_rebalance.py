"""The rebalance: small cases against trying all, marks that cannot be met, the trade-off; and of a level,
that what it says of its answer is what the level then costs."""

import unittest
from dataclasses import replace
from itertools import product
from unittest.mock import patch

import numpy as np

from tests.core.levels import drawn_level, tuned
from thicket.ground.shapes import Shape
from thicket.planted.captures import SIMULATED
from thicket.planted.costs import LINES, items_in, line, region_cost, settled, spent
from thicket.planted.level import PlantedLevel
from thicket.planted.plots import Region
from thicket.planted.pops import unlikenesses
from thicket.planted.rebalancing import KINDS, Scene, _losses, changes_of, rebalance_level
from thicket.planted.remedies import Change
from thicket.refused import Refused
from thicket.sight.fog import Fog
from thicket.sight.rebalance import GAP, Choices, rebalance, trade_off
from thicket.sight.views import View

PLACES = ((60, 220, 0), (128, 200, 350), (200, 60, 200))


def drawn_choices(rng, groups=4, each=4, frames=3, lines=2) -> Choices:
    """Options by chance: the first of each group loses nothing, the others the more the less they spend."""
    share = rng.uniform(0.05, 0.95, (groups, each))
    share[:, 0] = 1
    full = rng.uniform(1, 5, (groups, 1, frames, lines))
    loss = (1 - share) * rng.uniform(10, 100, (groups, 1)) * rng.uniform(0.8, 1.2, (groups, each))
    spent = full * share[:, :, None, None] * rng.uniform(0.9, 1.1, (groups, each, frames, lines))
    of = np.repeat(np.arange(groups), each)
    return Choices(loss.ravel(), spent.reshape(-1, frames, lines), of, rng.uniform(0, 1, (frames, lines)))


def tried(choices: Choices):
    """Every answer there is: options, loss, and what its dearest frames spend."""
    groups = [np.flatnonzero(choices.of == g).tolist() for g in np.unique(choices.of)]
    for taken in product(*groups):
        yield taken, choices.loss[list(taken)].sum(), choices.total(taken).max(axis=0)


class Exact(unittest.TestCase):
    def test_small_cases_are_those_of_trying_all(self):
        rng = np.random.default_rng(7)
        met = 0
        for _ in range(60):
            choices = drawn_choices(rng)
            marks = rng.uniform(0.3, 1.1, 2) * choices.total([0, 4, 8, 12]).max(axis=0)
            answer = rebalance(choices, marks)
            every = list(tried(choices))
            fitting = [loss for _, loss, spent in every if (spent <= marks * (1 + 1e-9)).all()]
            if fitting:
                met += 1
                self.assertEqual(answer.over, (0.0, 0.0))
                self.assertLessEqual(answer.loss, min(fitting) * (1 + GAP) + 1e-3)
                self.assertGreaterEqual(answer.loss, min(fitting) - 1e-6)
                self.assertTrue((choices.total(answer.taken).max(axis=0) <= marks * (1 + 1e-6)).all())
            else:
                least = min(np.maximum(spent / marks - 1, 0).sum() for *_, spent in every)
                self.assertAlmostEqual(sum(answer.over), least, places=4)
                self.assertGreater(least, 0)
            self.assertEqual([choices.of[k] for k in answer.taken], [0, 1, 2, 3])
        self.assertTrue(15 < met < 55, met)

    def test_lines_without_a_mark_and_what_is_spent_anyway_are_as_they_should_be(self):
        choices = drawn_choices(np.random.default_rng(3))
        free = rebalance(choices, np.full(2, np.inf))
        self.assertEqual((free.taken, free.loss, free.over), ((0, 4, 8, 12), 0.0, (0.0, 0.0)))
        marks = np.array([np.inf, 0.5 * choices.total(free.taken)[:, 1].max()])
        one = rebalance(choices, marks)
        self.assertEqual(one.over[0], 0)
        dear = Choices(choices.loss, choices.spent, choices.of, choices.base + 1e3)
        far_over = rebalance(dear, np.array([10.0, 10.0]))
        self.assertGreater(min(far_over.over), 90)
        self.assertEqual(
            far_over.taken, min(tried(dear), key=lambda each: (each[2] / 10 - 1).sum())[0], "nothing cheaper"
        )

    def test_many_frames_are_met_though_few_are_in_the_search(self):
        rng = np.random.default_rng(11)
        for _ in range(6):
            choices = drawn_choices(rng, groups=8, each=5, frames=80, lines=3)
            marks = 0.7 * choices.total(np.arange(0, 40, 5)).max(axis=0)
            answer = rebalance(choices, marks)
            with patch("thicket.sight.rebalance.NEAR", np.inf):
                of_all = rebalance(choices, marks)
            self.assertAlmostEqual(answer.loss, of_all.loss, delta=2 * GAP * of_all.loss)
            np.testing.assert_allclose(answer.over, of_all.over, atol=1e-5)
            if not any(answer.over):
                self.assertTrue((choices.total(answer.taken) <= marks * (1 + 1e-6)).all())

    def test_no_answer_in_the_time_there_is_is_a_sentence(self):
        choices = drawn_choices(np.random.default_rng(1), groups=60, each=12, frames=400, lines=5)
        marks = 0.75 * choices.total(np.arange(0, 720, 12)).max(axis=0)
        with self.assertRaisesRegex(Refused, "fewer stands"):
            rebalance(choices, marks, limit=0.0)

    def test_the_trade_off_goes_from_no_loss_to_the_least_spent_and_none_of_it_is_beaten(self):
        rng = np.random.default_rng(5)
        for _ in range(8):
            choices = drawn_choices(rng)
            curve = trade_off(choices, 1, 7)
            every = list(tried(choices))
            self.assertEqual(curve[0].loss, 0)
            spent = [choices.total(a.taken)[:, 1].max() for a in curve]
            self.assertAlmostEqual(spent[-1], min(s[1] for *_, s in every), places=5)
            self.assertEqual(spent, sorted(spent, reverse=True))
            for answer, mine in zip(curve, spent):
                beaten = [loss for _, loss, s in every if s[1] <= mine * (1 - 1e-6)]
                self.assertTrue(not beaten or min(beaten) >= answer.loss * (1 - GAP) - 1e-3)


class OfALevel(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.level = PlantedLevel(drawn_level(3))
        cls.stock = items_in(cls.level.level)
        unlike = unlikenesses(cls.level.cache, cls.level.level.stock)
        device = SIMULATED["handheld"]
        views = [View(x, 392, z, heading, -4, 55, 16 / 9, device=device) for x, z, heading in PLACES]
        cls.scene = Scene(cls.level, cls.stock, unlike, views)
        cls.singles = [s.number for s in cls.level.level.stands.values() if not s.sward]

    def spent(self, level: PlantedLevel) -> np.ndarray:
        totals = [spent(level.cost(v, self.stock)) + level.ground_cost(v) for v in self.scene.views]
        return np.array([[line(total, name) for name in LINES] for total in totals])

    def test_the_answer_is_what_the_level_then_costs(self):
        now = self.spent(self.level).max(axis=0)
        marks = {"ms": now[4] * 0.85, "shadow_triangles": now[2] * 0.7}
        may = dict.fromkeys(self.singles, KINDS)
        found = rebalance_level(self.scene, marks, may)
        np.testing.assert_allclose(found.before, self.spent(self.level), rtol=1e-6)
        self.assertEqual(found.answer.over, (0.0,) * 5)
        self.assertGreater(found.answer.loss, 0)
        after = self.level
        for option in found.options:
            if option.settings:
                slug = self.level.level.stands[option.stand].slug
                after = tuned(after, slug, option.settings)
        spent_then = self.spent(after)
        np.testing.assert_allclose(found.after, spent_then, rtol=1e-6)
        self.assertLessEqual(spent_then[:, 4].max(), marks["ms"] * (1 + 1e-6))
        self.assertLessEqual(spent_then[:, 2].max(), marks["shadow_triangles"] * (1 + 1e-6))
        self.assertAlmostEqual(found.answer.loss, sum(o.loss for o in found.options), places=6)
        ms, loss, options = found.curve[-1]
        self.assertEqual(found.curve[0][1], 0)
        self.assertTrue(ms < marks["ms"] and loss >= found.answer.loss)
        self.assertEqual(len(options), len(found.options))

    def test_a_region_is_brought_under_its_marks_by_what_its_plants_spend_alone(self):
        half = Shape("area", ((0, 0), (256, 0), (256, 128), (0, 128)))
        scene = replace(self.scene, region=Region(half))

        def spent_by(level):
            views = [settled(view, level.plantings(), self.stock) for view in scene.views]
            costs = [region_cost(level.plantings(), self.stock, view, scene.region) for view in views]
            return np.array([[line(cost, name) for name in LINES] for cost in costs])

        marks = {"ms": spent_by(self.level)[:, 4].max() * 0.8}
        found = rebalance_level(scene, marks, dict.fromkeys(self.singles, KINDS))
        np.testing.assert_allclose(found.before, spent_by(self.level), rtol=1e-6)
        self.assertEqual(found.answer.over, (0.0,) * 5)
        after = self.level
        for option in found.options:
            if option.settings:
                slug = self.level.level.stands[option.stand].slug
                after = tuned(after, slug, option.settings)
        np.testing.assert_allclose(found.after, spent_by(after), rtol=1e-6)
        self.assertLessEqual(found.after[:, 4].max(), marks["ms"] * (1 + 1e-6))

    def test_thinner_swards_are_reckoned_as_they_would_be(self):
        (sward,) = (s for s in self.level.level.stands.values() if s.sward)
        marks = {"ms": 1e-3}
        found = rebalance_level(self.scene, marks, {sward.number: ("tufts",)}, least=0.5)
        (option,) = (o for o in found.options if o.stand == sward.number)
        self.assertEqual((option.share, list(option.settings)), (0.6, ["fullness"]))
        self.assertGreater(option.loss, 0)
        after = tuned(self.level, sward.slug, option.settings)
        np.testing.assert_allclose(found.after, self.spent(after), rtol=1e-6)
        self.assertLess(found.after[:, 4].max(), found.before[:, 4].max())

    def test_what_grows_in_the_place_of_thinned_plants_is_reckoned_with(self):
        level = PlantedLevel(drawn_level(5))
        scene = replace(self.scene, level=level)
        may = {n: ("plants",) for n, stand in level.stands.items() if not stand.sward}
        before = self.spent(level)
        marks = {"ms": before[:, 4].max() * 0.9}
        found = rebalance_level(scene, marks, may)
        np.testing.assert_allclose(found.before, before, rtol=1e-6)
        after = level
        for option in found.options:
            self.assertEqual(list(option.settings), ["fullness"] if option.share < 1 else [])
            if option.settings:
                after = tuned(after, level.stands[option.stand].slug, option.settings)
        kept = [level.stands[o.stand].slug for o in found.options if o.share == 1]
        self.assertLess(len(kept), len(found.options))
        was, now = (sum(counts[slug] for slug in kept) for counts in (level.counts(), after.counts()))
        self.assertGreater(now, was, "others grow there")
        then = self.spent(after)
        np.testing.assert_allclose(found.after, then, rtol=1e-6)
        self.assertAlmostEqual(found.answer.over[4], max(then[:, 4].max() / marks["ms"] - 1, 0), places=4)

    def test_what_is_found_first_is_told_while_less_is_looked_for(self):
        now = self.spent(self.level).max(axis=0)
        told = []
        with patch("thicket.planted.rebalancing.GAP", -1.0):
            found = rebalance_level(
                self.scene, {"ms": now[4] * 0.9}, dict.fromkeys(self.singles, KINDS), so_far=told.append
            )
        (first,) = told
        self.assertEqual((first.done, found.done, list(first.curve)), (False, True, []))
        self.assertEqual(first.answer, found.answer)
        np.testing.assert_array_equal(first.after, found.after)

    def test_what_may_not_change_stays_and_marks_beyond_reach_are_told(self):
        may = {self.singles[0]: ("shadows",)}
        found = rebalance_level(self.scene, {"ms": 1e-3}, may)
        self.assertGreater(found.answer.over[4], 1)
        for option in found.options:
            changed = option.settings and option.change
            self.assertTrue(not changed or option.stand == self.singles[0] and changed.farther == 1.0)
        free = rebalance_level(self.scene, {"ms": 1e9}, may)
        self.assertEqual([o.settings for o in free.options], [{}] * len(free.options))
        self.assertEqual(free.answer.loss, 0)
        for least in (0.55, 0.85):
            options = changes_of(self.level.planting(self.singles[0]), KINDS, least)
            self.assertEqual(min(change.farther for change in options), least if least > 0.6 else 0.55)

    def test_nothing_is_lost_where_nothing_is_seen_and_more_where_more_is_taken(self):
        planting = self.level.planting(self.singles[0])
        own = planting.settings.distances.core()
        tried = [Change(f).of(own) for f in (1.0, 0.85, 0.7, 0.4)]
        losses = sum(_losses(self.scene, view, planting, planting, tried) for view in self.scene.views)
        self.assertEqual(losses[0], 0)
        self.assertTrue((np.diff(losses) >= 0).all() and losses[-1] > 0)
        fog = replace(self.scene, fog=Fog("linear", start=0, end=1))
        self.assertEqual(
            sum(_losses(fog, view, planting, planting, tried).sum() for view in self.scene.views), 0
        )
        away = [replace(view, pitch=80.0) for view in self.scene.views]
        self.assertEqual(sum(_losses(self.scene, view, planting, planting, tried).sum() for view in away), 0)
        shadows = [Change(1.0, 1.0, f).of(own) for f in (1.0, 0.5, 0.0)]
        fades = [Change(1.0, f).of(own) for f in (1.0, 0.5, 0.25)]
        sudden = sum(_losses(self.scene, view, planting, planting, fades) for view in self.scene.views)
        self.assertTrue(sudden[0] == 0 and 0 < sudden[1] < sudden[2] < losses[-1], (sudden, losses))
        dark = sum(_losses(self.scene, view, planting, planting, shadows) for view in self.scene.views)
        self.assertTrue(dark[0] == 0 and (np.diff(dark) >= 0).all())
