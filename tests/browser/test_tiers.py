"""Device tiers on the screen: the cost model says what the stage draws in each, and a lead makes one."""

import json
import re

from playwright.sync_api import Page, expect

from server.journal.models import Entry
from server.levels.models import Level
from server.stands.models import Stand
from tests.browser.base import BrowserCase

NEAR = """() => { const d = document.querySelector('[data-test=drawn]')?.dataset
    if (!d) return false
    const a = JSON.parse(d.drawn), b = JSON.parse(d.reckoned)
    const near = k => Math.abs(a[k] - b[k]) <= 0.01 * b[k]
    return a.triangles > 500 &&
      ['triangles', 'draw_calls', 'shadow_triangles', 'shadow_calls'].every(near) }"""


class Tiers(BrowserCase):
    def setUp(self):
        self.level = Level.objects.get(slug="hobbin-delph")
        self.birch = Stand.objects.get(level=self.level, slug="birch")
        self.addCleanup(self.put_back, self.level.drawing, self.level.tiers, self.birch.settings)

    def put_back(self, drawing, tiers, settings):
        Level.objects.filter(pk=self.level.pk).update(drawing=drawing, tiers=tiers)
        Stand.objects.filter(pk=self.birch.pk).update(settings=settings)

    def reckoned(self, page: Page, key: str) -> dict:
        """What is reckoned of a kept view, once the stage has drawn just that."""
        page.keyboard.press(key)
        self.settled(page)
        page.wait_for_function(NEAR)
        return json.loads(page.get_attribute("[data-test=drawn]", "data-reckoned"))

    def test_in_every_tier_the_stage_draws_what_is_reckoned(self):
        page = self.page_of("north", views="eye")
        self.open_level(page, "budget")
        spent = {}
        for tier in self.level.tiers:
            self.choose(page, "tier", tier)
            expect(page.locator("[data-test=budget-bench] h3").first).to_contain_text(tier)
            spent[tier] = self.reckoned(page, "1")
        for line in ("triangles", "draw_calls", "shadow_triangles"):
            self.assertLess(spent["Handheld"][line], spent["Desktop"][line], line)
        self.birch.settings["distances"] |= {"by_size": True, "steps": [30, 60], "billboard": 90}
        self.birch.save()
        for drawing in (
            {"cell": 128, "full_meshes": 9, "distances": 0.6, "fades": 2},
            {"cell": 16, "sward_share": 0.4, "lod_offset": 1, "casts": ["Canopy"], "ground_error": 1},
            {"billboards": False, "shadow_reach": 25, "sward_reach": 20},
        ):
            Level.objects.filter(pk=self.level.pk).update(drawing=drawing)
            page.reload()
            page.wait_for_selector("[data-test=drawn]")
            self.reckoned(page, "2")

    def test_a_lead_makes_a_tier_sees_what_it_costs_keeps_it_and_takes_it_back(self):
        page = self.page_of("lead", width=1280, height=800)
        self.open_level(page, "sightline")
        page.click("[data-test=part-tiers]")
        page.click("[data-test=tier-add]")
        self.fill(page, "tier-name", "Pocket")
        page.keyboard.press("Tab")
        self.fill(page, "tier-distances", "40")
        expect(page.locator("[data-test=tier]")).to_contain_text("Pocket")
        expect(page.locator("[data-test=drawing-difference]")).to_contain_text("−")
        self.whole(page, "[data-test=sightline-bench]", "[data-test=cost-strip]")
        page.click("[data-test=drawing-keep]")
        expect(page.locator("[data-test=drawing-draft]")).to_have_count(0)
        tiers = Level.objects.get(pk=self.level.pk).tiers
        self.assertEqual(list(tiers), ["Handheld", "Console", "Desktop", "Pocket"])
        self.assertEqual(tiers["Pocket"]["drawing"]["distances"], 0.4)
        self.assertEqual(Entry.objects.get().kind, "tiers")
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=tier]")).to_contain_text("Desktop")
        self.assertEqual(list(Level.objects.get(pk=self.level.pk).tiers), ["Handheld", "Console", "Desktop"])

    def test_an_artist_draws_the_level_otherwise_but_leaves_the_tiers(self):
        page = self.page_of("north", width=1280, height=800)
        self.open_level(page, "sightline")
        page.click("[data-test=part-tiers]")
        expect(page.locator("[data-test=tier-distances] input")).to_be_disabled()
        page.click("[data-test=part-drawing]")
        expect(page.locator("[data-test=cells] tbody tr")).to_have_count(4)
        self.fill(page, "drawing-fog", "5000")
        expect(page.locator("[data-test=drawing-fog]")).to_contain_text("0 to 2000")
        page.keyboard.press("Tab")
        page.click("[data-test=drawing-full_meshes-on] label")
        self.fill(page, "drawing-full_meshes", "3")
        page.reload()
        expect(page.locator("[data-test=drawing-draft]")).to_contain_text("In this view on Desktop")
        page.click("[data-test=drawing-keep]")
        expect(page.locator("[data-test=drawing-draft]")).to_have_count(0)
        self.assertEqual(Level.objects.get(pk=self.level.pk).drawing["full_meshes"], 3)
        page.click("[data-test=ask-drawn]")
        box = page.locator("[data-test=plan]").bounding_box()
        page.mouse.click(box["x"] + 0.6 * box["width"], box["y"] + 0.7 * box["height"])
        expect(page.locator("[data-test=drawn-here]")).to_contain_text("seen through Desktop")
        self.whole(page, "[data-test=drawn-here]")


