"""Set-up: Debian's packages, the Python environment, the front end. Done once, and again only when their
lists change."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from ops.base import NUMBA, PYTHON, ROOT, TOOLS, VENV, WEB, Trouble, alone, digest, find, run, say, step

# program looked for -> Debian package that brings it
RUN_TOOLS = {
    "mariadbd": "mariadb-server-core",
    "mariadb-install-db": "mariadb-server-core",
    "mariadb-dump": "mariadb-client",
    "mariadb": "mariadb-client-core",
    "my_print_defaults": "mariadb-client-core",
    "chromium": "chromium",
}
TEST_TOOLS = {"gdaldem": "gdal-bin"}
BUILD_TOOLS = {"gcc": "gcc", "pkg-config": "pkg-config", "mariadb_config": "libmariadb-dev"}


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
    run(
        ["apt-get", "install", "-y", "--no-install-recommends", *missing],
        "Installing Debian packages",
        env=env,
    )


def ready_python() -> None:
    with step("venv", digest(ROOT / "requirements.txt") + sys.version) as work:
        if not work and PYTHON.exists():
            return
        header = (
            Path(
                subprocess.run(
                    [sys.executable, "-c", "import sysconfig; print(sysconfig.get_paths()['include'])"],
                    capture_output=True,
                    text=True,
                    check=True,
                ).stdout.strip()
            )
            / "Python.h"
        )
        install_packages(BUILD_TOOLS | ({} if header.exists() else {"python3-dev headers": "python3-dev"}))
        try:
            import ensurepip  # noqa: F401
        except ImportError:
            install_packages({"python3-venv module": "python3-venv"})
        say("Making the Python environment")
        run([sys.executable, "-m", "venv", "--clear", VENV], "Making the Python environment")
        run(
            [PYTHON, "-m", "pip", "install", "--no-deps", "-r", ROOT / "requirements.txt"],
            "Installing Python packages",
        )


def ready_test_tools() -> None:
    """Install what tests, checks and benchmarks need beside what the application does."""
    install_packages(TEST_TOOLS)
    locks = ROOT / "requirements.txt", ROOT / "requirements-test.txt"
    with step("test-tools", digest(*locks) + sys.version) as work:
        if work or not (VENV / "bin" / "ruff").exists():
            say("Installing test tools")
            run(
                [PYTHON, "-m", "pip", "install", "--no-deps", "-r", ROOT / "requirements-test.txt"],
                "Installing test tools",
            )


def ready_kernels() -> None:
    """Compile the core once, so that neither servers nor tests do it beside one another."""
    with step("kernels", digest(*sorted((ROOT / "thicket").rglob("*.py")))) as work:
        if work:
            say("Compiling the core, which takes about a minute the first time")
            env = os.environ | {"NUMBA_CACHE_DIR": NUMBA}
            run([PYTHON, "-m", "thicket.warm"], "Compiling the core", cwd=ROOT, env=env)


def ready_web() -> None:
    parts = [WEB / n for n in ("package.json", "package-lock.json")]
    if not find("npm"):
        raise Trouble(
            "Node.js with npm is missing. Install Node 20 or newer, then run the same command again."
        )
    with step("npm", digest(*parts)) as work:
        if work or not (WEB / "node_modules").is_dir():
            say("Installing front-end packages")
            run(["npm", "ci", "--no-audit", "--no-fund"], "Installing front-end packages", cwd=WEB)
    sources = [WEB / "src", WEB / "index.html", WEB / "vite.config.ts", WEB / "package-lock.json"]
    sources.append(ROOT / "docs" / "guide.md")
    with step("web", digest(*(s for s in sources if s.exists()))) as work:
        if work or not (WEB / "dist" / "index.html").exists():
            say("Building the front end")
            run(["npm", "run", "build"], "Building the front end", cwd=WEB)


def setup() -> None:
    with alone(TOOLS, "setup"):
        install_packages(RUN_TOOLS)
        ready_python()
        ready_kernels()
        ready_web()
