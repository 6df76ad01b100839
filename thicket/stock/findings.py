"""What is wrong or dear about an item, and how it is mended."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from thicket.formats.stock import Material, Part, StockModel
from thicket.refused import Refused
from thicket.stock.billboards import CARDS, MADE, billboard_of
from thicket.stock.lods import made_lods
from thicket.stock.merging import MANY, merged, merged_draws
from thicket.stock.silhouette import pixels_at
from thicket.stock.welding import welded

NEAREST = 2.0
"""The nearest, in m, that a player's eye comes to a plant: textures need no more texels than the screen has
pixels there."""
SMALLEST = 128
FOOT = 0.15
"""The share of a part's height that is its foot."""


@dataclass(frozen=True)
class Finding:
    """A sentence, and the name of what mends it; empty when nothing here does."""

    text: str
    mend: str = ""


def never_drawn(distances: Mapping) -> dict[int, str]:
    """The coarser LODs (from 1) that are never drawn at an item's own distances, and why: a sentence of each.

    Parameters: distances, see `thicket.stock.making.distances_of`.
    """
    starts, flat = list(distances["lods"]), distances["billboard"]
    names = [f"LOD {k}" for k in range(1, len(starts) + 1)] + ["the billboard"]
    ends = [*starts[1:], *([] if flat is None else [flat])]
    return {
        k: f"LOD {k} would never be drawn: {names[k]} looks no worse from the same distance, {start:.0f} m."
        for k, (start, end) in enumerate(zip(starts, ends), start=1)
        if end <= start
    }


def findings(model: StockModel, triangles: Sequence[int], distances: Mapping) -> list[Finding]:
    """What is wrong or dear about a model; triangles of each LOD, and its own distances."""
    out = []
    full = model.lods[0]
    idle = never_drawn(distances)
    if len(triangles) == 1 and triangles[0] > 500:
        out.append(
            Finding(f"It has no LODs: {triangles[0]:,} triangles are drawn at every distance.", "lods")
        )
    out += [
        Finding(f"LOD {k} saves little: {b:,} triangles after {a:,}.", f"drop lod {k}")
        for k, (a, b) in enumerate(zip(triangles, triangles[1:]), start=1)
        if b > 0.85 * a and k not in idle
    ]
    out += [Finding(why, f"drop lod {k}") for k, why in idle.items()]
    draws = len(full)
    if draws > MANY and 2 * merged_draws(full) <= draws:
        out.append(
            Finding(
                f"Its full mesh takes {draws} draw calls, one for each material; merged they are "
                f"{merged_draws(full)}.",
                "merge materials",
            )
        )
    if not model.billboard and triangles[0] > 200:
        out.append(Finding("It has no billboard to become in the distance.", "billboard"))
    place = np.concatenate([part.position for part in full])
    low, tall = float(place[:, 1].min()), float(np.ptp(place[:, 1]))
    if low > 0.03 * tall:
        out.append(Finding(f"Its foot hangs {low:.2f} m above the ground line.", "ground"))
    if low < -0.6 * tall:
        out.append(Finding(f"It reaches {-low:.2f} m below the ground line, more than half of it.", "ground"))
    seen = set()
    for part in full:
        if id(part.material) not in seen:
            seen.add(id(part.material))
            out += _of_texture(part)
        if not part.material.cut:
            out += _of_solid(part)
    return out


def _of_texture(part: Part) -> list[Finding]:
    material, out = part.material, []
    rows, columns = material.texture.shape[:2]
    texels, shown = texels_a_metre(part), pixels_at(NEAREST)
    if texels > 2 * shown and max(rows, columns) > 2 * SMALLEST:
        out.append(
            Finding(
                f"The texture of {material.name} is far larger than is ever seen: {texels:,.0f} "
                f"texels a metre, "
                f"where the screen shows {shown:,.0f} at {NEAREST:g} m.",
                "smaller textures",
            )
        )
    if not material.cut and 0.02 < float((material.texture[..., 3] < 128).mean()) < 0.98:
        out.append(
            Finding(f"The picture of {material.name} has see-through parts that are not cut out.", "cut out")
        )
    return out


def _of_solid(part: Part) -> list[Finding]:
    opened, volume = _edges_and_volume(part)
    if opened < 0.02 and volume < 0:
        return [Finding(f"The faces of {part.material.name} are inside out.", "turn faces")]
    if opened > 0.25 and not part.material.both_sides:
        return [
            Finding(
                f"{part.material.name} is open: {100 * opened:.0f} % of its edges have a face on "
                f"one side only, and it "
                "cannot be seen from behind.",
                "both sides",
            )
        ]
    return []


