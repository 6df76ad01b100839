"""The small plan of a level that stands in the list: relief, contours, water, plants as ink."""

from __future__ import annotations

import numpy as np

from server.document.planted import planted_of
from server.levels.looks import layers_shown
from server.levels.models import Level
from thicket.document.atmosphere import Atmosphere
from thicket.formats.stock import png_bytes
from thicket.ground.plan import draw_plan
from thicket.planted.planting import Planting

SIDE = 560


def plan_png(level: Level, plantings: list[Planting]) -> bytes:
    """The plan as PNG; swards are not drawn, they would cover everything."""

    colours = np.array(
        [[int(layer["colour"][k : k + 2], 16) for k in (1, 3, 5)] for layer in layers_shown(level)], float
    )
    marks = []
    for planting in plantings:
        if not planting.stand.sward:
            forms = [planting.plants(sheet).form for sheet in planting.sheets_in(planting.everywhere)]
            marks.append((planting.stand.stratum, np.concatenate([f[:, [0, 2]] for f in forms])))
    waters = [(w.altitude, w.box) for w in Atmosphere.model_validate(level.atmosphere).waters]
    planted = planted_of(level)
    return png_bytes(draw_plan(planted.ground, planted.level.layers.weights, colours, waters, marks, SIDE))
