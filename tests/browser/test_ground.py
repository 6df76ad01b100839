"""The Ground bench and the conditions by the real pointer: bring a hill in and undo it, draw and move a road,
tune, ask why."""

import io
import re
import zlib

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from server.document.planted import planted_of
from server.levels.models import Level
from server.shapes.models import Shape
from server.stands.access import stands_of
from server.stands.models import Stand
from tests.browser.base import BrowserCase

COUNT = "n => Number(document.querySelector('[data-test=count-birch]').innerText.replace(/\\D/g, ''))"


class LevelCase(BrowserCase):
    def level(self):
        return Level.objects.get(slug="hobbin-delph")


class GroundWork(LevelCase):
    def test_bring_in_heights_see_what_changes_keep_and_undo(self):
        page = self.page_of("lead")
        self.open_level(page, "ground")
        before, first = self.count(page, "birch"), self.level()
        heights = planted_of(first).ground.heights[::2, ::2] + 0.0
        heights[60:90, 60:100] += 15
        low, high = float(heights.min()), float(heights.max())
        out = io.BytesIO()
        Image.fromarray(np.rint((heights - low) / (high - low) * 65535).astype(np.uint16)).save(out, "PNG")
        page.click("[data-test=bring-heights]")
        self.field(page, "import-file").set_input_files(
            {"name": "rough.png", "mimeType": "image/png", "buffer": out.getvalue()}
        )
        page.wait_for_selector("text=Say the cell size")
        self.fill(page, "import-cell", "8")
        self.fill(page, "import-low", str(round(low, 2)))
        self.fill(page, "import-high", str(round(high, 2)))
        page.wait_for_selector("[data-test=import-forecast]")
        self.assertIn("129 × 129", page.inner_text("[data-test=import-numbers]").replace("\u202f", ""))
        forecast = page.inner_text("[data-test=import-forecast]")
        self.assertIn("Birch", forecast)
        self.assertEqual(self.level().ground_revision, first.ground_revision)
        page.click("[data-test=import-keep]")
        page.wait_for_selector("[data-test=import]", state="detached")
        page.wait_for_function(f"{COUNT} !== n", arg=before)
        self.assertEqual((self.level().rows, self.level().cell), (128, 8))
        page.wait_for_selector("[data-test=bookmarks]")
        page.click("[data-test=undo]")
        page.wait_for_function(f"{COUNT} === n", arg=before)
        np.testing.assert_array_equal(
            planted_of(self.level()).ground.heights, planted_of(first).ground.heights
        )

    def test_masks_are_made_from_the_ground_and_from_colours_named_and_removed(self):
        page = self.page_of("north", 1280, 800)
        self.open_level(page, "ground")
        if page.get_attribute("[data-test=part-masks]", "aria-expanded") != "true":
            page.click("[data-test=part-masks]")
        before = [m.name for m in self.level().masks.all()]
        page.click("[data-test=mask-make]")
        self.choose(page, "mask-from", "Distance to rivers")
        self.fill(page, "mask-catchment", "900000")
        expect(page.locator("[data-test=mask-trouble]")).to_contain_text("nowhere do 900,000 hectares")
        self.fill(page, "mask-catchment", "2")
        expect(page.locator("[data-test=mask-trouble]")).to_have_count(0)
        self.whole(page, "[data-test=ground-bench]")
        page.click("[data-test=mask-keep]")
        made = page.locator("[data-test='mask-Distance to rivers']")
        expect(made).to_contain_text("made from distance to rivers")
        page.click("[data-test='mask-name-Distance to rivers']")
        self.fill(page, "mask-rename", "To the brook")
        self.field(page, "mask-rename").press("Enter")
        expect(page.locator("[data-test='mask-To the brook']")).to_be_visible()
        page.click("[data-test='mask-again-To the brook']")
        expect(page.locator("[data-test=difference]")).to_contain_text("made again")
        picture, out = np.full((60, 80, 3), (120, 130, 80), np.uint8), io.BytesIO()
        picture[:, 30:50] = (40, 90, 170)
        Image.fromarray(picture).save(out, "PNG")
        page.click("[data-test=mask-colours]")
        self.field(page, "colour-file").set_input_files(
            {"name": "brook.png", "mimeType": "image/png", "buffer": out.getvalue()}
        )
        page.click("[data-test=colour-picture]")
        expect(page.locator("[data-test=colour-picked]")).to_have_text("#285aaa")
        self.whole(page, "[data-test=colour-mask]")
        page.click("[data-test=colour-keep]")
        expect(page.locator("[data-test=mask-brook]")).to_contain_text("16 bits")
        brook = self.level().masks.get(name="brook")
        values = np.frombuffer(zlib.decompress(brook.data), np.uint16).reshape(60, 80)
        self.assertTrue((values[:, 30:50] == 65535).all() and values[:, :30].max() == 0)
        for _ in range(4):
            with page.expect_response("**/undo"):
                page.keyboard.press("Control+z")
        expect(page.locator("[data-test=mask-brook]")).to_have_count(0)
        self.assertEqual([m.name for m in self.level().masks.all()], before)

    def test_a_mask_is_painted_looked_at_and_taken_back(self):
        page = self.page_of("north")
        self.open_level(page, "ground")
        self.settled(page)
        began = planted_of(self.level()).level.masks["Grazing"]
        page.click("[data-test=mask-paint-Grazing]")
        page.click("[data-test=ground-whiten]")
        self.fill(page, "ground-radius", "40")
        self.field(page, "ground-radius").press("Enter")
        self.drag(page, "plan", (0.5, 0.5), (40, 10))
        says = page.locator("[data-test=difference]")
        expect(says).to_contain_text("Whitened the mask image Grazing")
        expect(page.locator("[data-test=mask-Grazing]")).to_contain_text("painted over")
        white = planted_of(self.level()).level.masks["Grazing"]
        self.assertGreater(int(white.values.astype(int).sum()), int(began.values.astype(int).sum()))
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        expect(page.locator("[data-test=mask-Grazing]")).not_to_contain_text("painted over")
        self.assertEqual(planted_of(self.level()).level.masks["Grazing"].key, began.key)

    def test_the_ground_is_raised_and_covered_plants_follow_and_undo_brings_all_back(self):
        page = self.page_of("north")
        began = planted_of(self.level()).level
        self.open_level(page, "ground")
        self.settled(page)
        before = self.count(page, "birch")
        tiles = []
        page.on("request", lambda r: "/ground/" in r.url and tiles.append(r.url))
        says = page.locator("[data-test=difference]")
        page.click("[data-test=ground-raise]")
        self.fill(page, "ground-radius", "60")
        self.fill(page, "ground-amount", "30")
        self.field(page, "ground-amount").press("Enter")
        with page.expect_response(lambda answer: answer.url.endswith("/ground/strokes")):
            self.drag(page, "plan", (0.62, 0.6), (20, 6))
        expect(says).to_contain_text("Raised the ground")
        page.wait_for_function(f"{COUNT} !== n", arg=before)
        self.settled(page)
        raised = planted_of(self.level()).level
        self.assertGreater(float((raised.heights.ground.heights - began.heights.ground.heights).max()), 10)
        own = [url for url in tiles if "/heights/" in url or "/layers/" in url]
        self.assertTrue(1 <= len(own) <= 2, f"the page reads again only what changed: {own}")
        page.click("[data-test=ground-cover]")
        self.choose(page, "ground-layer", "track")
        self.drag(page, "plan", (0.3, 0.6), (20, 6))
        expect(says).to_contain_text("Covered the ground with track")
        self.assertNotEqual(planted_of(self.level()).level.layers.key, began.layers.key)
        page.keyboard.press("Escape")
        expect(page.locator("[data-test=ground-says]")).to_have_count(0)
        for what in ("Covered", "Raised"):
            page.click("[data-test=undo]")
            expect(says).to_contain_text(f"Undone: {what}")
        page.wait_for_function(f"{COUNT} === n", arg=before)
        now = planted_of(self.level()).level
        self.assertEqual((now.heights.key, now.layers.key), (began.heights.key, began.layers.key))

    def test_relief_with_its_value_and_a_road_drawn_moved_locked_and_removed(self):
        page = self.page_of("north")
        self.open_level(page, "ground")
        self.choose(page, "relief-kind", "Slope")
        plan = page.locator("[data-test=plan]").bounding_box()
        at = lambda u, v: (plan["x"] + u * plan["width"], plan["y"] + v * plan["height"])
        page.mouse.move(*at(0.5, 0.6))
        page.wait_for_function(
            "() => /^[0-9.]+°/.test(document.querySelector('[data-test=relief-value]').innerText)"
        )
        birch = Stand.objects.get(slug="birch")
        before = self.count(page, "birch")
        page.keyboard.press("p")
        for u, v in ((0.62, 0.62), (0.75, 0.86), (0.9, 0.9)):
            page.mouse.click(*at(u, v))
        page.keyboard.press("Enter")
        shapes = Shape.objects.count()
        expect(page.locator("[data-test=shape-try]")).to_contain_text(re.compile("Birch.*−[1-9]"))
        self.assertEqual((Shape.objects.count(), self.count(page, "birch")), (shapes, before))
        page.reload()
        page.wait_for_selector("[data-test=bookmarks]")
        page.click("[data-test=shape-row-0]")
        page.click("[data-test=shape-keep]")
        page.wait_for_selector("[data-test=shape-try]", state="detached")
        road = Shape.objects.order_by("pk").last()
        self.assertEqual((road.kind, len(road.points)), ("path", 3))
        page.wait_for_function(f"{COUNT} < n", arg=before)
        narrow = self.count(page, "birch")
        self.fill(page, "shape-width", "16")
        page.click("[data-test=shape-keep]")
        page.wait_for_function(f"{COUNT} < n", arg=narrow)
        clear = self.count(page, "birch")
        road.refresh_from_db()
        corner = page.locator("[data-test=corner-2]").bounding_box()
        page.mouse.move(corner["x"] + 5, corner["y"] + 5)
        page.mouse.down()
        page.mouse.move(*at(0.8, 0.7), steps=3)
        page.mouse.up()
        page.click("[data-test=shape-keep]")
        page.wait_for_function(f"{COUNT} !== n", arg=clear)
        moved = Shape.objects.get(pk=road.pk)
        self.assertEqual((moved.points[:2], moved.width), (road.points[:2], 16))
        self.assertNotEqual(moved.points[2], road.points[2])
        page.click(f"[data-test=lock-{road.pk}]")
        page.wait_for_selector("text=Locked: unlock it")
        page.click(f"[data-test=lock-{road.pk}]")
        page.click("[data-test=shape-remove]")
        page.wait_for_function(f"{COUNT} === n", arg=before)
        self.assertFalse(Shape.objects.filter(pk=road.pk).exists())
        self.assertEqual(Stand.objects.get(pk=birch.pk).settings, birch.settings)


