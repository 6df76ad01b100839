"""Single plants set and moved by hand on placed meshes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from thicket.document.pin_rows import PinRow
from thicket.document.surfaces import chosen_surfaces
from thicket.planted.placed_meshes import PlacedMeshes
from thicket.planted.planting import Planting
from thicket.planted.sheets import widened
from thicket.planted.surfaces import MeshPlaces
from thicket.planting.stands import Plants, join
from thicket.refused import Refused

Place = tuple[float, float, float] | np.ndarray
TURN = ("qx", "qy", "qz", "qw")
OFF = 2.0
"""A plant is set on a mesh that lies at most so many m from the place that was pointed at."""


def spot_on(planting: Planting, surface: int, place: Place) -> tuple[np.ndarray, np.ndarray]:
    """The point of a placed mesh, by number, nearest to a place of the level, and the way it faces.

    Raises: Refused when the stand does not grow on that mesh, or the mesh lies elsewhere.
    """
    level, stand = planting.level, planting.stand
    if surface not in chosen_surfaces(level, stand.settings.on):
        where = ", ".join(stand.settings.on) or "the terrain"
        raise Refused(f"place: {stand.name} grows on {where}, not here")
    at, normal = planting.around.meshes.nearest(surface, np.array([place], float))
    if float(np.linalg.norm(at[0] - place)) > OFF:
        name = level.surfaces[surface].name
        raise Refused(f"place: {name} lies more than {OFF:g} m from there; point at it")
    return at[0], normal[0]


def plants_on(planting: Planting, surface: int) -> Plants:
    """A stand's plants on one placed mesh, by its number."""
    x0, _, z0, x1, _, z1 = planting.around.meshes.box(surface).tolist()
    plants = join([planting.plants(s) for s in planting.sheets_in(widened((x0, z0, x1, z1), OFF))])
    assert isinstance(planting.places, MeshPlaces)
    places, pins = planting.places.all.points, planting.pins
    ids = planting.core.ids(places, np.flatnonzero(places.cell[:, 0] == surface))
    return plants.take(np.isin(plants.id, np.concatenate([ids, pins.id[pins.surface == surface]])))


def moved_on(planting: Planting, row: PinRow, given: Mapping[str, Any], place: Place) -> dict[str, float]:
    """Where a plant of a placed mesh comes to stand when it is moved to a place of the level, and how it is
    turned then: it leans with the surface as far as its stand follows that, and stays as deep in it."""
    level, meshes = planting.level, planting.around.meshes
    ground = planting.ground
    foot = foot_of(planting, row)
    surface = int((given.get("on") or (row.surface,))[0])
    at, normal = spot_on(planting, surface, place) if given.get("on") else _nearest(meshes, surface, place)
    was, old = _nearest(meshes, row.surface, foot) if row.surface in level.surfaces else (foot, normal)
    follow = planting.core.variation.follow
    q = between(leaning_up(old, follow), leaning_up(normal, follow)) * Rotation.from_quat(
        [getattr(row, name) for name in TURN]
    )
    x, y, z = at + normal * float((foot - was) @ old)
    lift = float(y) - float(ground.height_at(np.array([x]), np.array([z]))[0])
    turn = dict(zip(TURN, q.as_quat().tolist()))
    return {"x": float(x), "z": float(z), "lift": lift, "surface": surface, **turn}


def foot_of(planting: Planting, row: PinRow) -> np.ndarray:
    """Where a plant that lies in the level stands: x, altitude and z in m."""
    ground = float(planting.ground.height_at(np.array([row.x]), np.array([row.z]))[0])
    return np.array([row.x, ground + row.lift, row.z])


def _nearest(meshes: PlacedMeshes, surface: int, place: Place) -> tuple[np.ndarray, np.ndarray]:
    at, normal = meshes.nearest(surface, np.array([place], float))
    return at[0], normal[0]


def leaning_up(normal: np.ndarray, follow: float) -> np.ndarray:
    """The way that a plant grows which follows a surface so far, 0 upright and 1 along it."""
    up = np.array([0.0, 1.0, 0.0]) * (1 - follow) + normal * follow
    long = float(np.linalg.norm(up))
    return up / long if long > 1e-6 else normal


def between(a: np.ndarray, b: np.ndarray) -> Rotation:
    """The shortest turn from one way to another."""
    axis, cosine = np.cross(a, b), float(np.clip(a @ b, -1, 1))
    long = float(np.linalg.norm(axis))
    if long < 1e-9:
        return Rotation.identity() if cosine > 0 else Rotation.from_rotvec(np.pi * across(a))
    return Rotation.from_rotvec(axis / long * np.arctan2(long, cosine))


def across(way: np.ndarray) -> np.ndarray:
    """Some way at right angles to one."""
    out = np.cross(way, (1.0, 0.0, 0.0) if abs(way[0]) < 0.9 else (0.0, 0.0, 1.0))
    return out / np.linalg.norm(out)
