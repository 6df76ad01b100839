"""A mesh is placed on the screen, a stand grows all round it, goes along when it is moved, and is undone."""

from playwright.sync_api import expect

from server.levels.models import Level
from server.surfaces.models import Surface
from tests.browser.base import BrowserCase


class Surfaces(BrowserCase):
    def test_a_ball_is_placed_grown_over_dragged_and_taken_back(self):
        page = self.page_of("lead", 1120, 640)
        self.open_level(page, "ground")
        self.addCleanup(lambda: Surface.objects.all().delete())
        page.click("[data-test=place-made]")
        page.click("[data-test=made-sphere]")
        for axis, value in enumerate(("500", "400", "520")):
            self.fill(page, f"surface-at-{axis}", value)
        self.fill(page, "surface-size-1", "0")
        self.field(page, "surface-size-1").blur()
        self.assertEqual(self.field(page, "surface-size-1").input_value(), "6")
        self.fill(page, "surface-scale", "2")
        self.fill(page, "surface-name", "Boulder")
        expect(page.locator("[data-test=surface-tried]")).to_contain_text("plants")
        page.click("[data-test=surface-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Placed meshes: Boulder")
        placed = Surface.objects.get()
        self.assertEqual(placed.settings["at"], [500, 400, 520])
        outline = page.locator(f"[data-test=plan-surface-{placed.number}]")
        expect(outline).to_be_visible()

        self.open_level(page)
        page.click("[data-test=new-stand]")
        page.click("[data-test=new-item]")
        page.click("[data-test=pick-moss-cushion]")
        page.click("[data-test=grows-on]")
        page.get_by_role("option", name="Boulder").click()
        page.keyboard.press("Escape")
        self.fill(page, "new-spacing", "0.6")
        self.fill(page, "new-fullness", "100")
        expect(page.locator("[data-test=new-count]")).to_contain_text("plants")
        self.fill(page, "new-name", "Boulder moss")
        page.click("[data-test=new-add]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Boulder moss added")
        grown = self.count(page, "boulder-moss")
        self.assertGreater(grown, 800)

        self.open_level(page, "ground")
        page.click(f"[data-test=surface-row-{placed.number}] button")
        outline.hover()
        box = outline.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 40, y + 10, steps=4)
        page.mouse.up()
        page.click("[data-test=surface-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Placed meshes: Boulder")
        moved = Surface.objects.get().settings["at"]
        self.assertGreater(moved[0], 520)
        self.assertEqual((moved[1], self.count(page, "boulder-moss")), (400, grown))

        page.click("[data-test=surface-remove]")
        expect(page.locator("[data-test=surface-trouble]")).to_contain_text("Boulder moss grows on Boulder")
        page.keyboard.press("Control+z")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone: Placed meshes: Boulder")
        self.assertEqual(Surface.objects.get().settings["at"], [500, 400, 520])
        for words in ("Undone: Boulder moss added", "Undone: Placed meshes: Boulder"):
            page.click("[data-test=undo]")
            expect(page.locator("[data-test=difference]")).to_contain_text(words)
        expect(page.locator("[data-test=surface-list]")).to_contain_text("None yet")
        self.assertEqual(Level.objects.get(slug="hobbin-delph").surfaces.filter(gone=False).count(), 0)
