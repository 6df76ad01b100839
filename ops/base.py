"""What every part of `kt` needs: folders, sentences, secrets, steps that are done once. Only Python's own
library."""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import hashlib
import os
import secrets
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TOOLS = ROOT / "var"
"""Where the environment and the built front end's stamps lie, of all copies."""
VENV = TOOLS / "venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
NUMBA = str(TOOLS / "numba")
"""Where the core's compiled kernels are kept."""


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
        done = subprocess.run(
            [str(c) for c in command],
            stdout=out,
            stderr=out,
            stdin=subprocess.DEVNULL,
            umask=0o022,
            **options,
        )
    if done.returncode:
        tail = "\n".join(log.read_text(errors="replace").splitlines()[-12:])
        raise Trouble(
            f"{what} failed. The end of {log}:\n{tail}\nPut that right and run the same command again."
        )


def digest(*paths: Path) -> str:
    """One hash of the contents of files and folders."""
    total = hashlib.sha256()
    for path in paths:
        files = sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]
        for file in files:
            total.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return total.hexdigest()


@contextlib.contextmanager
def step(name: str, wanted: str, folder: Path = TOOLS) -> Iterator[bool]:
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
def alone(folder: Path, what: str) -> Iterator[None]:
    """Keep two runs from doing the same thing at once."""
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / f".{what}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def secret(folder: Path, name: str) -> str:
    """A random secret of 64 characters that is made once and kept in a state folder; a shorter one, of an
    earlier version, is replaced."""
    file = folder / name
    if file.exists() and file.stat().st_size < 64:
        file.unlink()
    if not file.exists():
        folder.mkdir(parents=True, exist_ok=True)
        # Of several that make one at once the first counts, and nobody reads it half written.
        own = folder / f"{name}.{secrets.token_hex(8)}"
        own.touch(mode=0o600)
        own.write_text(secrets.token_hex(32))
        with contextlib.suppress(FileExistsError):
            os.link(own, file)
        own.unlink()
    return file.read_text()


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def port_is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def end_with_parent() -> None:
    """To be run in a child process before its program: it gets a signal to end when the process that
    started it dies."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


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
