"""The starter shelf: the demo's items, for every installation."""

from __future__ import annotations

from demo.level import STOCK
from demo.stock import MODELS
from thicket.stock.making import Made, made

GROUPS = {"birch": "tree", "rowan": "tree", "hawthorn": "tree", "gorse": "shrub", "heather": "shrub", "bracken": "grass and herbs",
          "moor-grass": "grass and herbs", "moss-cushion": "grass and herbs", "slate-block": "rock", "slate-slab": "rock",
          "sleeper": "made thing", "sleeper-stack": "made thing"}
TAGS = {"birch": ["moor"], "rowan": ["moor"], "heather": ["moor"], "slate-block": ["quarry"], "slate-slab": ["quarry"],
        "sleeper": ["tramway"], "sleeper-stack": ["tramway"]}


def starter(slug: str) -> Made:
    """One of the items, as the shelf keeps it."""
    _, height, crown, trunk = STOCK[slug]
    return made(MODELS[slug](), height, crown, trunk)
