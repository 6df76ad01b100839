"""Why a place on a placed mesh carries a plant of a stand or does not."""

from __future__ import annotations

import numpy as np

from thicket.planted.mesh_hand import spot_on
from thicket.planted.mesh_painting import SeenTouch
from thicket.planted.occupancy import may_stand_under
from thicket.planted.placed_meshes import seats_at
from thicket.planted.planting import Planting
from thicket.planted.reasons import SWITCHED_OFF, found, in_turn, set_by_hand, shares
from thicket.planted.surfaces import MeshFields, MeshPlaces
from thicket.planting.density import density_from
from thicket.planting.points import Seats, chosen
from thicket.refused import Refused
from thicket.site.conditions import deciding


def why_on_mesh(planting: Planting, surface: int, place: tuple[float, float, float]) -> dict:
    """Why a point of a placed mesh, by number, carries a plant of a stand or does not; see
    `server.stands.conditions_api.WhyOut`.

    Raises: Refused when the stand does not grow on that mesh.
    """
    at, normal = spot_on(planting, surface, place)
    site, places, painting = planting.site, planting.places, planting.painting
    if not (
        isinstance(site, MeshFields) and isinstance(places, MeshPlaces) and isinstance(painting, SeenTouch)
    ):
        raise Refused(f"place: {planting.stand.name} grows on the terrain")
    seat, point = _nearest(places, surface, at, normal)
    here = seat if point else seats_at(at[None], normal[None], np.array([[surface, 0]]))
    suitable = site.suitability_at(here, deciding(planting.rules))
    touch = painting.at(here) if point else np.zeros(1, np.float32)
    dense = float(density_from(suitable, touch)[0])
    plant = int(planting.core.ids(here)[0])
    wanted = bool(point and point["threshold"] < dense * planting.core.fullness)
    planted = wanted and _stands(planting, plant, here)
    by_hand = _by_hand(planting, surface, at)
    foot = np.array([float(here.x[0]), float(here.y[0]), float(here.z[0])])
    return {
        "x": float(foot[0]),
        "z": float(foot[2]),
        "conditions": in_turn(site.values(here, planting.rules)),
        "suitability": float(suitable[0]),
        "touch": float(touch[0]),
        "density": dense,
        "fullness": planting.core.fullness,
        "place": point,
        "shut": "" if planted or by_hand else _shut(planting, painting, plant, here, foot),
        "by_hand": by_hand,
        "planted": planted or bool(by_hand),
        "items": _items(planting, site, here),
        "trails": [],
    }


def _nearest(
    places: MeshPlaces, surface: int, at: np.ndarray, normal: np.ndarray
) -> tuple[Seats, dict | None]:
    """The stand's place nearest to a point of a mesh, on the same side and within the spacing."""
    seats = places.all.points
    assert isinstance(seats, Seats)
    there = np.c_[seats.x, seats.y, seats.z].astype(float)
    far = np.linalg.norm(there - at, axis=1)
    far[(seats.cell[:, 0] != surface) | (seats.up @ normal < 0)] = np.inf
    k = int(far.argmin()) if len(far) else -1
    if k < 0 or far[k] > places.facts.core.spacing:
        return seats, None
    x, _, z = there[k].tolist()
    threshold = float(seats.threshold[k])
    return chosen(seats, np.array([k])), {"x": x, "z": z, "distance": float(far[k]), "threshold": threshold}


def _stands(planting: Planting, plant: int, here: Seats) -> bool:
    x, z = float(here.x[0]), float(here.z[0])
    return any(plant in planting.plants(sheet).id.tolist() for sheet in planting.sheets_in((x, z, x, z)))


def _items(planting: Planting, site: MeshFields, here: Seats) -> list[dict]:
    """Of a mix in which an item has a condition of its own, each item's share at the place."""
    entries = planting.settings.mix
    if not any(entry.drive for entry in entries):
        return []
    drives = [site.values(here, [entry.drive.core()]) if entry.drive else [] for entry in entries]
    return shares(entries, [found(*seen[0]) if seen else None for seen in drives])


def _by_hand(planting: Planting, surface: int, at: np.ndarray) -> str:
    """Which plant at a point of a mesh a hand has set, moved or changed, in words."""
    far = np.linalg.norm(planting.pinned.form[:, :3].astype(float) - at, axis=1)
    return set_by_hand(planting, np.where(planting.pins.surface == surface, far, np.inf))


def _shut(planting: Planting, painting: SeenTouch, plant: int, here: Seats, foot: np.ndarray) -> str:
    """What leaves no room at a place, in words; empty when nothing does."""
    name, own = planting.stand.name, 0.0 if planting.stand.sward else planting.footprint
    if planting.stand.off:
        return SWITCHED_OFF.format(name)
    if painting.where_uprooted(here).any():
        return f"{name} was uprooted here by hand, and no rule plants it here again"
    if np.isin(np.uint64(plant), planting.pins.replaced):
        return "the plant of this place was moved or removed by hand"
    pinned = planting.pinned
    if len(pinned.id):
        far = np.linalg.norm(pinned.form[:, :3].astype(float) - foot, axis=1)
        if float(far.min()) < 2 * own + planting.settings.gap:
            return f"a plant set by hand stands {far.min():.1f} m away"
    for other in planting.occupancy.above:
        crowns = not may_stand_under(planting.facts, other)
        x, z = float(foot[0]), float(foot[2])
        for sheet in other.sheets_reaching((x, z, x, z), own + planting.settings.gap, crowns):
            plants = other.plants(sheet)
            radii = (other.radii.max(axis=1) if crowns else other.radii[:, 1])[plants.item]
            reach = radii * plants.form[:, 7].astype(float)
            away = np.linalg.norm(plants.form[:, :3].astype(float) - foot, axis=1)
            k = int((away - reach).argmin()) if len(away) else -1
            if k >= 0 and away[k] < reach[k] + own + planting.settings.gap:
                return (
                    f"a plant of {other.stand.name} stands {away[k]:.1f} m away, and its "
                    f"{'crown' if crowns else 'trunk'} reaches {reach[k]:.1f} m"
                )
    return ""
