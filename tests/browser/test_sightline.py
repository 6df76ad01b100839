"""The atmosphere on the stage: its pixels by the core's rule, tried, kept and taken back on the screen."""

import io
from dataclasses import replace

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from server.document.planted import planted_of
from server.levels.models import Level
from tests.browser.base import BrowserCase
from thicket.sight.fog import Fog, left

CLEAR = {"sun": {"bearing": 222, "elevation": 38}, "fog": {"kind": "none", "colour": "#000000"}}
FOGS = [
    Fog("linear", start=20, end=420),
    Fog("squared", 0.005),
    Fog("exponential", 0.012, thinning=25, level=370),
]


def light(shown: np.ndarray) -> np.ndarray:
    """The light that the stage made the colours 0–255 of its pictures of."""
    square = (shown / 255.0) ** 2
    return square / (1 - 0.18 * square)


class Sightline(BrowserCase):
    def setUp(self):
        self.level = Level.objects.get(slug="hobbin-delph")
        self.addCleanup(self.put, self.level.atmosphere)

    def put(self, atmosphere):
        Level.objects.filter(pk=self.level.pk).update(atmosphere=atmosphere)

    def picture(self, page: Page) -> np.ndarray:
        """The bare ground as the eye sees it, (rows, columns, 3)."""
        self.open_level(page, "sightline")
        for stand in self.level.stands.all():
            page.click(f"[data-test=hide-{stand.slug}]")
        self.at_rest(page)
        return np.asarray(Image.open(io.BytesIO(page.locator("[data-test=eye]").screenshot())).convert("RGB"))

    def at_rest(self, page: Page) -> None:
        """Wait until the stage draws no more frames."""
        expect(page.locator("[data-test=coming]")).to_have_count(0)
        self.settled(page)

    def hits(self, shape, pixels) -> np.ndarray:
        """How far away, and how high, the ground lies that pixels (row, column) show; inf where there is
        none."""
        view, (rows, columns) = self.level.bookmarks[0], shape
        h, p = np.radians(view["heading"]), np.radians(view["pitch"])
        ahead = np.array([np.sin(h) * np.cos(p), np.sin(p), -np.cos(h) * np.cos(p)])
        right = np.array([np.cos(h), 0.0, np.sin(h)])
        tall = np.tan(np.radians(view["fov"]) / 2)
        eye, ground = np.array([view["x"], view["y"], view["z"]]), planted_of(self.level).ground
        far = np.arange(1.0, 700.0, 0.25)
        out = []
        for row, column in pixels:
            up, aside = 1 - 2 * (row + 0.5) / rows, 2 * (column + 0.5) / columns - 1
            way = ahead + np.cross(right, ahead) * up * tall + right * aside * tall * columns / rows
            at = eye + far[:, None] * way / np.linalg.norm(way)
            inside = (at[:, [0, 2]] >= 0).all(1) & (at[:, 0] < ground.width) & (at[:, 2] < ground.length)
            under = inside & (at[:, 1] < ground.height_at(at[:, 0].clip(0, 1023), at[:, 2].clip(0, 1023)))
            k = int(under.argmax())
            out.append((far[k], at[k, 1]) if under[k] else (np.inf, 0.0))
        return np.array(out)

    def test_the_stages_pixels_hold_the_cores_fog(self):
        self.put(CLEAR)
        page = self.page_of("north", 900, 600, "eye", scale=1)
        clear = self.picture(page)
        rows, columns = clear.shape[:2]
        pixels = [(r, c) for r in range(rows // 2, rows - 60, 14) for c in range(20, columns // 2, 26)]
        found = self.hits((rows, columns), pixels)
        near = found[:, 0] < 400
        self.assertGreater(near.sum(), 60)
        where = np.array(pixels)[near].T
        before = light(clear[tuple(where)].astype(float)).mean(1)
        eye = self.level.bookmarks[0]["y"]
        for fog in FOGS:
            part = replace(fog).__dict__ | {"colour": "#000000"}
            self.put(CLEAR | {"fog": part})
            after = light(self.picture(page)[tuple(where)].astype(float)).mean(1)
            measured, told = after / before, left(fog, found[near, 0], eye, found[near, 1])
            off = np.abs(measured - told)
            self.assertLess(np.median(off), 0.02, fog)
            self.assertLess(np.quantile(off, 0.9), 0.06, fog)
            self.assertGreater(np.ptp(told), 0.2, fog)

    def test_fog_is_tried_refused_kept_and_taken_back(self):
        page = self.page_of("north", 1280, 800, "eye")
        self.open_level(page, "sightline")
        page.click("[data-test=part-atmosphere]")
        self.choose(page, "fog-kind", "linear")
        self.fill(page, "fog-start", "300")
        self.fill(page, "fog-end", "250")
        page.click("[data-test=atmosphere-keep]")
        expect(page.locator("[data-test=atmosphere-trouble]")).to_contain_text("before it starts at 300 m")
        page.reload()
        page.locator("[data-test=bookmarks]").wait_for()
        expect(self.field(page, "fog-end")).to_have_value("250")
        self.fill(page, "fog-start", "0")
        page.locator("[data-test=fog-curve]").hover(position={"x": 4, "y": 4}, force=True)
        expect(page.locator("[data-test=fog-reading]")).to_contain_text("% left")
        page.click("[data-test=atmosphere-keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Atmosphere")
        fog = Level.objects.get(pk=self.level.pk).atmosphere["fog"]
        self.assertEqual((fog["kind"], fog["start"], fog["end"]), ("linear", 0, 250))
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone: Atmosphere")
        self.assertEqual(Level.objects.get(pk=self.level.pk).atmosphere, self.level.atmosphere)
        expect(self.field(page, "fog-kind")).to_have_value("exponential")
        self.whole(page, "[data-test=sightline-bench]")

    def test_edges_of_several_stands_move_by_one_factor_and_are_kept_as_one(self):
        before = {s.slug: s.settings["distances"] for s in self.level.stands.all()}
        page = self.page_of("north", 1280, 800, "eye")
        self.open_level(page, "sightline")
        page.click("[data-test=stand-birch]")
        page.click("[data-test=stand-slate-blocks]", modifiers=["Control"])
        expect(page.locator("[data-test=sightline-bench] h3")).to_have_text("2 stands")
        expect(page.locator("[data-test=gone] input")).to_have_value("")
        expect(page.locator("[data-test=sightline-chart] .crowd")).not_to_have_count(0)
        edge = page.locator("[data-test=edge-birch-gone]")
        edge.focus()
        for _ in range(5):
            page.keyboard.press("Shift+ArrowRight")
        birch, blocks = (before[slug]["gone"] for slug in ("birch", "slate-blocks"))
        expect(edge).to_have_attribute("aria-valuenow", f"{birch + 50:g}")
        page.wait_for_selector("[data-test=cost-difference]")
        self.fill(page, "fade", "7")
        page.click("[data-test=keep]")
        expect(page.locator("[data-test=difference]")).to_contain_text("distances")
        after = {s.slug: s.settings["distances"] for s in self.level.stands.all()}
        self.assertEqual((after["birch"]["gone"], after["birch"]["fade"]), (birch + 50, 7))
        self.assertAlmostEqual(after["slate-blocks"]["gone"] / blocks, (birch + 50) / birch, delta=0.01)
        self.assertEqual(after["slate-blocks"]["fade"], 7)
        self.assertEqual(after["moss"], before["moss"])
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=difference]")).to_contain_text("Undone")
        self.assertEqual({s.slug: s.settings["distances"] for s in self.level.stands.all()}, before)
        page.click("[data-test=copy-from]")
        page.click("[data-test=copy-from-birch]")
        expect(page.locator("[data-test=edge-slate-blocks-gone]")).to_have_attribute(
            "aria-valuenow", f"{birch:g}"
        )
        page.keyboard.press("Escape")
        self.whole(page, "[data-test=sightline-bench]")
