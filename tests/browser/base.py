"""The real interface in headless Chromium against the real server, over a demo level in the test database."""

from __future__ import annotations

import io
import os
from collections.abc import Sequence
from functools import cache

from django.core.management import call_command
from django.test import SimpleTestCase
from playwright.sync_api import Browser, Locator, Page, expect, sync_playwright

from demo.level import PASSWORD
from server.journal.models import Entry
from server.levels.models import Level
from tests.serving import AFTER_ALL, Server

# Playwright's own loop makes Django take this thread for an asynchronous one.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"

CHROMIUM = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--disable-gpu-rasterization",
]
PATIENCE = 90_000
SETTLED = """() => {
  const now = [document.querySelector('[data-test=stage]')?.dataset.busy,
    document.querySelectorAll('[data-test=coming]').length,
    performance.getEntriesByType('resource').filter(e => !e.name.endsWith('/beat')).length].join()
  const seen = window.lastSeen
  if (seen?.now !== now) window.lastSeen = { now, since: performance.now() }
  return seen?.now === now && performance.now() - seen.since > 400
}"""
"""Whether the stage has drawn no frame, and no answer has come, for 0.4 s."""
expect.set_options(timeout=60_000)
STANDS = ("slate-blocks", "sleepers", "birch", "moor-grass", "moss")
"""The demo's stands that the browser's software drawing keeps up with; its ground has cells of 4 m here."""


BOXES = """root => {
  const shown = [...root.querySelectorAll(
    'button, a, input:not([type=checkbox]):not([type=file]), .v-field, select, h2, th, td')]
    .filter(e => e.offsetParent && getComputedStyle(e).opacity !== '0')
  const frame = root.getBoundingClientRect(), wrong = []
  const name = e => e.dataset.test ?? e.closest('[data-test]')?.dataset.test
    ?? e.textContent.trim().slice(0, 30)
  for (const [k, e] of shown.entries()) {
    const a = e.getBoundingClientRect()
    if (e.matches('.v-btn:not(.v-tab)') && e.scrollWidth > e.clientWidth + 1)
      wrong.push(`the words of ${name(e)} are cut off`)
    if (a.left < frame.left - 1 || a.right > frame.right + 1 || frame.right > innerWidth + 1)
      wrong.push(`${name(e)} is cut off`)
    for (const f of shown.slice(k + 1)) {
      const b = f.getBoundingClientRect()
      if (e.closest('.foot') !== f.closest('.foot')) continue
      if (e.contains(f) || f.contains(e)) continue
      if (e.closest('.v-field') === f.closest('.v-field') && e.closest('.v-field')) continue
      const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left)
      const over = wide > 2 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 2
      if (over && a.width && b.width) wrong.push(`${name(e)} lies over ${name(f)}`)
    }
  }
  return wrong
}"""
"""Which controls of an element are cut off at a side, or lie over one another."""


@cache
def running() -> tuple[Server, Browser]:
    """The server with its worker, and the browser, that all tests of this process share."""
    server = Server(worker=True)
    AFTER_ALL.callback(server.kill)
    playwright = sync_playwright().start()
    AFTER_ALL.callback(playwright.stop)
    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
    AFTER_ALL.callback(browser.close)
    return server, browser


class BrowserCase(SimpleTestCase):
    """All tests share a server and a browser; each has pages of its own. The demo level is built once."""

    databases = {"default"}
    signed_in: dict = {}
    """Cookies of those who have signed in, on the screen, once."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        if not Level.objects.filter(slug="hobbin-delph").exists():
            call_command("build_demo", only=",".join(STANDS), cell=4.0, verbosity=0, stdout=io.StringIO())
        cls.server, cls.browser = running()

    def tearDown(self) -> None:
        Entry.objects.all().delete()

    def report(self, page: Page) -> None:
        """Print what a page shows when its test has failed."""
        told = self._outcome.result
        failed = any(test is self for test, _ in (*told.failures, *told.errors))
        if failed and not page.is_closed():
            print(
                f"\n{self.id()} failed at {page.url}, which shows: {page.inner_text('body')[:1500]!r}",
                flush=True,
            )

    def page_of(
        self, name: str, width: int = 900, height: int = 560, views: str = "plan", scale: float = 0.5
    ) -> Page:
        """A signed-in page with small views, of which some are shown, and so many pixels drawn to a pixel of
        the page's own, so that software drawing keeps up; errors of the page fail the test."""
        known = self.signed_in.get(name)
        context = self.browser.new_context(
            viewport={"width": width, "height": height},
            accept_downloads=True,
            storage_state=known,
            reduced_motion="reduce",
            device_scale_factor=scale,
        )
        self.addCleanup(context.close)
        context.set_default_timeout(PATIENCE)
        context.add_init_script("performance.setResourceTimingBufferSize(100_000)")
        context.add_init_script(f"sessionStorage['kt-views'] ??= '{views}'")
        page = context.new_page()
        self.addCleanup(self.report, page)
        page.on("pageerror", lambda error: self.fail(f"the page failed: {error}"))
        if known:
            return page
        page.goto(f"{self.server.address}/")
        self.fill(page, "name", name)
        self.fill(page, "password", PASSWORD)
        self.field(page, "password").press("Enter")
        page.wait_for_selector("[data-test=plants]")
        self.signed_in[name] = context.storage_state()
        return page

    def open_level(self, page: Page, bench: str = "planting") -> None:
        page.goto(f"{self.server.address}/levels/hobbin-delph/{bench}")
        page.wait_for_selector("[data-test=bookmarks]")

    def settled(self, page: Page) -> None:
        """Wait until the page is at rest."""
        page.evaluate("() => { delete window.lastSeen }")
        page.wait_for_function(SETTLED, polling=100)

    def field(self, page: Page, name: str) -> Locator:
        """The input of a field that is known by its test name."""
        return page.locator(f"[data-test={name}] input").first

    def fill(self, page: Page, name: str, value: str) -> None:
        self.field(page, name).fill(value)

    def choose(self, page: Page, name: str, title: str) -> None:
        """Choose one of a list's entries; the list is gone then."""
        page.click(f"[data-test={name}] .v-field")
        page.click(f".v-overlay--active .v-list-item:has(.v-list-item-title:text-is('{title}'))")
        page.wait_for_selector(".v-overlay--active.v-select__content", state="detached")

    def whole(
        self, page: Page, *parts: str, sizes: Sequence[tuple[int, int]] = ((1280, 800), (1024, 768))
    ) -> None:
        """No control of some parts of a page is cut off or lies over another, in windows of several sizes."""
        for width, height in sizes:
            page.set_viewport_size({"width": width, "height": height})
            self.settled(page)
            for part in parts:
                self.assertEqual(page.locator(part).first.evaluate(BOXES), [], (part, width, height))

    def count(self, page: Page, slug: str) -> int:
        return int("".join(c for c in page.inner_text(f"[data-test=count-{slug}]") if c.isdigit()))

    def drag(self, page: Page, view: str, start: tuple[float, float], way: tuple[float, float]) -> None:
        """Drag the pointer over a view from a point given as shares of its size."""
        box = page.locator(f"[data-test={view}]").bounding_box()
        x, y = box["x"] + start[0] * box["width"], box["y"] + start[1] * box["height"]
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + way[0] / 2, y + way[1] / 2, steps=2)
        page.mouse.move(x + way[0], y + way[1], steps=2)
        page.mouse.up()
