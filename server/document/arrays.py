"""Long arrays of a level's edits, by the digests that the edits' JSON names them by."""

from __future__ import annotations

import io
import zlib
from collections.abc import Collection, Iterator, Mapping

import numpy as np

from server.document.models import EditArray
from server.levels.models import Level

PART = 8 << 20
"""Bytes of a stored part at the most, which the database takes in one piece."""


class EditArrays(Mapping[str, np.ndarray]):
    """The arrays of a level's edits, read as they are asked for."""

    def __init__(self, level: Level) -> None:
        self.rows = EditArray.objects.filter(level=level)

    def __getitem__(self, digest: str) -> np.ndarray:
        parts = list(self.rows.filter(digest=digest).order_by("part").values_list("data", flat=True))
        if not parts:
            raise KeyError(digest)
        return np.load(io.BytesIO(zlib.decompress(b"".join(parts))), allow_pickle=False)

    def __iter__(self) -> Iterator[str]:
        return iter(self.rows.filter(part=0).values_list("digest", flat=True))

    def __len__(self) -> int:
        return self.rows.filter(part=0).count()


def store_arrays(level: Level, arrays: Mapping[str, np.ndarray]) -> None:
    """Store arrays by their digests; those that are there already stay."""
    if not arrays:
        return
    rows = []
    for digest, array in arrays.items():
        out = io.BytesIO()
        np.save(out, np.ascontiguousarray(array))
        data = zlib.compress(out.getvalue(), 1)
        rows += [
            EditArray(level=level, digest=digest, part=part, data=data[at : at + PART])
            for part, at in enumerate(range(0, len(data), PART))
        ]
    EditArray.objects.bulk_create(rows, batch_size=4, ignore_conflicts=True)


def drop_arrays(level: Level, digests: Collection[str]) -> None:
    """Drop arrays that no edit came to hold."""
    EditArray.objects.filter(level=level, digest__in=digests).delete()
