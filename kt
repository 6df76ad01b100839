#!/usr/bin/env python3
"""Knee Thicket's one script: demo, serve, setup, test, bench, lint, backup. It needs only Python itself; its
parts are in ops/."""

from __future__ import annotations

import argparse
import os
import signal
import subprocess
import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from ops import backup, bounds, serving
from ops.base import NUMBA, PYTHON, ROOT, TOOLS, WEB, Trouble, digest, say, step
from ops.packages import ready_test_tools, setup
from ops.state import State, state_folder

STATE = State(state_folder())
SIGN_INS = """Sign in as  lead   (password slate-and-birch)   leads the level
            north  (password slate-and-birch)   artist
            south  (password slate-and-birch)   artist
            guest  (password slate-and-birch)   may look
"""


def demo(options) -> int:
    serving.allow(options.host, options.allow)
    setup()
    with STATE.database.running():
        STATE.migrate()
        parts = [ROOT / "demo", ROOT / "server" / "levels" / "management"]
        with step(
            "demo", digest(*(p for d in parts for p in sorted(d.rglob("*.py")))), STATE.database.data
        ) as work:
            if work and (STATE.django("build_demo") or STATE.django("build_tank")):
                raise Trouble("The demo levels could not be built; the message is above.")
            if work:
                STATE.django("survey", "hobbin-delph")
        return serving.serve(STATE, options.host, options.port, options.processes, SIGN_INS)


def serve_only(options) -> int:
    serving.allow(options.host, options.allow)
    setup()
    with STATE.database.running():
        STATE.migrate()
        STATE.fill_shelf()
        return serving.serve(STATE, options.host, options.port, options.processes)


def back_up(options) -> int:
    setup()
    with STATE.database.running():
        backup.back_up(STATE, options.file.resolve())
    say(
        f"Wrote {options.file} ({options.file.stat().st_size:,} bytes). It holds sign-ins and "
        f"keys: keep it as safe as they are."
    )
    return 0


def restore(options) -> int:
    setup()
    backup.restore(STATE, options.file.resolve())
    with STATE.database.running():
        STATE.migrate()
        STATE.django("note_restore", options.file.name)
    say(f"Restored {options.file} into {STATE.var}.")
    return 0


def manage(options) -> int:
    setup()
    with STATE.database.running():
        if "migrate" not in options.rest and "makemigrations" not in options.rest:
            STATE.migrate()
        return STATE.django(*options.rest)


def test(options) -> int:
    setup()
    ready_test_tools()
    with STATE.database.running():
        if options.rest and not set(options.rest) <= set(PARTS):
            return STATE.django("test", "--noinput", *options.rest, tests=True)
        return all_tests(options.rest or PARTS)


PARTS = "core", "server", "web", "browser"
FIRST = "brush", "nothing_lost", "planting", "stock", "ground", "truth", "plots", "team"
"""The browser's tests of one half; the others are the other's."""


def all_tests(kinds: Sequence[str]) -> int:
    """The tests of some of `PARTS`: the core's and the server's in two halves, a core each; then the
    browser's, likewise. What mostly waits, for processes to die and to start again, runs beside them."""
    server, browser = (
        sorted(f"tests.{kind}.{p.stem}" for p in (ROOT / "tests" / kind).glob("test_*.py"))
        for kind in ("server", "browser")
    )
    waits = [name for name in server if name.endswith(("test_durability", "test_processes", "test_watching"))]
    first = [name for name in browser if name.split("test_")[1] in FIRST]
    rest = [name for name in server if name not in waits]
    halves = {
        "one": ["tests.core", *rest[4:16]],
        "two": ["tests.web", *rest[:4], *rest[16:]],
        "three": [name for name in browser if name not in first],
        "four": first,
        "beside": waits,
    }
    prefixes = tuple(f"tests.{kind}" for kind in kinds)
    halves = {
        half: chosen
        for half, names in halves.items()
        if (chosen := [name for name in names if name.startswith(prefixes)])
    }
    tally = TOOLS / "tally"
    tally.unlink(missing_ok=True)

    def half(name: str) -> int:
        env = STATE.environment(tests=True) | {"KT_TALLY": str(tally), "KT_TEST_DB": f"test_{name}"}
        return subprocess.run(
            [str(PYTHON), "-m", "django", "test", "--noinput", *halves[name]], env=env, cwd=ROOT
        ).returncode

    with ThreadPoolExecutor(2) as pool, ThreadPoolExecutor(1) as beside:
        parts = [(beside if name == "beside" else pool).submit(half, name) for name in halves]
        failed = max(part.result() for part in parts)
    passed, bad = (
        sum(column) for column in zip(*(map(int, line.split()) for line in tally.read_text().splitlines()))
    )
    say(f"{passed} passed, {bad} failed")
    return failed


