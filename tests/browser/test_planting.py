"""Mixes, layouts, single plants, snapshots and bakes on the screen."""

import re
import shutil

from playwright.sync_api import expect

from server.document.planted import planted_of
from server.levels.models import Level
from server.pins.models import Pin
from server.snapshots.models import Snapshot
from server.stands import baking
from server.stands.models import Stand
from tests.browser.base import BrowserCase


class Planting(BrowserCase):
    def over_a_birch(self, box):
        """Where on the plan, fitted to the level, a birch stands that is not far from the middle."""
        level = Level.objects.get(slug="hobbin-delph")
        planting = planted_of(level).planting(level.stands.get(slug="birch").number)
        form = planting.plants((2, 2)).form
        x, z = form[len(form) // 2, [0, 2]]
        pixel = min(level.width / box["width"], level.length / box["height"])
        return (
            float(box["x"] + box["width"] / 2 + (x - level.width / 2) / pixel),
            float(box["y"] + box["height"] / 2 + (z - level.length / 2) / pixel),
        )

    def settings(self, slug):
        return Stand.objects.get(slug=slug).settings

    def test_an_item_follows_a_condition_and_sleepers_another_step(self):
        page = self.page_of("north")
        self.open_level(page)
        page.click("[data-test=own-birch]")
        self.fill(page, "size-birch-lo", "0.3")
        self.choose(page, "drive-birch", "Slope")
        page.wait_for_selector("[data-test=band-slope]")
        expect(page.locator("[data-test=expected]")).to_be_visible()
        expect(page.locator("[data-test=sample] circle")).to_have_count(9)
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Birch: mix")
        entry = self.settings("birch")["mix"][0]
        self.assertEqual((entry["size"], entry["drive"]["kind"]), ([0.3, 1.15], "slope"))
        page.click("[data-test=undo]")
        page.wait_for_function("() => document.querySelector('[data-test=undo]').disabled")
        page.click("[data-test=stand-sleepers]")
        before = self.count(page, "sleepers")
        self.fill(page, "layout-every", "1.72")
        expect(page.locator("[data-test=expected]")).to_have_text(re.compile(f"^{before // 20}"))
        self.choose(page, "layout-side", "both sides")
        self.field(page, "layout-stagger").check()
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Sleepers: layout")
        layout = self.settings("sleepers")["layout"]
        self.assertEqual([layout[n] for n in ("every", "side", "offset", "stagger")], [1.72, "both", 2, True])
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=count-sleepers]")).to_have_text(str(before))

    def test_a_draft_outlives_other_clicks_and_a_reload(self):
        page = self.page_of("north")
        self.open_level(page)
        page.click("[data-test=stand-birch]")
        self.fill(page, "fullness", "33")
        expect(page.locator("[data-test=expected]")).to_be_visible()
        page.click("[data-test=stand-sleepers]")
        expect(page.locator("[data-test=try]")).to_have_count(0)
        page.click("[data-test=stand-birch]")
        expect(page.locator("[data-test=again]")).to_be_visible()
        page.evaluate("localStorage['kt-radius'] = 'null'")
        page.reload()
        page.wait_for_selector("[data-test=bookmarks]")
        page.click("[data-test=stand-birch]")
        expect(self.field(page, "fullness")).to_have_value("33")
        page.click("[data-test=drop]")
        self.assertEqual(page.evaluate("localStorage['kt-drafts']"), "{}")
        self.assertEqual(self.settings("birch")["fullness"], 0.62)
        page.click("[data-test=thin]")
        radius = self.field(page, "brush-radius")
        for typed, then in (("", "12"), ("9999", "12")):
            radius.fill(typed)
            radius.blur()
            expect(radius).to_have_value(then)

    def test_one_tree_is_picked_turned_removed_and_brought_back(self):
        page = self.page_of("north")
        self.open_level(page)
        pins = Pin.objects.count()
        page.keyboard.press("k")
        box = page.locator("[data-test=plan]").bounding_box()
        page.mouse.click(*self.over_a_birch(box))
        expect(page.locator("[data-test=picked]")).to_contain_text("by the rule")
        self.fill(page, "pin-turn", "135")
        self.field(page, "pin-turn").press("Enter")
        expect(page.locator("[data-test=picked]")).to_contain_text("set by hand")
        expect(page.locator("[data-test=difference]")).to_contain_text("1 changed by hand")
        self.assertEqual((self.field(page, "pin-turn").input_value(), Pin.objects.count()), ("135", pins + 1))
        page.click("[data-test=pin-remove]")
        expect(page.locator("[data-test=pins-said]")).to_contain_text("1 removed by hand")
        page.click("[data-test=bring-back]")
        expect(page.locator("[data-test=pins-said]")).to_contain_text("0 removed by hand")
        page.click("[data-test=set-one]")
        page.mouse.click(box["x"] + box["width"] * 0.72, box["y"] + box["height"] * 0.9)
        expect(page.locator("[data-test=difference]")).to_contain_text("1 set by hand")
        self.assertEqual(Pin.objects.count(), pins + 1)
        for _ in range(4):
            with page.expect_response("**/undo"):
                page.keyboard.press("Control+z")
            self.settled(page)
        page.wait_for_function("() => document.querySelector('[data-test=undo]').disabled")
        self.assertEqual(Pin.objects.count(), pins)

    def test_a_snapshot_is_compared_and_gone_back_to_and_the_level_is_baked(self):
        page = self.page_of("lead")
        self.open_level(page)
        before = page.inner_text("[data-test=count-birch]")
        page.click("[data-test=part-snapshots]")
        self.fill(page, "snapshot-name", "As it was")
        page.click("[data-test=snapshot-take]")
        page.wait_for_selector("[data-test='snapshot-As it was']")
        self.fill(page, "fullness", "20")
        expect(page.locator("[data-test=expected]")).to_be_visible()
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=count-birch]")).not_to_have_text(before)
        self.choose(page, "compare-before", "As it was")
        page.click("[data-test=compare]")
        expect(page.locator("[data-test=compared]")).to_contain_text("Birch")
        page.click("[data-test=go-back]")
        expect(page.locator("[data-test=trial]")).to_contain_text("Birch")
        page.click("[data-test=trial-keep]")
        expect(page.locator("[data-test=count-birch]")).to_have_text(before)
        expect(page.locator("[data-test=difference]")).to_contain_text("Back to As it was")
        for _ in range(2):
            with page.expect_response("**/undo"):
                page.click("[data-test=undo]")
            self.settled(page)
        expect(page.locator("[data-test=count-birch]")).to_have_text(before)
        shutil.rmtree(baking.folder_of(Level.objects.get(slug="hobbin-delph")), ignore_errors=True)
        page.goto(f"{self.server.address}/levels/hobbin-delph/handover")
        page.click("[data-test=bake-start]")
        expect(page.locator("[data-test=bake-said]")).to_contain_text("lie ready", timeout=60_000)
        Snapshot.objects.filter(level=Level.objects.get(slug="hobbin-delph")).delete()
