"""A level handed over as a folder of files, with a manifest of what is in them; whole, or what has changed
since an earlier handover."""

from __future__ import annotations

import hashlib
import os
from collections import Counter
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from pydantic import BaseModel, ValidationError

from thicket.formats.recipe import AXES, Recipe
from thicket.planted.export import Whole, tracked
from thicket.planted.handover_parts import parts_of
from thicket.progress import Report, quietly
from thicket.refused import Refused

MANIFEST = "manifest.json"
VERSION = 1


class FileEntry(BaseModel):
    """A file of a handover."""

    sha256: str
    bytes: int


class Source(BaseModel):
    """Files that are made together: the key of what they follow from (equal keys give equal files; an empty
    one is equal to none), their names, and the plants in them by stand."""

    key: str
    files: list[str]
    plants: dict[str, int] = {}


class Manifest(BaseModel):
    """What a handover holds: the recipe it was made by, its plants by stand and by cell (`COLUMN_ROW`), its
    files by name, and what they follow from; those that were written, where an earlier handover had others or
    none, and those of the earlier one that are to be dropped."""

    manifest: int = VERSION
    level: str
    name: str
    seed: int
    recipe: Recipe
    axes: str
    plants: dict[str, int]
    cells: dict[str, dict[str, int]]
    files: dict[str, FileEntry]
    sources: dict[str, Source] = {}
    written: list[str]
    dropped: list[str] = []

    def as_bytes(self) -> bytes:
        """`manifest.json`."""
        return (self.model_dump_json(indent=1) + "\n").encode()


def read_manifest(folder: Path) -> Manifest:
    """The manifest of a handover. Raises: Refused where there is none, or one of a newer version."""
    path = folder / MANIFEST
    try:
        found = Manifest.model_validate_json(path.read_bytes())
    except OSError as error:
        raise Refused(f"{path}: cannot be read: {error.strerror}") from error
    except ValidationError as error:
        raise Refused(f"{path}: it is not the manifest of a handover") from error
    if found.manifest > VERSION:
        raise Refused(f"{path}: it was written by a newer version")
    return found


def hand_over(
    level: Whole, recipe: Recipe, out: Path, since: Path | None = None, report: Report = quietly
) -> Manifest:
    """Write a level's handover into a folder; with `since`, the folder of an earlier one by the same recipe,
    only files that it has otherwise or not at all: those that follow from what they did then are not made.
    Every file comes whole under its name, the manifest last.

    Raises: Refused when the earlier handover is of another level or was made in other axes, units or cells,
    or when a file cannot be written.
    """
    earlier = _earlier(since, level, recipe) if since else None
    share = 0.0
    parts = list(parts_of(level, recipe, lambda words: report(share, words)))
    files: dict[str, FileEntry] = {}
    sources: dict[str, Source] = {}
    written = []
    for done, part in enumerate(parts):
        share = 0.95 * done / len(parts)
        report(share, f"Writing {part.name}")
        known = earlier.sources.get(part.name) if earlier and part.key else None
        if earlier and known and known.key == part.key and earlier.files.keys() >= set(known.files):
            sources[part.name] = known
            files |= {name: earlier.files[name] for name in known.files}
            continue
        made = part.make()
        for name, data in made.files.items():
            files[name] = FileEntry(sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))
            if earlier is None or earlier.files.get(name) != files[name]:
                _write(out / name, data)
                written.append(name)
        sources[part.name] = Source(key=part.key, files=sorted(made.files), plants=made.plants)
    tables = [part for part in parts if part.name.startswith("plants")]
    counted = [sources[part.name].plants for part in tables or parts]
    cells = {p.cell: sources[p.name].plants for p in tables if p.cell and sources[p.name].plants}
    manifest = Manifest(
        level=level.level.slug,
        name=level.level.name,
        seed=level.level.seed,
        recipe=recipe,
        axes=AXES[recipe.axes][0],
        plants=_total(counted, [stand.slug for stand in tracked(level, recipe)] if any(counted) else []),
        cells=cells,
        files=dict(sorted(files.items())),
        sources=sources,
        written=written,
        dropped=sorted(earlier.files.keys() - files.keys()) if earlier else [],
    )
    _write(out / MANIFEST, manifest.as_bytes())
    return manifest


def _total(counts: Iterable[dict[str, int]], stands: Iterable[str]) -> dict[str, int]:
    """How many plants some stands have in all parts together."""
    total: Counter[str] = Counter()
    for each in counts:
        total.update(each)
    return {stand: total[stand] for stand in stands}


def _earlier(folder: Path, level: Whole, recipe: Recipe) -> Manifest:
    found = read_manifest(folder)
    if (found.level, found.seed) != (level.level.slug, level.level.seed):
        raise Refused(f"since: {folder} is a handover of another level, {found.name}")
    for name, value in recipe.alike.items():
        if (was := found.recipe.alike[name]) != value:
            raise Refused(f"since: {folder} was made with {name} {was}, not {value}")
    return found


def _write(path: Path, data: bytes) -> None:
    """Write a file so that it never lies there half."""
    part = path.with_name(path.name + ".part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        part.write_bytes(data)
        os.replace(part, path)
    except OSError as error:
        with suppress(OSError):
            part.unlink()
        raise Refused(f"{path}: cannot be written: {error.strerror}") from error
