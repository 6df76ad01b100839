"""The processes in which files that somebody brought are read: one that only loads libraries, and from which
a process for each file is forked, so that none waits seconds for its imports.

Python's own `multiprocessing.forkserver` is the model; ours hands its environment to nobody, can have a
process killed with its whole group, and starts none of the caller's main module.
"""

from __future__ import annotations

import contextlib
import importlib
import os
import pickle
import resource
import selectors
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from thicket.formats.confined import confine
from thicket.refused import Refused

PASSED_ON = ("PATH", "LANG", "LC_ALL", "NUMBA_CACHE_DIR", "NUMBA_CPU_NAME", "OPENBLAS_CORETYPE", "PYTHONPATH")
"""All that the processes get of the environment, which holds passwords."""
LARGEST_ANSWER = 4 << 30
LONGEST_NAME = 256


@dataclass(frozen=True)
class Bounds:
    """memory: bytes that reading may take on top of the libraries; seconds of processor time; patience,
    seconds in all."""

    memory: int = 1_500_000_000
    seconds: int = 60
    patience: float = 240.0


class ReadingProcesses:
    """Starts a process for each file that is read. Safe for threads; after a fork of the caller's it begins
    again."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._server: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None
        self._owner = 0

    @contextlib.contextmanager
    def start(self, module: str, request: IO[bytes], answer: IO[bytes]) -> Iterator[Callable[[float], bool]]:
        """A process that reads `request`, a pickled (function, arguments, bounds, work), and writes `answer`.
        It and what it started are killed at the end.

        Parameters: module, the function's module, which is loaded once for all processes.

        Yields: a function that waits so many seconds for its end; whether it has ended.
        """
        ours, theirs = socket.socketpair()
        ended, alive = os.pipe()
        with ours, theirs, open(ended, "rb", 0) as end:
            try:
                self._send(module, [theirs.fileno(), request.fileno(), answer.fileno(), alive])
            finally:
                os.close(alive)
            theirs.close()
            with selectors.DefaultSelector() as waiting:
                waiting.register(end, selectors.EVENT_READ)
                yield lambda seconds: bool(waiting.select(seconds))

    def close(self) -> None:
        """End them all; the next file starts anew."""
        with self._lock:
            if self._control:
                self._control.close()
            if self._server and self._owner == os.getpid():
                self._server.wait()
            self._server = self._control = None

    def _send(self, module: str, files: list[int]) -> None:
        with self._lock:
            if self._server is None or self._owner != os.getpid() or self._server.poll() is not None:
                self._begin()
            assert self._control
            socket.send_fds(self._control, [module.encode()], files)

    def _begin(self) -> None:
        if self._control:
            self._control.close()
        self._control, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with theirs:
            self._server = subprocess.Popen(
                [sys.executable, "-m", "thicket.formats.reading_process"],
                stdin=theirs.fileno(),
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                env=_environment(),
                process_group=0,
            )
        self._owner = os.getpid()


def _environment() -> dict[str, str]:
    known = {name: os.environ[name] for name in PASSED_ON if name in os.environ}
    return known | {f"{library}_NUM_THREADS": "1" for library in ("OPENBLAS", "OMP", "GDAL", "NUMBA")}


def _serve(control: socket.socket) -> None:
    """Fork a process for each request until the caller is gone. A request brings four files: a connection
    that the caller closes when the process is to be gone, the request, the answer, and one end of a pipe that
    is closed when the process ends."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    running: dict[int, int] = {}
    with selectors.DefaultSelector() as events:
        events.register(control, selectors.EVENT_READ)
        while True:
            for key, _ in events.select():
                if key.fd != control.fileno():
                    events.unregister(key.fd)
                    os.close(key.fd)
                    _end(running.pop(key.fd))
                    continue
                module, files, _, _ = socket.recv_fds(control, LONGEST_NAME, 4)
                if not module:
                    for pid in running.values():
                        _end(pid)
                    return
                with contextlib.suppress(Exception):  # the process itself says what is wrong with it
                    importlib.import_module(module.decode())
                connection, *its_own = files
                pid = os.fork()
                if not pid:
                    events.close()
                    for other in (control.detach(), connection, *running):
                        os.close(other)
                    os._exit(_read(*its_own))
                for file in its_own:
                    os.close(file)
                running[connection] = pid
                events.register(connection, selectors.EVENT_READ)


def _end(pid: int) -> None:
    """Kill a process and its group; it is waited for here alone, so that its number is still its own."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(pid, signal.SIGKILL)
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)


def _read(request: int, answer: int, _alive: int) -> int:
    """What the forked process does; its exit code."""
    try:
        os.setpgid(0, 0)
        with open(request, "rb") as file:
            read, arguments, bounds, work = pickle.load(file)
        if work:
            os.environ["TMPDIR"] = str(work)
            tempfile.tempdir = None
        _limit(bounds)
        _store_no_kernels()
        confine([a for a in arguments if isinstance(a, Path)], [work] if work else [])
        result = _result(read, arguments)
        with open(answer, "wb") as file:
            pickle.dump(result, file, protocol=5)
    except BaseException:  # nothing of the server's runs in this process
        return 1
    return 0


def _result(read: Callable[..., Any], arguments: tuple[Any, ...]) -> tuple[bool, Any]:
    try:
        return True, read(*arguments)
    except Refused as error:
        return False, str(error)


def _store_no_kernels() -> None:
    """Kernels that are not in Numba's cache are compiled for this process alone, which may write to no
    cache."""
    caching = sys.modules.get("numba.core.caching")
    if caching:
        caching.FunctionCache.save_overload = lambda *_: None


def _limit(bounds: Bounds) -> None:
    """Set the process's own limits, on top of what its libraries have taken."""
    with open("/proc/self/status") as status:
        taken = next(int(line.split()[1]) * 1024 for line in status if line.startswith("VmData:"))
    resource.setrlimit(resource.RLIMIT_DATA, (taken + bounds.memory,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (bounds.seconds + 3,) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_NOFILE, (256, 256))
    resource.setrlimit(resource.RLIMIT_FSIZE, (LARGEST_ANSWER,) * 2)


if __name__ == "__main__":
    with socket.socket(fileno=os.dup(0)) as _control:
        _serve(_control)
