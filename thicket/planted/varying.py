"""Single plants given values by chance, and laid to the ground, upright, or turned to the eye."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np

from thicket.document.pin_rows import PinRow
from thicket.document.settings import MixEntry
from thicket.planted.mesh_hand import TURN, foot_of, spot_on
from thicket.planted.planting import Planting
from thicket.planting.pins import bearing_of, leaning, turned_by
from thicket.planting.stands import times, upright_to

Random = Literal["turn", "size", "lean", "item"]
Align = Literal["surface", "upright", "eye"]
Range = tuple[float, float]


def drawn_values(
    planting: Planting, key: object, plant: int, what: Sequence[Random], ranges: Mapping[str, Range]
) -> dict[str, Any]:
    """Values by chance for a plant, as a hand would give them: each of `what` from a range that is given
    (bearings and leans in degrees, sizes as multiples), or from what its stand would draw. The same key gives
    a plant the same values."""
    seed = hashlib.blake2b(f"{key}/{plant}".encode(), digest_size=8).digest()
    rng = np.random.default_rng(int.from_bytes(seed, "little"))
    v, core = planting.core.variation, planting.core
    turn, size, wide, lean, pick = rng.random(5)
    out: dict[str, Any] = {}
    if "item" in what:
        weights = np.cumsum(core.weights) / np.sum(core.weights)
        out["item"] = planting.items[int(np.searchsorted(weights, pick, side="right"))]
    if "turn" in what:
        lo, hi = ranges.get("turn") or (-v.turn[1], -v.turn[0])  # a turn goes the other way than a bearing
        out["turn"] = (lo + (hi - lo) * turn) % 360
    if "size" in what:
        lo, hi = ranges.get("size") or v.size
        out["height"] = float(np.clip(lo + (hi - lo) * size, 0.05, 10))
        out["width"] = float(
            np.clip(out["height"] * (v.width[0] + (v.width[1] - v.width[0]) * wide), 0.05, 10)
        )
    if "lean" in what:
        lo, hi = ranges.get("lean") or (0.0, v.lean)
        out["lean"] = float(np.sqrt(lo**2 + (hi**2 - lo**2) * lean))
    return out


def drawn_from(mix: Sequence[MixEntry], seed: str) -> dict[str, Any]:
    """An item of a mix by its share, and what the mix says of its size and how deep it stands; by chance from
    a seed."""
    rng = np.random.default_rng(
        int.from_bytes(hashlib.blake2b(seed.encode(), digest_size=8).digest(), "little")
    )
    pick, size, wide = rng.random(3)
    weights = np.cumsum([entry.weight for entry in mix])
    entry = mix[int(np.searchsorted(weights / weights[-1], pick, side="right"))]
    out: dict[str, Any] = {"item": entry.item}
    if entry.size or entry.width:
        lo, hi = entry.size or (1.0, 1.0)
        narrow, broad = entry.width or (1.0, 1.0)
        out["height"] = lo + (hi - lo) * float(size)
        out["width"] = float(np.clip(out["height"] * (narrow + (broad - narrow) * wide), 0.05, 10))
    if entry.sink is not None:
        out["lift"] = -entry.sink
    return out


def aligned(planting: Planting, row: PinRow, to: Align, eye: Sequence[float]) -> np.ndarray:
    """The quaternion x, y, z, w of a plant laid along the surface under it, or upright, or turned on its foot
    so that its front faces an eye at x, z."""
    q = np.array([getattr(row, name) for name in TURN])
    if to == "eye":
        bearing = float(np.degrees(np.arctan2(eye[0] - row.x, row.z - eye[1])))
        return turned_by(q, bearing - bearing_of(q))
    if to == "upright":
        return leaning(q, 0.0)
    if row.surface:
        normal = spot_on(planting, row.surface, foot_of(planting, row))[1]
    else:
        normal = planting.ground.normal_at(np.array([row.x]), np.array([row.z]))[0]
    half = np.radians(-bearing_of(q)) / 2
    return np.array(times(upright_to(*map(float, normal), 1.0), (0.0, np.sin(half), 0.0, np.cos(half))))
