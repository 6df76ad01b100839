"""Golden vectors: what the core makes of some inputs by each rule that the page holds too, in
`tests/vectors.json`. The core's tests and the page's units both read that file.

`python -m tests.vectors` writes it again after a rule was changed on purpose.
"""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import numpy as np

from thicket.document.drawing import DrawingSettings
from thicket.document.surface_settings import PlacedMesh
from thicket.ground.heights import Ground
from thicket.ground.shapes import box, circle
from thicket.planting.stands import Plants
from thicket.sight.cost import Item, Mesh, Patch, frame_cost, lay_out
from thicket.sight.distances import Distances, states
from thicket.sight.drawing import CELLS, TREES, Drawing, rank
from thicket.sight.fog import Fog, clear_distance, left, mean_density, thicker
from thicket.sight.terrain import STEPS, chosen_steps, terrain_of
from thicket.sight.views import View, box_visible
from thicket.sight.walks import route_of
from thicket.sight.wind import BEND, Wind
from thicket.site.conditions import Condition, result

FILE = Path(__file__).with_name("vectors.json")
COLUMNS, ROWS, CELL = 200, 150, 2.0


def ground() -> Ground:
    """Waves on a slope, on tiles of which some are cut by the edge; the page's unit makes the same."""
    j, i = np.mgrid[0 : ROWS + 1, 0 : COLUMNS + 1]
    return Ground((20 * np.sin(i / 17) * np.cos(j / 23) + 0.05 * i).astype(np.float32), CELL)


def plain(value: Any) -> Any:
    """JSON's own values: floats to twelve places, what never ends as null."""
    if isinstance(value, dict):
        return {key: plain(part) for key, part in value.items()}
    if isinstance(value, np.ndarray) and value.ndim == 0:
        return plain(value.item())
    if isinstance(value, (list, tuple, np.ndarray)):
        return [plain(part) for part in value]
    if isinstance(value, (bool, np.bool_)):
        return bool(value)
    if isinstance(value, (float, np.floating)):
        return float(f"{value:.12g}") if np.isfinite(value) else None
    return int(value) if isinstance(value, np.integer) else value


DISTANCES = (
    Distances((12.0, 30.0), 60.0, 180.0, 4.0, 40.0),
    Distances((12.0, 12.0), 12.0, 180.0, 0.0, 40.0, by_size=True),
    Distances((), 25.0, 25.0, 6.0, 0.0),
    Distances((8.0, 20.0, 45.0), 45.0, 900.0, 12.0, 300.0),
)
DRAWINGS = (
    Drawing(distances=0.5, fades=2.0, shadows=0.25, lod_offset=1, sward_reach=30.0, shadow_reach=50.0),
    Drawing(plants=False, billboards=False, full_meshes=40, sward_share=0.5, casts=frozenset({"Canopy"})),
    Drawing(full_meshes=25, sward_reach=80.0, ground_error=8.0, ground_shaded=False, fog=3.0),
    Drawing(ground_error=2.0, ground_detail=60.0, cell=128.0, receives=frozenset({"Stone", "Field"})),
)
FOGS = (
    Fog("none"),
    Fog("linear", start=20.0, end=400.0),
    Fog("linear", start=20.0, end=400.0, thinning=30.0, level=12.0),
    Fog("exponential", density=0.004),
    Fog("exponential", density=0.004, thinning=60.0, level=0.0),
    Fog("squared", density=0.002, thinning=15.0, level=40.0),
)
VIEWS = (
    View(200.0, 40.0, 290.0, 0.0, -8.0, 55.0, 1.6),
    View(10.0, 90.0, 10.0, 135.0, -35.0, 70.0, 1.0),
    View(330.0, 12.0, 150.0, 271.5, 20.0, 30.0, 2.3),
)
WALK = [[20.0, 30.0], [180.0, 60.0], [181.0, 200.0], [40.0, 220.0], [40.0, 220.0], [300.0, 280.0]]
BANDS = (
    Condition("slope", 10.0, 30.0, 5.0, 8.0),
    Condition("altitude", 400.0, 420.0, 0.0, 12.0),
    Condition("altitude", 400.0, 420.0, 6.0, 0.0),
)


