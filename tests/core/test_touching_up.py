"""The ground touched up by hand: what each verb does, that it is taken back exactly in any order, and that
plants follow as if the ground had always lain so."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

import thicket
from tests.core.levels import drawn_level
from thicket.document.edits import RaiseGround, RenameLayer, SetHeights
from thicket.document.edits.layers import layer_added, layer_removed
from thicket.document.rasters import Heights, LayerMaps
from thicket.document.settings import ConditionSettings
from thicket.planted.brush_limits import Limits
from thicket.planted.touching_up import GroundBrush
from thicket.planting.strokes import Stroke
from thicket.refused import Conflict, Refused


def a_stroke(verb="raise", path=((60, 70), (110, 90)), radius=12.0, soft=0.5, strength=1.0, **more):
    return Stroke(verb, path, radius, soft, strength, **more)


class TouchingUp(unittest.TestCase):
    def setUp(self) -> None:
        self.level = drawn_level(4)
        self.heights = self.level.heights.ground.heights

    def after(self, verb, amount=1.0, toward=None, **more):
        edit = GroundBrush(a_stroke(verb, **more), amount, toward).edit(thicket.plant(self.level))
        return edit.apply(self.level).heights.ground.heights

    def test_raising_and_lowering_by_so_much_inside_the_soft_edge_alone(self):
        for verb, by in (("raise", 2.5), ("lower", -2.5)):
            there = self.after(verb, 2.5) - self.heights
            self.assertAlmostEqual(float(there[80, 85]), by, places=3, msg="on the path")
            z, x = np.mgrid[0 : there.shape[0], 0 : there.shape[1]]
            t = np.clip(((x - 60) * 50 + (z - 70) * 20) / (50**2 + 20**2), 0, 1)
            far = np.hypot(x - 60 - 50 * t, z - 70 - 20 * t)
            np.testing.assert_array_equal(there[far >= 12], 0)
            np.testing.assert_allclose(there[far < 5.9], by, atol=2e-3)
            self.assertTrue((np.abs(there[(far > 6.5) & (far < 11.5)]) < 2.5).all())

    def test_flattening_smoothing_and_sloping(self):
        flat = self.after("flatten", path=((100, 100),), soft=0.2)
        begins = float(self.level.heights.ground.height_at(np.array([100.0]), np.array([100.0]))[0])
        np.testing.assert_allclose(flat[94:107, 94:107], begins, atol=2e-3)
        np.testing.assert_allclose(self.after("flatten", toward=7.0, soft=0.2)[78:83, 80:90], 7, atol=2e-3)
        bumps = np.where(np.indices(self.heights.shape).sum(axis=0) % 2, 1, -1).astype(np.float32)
        bumpy = replace(self.level, heights=Heights.of(self.heights + bumps, 1.0))
        smooth = (
            GroundBrush(a_stroke("smooth", radius=20.0))
            .edit(thicket.plant(bumpy))
            .apply(bumpy)
            .heights.ground.heights
        )
        np.testing.assert_allclose(smooth[78:83, 75:95], self.heights[78:83, 75:95], atol=0.3)
        np.testing.assert_array_equal(smooth[:40], bumpy.heights.ground.heights[:40])
        low = Limits(altitude=(-1e4, float(np.median(self.heights[78:83, 75:95]))))
        stroke = a_stroke("flatten", path=((60, 80), (110, 80)), soft=0.1)
        limited = GroundBrush(stroke, toward=50.0, limits=low).edit(thicket.plant(self.level))
        box, changed = limited.box, limited.delta != 0
        there = self.heights[box[1] : box[3], box[0] : box[2]]
        self.assertLess(float(there[changed].max()), low.altitude[1] + 2)
        self.assertGreater(float(there[~changed].max()), low.altitude[1])
        slope = self.after("slope", path=((60, 80), (110, 80)), soft=0.1)
        ends = self.heights[80, [60, 110]].astype(float)
        np.testing.assert_allclose(slope[80, 60:111], np.linspace(*ends, 51), atol=3e-3)

    def test_strokes_over_one_another_are_taken_back_in_any_order_to_the_same_bytes(self):
        strokes = [
            GroundBrush(a_stroke("raise"), 3.3),
            GroundBrush(a_stroke("smooth", path=((80, 60), (90, 100)))),
            GroundBrush(a_stroke("flatten", path=((100, 90), (70, 80)), strength=0.7)),
        ]
        for order in itertools.permutations(range(3)):
            level, back = self.level, []
            for brush in strokes:
                edit = brush.edit(thicket.plant(level))
                back.append(edit.inverse(level))
                level = edit.apply(level)
            for k in order:
                again = back[k].inverse(level)
                level = back[k].apply(level)
                self.assertEqual(back[k].apply(again.apply(level)).heights.key, level.heights.key)
            self.assertEqual(level.heights.key, self.level.heights.key, order)
            self.assertIsNone(level.heights.raised)

    def test_plants_follow_as_if_the_ground_had_always_lain_so(self):
        for seed in (4, 11, 12):
            with self.subTest(seed=seed):
                self._follow(drawn_level(seed, side=600))

    def _follow(self, level):
        planted = thicket.plant(level)
        planted.counts()
        edit = GroundBrush(a_stroke("raise", path=((120, 130), (150, 120))), 4.0).edit(thicket.plant(level))
        step = planted.after(edit)
        plain = replace(level, heights=Heights.of(step.after.ground.heights, self.level.heights.ground.cell))
        anew, moved = thicket.plant(plain), 0
        for stand in step.after.level.in_order:
            was, mine, fresh = (p.planting(stand.number) for p in (planted, step.after, anew))
            changed = set(step.sheets_of(stand.number))
            for sheet in mine.sheets_in(mine.everywhere):
                self.assertEqual(mine.key(sheet), fresh.key(sheet), (stand.slug, sheet))
                np.testing.assert_array_equal(mine.plants(sheet).form, fresh.plants(sheet).form)
                np.testing.assert_array_equal(mine.plants(sheet).id, fresh.plants(sheet).id)
                if sheet not in changed:
                    np.testing.assert_array_equal(mine.plants(sheet).form, was.plants(sheet).form)
            if not any(c.kind == "wetness" for c in stand.settings.conditions):
                sheets = len(list(mine.sheets_in(mine.everywhere)))
                self.assertLess(len(changed), sheets, f"{stand.slug} is not planted anew far from the stroke")
            moved += len(changed)
        self.assertGreater(moved, 0)

    def test_a_layer_covers_the_others_and_only_plants_that_ask_for_layers_follow(self):
        weights = np.zeros((256, 256, 2), np.uint8)
        weights[..., 0], weights[..., 1] = 205, 50
        level = replace(self.level, layers=LayerMaps.of(("turf", "scree"), weights))
        edit = GroundBrush(a_stroke("cover", soft=0.1, strength=0.6), layer="scree").edit(
            thicket.plant(level)
        )
        now = edit.apply(level).layers.weights
        np.testing.assert_array_equal(now[80, 85], [82, 173])
        np.testing.assert_array_equal(now.sum(axis=2), 255)
        np.testing.assert_array_equal(now[:50], weights[:50])
        self.assertEqual(edit.inverse(level).apply(edit.apply(level)).layers.key, level.layers.key)
        c = ConditionSettings.model_validate({"kind": "layer", "lo": 0.5, "hi": 1, "layers": ["scree"]})
        stand = level.in_order[0]
        asks = stand.settings.model_copy(update={"conditions": [c]})
        level = replace(level, stands=level.stands | {stand.number: replace(stand, settings=asks)})
        step = thicket.plant(level).after(edit)
        anew = thicket.plant(step.after.level)
        self.assertGreater(step.counted(stand.number)[0], 0, "where scree is now")
        for other in level.in_order:
            mine, fresh = step.after.planting(other.number), anew.planting(other.number)
            for sheet in mine.sheets_in(mine.everywhere):
                np.testing.assert_array_equal(mine.plants(sheet).form, fresh.plants(sheet).form)

    def test_layers_are_added_renamed_and_removed_with_what_refers_to_them(self):
        level = self.level
        level = layer_added(level, "mud").apply(level)
        self.assertEqual(level.layers.names[-1], "mud")
        edit = GroundBrush(a_stroke("cover"), layer="mud").edit(thicket.plant(level))
        painted = edit.apply(level)
        c = ConditionSettings.model_validate({"kind": "layer", "lo": 0.5, "hi": 1, "layers": ["mud"]})
        stand = level.in_order[0]
        asks = stand.settings.model_copy(update={"conditions": [c]})
        painted = replace(painted, stands=painted.stands | {stand.number: replace(stand, settings=asks)})
        rename = RenameLayer(name="mud", to="clay")
        renamed = rename.apply(painted)
        self.assertEqual(renamed.stands[stand.number].settings.conditions[0].layers, ["clay"])
        counts = [thicket.plant(one).planting(stand.number).count() for one in (painted, renamed)]
        self.assertEqual(counts[0], counts[1])
        back = rename.inverse(painted).apply(renamed)
        self.assertEqual(back.stands[stand.number].settings, asks)
        self.assertEqual(back.layers.key, painted.layers.key)
        gone = layer_removed(painted, "mud").apply(painted)
        self.assertEqual(gone.layers.names, self.level.layers.names)
        sums = [one.layers.weights.astype(int).sum(axis=2) for one in (painted, gone)]
        self.assertLessEqual(np.abs(sums[0] - sums[1]).max(), 1, "the others take its place")
        for make, says in (
            (lambda: layer_added(painted, "mud"), "a ground layer 'mud' already"),
            (lambda: layer_removed(level, "peat"), "no ground layer 'peat'"),
            (lambda: RenameLayer(name="peat", to="bog").apply(level), "no ground layer 'peat'"),
            (
                lambda: GroundBrush(a_stroke("cover"), layer="peat").edit(thicket.plant(level)),
                "no ground layer 'peat'",
            ),
            (lambda: edit.apply(renamed), "has been changed since"),
        ):
            with self.assertRaisesRegex(Refused, says):
                make()

    def test_it_is_saved_with_the_level_and_opened_with_what_can_still_be_taken_back(self):
        edit = GroundBrush(a_stroke("raise"), 2.0).edit(thicket.plant(self.level))
        raised, back = edit.apply(self.level), edit.inverse(self.level)
        with tempfile.TemporaryDirectory() as folder:
            thicket.save_level(raised, folder)
            opened = thicket.open_level(folder)
            self.assertEqual(opened.heights.key, raised.heights.key)
            self.assertEqual(back.apply(opened).heights.key, self.level.heights.key)
            other = Heights.of(self.heights + np.float32(1), self.level.heights.ground.cell)
            with tempfile.TemporaryDirectory() as second:
                thicket.save_level(replace(self.level, heights=other), second)
                (Path(folder) / "heights.tif").write_bytes((Path(second) / "heights.tif").read_bytes())
            changed = thicket.open_level(folder)
            self.assertEqual(changed.heights.key, other.key, "the heights count, if somebody changed them")
            self.assertIsNone(changed.heights.raised)
            thicket.save_level(self.level, folder)
            self.assertFalse((Path(folder) / "ground").exists())

    def test_what_cannot_be_done_is_a_sentence(self):
        for make, says in (
            (lambda: GroundBrush(a_stroke("thin")), "no brush verb called 'thin'"),
            (lambda: GroundBrush(a_stroke(), 0.0), "more than 0 m and at most 100 m"),
            (lambda: GroundBrush(a_stroke(), float("nan")), "more than 0 m and at most 100 m"),
            (
                lambda: GroundBrush(a_stroke(path=((-90, 5),))).edit(thicket.plant(self.level)),
                "lies outside the level",
            ),
            (
                lambda: GroundBrush(a_stroke("slope", path=((50, 50),))).edit(thicket.plant(self.level)),
                "needs two places",
            ),
            (lambda: GroundBrush(a_stroke(strength=0.0)).edit(thicket.plant(self.level)), "stays as it is"),
            (
                lambda: GroundBrush(a_stroke()).edit(thicket.plant(self.level), lambda x, z: x > 200),
                "stays as it is",
            ),
            (
                lambda: RaiseGround(box=(0, 0, 2, 2), delta=np.zeros((3, 2), np.int32)).apply(self.level),
                "another size than its box",
            ),
            (
                lambda: RaiseGround(box=(0, 0, 2, 2), delta=np.full((2, 2), 2**30)).apply(self.level),
                "by more than 100,000 m",
            ),
        ):
            with self.assertRaisesRegex(Refused, says):
                make()
        edit = GroundBrush(a_stroke()).edit(thicket.plant(self.level))
        back = edit.inverse(self.level)
        other = SetHeights(heights=self.heights + np.float32(2), cell=1.0).apply(edit.apply(self.level))
        with self.assertRaisesRegex(Conflict, "The ground has been changed since"):
            back.apply(other)
