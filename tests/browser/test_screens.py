"""Every screen: whole in any window, readable by axe's rules in both themes, worked by keyboard alone, left
without a trace."""

import zipfile
from pathlib import Path

from django.conf import settings
from playwright.sync_api import Page, expect

from demo.level import PASSWORD
from server.journal.models import Entry
from server.journal.undoing import move_entry
from server.levels.models import Level
from server.stands.models import Stand
from tests.browser.base import CHROMIUM, BrowserCase

AXE = (Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
FINDINGS = """async rules => {
  const over = [...document.querySelectorAll('.v-overlay--active:not(.v-tooltip) > .v-overlay__content')]
  const only = rules?.length ? { runOnly: rules } : {}
  const { violations } = await axe.run(over.at(-1) ?? document, { resultTypes: ['violations'], ...only })
  return violations.flatMap(v => v.nodes.map(n => `${v.id}: ${n.target.join(' ')}: ${n.failureSummary}`))
}"""
"""What axe finds by some of its rules, all when none is named, in the menu or dialog that is open, or in the
whole page."""
STILL = (
    "() => !document.getAnimations().some(a => a.playState === 'running' && "
    "a.effect.getComputedTiming().endTime < 5000)"
)
BENCHES = ("ground", "stock", "planting", "sightline", "budget", "handover")
MENUS = {
    "ground": ["layer-slate"],
    "planting": [
        "bookmarks",
        "display",
        "brush-more",
        "stand-clear",
        "add-condition",
        "condition-sets",
        "copy-conditions",
        "mix-birch",
        "kept-mixes",
        "person",
        "open-journal",
        "help",
    ],
}
DIALOGS = {"ground": ["bring-heights", "bring-layers"], "stock": ["bring", "item-edit", "item-replace"]}

DUSK_MENUS, DUSK_DIALOGS = (
    {"planting": ["bookmarks", "brush-more", "open-journal"]},
    {"ground": ["bring-heights"]},
)
"""Colours alone differ in the other theme: one of each kind shows them."""


class Screens(BrowserCase):
    rules: tuple[str, ...] = ()
    """Those of axe's rules that are looked at; all when none is named."""

    def axe(self, page: Page, what: str) -> None:
        page.evaluate("() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
        page.wait_for_function(STILL)
        if not page.evaluate("() => 'axe' in window"):
            page.evaluate(AXE)
        self.assertEqual(page.evaluate(FINDINGS, list(self.rules)), [], what)

    def walk(self, page: Page, menus: dict, dialogs: dict) -> None:
        """Look at every bench of the level, with menus and dialogs."""
        for bench in BENCHES:
            page.click(f"[data-test=bench-{bench}]")
            if bench == "stock":
                page.click("[data-test=shelf-birch]")
            if bench == "planting":
                page.click("[data-test=stand-birch]")
                page.click("[data-test=thicken]")
                page.click("[data-test=new-stand]")
                page.click("[data-test=new-item]")
                page.click("[data-test=pick-birch]")
                page.click("[data-test=part-plant-list]")
                page.wait_for_selector("[data-test=list-row-0] .number")
            if bench == "ground":
                page.click("[data-test=mask-paint-Grazing]")
                page.click("[data-test=ground-whiten]")
            self.axe(page, bench)
            if bench == "planting":
                page.click("[data-test=set]")
                page.click("[data-test=brush-mix]")
                page.wait_for_selector("[data-test=brush-mix-sheet]")
                self.axe(page, "what is drawn from")
                page.keyboard.press("Escape")
                page.click("[data-test=thicken]")
                page.click("[data-test=part-plant-list]")
            for menu in menus.get(bench, []):
                page.click(f"[data-test={menu}]")
                page.wait_for_selector(".v-overlay--active:not(.v-tooltip) .v-overlay__content")
                self.axe(page, f"{bench}: {menu}")
                page.keyboard.press("Escape")
                page.wait_for_function("() => !document.querySelector('.v-overlay--active:not(.v-tooltip)')")
            for dialog in dialogs.get(bench, []):
                page.click(f"[data-test={dialog}]")
                self.axe(page, f"{bench}: {dialog}")
                page.click(".v-overlay--active .v-btn:has-text('Cancel')")
                page.wait_for_function("() => !document.querySelector('.v-overlay--active:not(.v-tooltip)')")

    def test_axe_finds_nothing_on_any_screen_in_either_theme(self):
        stranger = self.browser.new_page()
        self.addCleanup(stranger.close)
        stranger.goto(f"{self.server.address}/sign-in")
        stranger.wait_for_selector("[data-test=sign-in]")
        self.axe(stranger, "sign-in")
        page = self.page_of("lead")
        for theme, self.rules in (("paper", ()), ("dusk", ("color-contrast",))):
            page.goto(f"{self.server.address}/levels")
            page.wait_for_selector("[data-test=plants]")
            self.axe(page, f"levels, {theme}")
            page.click("[data-test=new-level]")
            self.axe(page, f"a new level, {theme}")
            page.click("[data-test=import-drop]")
            page.click("[data-test=open-saved]")
            self.axe(page, f"open a saved level, {theme}")
            self.whole(page, ".ask", "header")
            page.set_viewport_size({"width": 900, "height": 560})
            page.click(".v-overlay--active .v-btn:has-text('Cancel')")
            page.click("[data-test=menu-hobbin-delph]")
            self.axe(page, f"a level's menu, {theme}")
            page.click("[data-test=level-rename]")
            self.axe(page, f"rename, {theme}")
            page.set_viewport_size({"width": 1120, "height": 560})
            self.open_level(page)
            self.walk(page, *((MENUS, DIALOGS) if theme == "paper" else (DUSK_MENUS, DUSK_DIALOGS)))
            for path in ("audit", "account", "levels/hobbin-delph/team"):
                page.goto(f"{self.server.address}/{path}")
                page.wait_for_selector("table")
                self.axe(page, f"{path}, {theme}")
            page.goto(f"{self.server.address}/installation")
            page.wait_for_selector("[data-test=last-backup]")
            self.axe(page, f"the installation, {theme}")
            page.evaluate("theme => localStorage.setItem('kt-theme', theme)", "dusk")

    def test_every_bench_is_whole_in_any_window(self):
        page = self.page_of("lead", 1280, 800)
        self.open_level(page)
        for bench in BENCHES:
            page.click(f"[data-test=bench-{bench}]")
            if bench == "planting":
                page.click("[data-test=stand-birch]")
                page.click("[data-test=level]")
            if bench == "stock":
                page.click("[data-test=shelf-birch]")
            parts = ["header", ".column", ".panel", ".strip", *([".bar"] if bench != "stock" else [])]
            wide = [(1920, 1080)] if bench == "planting" else []
            self.whole(page, *parts, sizes=[(1280, 800), (1024, 768), *wide])
            self.whole(page, "header", ".panel", sizes=((820, 520),))
            page.set_viewport_size({"width": 1280, "height": 800})
        stage, bar = (page.locator(f"[data-test={name}]").bounding_box() for name in ("stage", "display"))
        self.assertTrue(stage["x"] <= bar["x"] and bar["x"] + bar["width"] <= stage["x"] + stage["width"])
        eye = page.locator("[data-test=plan]").bounding_box()
        self.assertGreaterEqual(eye["y"], bar["y"] + bar["height"])

    def test_panels_are_widened_and_folded_and_parts_closed_and_all_stay_so(self):
        page = self.page_of("north", 1280, 640)
        self.open_level(page)
        width = lambda: page.locator(".panel").bounding_box()["width"]
        before, edge = width(), page.locator("[data-test=edge-right]").bounding_box()
        page.mouse.move(edge["x"] + 5, 300)
        page.mouse.down()
        page.mouse.move(edge["x"] - 75, 300, steps=3)
        page.mouse.up()
        self.assertAlmostEqual(width(), before + 80, delta=2)
        page.click("[data-test=stand-moss]")
        page.click("[data-test=stand-groups]")
        page.click(".v-list-item-title:text-is('Tramway')")
        expect(page.locator("[data-test=group-Tramway]")).to_contain_text("2 stands")
        self.fill(page, "stand-group", "Carpet")
        self.field(page, "stand-group").press("Enter")
        expect(page.locator("[data-test=group-Carpet]")).to_contain_text("1 stand")
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=group-Tramway]")).to_contain_text("2 stands")
        page.click("[data-test=fold-Tramway]")
        expect(page.locator("[data-test=stand-moss]")).to_have_count(0)
        page.click("[data-test=edge-left]")
        page.click("[data-test=part-mix]")
        expect(page.locator("[data-test=mix]")).to_be_hidden()
        page.reload()
        page.wait_for_selector("[data-test=bookmarks]")
        self.assertAlmostEqual(width(), before + 80, delta=2)
        expect(page.locator("[data-test=strata]")).to_be_hidden()
        expect(page.locator("[data-test=part-mix]")).to_have_attribute("aria-expanded", "false")
        page.click("[data-test=part-mix]")
        page.locator("[data-test=edge-left]").press("Enter")
        expect(page.locator("[data-test=strata]")).to_be_visible()
        expect(page.locator("[data-test=stand-moss]")).to_have_count(0)
        page.click("[data-test=group-Tramway]")
        expect(page.locator("[data-test=planting-bench] h2")).to_have_text("2 stands")
        page.click("[data-test=undo]")
        expect(page.locator("[data-test=stand-moss]")).to_be_visible()

    def test_a_level_is_opened_and_left_without_a_trace(self):
        self.page_of("guest")
        few = self.browser.browser_type.launch(
            executable_path="/usr/bin/chromium", args=[*CHROMIUM, "--max-active-webgl-contexts=5"]
        )
        self.addCleanup(few.close)
        context = few.new_context(
            viewport={"width": 640, "height": 460}, storage_state=self.signed_in["guest"]
        )
        page, said = context.new_page(), []
        page.on("console", lambda message: said.append(message.text))
        self.open_level(page)
        for _ in range(3):
            page.click("header a[href='/levels']")
            page.click("a[href$='/levels/hobbin-delph']")
            page.wait_for_selector("[data-test=bookmarks]")
        self.assertFalse([text for text in said if "WebGL contexts" in text], said)

    def reach(self, page: Page, name: str) -> None:
        """Go on from control to control by Tab until the one of this test name, or a field in it, has the
        focus."""
        for _ in range(160):
            page.keyboard.press("Tab")
            if page.evaluate("name => !!document.activeElement.closest(`[data-test='${name}']`)", name):
                return
        self.fail(f"Tab never comes to {name}")

    def press(self, page: Page, name: str, key: str = "Enter") -> None:
        self.reach(page, name)
        page.keyboard.press(key)

    def next_bench(self, page: Page, now: str, steps: int) -> None:
        """From one bench to one so many tabs on: tabs are one stop, gone along by the arrow keys."""
        self.reach(page, f"bench-{now}")
        for _ in range(steps):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("Enter")

    def test_the_whole_job_by_keyboard_alone(self):
        context = self.browser.new_context(
            viewport={"width": 1100, "height": 600}, accept_downloads=True, reduced_motion="reduce"
        )
        self.addCleanup(context.close)
        context.add_init_script("sessionStorage['kt-views'] ??= 'plan'")
        page = context.new_page()
        page.goto(f"{self.server.address}/sign-in")
        page.wait_for_selector("[data-test=sign-in]")
        self.reach(page, "name")
        page.keyboard.type("north")
        self.reach(page, "password")
        page.keyboard.type(PASSWORD)
        page.keyboard.press("Enter")
        page.wait_for_selector("[data-test=plants]", timeout=60_000)
        page.locator("body").press("Tab")
        self.press(page, "level-hobbin-delph")
        page.wait_for_selector("[data-test=bookmarks]", timeout=60_000)
        self.press(page, "bench-planting")
        page.wait_for_selector("[data-test=planting-bench]")
        self.press(page, "stand-birch")
        count = page.locator("[data-test=count-birch]")
        many = count.inner_text()
        self.reach(page, "fullness")
        for _ in range(10):
            page.keyboard.press("ArrowDown")
        expect(page.locator("[data-test=expected]")).to_be_visible()
        self.press(page, "keep")
        expect(page.locator("[data-test=difference]")).to_contain_text("Birch: fullness")
        self.assertEqual(Stand.objects.get(slug="birch").settings["fullness"], 0.52)
        expect(count).not_to_have_text(many)
        page.keyboard.press("n")
        self.press(page, "brush-more")
        expect(page.locator("[data-test=fill-level]")).to_be_visible()  # Tab in a menu not laid out closes it
        self.press(page, "fill-level")
        expect(page.locator("[data-test=difference]")).to_contain_text("everywhere")
        for what in ("Undone: Thinned Birch", "Undone: Birch: fullness"):
            page.keyboard.press("Control+z")
            expect(page.locator("[data-test=difference]")).to_contain_text(what)
        expect(count).to_have_text(many)
        self.next_bench(page, "planting", 1)
        page.wait_for_selector("[data-test=sightline-bench]")
        self.press(page, "edge-birch-billboard-from", "ArrowRight")
        expect(page.locator("[data-test=cost-difference]")).to_contain_text("triangles")
        self.press(page, "keep")
        expect(page.locator("[data-test=difference]")).to_contain_text("distances")
        self.next_bench(page, "sightline", 2)
        with page.expect_download() as download:
            self.press(page, "hand-over")
            page.wait_for_selector("[data-test=download-zip]")
            self.press(page, "download-zip")
        with zipfile.ZipFile(download.value.path()) as archive:
            self.assertIn("level.glb", archive.namelist())
        level = Level.objects.get(slug="hobbin-delph")
        for entry in Entry.objects.filter(undone=False):
            move_entry(entry.user, level, entry.pk, back=True)