def _states() -> list:
    return [
        {"distances": asdict(d), "lods": lods, "billboard": board, "full": full}
        | {"states": asdict(states(replace(d, full=full), lods, board))}
        for d in DISTANCES
        for lods, board in ((1, False), (1, True), (3, True), (4, False))
        for full in (np.inf, 9.0)
    ]


def _drawing() -> dict:
    shown = [DrawingSettings.of(d).model_dump(mode="json") for d in DRAWINGS]
    return {
        "settings": shown,
        "through": [
            [DrawingSettings.of(a.through(b)).model_dump(mode="json") for b in DRAWINGS] for a in DRAWINGS
        ],
        "distances": [
            {"own": asdict(own), "stratum": stratum, "sward": sward, "by": k}
            | {"drawn": asdict(by.distances_of(own, stratum, sward))}
            for k, by in enumerate(DRAWINGS)
            for own in DISTANCES
            for stratum, sward in (("Canopy", False), ("Field", True))
        ],
        "cells": CELLS,
        "trees": TREES,
        "rank": [[low, rank(np.array([low], np.uint64))[0]] for low in (0, 77, 2**24 - 1, 2**31 + 12345)],
    }


def _fog() -> list:
    eyes, places, metres = (0.0, 11.0, 80.0), (-5.0, 11.0, 12.5, 300.0), (0.0, 25.0, 150.0, 2000.0)
    return [
        {"fog": asdict(fog), "factor": factor}
        | {
            "density": [[mean_density(f, eye, place) for place in places] for eye in eyes],
            "left": [[left(f, m, eye, places[2]) for m in metres] for eye in eyes],
            "clear": [clear_distance(f, eye, 30.0) for eye in eyes],
        }
        for fog in FOGS
        for factor in (1.0, 2.5, 0.0)
        for f in (thicker(fog, factor),)
    ] + [{"eyes": eyes, "places": places, "metres": metres}]


def _views() -> list:
    terrain = terrain_of(ground())
    return [
        {"view": {name: getattr(v, name) for name in ("x", "y", "z", "heading", "pitch", "fov", "aspect")}}
        | {
            "planes": v.planes,
            "tiles": [box_visible(v.planes, box) for box in terrain.box],
            "steps": [
                np.bincount(chosen_steps(terrain, v, pixels) + 1, minlength=len(STEPS) + 1)[1:]
                for pixels in (0.5, 4.0, 40.0)
            ],
        }
        for v in VIEWS
    ] + [{"boxes": terrain.box}]


def _walk() -> dict:
    route = route_of(ground(), WALK, 3.0, 1.7)
    times = np.linspace(-1.0, route.seconds + 1.0, 23)
    seen = [(view.x, view.y, view.z, view.heading) for view in map(route.at, times)]
    return {"points": WALK, "speed": 3.0, "eye": 1.7, "seconds": route.seconds, "times": times, "seen": seen}


def _heights() -> list:
    x = np.array([0.0, 0.3, 17.9, 200.0, 399.99, 400.0, 55.5])
    z = np.array([0.0, 1.7, 299.0, 150.0, 299.99, 300.0, 213.2])
    return [[a, b, h] for a, b, h in zip(x, z, ground().height_at(x, z))]


def _rays() -> list:
    """Where rays from the views' eyes meet the ground, by steps of 2 cm."""
    out, far, here = [], np.arange(0.2, 500.0, 0.02), ground()
    for view in VIEWS[:2]:
        for turn, pitch in ((0, view.pitch - 12), (25, view.pitch - 25), (-60, view.pitch)):
            bearing, rise = np.radians(view.heading + turn), np.radians(pitch)
            way = (np.sin(bearing) * np.cos(rise), np.sin(rise), -np.cos(bearing) * np.cos(rise))
            x, y, z = (at + far * part for at, part in zip(view.eye, way))
            inside = (x >= 0) & (x < here.width) & (z >= 0) & (z < here.length)
            under = inside & (y < here.height_at(x, z))
            k = int(under.argmax())
            out.append({"from": view.eye, "way": way, "meets": [x[k], y[k], z[k]] if under.any() else None})
    return out


CELL_ITEMS = (
    Item("birch", (Mesh(1, 2, 0.5, 0), Mesh(1, 1, 0.5, 0), Mesh(1, 1, 0.0, 0)), Mesh(1, 1, 1.0, 0), 5.0, 0),
    Item("block", (Mesh(1, 1, 0.0, 0), Mesh(1, 1, 0.0, 0)), None, 2.0, 0, casts_shadow=False),
)
"""Every mesh is a single triangle, so that triangles count instances."""


