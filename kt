#!/usr/bin/env python3
"""Knee Thicket's one script: demo, setup, serve, manage, test, bench, lint. It needs only Python itself."""

from __future__ import annotations

import argparse
import contextlib
import fcntl
import hashlib
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent
VAR = Path(os.environ.get("KT_VAR") or ROOT / "var").resolve()
TOOLS = ROOT / "var"
VENV = TOOLS / "venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
DATA = VAR / "db"
# program looked for -> Debian package that brings it
RUN_TOOLS = {"mariadbd": "mariadb-server-core", "mariadb-install-db": "mariadb-server-core",
             "my_print_defaults": "mariadb-client-core", "chromium": "chromium"}
TEST_TOOLS = {"gdaldem": "gdal-bin"}
BUILD_TOOLS = {"gcc": "gcc", "pkg-config": "pkg-config", "mariadb_config": "libmariadb-dev"}


class Trouble(Exception):
    """Something a person must know; shown as one sentence."""


def say(text: str) -> None:
    print(text, flush=True)


def find(program: str) -> str | None:
    return shutil.which(program, path=os.environ.get("PATH", "") + ":/usr/local/sbin:/usr/sbin:/sbin")


def run(command: list, what: str, **options) -> None:
    """Run a set-up step; its output goes to a log that is named when it fails."""
    log = TOOLS / "setup.log"
    log.parent.mkdir(parents=True, exist_ok=True)
    with log.open("ab") as out:
        done = subprocess.run([str(c) for c in command], stdout=out, stderr=out, stdin=subprocess.DEVNULL, **options)
    if done.returncode:
        tail = "\n".join(log.read_text(errors="replace").splitlines()[-12:])
        raise Trouble(f"{what} failed. The end of {log}:\n{tail}\nPut that right and run the same command again.")


def digest(*paths: Path) -> str:
    """One hash of the contents of files and folders."""
    total = hashlib.sha256()
    for path in paths:
        files = sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]
        for file in files:
            total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


@contextlib.contextmanager
def step(name: str, wanted: str, folder: Path = TOOLS):
    """Do a step only when its input changed; yields whether there is work. A step cut short is done again."""
    stamp = folder / f".{name}.done"
    if stamp.exists() and stamp.read_text() == wanted:
        yield False
        return
    stamp.unlink(missing_ok=True)
    yield True
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(wanted)