def bench(options) -> int:
    setup()
    ready_test_tools()
    names = [options.name] if options.name else sorted(p.stem for p in (ROOT / "bench").glob("[a-z]*.py"))
    with STATE.database.running():
        return max(
            subprocess.run(
                [str(PYTHON), "-m", f"bench.{n}"], env=STATE.environment(tests=True), cwd=ROOT
            ).returncode
            for n in names
        )


def core(options) -> int:
    setup()
    command = ["device"] if options.command == "device" else []
    return subprocess.run(
        [str(PYTHON), "-m", "thicket", *command, *options.rest],
        env=os.environ | {"PYTHONPATH": str(ROOT), "NUMBA_CACHE_DIR": NUMBA},
    ).returncode


def lint(options) -> int:
    setup()
    ready_test_tools()
    failed = subprocess.run([str(PYTHON), "-m", "ruff", "check", ".", "kt"], cwd=ROOT).returncode
    failed |= subprocess.run(
        [str(PYTHON), "-m", "ruff", "format", "--check", "--quiet", ".", "kt"], cwd=ROOT
    ).returncode
    failed |= subprocess.run([str(PYTHON), "-m", "mypy"], cwd=ROOT).returncode
    openapi = TOOLS / "openapi.json"
    failed |= STATE.django(
        "export_openapi_schema", "--api", "server.api.api", "--output", str(openapi), "--indent", "1"
    )
    generated = TOOLS / "schema.d.ts"
    failed |= subprocess.run(
        ["npx", "openapi-typescript", str(openapi), "-o", str(generated)], cwd=WEB, stdout=subprocess.DEVNULL
    ).returncode
    kinds = subprocess.run(
        [str(PYTHON), "-m", "ops.bounds"], cwd=ROOT, stdout=subprocess.PIPE, text=True, check=True
    ).stdout
    for name, text in (
        ("schema.d.ts", generated.read_text()),
        ("bounds.ts", bounds.typescript(openapi)),
        ("kinds.ts", kinds),
    ):
        kept = WEB / "src" / "api" / name
        if kept.exists() and kept.read_text() == text:
            continue
        if options.write_types:
            kept.write_text(text)
            say(f"Wrote {kept.relative_to(ROOT)}.")
        else:
            say(f"web/src/api/{name} does not match the API: run ./kt lint --write-types and commit it.")
            failed = 1
    for script in ("check", "lint"):
        failed |= subprocess.run(["npm", "run", "--silent", script], cwd=WEB).returncode
    say("Lint found nothing." if not failed else "Lint found something.")
    return failed


def main() -> int:
    parser = argparse.ArgumentParser(prog="kt", description="Knee Thicket: set up, run, test.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, job, about in (
        ("demo", demo, "set up, build the demo level once, serve it"),
        ("serve", serve_only, "serve without building the demo"),
    ):
        command = commands.add_parser(name, help=about)
        command.add_argument("--port", type=int, default=8000)
        command.add_argument("--host", default="127.0.0.1", help="the address to listen on; loopback")
        command.add_argument(
            "--allow",
            action="append",
            default=[],
            metavar="NAME",
            help="a host name or address under which other machines reach it; may be given again",
        )
        command.add_argument(
            "--processes",
            type=int,
            choices=range(1, 17),
            default=1,
            metavar="N",
            help="server processes, 1–16",
        )
        command.set_defaults(job=job)
    for name, job, about in (
        ("backup", back_up, "write the whole state to a file, also while people work"),
        ("restore", restore, "fill an empty state folder from a backup"),
    ):
        command = commands.add_parser(name, help=about)
        command.add_argument("file", type=Path)
        command.set_defaults(job=job)
    commands.add_parser("status", help="say what runs").set_defaults(job=lambda _: serving.status(STATE))
    commands.add_parser("setup", help="install what is missing").set_defaults(job=lambda _: setup() or 0)
    command = commands.add_parser("bench", help="run benchmarks; each prints a ratio")
    command.add_argument("name", nargs="?")
    command.set_defaults(job=bench)
    command = commands.add_parser("lint", help="check style, types and the API's generated types")
    command.add_argument(
        "--write-types", action="store_true", help="write the generated types when they differ"
    )
    command.set_defaults(job=lint)
    for name, job, about in (
        ("manage", manage, "run a Django command"),
        ("test", test, "run the tests: all, or core, server, web or browser, or some by label"),
        ("core", core, "plant, cost, export, compare or check a level in a folder, without a database"),
        ("device", core, "frames that a simulated device is measured with: `core device`"),
    ):
        command = commands.add_parser(name, help=about, add_help=False)
        command.set_defaults(job=job, rest=[])
    options, rest = parser.parse_known_args()
    if rest and options.command not in ("manage", "test", "core", "device"):
        parser.error(f"unknown: {' '.join(rest)}")
    options.rest = rest
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    os.umask(0o077)
    try:
        return options.job(options)
    except Trouble as trouble:
        print(f"kt: {trouble}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


if __name__ == "__main__":
    sys.exit(main())
