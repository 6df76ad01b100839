"""From files to items for the shelf: read, set on the ground, given LODs and a billboard, measured."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

import numpy as np

from thicket.formats.mesh_files import LOD, SUFFIXES, Brought, read_mesh
from thicket.formats.stock import Part, StockModel
from thicket.refused import Refused
from thicket.stock.billboards import facing_billboard
from thicket.stock.lods import SHARES, made_lods
from thicket.stock.making import Made, made

FEW = 60
"""A mesh of at most so many triangles needs no LODs."""


@dataclass(frozen=True)
class Wish:
    """What a person says of files that do not say it themselves: unit (guessed for None), upright axis, height in m (scaled to
    it), shares of triangles of LODs where the file has none, whether a billboard is made, whether the foot is set on the ground
    line and in the middle."""

    unit: str | None = None
    up: str = "y"
    height: float | None = None
    shares: Sequence[float] = SHARES
    billboard: bool = True
    grounded: bool = True


def meshes_in(files: Mapping[str, bytes]) -> list[list[str]]:
    """The mesh files among those given: each thing's, its LODs one after another, told by names that end in `lod` and a number.

    Raises: Refused when there is none.
    """
    things: dict[str, list[tuple[int, str]]] = {}
    for path in sorted(files):
        if PurePosixPath(path).suffix.lower() in SUFFIXES:
            stem = PurePosixPath(path).stem
            numbered = LOD.match(stem)
            base, number = (numbered.group(1).lower(), int(numbered.group(2))) if numbered else (stem.lower(), 0)
            things.setdefault(base, []).append((number, path))
    if not things:
        raise Refused(f"there is no mesh among the files; {', '.join(SUFFIXES)} are read")
    return [[path for _, path in sorted(those)] for those in things.values()]


def bring(files: Mapping[str, bytes], paths: Sequence[str], slug: str, wish: Wish = Wish()) -> tuple[Brought, Made]:
    """One thing from its mesh files, as the shelf keeps it.

    Parameters: files, all that were given, by path; paths, the thing's own, its LODs in order; slug for its file.
    Raises: Refused naming the file and the cause.
    """
    read = [read_mesh(files, path, wish.unit, wish.up) for path in paths]
    first = read[0]
    lods = first.lods if len(read) == 1 else [b.lods[0] for b in read]
    lods = _placed(lods, wish)
    triangles = sum(len(p.index) for p in lods[0]) // 3
    notes = list(dict.fromkeys(n for b in read for n in b.notes))
    if len(lods) == 1 and triangles > FEW and wish.shares:
        lods = [*lods, *made_lods(lods[0], wish.shares)]
        notes.append(f"{len(wish.shares)} LODs were made here.")
    billboard = facing_billboard(lods[0]) if wish.billboard and triangles > FEW else []
    return replace(first, notes=notes), made(StockModel(slug, lods, billboard))


def brought(files: Mapping[str, bytes], paths: Sequence[str], slug: str, wish: Wish = Wish()) -> tuple[str, str, list[str], Made]:
    """The same without the parts, to be handed between processes: name, unit, notes, and what the shelf keeps."""
    first, item = bring(files, paths, slug, wish)
    return first.name, first.unit, first.notes, item


def _placed(lods: list[list[Part]], wish: Wish) -> list[list[Part]]:
    """All LODs moved and scaled alike: the full mesh's foot on the ground line, in the middle of what stands there."""
    place = np.concatenate([p.position for p in lods[0]]).astype(float)
    low, tall = float(place[:, 1].min()), float(np.ptp(place[:, 1]))
    scale = (wish.height / tall) if wish.height else 1.0
    shift = np.zeros(3)
    if wish.grounded:
        foot = place[place[:, 1] < low + tall / 12]
        middle = (foot.max(0) + foot.min(0)) / 2
        shift = np.array([middle[0], low, middle[2]])
    return [[replace(p, position=((p.position - shift) * scale).astype(np.float32)) for p in parts] for parts in lods]

