"""From nothing to a planted level on the screen: ground made here, a mesh brought in, looked at, kept,
planted, costed, edited and handed over; and sheets that are whole in any window."""

from pathlib import Path

from playwright.sync_api import expect

from server.levels.models import Level
from server.stock.models import ShelfItem
from tests.browser.base import BrowserCase
from tests.core.test_stock import tree


class FromNothing(BrowserCase):
    def test_ground_made_here_is_planted_with_a_mesh_of_ones_own(self):
        page = self.page_of("lead", 1280, 800)
        page.goto(f"{self.server.address}/levels")
        page.click("[data-test=new-level]")
        for kind in ("file", "flat", "rolling"):
            page.click(f"[data-test=from-{kind}]")
            self.whole(page, ".v-overlay--active .v-overlay__content")
        for field, value in (("width", "128"), ("length", "96"), ("height", "6")):
            self.fill(page, f"made-{field}", value)
        page.wait_for_selector("[data-test=import-numbers]")
        self.fill(page, "import-name", "Low Garth")
        page.click("[data-test=import-keep]")
        page.wait_for_url("**/levels/low-garth/*")
        level = Level.objects.get(slug="low-garth")
        self.addCleanup(level.delete)
        self.addCleanup(ShelfItem.objects.filter(slug="young-fir").delete)

        page.goto(f"{self.server.address}/levels/low-garth/stock")
        page.click("[data-test=bring]")
        self.field(page, "bring-files").set_input_files(
            {"name": "fir.glb", "mimeType": "", "buffer": tree(7.0).export(file_type="glb")}
        )
        page.wait_for_selector("[data-test=state-billboard]")
        self.whole(page, "[data-test=bring-in]")
        self.fill(page, "thing-name-fir", "Young fir")
        page.click("[data-test=bring-keep]")
        page.click("[data-test=take]")
        page.click("[data-test=item-edit]")
        self.whole(page, "[data-test=item-editor]")
        page.click("[data-test=anchor-place]")
        box = page.locator("[data-test=item-editor] canvas").bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.42)
        expect(page.locator("[data-test=anchors] li")).to_have_count(1)
        page.click("[data-test=edit-keep]")
        expect(page.locator("[data-test=item-editor]")).to_have_count(0)
        item = ShelfItem.objects.get(slug="young-fir")
        self.assertEqual((item.revision, [a["name"] for a in item.anchors]), (2, ["rim 1"]))
        self.assertGreater(item.anchors[0]["at"][1], 2)

        page.click("[data-test=begin-stand]")
        expect(page.locator("[data-test=new-count]")).to_contain_text("plants")
        self.fill(page, "new-fullness", "60")
        page.press("[data-test=new-fullness] input", "Tab")
        page.click("[data-test=new-add]")
        page.wait_for_selector("[data-test=count-young-fir]")
        self.assertGreater(self.count(page, "young-fir"), 20)
        expect(page.locator("[data-test=line-triangles]")).to_contain_text("of")
        page.goto(f"{self.server.address}/levels/low-garth/handover")
        page.click("[data-test=hand-over]")
        page.click("[data-test=handover-files]")
        with page.expect_download() as told:
            page.click("[data-test=file-list] a:has-text('plants.csv')")
        self.assertIn(",young-fir,young-fir,", Path(told.value.path()).read_text())
