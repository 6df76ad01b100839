"""From files to items for the shelf: read, set on the ground, given LODs and a billboard, measured."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

import numpy as np

from thicket.formats.mesh_files import BILLBOARD, LOD, SUFFIXES, Brought, read_mesh
from thicket.formats.plain_gltf import split
from thicket.formats.stock import Part, StockModel, from_glb
from thicket.refused import Refused
from thicket.stock.billboards import TRIED, billboard_of
from thicket.stock.cards import Cards, from_picture, read_picture
from thicket.stock.findings import never_drawn
from thicket.stock.lods import made_lods
from thicket.stock.making import Made, made
from thicket.stock.traits import Edit, Traits, edited, proposed_untinted

FEW = 60
"""A mesh of at most so many triangles needs no LODs."""
PICTURES = (".png", ".webp")


@dataclass(frozen=True)
class Options:
    """What a person says of files that do not say it themselves.

    unit and up, the upright axis, both guessed for None; height in m that it is scaled to; lods, how many are
    made where the file has none, and coarse, the share of triangles that each has of the one before;
    billboard, a kind of `billboards.CARDS` or "none", and rows of its picture (proposed for None); grounded,
    whether the foot is set on the ground line and in the middle; cards, how pictures become grass and
    flowers, where they are not meshes that are brought in.
    """

    unit: str | None = None
    up: str | None = None
    height: float | None = None
    lods: int = 2
    coarse: float = 0.3
    billboard: str = "facing"
    rows: int | None = None
    grounded: bool = True
    cards: Cards | None = None

    @property
    def shares(self) -> list[float]:
        """The share of the full mesh's triangles of each LOD that is made."""
        return [self.coarse ** (k + 1) for k in range(self.lods)]


def meshes_in(files: Mapping[str, bytes]) -> list[list[str]]:
    """The mesh files among those given: each thing's, its LODs one after another and then its billboard, by
    names that end in `lod` and a number, or in `billboard`.

    Raises: Refused when there is none.
    """
    things: dict[str, list[tuple[int, str]]] = {}
    for path in sorted(files):
        if PurePosixPath(path).suffix.lower() in SUFFIXES:
            stem = PurePosixPath(path).stem
            numbered, flat = LOD.match(stem), BILLBOARD.match(stem)
            base, number = (
                (numbered[1], int(numbered[2]))
                if numbered
                else (flat[1], 999)
                if flat and flat[1]
                else (stem, 0)
            )
            things.setdefault(base.lower(), []).append((number, path))
    if not things:
        raise Refused(f"there is no mesh among the files; {', '.join(SUFFIXES)} are read")
    return [[path for _, path in sorted(those)] for those in things.values()]


def pictures_in(files: Mapping[str, bytes]) -> list[list[str]]:
    """The pictures among the files, each a thing of its own.

    Raises: Refused when there is none.
    """
    found = [[path] for path in sorted(files) if PurePosixPath(path).suffix.lower() in PICTURES]
    if not found:
        raise Refused(
            f"there is no picture among the files; {', '.join(PICTURES)} with a see-through "
            f"background are read"
        )
    return found


@dataclass(frozen=True, eq=False)
class Thing:
    """One thing that was brought in: its name, the unit it was read in, sentences to know, and what the shelf
    would keep."""

    name: str
    unit: str
    notes: list[str]
    made: Made


def bring(
    files: Mapping[str, bytes], paths: Sequence[str], slug: str, options: Options = Options()
) -> list[Thing]:
    """One thing from its mesh files, as the shelf keeps it; of a picture, one for each of its variants.

    Parameters: files, all that were given, by path; paths, the thing's own, its LODs in order; slug for its
    file. Raises: Refused naming the file and the cause.
    """
    if options.cards:
        return _bring_picture(files, paths[0], slug, options.cards)
    if _is_ours(files, paths):
        return [Thing(PurePosixPath(paths[0]).stem, "m", [], made(from_glb(slug, files[paths[0]])))]
    read = [read_mesh(files, path, options.unit, options.up) for path in paths]
    first, lods, own = _states(read, paths)
    lods, own = _placed(lods, own, options)
    triangles = sum(len(p.index) for p in lods[0]) // 3
    notes = list(dict.fromkeys(n for b in read for n in b.notes))
    wants_card = not own and options.billboard != "none" and triangles > FEW
    with ThreadPoolExecutor(1) as pool:
        card = (
            pool.submit(billboard_of, lods[0], options.billboard, options.rows or TRIED)
            if wants_card
            else None
        )
        if len(lods) == 1 and triangles > FEW and options.lods:
            lods = [*lods, *made_lods(lods[0], options.shares)]
            notes.append(
                f"{options.lods} LODs were made here." if options.lods > 1 else "A LOD was made here."
            )
        own = card.result() if card else own
    fit = options.billboard if wants_card and not options.rows else ""
    model = StockModel(slug, lods, own)
    model = edited(model, Edit(traits=Traits(untinted=proposed_untinted(model))), 0.0)
    thing = made(model, fit=fit)
    while idle := never_drawn(thing.distances):
        model = replace(model, lods=[lod for k, lod in enumerate(model.lods) if k not in idle])
        notes += [f"{why} It was left out." for why in idle.values()]
        thing = made(model, fit=fit)
    return [Thing(first.name, first.unit, notes, thing)]


def _bring_picture(files: Mapping[str, bytes], path: str, slug: str, cards: Cards) -> list[Thing]:
    name = PurePosixPath(path).name
    models = from_picture(slug, read_picture(name, files[path]), cards)
    stem, soft = PurePosixPath(path).stem, Traits(stiffness=0.1, casts_shadow=False)
    names = [f"{stem} {k}" for k in range(1, len(models) + 1)] if len(models) > 1 else [stem]
    return [Thing(n, "m", [], made(model, traits=soft)) for n, model in zip(names, models)]


def _is_ours(files: Mapping[str, bytes], paths: Sequence[str]) -> bool:
    if len(paths) > 1 or not paths[0].lower().endswith(".glb"):
        return False
    try:
        return split(files[paths[0]], ".glb")[0].get("asset", {}).get("generator") == "Knee Thicket"
    except (Refused, AttributeError):
        return False


def _states(read: Sequence[Brought], paths: Sequence[str]) -> tuple[Brought, list[list[Part]], list[Part]]:
    """The first file, and LODs and billboard of one thing from what its files hold."""
    if len(read) == 1:
        return read[0], read[0].lods, read[0].billboard
    flat = [b for b, path in zip(read, paths) if BILLBOARD.match(PurePosixPath(path).stem)]
    lods = [b for b in read if b not in flat]
    own = flat[0].billboard or flat[0].lods[0] if flat else read[0].billboard
    return lods[0], [b.lods[0] for b in lods], own


def _placed(lods: list[list[Part]], own: list[Part], options: Options) -> tuple[list[list[Part]], list[Part]]:
    """All states moved and scaled alike: the full mesh's foot on the ground line, in the middle of what
    stands there."""
    place = np.concatenate([p.position for p in lods[0]]).astype(float)
    low, tall = float(place[:, 1].min()), float(np.ptp(place[:, 1]))
    scale = (options.height / tall) if options.height else 1.0
    shift = np.zeros(3)
    if options.grounded:
        foot = place[place[:, 1] < low + tall / 12]
        middle = (foot.max(0) + foot.min(0)) / 2
        shift = np.array([middle[0], low, middle[2]])

    def put(parts: list[Part]) -> list[Part]:
        return [replace(p, position=((p.position - shift) * scale).astype(np.float32)) for p in parts]

    return [put(parts) for parts in lods], put(own)
