"""Plots on the screen: shared out by a lead, told where they spend too much, asked for, given, kept to."""

from playwright.sync_api import expect

from server.levels.models import Level
from tests.browser.base import BrowserCase


class Plots(BrowserCase):
    def setUp(self):
        self.before = Level.objects.get(slug="hobbin-delph").plots

    def tearDown(self):
        Level.objects.filter(slug="hobbin-delph").update(plots=self.before)
        super().tearDown()

    def kept(self):
        return Level.objects.get(slug="hobbin-delph").plots

    def test_shares_are_set_overspent_asked_for_and_given_and_ground_is_kept_to(self):
        lead = self.page_of("lead", 1280, 800)
        self.open_level(lead, "budget")
        lead.click("[data-test=part-plots]")
        expect(lead.locator("[data-test=plan-plot-North]")).to_contain_text("North, north")
        self.fill(lead, "plot-share-South", "0.001")
        expect(lead.locator("[data-test=plots-over-ms]")).to_contain_text("South")
        self.fill(lead, "plot-share-North", "5")
        self.choose(lead, "plots-outside", "refused")
        self.whole(lead, ".panel")
        lead.click("[data-test=plots-keep]")
        expect(lead.locator("[data-test=plots-keep]")).to_have_count(0)
        lead.click("[data-test=part-survey]")
        self.choose(lead, "survey-step", "every 64 m")
        lead.click("[data-test=plots-survey]")
        worst = lead.locator("[data-test=plot-South] td.over")
        expect(worst).to_be_visible(timeout=120_000)
        expect(lead.locator("[data-test=plan-plot-South]")).to_contain_text("over its share")
        lead.click("[data-test=plot-map-South]")
        expect(lead.locator("[data-test=plot-map-South]")).to_have_attribute("aria-pressed", "true")

        south = self.page_of("south", 1280, 800)
        self.open_level(south, "budget")
        south.click("[data-test=part-plots]")
        south.click("[data-test=ask-South]")
        self.fill(south, "ask-amount", "2")
        south.click("[data-test=ask-go]")
        expect(south.locator("[data-test=request-0]")).to_contain_text("South asks North (north) for 2.00 ms")
        expect(south.locator("[data-test=grant-0]")).to_have_count(0)

        north = self.page_of("north", 1280, 800)
        self.open_level(north, "budget")
        north.click("[data-test=part-plots]")
        north.click("[data-test=grant-0]")
        expect(north.locator("[data-test=request-0]")).to_have_count(0)
        expect(north.locator("[data-test=difference]")).to_contain_text("North gives South 2 ms")
        shares = {name: plot["shares"]["Desktop"]["ms"] for name, plot in self.kept()["plots"].items()}
        self.assertEqual(shares, {"North": 3.0, "South": 2.001})

        north.click("[data-test=bench-planting]")
        north.click("[data-test=stand-birch]")
        north.click("[data-test=thicken]")
        box = north.locator("[data-test=plan]").bounding_box()
        north.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.9 * box["height"])
        expect(north.locator("[data-test=beware]")).to_contain_text("South, south’s plot: nothing is planted")
        self.drag(north, "plan", (0.5, 0.9), (10, 0))
        expect(north.locator("[data-test=message]")).to_contain_text("only in their own plots")

        lead.goto(f"{self.server.address}/levels/hobbin-delph/team")
        expect(lead.locator("[data-test=plot-week]")).to_contain_text("North gives South 2 ms in Desktop")
