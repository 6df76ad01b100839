"""Drawing settings and tiers: what they leave of a stand, the ceiling on full meshes, the ground's cost."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.levels import drawn_level, plain_stand
from thicket.document.drawing import DrawingSettings, Marks, Tier, seen_through, tiers_for
from thicket.ground.heights import Ground
from thicket.planted.costs import settled, stand_cost
from thicket.planted.instances import instances_at
from thicket.planted.level import PlantedLevel
from thicket.planting.stands import STRATA, Plants
from thicket.refused import Refused
from thicket.sight.cost import Item, Mesh
from thicket.sight.distances import Distances, states
from thicket.sight.drawing import PLAIN, Drawing, rank
from thicket.sight.terrain import STEPS, TILE, chosen_steps, ground_cost, terrain_of
from thicket.sight.views import View

MARKS = {"triangles": 100_000, "draw_calls": 300, "shadow_triangles": 30_000, "memory": 1e7, "ms": 3}
TREE = Item("tree", (Mesh(500, 3, 2.0, 9), Mesh(90, 2, 2.0, 9)), Mesh(2, 1, 9.0, 9), 8.0, 77)
strata = st.frozensets(st.sampled_from(STRATA))
drawings = st.builds(
    Drawing,
    plants=st.booleans(),
    distances=st.floats(0.05, 4),
    fades=st.floats(0, 4),
    lod_offset=st.integers(0, 3),
    billboards=st.booleans(),
    full_meshes=st.none() | st.integers(0, 50),
    sward_reach=st.none() | st.floats(0, 500),
    sward_share=st.floats(0, 1),
    shadow_reach=st.none() | st.floats(0, 500),
    casts=strata,
    receives=strata,
    ground_error=st.none() | st.floats(0.1, 50),
)


class Tiers(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(drawings, drawings, drawings, st.lists(st.floats(0.1, 900), min_size=4, max_size=4), st.booleans())
    def test_a_tier_takes_away_and_the_order_does_not_matter(self, level, tier, other, edges, sward):
        a, b, billboard, gone = sorted(edges)
        own = Distances((a, b), billboard, gone, 7.0, 80.0)
        once, twice = level.through(tier), level.through(tier).through(other)
        for first, second in ((twice, level.through(other).through(tier)), (level.through(PLAIN), level)):
            self.assertEqual(
                [round(v, 9) if isinstance(v, float) else v for v in vars(first).values()],
                [round(v, 9) if isinstance(v, float) else v for v in vars(second).values()],
            )
        seen = once.distances_of(own, "Field", sward)  # Distances itself refuses edges out of order
        self.assertAlmostEqual(
            seen.gone,
            min(gone * once.distances, max(once.sward_reach, 0.1))
            if sward and once.sward_reach is not None
            else gone * once.distances,
        )
        self.assertEqual(seen.shadow == 0, "Field" not in once.casts or once.shadow_reach == 0)
        self.assertEqual(PLAIN.distances_of(own, "Field", sward), own)
        left = TREE.drawn_by(once)
        self.assertEqual(left.lods, TREE.lods[once.lod_offset :] or TREE.lods[-1:])
        self.assertEqual(left.billboard is not None, once.billboards)

    def test_a_smaller_share_of_tufts_is_part_of_a_larger_one(self):
        ids = np.random.default_rng(3).integers(0, 2**63, 40_000).astype(np.uint64)
        tufts = Plants(ids, np.zeros((len(ids), 10), np.float32), np.zeros(len(ids), np.uint8))
        small_share, large = (Drawing(sward_share=share).tufts(tufts) for share in (0.2, 0.6))
        self.assertTrue(np.isin(small_share.id, large.id).all())
        self.assertAlmostEqual(len(large) / len(ids), 0.6, delta=0.01)
        self.assertIs(PLAIN.tufts(tufts), tufts)
        self.assertTrue(((rank(ids) >= 0) & (rank(ids) < 1)).all())

    def test_what_cannot_be_is_refused_and_old_marks_become_tiers(self):
        view = {"drawing": {"distances": 0.5}, "tiers": tiers_for(MARKS)}
        self.assertEqual(seen_through(view)[0].distances, 0.5)
        self.assertEqual(seen_through(view, "Handheld")[0].distances, 0.25)
        self.assertEqual(view["tiers"]["Desktop"]["marks"], Marks(**MARKS).model_dump())
        with self.assertRaisesRegex(Refused, "no tier 'Pocket'; it has Handheld, Console, Desktop"):
            seen_through(view, "Pocket")
        for bad in (
            {"distances": 0},
            {"fades": float("nan")},
            {"cell": 50},
            {"sward_share": 1.5},
            {"casts": ["Trees"]},
        ):
            with self.assertRaises(ValueError):
                DrawingSettings(**bad)
        with self.assertRaisesRegex(ValueError, "a tier that draws no plants"):
            Tier(drawing=DrawingSettings(plants=False), marks=Marks(**MARKS))


class Ceilings(unittest.TestCase):
    def setUp(self):
        level = drawn_level(3)
        stands = {1: plain_stand(1, "Canopy", 9.0), 2: plain_stand(2, "Understorey", 5.0), 9: level.stands[9]}
        self.level = PlantedLevel(replace(level, stands=stands, touch={}, pins={}))
        self.plantings = [p for p in self.level.plantings() if not p.stand.sward]
        self.stock = {slug: replace(TREE, slug=slug) for p in self.level.plantings() for slug in p.items}
        self.view = View(128, 385, 128, 30, -10, 60, 1.6)

    def full(self, view) -> int:
        """How many trees a view draws as their finest mesh, one by one."""
        count = 0
        for planting in self.plantings:
            if planting.stand.stratum not in ("Canopy", "Understorey"):
                continue
            bare = {
                s: replace(i, lods=(Mesh(1, 1, 0, 0), Mesh(0, 1, 0, 0)), billboard=None)
                for s, i in self.stock.items()
            }
            count += stand_cost(planting, bare, view).triangles
        return count

    def test_of_the_nearest_trees_as_many_as_the_ceiling_are_drawn_whole(self):
        stock = {s: replace(i, lods=i.lods[:2], billboard=None) for s, i in self.stock.items()}
        most = self.full(settled(self.view, self.plantings, stock))
        self.assertGreater(most, 12)
        for ceiling in (0, 1, 7, most - 1, most, most + 5):
            view = replace(self.view, drawing=Drawing(full_meshes=ceiling))
            view = settled(view, self.plantings, stock)
            self.assertEqual(self.full(view), min(ceiling, most))

    def test_cells_change_calls_and_culling_but_not_what_is_near_enough(self):
        for planting in self.level.plantings():
            costs = [
                stand_cost(planting, self.stock, replace(self.view, drawing=Drawing(cell=cell)))
                for cell in (16, 32, 64, 128)
            ]
            near = {c.triangles + c.culled for c in costs}
            self.assertEqual(len(near), 1)
            self.assertEqual(sorted(c.triangles for c in costs), [c.triangles for c in costs])
            self.assertEqual(
                sorted((c.draw_calls for c in costs), reverse=True), [c.draw_calls for c in costs]
            )
            self.assertEqual({c.shadow_triangles for c in costs}, {costs[0].shadow_triangles})

    def test_no_plants_cost_nothing_and_large_ones_are_drawn_farther_by_size(self):
        planting = next(p for p in self.plantings if p.stand.stratum == "Canopy")
        none = replace(self.view, drawing=Drawing(plants=False))
        self.assertEqual(stand_cost(planting, self.stock, none).triangles, 0)
        s = planting.settings
        by_size = self.level.trying(
            replace(
                planting.stand,
                settings=s.model_copy(update={"distances": s.distances.model_copy(update={"by_size": True})}),
            )
        )
        forms = np.concatenate(
            [by_size.plants(sheet).form for sheet in by_size.sheets_in(by_size.everywhere)]
        )
        far = np.linalg.norm(forms[:, :3] - self.view.eye, axis=1) / forms[:, 8]
        item = replace(TREE, lods=TREE.lods[:1], billboard=None)
        cost = stand_cost(by_size, dict.fromkeys(self.stock, item), self.view)
        near = far < s.distances.gone
        self.assertEqual(cost.triangles + cost.culled, int(near.sum()) * 500)


class TerrainCost(unittest.TestCase):
    def test_the_coarsest_grid_within_the_error_is_taken(self):
        rng = np.random.default_rng(5)
        u = np.linspace(0, 9, 200)
        heights = 30 * np.sin(u)[:, None] * np.cos(u[:150]) + rng.normal(0, 0.2, (200, 150))
        terrain = terrain_of(Ground(heights.astype(np.float32), 1.5))
        self.assertEqual(len(terrain.box), 4 * 3)
        self.assertTrue((terrain.error[:, 0] == 0).all() and (terrain.error[:, 1:] > 0).all())
        view = View(100, 60, 150, 20, -30, 55, 1.6)
        for pixels in (0.2, 2, 20):
            steps = chosen_steps(terrain, view, pixels)
            for tile, step in enumerate(steps):
                if step < 0:
                    continue
                box = terrain.box[tile]
                nearest = np.clip(view.eye, box[:3], box[3:])
                far = np.linalg.norm(nearest - view.eye)
                seen = terrain.error[tile] * 1080 / (2 * np.tan(np.radians(55) / 2)) / max(far, 1e-9)
                self.assertTrue(step == 0 or seen[step] <= pixels)
                self.assertTrue((seen[step + 1 :] > pixels).all())
            cost = ground_cost(terrain, view, pixels)
            self.assertEqual(cost.triangles, sum(2 * (TILE // STEPS[s] + 2) ** 2 for s in steps if s >= 0))
            self.assertEqual(cost.draw_calls, len(set(steps) - {-1}))

    def test_a_plane_is_drawn_as_coarse_as_can_be_and_a_tiny_ground_has_one_tile(self):
        slope = np.add.outer(np.arange(129), np.arange(129)).astype(np.float32)
        terrain = terrain_of(Ground(slope, 1.0))
        self.assertAlmostEqual(float(terrain.error.max()), 0, places=9)
        self.assertEqual(len(terrain_of(Ground(np.zeros((3, 3), np.float32), 1.0)).box), 1)


class States(unittest.TestCase):
    def test_beyond_the_full_reach_the_next_state_begins(self):
        own = Distances((40,), 120, 260, 10, 70)
        near = states(replace(own, full=25.0), 2, True)
        np.testing.assert_array_equal(near.start, [0, 20, 120])
        np.testing.assert_array_equal(near.hide, [25, 125, 260])
        none = states(replace(own, full=0.0), 2, True)
        self.assertEqual((none.hide[0], none.start[1], none.show[1]), (0, 0, -1))
        np.testing.assert_array_equal(states(replace(own, full=1e9), 2, True).hide, states(own, 2, True).hide)


class Pointed(unittest.TestCase):
    def setUp(self):
        level = drawn_level(3)
        stands = {1: plain_stand(1, "Canopy", 6.0), 2: plain_stand(2, "Shrub", 5.0), 9: level.stands[9]}
        self.level = PlantedLevel(replace(level, stands=stands, touch={}, pins={}))
        self.stock = {slug: replace(TREE, slug=slug) for p in self.level.plantings() for slug in p.items}
        self.view = View(100, 385, 200, 0, -10, 60, 1.6, drawing=Drawing(sward_share=0.5))

    def test_the_cells_together_hold_what_the_view_costs(self):
        cells = [
            instances_at(self.level, self.stock, self.view, x, z)
            for x in range(32, 256, 64)
            for z in range(32, 256, 64)
        ]
        for planting in self.level.plantings():
            number = planting.stand.number
            groups = [g for cell in cells for g in cell.groups if g.stand == number]
            cost = stand_cost(planting, self.stock, self.view)
            self.assertEqual(sum(g.triangles for g in groups if not g.reason), cost.triangles)
            total = sum(planting.number_in(sheet) for sheet in planting.sheets_in(planting.everywhere))
            self.assertEqual(sum(g.plants for g in groups), total)
        reasons = {g.reason for cell in cells for g in cell.groups}
        self.assertEqual(reasons, {"", "share", "far", "outside"})

    def test_why_nothing_is_drawn(self):
        near = instances_at(self.level, self.stock, self.view, 100, 160, hidden={1})
        self.assertEqual({g.reason for g in near.groups if g.stand == 1}, {"hidden"})
        off = replace(self.view, drawing=Drawing(plants=False))
        cell = instances_at(self.level, self.stock, off, 100, 160)
        self.assertEqual(({g.reason for g in cell.groups}, cell.box), ({"off"}, (64, 128, 128, 192)))