class Tuning(LevelCase):
    def test_conditions_are_added_reordered_tried_dropped_and_kept(self):
        page = self.page_of("south")
        self.open_level(page)
        page.click("[data-test=stand-birch]")
        birch = Stand.objects.get(slug="birch")
        was, before = birch.settings["conditions"], self.count(page, "birch")
        for kind in ("facing", "path", "noise"):
            page.click("[data-test=add-condition]")
            page.click(f"[data-test=add-{kind}]")
            page.wait_for_selector(f"[data-test=band-{kind}]")
        self.fill(page, "facing-centre", "120")
        self.fill(page, "path-lo", "12")
        page.wait_for_function("() => /−[0-9]/.test(document.querySelector('[data-test=try]').innerText)")
        self.assertEqual(Stand.objects.get(pk=birch.pk).settings["conditions"], was)
        page.keyboard.press("Escape")
        page.wait_for_selector("[data-test=band-facing]", state="detached")
        self.assertEqual(self.count(page, "birch"), before)
        page.click("[data-test=add-condition]")
        page.click("[data-test=add-path]")
        page.locator(f"[data-test=grip-{len(was)}]").focus()
        page.keyboard.press("ArrowUp")
        page.wait_for_selector("[data-test=expected]")
        expected = int("".join(c for c in page.inner_text("[data-test=expected]") if c.isdigit()))
        page.click("[data-test=keep]")
        page.wait_for_selector("[data-test=try]", state="detached")
        kept = [c["kind"] for c in Stand.objects.get(pk=birch.pk).settings["conditions"]]
        self.assertEqual(kept, [c["kind"] for c in was[:-1]] + ["path", was[-1]["kind"]])
        page.wait_for_function(f"{COUNT} === n", arg=expected)
        page.keyboard.press("y")
        plan = page.locator("[data-test=plan]").bounding_box()
        page.mouse.click(plan["x"] + 0.75 * plan["width"], plan["y"] + 0.7 * plan["height"])
        page.wait_for_selector("[data-test=why]")
        told = page.inner_text("[data-test=why]")
        self.assertTrue("Distance to paths" in told and "Suitability" in told and "Touch" in told, told)
        page.keyboard.press("Escape")
        page.wait_for_selector("[data-test=why]", state="detached")
        page.click("[data-test=undo]")
        page.wait_for_function(f"{COUNT} === n", arg=before)

    def test_a_stand_is_added_aimed_at_a_count_reordered_by_key_and_removed(self):
        page = self.page_of("north")
        self.open_level(page)
        before = [s.slug for s in stands_of(self.level())]
        page.click("[data-test=new-stand]")
        page.click("[data-test=new-item]")
        page.click("[data-test=pick-birch]")
        self.fill(page, "new-name", "Scrub")
        page.click("[data-test=new-stratum]")
        page.click(".v-list-item:has-text('Shrub')")
        expect(page.locator("[data-test=new-count]")).to_contain_text("plants")
        page.click("[data-test=new-add]")
        page.wait_for_selector("[data-test=stand-scrub][aria-pressed=true]")
        self.fill(page, "aim", "1234")
        page.click("[data-test=aim-go]")
        page.wait_for_selector("[data-test=expected]:text-is('1\u202f234')")
        page.click("[data-test=keep]")
        page.wait_for_selector("[data-test=count-scrub]:text-is('1\u202f234')")
        page.locator("[data-test=stand-scrub]").focus()
        page.keyboard.press("Alt+ArrowUp")
        expect(page.locator("[data-test=trial]")).to_contain_text("Scrub into Canopy, before Birch")
        expect(page.locator("[data-test=trial-keep]")).to_be_focused()
        page.keyboard.press("Escape")
        expect(page.locator("[data-test=trial]")).to_have_count(0)
        self.assertNotEqual([s.slug for s in stands_of(self.level())], [*before[:2], "scrub", *before[2:]])
        page.locator("[data-test=stand-scrub]").focus()
        page.keyboard.press("Alt+ArrowUp")
        page.click("[data-test=trial-keep]")
        expect(page.locator("[data-test=stand-stratum]")).to_contain_text("Canopy")
        self.assertEqual([s.slug for s in stands_of(self.level())], [*before[:2], "scrub", *before[2:]])
        page.click("[data-test=stand-lock]")
        expect(page.locator("[data-test=stand-lock]")).to_have_text("Unlock")
        self.assertTrue(self.field(page, "fullness").is_disabled())
        page.click("[data-test=stand-lock]")
        expect(page.locator("[data-test=stand-lock]")).to_have_text("Lock")
        page.click("[data-test=stand-remove]")
        expect(page.locator("[data-test=trial]")).to_contain_text("−1\u202f")
        page.click("[data-test=trial-keep]")
        page.wait_for_selector("[data-test=stand-scrub]", state="detached")
        self.assertEqual([s.slug for s in stands_of(self.level())], before)
