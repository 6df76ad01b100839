"""Stock items between files and the core."""

from __future__ import annotations

from typing import Any, cast

from thicket.document.level import Item
from thicket.document.level_file import ItemDistances, ItemFile, ItemTraits


def item_file(item: Item) -> ItemFile:
    """An item as it stands in a file, without its mesh."""
    return ItemFile(
        slug=item.slug,
        name=item.name,
        height=item.height,
        crown=item.crown,
        trunk=item.trunk,
        points=cast(Any, [dict(p) for p in item.points]),
        traits=ItemTraits.model_validate(dict(item.traits)),
        distances=ItemDistances.model_validate(dict(item.distances)),
        held=item.held,
        version=item.version,
    )


def item_from(given: ItemFile, glb: bytes, silhouette: bytes) -> Item:
    """The item that a file and its mesh, a binary glTF, and picture, a PNG, give."""
    return Item(
        given.slug,
        given.name,
        given.height,
        given.crown,
        given.trunk,
        [a.model_dump(mode="json") for a in given.points],
        glb,
        given.traits.model_dump(mode="json"),
        given.distances.model_dump(mode="json"),
        silhouette,
        given.held,
        given.version,
    )
