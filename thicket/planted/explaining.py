"""What a condition finds on the real ground, and why a place carries a plant or does not."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from thicket.ground.heights import at_cells
from thicket.ground.relief import to_cells
from thicket.ground.shapes import distances_at
from thicket.planted.level import PlantedLevel
from thicket.planted.mesh_explaining import why_on_mesh
from thicket.planted.occupancy import may_stand_under
from thicket.planted.planting import Planting
from thicket.planted.reasons import SWITCHED_OFF, found, in_turn, set_by_hand, shares
from thicket.planted.surfaces import MeshFields
from thicket.planting.density import TOUCH_UNIT, density_at
from thicket.planting.pins import inside_uprooted
from thicket.planting.points import Seats
from thicket.planting.trails import trails_near
from thicket.refused import Refused
from thicket.site.conditions import Condition, histogram, middle
from thicket.site.fields import values
from thicket.site.site import Window

SAMPLE, PATCH = 1 << 20, 64


def _sampled(level: PlantedLevel, c: Condition) -> np.ndarray:
    """A condition's values over the level; of a large one, in patches spread evenly over about a million
    cells."""
    rows, columns = level.ground.cells
    if rows * columns <= SAMPLE:
        return level.rasters.whole_values(c).ravel()
    level.rasters.ready(c)
    step = math.ceil(math.sqrt(rows * columns / SAMPLE))
    windows = [
        (x, z, min(x + PATCH, columns), min(z + PATCH, rows))
        for z in range(0, rows, PATCH * step)
        for x in range(0, columns, PATCH * step)
    ]
    return np.concatenate([level.rasters.values(c, w).ravel() for w in windows])


def _on_meshes(planting: Planting, c: Condition) -> np.ndarray:
    """A condition's values at the places of a stand on placed meshes. Raises: Refused when it says nothing
    there."""
    site = planting.site
    assert isinstance(site, MeshFields)
    points = site.places.all.points
    assert isinstance(points, Seats)
    found = site.values(points, [c])
    if not found:
        raise Refused(f"kind: {c.kind} says nothing on placed meshes, and is left out there")
    return found[0][1]


def look(level: PlantedLevel, c: Condition, planting: Planting | None = None) -> dict:
    """How a condition's values lie over the ground, or over the places of a stand on placed meshes: range
    shown, histogram counts and edges, lowest and highest.

    Distances are shown to `kinds.DISTANCE_SHOWN` m, or as far as the band reaches.
    """
    lack = level.rasters.lacks(c)
    if lack:
        raise Refused(lack)
    far = c.rule.shown_to(c)
    if far is not None:
        c = replace(c, lo=-1e4, hi=far, soft_hi=0.0)
    on_meshes = planting is not None and bool(planting.settings.on)
    found = c.rule.known(c, _on_meshes(planting, c) if planting and on_meshes else _sampled(level, c))
    if not found.size:
        found = np.zeros(1, np.float32)
    lo, hi = c.rule.range(c, found)
    counts, edges = histogram(found, lo, hi, 64)
    return {
        "counts": counts.tolist(),
        "edges": edges.tolist(),
        "lowest": float(found.min()),
        "highest": float(found.max()),
    }


def layer_bands(level: PlantedLevel, layer: str) -> dict:
    """The altitudes and slopes that hold the middle nine tenths of a ground layer.

    Raises: Refused when the level has no such layer or it covers nothing.
    """
    if layer not in level.level.layers.names:
        raise Refused(f"layer: {level.level.name} has no ground layer {layer!r}")
    weights = level.level.layers.weights[..., level.level.layers.names.index(layer)].astype(np.float64)
    try:
        altitude = middle(to_cells(level.ground.heights), weights)
        slope = middle(level.rasters.whole_values(Condition("slope", 0, 90)), weights)
    except Refused as error:
        raise Refused(f"layer: {layer} covers no ground") from error
    return {"altitude": [round(v, 1) for v in altitude], "slope": [round(v, 1) for v in slope]}


def why(
    level: PlantedLevel, planting: Planting, x: float, z: float, on: tuple[int, float] | None = None
) -> dict:
    """Why a place carries a plant of a stand or does not; see `server.stands.conditions_api.WhyOut`. `on` is
    the placed mesh, by number, that it lies on, and its altitude in m.

    Raises: Refused when the place lies outside the level, or where the stand does not grow.
    """
    if not (0 <= x < level.width and 0 <= z < level.length):
        raise Refused(
            f"place: {x:g}, {z:g} lies outside the level, which is {level.width:g} m × {level.length:g} m"
        )
    if planting.settings.on or on:
        if not (planting.settings.on and on):
            where = ", ".join(planting.settings.on) or "the terrain"
            raise Refused(f"place: {planting.stand.name} grows on {where}, not here")
        return why_on_mesh(planting, on[0], (x, on[1], z))
    point = _nearest_place(planting, x, z)
    at_x, at_z = (point["x"], point["z"]) if point else (x, z)
    there = (np.array([at_x]), np.array([at_z]))
    painted, suitability = planting.touch, planting.suitability.around(*there, level.cell)
    dense = float(density_at(suitability, level.cell, painted, planting.touch_cell, *there)[0])
    touch = float(at_cells(painted.astype(np.float32), planting.touch_cell, *there)[0]) / TOUCH_UNIT
    wanted = bool(point and point["threshold"] < dense * planting.core.fullness)
    box = (at_x, at_z, at_x + 1e-6, at_z + 1e-6)
    by_hand = set_by_hand(planting, np.hypot(planting.pins.x - x, planting.pins.z - z))
    stands = bool(wanted and len(planting.plants_in(box)))
    shut = "" if stands or by_hand else _shut(level, planting, at_x, at_z)
    return {
        "x": at_x,
        "z": at_z,
        "conditions": _conditions(level, planting, at_x, at_z),
        "suitability": float(at_cells(suitability, level.cell, *there)[0]),
        "touch": touch,
        "density": dense,
        "fullness": planting.core.fullness,
        "place": point,
        "shut": shut,
        "by_hand": by_hand,
        "planted": stands or bool(by_hand),
        "items": _items(level, planting, at_x, at_z),
        "trails": _trails(level, planting, at_x, at_z),
    }


def _items(level: PlantedLevel, planting: Planting, x: float, z: float) -> list[dict]:
    """Of a mix in which an item has a condition of its own, each item's share at a place; with the
    condition's value and result where it has one."""
    entries = planting.settings.mix
    if not any(entry.drive for entry in entries):
        return []
    cell = _cell(level, x, z)
    drives = [entry.drive.core() if entry.drive else None for entry in entries]
    return shares(entries, [found(c, _value(level, c, cell)) if c else None for c in drives])


