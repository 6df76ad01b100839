"""What a change adds to the dearest frame that it reaches: the difference of the whole frame's cost, for
every kind of change."""

import unittest
from dataclasses import replace

import numpy as np

from tests.core.levels import drawn_level, painted, tuned
from thicket.document.rasters import Heights
from thicket.ground.shapes import Shape
from thicket.planted.costs import items_in, spent
from thicket.planted.dearest import Drawn, change_at_dearest
from thicket.planted.level import PlantedLevel
from thicket.planted.survey import survey
from thicket.planting.strokes import Stroke
from thicket.sight.devices import Device
from thicket.sight.drawing import PLAIN, Drawing

DEVICE = Device("Ours", 5.0, 7.0, 6.0, 0.8, 0.05, 1.5)


class Dearest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.level = PlantedLevel(drawn_level(3))
        cls.stock = items_in(cls.level.level)
        cls.found = survey(cls.level, cls.stock, step=32, headings=6)

    def drawn(self, level=None, stock=None, drawing=PLAIN, device=DEVICE):
        return Drawn(level or self.level, stock or self.stock, drawing, device)

    def whole(self, state, change, above):
        """The whole frame's milliseconds at the place of a change."""
        y = float(state.level.ground.height_at(np.array([change.x]), np.array([change.z]))[0]) + above
        view = state.frame((change.x, y, change.z), change.heading)
        return (spent(state.level.cost(view, state.stock)) + state.level.ground_cost(view)).ms

    def test_it_is_the_difference_of_the_whole_frame_for_every_kind_of_change(self):
        level, before = self.level, self.drawn()
        singles = [s for s in level.level.in_order if not s.sward]
        many = max(singles, key=lambda s: level.planting(s.number).count()).slug
        stroke = Stroke("thin", ((90.0, 120.0), (140.0, 130.0)), 24.0, 0.3, 1.0)
        rock = Shape("obstacle", ((70.0, 60.0), (190.0, 60.0), (190.0, 200.0), (70.0, 200.0)))
        heights = level.level.heights
        hill = np.hypot(*np.indices(heights.ground.heights.shape)) * 0.05
        risen = Heights.of(heights.ground.heights + hill, heights.ground.cell)
        gone = singles[-1].number
        fewer = {n: s for n, s in level.level.stands.items() if n != gone}
        coarse = {slug: replace(item, lods=item.lods[-1:]) for slug, item in self.stock.items()}
        changes = {
            "painted": self.drawn(painted(level, many, stroke)),
            "settings": self.drawn(tuned(level, many, {"fullness": 0.4})),
            "an obstacle": self.drawn(level.changed(shapes={**level.shapes, 7: rock})),
            "another ground": self.drawn(level.changed(heights=risen)),
            "a stand removed": self.drawn(level.changed(stands=fewer)),
            "coarser meshes": self.drawn(stock=coarse),
            "how it is drawn": self.drawn(drawing=Drawing(shadow_reach=10, sward_share=0.3)),
            "another device": self.drawn(device=replace(DEVICE, per_mtri=9.0)),
        }
        for name, after in changes.items():
            with self.subTest(name):
                change = change_at_dearest(self.found, before, after)
                above = change.y - float(
                    after.level.ground.height_at(np.array([change.x]), np.array([change.z]))[0]
                )
                self.assertAlmostEqual(above, 1.7, places=4)
                more = self.whole(after, change, above) - self.whole(before, change, above)
                self.assertAlmostEqual(change.ms, more, places=6)
                self.assertNotEqual(round(more, 3), 0)
        thinned = changes["painted"]
        inside = change_at_dearest(self.found, before, thinned, (66.0, 96.0, 164.0, 154.0))
        self.assertAlmostEqual(
            inside.ms, self.whole(thinned, inside, 1.7) - self.whole(before, inside, 1.7), places=6
        )

    def test_nothing_is_told_where_nothing_changes_or_nobody_looks(self):
        before = self.drawn()
        self.assertIsNone(change_at_dearest(self.found, before, self.drawn()))
        blind = replace(self.found, eyes=self.found.eyes + 1e5)
        thinner = tuned(self.level, self.level.level.in_order[0].slug, {"fullness": 0.4})
        self.assertIsNone(change_at_dearest(blind, before, self.drawn(thinner)))
