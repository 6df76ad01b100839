"""What site conditions look at: one raster of values for each, for any window of the level, and the
suitability that they give there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from thicket.site.conditions import Condition, suitability
from thicket.site.site import Site, Window


def values(site: Site, condition: Condition, window: Window) -> np.ndarray:
    """What a condition looks at, at the cell centres of a window.

    Returns: float32 (rows, columns) in the kind's unit. Distances are below 0 inside a shape and stop at
    `kinds.far_away`; facing is a compass bearing, `relief.FLAT` where the ground faces nowhere. Raises:
    Refused when the condition asks for a layer, mask or stand that is not there.
    """
    return condition.rule.values(site, condition, window)


def suitable(site: Site, conditions: Sequence[Condition], window: Window) -> np.ndarray:
    """Suitability of a window from nothing, float32 0–1 (rows, columns)."""
    col0, row0, col1, row1 = window
    fields = [values(site, c, window) for c in conditions]
    return suitability(fields, conditions, (row1 - row0, col1 - col0))