def _edges_and_volume(part: Part) -> tuple[float, float]:
    """The share, by length, of edges that have a face on one side only, the foot's left out, which stands on
    the ground; and the volume inside the faces, in m³."""
    many, same = welded(part.position)
    place = np.empty((many, 3))
    place[same] = part.position
    faces = same[part.index.astype(np.int64)].reshape(-1, 3)
    ends = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    edges, count = np.unique(ends[:, 0] * many + ends[:, 1], return_counts=True)
    ends = np.stack([edges // many, edges % many], axis=1)
    long = np.linalg.norm(place[ends[:, 0]] - place[ends[:, 1]], axis=1)
    foot = place[:, 1].min() + FOOT * np.ptp(place[:, 1])
    alone = (count == 1) & (place[ends, 1].max(1) > foot)
    a, b, c = (place[faces[:, k]].astype(float) - place.mean(0) for k in range(3))
    return float(long[alone].sum() / max(long.sum(), 1e-9)), float((a * np.cross(b, c)).sum() / 6)


def texels_a_metre(part: Part) -> float:
    """How many texels of its texture lie along a metre of a part's surface, on the mean."""
    index = part.index.reshape(-1, 3)
    a, b, c = (part.position[index[:, k]].astype(float) for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2
    u, v, w = (part.uv[index[:, k]].astype(float) * part.material.texture.shape[1::-1] for k in range(3))
    p, q = v - u, w - u
    texels = np.abs(p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]).sum() / 2
    return float(np.sqrt(texels / max(area, 1e-9)))


def mended(model: StockModel, mend: str) -> StockModel:
    """A model after what a finding offers.

    Raises: Refused when there is nothing of that name to do.
    """
    full = model.lods[0]
    if mend == "lods":
        return replace(model, lods=[full, *made_lods(full)])
    if mend.startswith("drop lod ") and mend[9:].isdigit() and 0 < int(mend[9:]) < len(model.lods):
        return replace(model, lods=[lod for k, lod in enumerate(model.lods) if k != int(mend[9:])])
    if mend == "merge materials":
        return merged(model)
    if mend == "billboard":
        return replace(model, billboard=billboard_of(full))
    if mend in {MADE + kind for kind in CARDS}:
        return replace(model, billboard=billboard_of(full, mend.removeprefix(MADE)))
    if mend == "ground":
        low = min(float(part.position[:, 1].min()) for part in full)
        return _each_part(
            model, lambda p: replace(p, position=p.position - np.array([0, low, 0], np.float32)), low
        )
    if mend == "smaller textures":
        fitting: dict[int, Material] = {}
        for part in full:
            fitting.setdefault(id(part.material), _fitted(part))
        return _each_part(model, lambda p: replace(p, material=fitting.get(id(p.material), p.material)))
    if mend == "cut out":
        return _each_material(
            model, lambda m: replace(m, cut=m.cut or bool((m.texture[..., 3] < 128).mean() > 0.02))
        )
    if mend == "both sides":
        return _each_material(model, lambda m: replace(m, both_sides=True))
    if mend == "turn faces":
        return _each_part(model, _turned_out)
    raise Refused(f"mend: there is nothing called {mend[:40]!r} to do")


def _fitted(part: Part) -> Material:
    """A part's material with its texture halved until it has no more texels than are seen."""
    from PIL import Image

    material, texels = part.material, texels_a_metre(part)
    texture = material.texture
    while texels > 1.2 * pixels_at(NEAREST) and min(texture.shape[:2]) >= 2 * SMALLEST:
        picture = Image.fromarray(texture)
        texture = np.asarray(picture.resize((picture.width // 2, picture.height // 2), Image.Resampling.BOX))
        texels /= 2
    return replace(material, texture=texture, encoded=None)


def _turned_out(part: Part) -> Part:
    if part.material.cut or not any(f.mend == "turn faces" for f in _of_solid(part)):
        return part
    return replace(
        part, index=np.ascontiguousarray(part.index.reshape(-1, 3)[:, ::-1]).ravel(), normal=-part.normal
    )


def _each_part(model: StockModel, change: Callable[[Part], Part], down: float = 0.0) -> StockModel:
    """A model with every part changed; anchors go down by so many m."""
    anchors = {name: ((at[0], at[1] - down, at[2]), up) for name, (at, up) in model.anchors.items()}
    return replace(model, lods=[[change(p) for p in lod] for lod in model.lods], anchors=anchors)


def _each_material(model: StockModel, change: Callable[[Material], Material]) -> StockModel:
    known: dict[int, Material] = {}

    def with_material(part: Part) -> Part:
        if id(part.material) not in known:
            known[id(part.material)] = change(part.material)
        return replace(part, material=known[id(part.material)])

    return _each_part(model, with_material)
