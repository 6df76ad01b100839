"""The demo level in a database of its own, served by our server with the reference endpoints; dropped again
at the end."""

from __future__ import annotations

import io
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import cache
from typing import TYPE_CHECKING

from bench._short import PICTURE, window
from ops.base import ROOT, end_with_parent

if TYPE_CHECKING:
    from playwright.sync_api import Browser, Page


@cache
def built_page() -> None:
    """Build the page that draws the stage by itself, under /reference/page/."""
    build = ["npx", "vite", "build", "-c", "bench/vite.config.ts", "--logLevel", "error"]
    subprocess.run(build, cwd=ROOT / "web", check=True)


FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--disable-gpu-rasterization",
    "--enable-precise-memory-info",
]
# Playwright's own loop makes Django take this thread for an asynchronous one.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"


@contextmanager
def chromium() -> Iterator[Browser]:
    """Headless Chromium with software drawing."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


def sign_in(page: Page, base: str, name: str = "north") -> None:
    """Sign in on the screen, and wait for the list of levels."""
    page.goto(base)
    page.fill("[data-test=name] input", name)
    page.fill("[data-test=password] input", "slate-and-birch")
    page.keyboard.press("Enter")
    page.locator("[data-test=plants]").first.wait_for()


def stage_page(browser: Browser, base: str) -> Page:
    """A page with the demo level's stage alone, as `web/bench/stage.ts` has it."""
    built_page()
    page = browser.new_context(viewport=window(1000, 640, PICTURE)).new_page()
    page.set_default_timeout(240_000)
    sign_in(page, base)
    page.goto(f"{base}/reference/page/index.html")
    page.wait_for_function("window.bench")
    page.evaluate("bench.open('hobbin-delph')")
    return page


@contextmanager
def own_database() -> Iterator[None]:
    """A database beside the application's, dropped again at the end."""
    import django

    django.setup()
    from django.test.utils import setup_databases, teardown_databases

    old = setup_databases(verbosity=0, interactive=False)
    try:
        yield
    finally:
        teardown_databases(old, verbosity=0)


@contextmanager
def served_demo(processes: int = 1) -> Iterator[tuple[str, object]]:
    """The address of so many server processes and the demo level; a worker runs beside them."""
    with own_database():
        yield from _served(processes)


def _served(processes: int) -> Iterator[tuple[str, object]]:
    from django.core.management import call_command
    from django.db import connection

    running = []
    try:
        call_command("build_demo", stdout=io.StringIO())
        from server.levels.models import Level

        level, listener = Level.objects.get(), socket.create_server(("127.0.0.1", 0), backlog=1024)
        env = os.environ | {
            "KT_DB_NAME": connection.settings_dict["NAME"],
            "KT_ROOT_URLCONF": "bench._reference",
        }
        server = ["server", "--socket", str(listener.fileno()), "--processes", str(processes)]
        for module in (*[server] * processes, ["django", "work"]):
            running.append(
                subprocess.Popen(
                    [sys.executable, "-m", *module],
                    env=env,
                    preexec_fn=end_with_parent,
                    pass_fds=[listener.fileno()],
                )
            )
        base = f"http://127.0.0.1:{listener.getsockname()[1]}"
        for _ in range(600):
            with suppress(OSError):
                urllib.request.urlopen(base + "/ready").close()
                break
            time.sleep(0.1)
        yield base, level
    finally:
        for process in running:
            process.terminate()
            process.wait()
