"""The meshes placed in a level, as plants meet them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from thicket.document.level import Item, Level
from thicket.document.surface_settings import PlacedMesh
from thicket.formats.stock import from_glb
from thicket.refused import Refused
from thicket.surfaces.mesh import Mesh, made_mesh, mended


def mesh_of(level: Level, placed: PlacedMesh) -> Mesh:
    """The mesh of a placed one, in its own space.

    Raises: Refused, naming it, when its item is gone or its mesh cannot be planted.
    """
    try:
        if placed.made:
            return made_mesh(placed.made.form, placed.made.size, placed.made.divisions)
        return _mesh_of_item(level, placed.item)[0]
    except Refused as error:
        raise Refused(f"{placed.name}: {error}") from None


def notes_on(level: Level, placed: PlacedMesh) -> list[str]:
    """What was mended of its mesh, in words. Raises: Refused as `mesh_of`."""
    return [] if placed.made else _mesh_of_item(level, placed.item)[1]


def _mesh_of_item(level: Level, slug: str) -> tuple[Mesh, list[str]]:
    item: Item | None = level.stock.get(slug)
    data = item.file() if item else b""
    if not data:
        raise Refused(f"the level has no mesh of the item {slug!r}")
    parts = from_glb(slug, data).lods[0]
    offsets = np.cumsum([0, *(len(part.position) for part in parts)])
    faces = [np.asarray(part.index, np.int64).reshape(-1, 3) + offset for part, offset in zip(parts, offsets)]
    return mended(np.concatenate([part.position for part in parts]), np.concatenate(faces))


def chosen_surfaces(level: Level, names: Iterable[str]) -> dict[int, PlacedMesh]:
    """The placed meshes that carry plants among those of some names and groups, by number."""
    wanted = set(names)
    return {
        number: placed
        for number, placed in level.surfaces.items()
        if placed.planted and (placed.name in wanted or (placed.group and placed.group in wanted))
    }
