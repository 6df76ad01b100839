"""The whole job on the screen: see, tune, paint, set distances, check the cost, hand over."""

import json
import zipfile
from pathlib import Path

from playwright.sync_api import expect

from server.journal.models import Entry
from server.stands.models import Stand
from tests.browser.base import BrowserCase


class Job(BrowserCase):
    def test_the_stage_draws_what_the_core_reckons(self):
        page = self.page_of("lead", views="eye")
        self.open_level(page, "budget")
        for key in ("1", "2", "4"):
            page.keyboard.press(key)
            self.settled(page)
            page.wait_for_function("""() => { const d = document.querySelector('[data-test=drawn]')?.dataset
                if (!d) return false
                const a = JSON.parse(d.drawn), b = JSON.parse(d.reckoned)
                const near = k => Math.abs(a[k] - b[k]) <= 0.02 * b[k]
                return a.triangles > 1000 &&
                  ['triangles', 'draw_calls', 'shadow_triangles', 'shadow_calls'].every(near) }""")
            drawn = json.loads(page.get_attribute("[data-test=drawn]", "data-drawn"))
            self.assertGreater(drawn["shadow_triangles"], 100)

    def test_paint_undo_and_reload(self):
        page = self.page_of("north")
        self.open_level(page)
        before = self.count(page, "birch")
        page.click("[data-test=thicken]")
        self.fill(page, "brush-radius", "30")
        self.drag(page, "plan", (0.72, 0.75), (70, -20))
        expect(page.locator("[data-test=difference]")).to_contain_text("Thickened Birch")
        more = self.count(page, "birch")
        self.assertGreater(more, before)
        entry = Entry.objects.get()
        self.assertEqual((more - before, entry.user.username), (entry.gained - entry.lost, "north"))
        page.keyboard.press("n")
        self.drag(page, "plan", (0.72, 0.75), (70, -20))
        expect(page.locator("[data-test=difference]")).to_contain_text("Thinned Birch")
        self.assertLess(self.count(page, "birch"), more)
        page.keyboard.press("Control+z")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone: Thinned Birch")
        self.assertEqual(self.count(page, "birch"), more)
        page.reload()
        page.wait_for_selector("[data-test=bookmarks]")
        self.assertEqual(self.count(page, "birch"), more)
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=count-birch]")).to_have_text(f"{before:,}".replace(",", "\u202f"))
        page.click("[data-test=redo]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Done again: Thickened Birch")
        self.assertEqual(self.count(page, "birch"), more)
        page.click("[data-test=undo]")
        page.wait_for_function("() => document.querySelector('[data-test=undo]').disabled")

    def test_paint_in_the_eye_view(self):
        page = self.page_of("south", 820, 520, "eye")
        self.open_level(page)
        page.keyboard.press("4")
        self.settled(page)
        page.click("[data-test=stand-moor-grass]")
        page.click("[data-test=thin]")
        self.drag(page, "eye", (0.5, 0.85), (30, 0))
        expect(page.locator("[data-test=difference]")).to_contain_text("Thinned Moor-grass")
        self.assertGreater(Entry.objects.get().lost, 0)
        page.keyboard.press("Control+z")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone")

    def test_tune_try_keep_drop(self):
        page = self.page_of("lead")
        self.open_level(page)
        kept = Stand.objects.get(slug="birch").settings
        before = self.count(page, "birch")
        self.field(page, "overlay").check()
        self.fill(page, "fullness", "40")
        self.fill(page, "altitude-hi", "390")
        expect(page.locator("[data-test=expected]")).to_be_visible()
        self.settled(page)
        expected = int("".join(c for c in page.inner_text("[data-test=expected]") if c.isdigit()))
        self.assertLess(expected, before)
        self.assertIn("ms", page.inner_text("[data-test=cost-difference]"))
        self.fill(page, "spacing", "0.01")
        expect(page.locator("[data-test=spacing]")).to_contain_text("0.2 to 200")
        self.field(page, "spacing").blur()
        self.assertEqual(self.field(page, "spacing").input_value(), "4.6")
        self.assertEqual(Stand.objects.get(slug="birch").settings, kept)
        page.click("[data-test=drop]")
        self.assertEqual(self.field(page, "fullness").input_value(), "62")
        self.fill(page, "fullness", "40")
        self.fill(page, "altitude-hi", "390")
        self.settled(page)
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=count-birch]")).to_have_text(f"{expected:,}".replace(",", "\u202f"))
        self.assertEqual(Stand.objects.get(slug="birch").settings["fullness"], 0.4)
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=count-birch]")).to_have_text(f"{before:,}".replace(",", "\u202f"))
        self.assertEqual(Stand.objects.get(slug="birch").settings, kept)

    def test_drag_a_distance_and_see_the_cost(self):
        page = self.page_of("north", 1280, 640)
        self.open_level(page, "sightline")
        edge = page.locator("[data-test=edge-birch-billboard-from]")
        edge.scroll_into_view_if_needed()
        box = edge.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 12, y, steps=3)
        page.mouse.up()
        expect(page.locator("[data-test=cost-difference]")).to_contain_text("triangles")
        self.assertGreater(float(self.field(page, "billboard").input_value()), 110)
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("distances")
        self.assertGreater(Stand.objects.get(slug="birch").settings["distances"]["billboard"], 110)
        page.click("[data-test=undo]")
        expect(self.field(page, "billboard")).to_have_value("110")

    def test_a_viewer_looks_and_others_strokes_arrive(self):
        guest, north = self.page_of("guest", 820, 520), self.page_of("north", 820, 520)
        for page in (guest, north):
            self.open_level(page)
        self.assertTrue(guest.is_disabled("[data-test=thicken]"))
        self.assertTrue(self.field(guest, "spacing").is_disabled())
        before = self.count(guest, "birch")
        north.click("[data-test=thicken]")
        self.drag(north, "plan", (0.7, 0.75), (40, 0))
        expect(north.locator("[data-test=difference]")).to_contain_text("Thickened Birch")
        guest.wait_for_function(
            "n => +document.querySelector('[data-test=count-birch]').textContent.replace(/\\D/g, '') !== n",
            arg=before,
        )
        self.assertEqual(self.count(guest, "birch"), self.count(north, "birch"))
        north.click("[data-test=undo]")
        north.wait_for_function("() => document.querySelector('[data-test=undo]').disabled")

    def test_handover_downloads(self):
        page = self.page_of("guest", 820, 520)
        self.open_level(page, "handover")
        self.choose(page, "recipe", "a new one")
        self.fill(page, "recipe-name", "Once")
        self.field(page, "format-glb").check()
        page.click("[data-test=hand-over]")
        made = page.locator("[data-test^=handover-]:has(.name:text-is('Once'))")
        with page.expect_download() as download:
            made.locator("[data-test=download-zip]").click()
        with zipfile.ZipFile(download.value.path()) as archive:
            starts = {name: archive.read(name)[:13] for name in archive.namelist()}
        self.assertEqual((starts["plants.csv"], starts["level.glb"][:4]), (b"id,stand,item", b"glTF"))
        made.locator("[data-test=handover-files]").click()
        with page.expect_download() as download:
            page.click("[data-test=file-list] a:has-text('plants.csv')")
        self.assertTrue(Path(download.value.path()).read_bytes().startswith(b"id,stand,item"))


class PowerCut(BrowserCase):
    def test_strokes_outlive_the_server(self):
        page = self.page_of("north", 820, 520)
        self.open_level(page)
        page.click("[data-test=thin]")
        self.drag(page, "plan", (0.7, 0.7), (30, 0))
        expect(page.locator("[data-test=difference]")).to_contain_text("Thinned Birch")
        acknowledged = Entry.objects.count()
        self.server.kill()
        self.drag(page, "plan", (0.6, 0.75), (30, 0))
        expect(page.locator("[data-test=message]")).to_contain_text("does not answer")
        self.assertEqual(Entry.objects.count(), acknowledged)
        self.server.start()
        page.wait_for_selector("[data-test=message]", state="detached")
        self.assertEqual(Entry.objects.count(), acknowledged + 1)
        self.assertIn("Thinned Birch", page.inner_text("[data-test=difference]"))
