"""Fields of a level's relief to look at."""

from __future__ import annotations

import numpy as np

from server.document.planted import planted_of
from server.levels.models import Level
from thicket.ground.relief import shade, to_cells
from thicket.site.conditions import Condition

MOST = 1024


def relief_field(level: Level, kind: str, radius: float) -> np.ndarray:
    """One field at cell centres, float32, at most `MOST` values a side: every so-many-th of the level's.

    Parameters: kind, `shading` (0–1) or a kind of condition that reads the heights; radius in m, of
    hollow–ridge.
    """
    planted = planted_of(level)
    if kind == "shading":
        values = to_cells(shade(planted.ground.heights, planted.cell))
    else:
        values = planted.rasters.whole_values(Condition(kind, 0.0, 1.0, radius=radius))
    step = max(1, -(-max(values.shape) // MOST))
    return np.ascontiguousarray(values[step // 2 :: step, step // 2 :: step])
