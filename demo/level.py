"""Hobbin Delph: its stock, shapes, views, budget marks and the touch that is painted to begin with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from demo.ground import ENGINE_HOUSE, SIZE, TRAMWAY, WATER
from thicket.document.atmosphere import Atmosphere, FogSettings, Sun, Water
from thicket.document.drawing import DeviceSettings, tiers_for
from thicket.planting.density import TOUCH_UNIT
from thicket.planting.strokes import Stroke, stroke_delta
from thicket.sight.devices import calibrate, read_captures

SLUG, NAME, SEED = "hobbin-delph", "Hobbin Delph", 1847
PASSWORD = "slate-and-birch"
ACCOUNTS = {"lead": "lead", "north": "artist", "south": "artist", "guest": "viewer"}
LAYER_COLOURS = {
    "slate": "#6f7782",
    "scree": "#a39a8b",
    "turf": "#8d9460",
    "mud": "#7d6a52",
    "track": "#b9a587",
}
ATMOSPHERE = Atmosphere(
    sun=Sun(bearing=222, elevation=38),
    fog=FogSettings(density=0.0008, thinning=160, level=364),
    waters=[Water(altitude=WATER, box=(330, 380, 550, 590))],
)
MARKS = {"triangles": 260_000, "draw_calls": 480, "shadow_triangles": 60_000, "memory": 16_000_000, "ms": 4.0}
MS = {"Handheld": 14.0, "Console": 9.0, "Desktop": 6.0}
"""What a frame may take on the device of each tier."""

RIM = ((155, 365), (132, 427), (129, 492), (146, 555), (181, 612), (232, 660), (297, 694), (369, 714))
WALKS = {
    "Down the tramway": {"points": TRAMWAY[:5], "speed": 4.0, "eye": 1.7},
    "Along the rim": {"points": RIM, "speed": 3.0, "eye": 1.7},
}

RECIPES = {
    "For the game": {
        "formats": ["parquet", "glb", "maps", "ground"],
        "axes": "z-up-left",
        "unit": "cm",
        "origin": "centre",
        "cell": 128.0,
        "stands": [],
    },
    "For a look at the table": {
        "formats": ["csv"],
        "axes": "y-up-right",
        "unit": "m",
        "origin": "corner",
        "cell": 0.0,
        "stands": [],
    },
}

# name, eye x, z, height above the ground, heading, pitch, vertical field of view
BOOKMARKS = (
    ("From the west rim", 170, 430, 6.0, 101, -8, 50),
    ("By the water", 486, 560, 1.7, 318, 4, 58),
    ("Down the tramway", 548, 641, 1.7, 112, 0, 55),
    ("On the tips", 742, 425, 1.8, 263, -7, 52),
)

STOCK = {
    "birch": ("Birch", 9.6, 2.3, 0.16),
    "slate-block": ("Slate block", 0.9, 1.0, 0.9),
    "moor-grass": ("Moor-grass", 0.7, 0.4, 0.05),
    "rowan": ("Rowan", 5.7, 1.9, 0.14),
    "hawthorn": ("Hawthorn", 3.6, 1.7, 0.2),
    "gorse": ("Gorse", 1.45, 0.9, 0.3),
    "heather": ("Heather", 0.42, 0.3, 0.05),
    "bracken": ("Bracken", 1.1, 0.9, 0.08),
    "slate-slab": ("Slate slab", 0.3, 0.9, 0.8),
    "sleeper": ("Sleeper", 0.1, 0.85, 0.3),
    "sleeper-stack": ("Sleeper stack", 0.7, 1.2, 1.05),
    "moss-cushion": ("Moss cushion", 0.15, 0.27, 0.12),
}
"""slug: name, height, crown radius, trunk radius, all in m."""

SHAPES = [
    {
        "kind": "path",
        "form": "line",
        "name": "Tramway",
        "points": TRAMWAY,
        "width": 3.4,
        "clear": 1.2,
        "hatch": "blank",
    },
    {
        "kind": "path",
        "form": "line",
        "name": "Sheep track",
        "width": 1.2,
        "clear": 0.4,
        "hatch": "blank",
        "trail": {"reach": 1.6, "lean": 48, "flatten": 0.35, "strata": ["Field", "Moss"]},
        "points": (
            (118, 1024),
            (132, 930),
            (108, 840),
            (140, 742),
            (128, 640),
            (96, 560),
            (104, 452),
            (150, 402),
            (196, 352),
            (240, 250),
            (330, 168),
            (450, 128),
            (590, 150),
            (700, 120),
            (824, 96),
            (1024, 88),
        ),
    },
    {
        "kind": "obstacle",
        "form": "box",
        "name": "Engine house",
        "clear": 1.5,
        "hatch": "cross",
        "box": {"x": ENGINE_HOUSE[0], "z": ENGINE_HOUSE[1] - 1, "width": 7.5, "length": 15, "heading": 72},
    },
    {
        "kind": "obstacle",
        "form": "circle",
        "name": "Chimney",
        "clear": 1,
        "hatch": "cross",
        "round": {"x": 652, "z": 643.5, "radius": 1.6},
    },
    {
        "kind": "area",
        "form": "polygon",
        "name": "Flooded pit",
        "clear": 0,
        "hatch": "upright",
        "points": (
            (384, 458),
            (404, 432),
            (452, 424),
            (500, 440),
            (520, 474),
            (512, 516),
            (470, 540),
            (420, 536),
            (388, 508),
        ),
    },
    {
        "kind": "area",
        "form": "polygon",
        "name": "East tips",
        "clear": None,
        "hatch": "dots",
        "points": (
            (585, 320),
            (660, 286),
            (800, 232),
            (868, 300),
            (876, 440),
            (840, 580),
            (760, 560),
            (640, 528),
            (612, 440),
        ),
    },
    {
        "kind": "area",
        "form": "polygon",
        "name": "North ground",
        "clear": None,
        "hidden": True,
        "hatch": "blank",
        "points": ((24, 24), (1000, 24), (1000, 470), (560, 545), (360, 400), (24, 440)),
    },
    {
        "kind": "area",
        "form": "polygon",
        "name": "South ground",
        "clear": None,
        "hidden": True,
        "hatch": "blank",
        "points": ((24, 440), (360, 400), (560, 545), (1000, 470), (1000, 1000), (24, 1000)),
    },
]

PLOTS = {
    "North": ("north", "North ground", {"Console": {"ms": 5.0}, "Desktop": {"ms": 3.0}}),
    "South": ("south", "South ground", {"Console": {"ms": 4.0}, "Desktop": {"ms": 3.0}}),
}
"""By name: owner, area, and by tier what may be spent."""


def tiers() -> dict[str, Any]:
    """The level's tiers, each with the device that follows from its measured frames in demo/captures."""
    out = tiers_for(MARKS)
    for name, tier in out.items():
        text = (Path(__file__).parent / "captures" / f"{name.lower()}.csv").read_text("utf-8")
        _, loads, ms = read_captures(text)
        found = calibrate(f"Sample {name.lower()}", loads, ms)
        tier["device"] = DeviceSettings.of(found.device, int(found.fits.sum())).model_dump(mode="json")
        tier["marks"]["ms"] = MS[name]
    return out