def _cells() -> list:
    """What a stand of 1,500 plants of two items costs in several views; the page's unit makes the same
    plants."""
    k = np.arange(1500)
    form = np.zeros((len(k), 10), np.float32)
    form[:, 0], form[:, 2], form[:, 1] = k * 37 % 400 + 0.3, k * 61 % 300, k % 7
    form[:, 6], form[:, 7], form[:, 8] = 1.0, 1.0, 0.5 + k % 5 / 4
    plants = Plants(k.astype(np.uint64), form, (k % 2).astype(np.uint8))
    out = []
    for n, view in enumerate(VIEWS):
        for own in (DISTANCES[1], DISTANCES[3]):
            for by in (Drawing(), Drawing(cell=16.0), DRAWINGS[0]):
                items = [item.drawn_by(by) for item in CELL_ITEMS]
                distances = by.distances_of(own, "Canopy", False)
                patch = Patch(plants, lay_out(plants, [item.bound for item in items], by.cell))
                cost = frame_cost([patch], items, distances, replace(view, drawing=by))
                counted = "plants", "draw_calls", "shadow_triangles", "shadow_calls"
                drawing = DrawingSettings.of(by).model_dump(mode="json")
                out.append(
                    {"view": n, "distances": asdict(own), "drawing": drawing}
                    | {name: getattr(cost, name) for name in counted}
                )
    return out


def _bands() -> list:
    values = np.array([0.0, 5.0, 7.5, 10.0, 20.0, 30.0, 33.0, 38.0, 394.0, 397.0, 400.0, 420.0, 425.0, 432.0])
    fields = "kind", "lo", "hi", "soft_lo", "soft_hi"
    return [
        {name: getattr(c, name) for name in fields} | {"values": values, "results": result(values, c)}
        for c in BANDS
    ]


def _placed() -> list:
    points = np.array([[1.0, 0.0, 0.0], [0.0, 2.0, 0.0], [0.0, 0.0, 3.0], [0.4, -1.2, 2.2]])
    turns = [(0.0, 0.0, 0.0), (30.0, 0.0, 0.0), (0.0, 80.0, 0.0), (0.0, 0.0, -45.0), (200.0, -35.0, 110.0)]
    out = []
    for turn, pitch, roll in turns:
        lies = {"at": (12.0, 40.0, 7.5), "turn": turn, "pitch": pitch, "roll": roll, "scale": 1.5}
        placed = PlacedMesh(name="It", item="it", **lies)
        out.append(lies | {"points": points, "in_level": placed.in_level(points)})
    return out


def _outlines() -> dict:
    return {
        "round": [
            {"x": x, "z": z, "radius": r, "corners": circle(x, z, r)} for x, z, r in ((5, 7, 2), (0, 0, 31.5))
        ],
        "box": [
            {"x": 40, "z": 9, "width": w, "length": length, "heading": h, "corners": box(40, 9, w, length, h)}
            for w, length, h in ((3, 8, 0), (2.5, 6, 72), (1, 20, 305.5))
        ],
    }


def _winds() -> list:
    winds = [
        Wind(),
        Wind(bearing=0, speed=2.5, loop=10, wavelength=10),
        Wind(90, 0.1),
        Wind(313, 9, 1, 12, 0, 7.5),
    ]
    return [{**asdict(wind), "gusts": wind.gusts, "toward": wind.toward} for wind in winds]


def vectors() -> dict:
    """All vectors, as they stand in the file."""
    return plain(
        {
            "ground": {"columns": COLUMNS, "rows": ROWS, "cell": CELL},
            "states": _states(),
            "drawing": _drawing(),
            "fog": _fog(),
            "views": _views(),
            "walk": _walk(),
            "heights": _heights(),
            "rays": _rays(),
            "cells": _cells(),
            "bands": _bands(),
            "placed": _placed(),
            "outlines": _outlines(),
            "winds": _winds(),
            "bend": BEND,
        }
    )


if __name__ == "__main__":
    FILE.write_text(json.dumps(vectors(), separators=(",", ":")) + "\n")
