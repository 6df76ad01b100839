"""From a model to what the shelf keeps of it: measured, drawn, and looked over."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace

import numpy as np

from thicket.formats.stock import Part, StockModel, from_glb, measure, png_bytes, read_anchors, to_glb
from thicket.sight.billboard import render_billboard
from thicket.sight.cost import Item
from thicket.stock.billboards import fitted
from thicket.stock.findings import findings, mended
from thicket.stock.silhouette import blurred, coverages, distance_of, frame_of, outline_difference, turned
from thicket.stock.traits import Edit, Traits, edited, materials_of, on_mesh, untinted_of

PICTURE_ROWS, SIDE_ROWS = 220, 160
SEEN_FROM = (28.0, 14.0)
"""Heading and pitch in degrees from which the picture is drawn."""


@dataclass(frozen=True, eq=False)
class Made:
    """All that the shelf keeps of an item. Lengths in m; `scale`, the picture's pixels to a metre; `states`,
    of each LOD and then the billboard: see `states_of`; `distances`, see `distances_of`; `findings`, text and
    mend of each; `traits`, see `thicket.stock.traits.Traits`."""

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
    findings: list[dict]
    traits: dict


def measured(parts: Sequence[Part]) -> tuple[float, float, float]:
    """Height, crown radius and trunk radius in m of a mesh that stands on y = 0.

    The crown is the radius that holds 98 % of the corners; the trunk is what stands in the lowest twelfth of
    the height, of its solid parts where it has some.
    """
    place = np.concatenate([part.position for part in parts])
    height = float(place[:, 1].max())
    crown = float(np.percentile(np.hypot(place[:, 0], place[:, 2]), 98))
    solid = [part.position for part in parts if not part.material.cut] or [place]
    low = np.concatenate(solid)
    foot = low[low[:, 1] < height / 12]
    trunk = float(np.percentile(np.hypot(foot[:, 0], foot[:, 2]), 90)) if len(foot) else crown / 4
    return height, max(crown, 0.01), float(np.clip(trunk, 0.01, max(crown, 0.01)))


def seen_states(model: StockModel) -> tuple[list[np.ndarray], float]:
    """What every state covers from all headings, each float (headings, rows, columns), and the height in m of
    the frame."""
    states = [*model.lods, *([model.billboard] if model.billboard else [])]
    frame = frame_of([part for state in states for part in state])
    return [coverages(state, frame) for state in states], frame[1]


def distances_of(seen: Sequence[np.ndarray], height: float, billboard: bool) -> dict:
    """Of each coarser LOD and of the billboard: the silhouette error in m, and the nearest distance in m at
    which it stays under two pixels. A state never begins nearer than the one before it.

    Parameters: what the states cover, in a frame of a height in m; whether the last of them is a billboard.
    """
    full, *coarser = (blurred(covered) for covered in seen)
    errors = [outline_difference(full, state, height) for state in coarser]
    starts = np.maximum.accumulate([distance_of(e) for e in errors]).round(2).tolist() if errors else []
    errors = [round(e, 5) for e in errors]
    if billboard:
        return {
            "lods": starts[:-1],
            "errors": errors[:-1],
            "billboard": starts[-1],
            "billboard_error": errors[-1],
        }
    return {"lods": starts, "errors": errors, "billboard": None, "billboard_error": None}


def distances_for(distances: Mapping, pixels: float) -> dict:
    """The same for another number of pixels."""
    starts = np.maximum.accumulate(
        [distance_of(e, pixels) for e in [*distances["errors"], distances["billboard_error"] or 0.0]]
    )
    return {
        **distances,
        "lods": starts[:-1].round(2).tolist(),
        "billboard": None if distances["billboard_error"] is None else round(float(starts[-1]), 2),
    }


def states_of(item: Item, seen: Sequence[np.ndarray], height: float) -> list[dict]:
    """Of each state: name, triangles, materials (draw calls), bytes, the area in m² that it covers seen from
    the side, and its overdraw: how many times over its see-through cards cover that area."""
    names = [*(f"lod{k}" for k in range(len(item.lods))), "billboard"]
    out = []
    for name, mesh, view in zip(names, item.meshes, seen):
        covered = float(view.sum((1, 2)).mean()) * (height / view.shape[1]) ** 2
        out.append(
            {
                "name": name,
                "triangles": mesh.triangles,
                "materials": mesh.materials,
                "bytes": mesh.bytes,
                "covered": round(covered, 4),
                "overdraw": round(mesh.alpha_area / max(covered, 1e-9), 2),
            }
        )
    return out


def made(
    model: StockModel,
    height: float | None = None,
    crown: float | None = None,
    trunk: float | None = None,
    traits: Traits | None = None,
    fit: str = "",
) -> Made:
    """What the shelf keeps of a model; lengths in m are measured where they are not given.

    Parameters: fit, the kind of its billboard when that was made here, and its picture is to be as large as
    it takes.
    """
    found = measured(model.lods[0])
    height, crown, trunk = (
        given if given is not None else got for given, got in zip((height, crown, trunk), found)
    )
    with ThreadPoolExecutor(2) as pool:
        view = pool.submit(picture_of, model.lods[0])
        side = pool.submit(
            render_billboard,
            model.lods[0],
            max(crown * 2.6, height * 0.5),
            height * 1.06,
            SIDE_ROWS,
            oversample=2,
        )
        seen, frame = seen_states(model)
        (picture, scale), silhouette = view.result(), side.result()
    distances = distances_of(seen, frame, bool(model.billboard))
    if fit and model.billboard:
        model = replace(model, billboard=fitted(model.lods[0], fit, distances["billboard"]))
    glb = to_glb(model)
    item = measure(model.slug, glb)
    problems = findings(model, [m.triangles for m in item.lods], distances)
    return Made(
        height,
        crown,
        trunk,
        read_anchors(model.slug, glb),
        glb,
        png_bytes(silhouette),
        png_bytes(picture),
        scale,
        states_of(item, seen, frame),
        int(item.texture_bytes),
        distances,
        [asdict(f) for f in problems],
        (traits or Traits(untinted=untinted_of(model))).as_dict(),
    )


def changed(slug: str, was: Made, edit: Edit) -> Made:
    """An item under an edit. Lengths that the edit does not give stay, or are scaled with the mesh.

    Raises: Refused; see `thicket.stock.traits.edited`.
    """
    scale = (edit.height / was.height) if edit.height else 1.0
    crown = edit.crown if edit.crown is not None else was.crown * scale
    trunk = edit.trunk if edit.trunk is not None else was.trunk * scale
    model = edited(from_glb(slug, was.glb), edit, trunk, scale)
    old = Traits(**was.traits)
    looks = edit.traits.faces_eye != old.faces_eye or edit.traits.cutoff != old.cutoff
    if scale != 1.0 or edit.lift or looks:
        return made(model, was.height * scale + edit.lift, crown, trunk, edit.traits)
    glb = to_glb(model)
    return replace(
        was, glb=glb, anchors=read_anchors(slug, glb), crown=crown, trunk=trunk, traits=edit.traits.as_dict()
    )


def succeeded(slug: str, was: Made, new: Made) -> Made:
    """An item whose source is replaced: the new one with the old one's traits, and with its anchors where
    they lie on the new mesh and that has none of its own. Materials that the old one has not are tinted as
    the new one proposes."""
    model, traits = from_glb(slug, new.glb), Traits(**was.traits)
    kept = new.anchors or [a for a in was.anchors if on_mesh(model.lods[0], a["at"])]
    known, proposed = materials_of(from_glb(slug, was.glb)), untinted_of(model)
    untinted = [n for n in materials_of(model) if n in (traits.untinted if n in known else proposed)]
    return changed(slug, new, Edit(anchors=kept, traits=replace(traits, untinted=untinted)))


def mended_item(slug: str, glb: bytes, mend: str, traits: Traits, crown: float, trunk: float) -> Made:
    """An item's file after what a finding offers; crown and trunk radius in m stay.

    Raises: Refused; see `thicket.stock.findings.mended`.
    """
    model = mended(from_glb(slug, glb), mend)
    return made(model, None, crown, trunk, replace(traits, untinted=untinted_of(model)))


def picture_of(parts: Sequence[Part]) -> tuple[np.ndarray, float]:
    """A picture, RGBA uint8, of a mesh lit and from a little above, what lies under the ground left out; and
    its pixels to a metre."""
    seen = turned(parts, *SEEN_FROM)
    place = np.concatenate([part.position for part in seen])
    foot = np.concatenate([part.position for part in turned(parts, SEEN_FROM[0])])[:, 1] >= -1e-3
    low = min(float(place[foot, 1].min()), 0.0)
    width, tall = (
        max(2.06 * float(np.abs(place[:, 0]).max()), 0.02),
        max(1.04 * (float(place[:, 1].max()) - low), 0.02),
    )
    rows = int(min(PICTURE_ROWS, max(PICTURE_ROWS * tall / width, 24)))
    lifted = [replace(part, position=part.position - np.array([0.0, low, 0.0])) for part in seen]
    return render_billboard(lifted, width, tall, rows, oversample=2), rows / tall
