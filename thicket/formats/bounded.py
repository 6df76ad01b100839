"""Reading files that somebody brought in a process of its own, with bounds on memory, time and rights, that
is ended when it passes them."""

from __future__ import annotations

import contextlib
import os
import pickle
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, is_dataclass
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel

from thicket.formats.confined import USER, confine
from thicket.refused import Refused

T = TypeVar("T")
PASSED_ON = ("PATH", "LANG", "LC_ALL", "NUMBA_CACHE_DIR", "NUMBA_CPU_NAME", "OPENBLAS_CORETYPE", "PYTHONPATH")
"""All that the process gets of its environment, which holds passwords."""
LARGEST_ANSWER = 4 << 30


@dataclass(frozen=True)
class Bounds:
    """memory: bytes that reading may take on top of the libraries; seconds of processor time; patience,
    seconds in all."""

    memory: int = 1_500_000_000
    seconds: int = 60
    patience: float = 240.0


def bounded(
    name: str,
    read: Callable[..., T],
    *arguments: Any,
    bounds: Bounds = Bounds(),
    tick: Callable[[], None] = lambda: None,
    work: Path | None = None,
) -> T:
    """What `read(*arguments)` returns, run in a process of its own that may read the paths among the
    arguments and nothing else (see `thicket.formats.confined`).

    Parameters: name, what the file is called in sentences; read, a function of a module; its arguments can be
    pickled, its result holds numbers, text, arrays and the core's own values; tick, called several times a
    second, may raise to give up; work, a folder in which files may be made, which is the caller's to remove.

    Raises: Refused as `read` does; also when it passes the bounds or breaks down.
    """
    if work is not None and os.geteuid() == 0:
        os.chown(work, USER, USER)
    with tempfile.TemporaryFile() as ask, tempfile.TemporaryFile() as answer:
        pickle.dump((read, arguments, bounds, work), ask)
        ask.seek(0)
        child = subprocess.Popen(
            [sys.executable, "-m", "thicket.formats.bounded"],
            stdin=ask,
            stdout=answer,
            stderr=subprocess.DEVNULL,
            env=_environment(work),
            process_group=0,
        )
        try:
            ended = time.monotonic() + bounds.patience
            while child.poll() is None:
                if time.monotonic() > ended:
                    raise Refused(
                        f"{name}: reading it takes too long; it is damaged, or larger than can be taken"
                    )
                with contextlib.suppress(subprocess.TimeoutExpired):
                    child.wait(0.1)
                tick()
        finally:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(child.pid, signal.SIGKILL)
            child.wait()
        answer.seek(0)
        try:
            well, value = _Answer(answer).load()
        except (EOFError, pickle.UnpicklingError):
            raise Refused(
                f"{name}: it cannot be read within the time and memory that a file is given; it "
                f"is damaged, or "
                "larger than can be taken"
            ) from None
    if not well:
        raise Refused(value)
    return value


def _environment(work: Path | None) -> dict[str, str]:
    known = {name: os.environ[name] for name in PASSED_ON if name in os.environ}
    threads = {f"{library}_NUM_THREADS": "1" for library in ("OPENBLAS", "OMP", "GDAL", "NUMBA")}
    return known | threads | ({"TMPDIR": str(work)} if work else {})


class _Answer(pickle.Unpickler):
    """Reads what the process answers: only values, so that it cannot have this one call anything."""

    def find_class(self, module: str, name: str) -> Any:
        found = super().find_class(module, name) if module.split(".")[0] in ("thicket", "numpy") else None
        value = isinstance(found, type) and (is_dataclass(found) or issubclass(found, (BaseModel, tuple)))
        if value or (module, name) in _BUILDERS:
            return found if found is not None else super().find_class(module, name)
        raise pickle.UnpicklingError(f"{module}.{name} is no value")


_BUILDERS = {
    ("numpy", "ndarray"),
    ("numpy", "dtype"),
    ("numpy.core.multiarray", "_reconstruct"),
    ("numpy.core.multiarray", "scalar"),
    ("numpy.core.numeric", "_frombuffer"),
    ("numpy._core.multiarray", "_reconstruct"),
    ("numpy._core.multiarray", "scalar"),
    ("numpy._core.numeric", "_frombuffer"),
    ("builtins", "set"),
    ("builtins", "frozenset"),
    ("pathlib", "PosixPath"),
    ("pathlib", "PurePosixPath"),
}


def _child() -> None:
    read, arguments, bounds, work = pickle.load(sys.stdin.buffer)
    _limit(bounds)
    _store_no_kernels()
    confine([a for a in arguments if isinstance(a, Path)], [work] if work else [])
    try:
        answer: tuple[bool, Any] = True, read(*arguments)
    except Refused as error:
        answer = False, str(error)
    except MemoryError:
        return
    pickle.dump(answer, sys.stdout.buffer, protocol=5)
    sys.stdout.buffer.flush()


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
    _child()
