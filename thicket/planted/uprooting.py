"""Plants taken out under a brush, what grows there again, and what stands over a place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from thicket.document.edits import ChangePins, ChangeUprooted, Several
from thicket.document.edits.plants import uprooted_places
from thicket.document.pin_rows import GoneRow, PinRow, Row, rows_of
from thicket.ground.heights import at_cells
from thicket.planted.hand import check_open
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_brushing import paths_of
from thicket.planted.mesh_painting import SeenTouch
from thicket.planted.planting import Planting
from thicket.planted.surfaces import MeshPlaces
from thicket.planting.mesh_strokes import reached
from thicket.planting.pins import inside_uprooted
from thicket.planting.points import Seats
from thicket.planting.strokes import Stroke, along_path
from thicket.refused import Refused

UNDER = 0.5
"""A plant without a wide crown is under a place within this many m."""


def _rule_made_under(planting: Planting, stroke: Stroke) -> dict[int, Row | None]:
    """Rows of the rule-made plants whose foot the stroke passes over, as they are to be: gone."""
    box = stroke.box
    rows: dict[int, Row | None] = {}
    for sheet in planting.sheets_in(box):
        plants = planting.plants(sheet)
        x, z = plants.form[:, 0].astype(float), plants.form[:, 2].astype(float)
        near = np.flatnonzero((x >= box[0]) & (x <= box[2]) & (z >= box[1]) & (z <= box[3]))
        if stroke.on:
            ids, at = plants.id[near].tolist(), plants.form[near, :3].astype(float)
            near = near[_under_on_meshes(planting, stroke, ids, at)]
        else:
            near = near[along_path(stroke.path, x[near], z[near]) <= stroke.radius]
        near = near[~np.isin(plants.id[near], planting.pins.id)]
        for plant, *home in zip(plants.id[near].tolist(), x[near].tolist(), z[near].tolist()):
            rows[plant] = GoneRow(home=(home[0], home[1]))
    return rows


def _under_on_meshes(planting: Planting, stroke: Stroke, ids: list[int], at: np.ndarray) -> np.ndarray:
    """Which plants, by id and foot, a stroke over placed meshes passes over; bool (n,)."""
    out, meshes = np.zeros(len(ids), bool), planting.around.meshes
    on = np.array([planting.surfaces.get(plant, 0) for plant in ids])
    for number in {int(row[0]) for row in stroke.on} & planting.level.surfaces.keys():
        of = np.flatnonzero(on == number)
        if len(of):
            placed = planting.level.surfaces[number]
            foot, normal = meshes.nearest(number, at[of])
            own = placed.in_own(foot), normal @ placed.rotation
            out[of] = reached(paths_of(stroke, placed, number), stroke.radius / placed.scale, *own)
    return out


def _pins_under(planting: Planting, stroke: Stroke) -> dict[int, Row | None]:
    """The pins that the stroke passes over, as they are to be."""
    pins = [(plant, row) for plant, row in rows_of(planting.pins).items() if isinstance(row, PinRow)]
    if not pins:
        return {}
    x, z, lift = (np.array([getattr(row, name) for _, row in pins]) for name in ("x", "z", "lift"))
    if stroke.on:
        at = np.c_[x, planting.ground.height_at(x, z) + lift, z]
        under = _under_on_meshes(planting, stroke, [plant for plant, _ in pins], at)
    else:
        on_ground = np.array([row.surface == 0 for _, row in pins])
        under = (along_path(stroke.path, x, z) <= stroke.radius) & on_ground
    hit = [pin for pin, found in zip(pins, under.tolist()) if found]
    return {plant: None if row.home is None else GoneRow(home=row.home) for plant, row in hit}


def uproot_edit(
    planted: PlantedLevel, stands: Iterable[int], stroke: Stroke
) -> tuple[Several, int, list[str]]:
    """Take the plants of some stands, by number, out along a stroke: they stay away under any rule, and no
    rule plants those stands there again; touch is left alone. Swards have no single plants and are passed
    over.

    Returns: the edit, the number of plants, and the names of the stands that lose some.
    Raises: Conflict when a stand is locked; Refused when no plant stands there.
    """
    numbers = list(stands)
    rows = [planted.stands[number] for number in numbers]
    for stand in rows:
        check_open(stand)
    single = [s for s in rows if not s.sward and bool(s.settings.on) == bool(stroke.on)]
    put: dict[int, dict[int, Row | None]] = {}
    for stand in single:
        planting = planted.planting(stand.number)
        found = _pins_under(planting, stroke) | _rule_made_under(planting, stroke)
        if found:
            put[stand.number] = found
    if not put:
        names = ", ".join(stand.name for stand in rows[:3])
        raise Refused(f"path: no plant of {names} stands under the brush there")
    place = (_path(planted, stroke), float(stroke.radius))
    places = [
        ChangeUprooted(number=s.number, put={len(planted.level.pins_of(s.number).uprooted): place})
        for s in single
    ]
    names_of_losers = [stand.name for stand in single if stand.number in put]
    total = sum(map(len, put.values()))
    return Several(edits=(ChangePins(put=put), *places)), total, names_of_losers


def _path(planted: PlantedLevel, stroke: Stroke) -> tuple:
    """Where a stroke passes, as `thicket.planting.pins.Uprooted` has it."""
    if not stroke.on:
        return tuple((float(x), float(z)) for x, z in stroke.path)
    out = []
    for (x, z), (number, y, *normal) in zip(stroke.path, stroke.on):
        placed = planted.level.surfaces.get(int(number))
        if placed is not None:
            own = placed.in_own(np.array([[x, y, z]]))[0], np.array(normal) @ placed.rotation
            out.append((int(number), *own[0].tolist(), *own[1].tolist()))
    return tuple(out)


def regrow_edit(planted: PlantedLevel, number: int) -> Several:
    """Let a stand grow again wherever it was uprooted.

    Raises: Conflict when it is locked; Refused when it was not uprooted anywhere.
    """
    stand, pins = planted.stands[number], planted.level.pins_of(number)
    check_open(stand)
    if not pins.uprooted:
        raise Refused(f"stand: {stand.name} was not uprooted anywhere")
    gone = [(plant, row) for plant, row in rows_of(pins).items() if isinstance(row, GoneRow)]
    x, z = (np.array([row.home[k] for _, row in gone], float) for k in (0, 1))
    inside = inside_uprooted(pins.uprooted, x, z)
    ids = _uprooted_on_meshes(planted.planting(number))
    inside |= np.array([plant in ids for plant, _ in gone], bool)
    released: dict[int, Row | None] = {plant: None for (plant, _), within in zip(gone, inside) if within}
    places = ChangeUprooted(number=number, removed=dict(enumerate(uprooted_places(pins))))
    edits = (ChangePins(put={number: released}), places) if released else (places,)
    return Several(edits=edits)


def _uprooted_on_meshes(planting: Planting) -> set[int]:
    """The plants, by id, whose places on placed meshes lie where the stand was uprooted."""
    if not isinstance(planting.painting, SeenTouch) or not isinstance(planting.places, MeshPlaces):
        return set()
    points = planting.places.all.points
    assert isinstance(points, Seats)
    away = planting.painting.where_uprooted(points)
    return {plant for plant, out in zip(planting.places.surfaces, away.tolist()) if out}


@dataclass(frozen=True)
class Over:
    """What of a stand, by number, stands over a place: its item, the plant's id, None for a sward, and its
    tip in m above the ground there."""

    stand: int
    item: str
    plant: int | None
    tip: float


def over(planted: PlantedLevel, x: float, z: float, y: float | None = None) -> list[Over]:
    """What stands over a place, top to bottom: of each stand its tallest plant there, by the height of its
    tip; and swards that cover the place. On a placed mesh its altitude `y` in m distinguishes the plants
    there from those under it."""
    at = np.array([x]), np.array([z])
    ground = float(planted.ground.height_at(*at)[0])
    found = [_over(planted, planting, x, z, ground, y) for planting in planted.plantings()]
    return sorted((one for one in found if one), key=lambda one: -one.tip)


def _over(
    planted: PlantedLevel, planting: Planting, x: float, z: float, ground: float, y: float | None
) -> Over | None:
    stock, number = planted.level.stock, planting.stand.number
    tall = np.array([stock[slug].height if slug in stock else 0.0 for slug in planting.items])
    if planting.stand.mapped:
        if y is not None:
            return None
        dense = float(at_cells(planting.density, planting.density_cell, np.array([x]), np.array([z]))[0])
        if dense * planting.core.fullness <= 0.02:
            return None
        return Over(number, planting.items[0], None, float(tall[0]) * planting.core.variation.size[1])
    wide = np.maximum(planting.radii.max(axis=1), UNDER)
    best: Over | None = None
    for sheet in planting.sheets_reaching((x, z, x, z), UNDER, True):
        plants = planting.plants(sheet)
        far = np.hypot(plants.form[:, 0] - x, plants.form[:, 2] - z)
        under = np.maximum(wide[plants.item] * plants.form[:, 7], UNDER)
        high = tall[plants.item] * plants.form[:, 8]
        here = far <= under
        if y is not None:
            here &= (plants.form[:, 1] - under <= y) & (y <= plants.form[:, 1] + high)
        for k in np.flatnonzero(here):
            tip = float(plants.form[k, 1] + high[k]) - ground
            if best is None or tip > best.tip:
                best = Over(number, planting.items[int(plants.item[k])], int(plants.id[k]), tip)
    return best
