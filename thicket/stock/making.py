"""From a model to what the shelf keeps of it: measured, drawn, and looked over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from thicket.formats.stock import Part, StockModel, measure, png_bytes, read_anchors, to_glb
from thicket.sight.billboard import render_billboard
from thicket.stock.silhouette import distance_of, silhouette_error, turned

PICTURE_ROWS, SIDE_ROWS = 220, 160
SEEN_FROM = (28.0, 14.0)
"""Heading and pitch in degrees from which the picture is drawn."""


@dataclass(frozen=True, eq=False)
class Made:
    """All that the shelf keeps of an item. Lengths in m; `scale`, the picture's pixels to a metre; `states`, of each LOD and
    then the billboard: name, triangles, materials, bytes; `distances`, see `distances_of`; `findings`, sentences."""

    height: float
    crown: float
    trunk: float
    anchors: list[dict]
    glb: bytes
    silhouette: bytes
    picture: bytes
    scale: float
    states: list[dict]
    texture_bytes: int
    distances: dict
    findings: list[str]


def measured(parts: Sequence[Part]) -> tuple[float, float, float]:
    """Height, crown radius and trunk radius in m of a mesh that stands on y = 0.

    The crown is the radius that holds 98 % of the corners; the trunk is what stands in the lowest twelfth of the height,
    of its solid parts where it has some.
    """
    place = np.concatenate([part.position for part in parts])
    height = float(place[:, 1].max())
    crown = float(np.percentile(np.hypot(place[:, 0], place[:, 2]), 98))
    solid = [part.position for part in parts if not part.material.cut] or [place]
    low = np.concatenate(solid)
    foot = low[low[:, 1] < height / 12]
    trunk = float(np.percentile(np.hypot(foot[:, 0], foot[:, 2]), 90)) if len(foot) else crown / 4
    return height, max(crown, 0.01), float(np.clip(trunk, 0.01, max(crown, 0.01)))


def distances_of(model: StockModel) -> dict:
    """Of each coarser LOD and of the billboard: the silhouette error in m, and the nearest distance in m at which it stays
    under two pixels. A state never begins nearer than the one before it."""
    full = model.lods[0]
    errors = [silhouette_error(full, lod) for lod in model.lods[1:]]
    lods, last = [], 0.0
    for error in errors:
        last = max(last, distance_of(error))
        lods.append(round(last, 2))
    found = {"lods": lods, "errors": [round(e, 4) for e in errors], "billboard": None, "billboard_error": None}
    if model.billboard:
        error = silhouette_error(full, model.billboard)
        found |= {"billboard": round(max(last, distance_of(error)), 2), "billboard_error": round(error, 4)}
    return found


def made(model: StockModel, height: float | None = None, crown: float | None = None, trunk: float | None = None,
         findings: Sequence[str] = ()) -> Made:
    """What the shelf keeps of a model; lengths in m are measured where they are not given."""
    glb = to_glb(model)
    item, found = measure(model.slug, glb), measured(model.lods[0])
    height, crown, trunk = (said if said is not None else got for said, got in zip((height, crown, trunk), found))
    states = [{"name": f"lod{k}", "triangles": m.triangles, "materials": m.materials, "bytes": m.bytes}
              for k, m in enumerate(item.lods)]
    if item.billboard:
        states.append({"name": "billboard", "triangles": item.billboard.triangles, "materials": item.billboard.materials,
                       "bytes": item.billboard.bytes})
    view, scale = picture_of(model.lods[0])
    side = render_billboard(model.lods[0], max(crown * 2.6, height * 0.5), height * 1.06, SIDE_ROWS)
    return Made(height, crown, trunk, read_anchors(model.slug, glb), glb, png_bytes(side), png_bytes(view),
                scale, states, int(item.texture_bytes), distances_of(model),
                [*findings, *looked_over(model, states)])


def picture_of(parts: Sequence[Part]) -> tuple[np.ndarray, float]:
    """A picture, RGBA uint8, of a mesh lit and from a little above, what lies under the ground left out; and its pixels to a
    metre."""
    seen = turned(parts, *SEEN_FROM)
    place = np.concatenate([part.position for part in seen])
    foot = np.concatenate([part.position for part in turned(parts, SEEN_FROM[0])])[:, 1] >= -1e-3
    low = min(float(place[foot, 1].min()), 0.0)
    width, tall = max(2.06 * float(np.abs(place[:, 0]).max()), 0.02), max(1.04 * (float(place[:, 1].max()) - low), 0.02)
    rows = int(min(PICTURE_ROWS, max(PICTURE_ROWS * tall / width, 24)))
    lifted = [replace(part, position=part.position - np.array([0.0, low, 0.0])) for part in seen]
    return render_billboard(lifted, width, tall, rows, oversample=3), rows / tall


def looked_over(model: StockModel, states: Sequence[dict]) -> list[str]:
    """What is wrong or dear about a model, a sentence each."""
    out = []
    place = np.concatenate([part.position for part in model.lods[0]])
    triangles = [s["triangles"] for s in states if s["name"] != "billboard"]
    if len(triangles) == 1 and triangles[0] > 500:
        out.append(f"It has no LODs: {triangles[0]:,} triangles are drawn at every distance.")
    out += [f"LOD {k} saves little: {b:,} triangles after {a:,}." for k, (a, b) in
            enumerate(zip(triangles, triangles[1:]), start=1) if b > 0.85 * a]
    if not model.billboard and triangles[0] > 200:
        out.append("It has no billboard to become in the distance.")
    low, tall = float(place[:, 1].min()), float(np.ptp(place[:, 1]))
    if low > 0.03 * tall:
        out.append(f"Its foot hangs {low:.2f} m above the ground line.")
    if low < -0.6 * tall:
        out.append(f"It reaches {-low:.2f} m below the ground line, more than half of it.")
    return out
