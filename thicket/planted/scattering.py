"""So many plants of a stand set by hand at once inside an outline: evenly by chance, or piled up."""

from __future__ import annotations

import hashlib
import random
from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely

from thicket.document.pin_rows import PinRow
from thicket.document.settings import MixEntry
from thicket.ground.shapes import distances_at
from thicket.planted.facts import clearing_near
from thicket.planted.hand import InTheWay, PinChanges, added, check_open, check_room
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_hand import TURN
from thicket.planted.planting import Planting
from thicket.planting.piles import HEAPS, settle
from thicket.planting.pins import bearing_of
from thicket.planting.points import point_set
from thicket.refused import Refused

MOST = 1000
"""So many are set at once at the most."""
ACROSS, SMALLEST, WIDEST = 10, 0.02, 2048
"""What falls is as wide as so many values of the raster it falls on, which are at least so many m apart, and
at most so many a side."""
SNUG = 0.85
"""What falls counts as so much of its width and height, so that corners lie in hollows and nothing seems to
hang."""


def scattered(
    planted: PlantedLevel,
    number: int,
    outline: Sequence[tuple[float, float]],
    count: int,
    mix: Sequence[MixEntry],
    key: object,
) -> PinChanges:
    """The wish to set `count` plants of a stand, by number, inside an outline of x, z in m: no two nearer
    than the stand's spacing, none in what shapes keep clear or in another plant set by hand. They follow from
    the key alone.

    Parameters: mix, what they are drawn from; the stand's own when it is empty.
    Raises: Refused, with how many do fit, when so many do not.
    """
    planting, area = _checked(planted, number, outline, mix)
    settings = planting.settings
    chance = random.Random(hashlib.blake2b(str(key).encode(), digest_size=8).digest())
    add: list[dict] = []
    taken: list[tuple[float, float, float]] = []  # x, z and radius of the trunk in m of those before
    for x, z in _places(planted, area, settings.spacing, chance.randrange(2**31)):
        given: dict[str, Any] = {"x": x, "z": z, "mix": list(mix)}
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
        f"outline, ask for fewer, or give {planting.stand.name} a closer spacing"
    )


def piled(
    planted: PlantedLevel,
    number: int,
    outline: Sequence[tuple[float, float]],
    count: int,
    mix: Sequence[MixEntry],
    key: object,
) -> PinChanges:
    """The wish to drop `count` items of a stand, by number, inside an outline of x, z in m, from where they
    roll until they rest on the ground and on each other; see `thicket.planting.piles`. What shapes keep
    clear, and what other stands have set by hand, stays free. They follow from the key alone.

    Parameters: mix, as of `scattered`. Raises: Refused.
    """
    planting, area = _checked(planted, number, outline, mix)
    inside = _inside(planted, area)
    chance = random.Random(hashlib.blake2b(f"pile {key}".encode(), digest_size=8).digest())
    middle = inside.representative_point()
    rows: list[PinRow] = []
    for k in range(count):
        given = {"x": middle.x, "z": middle.y, "mix": list(mix), "turn": chance.uniform(0, 360)}
        rows.append(added(planting, key, k, given)[1])
    items = [planted.level.stock[row.item] for row in rows]
    radius = SNUG * np.array([max(i.crown, i.trunk, 0.02) * row.width for i, row in zip(items, rows)])
    half = SNUG * np.array([max(i.height, 0.02) * row.height / 2 for i, row in zip(items, rows)])
    around = _inside(planted, shapely.Polygon(outline).buffer(_heap(radius, half)))
    x0, z0, x1, z1 = around.bounds
    cell = max(2 * float(radius.min()) / ACROSS, SMALLEST, max(x1 - x0, z1 - z0) / WIDEST)
    pad = float(max(radius.max(), half.max())) + 2 * cell
    west, north = x0 - pad, z0 - pad
    shape = int((z1 - z0 + 2 * pad) / cell) + 2, int((x1 - x0 + 2 * pad) / cell) + 2
    z, x = np.indices(shape) * cell
    x, z = (x + west).ravel(), (z + north).ravel()
    heights = planted.ground.height_at(x, z).astype(np.float64).reshape(shape)
    free = _free(planted, planting, around, float(radius.max()), x, z).reshape(shape)
    drops = free & shapely.contains_xy(inside, x, z).reshape(shape)
    if not drops.any():
        raise Refused("outline: all of it is kept clear, or taken by what was set by hand")
    open_j, open_i = np.nonzero(drops)
    picks = [chance.randrange(len(open_j)) for _ in range(count)]
    found = settle(heights, free, cell, open_i[picks] * cell, open_j[picks] * cell, radius, half)
    add = []
    for row, high, (mx, my, mz, *up) in zip(rows, half / SNUG, found.tolist()):
        px, pz = mx - up[0] * high + west, mz - up[2] * high + north
        lift = my - up[1] * high - float(planted.ground.height_at(np.array([px]), np.array([pz]))[0])
        values = {name: getattr(row, name) for name in ("item", "width", "height", "tint")}
        add.append(
            {
                "x": px,
                "z": pz,
                "lift": lift,
                "turn": bearing_of(np.array([getattr(row, name) for name in TURN])),
                "up": up,
            }
            | values
        )
    return PinChanges(add=add, push=True)


