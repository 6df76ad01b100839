"""Take the pictures of `docs/screenshots` from a fresh demo: `python docs/take_screenshots.py http://127.0.0.1:8000
[NAME …]`, with the demo running there. It only looks, and drops every draft."""

from __future__ import annotations

import io
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, sync_playwright

FOLDER, PASSWORD = Path(__file__).with_name("screenshots"), "slate-and-birch"
FLAGS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
DRAWN = 9_000
"""ms until software drawing has all of a view on the screen."""


def bench(name: str, level: str = "hobbin-delph") -> Callable[[Page], None]:
    def open_it(page: Page) -> None:
        page.goto(f"{page.base}/levels/{level}/{name}")
        page.wait_for_selector("[data-test=bookmarks]")

    return open_it


def fill(page: Page, name: str, value: str) -> None:
    page.fill(f"[data-test={name}] input", value)
    page.press(f"[data-test={name}] input", "Enter")


def only_part(page: Page, name: str) -> None:
    """Fold all parts of the bench's panel but one."""
    for part in page.locator("[data-test^=part-]").all():
        is_open = part.get_attribute("aria-expanded") == "true"
        if is_open != (part.get_attribute("data-test") == f"part-{name}"):
            part.click()


def planting(page: Page) -> None:
    bench("planting")(page)
    page.click("[data-test=stand-birch]")


def trial(page: Page) -> None:
    planting(page)
    fill(page, "fullness", "40")
    page.click(".panel label:has-text('show')")
    page.wait_for_selector("[data-test=keep]")


def why(page: Page) -> None:
    planting(page)
    page.click("[data-test=ask-why]")
    box = page.locator("[data-test=eye]").bounding_box()
    page.mouse.click(box["x"] + 0.42 * box["width"], box["y"] + 0.8 * box["height"])
    page.wait_for_selector("[data-test=why]")
    page.locator("[data-test=why]").scroll_into_view_if_needed()


def stock(page: Page) -> None:
    page.goto(f"{page.base}/levels/hobbin-delph/stock")
    page.click("[data-test=shelf-birch]")


def item(page: Page) -> None:
    stock(page)
    page.click("[data-test=item-edit]")


def bring(page: Page) -> None:
    from demo.shelf import starter

    stock(page)
    page.click("[data-test=bring]")
    files = [
        {"name": f"{slug}.glb", "mimeType": "model/gltf-binary", "buffer": starter(slug).glb}
        for slug in ("rowan", "slate-slab")
    ]
    page.set_input_files("[data-test=bring-files] input", files)
    page.wait_for_selector("[data-test=bring-keep]:not([disabled])", timeout=120_000)


def heights(page: Page) -> None:
    bench("ground")(page)
    page.click("[data-test=bring-heights]")
    z, x = np.mgrid[0:513, 0:513] / 512
    hills = 0.5 + 0.3 * np.sin(7 * x) * np.cos(5 * z) + 0.12 * np.sin(23 * x + 9 * z)
    out = io.BytesIO()
    Image.fromarray(np.rint(hills.clip(0, 1) * 65535).astype(np.uint16)).save(out, "PNG")
    files = {"name": "delph-2.png", "mimeType": "image/png", "buffer": out.getvalue()}
    page.set_input_files("[data-test=import-file] input", files)
    page.wait_for_selector("text=Say the cell size")
    for name, value in (("cell", "2"), ("low", "180"), ("high", "250")):
        fill(page, f"import-{name}", value)
    page.wait_for_selector("[data-test=import-forecast]", timeout=120_000)


def walk(page: Page) -> None:
    bench("sightline")(page)
    only_part(page, "walks")
    page.click("[data-test=walk-check]")
    page.wait_for_selector("[data-test=walk-chart]", timeout=240_000)


def part_of(name: str, part: str, *presses: str) -> Callable[[Page], None]:
    def open_it(page: Page) -> None:
        bench(name)(page)
        only_part(page, part)
        for press in presses:
            page.click(f"[data-test={press}]")

    return open_it


def rebalance(page: Page) -> None:
    part_of("budget", "rebalance")(page)
    page.click("[data-test=rebalance-begin]")
    page.wait_for_selector("[data-test=rebalance-changes]", timeout=240_000)


def sightline(page: Page) -> None:
    bench("sightline")(page)
    page.click("[data-test=stand-birch]")


def ground(page: Page) -> None:
    bench("ground")(page)
    only_part(page, "surfaces")
    page.locator("[data-test^=surface-row-] .row").first.click()


def at(path: str, wait: str) -> Callable[[Page], None]:
    def open_it(page: Page) -> None:
        page.goto(f"{page.base}/{path}")
        page.locator(wait).first.wait_for()

    return open_it


def dusk(page: Page) -> None:
    page.context.add_init_script("localStorage.setItem('kt-theme', 'dusk')")
    planting(page)


VIEWS: dict[str, Callable[[Page], None]] = {
    "levels": at("levels", "[data-test=plants]"),
    "planting": planting,
    "try": trial,
    "why": why,
    "ground": ground,
    "import": heights,
    "stock": stock,
    "item": item,
    "bring": bring,
    "sightline": sightline,
    "walk": walk,
    "budget": bench("budget"),
    "survey": part_of("budget", "survey"),
    "plots": part_of("budget", "plots"),
    "rebalance": rebalance,
    "handover": bench("handover"),
    "team": at("levels/hobbin-delph/team", "table"),
    "tank": bench("planting", "tarrow-tank"),
    "dusk": dusk,
}


def main(base: str, *names: str) -> None:
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        page = context.new_page()
        page.goto(base)
        fill(page, "name", "lead")
        fill(page, "password", PASSWORD)
        page.locator("[data-test=plants]").first.wait_for()
        signed_in = context.storage_state()
        for name in names or VIEWS:
            context = browser.new_context(
                viewport={"width": 1280, "height": 800}, reduced_motion="reduce", storage_state=signed_in
            )
            context.add_init_script("sessionStorage['kt-views'] ??= 'both'")
            page = context.new_page()
            page.set_default_timeout(60_000)
            page.base = base.rstrip("/")  # type: ignore[attr-defined]
            try:
                VIEWS[name](page)
                page.wait_for_timeout(DRAWN)
                page.screenshot(path=FOLDER / f"{name}.png")
                print(name)
            except Exception as wrong:  # the others are taken all the same
                print(f"{name}: {wrong}", file=sys.stderr)
            context.close()
        browser.close()


if __name__ == "__main__":
    main(*sys.argv[1:])
