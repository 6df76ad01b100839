"""Suitability against plain NumPy, and the cost model against a slow second one."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from thicket.planting.stands import Plants
from thicket.sight.cost import Item, Mesh, Patch, frame_cost, lay_out
from thicket.sight.distances import Distances, states
from thicket.sight.drawing import CELL
from thicket.sight.views import View
from thicket.site.conditions import Condition, suitability


class Suitability(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["altitude", "slope"]),
                st.floats(0, 50),
                st.floats(0, 50),
                st.floats(0, 20),
                st.sampled_from(["and", "or", "except"]),
                st.booleans(),
            ),
            max_size=5,
        )
    )
    def test_against_plain_numpy(self, rules):
        rng = np.random.default_rng(1)
        fields = {kind: rng.uniform(0, 60, (9, 11)).astype(np.float32) for kind in ("altitude", "slope")}
        conditions = [
            Condition(k, min(a, b), max(a, b), soft, soft, join, on) for k, a, b, soft, join, on in rules
        ]
        want = None
        for c in (c for c in conditions if c.on):
            v = fields[c.kind].astype(float)
            ramp = np.minimum(
                np.where(v < c.lo, (v - c.lo) / max(c.soft_lo, 1e-12) + 1, 1),
                np.where(v > c.hi, (c.hi - v) / max(c.soft_hi, 1e-12) + 1, 1),
            ).clip(0, 1)
            band = ramp * ramp * (3 - 2 * ramp)
            band = 1 - band if c.join == "except" else band
            want = band if want is None else np.maximum(want, band) if c.join == "or" else want * band
        want = np.ones((9, 11)) if want is None else want
        found = suitability([fields[c.kind] for c in conditions], conditions, (9, 11))
        np.testing.assert_allclose(found, want, atol=2e-4)

    def test_refuses_bands_that_end_before_they_start(self):
        for bad in ({"lo": 5, "hi": 4}, {"lo": 0, "hi": 1, "soft_lo": -1}, {"lo": float("nan"), "hi": 1}):
            with self.assertRaises(ValueError):
                Condition("slope", **bad)


class Sight(unittest.TestCase):
    def test_states_meet_and_fade_over_each_other(self):
        s = states(Distances((20, 50), 100, 300, 10, 60), lods=3, billboard=True)
        np.testing.assert_array_equal(s.start, [0, 20, 50, 100])
        np.testing.assert_array_equal(s.show, [-1, 15, 45, 95])
        np.testing.assert_array_equal(s.hide, [25, 55, 105, 300])
        short = states(Distances((20, 50), 100, 300, 10, 60), lods=2, billboard=False)
        np.testing.assert_array_equal(short.end, [20, 300])
        with self.assertRaises(ValueError):
            Distances((50, 20), 100, 300, 10, 60)

    def test_reckoning_against_a_slow_second_one(self):
        rng = np.random.default_rng(8)
        n = 3000
        form = np.zeros((n, 10), np.float32)
        form[:, 0], form[:, 2], form[:, 1] = (
            rng.uniform(0, 512, n),
            rng.uniform(0, 512, n),
            rng.uniform(0, 9, n),
        )
        form[:, 7:9] = rng.uniform(0.5, 1.5, (n, 2))
        plants = Plants(np.arange(n, dtype=np.uint64), form, rng.integers(0, 2, n).astype(np.uint8))
        items = [
            Item("tree", (Mesh(500, 3, 2.0, 9), Mesh(90, 2, 2.0, 9)), Mesh(2, 1, 9.0, 9), 8.0, 77),
            Item("stone", (Mesh(40, 1, 0.0, 9), Mesh(12, 1, 0.0, 9)), None, 1.2, 5),
        ]
        distances = Distances((40,), 120, 260, 14, 70)
        view = View(200, 12, 330, 37, -6, 55, 1.6)
        cost = frame_cost([Patch(plants, lay_out(plants, [i.bound for i in items]))], items, distances, view)

        planes, calls = view.planes, {"tri": 0, "calls": 0, "stri": 0, "scalls": 0}
        cells = {}
        for k in range(n):
            cells.setdefault((form[k, 0] // CELL, form[k, 2] // CELL), []).append(k)
        for members in cells.values():
            reach = np.array([items[plants.item[k]].bound * max(form[k, 7], form[k, 8]) for k in members])
            low = (form[members, :3] - reach[:, None]).min(0)
            high = (form[members, :3] + reach[:, None]).max(0)
            corner = np.where(planes[:, :3] > 0, high, low)
            seen = ((planes[:, :3] * corner).sum(1) + planes[:, 3] >= 0).all()
            drawn, cast = set(), set()
            for k in members:
                item = items[plants.item[k]]
                far = np.linalg.norm(form[k, :3] - view.eye)
                s = states(distances, len(item.lods), item.billboard is not None)
                for i, mesh in enumerate(item.meshes):
                    if seen and s.show[i] <= far < s.hide[i]:
                        calls["tri"] += mesh.triangles
                        drawn.add((plants.item[k], i, mesh.materials))
                    if far < 70 and i < len(item.lods) and s.start[i] <= far < s.end[i]:
                        calls["stri"] += mesh.triangles
                        cast.add((plants.item[k], i, mesh.materials))
            calls["calls"] += sum(m for _, _, m in drawn)
            calls["scalls"] += sum(m for _, _, m in cast)
        self.assertEqual(
            (cost.triangles, cost.draw_calls, cost.shadow_triangles, cost.shadow_calls), tuple(calls.values())
        )
        self.assertGreater(cost.triangles, 1000)
