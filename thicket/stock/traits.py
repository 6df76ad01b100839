"""What an item knows beside its meshes, and how its file changes when a person edits it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace

import numpy as np

from thicket.formats.stock import Material, Part, StockModel
from thicket.refused import Refused
from thicket.stock.colliders import KINDS, collider_of


@dataclass(frozen=True)
class Traits:
    """stiffness in the wind, 0 (bends with every breath) to 1; whether it casts and receives shadow, becomes
    its billboard in the distance, and turns to the eye as a whole; its collider, one of
    `thicket.stock.colliders.KINDS`; of its cut-out cards, from which alpha on (0–1) something is there, and
    how soft their edge is (0–1); untinted, the names of the materials that a stand's tints leave alone."""

    stiffness: float = 0.4
    casts_shadow: bool = True
    receives_shadow: bool = True
    becomes_billboard: bool = True
    faces_eye: bool = False
    collider: str = "none"
    cutoff: float = 0.5
    softness: float = 0.0
    untinted: Sequence[str] = ()

    def as_dict(self) -> dict:
        """The traits as JSON has them."""
        return asdict(self) | {"untinted": list(self.untinted)}


WOODY = "bark", "branch", "stem", "trunk", "twig", "wood"
"""A material whose name has one of these words is proposed as one that tints leave alone."""
MOST_UNTINTED, LONGEST_NAME = 64, 200
"""So many materials may be left alone, and so many letters have their names at the most."""


def materials_of(model: StockModel) -> list[str]:
    """The names of the materials of a model's meshes, its billboard's left out, each once."""
    return list(dict.fromkeys(part.material.name for lod in model.lods for part in lod))


def untinted_of(model: StockModel) -> list[str]:
    """The names of those that tints leave alone, as the model's file says."""
    known = {part.material.name: part.material.tinted for lod in model.lods for part in lod}
    return _allowed([name for name, tinted in known.items() if not tinted])


def proposed_untinted(model: StockModel) -> list[str]:
    """The materials that tints are proposed to leave alone, by their names."""
    return _allowed([n for n in materials_of(model) if any(word in n.lower() for word in WOODY)])


def _allowed(names: Sequence[str]) -> list[str]:
    return [name for name in names if len(name) <= LONGEST_NAME][:MOST_UNTINTED]


@dataclass(frozen=True)
class Edit:
    """What a person says of an item. Lengths in m.

    height, which the mesh is scaled to; crown and trunk radius; lift, by how much the mesh is moved up; None
    leaves a length as it is. anchors: name, place `at` and direction `up` of each, in groups of those whose
    names differ by a number only.
    """

    height: float | None = None
    crown: float | None = None
    trunk: float | None = None
    lift: float = 0.0
    anchors: Sequence[Mapping] | None = None
    traits: Traits = Traits()


def group_of(anchor: str) -> str:
    """The group of an anchor: its name without the number at its end."""
    return anchor.rstrip("0123456789 ") or anchor


def edited(model: StockModel, edit: Edit, trunk: float, scale: float = 1.0) -> StockModel:
    """The model as an edit has it.

    Parameters: trunk, the item's trunk radius in m after the edit; scale, what its height makes of the mesh.

    Raises: Refused when two anchors have the same name, or one lies outside the mesh.
    """
    anchors = model.anchors
    if edit.anchors is not None:
        names = [a["name"] for a in edit.anchors]
        if len(set(names)) < len(names):
            raise Refused("anchors: two anchor points cannot have the same name")
        anchors = {a["name"]: (tuple(a["at"]), tuple(a["up"])) for a in edit.anchors}
        _check_anchors(model, anchors)
    if scale != 1.0 or edit.lift:
        anchors = {
            name: (tuple(np.array(at) * scale + [0, edit.lift, 0]), up) for name, (at, up) in anchors.items()
        }
    known: dict[int, Material] = {}
    lods = [[_moved(part, scale, edit, known) for part in parts] for parts in model.lods]
    billboard = [_moved(part, scale, edit, None) for part in model.billboard]
    if edit.traits.collider not in KINDS:
        raise Refused(f"collider: one of {', '.join(KINDS)}")
    tall = max(float(part.position[:, 1].max()) for part in lods[0])
    return StockModel(
        model.slug, lods, billboard, anchors, collider_of(edit.traits.collider, lods[0], tall, trunk)
    )


def on_mesh(parts: Sequence[Part], at: Sequence[float]) -> bool:
    """Whether a place, in m, lies in the box around a mesh, give or take a twentieth of its size."""
    place = np.concatenate([part.position for part in parts])
    low, high = place.min(0), place.max(0)
    slack = 0.05 * float((high - low).max())
    return bool((np.array(at) >= low - slack).all() and (np.array(at) <= high + slack).all())


def _dressed(material: Material, traits: Traits) -> Material:
    """A material as an item's traits have it; the very same where they change nothing."""
    cutoff, softness = (traits.cutoff, traits.softness) if material.cut else (0.5, 0.0)
    tinted = material.name not in traits.untinted
    now = material.facing, material.cutoff, material.softness, material.tinted
    if now == (traits.faces_eye, cutoff, softness, tinted):
        return material
    return replace(material, facing=traits.faces_eye, cutoff=cutoff, softness=softness, tinted=tinted)


def _check_anchors(model: StockModel, anchors: Mapping[str, tuple]) -> None:
    for name, (at, up) in anchors.items():
        if not on_mesh(model.lods[0], at):
            raise Refused(f"anchors: {name} lies outside the mesh")
        if not np.linalg.norm(up) > 1e-6:
            raise Refused(f"anchors: {name} has no direction")


def _moved(part: Part, scale: float, edit: Edit, known: dict[int, Material] | None) -> Part:
    """A part as an edit has it; known, the materials that were changed already, None to leave them alone."""
    material, traits = part.material, edit.traits
    if known is not None:
        if id(material) not in known:
            known[id(material)] = _dressed(material, traits)
        material = known[id(material)]
    if scale == 1.0 and not edit.lift and material is part.material:
        return part
    place = part.position * np.float32(scale) + np.array([0, edit.lift, 0], np.float32)
    return replace(part, material=material, position=place.astype(np.float32))
