"""The starter shelf: the demo's items, for every installation."""

from __future__ import annotations

from demo import level, placed, stock
from thicket.stock.making import Made, made
from thicket.stock.traits import Edit, Traits, edited, proposed_untinted

GROUPS = {
    "birch": "tree",
    "rowan": "tree",
    "hawthorn": "tree",
    "gorse": "shrub",
    "heather": "shrub",
    "bracken": "grass and herbs",
    "moor-grass": "grass and herbs",
    "moss-cushion": "grass and herbs",
    "slate-block": "rock",
    "slate-slab": "rock",
    "sleeper": "made thing",
    "sleeper-stack": "made thing",
    "erratic": "rock",
    "ruined-walls": "made thing",
    "spoil-wagon": "made thing",
}
STOCK = level.STOCK | placed.STOCK
MODELS = stock.MODELS | placed.MODELS
TAGS = {
    "birch": ["moor"],
    "rowan": ["moor"],
    "heather": ["moor"],
    "slate-block": ["quarry"],
    "slate-slab": ["quarry"],
    "sleeper": ["tramway"],
    "sleeper-stack": ["tramway"],
    "ruined-walls": ["quarry"],
    "spoil-wagon": ["tramway"],
}


STIFF = {"tree": 0.45, "shrub": 0.35, "grass and herbs": 0.1, "rock": 1.0, "made thing": 1.0}
COLLIDERS = {"tree": "cylinder", "rock": "hull", "made thing": "box"}


def starter(slug: str) -> Made:
    """One of the items, as the shelf keeps it; trees have a cylinder to bump into, stones a hull."""
    _, height, crown, trunk = STOCK[slug]
    model, group = MODELS[slug](), GROUPS[slug]
    traits = Traits(
        stiffness=STIFF[group],
        collider=COLLIDERS.get(group, "none"),
        untinted=proposed_untinted(model),
    )
    return made(edited(model, Edit(traits=traits), trunk), height, crown, trunk, traits)
