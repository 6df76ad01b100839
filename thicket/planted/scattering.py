"""So many plants of a stand set by hand at once, evenly by chance inside an outline."""

from __future__ import annotations

import hashlib
import random
from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from thicket.planted.hand import InTheWay, PinChanges, added, check_open, check_room
from thicket.planted.level import PlantedLevel
from thicket.planting.points import point_set
from thicket.refused import Refused

MOST = 1000
"""So many are scattered at once at the most."""


def scattered(
    planted: PlantedLevel,
    number: int,
    outline: Sequence[tuple[float, float]],
    count: int,
    items: Sequence[str],
    key: object,
) -> PinChanges:
    """The wish to set `count` plants of a stand, by number, inside an outline of x, z in m: no two nearer
    than the stand's spacing, none in what shapes keep clear or in another plant set by hand. They follow from
    the key alone.

    Parameters: items, which of the stand's mix are scattered, by their weights; none for all of them.
    Raises: Refused, with how many do fit, when so many do not.
    """
    planting = planted.planting(number)
    stand, settings = planting.stand, planting.settings
    check_open(stand)
    if stand.sward or settings.on:
        what = "is a sward" if stand.sward else "grows on placed meshes"
        raise Refused(f"stand: {stand.name} {what}; only single plants of the terrain are scattered")
    weights = {e.item: e.weight for e in settings.mix if e.weight > 0 and (not items or e.item in items)}
    if strange := set(items) - {e.item for e in settings.mix}:
        raise Refused(f"items: {min(strange)} is not in the mix of {stand.name}")
    if not weights:
        raise Refused("items: none of those chosen has a share of the mix")
    area = shapely.Polygon(outline)
    if not area.is_valid or area.area < 0.01:
        raise Refused("outline: it crosses itself or has no size; draw round an area")
    chance = random.Random(hashlib.blake2b(str(key).encode(), digest_size=8).digest())
    add: list[dict] = []
    taken: list[tuple[float, float, float]] = []  # x, z and radius of the trunk in m of those before
    for x, z in _places(planted, area, settings.spacing, chance.randrange(2**31)):
        given: dict[str, Any] = {"x": x, "z": z}
        if items:
            given["item"] = chance.choices(list(weights), list(weights.values()))[0]
        plant, row = added(planting, key, len(add), given)
        trunk = planted.level.stock[row.item].trunk * row.width
        if any(np.hypot(x - px, z - pz) < trunk + wide + settings.gap for px, pz, wide in taken):
            continue
        try:
            check_room(planted, planting, {plant: row}, push=False)
        except InTheWay:
            continue
        add.append(given)
        taken.append((x, z, trunk))
        if len(add) == count:
            return PinChanges(add=add)
    raise Refused(
        f"count: {len(add):,} of {count:,} have room there, {settings.spacing:g} m apart; draw a larger "
        f"outline, ask for fewer, or give {stand.name} a closer spacing"
    )


def _places(
    planted: PlantedLevel, area: shapely.Polygon, spacing: float, seed: int
) -> list[tuple[float, float]]:
    """Places at least a spacing in m apart inside an area and the level, those first that are far apart."""
    inside = area.intersection(shapely.box(0, 0, planted.width - 1e-6, planted.length - 1e-6))
    if inside.is_empty or inside.area < 0.01:
        raise Refused(f"outline: it lies outside of {planted.level.name}")
    x0, z0, x1, z1 = inside.bounds
    points = point_set(seed, spacing, (x0, z0, x1, z1))
    within = np.flatnonzero(shapely.contains_xy(inside, points.x, points.z))
    order = within[np.argsort(points.threshold[within], kind="stable")]
    return list(zip(points.x[order].tolist(), points.z[order].tolist()))
