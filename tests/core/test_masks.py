"""Mask images made here: from conditions, drainage and colours, against slow second ways; kept, renamed and
made again."""

import io
import itertools
import tempfile
import unittest
from collections import Counter
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

import thicket
from tests.core.levels import drawn_level, plain_stand
from thicket.document.edits import ChangeMasks, ChangeSettings, RenameMask, SetHeights
from thicket.document.folder import save_level
from thicket.document.mask_sources import MaskSource
from thicket.document.reading import open_level
from thicket.document.settings import ConditionSettings, StandSettings
from thicket.formats.colours_in import colour_mask, perceived, read_colour_mask
from thicket.ground.shapes import distances_at
from thicket.ground.wetness import basins, catchments, fill_depressions
from thicket.planted.brush_limits import Limits
from thicket.planted.masks import is_current, made_mask
from thicket.planted.painting_masks import MaskBrush
from thicket.planting.pins import lean_of
from thicket.planting.strokes import Stroke, along_path
from thicket.refused import Conflict, Refused


def slow_drainage(heights):
    """Where the steepest way down leads from each cell, cell by cell, where there is one on unfilled ground
    without hollows and flats: cells through each, and where each leaves."""
    rows, columns = heights.shape
    order = sorted(np.ndindex(rows, columns), key=lambda at: -heights[at])
    through, leaves = np.ones(heights.shape, int), {}
    to = {}
    for j, i in order:
        if j in (0, rows - 1) or i in (0, columns - 1):
            continue
        near = [(j + a, i + b) for a in (-1, 0, 1) for b in (-1, 0, 1) if a or b]
        falls = [(heights[j, i] - heights[at]) / np.hypot(at[0] - j, at[1] - i) for at in near]
        to[j, i] = near[int(np.argmax(falls))]
        through[to[j, i]] += through[j, i]
    for at in reversed(order):
        leaves[at] = leaves[to[at]] if at in to else at
    return through, leaves


class Drainage(unittest.TestCase):
    @given(st.integers(0, 10**6))
    @settings(max_examples=20, deadline=None)
    def test_a_tilted_rough_slope_drains_as_when_it_is_followed_cell_by_cell(self, seed):
        rng = np.random.default_rng(seed)
        z, x = np.mgrid[0:23, 0:31].astype(float)
        heights = (500 - 4 * z + 2 * np.abs(x - 15) + rng.uniform(0, 1, z.shape)).astype(np.float32)
        if not np.array_equal(fill_depressions(heights), heights):
            return
        through, leaves = slow_drainage(heights)
        np.testing.assert_array_equal(catchments(heights), through)
        found = basins(heights)
        pairs = {(leaves[at], int(found[at])) for at in np.ndindex(heights.shape)}
        self.assertEqual(len({a for a, _ in pairs}), len(pairs))
        self.assertEqual(len({b for _, b in pairs}), len(pairs))

    @given(st.integers(0, 10**6))
    @settings(max_examples=20, deadline=None)
    def test_all_that_falls_leaves_over_the_rim_once(self, seed):
        rng = np.random.default_rng(seed)
        heights = rng.integers(0, 6, (rng.integers(3, 40), rng.integers(3, 40))).astype(np.float32)
        through, found = catchments(heights), basins(heights)
        rim = np.ones(heights.shape, bool)
        rim[1:-1, 1:-1] = False
        self.assertEqual(through[rim].sum(), heights.size)
        sizes = Counter(found.ravel().tolist())
        leaving = {int(found[at]): int(through[at]) for at in np.argwhere(rim).tolist() for at in [tuple(at)]}
        self.assertEqual(leaving, dict(sizes))


