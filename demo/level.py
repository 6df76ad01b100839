"""What stands in Hobbin Delph: stands, views, budget marks and the touch that is painted to begin with."""

from __future__ import annotations

import numpy as np

from demo.ground import ENGINE_HOUSE, SIZE, TRAMWAY, WATER
from thicket.planting.density import TOUCH_UNIT
from thicket.planting.strokes import Stroke, stroke_delta

SLUG, NAME, SEED = "hobbin-delph", "Hobbin Delph", 1847
PASSWORD = "slate-and-birch"
ACCOUNTS = {"lead": "lead", "north": "artist", "south": "artist", "guest": "viewer"}
LAYER_COLOURS = {"slate": "#6f7782", "scree": "#a39a8b", "turf": "#8d9460", "mud": "#7d6a52", "track": "#b9a587"}
WATERS = [{"altitude": WATER, "box": [330, 380, 550, 590]}]
SUN = {"bearing": 222, "elevation": 38}
FOG = 0.0007
MARKS = {"triangles": 260_000, "draw_calls": 420, "shadow_triangles": 60_000, "memory": 16_000_000, "ms": 3.0}

# name, eye x, z, height above the ground, heading, pitch, vertical field of view
BOOKMARKS = (("From the west rim", 170, 430, 6.0, 101, -8, 50), ("By the water", 486, 560, 1.7, 318, 4, 58),
             ("Down the tramway", 548, 641, 1.7, 112, 0, 55), ("On the tips", 742, 425, 1.8, 263, -7, 52))

STOCK = {"birch": ("Birch", 9.6, 2.3, 0.16), "slate-block": ("Slate block", 0.9, 1.0, 0.9),
         "moor-grass": ("Moor-grass", 0.7, 0.4, 0.05)}
"""slug: name, height, crown radius, trunk radius, all in m."""

SHAPES = [
    {"kind": "path", "form": "line", "name": "Tramway", "points": TRAMWAY, "width": 3.4, "clear": 1.2, "hatch": "blank"},
    {"kind": "path", "form": "line", "name": "Sheep track", "width": 1.2, "clear": 0.4, "hatch": "blank",
     "points": ((118, 1024), (132, 930), (108, 840), (140, 742), (128, 640), (96, 560), (104, 452), (150, 402), (196, 352),
                (240, 250), (330, 168), (450, 128), (590, 150), (700, 120), (824, 96), (1024, 88))},
    {"kind": "obstacle", "form": "box", "name": "Engine house", "clear": 1.5, "hatch": "cross",
     "box": {"x": ENGINE_HOUSE[0], "z": ENGINE_HOUSE[1] - 1, "width": 7.5, "length": 15, "heading": 72}},
    {"kind": "obstacle", "form": "circle", "name": "Chimney", "clear": 1, "hatch": "cross",
     "round": {"x": 652, "z": 643.5, "radius": 1.6}},
    {"kind": "area", "form": "polygon", "name": "Flooded pit", "clear": 0, "hatch": "upright",
     "points": ((384, 458), (404, 432), (452, 424), (500, 440), (520, 474), (512, 516), (470, 540), (420, 536), (388, 508))},
    {"kind": "area", "form": "polygon", "name": "East tips", "clear": None, "hatch": "dots",
     "points": ((585, 320), (660, 286), (800, 232), (868, 300), (876, 440), (840, 580), (760, 560), (640, 528), (612, 440))},
]

STANDS = [
    {"slug": "slate-blocks", "name": "Slate blocks", "stratum": "Stone", "sward": False, "settings": {
        "mix": [{"item": "slate-block", "weight": 1}], "spacing": 4.2, "fullness": 0.5,
        "variation": {"size": [0.45, 1.9], "width": [0.8, 1.25], "turn": [0, 360], "lean": 9, "follow": 1,
                      "sink": 0.12, "patch": 30},
        "tints": ["#8f98a6", "#c4b7a4"],
        "conditions": [{"kind": "altitude", "lo": 353, "hi": 424, "soft_lo": 1.5, "soft_hi": 6, "join": "and"},
                       {"kind": "slope", "lo": 15, "hi": 36, "soft_lo": 6, "soft_hi": 5, "join": "and"}],
        "distances": {"steps": [45], "billboard": 45, "gone": 320, "fade": 14, "shadow": 60}}},
    {"slug": "birch", "name": "Birch", "stratum": "Canopy", "sward": False, "settings": {
        "mix": [{"item": "birch", "weight": 1}], "spacing": 4.6, "fullness": 0.75,
        "variation": {"size": [0.45, 1.15], "width": [0.85, 1.2], "turn": [0, 360], "lean": 4, "follow": 0.08,
                      "sink": 0.05, "patch": 60},
        "tints": ["#b4c29a", "#cfc08a"],
        "conditions": [{"kind": "altitude", "lo": 354, "hi": 404, "soft_lo": 2, "soft_hi": 14, "join": "and"},
                       {"kind": "slope", "lo": 0, "hi": 26, "soft_lo": 0, "soft_hi": 9, "join": "and"}],
        "distances": {"steps": [26, 62], "billboard": 120, "gone": 900, "fade": 12, "shadow": 70}}},
    {"slug": "moor-grass", "name": "Moor-grass", "stratum": "Field", "sward": True, "settings": {
        "mix": [{"item": "moor-grass", "weight": 1}], "spacing": 0.62, "fullness": 0.9,
        "variation": {"size": [0.6, 1.35], "width": [0.9, 1.4], "turn": [0, 360], "lean": 9, "follow": 0.5,
                      "sink": 0.02, "patch": 22},
        "tints": ["#c6d0a6", "#e2d8b8"],
        "conditions": [{"kind": "altitude", "lo": 353, "hi": 480, "soft_lo": 0.8, "soft_hi": 0, "join": "and"},
                       {"kind": "slope", "lo": 0, "hi": 27, "soft_lo": 0, "soft_hi": 8, "join": "and"}],
        "distances": {"steps": [18], "billboard": 18, "gone": 70, "fade": 8, "shadow": 0}}},
]


def painted(slug: str, layers: np.ndarray) -> np.ndarray:
    """The touch a stand begins with, int16 (rows, columns): as if an artist had been at work for an hour.

    Parameters: layers float32 (rows, columns, 5) in `demo.ground.LAYERS`' order.
    """
    from demo.ground import _noise

    z, x = np.mgrid[0:SIZE, 0:SIZE] + 0.5
    slate, scree, turf = layers[..., 0], layers[..., 1], layers[..., 2]
    clumps = _noise(71, x, z, 120, 4)
    if slug == "birch":
        touch = np.clip(-0.55 + 2.6 * clumps, -1, 0.35) - 0.5 * scree - 0.8 * slate
    elif slug == "moor-grass":
        touch = -1.15 * (slate + scree) * (1 - turf) + 0.12 * _noise(72, x, z, 30, 3)
    else:
        touch = -1.4 * turf + 0.45 * scree * np.clip(_noise(73, x, z, 34, 3) * 3, -1, 1)
    out = np.rint(np.clip(touch, -1, 1) * TOUCH_UNIT).astype(np.int16)
    out += stroke_delta(Stroke("thin", TRAMWAY, 5.5, 0.35, 1.0), out, 1.0, 0, 0)
    for _, x0, z0, *_ in BOOKMARKS:
        out += stroke_delta(Stroke("thin", [(x0, z0)], 9.0, 0.5, 1.0 if slug == "birch" else 0.0), out, 1.0, 0, 0)
    return out
