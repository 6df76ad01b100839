"""Edits in files: JSON, with long arrays beside it as `DIGEST.npy`."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError

from thicket.document.edits import AnyEdit, Edit
from thicket.hashing import digest_of
from thicket.refused import Refused, first_error

LARGEST_EDIT = 64 << 20
"""Bytes of a file of edits."""
_ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyEdit)


def edit_from(given: Any, arrays: Mapping[str, np.ndarray] | None = None) -> Edit:
    """The edit that JSON describes; arrays that lie beside it by their digests.

    Raises: Refused, naming the field, when it is none.
    """
    try:
        return _ADAPTER.validate_python(given, context={"arrays": arrays or {}})
    except ValidationError as error:
        raise Refused(first_error(error)) from None


def json_of(edit: Edit, arrays: dict[str, np.ndarray]) -> dict[str, Any]:
    """An edit as JSON; its long arrays are put into `arrays` by their digests."""
    return edit.model_dump(mode="json", context={"arrays": arrays}, exclude_unset=True)


def schemas() -> dict[str, Any]:
    """The JSON Schema of every kind, as one: of any edit."""
    return _ADAPTER.json_schema()


class _Beside(Mapping[str, np.ndarray]):
    """The arrays in a folder, read as they are asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __getitem__(self, digest: str) -> np.ndarray:
        path = self.folder / f"{digest}.npy"
        if not digest.isalnum() or not path.is_file():
            raise KeyError(digest)
        try:
            array = np.load(path, allow_pickle=False)
        except (OSError, ValueError, EOFError):
            raise Refused(f"{path.name}: it is damaged, or not an array") from None
        if digest_of(array) != digest:
            raise Refused(f"{path.name}: it does not hold what its name says")
        return array

    def __iter__(self):
        return (path.stem for path in self.folder.glob("*.npy"))

    def __len__(self) -> int:
        return sum(1 for _ in self)


def read_edits(path: Path) -> list[Edit]:
    """The edits of a file: one, or a list of them.

    Raises: Refused, naming the file, when it cannot be read; OSError when it is not there.
    """
    if path.stat().st_size > LARGEST_EDIT:
        raise Refused(f"{path.name}: it has more than {LARGEST_EDIT >> 20} MB")
    try:
        given = json.loads(path.read_text(encoding="utf-8"))
        parts = given if isinstance(given, list) else [given]
        return [edit_from(part, _Beside(path.parent)) for part in parts]
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise Refused(f"{path.name}: it cannot be read: {str(error)[:200]}") from None
    except Refused as error:
        raise Refused(f"{path.name}: {error}") from None


def write_edits(edits: Iterable[Edit], path: Path) -> None:
    """Write edits into a file, in their order, and their long arrays beside it."""
    arrays: dict[str, np.ndarray] = {}
    text = json.dumps([json_of(edit, arrays) for edit in edits], indent=1, ensure_ascii=False)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text + "\n", encoding="utf-8")
    for digest, array in arrays.items():
        np.save(path.parent / f"{digest}.npy", np.ascontiguousarray(array))
