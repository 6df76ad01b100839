"""Reading files that strangers made in a process of its own, with bounds on memory and time, that is ended
when it passes them."""

from __future__ import annotations

import contextlib
import os
import pickle
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from thicket.refused import Refused

T = TypeVar("T")


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
) -> T:
    """What `read(*arguments)` returns, run in a process of its own.

    Parameters: name, what the file is called in sentences; read, a function of a module, its arguments and
    its result such as can be pickled; tick, called several times a second, may raise to give up.

    Raises: Refused as `read` does; also when it passes the bounds or breaks down.
    """
    with tempfile.TemporaryFile() as ask, tempfile.TemporaryFile() as answer:
        pickle.dump((read, arguments, bounds), ask)
        ask.seek(0)
        environment = os.environ | {
            "OPENBLAS_NUM_THREADS": "1",
            "OMP_NUM_THREADS": "1",
            "GDAL_NUM_THREADS": "1",
        }
        child = subprocess.Popen(
            [sys.executable, "-m", "thicket.formats.bounded"],
            stdin=ask,
            stdout=answer,
            stderr=subprocess.DEVNULL,
            env=environment,
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
            child.kill()
            child.wait()
        answer.seek(0)
        try:
            well, value = pickle.load(answer)
        except (EOFError, pickle.UnpicklingError):
            raise Refused(
                f"{name}: it cannot be read within the time and memory that a file is given; it "
                f"is damaged, or "
                "larger than can be taken"
            ) from None
    if not well:
        raise Refused(value)
    return value


def _child() -> None:
    read, arguments, bounds = pickle.load(sys.stdin.buffer)
    _limit(bounds)
    try:
        answer: tuple[bool, Any] = True, read(*arguments)
    except Refused as error:
        answer = False, str(error)
    except MemoryError:
        return
    pickle.dump(answer, sys.stdout.buffer, protocol=5)
    sys.stdout.buffer.flush()


def _limit(bounds: Bounds) -> None:
    """Set the process's own limits, on top of what its libraries have taken."""
    with open("/proc/self/status") as status:
        taken = next(int(line.split()[1]) * 1024 for line in status if line.startswith("VmData:"))
    resource.setrlimit(resource.RLIMIT_DATA, (taken + bounds.memory,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (bounds.seconds + 3,) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


if __name__ == "__main__":
    _child()
