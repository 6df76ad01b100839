"""The budget of the whole level on the screen: a device measured, the level surveyed, and brought under its
marks."""

import re
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import Stand
from tests.browser.base import BrowserCase
from tests.browser.test_screens import AXE, FINDINGS

CAPTURES = Path(settings.BASE_DIR) / "demo" / "captures" / "handheld.csv"


class Budget(BrowserCase):
    def setUp(self):
        self.level = Level.objects.get(slug="hobbin-delph")
        self.addCleanup(Level.objects.filter(pk=self.level.pk).update, tiers=self.level.tiers)
        for stand in Stand.objects.filter(level=self.level):
            self.addCleanup(Stand.objects.filter(pk=stand.pk).update, settings=stand.settings)

    def test_a_lead_measures_a_device_and_every_time_is_told_with_how_sure_it_is(self):
        page = self.page_of("lead", width=1280, height=800)
        self.open_level(page, "budget")
        page.click("[data-test=part-device]")
        expect(page.locator("[data-test=device-name]")).to_have_text("Sample desktop")
        page.wait_for_selector("[data-test=budget-ground]")
        before = float(page.get_attribute("[data-test=total-ms]", "data-value"))
        with page.expect_file_chooser() as chosen:
            page.click("[data-test=device-measure]")
        chosen.value.set_files({"name": "few.csv", "mimeType": "text/csv", "buffer": b"ms\n4\n"})
        expect(page.locator("[data-test=device-trouble]")).to_contain_text("are missing")
        with page.expect_file_chooser() as chosen:
            page.click("[data-test=device-measure]")
        chosen.value.set_files(CAPTURES)
        expect(page.locator("[data-test=device-fit]")).to_contain_text(re.compile(r"Off by [4-6]\.\d %"))
        expect(page.locator("[data-test=fit-plot] path").nth(199)).to_be_attached()
        self.whole(page, "[data-test=budget-bench]", "[data-test=cost-strip]")
        page.click("[data-test=device-use]")
        expect(page.locator("[data-test=device-name]")).to_have_text("handheld")
        expect(page.locator("[data-test=line-ms]")).to_contain_text("±")
        page.wait_for_function(
            "was => Number(document.querySelector('[data-test=total-ms]').dataset.value) > 1.5 * was",
            arg=before,
        )
        self.assertEqual(Entry.objects.get().kind, "tiers")
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=device-name]")).to_have_text("Sample desktop")

    def test_the_level_is_surveyed_brought_under_its_marks_and_taken_back(self):
        tiers = self.level.tiers
        tiers["Desktop"]["marks"]["ms"] = 2.5
        Level.objects.filter(pk=self.level.pk).update(tiers=tiers)
        page = self.page_of("north", width=1280, height=800)
        self.open_level(page, "budget")
        page.click("[data-test=part-survey]")
        self.choose(page, "survey-step", "every 64 m")
        page.click("[data-test=survey-begin]")
        page.wait_for_selector("[data-test=survey-legend]")
        expect(page.locator("[data-test=survey-summary]")).to_contain_text("over the mark of 2.50 ms")
        page.evaluate(AXE)
        self.assertEqual(page.evaluate(FINDINGS), [])
        page.click("[data-test=survey-worst-0]")
        page.click("[data-test=part-survey]")
        page.click("[data-test=part-rebalance]")
        self.fill(page, "rebalance-least", "70")
        self.field(page, "rebalance-least").press("Enter")
        page.click("[data-test=rebalance-begin]")
        page.wait_for_selector("[data-test=rebalance-changes]", timeout=240_000)
        self.settled(page)
        self.assertEqual(page.evaluate(FINDINGS), [])
        trade = page.locator("[data-test=trade-off]")
        trade.focus()
        page.keyboard.press("ArrowLeft")
        expect(trade).to_have_attribute("aria-valuenow", "0")
        page.keyboard.press("Enter")
        expect(trade).to_have_attribute("aria-valuetext", "none is picked")
        self.whole(page, "[data-test=budget-bench]")
        before = {s.pk: s.settings for s in Stand.objects.filter(level=self.level)}
        page.click("[data-test=rebalance-try]")
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=keep]")).to_have_count(0)
        entry = Entry.objects.get()
        self.assertEqual(entry.kind, "settings")
        now = {s.pk: s.settings for s in Stand.objects.filter(level=self.level)}
        self.assertTrue(any(now[pk] != before[pk] for pk in before))
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone")
        expect(page.locator("[data-test=rebalance-begin]")).to_be_visible()
        now = {s.pk: s.settings for s in Stand.objects.filter(level=self.level)}
        self.assertEqual(now, before)