class Walking(BrowserCase):
    def setUp(self):
        self.level = Level.objects.get(slug="hobbin-delph")
        self.addCleanup(Level.objects.filter(pk=self.level.pk).update, walks=self.level.walks)

    def test_a_walk_is_made_played_checked_and_a_remedy_tried(self):
        Level.objects.filter(pk=self.level.pk).update(walks={})
        page = self.page_of("north", width=1280, height=800)
        self.open_level(page, "sightline")
        page.click("[data-test=part-walks]")
        page.click("[data-test=walk-draw]")
        box = page.locator("[data-test=plan]").bounding_box()
        for u, v in ((0.5, 0.7), (0.6, 0.75)):
            page.mouse.click(box["x"] + u * box["width"], box["y"] + v * box["height"])
        page.click("[data-test=walk-here]")
        expect(page.locator("[data-test=plan-walk] circle")).to_have_count(3)
        page.keyboard.press("Enter")
        expect(self.field(page, "walk-name")).to_have_value("Drawn")
        self.choose(page, "walk-add", "along Tramway")
        expect(self.field(page, "walk-name")).to_have_value("Along Tramway")
        self.fill(page, "walk-speed", "0")
        expect(page.locator("[data-test=walk-speed]")).to_contain_text("0.1 to 60")
        self.fill(page, "walk-speed", "8")
        page.keyboard.press("Enter")
        expect(page.locator("[data-test=plan-walk] polyline")).to_have_attribute("points", re.compile(r"\d"))
        page.click("[data-test=walk-play]")
        expect(page.locator("[data-test=walks] .player")).to_contain_text(re.compile(r"[1-9]\.\d of"))
        page.click("[data-test=walk-play]")
        page.click("[data-test=walk-check]")
        page.wait_for_selector("[data-test=walk-chart]")
        expect(page.locator("[data-test=walk-noticed]")).to_contain_text("noticed pops")
        page.click("[data-test=pop-0]")
        place = page.locator("[data-test=walks] .player .number")
        expect(place, "both states are shown in turn").not_to_have_text(place.inner_text())
        page.click("[data-test=pop-0]")
        page.click("[data-test=remedy-least]")
        page.click("[data-test=walk-check]")
        expect(page.locator("[data-test=walk-noticed]")).to_contain_text("before")
        now, was = page.inner_text("[data-test=walk-noticed]").split("noticed pops")
        after, before = (int(re.sub(r"\D", "", part)) for part in (now, was.split("before")[0]))
        self.assertLess(after, before)
        self.whole(page, "[data-test=sightline-bench]")
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=keep]")).to_have_count(0)
        kinds = list(Entry.objects.order_by("pk").values_list("kind", flat=True))
        self.assertEqual((kinds[0], kinds[-1]), ("walks", "settings"))
        for _ in range(2):
            page.click("[data-test=walk-remove]")
        expect(page.locator("[data-test=walk-choice]")).to_have_count(0)
