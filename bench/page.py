"""The page, in headless Chromium: how soon the list of levels and a level are on the screen after a cold
start, against a bare page with the same scripts; what is sent for the list; the script's time in a frame
while an edge of the sightline chart or a number is dragged; and memory after opening and leaving the level
many times; and the first whole picture of a level of 12 km × 10 km against that of the demo.

Makes a database of its own, like `stroke`.
"""

from __future__ import annotations

import statistics

from playwright.sync_api import Browser, Page

from bench._server import built_page, chromium, served_demo, sign_in
from bench._short import PICTURE, SHORT, short, window

PAINTS, EARLY, LEAVES = short((5, 10, 50), (1, 1, 1))
RATIO, SCRIPTS, STYLES, SCRIPT_MS, GROWTH, WIDE = 1.5, 290 << 10, 200 << 10, 8.0, 1.1, 2.0
SEEN = """selector => {
  new PerformanceObserver(list => {
    for (const { name, startTime } of list.getEntries())
      if (name === 'first-contentful-paint') window.seen = startTime
  }).observe({ type: 'paint', buffered: true })
  new MutationObserver(() => {
    if (!window.there && document.querySelector(selector)) window.there = performance.now()
  }).observe(document, { childList: true, subtree: true })
}"""
SENT = """() => performance.getEntriesByType('resource')
  .filter(e => e.startTime < window.there && /\\.(js|css)$/.test(e.name))
  .map(e => [e.name, e.decodedBodySize])"""
COUNT_FRAMES = """() => {
  window.frames_seen = 0
  const next = () => { window.frames_seen++; requestAnimationFrame(next) }
  next()
}"""
BARE = """<!doctype html><body><script type="module" nonce="x">
await Promise.all({scripts}.map(src => import(src)))
document.body.append('loaded')
</script></body>"""


def shown_after(
    browser: Browser, state: dict, address: str, selector: str, html: str | None = None
) -> tuple[float, list]:
    """ms from a cold start until the browser first paints something, and the scripts and styles that were
    sent until an element is there; `html` stands for the page."""
    context = browser.new_context(storage_state=state, bypass_csp=True)
    page = context.new_page()
    page.add_init_script(f"({SEEN})({selector!r})")
    if html is not None:
        page.route(address, lambda route: route.fulfill(body=html, content_type="text/html"))
    page.goto(address, wait_until="commit")
    page.wait_for_function("window.seen && window.there")
    seen = page.evaluate("window.seen"), page.evaluate(SENT)
    context.close()
    return seen


def first_paint(browser: Browser, state: dict, address: str, selector: str, what: str) -> bool:
    """How soon a page is there, against a bare one with the same scripts."""
    _, sent = shown_after(browser, state, address, selector)
    scripts = sorted({name for name, _ in sent if name.endswith(".js")})
    ours, bare = [], []
    for _ in range(PAINTS):
        ours.append(shown_after(browser, state, address, selector)[0])
        bare.append(shown_after(browser, state, address, "body", BARE.replace("{scripts}", repr(scripts)))[0])
    ratio = statistics.median(ours) / statistics.median(bare)
    print(
        f"page: {what}: on the screen after {statistics.median(ours):.0f} ms, a bare page with "
        f"its scripts after "
        f"{statistics.median(bare):.0f} ms; ratio {ratio:.2f} (at most {RATIO})"
    )
    if "list" not in what:
        return ratio <= RATIO
    js, css = (sum(size for name, size in sent if name.endswith(end)) for end in (".js", ".css"))
    print(f"  sent: {js:,} bytes of scripts (at most {SCRIPTS:,}), {css:,} of styles (at most {STYLES:,})")
    return ratio <= RATIO and js <= SCRIPTS and css <= STYLES


