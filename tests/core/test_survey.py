"""The survey: every value is what the cost model gives for that view, through every kind of drawing; the
worst places."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.levels import drawn_level, painted, tuned
from thicket.document.atmosphere import FogSettings
from thicket.ground.shapes import Shape
from thicket.planted.costs import (
    cells_seen,
    costs_by,
    items_in,
    line,
    region_cost,
    settled,
    spent,
    stand_cost,
)
from thicket.planted.level import PlantedLevel
from thicket.planted.plots import regions
from thicket.planted.survey import repaired, survey
from thicket.planting.strokes import Stroke
from thicket.sight.cost import loads_of
from thicket.sight.devices import UNITS, Device
from thicket.sight.drawing import PLAIN, Drawing
from thicket.sight.views import View

FOG = FogSettings(kind="squared", density=0.02, thinning=30, level=360, hides=True)
DEVICE = Device("Ours", 5.0, 7.0, 6.0, 0.8, 0.05, 1.5)


class Surveyed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.level = PlantedLevel(drawn_level(3))
        cls.stock = items_in(cls.level.level)

    def test_every_value_is_what_the_reckoning_gives_for_that_view(self):
        rng = np.random.default_rng(4)
        by_size = {
            n: replace(
                s,
                settings=s.settings.model_copy(
                    update={"distances": s.settings.distances.model_copy(update={"by_size": True})}
                ),
            )
            for n, s in self.level.level.stands.items()
        }
        sized = PlantedLevel(replace(self.level.level, stands=by_size))
        for level, drawing, threads in (
            (self.level, PLAIN, 1),
            (self.level, Drawing(full_meshes=5, shadow_reach=30, sward_share=0.4, lod_offset=1), 2),
            (self.level, Drawing(distances=1.7, fades=2, cell=16, billboards=False, ground_error=3), 2),
            (self.level, Drawing(full_meshes=0, casts=frozenset({"Stone"}), cell=32), 1),
            (self.level, Drawing(plants=False), 1),
            (sized, Drawing(full_meshes=3, distances=0.6), 2),
            (sized, Drawing(full_meshes=3, air=self.level.air(FOG)), 2),
        ):
            found = survey(level, self.stock, drawing, step=32, headings=6, height=2.5, threads=threads)
            self.assertEqual(found.whole().shape, (64, 6, 5))
            np.testing.assert_allclose(
                found.eyes[:, 1] - level.ground.height_at(found.eyes[:, 0], found.eyes[:, 2]), 2.5, atol=1e-4
            )
            for place, heading in zip(rng.integers(0, 64, 12).tolist(), rng.integers(0, 6, 12).tolist()):
                view = View(
                    *found.eyes[place],
                    found.headings[heading],
                    0.0,
                    55.0,
                    16 / 9,
                    drawing=drawing,
                    device=DEVICE,
                )
                costs, ground = level.cost(view, self.stock), level.ground_cost(view)
                with self.subTest(drawing=drawing, place=place, heading=heading):
                    np.testing.assert_allclose(found.loads[0][place, heading], loads_of(ground), rtol=1e-6)
                    for number, stand in level.level.stands.items() if drawing.plants else ():
                        np.testing.assert_allclose(
                            found.loads[number][place, heading], loads_of(costs[stand.slug]), rtol=1e-6
                        )
                    total = spent(costs) + ground
                    self.assertAlmostEqual(found.line("ms", DEVICE)[place, heading], total.ms, places=4)
                    for name in ("triangles", "draw_calls", "shadow_triangles", "memory"):
                        told = found.line(name, DEVICE)[place, heading]
                        self.assertAlmostEqual(float(told), line(total, name), delta=1e-5 * told)

    def test_the_dearest_frame_toward_a_place_is_dearer_than_all_others_that_see_it(self):
        found, rng = survey(self.level, self.stock, step=32, headings=6), np.random.default_rng(2)
        ms = found.line("ms", DEVICE)
        for _ in range(12):
            x, z, reach = *rng.uniform(10, 200, 2).tolist(), rng.uniform(20, 200)
            box = (x, z, x + rng.uniform(1, 40), z + rng.uniform(1, 40))
            place, heading = found.dearest_toward(DEVICE, box, reach)
            corners = np.array([(a, found.eyes[0, 1], b) for a in box[::2] for b in box[1::2]])
            for p, h in np.argwhere(ms > ms[place, heading]).tolist():
                view = View(*found.eyes[p], found.headings[h], 0.0, 55.0, 16 / 9)
                sides = view.planes[1:3]
                near = np.hypot(*(corners - view.eye)[:, [0, 2]].T) < reach
                self.assertFalse(((corners @ sides[:, :3].T + sides[:, 3] >= 0).all(axis=1) & near).any())
        self.assertIsNone(found.dearest_toward(DEVICE, (9e3, 9e3, 9e3, 9e3), 100.0))

    def test_costs_in_many_views_are_those_of_each_by_itself(self):
        rng = np.random.default_rng(6)
        for drawing in (PLAIN, Drawing(cell=128, full_meshes=4, sward_share=0.5), Drawing(cell=16)):
            at = [View(*rng.uniform(20, 230, 3), rng.uniform(0, 360), -5, 55, 1.6) for _ in range(5)]
            views = [replace(view, drawing=drawing, device=DEVICE) for view in at]
            views = [settled(view, self.level.plantings(), self.stock) for view in views]
            for planting in self.level.plantings():
                own = planting.settings.distances.core()
                farther = replace(own, gone=own.gone * 2, shadow=own.shadow * 2)
                told = costs_by(planting, self.stock, views, [None, farther])
                for view, (plain, far) in zip(views, told):
                    self.assertEqual(plain, stand_cost(planting, self.stock, view))
                    self.assertEqual(far, stand_cost(planting, self.stock, view, own=farther))

    def test_what_a_change_in_a_box_costs_is_reckoned_from_its_cells_alone(self):
        stroke = Stroke("thin", ((90.0, 120.0), (140.0, 130.0)), 12.0, 0.2, 1.0)
        stands = self.level.level.stands
        number = max((n for n in stands if not stands[n].sward), key=lambda n: self.level.planting(n).count())
        slug = stands[number].slug
        other = painted(self.level, slug, stroke)
        box = (78.0, 108.0, 152.0, 142.0)
        for cell in (16, 64, 512):
            view = View(128, 400, 250, 0, -10, 55, 16 / 9, drawing=Drawing(cell=cell), device=DEVICE)
            whole, near = (
                stand_cost(other.planting(number), self.stock, view, near=part).ms
                - stand_cost(self.level.planting(number), self.stock, view, near=part).ms
                for part in (None, box)
            )
            self.assertLess(whole, 0)
            self.assertAlmostEqual(near, whole, places=9)

    def test_a_plots_part_is_what_its_plants_cost_by_themselves_and_plots_share_no_plant(self):
        level, area = self.level, lambda *points: Shape("area", points)
        shapes = {
            1: area((20.0, 10.0), (150.0, 10.0), (150.0, 200.0), (20.0, 200.0)),
            2: area((90.0, 90.0), (240.0, 60.0), (240.0, 240.0), (90.0, 240.0)),
            3: Shape("path", ((0.0, 0.0), (9.0, 9.0)), width=2.0),
        }
        found = regions(shapes, [("North", 1), ("South", 2), ("Path", 3), ("Gone", 9)])
        self.assertEqual(list(found), ["North", "South"])
        drawing = Drawing(full_meshes=5, sward_share=0.5)
        told = survey(level, self.stock, drawing, step=64, headings=3, plots=found)
        for place in range(0, 16, 3):
            view = View(
                *told.eyes[place], told.headings[1], 0.0, 55.0, 16 / 9, drawing=drawing, device=DEVICE
            )
            seen = settled(view, level.plantings(), self.stock)
            whole = spent(level.cost(view, self.stock))
            parts = {n: region_cost(level.plantings(), self.stock, seen, r) for n, r in found.items()}
            for name, cost in parts.items():
                np.testing.assert_allclose(told.plots[name][place, 1], loads_of(cost), rtol=1e-6)
            for counted in ("plants", "triangles", "shadow_triangles"):
                self.assertLessEqual(
                    sum(getattr(c, counted) for c in parts.values()), getattr(whole, counted)
                )
        whole = area((-9.0, -9.0), (999.0, -9.0), (999.0, 999.0), (-9.0, 999.0))
        everything = regions({1: whole}, [("All", 1)])["All"]
        cost = region_cost(level.plantings(), self.stock, seen, everything)
        total = spent(level.cost(view, self.stock))
        for counted in ("plants", "triangles", "draw_calls", "shadow_triangles", "shadow_calls"):
            self.assertEqual(getattr(cost, counted), getattr(total, counted))

    def test_what_a_view_sees_sums_up_by_squares_to_what_its_plants_cost(self):
        level, view = self.level, View(120.0, 392.0, 230.0, 10.0, -3.0, 55.0, 1.6, device=DEVICE)
        cells = cells_seen(level.plantings(), self.stock, view)
        area = Shape("area", ((-9.0, -9.0), (999.0, -9.0), (999.0, 999.0), (-9.0, 999.0)))
        whole = region_cost(level.plantings(), self.stock, view, regions({1: area}, [("All", 1)])["All"])
        records = whole.memory * DEVICE.coefficients[4] / UNITS[4]
        self.assertAlmostEqual(sum(cells.values()), whole.ms - records, delta=0.02 * whole.ms)
        behind = View(120.0, 392.0, 230.0, 190.0, -3.0, 55.0, 1.6, shadows=False, device=DEVICE)
        self.assertNotEqual(set(cells_seen(level.plantings(), self.stock, behind)), set(cells))
        self.assertTrue(all(0 <= c < 4 and 0 <= r < 4 for c, r in cells))
        bare = replace(view, drawing=Drawing(plants=False))
        self.assertEqual(cells_seen(level.plantings(), self.stock, bare), {})

    def test_a_repaired_survey_is_what_surveying_anew_gives(self):
        level, rng = self.level, np.random.default_rng(8)
        area = Shape("area", ((20.0, 10.0), (150.0, 10.0), (150.0, 200.0), (20.0, 200.0)))
        plots = regions({1: area}, [("North", 1)])
        slugs = {stand.slug for stand in level.level.stands.values()}
        thinner = {"fullness": 0.4}
        edits = [
            (painted, slug, Stroke("thin", [tuple(rng.uniform(30, 220, 2))], 16.0, 0.4, 1.0))
            for slug in sorted(slugs)
        ]
        edits.append((tuned, min(slugs), thinner))
        for drawing in (Drawing(cell=32), Drawing(full_meshes=4), Drawing(cell=128, sward_share=0.5)):
            how = {"drawing": drawing, "plots": plots}
            found = survey(level, self.stock, step=32, headings=4, **how)
            before = level
            for edit, slug, given in edits:
                now = edit(before, slug, given)
                with self.subTest(edit=given, drawing=drawing):
                    mended = repaired(found, before, now, self.stock, **how)
                    anew = survey(now, self.stock, step=32, headings=4, **how)
                    for part in anew.loads:
                        np.testing.assert_allclose(mended.loads[part], anew.loads[part], rtol=1e-5, atol=1e-3)
                    np.testing.assert_allclose(
                        mended.plots["North"], anew.plots["North"], rtol=1e-5, atol=1e-3
                    )
                before, found = now, mended
        self.assertIsNone(repaired(found, before, before, self.stock), "without its plots")

    def test_lines_of_stands_and_ground_sum_up_and_the_worst_places_lie_apart(self):
        found = survey(self.level, self.stock, step=16, headings=4)
        for name in ("ms", "triangles", "memory"):
            parts = sum(found.line(name, DEVICE, stand) for stand in found.loads)
            np.testing.assert_allclose(parts, found.line(name, DEVICE), rtol=1e-5)
        values = found.line("ms", DEVICE)
        worst = found.worst(values, 5, 40.0)
        self.assertEqual(len(worst), 5)
        at = found.eyes[[place for place, _ in worst]][:, [0, 2]]
        apart = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))
        self.assertGreaterEqual(apart[~np.eye(5, dtype=bool)].min(), 40)
        self.assertAlmostEqual(values[worst[0]], values.max())
        told = [values[each] for each in worst]
        self.assertEqual(told, sorted(told, reverse=True))
        for place in range(len(values)):  # none that is left out is worse, unless it lies near one
            off = np.hypot(*(at - found.eyes[place, [0, 2]]).T)
            self.assertTrue(values[place].max() <= told[-1] + 1e-6 or off.min() < 40)

    def test_grids_that_do_not_fit_the_level_still_lie_on_it(self):
        for step in (8.0, 50.0, 64.0, 1000.0):
            found = survey(self.level, self.stock, Drawing(plants=False), step=step, headings=1)
            x, z = found.eyes[:, 0], found.eyes[:, 2]
            self.assertTrue((x > 0).all() and (x < self.level.width).all() and (z < self.level.length).all())
            self.assertEqual(len(found.eyes) % found.columns, 0)
            self.assertEqual(set(found.loads), {0})