@contextlib.contextmanager
def alone(folder: Path, what: str):
    """Keep two runs from setting the same thing up at once."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / f".{what}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


# ---- set-up ------------------------------------------------------------------------------------------------

def install_packages(tools: dict[str, str]) -> None:
    missing = sorted({package for program, package in tools.items() if not find(program)})
    if not missing:
        return
    names = " ".join(missing)
    if not find("apt-get"):
        raise Trouble(f"These are missing: {names}. Install them, then run the same command again.")
    if os.geteuid() != 0:
        raise Trouble(f"These Debian packages are missing: {names}. Run: sudo apt-get install {names}")
    say(f"Installing Debian packages: {names}")
    env = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
    run(["apt-get", "update"], "Reading Debian's package lists", env=env)
    run(["apt-get", "install", "-y", "--no-install-recommends", *missing], "Installing Debian packages", env=env)


def ready_python() -> None:
    with step("venv", digest(ROOT / "requirements.txt") + sys.version) as work:
        if not work and PYTHON.exists():
            return
        header = Path(subprocess.run([sys.executable, "-c", "import sysconfig; print(sysconfig.get_paths()['include'])"],
                                     capture_output=True, text=True, check=True).stdout.strip()) / "Python.h"
        install_packages(BUILD_TOOLS | ({} if header.exists() else {"python3-dev headers": "python3-dev"}))
        try:
            import ensurepip  # noqa: F401
        except ImportError:
            install_packages({"python3-venv module": "python3-venv"})
        say("Making the Python environment")
        run([sys.executable, "-m", "venv", "--clear", VENV], "Making the Python environment")
        run([PYTHON, "-m", "pip", "install", "--no-deps", "-r", ROOT / "requirements.txt"], "Installing Python packages")


def ready_web() -> None:
    parts = [WEB / n for n in ("package.json", "package-lock.json")]
    if not find("npm"):
        raise Trouble("Node.js with npm is missing. Install Node 20 or newer, then run the same command again.")
    with step("npm", digest(*parts)) as work:
        if work or not (WEB / "node_modules").is_dir():
            say("Installing front-end packages")
            run(["npm", "ci", "--no-audit", "--no-fund"], "Installing front-end packages", cwd=WEB)
    sources = [WEB / "src", WEB / "index.html", WEB / "vite.config.ts", WEB / "package-lock.json"]
    with step("web", digest(*(s for s in sources if s.exists()))) as work:
        if work or not (WEB / "dist" / "index.html").exists():
            say("Building the front end")
            run(["npm", "run", "build"], "Building the front end", cwd=WEB)


def setup() -> None:
    with alone(TOOLS, "setup"):
        install_packages(RUN_TOOLS)
        ready_python()
        ready_web()


# ---- database ----------------------------------------------------------------------------------------------

def secret(name: str) -> str:
    """A random secret that is made once and kept beside the data."""
    file = VAR / name
    if not file.exists():
        VAR.mkdir(parents=True, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_hex(24))
    return file.read_text()


def environment() -> dict[str, str]:
    port = (DATA / "port").read_text() if (DATA / "port").exists() else "0"
    return os.environ | {"KT_VAR": str(VAR), "KT_DB_PORT": port, "KT_DB_PASSWORD": secret("db-password"),
                         "KT_SECRET": secret("secret-key"), "DJANGO_SETTINGS_MODULE": "server.settings",
                         "PYTHONPATH": str(ROOT), "NUMBA_CACHE_DIR": str(TOOLS / "numba"), "PYTHONUNBUFFERED": "1"}


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def database_pid() -> int | None:
    """The process of this copy's own database, when it runs."""
    with contextlib.suppress(OSError, ValueError):
        pid = int((DATA / "kt.pid").read_text())
        if f"--datadir={DATA}".encode() in Path(f"/proc/{pid}/cmdline").read_bytes():
            return pid
    return None


def install_database() -> None:
    if (DATA / "mysql").is_dir():
        return
    fresh = VAR / "db.new"
    shutil.rmtree(fresh, ignore_errors=True)
    run([find("mariadb-install-db"), "--no-defaults", f"--datadir={fresh}", "--auth-root-authentication-method=normal",
         "--skip-test-db", *(["--user=root"] if os.geteuid() == 0 else [])], "Making the database")
    shutil.rmtree(DATA, ignore_errors=True)
    fresh.rename(DATA)


def start_database() -> int | None:
    """Start this copy's MariaDB on a free loopback port; its pid, or None when it was running."""
    with alone(VAR, "database"):
        if database_pid():
            return None
        install_database()
        word = secret("db-password")
        init = VAR / "db-init.sql"
        init.touch(mode=0o600)
        init.write_text("CREATE DATABASE IF NOT EXISTS knee_thicket CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;\n"
                        f"CREATE USER IF NOT EXISTS kt@'127.0.0.1' IDENTIFIED BY '{word}';\n"
                        f"ALTER USER kt@'127.0.0.1' IDENTIFIED BY '{word}';\n"
                        "GRANT ALL ON *.* TO kt@'127.0.0.1';\n"
                        f"ALTER USER root@localhost IDENTIFIED BY '{word}';\n")
        port = free_port()
        (DATA / "port").write_text(str(port))
        log = (VAR / "db.log").open("ab")
        process = subprocess.Popen(
            [find("mariadbd"), "--no-defaults", f"--datadir={DATA}", "--socket=kt.sock", f"--port={port}",
             "--bind-address=127.0.0.1", "--skip-name-resolve", f"--pid-file={DATA / 'kt.pid'}", f"--init-file={init}",
             "--innodb-buffer-pool-size=256M", "--max-allowed-packet=64M", "--character-set-server=utf8mb4",
             *(["--user=root"] if os.geteuid() == 0 else [])],
            stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True)
        for _ in range(600):
            if process.poll() is not None:
                raise Trouble(f"The database did not start; {VAR / 'db.log'} says why.")
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=1):
                if database_pid():
                    return process.pid
            time.sleep(0.1)
        raise Trouble(f"The database did not answer within a minute; see {VAR / 'db.log'}.")