def drag(page: Page, selector: str, what: str) -> bool:
    """The script's time in a frame while something is dragged to and fro."""
    session = page.context.new_cdp_session(page)
    session.send("Performance.enable")
    metric = lambda: {m["name"]: m["value"] for m in session.send("Performance.getMetrics")["metrics"]}
    box = page.locator(selector).first.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(COUNT_FRAMES)
    before = metric()["ScriptDuration"]
    for k in range(short(60, 6)):
        page.mouse.move(x + 40 * ((k % 20) / 10 - 1), y)
        page.wait_for_timeout(16)
    spent, seen = metric()["ScriptDuration"] - before, page.evaluate("window.frames_seen")
    page.mouse.up()
    page.keyboard.press("Escape")
    each = 1000 * spent / max(seen, 1)
    print(f"page: dragging {what}: {each:.1f} ms of script a frame, {seen} frames (at most {SCRIPT_MS:g} ms)")
    return each <= SCRIPT_MS


def whole_pictures(browser: Browser, state: dict, base: str) -> bool:
    """From asking for a level to its first whole picture, of the eye and of the plan: that of 12 km × 10 km
    against the demo, each as the server first meets it."""
    from bench.stock import big_level

    big_level()
    taken = {}
    for slug in ("hobbin-delph", "long-fell"):
        context = browser.new_context(storage_state=state, viewport=window(1000, 640, PICTURE))
        page = context.new_page()
        page.set_default_timeout(300_000)
        page.goto(f"{base}/reference/page/index.html")
        page.wait_for_function("window.bench")
        taken[slug] = page.evaluate("slug => bench.whole(slug)", slug)
        context.close()
    ratio = taken["long-fell"] / taken["hobbin-delph"]
    print(
        f"page: first whole picture of the demo after {taken['hobbin-delph']:.0f} ms, of 12 km × 10 km after "
        f"{taken['long-fell']:.0f} ms: ratio {ratio:.2f} (at most {WIDE})"
    )
    return ratio <= WIDE


def leaving(page: Page, base: str) -> bool:
    """Memory after opening and leaving the level many times, against after a few."""
    session, sizes, lost = page.context.new_cdp_session(page), {}, []
    page.on(
        "console", lambda message: lost.append(message.text) if "WebGL contexts" in message.text else None
    )
    page.goto(f"{base}/levels")
    for n in range(1, LEAVES + 1):
        page.click("[data-test=level-hobbin-delph]")
        page.locator(
            "[data-test=bookmarks]"
        ).wait_for()  # a handle, as `wait_for_selector` gives, would keep the page's objects
        page.click("header a[href='/levels']")
        page.locator("[data-test=plants]").first.wait_for()
        if n in (EARLY, LEAVES):
            page.wait_for_timeout(short(2000, 100))
            session.send("HeapProfiler.collectGarbage")
            seen = session.send("Runtime.getHeapUsage")
            sizes[n] = seen["usedSize"] + seen["backingStorageSize"]
    ratio = sizes[LEAVES] / sizes[EARLY]
    print(
        f"page: memory after {LEAVES} times over after {EARLY}: {ratio:.3f} (at most {GROWTH}); "
        f"contexts lost: {len(lost)}"
    )
    return ratio <= GROWTH and not lost


def main() -> int:
    met = True
    built_page()
    with served_demo() as (base, _), chromium() as browser:
        context = browser.new_context(viewport=window(1000, 600))
        context.add_init_script("sessionStorage['kt-views'] ??= 'plan'")
        page = context.new_page()
        sign_in(page, base, "lead")
        state = context.storage_state()
        met &= whole_pictures(browser, state, base)
        met &= first_paint(browser, state, f"{base}/levels", "[data-test=plants]", "the list of levels")
        if not SHORT:
            level = f"{base}/levels/hobbin-delph/planting"
            met &= first_paint(browser, state, level, "[data-test=strata]", "a level")
        page.goto(f"{base}/levels/hobbin-delph/sightline")
        page.wait_for_selector("[data-test=bookmarks]")
        page.click("[data-test=stand-birch]")
        page.wait_for_timeout(short(6000, 100))
        met &= drag(page, "[data-test=edge-birch-billboard-from]", "an edge of the chart")
        page.click("[data-test=bench-planting]")
        page.wait_for_selector("[data-test=fullness]")
        page.wait_for_timeout(short(6000, 100))
        met &= drag(page, ".field:has([data-test=fullness]) .label", "a number")
        met &= leaving(page, base)
    return 0 if met else 1


if __name__ == "__main__":
    raise SystemExit(main())