def _checked(
    planted: PlantedLevel, number: int, outline: Sequence[tuple[float, float]], mix: Sequence[MixEntry]
) -> tuple[Planting, shapely.Polygon]:
    """The planting of the stand, and the outline as an area. Raises: Refused."""
    planting = planted.planting(number)
    stand, settings = planting.stand, planting.settings
    check_open(stand)
    if stand.sward or settings.on:
        what = "is a sward" if stand.sward else "grows on placed meshes"
        raise Refused(f"stand: {stand.name} {what}; only single plants of the terrain are scattered")
    for entry in mix:
        if entry.item not in planted.level.stock:
            raise Refused(f"mix: {planted.level.name} has no stock item {entry.item!r}")
    if not any(entry.weight > 0 for entry in mix or settings.mix):
        raise Refused("mix: none of those chosen has a share of the mix")
    area = shapely.Polygon(outline)
    if not area.is_valid or area.area < 0.01:
        raise Refused("outline: it crosses itself or has no size; draw round an area")
    return planting, area


def _inside(planted: PlantedLevel, area: shapely.Polygon) -> shapely.Geometry:
    """What of an area lies in the level. Raises: Refused when nothing does."""
    inside = area.intersection(shapely.box(0, 0, planted.width - 1e-6, planted.length - 1e-6))
    if inside.is_empty or inside.area < 0.01:
        raise Refused(f"outline: it lies outside of {planted.level.name}")
    return inside


def _heap(radius: np.ndarray, half: np.ndarray) -> float:
    """How far, in m, a heap of such bodies reaches that all fell on one place, with room to spare."""
    volume = float((4 / 3 * np.pi * radius**2 * half).sum()) / 0.5
    return float((3 * volume / (np.pi * HEAPS)) ** (1 / 3) + 4 * radius.max())


def _free(
    planted: PlantedLevel,
    planting: Planting,
    inside: shapely.Geometry,
    widest: float,
    x: np.ndarray,
    z: np.ndarray,
) -> np.ndarray:
    """Where the middle of something so wide may come to lie, of places in m; bool (n,)."""
    free = shapely.contains_xy(inside, x, z)
    for shape in clearing_near(planting.facts, inside.buffer(widest).bounds):
        free &= distances_at([shape], x, z)[0] >= shape.clear + widest
    for other in planted.plantings():
        if other.stand.number == planting.stand.number or other.settings.on or other.stand.off:
            continue
        form = other.pinned.form.astype(float)
        wide = other.radii[:, 1][other.pinned.item] * form[:, 7] + widest
        near = shapely.dwithin(inside, shapely.points(form[:, [0, 2]]), wide) if len(form) else []
        for (px, _, pz), reach in zip(form[near][:, :3], wide[near]) if len(form) else ():
            free &= np.hypot(x - px, z - pz) >= reach
    return free


def _places(
    planted: PlantedLevel, area: shapely.Polygon, spacing: float, seed: int
) -> list[tuple[float, float]]:
    """Places at least a spacing in m apart inside an area and the level, those first that are far apart."""
    inside = _inside(planted, area)
    x0, z0, x1, z1 = inside.bounds
    points = point_set(seed, spacing, (x0, z0, x1, z1))
    within = np.flatnonzero(shapely.contains_xy(inside, points.x, points.z))
    order = within[np.argsort(points.threshold[within], kind="stable")]
    return list(zip(points.x[order].tolist(), points.z[order].tolist()))
