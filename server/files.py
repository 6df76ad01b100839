"""Uploaded files as files on disk."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def on_disk(file) -> Iterator[Path]:
    """An uploaded file as a file on disk, for as long as it is looked at."""
    with tempfile.NamedTemporaryFile() as out:
        for chunk in file.chunks():
            out.write(chunk)
        out.flush()
        yield Path(out.name)
