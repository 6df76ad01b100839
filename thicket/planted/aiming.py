"""The fullness that gives a number of plants, exactly, from the thresholds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from thicket.document.level import Stand
from thicket.planted.level import PlantedLevel
from thicket.planted.planting import Planting
from thicket.refused import Refused


def _with(level: PlantedLevel, stand: Stand, fullness: float) -> Planting:
    return level.trying(
        replace(stand, settings=stand.settings.model_copy(update={"fullness": float(fullness)}))
    )


def _rungs(full: Planting) -> np.ndarray:
    """For every place that carries a plant at full fullness, the fullness above which it does, sorted;
    float64."""
    out = []
    for sheet in full.sheets_in(full.everywhere):
        points = full.points(sheet)
        places = (full.plants(sheet).form[:, [0, 2]], np.c_[points.x, points.z].astype(np.float32))
        kept, at = (np.ascontiguousarray(p).view(np.int64).ravel() for p in places)
        here = np.isin(at, kept)
        if not here.any():
            continue
        dense = full.density_at(points)
        out.append(points.threshold[here] / np.maximum(dense[here], 1e-9))
    return np.sort(np.concatenate([np.empty(0, np.float32), *out]))


def aim(level: PlantedLevel, stand: Stand, count: int) -> tuple[float, int]:
    """The fullness for a count, and the count it gives: the same where the ground allows, else the most it
    allows.

    A sward's on the terrain is computed from its density field.
    Raises: Refused when the count is not above 0.
    """
    if count < 1:
        raise Refused("count: aim for at least one plant")
    full = _with(level, stand, 1.0)
    most = full.count()
    if count >= most:
        return 1.0, most
    low, high = 0.0, 1.0
    if not stand.mapped:
        rungs, pins = _rungs(full), len(full.pins.id)
        if count <= pins:
            return 0.0, pins
        at = min(count - pins, len(rungs) - 1)
        guess = (rungs[at - 1] + rungs[at]) / 2
        if _with(level, stand, guess).count() == count:
            return float(guess), count
    for _ in range(34):
        middle = (low + high) / 2
        found = _with(level, stand, middle).count()
        if found == count:
            return middle, found
        low, high = (middle, high) if found < count else (low, middle)
    return high, _with(level, stand, high).count()