def stop(pid: int, patience: float = 30.0) -> None:
    """End a process we started and wait for it."""
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGTERM)
        end = time.time() + patience
        while time.time() < end:
            with contextlib.suppress(ChildProcessError):
                if os.waitpid(pid, os.WNOHANG)[0] == pid:
                    return
            os.kill(pid, 0)
            time.sleep(0.05)
        os.kill(pid, signal.SIGKILL)


@contextlib.contextmanager
def database():
    """This copy's database, started when it does not run and stopped only by who started it."""
    started = start_database()
    try:
        yield
    finally:
        if started:
            stop(started)


def django(*arguments: str) -> int:
    return subprocess.run([str(PYTHON), "-m", "django", *arguments], env=environment(), cwd=ROOT).returncode


def migrate() -> None:
    sources = sorted((ROOT / "server").glob("*/migrations/*.py")) + [ROOT / "requirements.txt"]
    with step("migrated", digest(*sources), DATA) as work:
        if work and django("migrate", "--verbosity", "0"):
            raise Trouble("The database could not be brought up to date; the message is above.")


# ---- commands ----------------------------------------------------------------------------------------------

def serve(port: int, after: str = "") -> int:
    """Serve until Ctrl-C."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            raise Trouble(f"Port {port} is taken by another program. Choose another: ./kt {sys.argv[1]} --port "
                          f"{free_port()}") from None
    server = subprocess.Popen([str(PYTHON), "-m", "gunicorn", "-c", "server/gunicorn.py", "--bind", f"127.0.0.1:{port}",
                               "server.wsgi"], env=environment(), cwd=ROOT, start_new_session=True)
    try:
        address = f"http://127.0.0.1:{port}/"
        for _ in range(900):
            if server.poll() is not None:
                raise Trouble("The server did not start; the message is above.")
            with contextlib.suppress(OSError):
                urllib.request.urlopen(f"{address}api/session", timeout=2).close()
                break
            time.sleep(0.1)
        say(f"\nKnee Thicket is at {address}\n{after}Ctrl-C ends it.")
        return server.wait()
    except KeyboardInterrupt:
        say("\nStopping.")
        return 0
    finally:
        if server.poll() is None:
            stop(server.pid)


SIGN_INS = """Sign in as  lead   (password slate-and-birch)   leads the level
            north  (password slate-and-birch)   artist
            south  (password slate-and-birch)   artist
            guest  (password slate-and-birch)   may look
