"""Nothing stands in anything: every pair of footprints in the level, whatever is painted, tried or moved."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from server.cache import CACHE
from server.document.planted import planted_of
from server.levels.models import Level
from tests.server.test_ground import GroundCase, key
from thicket.planted import patching
from thicket.planting.stands import join


def overlaps(level):
    """Pairs of plants whose footprints overlap by the rules, checked with scipy's tree over the whole level:
    on the plan those of the terrain, through space those on placed meshes."""
    scene = planted_of(level)
    whole = []
    for stand in sorted(scene.stands.values(), key=lambda s: s.order):
        if not stand.sward:
            planting = scene.planting(stand.number)
            plants = join([planting.plants(sheet) for sheet in planting.sheets_in(planting.everywhere)])
            form = plants.form.astype(float)
            radii = planting.radii[plants.item] * form[:, 7:8]
            at = form[:, :3] if stand.settings.on else form[:, [0, 2]]
            whole.append((planting, at, radii.max(axis=1), radii[:, 1]))
    bad = 0
    for a, (upper, there, crowns, trunks) in enumerate(whole):
        for lower, at, _, mine in whole[a:]:
            same = lower is upper
            apart = bool(lower.settings.on) != bool(upper.settings.on)
            if lower.host == upper.stand.number or apart or not len(there) or not len(at):
                continue
            theirs = trunks if same or upper.stand.stratum in lower.settings.under else crowns
            reach = float(theirs.max()) + float(mine.max())
            pairs = cKDTree(there).query_ball_tree(cKDTree(at), reach)
            for k, found in enumerate(pairs):
                for m in found:
                    far = np.linalg.norm(there[k] - at[m])
                    bad += far < theirs[k] + mine[m] - 1e-6 and not (same and m == k)
    return bad, sum(len(at) for _, at, _, _ in whole)


class Room(GroundCase):
    def fresh(self):
        return Level.objects.get(pk=self.level.pk)

    def test_no_footprints_overlap_and_no_tuft_grows_through_a_trunk(self):
        self.settings(conditions=[], spacing=2.2, fullness=1)
        blocks = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{blocks.pk}",
            {"key": key(), "settings": {"conditions": [], "spacing": 2.5, "fullness": 0.9}},
            method="patch",
        )
        bad, count = overlaps(self.fresh())
        self.assertEqual((bad, count > 4000), (0, True))
        level = self.fresh()
        scene = planted_of(level)
        grass = scene["moor-grass"]
        trunks = [p.discs(p.everywhere, 0, False) for p in scene.above(grass.stand)]
        counted = 0
        for sheet in grass.sheets_in(grass.everywhere):
            form = grass.plants(sheet).form
            counted += len(form)
            for discs in trunks:
                near, _ = cKDTree(np.c_[discs.x, discs.z]).query(form[:, [0, 2]])
                self.assertTrue(near.size == 0 or near.min() >= discs.r.min() - 1e-6)
        self.assertAlmostEqual(counted / grass.count(), 1, delta=0.01)

    def test_trees_may_stand_under_crowns_when_told_but_never_in_a_trunk(self):
        self.settings(conditions=[], spacing=3, fullness=1)
        alone = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"]
        self.settings(under=["Stone"])
        self.assertGreaterEqual(self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"], alone)
        self.assertEqual(overlaps(self.fresh())[0], 0)
        self.settings(gap=3)
        apart = self.north.get(f"{self.base}/stands/{self.birch.pk}").json()["count"]
        self.assertLess(apart, alone)

    def test_any_window_gives_the_same_plants(self):
        level = self.fresh()
        plantings = [p for p in planted_of(level).plantings() if not p.stand.sward]
        corner, side = st.integers(0, 210), st.integers(20, 120)

        @settings(max_examples=20, deadline=None)
        @given(st.sampled_from(plantings), corner, corner, side, side)
        def check(planting, x, z, wide, high):
            whole = planting.plants((0, 0))
            box = (x, z, min(x + wide, 256), min(z + high, 256))
            inside = (
                (whole.form[:, 0] >= box[0])
                & (whole.form[:, 0] < box[2])
                & (whole.form[:, 2] >= box[1])
                & (whole.form[:, 2] < box[3])
            )
            self.assertEqual(set(planting.plants_in(box).id.tolist()), set(whole.id[inside].tolist()))

        check()

    def test_a_sheet_planted_anew_in_part_is_the_sheet_planted_whole(self):
        self.settings(conditions=[], spacing=2.4, fullness=0.9, gap=0.3)
        stones = self.level.stands.get(slug="slate-blocks")
        self.post(
            f"/stands/{stones.pk}",
            {"key": key(), "settings": {"conditions": [], "fullness": 0.5}},
            method="patch",
        )
        stroke = st.tuples(
            st.sampled_from(["thicken", "thin"]),
            st.integers(0, 255),
            st.integers(0, 255),
            st.integers(2, 40),
            st.booleans(),
        )

        @settings(max_examples=8, deadline=None)
        @given(st.lists(stroke, min_size=1, max_size=3))
        def check(strokes):
            patches = 0
            for verb, x, z, radius, above in strokes:
                for planting in self.singles():
                    planting.plants((0, 0))
                self.stroke(
                    stand=(stones if above else self.birch).pk, verb=verb, path=[[x, z]], radius=radius
                )
                for planting in self.singles():
                    old = CACHE.peek(("mark", planting.level.slug, planting.stand.number, (0, 0)))
                    mark = planting.keys.mark((0, 0))
                    patches += planting._from_before((0, 0), old, mark) is not None
                    planted, whole = (
                        planting.plants((0, 0)),
                        patching.in_order(planting.plants_in(planting.window((0, 0)))),
                    )
                    for name in ("id", "form", "item"):
                        np.testing.assert_array_equal(getattr(planted, name), getattr(whole, name))
            self.assertGreater(patches, 0)

        check()

    def singles(self):
        scene = planted_of(self.fresh())
        return [
            scene.planting(s.number)
            for s in sorted(scene.stands.values(), key=lambda s: s.order)
            if not s.sward
        ]

    def test_why_names_the_plant_in_the_way(self):
        self.settings(conditions=[], spacing=2.2, fullness=1)
        level = self.fresh()
        blocks = planted_of(level).planting(level.stands.get(slug="slate-blocks").number)
        form = blocks.plants((0, 0)).form
        big = form[form[:, 7].argmax()]
        told = self.post(f"/stands/{self.birch.pk}/why", {"x": float(big[0]), "z": float(big[2])}).json()
        self.assertFalse(told["planted"])
        self.assertIn("a plant of Slate blocks stands", told["shut"])
