"""Long arrays of the edits that a level's journal holds, by the digests that the edits' JSON names them
by."""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterator, Mapping

import numpy as np

from server.journal.models import EditArray
from server.levels.models import Level


class JournalArrays(Mapping[str, np.ndarray]):
    """The arrays of a level's journal, read as they are asked for."""

    def __init__(self, level: Level) -> None:
        self.rows = EditArray.objects.filter(level=level)

    def __getitem__(self, digest: str) -> np.ndarray:
        data = self.rows.filter(digest=digest).values_list("data", flat=True).first()
        if data is None:
            raise KeyError(digest)
        return np.load(io.BytesIO(zlib.decompress(data)), allow_pickle=False)

    def __iter__(self) -> Iterator[str]:
        return iter(self.rows.values_list("digest", flat=True))

    def __len__(self) -> int:
        return self.rows.count()


def store_arrays(level: Level, arrays: Mapping[str, np.ndarray]) -> None:
    """Store arrays by their digests; those that are there already stay."""
    known = set(EditArray.objects.filter(level=level, digest__in=arrays).values_list("digest", flat=True))
    for digest, array in arrays.items():
        if digest not in known:
            out = io.BytesIO()
            np.save(out, np.ascontiguousarray(array))
            EditArray.objects.create(level=level, digest=digest, data=zlib.compress(out.getvalue(), 1))