def painted(slug: str, layers: np.ndarray, cell: float) -> np.ndarray | None:
    """The touch a stand begins with, int16 (rows, columns), as if an artist had been at work for an hour;
    None for none.

    Parameters: layers float32 (rows, columns, 5) in `demo.ground.LAYERS`' order; cell, their size in m.
    """
    from demo.ground import _noise

    z, x = np.mgrid[0:SIZE:cell, 0:SIZE:cell] + cell / 2
    slate, scree, turf = layers[..., 0], layers[..., 1], layers[..., 2]
    clumps = _noise(71, x, z, 120, 4)
    if slug == "birch":
        touch = np.clip(-0.55 + 2.6 * clumps, -1, 0.35) - 0.5 * scree - 0.8 * slate
    elif slug in ("moor-grass", "heather"):
        touch = -1.15 * (slate + scree) * (1 - turf) + 0.12 * _noise(72, x, z, 30, 3)
    elif slug != "slate-blocks":
        return None
    else:
        touch = -1.4 * turf + 0.45 * scree * np.clip(_noise(73, x, z, 34, 3) * 3, -1, 1)
    out = np.rint(np.clip(touch, -1, 1) * TOUCH_UNIT).astype(np.int16)
    out += stroke_delta(Stroke("thin", TRAMWAY, 5.5, 0.35, 1.0), out, cell, 0, 0)
    for _, x0, z0, *_ in BOOKMARKS:
        out += stroke_delta(
            Stroke("thin", [(x0, z0)], 9.0, 0.5, 1.0 if slug == "birch" else 0.0), out, cell, 0, 0
        )
    return out
