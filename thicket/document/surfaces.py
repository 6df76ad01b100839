"""The meshes placed in a level, as plants meet them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from thicket.document.level import Item, Level
from thicket.document.pin_rows import PinRow, Row
from thicket.document.surface_settings import PlacedMesh
from thicket.formats.stock import from_glb
from thicket.planting.pins import Pins
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
    mesh, notes = mended(np.concatenate([part.position for part in parts]), np.concatenate(faces))
    uv = np.concatenate([part.uv for part in parts])
    return (replace(mesh, uv=uv) if np.ptp(uv) > 0 else mesh), notes


def lying(level: Level, pins: Pins) -> Pins:
    """A stand's pins as they lie in the level: those on placed meshes where these are; those on meshes that
    are not there are left out."""
    if not pins.surface.any():
        return pins
    there = np.array([n == 0 or n in level.surfaces for n in pins.surface.tolist()])
    numbers = pins.surface[there]
    at = np.c_[pins.x, pins.lift, pins.z][there].astype(float)
    rest = pins.rest[there].copy()
    for number in np.unique(numbers[numbers > 0]).tolist():
        of, placed = numbers == number, level.surfaces[number]
        at[of] = placed.in_level(at[of])
        at[of, 1] -= level.heights.ground.height_at(at[of, 0].copy(), at[of, 2].copy())
        turned = Rotation.from_matrix(placed.rotation) * Rotation.from_quat(rest[of, :4].astype(float))
        rest[of, :4] = turned.as_quat()
    items = tuple(item for item, found in zip(pins.item, there.tolist()) if found)
    lift = at[:, 1].astype(np.float32)
    return pins._replace(
        id=pins.id[there], x=at[:, 0], z=at[:, 2], lift=lift, rest=rest, item=items, surface=numbers
    )


def stored(level: Level, row: Row | None) -> Row | None:
    """A plant as it lies in the level, with its lift above the terrain, as a pin has it: one on a placed mesh
    in the mesh's own space."""
    if not isinstance(row, PinRow) or not row.surface:
        return row
    placed = level.surfaces[row.surface]
    ground = float(level.heights.ground.height_at(np.array([row.x]), np.array([row.z]))[0])
    x, y, z = placed.in_own(np.array([[row.x, ground + row.lift, row.z]]))[0].tolist()
    q = Rotation.from_matrix(placed.rotation).inv() * Rotation.from_quat([row.qx, row.qy, row.qz, row.qw])
    turn = dict(zip(("qx", "qy", "qz", "qw"), q.as_quat().tolist()))
    return PinRow(**{**row.model_dump(), **turn, "x": x, "lift": y, "z": z})


def chosen_surfaces(level: Level, names: Iterable[str]) -> dict[int, PlacedMesh]:
    """The placed meshes that carry plants among those of some names and groups, by number."""
    wanted = set(names)
    return {
        number: placed
        for number, placed in level.surfaces.items()
        if placed.planted and (placed.name in wanted or (placed.group and placed.group in wanted))
    }
