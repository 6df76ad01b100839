"""Long arrays of a level's edits, by the digests that the edits' JSON names them by."""

from __future__ import annotations

import io
import zlib
from collections.abc import Collection, Iterator, Mapping

import numpy as np

from server.document.models import EditArray, StoredFile
from server.levels.models import Level

PART = 8 << 20
"""Bytes of a stored part at the most, which the database takes in one piece."""


class EditArrays(Mapping[str, np.ndarray]):
    """The arrays of a level's edits, read as they are asked for."""

    def __init__(self, level: Level) -> None:
        self.rows = EditArray.objects.filter(level=level)

    def __getitem__(self, digest: str) -> np.ndarray:
        parts = list(self.rows.filter(digest=digest).order_by("part").values_list("data", "file__data"))
        if not parts:
            raise KeyError(digest)
        if parts[0][1] is not None:
            return np.frombuffer(parts[0][1], np.uint8)
        data = b"".join(part for part, _ in parts)
        return np.load(io.BytesIO(zlib.decompress(data)), allow_pickle=False)

    def __iter__(self) -> Iterator[str]:
        return iter(self.rows.filter(part=0).values_list("digest", flat=True))

    def __len__(self) -> int:
        return self.rows.filter(part=0).count()


def store_arrays(level: Level, arrays: Mapping[str, np.ndarray]) -> None:
    """Store arrays by their digests; those that are there already stay, and bytes that a stored file has are
    not stored again."""
    if not arrays:
        return
    of_bytes = [digest for digest, array in arrays.items() if array.dtype == np.uint8 and array.ndim == 1]
    files = set(StoredFile.objects.filter(pk__in=of_bytes).values_list("pk", flat=True)) if of_bytes else ()
    rows = [EditArray(level=level, digest=digest, file_id=digest) for digest in files]
    for digest, array in arrays.items():
        if digest in files:
            continue
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
