"""Reading files that somebody brought in a process of its own, with bounds on memory, time and rights, that
is ended when it passes them."""

from __future__ import annotations

import os
import pickle
import tempfile
import time
from collections.abc import Callable
from dataclasses import is_dataclass
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel

from thicket.formats.confined import USER
from thicket.formats.reading_process import Bounds, ReadingProcesses
from thicket.refused import Refused

__all__ = ["PROCESSES", "Bounds", "bounded"]
T = TypeVar("T")
PROCESSES = ReadingProcesses()
USUAL = Bounds()


def bounded(
    name: str,
    read: Callable[..., T],
    *arguments: Any,
    bounds: Bounds = USUAL,
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
    with tempfile.TemporaryFile() as request, tempfile.TemporaryFile() as answer:
        pickle.dump((read, arguments, bounds, work), request)
        request.seek(0)
        late = time.monotonic() + bounds.patience
        with PROCESSES.start(read.__module__, request, answer) as ended:
            while not ended(0.1):
                if time.monotonic() > late:
                    raise Refused(
                        f"{name}: reading it takes too long; it is damaged, or larger than can be taken"
                    )
                tick()
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
