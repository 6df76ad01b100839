"""What is known of a place, on the terrain or on a mesh, when it is asked why it carries a plant; see
`server.stands.conditions_api.WhyOut`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from thicket.document.settings import MixEntry
from thicket.planted.planting import Planting
from thicket.site.conditions import DRIVES, Condition, drive_factor, driving, joined, result
from thicket.site.kinds import far_away


def found(c: Condition, value: np.ndarray) -> dict:
    """What one condition found at a place: value has one element."""
    at = float(value.flat[0])
    return {
        "kind": c.kind,
        "value": at,
        "beyond": bool(c.rule.measures_far(c) and at >= far_away(c.reach)),
        "result": float(result(value, c).flat[0]),
    }


def in_turn(values: Iterable[tuple[Condition, np.ndarray]]) -> list[dict]:
    """Each condition with its value, of one element: what it found and the suitability up to it."""
    out, total = [], None
    for c, value in values:
        if c.on and c.density:
            total = joined(total, value, c)
        factors = {
            what: float(drive_factor(what, [value], [c], value.shape).flat[0]) if driving([c], what) else None
            for what in DRIVES
        }
        out.append(
            found(c, value)
            | {
                "running": None if total is None else float(total.flat[0]),
                "on": c.on and c.density,
                "join": c.join,
            }
            | factors
        )
    return out


def shares(entries: Sequence[MixEntry], conditions: Sequence[dict | None]) -> list[dict]:
    """Each item's share of a mix at a place, with what its own condition found there."""
    weights = [
        e.weight * (one["result"] if one and e.drive and e.drive.on else 1.0)
        for e, one in zip(entries, conditions)
    ]
    if not any(weights):  # where no condition holds, the mix is as it is
        weights = [entry.weight for entry in entries]
    return [
        {"item": entry.item, "share": weight / sum(weights), "condition": one}
        for entry, weight, one in zip(entries, weights, conditions)
    ]


SWITCHED_OFF = "{} is switched off: none of its plants stand, whatever its rules say"


def set_by_hand(planting: Planting, far: np.ndarray) -> str:
    """Which plant at a place a hand has set, moved or changed, in words, by how far its pins are from there
    in m, float64 (n,); empty when it is the rule's."""
    pins, k = planting.pins, int(far.argmin()) if len(far) else -1
    if k < 0 or far[k] > max(planting.footprint, 0.6):
        return ""
    how = "moved or changed by hand" if np.isin(pins.id[k], pins.replaced) else "set by hand"
    item = planting.level.stock.get(pins.item[k])
    return f"{item.name if item else pins.item[k]} was {how} here: it stays under any rule and painting"
