"""Nine plants of a stand side by side, to see how they differ before it is kept."""

from __future__ import annotations

import numpy as np

from thicket.ground.heights import Ground
from thicket.planted.planting import Planting
from thicket.planting.points import PointSet
from thicket.planting.stands import grow

COUNT, SLOPE = 9, 18.0
"""Plants in a sample, and the slope in degrees that they stand on, falling to the east."""


def sample(planting: Planting) -> list[dict]:
    """Nine plants drawn as the stand draws its own, on a slope, evenly apart from west to east.

    Returns, of each: item, height and width in m above and across the ground, lean in degrees toward the
    downhill (east) side as seen from the south, bearing of its front in degrees, sink in m, tint 0–1.
    """
    rows = np.tile(np.linspace(0.0, -np.tan(np.radians(SLOPE)) * 64, 65, dtype=np.float32), (65, 1)) + 200
    ground = Ground(np.ascontiguousarray(rows), 1.0)
    wide = max(planting.settings.variation.patch / 6, 1.0)
    x = 4.0 + np.arange(COUNT) * min(wide, 6.0)
    cells = np.c_[1_000_000 + np.arange(COUNT) * 7919, np.arange(COUNT) * 104_729]
    points = PointSet(x, np.full(COUNT, 32.0), np.zeros(COUNT, np.float32), cells)
    plants = grow(planting.core, points, np.arange(COUNT), ground)
    sizes = {item.slug: (item.height, item.crown) for item in planting.level.stock.values()}
    out = []
    for form, item in zip(plants.form.astype(float), plants.item):
        slug = planting.items[int(item)]
        height, crown = sizes.get(slug, (1.0, 0.5))
        qx, qy, qz, qw = form[3:7]
        up = np.array([2 * (qx * qy - qw * qz), 1 - 2 * (qx * qx + qz * qz), 2 * (qy * qz + qw * qx)])
        front = np.array([-2 * (qx * qz + qw * qy), -(1 - 2 * (qx * qx + qy * qy))])
        out.append(
            {
                "item": slug,
                "height": height * form[8],
                "width": 2 * crown * form[7],
                "lean": float(np.degrees(np.arctan2(up[0], up[1]))),
                "turn": float(np.degrees(np.arctan2(front[0], -front[1])) % 360),
                "sink": float(planting.core.item_sinks[int(item)]),
                "tint": float(form[9]),
            }
        )
    return out