class Made(unittest.TestCase):
    def setUp(self):
        self.level = drawn_level(5)
        self.planted = thicket.plant(self.level)

    def made(self, made_from, **more):
        return made_mask(self.planted, MaskSource.model_validate({"made_from": made_from, **more}))

    def test_values_and_suitability_are_those_of_the_conditions(self):
        slope = {"kind": "slope", "lo": 0, "hi": 20, "soft_hi": 8}
        wet = {"kind": "wetness", "lo": 5, "hi": 30, "soft_lo": 2, "join": "or"}
        rasters = self.planted.rasters
        conditions = [ConditionSettings.model_validate(c).core() for c in (slope, wet)]
        values = rasters.whole_values(conditions[0])
        mask = self.made("values", conditions=[slope], low=5, high=25)
        np.testing.assert_allclose(mask.values / 65535, np.clip((values - 5) / 20, 0, 1), atol=1e-5)
        whole = self.made("values", conditions=[slope])
        self.assertEqual((whole.values.min(), whole.values.max()), (0, 65535))
        both = self.made("suitability", conditions=[slope, wet])
        np.testing.assert_allclose(both.values / 65535, rasters.suitability(conditions).array, atol=1e-5)
        coarse = self.made("suitability", conditions=[slope, wet], cell=4)
        rows, columns = self.planted.ground.cells
        means = both.values.reshape(rows // 4, 4, columns // 4, 4).mean((1, 3))
        np.testing.assert_allclose(coarse.values, means, atol=1)

    def test_rivers_basins_and_the_way_to_rivers(self):
        ground = self.planted.ground
        through = catchments(ground.heights)[:-1, :-1] * ground.cell**2 / 1e4
        rivers = self.made("rivers", catchment=0.2).values > 0
        np.testing.assert_array_equal(rivers, through >= 0.2)
        far = self.made("river distance", catchment=0.2, reach=60).values / 65535
        at = np.argwhere(rivers)
        for j, i in np.argwhere(np.ones_like(rivers))[::997]:
            nearest = min(np.hypot(*(at - (j, i)).T).min() * ground.cell / 60, 1)
            self.assertAlmostEqual(far[j, i], nearest, delta=1e-4)
        found = basins(ground.heights)[:-1, :-1]
        greys = self.made("basins", catchment=0.5).values
        hectares = {n: count * ground.cell**2 / 1e4 for n, count in Counter(found.ravel().tolist()).items()}
        wide = [n for n, size in hectares.items() if size >= 0.5]
        self.assertGreater(len(wide), 1)
        shades = {n: set(greys[found == n].tolist()) for n in hectares}
        self.assertTrue(all(len(s) == 1 for s in shades.values()))
        self.assertEqual(len(set.union(*(shades[n] for n in wide))), len(wide))
        self.assertTrue(all(shades[n] == {0} for n in hectares if n not in wide))
        self.assertEqual(shades[max(wide, key=hectares.get)], {65535})

    def test_what_cannot_be_made_is_refused_in_a_sentence(self):
        gone = {"kind": "mask", "mask": "Nowhere", "lo": 0, "hi": 1}
        for why, said in (
            ("one condition", {"made_from": "values"}),
            ("not above black", {"made_from": "values", "conditions": [gone], "low": 3, "high": 3}),
            ("no mask image 'Nowhere'", {"made_from": "suitability", "conditions": [gone]}),
            ("500,000 hectares", {"made_from": "river distance", "catchment": 500_000}),
            ("at most 4,097", {"made_from": "rivers", "cell": 0.05}),
        ):
            with self.assertRaisesRegex(ValueError, why):
                made_mask(self.planted, MaskSource.model_validate(said))

    def test_a_mask_knows_when_it_would_come_out_otherwise_and_is_kept_with_the_level(self):
        mask = self.made("suitability", conditions=[{"kind": "slope", "lo": 0, "hi": 12}])
        put = ChangeMasks(put={"Gentle": mask.values}, sources={"Gentle": mask.source})
        with_it = self.planted.after(put).after
        self.assertTrue(is_current(with_it, with_it.level.masks["Gentle"]))
        steeper = with_it.after(SetHeights(heights=self.planted.ground.heights * 1.5, cell=1)).after
        kept = steeper.level.masks["Gentle"]
        self.assertFalse(is_current(steeper, kept))
        again = made_mask(steeper, kept.source)
        self.assertNotEqual(again.key, kept.key)
        with tempfile.TemporaryDirectory() as folder:
            save_level(steeper.level, Path(folder))
            read = open_level(folder).masks["Gentle"]
        self.assertEqual((read.key, read.source), (kept.key, kept.source))
        back = put.inverse(self.planted.level)
        self.assertEqual(list(back.apply(with_it.level).masks), list(self.level.masks))

    def test_a_new_name_is_followed_by_conditions_mixes_and_other_masks(self):
        looks = ConditionSettings(kind="mask", mask="Grazing", lo=0.2, hi=1)
        source = MaskSource(made_from="suitability", conditions=[looks])
        level = thicket.plant(self.level).level
        level = level.with_stand(plain_stand(40, "Canopy", 6.0))
        change = {"conditions": [looks.model_dump()], "mix": [{"item": "birch", "weight": 1, "drive": looks}]}
        level = ChangeSettings(put={40: change}).apply(level)
        level = ChangeMasks(put={"Of it": np.zeros((4, 4), np.uint8)}, sources={"Of it": source}).apply(level)
        edit = RenameMask(name="Grazing", to="Sheep")
        after = edit.apply(level)
        self.assertEqual(list(after.masks), ["Sheep", "Of it"])
        renamed = after.stands[40].settings
        self.assertEqual([renamed.conditions[0].mask, renamed.mix[0].drive.mask], ["Sheep"] * 2)
        self.assertEqual(after.masks["Of it"].source.conditions[0].mask, "Sheep")
        plants = [thicket.plant(one)["plain-40"].count() for one in (level, after)]
        self.assertEqual(plants[0], plants[1])
        back = edit.inverse(level).apply(after)
        self.assertEqual(back.stands[40].key, level.stands[40].key)
        for name, to, why in (("Sheep", "Other", "no mask image"), ("Grazing", "Of it", "already")):
            with self.assertRaisesRegex(Refused, why):
                RenameMask(name=name, to=to).apply(level)


class Painting(unittest.TestCase):
    """Mask images painted by hand, and made again under what is painted."""

    def setUp(self):
        self.level = drawn_level(5)
        self.looks = {"kind": "mask", "mask": "Grazing", "lo": 0.4, "hi": 1}
        self.level = self.level.with_stand(plain_stand(40, "Canopy", 6.0))
        self.level = ChangeSettings(put={40: {"conditions": [self.looks]}}).apply(self.level)

    def brush(
        self, verb="whiten", path=((80, 90), (140, 110)), radius=14.0, soft=0.4, name="Grazing", **more
    ):
        return MaskBrush(Stroke(verb, path, radius, soft, 1.0), name, **more)

    def test_each_verb_works_toward_what_it_names_and_nowhere_else(self):
        planted, was = thicket.plant(self.level), self.level.masks["Grazing"].values.astype(int)
        cell = planted.width / was.shape[1]
        z, x = (np.indices(was.shape) + 0.5) * cell
        far = along_path(((80, 90), (140, 110)), x.ravel(), z.ravel()).reshape(was.shape)
        for verb, aim in (("whiten", 255), ("blacken", 0), ("even", 51)):
            edit = self.brush(verb, grey=0.2).edit(planted)
            now = edit.apply(self.level).masks["Grazing"].values.astype(int)
            self.assertTrue((np.abs(now[far < 14 * 0.5] - aim) <= 1).all(), verb)
            np.testing.assert_array_equal(now[far > 14 + cell], was[far > 14 + cell])
        smooth = self.brush("smooth", radius=30.0).edit(planted).apply(self.level).masks["Grazing"].values
        self.assertLess(smooth[far < 8].astype(int).std(), 0.6 * was[far < 8].std())
        area = next(n for n, s in self.level.shapes.items() if s.kind == "area")
        x0, z0, x1, z1 = self.level.shapes[area].box
        across = ((x0 - 30, (z0 + z1) / 2), (x1 + 30, (z0 + z1) / 2))
        edit = self.brush("whiten", across, limits=Limits(area=area)).edit(planted)
        now = edit.apply(self.level).masks["Grazing"].values
        inside = distances_at([self.level.shapes[area]], x.ravel(), z.ravel())[0].reshape(was.shape) <= 0
        changed = now != was
        self.assertTrue(changed.any() and not (changed & ~inside).any())

    def test_strokes_are_taken_back_in_any_order_and_plants_follow_as_if_planted_anew(self):
        brushes = [
            self.brush(),
            self.brush("blacken", ((100, 60), (110, 160))),
            self.brush("smooth", radius=25.0),
        ]
        planted, undo = thicket.plant(self.level), []
        first = planted.planting(40).count()
        for brush in brushes:
            edit = brush.edit(planted)
            undo.append(edit.inverse(planted.level))
            step = planted.after(edit)
            fresh = thicket.plant(step.after.level)
            for stand in fresh.stands:
                now, anew = (
                    sorted(p.planting(stand).plants_in(p.planting(stand).everywhere).id)
                    for p in (step.after, fresh)
                )
                self.assertEqual(now, anew)
            planted = step.after
        few = self.brush("whiten", ((20, 20), (22, 22)), 6.0).edit(planted)
        sheets = planted.after(few).sheets
        self.assertEqual({s for found in sheets.values() for s in found}, {(0, 0)} if sheets else set())
        for order in itertools.permutations(undo):
            level = planted.level
            for back in order:
                level = back.apply(level)
            self.assertEqual(level.masks["Grazing"].key, self.level.masks["Grazing"].key)
            self.assertIsNone(level.masks["Grazing"].painted)
        self.assertEqual(thicket.plant(level).planting(40).count(), first)

    def test_painting_stays_when_a_mask_is_made_again_or_brought_in_again(self):
        source = MaskSource.model_validate(
            {
                "made_from": "suitability",
                "conditions": [{"kind": "slope", "lo": 0, "hi": 12}],
                "automatic": True,
            }
        )
        mask = made_mask(thicket.plant(self.level), source)
        put = ChangeMasks(put={"Gentle": mask.base}, sources={"Gentle": mask.source})
        planted = thicket.plant(self.level).after(put).after
        stroke = self.brush(name="Gentle").edit(planted)
        planted = planted.after(stroke).after
        steeper = SetHeights(heights=self.level.heights.ground.heights * 1.5, cell=1)
        after = planted.after(steeper).after
        (remade,) = (after.level.masks["Gentle"],)
        fresh = made_mask(thicket.plant(after.level), source)
        np.testing.assert_array_equal(remade.base, fresh.base)
        self.assertTrue(is_current(after, remade))
        np.testing.assert_array_equal(remade.painted, planted.level.masks["Gentle"].painted)
        whole = thicket.edit(planted.level, [steeper])
        self.assertEqual(whole.masks["Gentle"].key, remade.key, "the same in Python, without a planted level")
        for back in (steeper.inverse(planted.level), stroke.inverse(planted.level), put.inverse(self.level)):
            after = after.after(back).after
        self.assertEqual(list(after.level.masks), list(self.level.masks))
        wide = ChangeMasks(put={"Gentle": mask.base[::2, ::2]})
        smaller = wide.apply(planted.level).masks["Gentle"]
        self.assertGreater(
            (smaller.painted != 0).sum(), 0.15 * (planted.level.masks["Gentle"].painted != 0).sum()
        )
        with self.assertRaisesRegex(Conflict, "another size since"):
            stroke.apply(wide.apply(planted.level))
        again = wide.inverse(planted.level).apply(wide.apply(planted.level)).masks["Gentle"]
        np.testing.assert_array_equal(again.painted, planted.level.masks["Gentle"].painted)
        with tempfile.TemporaryDirectory() as folder:
            save_level(planted.level, Path(folder))
            read = open_level(folder).masks["Gentle"]
        np.testing.assert_array_equal(read.painted, planted.level.masks["Gentle"].painted)
        np.testing.assert_array_equal(read.base, mask.base)

    def test_what_cannot_be_is_refused_by_a_sentence(self):
        planted = thicket.plant(self.level)
        itself = MaskSource.model_validate(
            {"made_from": "suitability", "conditions": [self.looks], "automatic": True}
        )
        put = {"Grazing": np.zeros((9, 9), np.uint16)}
        for why, work in (
            ("no mask image 'Nothing'", lambda: self.brush(name="Nothing").edit(planted)),
            ("no brush verb called 'raise'", lambda: self.brush("raise")),
            ("lies outside the level", lambda: self.brush(path=((-90, 20),)).edit(planted)),
            ("too wide for this brush", lambda: self.brush(path=((4, 4),), radius=0.3).edit(planted)),
            ("between 0 for black and 1", lambda: self.brush("even", grey=float("nan"))),
            ("no area 999", lambda: self.brush(limits=Limits(area=999)).edit(planted)),
            ("made from itself", lambda: ChangeMasks(put=put, sources={"Grazing": itself}).apply(self.level)),
            (
                "made again by hand",
                lambda: MaskSource.model_validate(
                    {
                        "made_from": "suitability",
                        "conditions": [{"kind": "stand", "stand": 1, "lo": 0, "hi": 5}],
                        "automatic": True,
                    }
                ),
            ),
        ):
            with self.assertRaisesRegex(ValueError, why):
                work()


class Driving(unittest.TestCase):
    def test_a_mask_sets_lean_and_tint_and_moves_nothing(self):
        """Black on the western half, white on the eastern one: there, nothing differs."""
        level = drawn_level(5)
        halves = np.zeros((1, 2), np.uint8)
        halves[0, 1] = 255
        wide = np.repeat(np.repeat(halves, 64, 0), 64, 1)
        level = ChangeMasks(put={"East": wide}).apply(level)
        stand = plain_stand(40, "Canopy", 6.0)
        variation = stand.settings.variation.model_copy(update={"lean": 20, "follow": 0})
        look = {"kind": "mask", "mask": "East", "lo": 0.5, "hi": 1, "density": False}
        found = []
        for conditions in ([], [{**look, "lean": 0.25, "tint": 0.5}]):
            settings = stand.settings.model_dump() | {"conditions": conditions, "variation": variation}
            own = replace(stand, settings=StandSettings.model_validate(settings))
            planting = thicket.plant(level.with_stand(own)).planting(40)
            found.append(planting.plants((0, 0)).form)
        plain, driven = found
        width = level.heights.ground.width
        west, east = plain[:, 0] < width / 2 - 2, plain[:, 0] > width / 2 + 2
        self.assertGreater(min(west.sum(), east.sum()), 50)
        np.testing.assert_array_equal(plain[east], driven[east])
        kept = [0, 1, 2, 7, 8]
        np.testing.assert_array_equal(plain[:, kept], driven[:, kept])
        leans = [np.array([lean_of(q) for q in form[west, 3:7]]) for form in found]
        np.testing.assert_allclose(leans[1], 0.25 * leans[0], atol=0.01)
        np.testing.assert_allclose(driven[west, 9], 0.5 * plain[west, 9], atol=1e-6)


class Colours(unittest.TestCase):
    def test_picked_colours_are_white_and_fade_over_the_soft_edge(self):
        blue, green = (38, 92, 168), (90, 120, 60)
        picture = np.full((40, 30, 3), green, np.uint8)
        picture[:, 10:14] = blue
        picture[:, 14] = (48, 100, 172)
        mask = colour_mask(picture, [blue], 0.01, 0.1)
        self.assertTrue((mask[:, 10:14] == 65535).all() and (mask[:, :10] == 0).all())
        far = float(np.linalg.norm(perceived(np.array(blue)) - perceived(np.array([48, 100, 172]))))
        self.assertAlmostEqual(mask[0, 14] / 65535, 1 - (far - 0.01) / 0.1, delta=1e-4)
        self.assertTrue((colour_mask(picture, [blue, green], 0.001, 0)[:, 15:] == 65535).all())
        np.testing.assert_allclose(perceived(np.array([255, 255, 255])), [1, 0, 0], atol=1e-3)

    def test_files_and_colours_that_do_not_fit(self):
        out = io.BytesIO()
        Image.new("RGB", (8, 8), "#336699").save(out, "PNG")
        with tempfile.TemporaryDirectory() as folder:
            good, bad = Path(folder) / "good.png", Path(folder) / "bad.png"
            good.write_bytes(out.getvalue())
            bad.write_bytes(out.getvalue()[:45])
            self.assertTrue((read_colour_mask(good, "good.png", ["#336699"], 0, 0) == 65535).all())
            for path, colours, why in (
                (bad, ["#336699"], "bad.png: it is damaged"),
                (good, ["#ff0000"], "no such colour"),
                (good, [], "pick one"),
            ):
                with self.assertRaisesRegex(Refused, why):
                    read_colour_mask(path, path.name, colours, 0.02, 0.02)