"""


def demo(options) -> int:
    setup()
    with database():
        migrate()
        parts = [ROOT / "demo", ROOT / "server" / "levels" / "management"]
        with step("demo", digest(*(p for d in parts for p in sorted(d.rglob("*.py")))), DATA) as work:
            if work and django("build_demo"):
                raise Trouble("The demo level could not be built; the message is above.")
        return serve(options.port, SIGN_INS)


def serve_only(options) -> int:
    setup()
    with database():
        migrate()
        return serve(options.port)


def manage(options) -> int:
    setup()
    with database():
        if "migrate" not in options.rest and "makemigrations" not in options.rest:
            migrate()
        return django(*options.rest)


def test(options) -> int:
    install_packages(TEST_TOOLS)
    setup()
    with database():
        if options.rest:
            return django("test", "--noinput", *options.rest)
        return all_tests()


def all_tests() -> int:
    """The core's and the server's tests in two halves, a core each; the browser's, which draws in software, when one is done."""
    server = sorted(f"tests.server.{p.stem}" for p in (ROOT / "tests" / "server").glob("test_*.py"))
    halves = {"one": ["tests.core", *server[4:7]], "two": [*server[:4], *server[7:]], "browser": ["tests.browser"]}
    tally = TOOLS / "tally"
    tally.unlink(missing_ok=True)

    def half(name: str) -> int:
        env = environment() | {"KT_TALLY": str(tally), "KT_TEST_DB": f"test_{name}"}
        return subprocess.run([str(PYTHON), "-m", "django", "test", "--noinput", *halves[name]], env=env, cwd=ROOT).returncode

    with ThreadPoolExecutor(2) as pool:
        failed = max(pool.map(half, halves))
    passed, bad = (sum(column) for column in zip(*(map(int, line.split()) for line in tally.read_text().splitlines())))
    say(f"{passed} passed, {bad} failed")
    return failed


def bench(options) -> int:
    setup()
    names = [options.name] if options.name else sorted(p.stem for p in (ROOT / "bench").glob("[a-z]*.py"))
    with database():
        return max(subprocess.run([str(PYTHON), "-m", f"bench.{n}"], env=environment(), cwd=ROOT).returncode
                   for n in names)


def lint(options) -> int:
    setup()
    failed = subprocess.run([str(PYTHON), "-m", "ruff", "check", ".", "kt"], cwd=ROOT).returncode
    openapi = TOOLS / "openapi.json"
    failed |= django("export_openapi_schema", "--api", "server.api.api", "--output", str(openapi), "--indent", "1")
    generated = TOOLS / "schema.d.ts"
    failed |= subprocess.run(["npx", "openapi-typescript", str(openapi), "-o", str(generated)], cwd=WEB,
                             stdout=subprocess.DEVNULL).returncode
    kept = WEB / "src" / "api" / "schema.d.ts"
    if not kept.exists() or kept.read_text() != generated.read_text():
        if options.write_types:
            kept.write_text(generated.read_text())
            say(f"Wrote {kept.relative_to(ROOT)}.")
        else:
            say("web/src/api/schema.d.ts does not match the API: run ./kt lint --write-types and commit it.")
            failed = 1
    for script in ("check", "lint"):
        failed |= subprocess.run(["npm", "run", "--silent", script], cwd=WEB).returncode
    say("Lint found nothing." if not failed else "Lint found something.")
    return failed


def main() -> int:
    parser = argparse.ArgumentParser(prog="kt", description="Knee Thicket: set up, run, test.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, job, about in (("demo", demo, "set up, build the demo level once, serve it"),
                             ("serve", serve_only, "serve without building the demo")):
        command = commands.add_parser(name, help=about)
        command.add_argument("--port", type=int, default=8000)
        command.set_defaults(job=job)
    commands.add_parser("setup", help="install what is missing").set_defaults(job=lambda _: setup() or 0)
    command = commands.add_parser("bench", help="run benchmarks; each prints a ratio")
    command.add_argument("name", nargs="?")
    command.set_defaults(job=bench)
    command = commands.add_parser("lint", help="check style, types and the API's generated types")
    command.add_argument("--write-types", action="store_true", help="write the generated types when they differ")
    command.set_defaults(job=lint)
    for name, job, about in (("manage", manage, "run a Django command"), ("test", test, "run the tests, or some by label")):
        command = commands.add_parser(name, help=about, add_help=False)
        command.set_defaults(job=job, rest=[])
    options, rest = parser.parse_known_args()
    if rest and options.command not in ("manage", "test"):
        parser.error(f"unknown: {' '.join(rest)}")
    options.rest = rest
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    try:
        return options.job(options)
    except Trouble as trouble:
        print(f"kt: {trouble}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


if __name__ == "__main__":
    sys.exit(main())