def _trails(level: PlantedLevel, planting: Planting, x: float, z: float) -> list[str]:
    """The paths that lay a plant over at a place, in words."""
    out = []
    for s in trails_near(list(level.shapes.values()), planting.stand.stratum, (x, z, x, z)):
        far = max(float(distances_at([s], np.array([x]), np.array([z]))[0][0]), 0.0)
        trail = s.trail
        if trail is None or far > trail.reach:
            continue
        t = 1.0 - far / trail.reach if trail.reach else 1.0
        part = t * t * (3 - 2 * t)
        out.append(
            f"{s.name} lays it over, by {trail.lean * part:.0f}° and {trail.flatten * part:.0%} of its height"
        )
    return out


def _shut(level: PlantedLevel, planting: Planting, x: float, z: float) -> str:
    """Which shape or which other stand's plant leaves no room at a place, in words; empty when none does."""
    if planting.stand.off:
        return SWITCHED_OFF.format(planting.stand.name)
    at, gap = (np.array([x]), np.array([z])), planting.settings.gap
    if inside_uprooted(planting.pins.uprooted, *at).any():
        return f"{planting.stand.name} was uprooted here by hand, and no rule plants it here again"
    if not planting.stand.sward and (taken := _claimed_by_its_own(planting, x, z)):
        return taken
    need = 0.0 if planting.stand.sward else planting.footprint
    for s in level.clearing(planting.settings):
        far, clear = float(distances_at([s], *at)[0][0]), s.clear or 0.0
        if far < clear + need:
            return (
                f"{s.name} ({s.kind}) keeps {clear:g} m clear, and a trunk may need {need:.2g} m; "
                f"{'this is inside it' if far < 0 else f'this is {far:.1f} m from its edge'}"
            )
    for other in level.above(planting.stand):
        crowns = not may_stand_under(planting.facts, other)
        discs = other.discs((x, z, x, z), need + gap, crowns)
        if len(discs.x):
            away = np.hypot(discs.x - x, discs.z - z)
            k = int((away - discs.r).argmin())
            return (
                f"a plant of {other.stand.name} stands {away[k]:.1f} m away, and its "
                f"{'crown' if crowns else 'trunk'} reaches "
                f"{discs.r[k]:.1f} m"
            )
    return ""


def _claimed_by_its_own(planting: Planting, x: float, z: float) -> str:
    """Whether a place's plant was removed or moved by hand, or stands too near to a pin or to another plant
    of its stand."""
    reach = 2 * planting.footprint + planting.settings.gap
    pins, homes = planting.pins, planting.pins.home
    if len(homes) and float(np.hypot(homes[:, 0] - x, homes[:, 1] - z).min()) < 0.01:
        return "the plant of this place was moved or removed by hand"
    if len(pins.id):
        far = np.hypot(pins.x - x, pins.z - z)
        if float(far.min()) < reach:
            return f"a plant set by hand stands {far.min():.1f} m away"
    if planting.facts.may_crowd:
        form = planting.plants_in((x - reach, z - reach, x + reach, z + reach)).form
        far = np.hypot(form[:, 0] - x, form[:, 2] - z)
        if len(far) and float(far.min()) < reach:
            return (
                f"another plant of {planting.stand.name} stands {far.min():.1f} m away, and "
                f"their trunks would overlap"
            )
    return ""


def _conditions(level: PlantedLevel, planting: Planting, x: float, z: float) -> list[dict]:
    """Each condition's value, result and the suitability up to it, in the cell that holds a place."""
    return in_turn((c, _value(level, c, _cell(level, x, z))) for c in planting.rules)


def _cell(level: PlantedLevel, x: float, z: float) -> Window:
    """The cell that holds a place."""
    rows, columns = level.ground.cells
    i, j = min(int(x / level.cell), columns - 1), min(int(z / level.cell), rows - 1)
    return i, j, i + 1, j + 1


def _value(level: PlantedLevel, c: Condition, window: Window) -> np.ndarray:
    level.rasters.ready(c)
    return (
        level.rasters.values(c, window) if level.rasters.lacks(c) else values(level.rasters.site, c, window)
    )


def _nearest_place(planting: Planting, x: float, z: float) -> dict | None:
    """The stand's place nearest to (x, z), within its spacing."""
    reach, best = planting.core.spacing, None
    for sheet in planting.sheets_in((x - reach, z - reach, x + reach, z + reach)):
        points = planting.points(sheet)
        if len(points.x):
            far = np.hypot(points.x - x, points.z - z)
            k = int(far.argmin())
            if far[k] <= reach and (best is None or far[k] < best["distance"]):
                best = {
                    "x": float(points.x[k]),
                    "z": float(points.z[k]),
                    "distance": float(far[k]),
                    "threshold": float(points.threshold[k]),
                }
    return best
