"""The stands of Hobbin Delph, stratum by stratum, and the plants set by hand.

A condition, layout or drive names another stand, a shape or a mask by its slug or name; the builder puts its
number in.
"""

from __future__ import annotations

import numpy as np

from thicket.ground.noise import fractal_noise


def _and(kind: str, lo: float, hi: float, soft_lo: float = 0.0, soft_hi: float = 0.0, **more) -> dict:
    return {"kind": kind, "lo": lo, "hi": hi, "soft_lo": soft_lo, "soft_hi": soft_hi, "join": "and"} | more


def _differ(size, width=(0.85, 1.2), lean=4.0, follow=0.1, sink=0.05, patch=40.0, turn=(0, 360)) -> dict:
    return {
        "size": list(size),
        "width": list(width),
        "turn": list(turn),
        "lean": lean,
        "follow": follow,
        "sink": sink,
        "patch": patch,
    }


def _seen(steps, billboard: float, gone: float, fade: float, shadow: float = 0.0) -> dict:
    return {"steps": steps, "billboard": billboard, "gone": gone, "fade": fade, "shadow": shadow}


STONE = [
    {
        "slug": "slate-blocks",
        "name": "Slate blocks",
        "stratum": "Stone",
        "settings": {
            "mix": [
                {"item": "slate-block", "weight": 3},
                {
                    "item": "slate-slab",
                    "weight": 1.4,
                    "size": [0.8, 1.7],
                    "sink": 0.02,
                    "drive": _and("slope", 0, 20, 0, 6),
                },
            ],
            "spacing": 4.2,
            "fullness": 0.5,
            "variation": _differ((0.45, 1.9), (0.8, 1.25), 9, 1, 0.12, 30),
            "tints": ["#8f98a6", "#c4b7a4"],
            "conditions": [
                _and("altitude", 353, 424, 1.5, 6),
                _and("slope", 15, 36, 6, 5),
                _and("layer", 0.35, 1, 0.25, layers=["turf"], join="except"),
            ],
            "distances": _seen([45], 45, 320, 14, 60),
        },
    },
    {
        "slug": "tip-rubble",
        "name": "Tip rubble",
        "stratum": "Stone",
        "settings": {
            "mix": [
                {"item": "slate-slab", "weight": 2},
                {"item": "slate-block", "weight": 1, "size": [0.25, 0.6]},
            ],
            "spacing": 3.1,
            "fullness": 0.45,
            "variation": _differ((0.35, 1.0), (0.8, 1.3), 16, 1, 0.04, 24),
            "tints": ["#8792a2", "#b8ab9a"],
            "conditions": [
                _and("area", 0.3, 1, 0.29, shapes=["East tips"], depth=True, size=0.55),
                _and("slope", 3, 60, 5),
                _and(
                    "noise",
                    0.46,
                    1,
                    0.2,
                    noise={
                        "form": "ridged",
                        "wavelength": 44,
                        "octaves": 3,
                        "contrast": 1.2,
                        "shift": 0,
                        "seed": 4,
                    },
                ),
            ],
            "distances": _seen([34], 34, 210, 12, 30),
        },
    },
    {
        "slug": "sleepers",
        "name": "Sleepers",
        "stratum": "Stone",
        "group": "Tramway",
        "settings": {
            "mix": [{"item": "sleeper", "weight": 1}],
            "spacing": 1,
            "fullness": 0.9,
            "variation": _differ((0.92, 1.06), (0.95, 1.05), 2.5, 1, 0.01, 12, (-5, 5)),
            "tints": ["#a2978a", "#c9bda6"],
            "layout": {"kind": "path", "shapes": ["Tramway"], "every": 0.86, "face": "along", "jitter": 0.05},
            "conditions": [
                _and(
                    "noise",
                    0.24,
                    1,
                    0.06,
                    noise={
                        "form": "gradient",
                        "wavelength": 26,
                        "octaves": 2,
                        "contrast": 1.1,
                        "shift": 0.14,
                        "seed": 9,
                    },
                )
            ],
            "distances": _seen([], 0, 150, 10, 0),
        },
    },
    {
        "slug": "sleeper-stacks",
        "name": "Sleeper stacks",
        "stratum": "Stone",
        "group": "Tramway",
        "settings": {
            "mix": [{"item": "sleeper-stack", "weight": 1}],
            "spacing": 6.5,
            "fullness": 0.34,
            "gap": 0.4,
            "variation": _differ((0.9, 1.1), (0.95, 1.05), 2, 1, 0.03, 20),
            "tints": ["#9c9184", "#c4b8a2"],
            "conditions": [
                _and("obstacle", 3, 16, 1, 4, shapes=["Engine house"]),
                _and("flat", 0, 0.9, 0, 0.5, radius=2),
            ],
            "distances": _seen([40], 40, 260, 12, 50),
        },
    },
]

TREES = [
    {
        "slug": "birch",
        "name": "Birch",
        "stratum": "Canopy",
        "settings": {
            "mix": [
                {"item": "birch", "weight": 5},
                {"item": "rowan", "weight": 2.6, "size": [0.7, 1.15], "drive": _and("wetness", 7.2, 40, 1.6)},
            ],
            "spacing": 4.6,
            "fullness": 0.62,
            "variation": _differ((0.45, 1.15), lean=4, follow=0.08, patch=60),
            "tints": ["#b4c29a", "#cfc08a"],
            "under": ["Stone"],
            "conditions": [_and("altitude", 354, 404, 2, 14), _and("slope", 0, 26, 0, 9)],
            "distances": _seen([24, 58], 110, 900, 12, 64),
        },
    },
    {
        "slug": "young-birch",
        "name": "Young birch",
        "stratum": "Understorey",
        "settings": {
            "mix": [{"item": "birch", "weight": 1, "size": [0.14, 0.36]}],
            "spacing": 2.6,
            "fullness": 0.14,
            "variation": _differ((0.14, 0.36), lean=7, patch=30),
            "tints": ["#bccf9a", "#d6cf92"],
            "under": ["Canopy"],
            "conditions": [_and("stand", 3.2, 8.5, 0.8, 4, stand="birch"), _and("slope", 0, 28, 0, 8)],
            "distances": _seen([10, 22], 40, 260, 10, 24),
        },
    },
    {
        "slug": "hawthorn",
        "name": "Hawthorn",
        "stratum": "Understorey",
        "settings": {
            "mix": [{"item": "hawthorn", "weight": 1}],
            "spacing": 6.4,
            "fullness": 0.3,
            "variation": _differ((0.5, 1.2), (0.9, 1.25), 9, 0.15, 0.06, 50),
            "tints": ["#a9b58e", "#c3b486"],
            "under": ["Stone"],
            "conditions": [
                _and("path", 2, 42, 1, 30, shapes=["Sheep track"]),
                _and("slope", 0, 30, 0, 8),
                _and("altitude", 356, 470, 2, 20),
            ],
            "distances": _seen([20, 46], 90, 620, 12, 52),
        },
    },
]

LOW = [
    {
        "slug": "gorse",
        "name": "Gorse",
        "stratum": "Shrub",
        "settings": {
            "mix": [{"item": "gorse", "weight": 1}],
            "spacing": 2.3,
            "fullness": 0.55,
            "gap": 0.1,
            "variation": _differ((0.55, 1.3), (0.9, 1.3), 6, 0.35, 0.05, 26),
            "tints": ["#b8bf86", "#e0cb7e"],
            "under": ["Canopy", "Stone"],
            "conditions": [
                _and("facing", 0, 62, 0, 30, centre=205),
                _and("slope", 7, 34, 4, 6),
                _and("altitude", 360, 440, 4, 16),
                _and(
                    "noise",
                    0.56,
                    1,
                    0.1,
                    noise={
                        "form": "gradient",
                        "wavelength": 58,
                        "octaves": 3,
                        "contrast": 1.5,
                        "shift": 0,
                        "seed": 21,
                    },
                ),
            ],
            "distances": _seen([16], 38, 300, 10, 22),
        },
    },
    {
        "slug": "bracken",
        "name": "Bracken",
        "stratum": "Field",
        "settings": {
            "mix": [{"item": "bracken", "weight": 1}],
            "spacing": 1.5,
            "fullness": 0.42,
            "variation": _differ((0.5, 1.25), (0.9, 1.2), 10, 0.3, 0.04, 24),
            "tints": ["#b6c08a", "#d8b47a"],
            "under": ["Canopy", "Understorey", "Stone"],
            "conditions": [
                _and("hollow", -30, -0.4, 0, 1.2, radius=24),
                _and("wetness", 5.5, 11, 1, 2),
                _and("slope", 0, 30, 0, 8),
                _and("layer", 0.4, 1, 0.2, layers=["turf"]),
                # It makes way where somebody paints gorse in.
                _and("painting", 0.3, 1, 0.2, join="except", stand="gorse"),
                # Switched on, it keeps to where gorse is dense.
                _and("density", 0.3, 1, 0.2, stand="gorse", on=False),
                _and(
                    "noise",
                    0.7,
                    1,
                    0.14,
                    noise={
                        "form": "gradient",
                        "wavelength": 52,
                        "octaves": 3,
                        "contrast": 1.4,
                        "shift": 0,
                        "seed": 33,
                    },
                ),
            ],
            "distances": _seen([14], 14, 130, 10, 0),
        },
    },
    {
        "slug": "rushes",
        "name": "Rushes",
        "stratum": "Field",
        "settings": {
            "mix": [{"item": "moor-grass", "weight": 1}],
            "spacing": 1.1,
            "fullness": 0.6,
            "variation": _differ((0.9, 1.7), (0.6, 0.85), 8, 0.1, 0.05, 14),
            "tints": ["#a8b878", "#c0b070"],
            "under": ["Canopy", "Stone"],
            "clear_of": ["path", "obstacle"],
            "conditions": [
                _and("area", -3, 12, 1, 6, shapes=["Flooded pit"]),
                _and("altitude", 352.02, 354.6, 0.05, 1.2),
            ],
            "distances": _seen([16], 16, 120, 10, 0),
        },
    },
    {
        "slug": "heather",
        "name": "Heather",
        "stratum": "Field",
        "sward": True,
        "settings": {
            "mix": [{"item": "heather", "weight": 1}],
            "spacing": 0.66,
            "fullness": 0.75,
            "variation": _differ((0.6, 1.35), (0.9, 1.4), 10, 0.7, 0.02, 18),
            "tints": ["#c2b4b4", "#d2a8be"],
            "conditions": [
                _and("altitude", 398, 480, 12),
                _and("slope", 0, 30, 0, 8),
                _and("layer", 0.3, 1, 0.2, layers=["turf"]),
                _and(
                    "noise",
                    0.45,
                    1,
                    0.12,
                    noise={
                        "form": "cellular",
                        "wavelength": 30,
                        "octaves": 2,
                        "contrast": 1.2,
                        "shift": 0,
                        "seed": 5,
                    },
                ),
            ],
            "distances": _seen([14], 14, 55, 8, 0),
        },
    },
    {
        "slug": "moor-grass",
        "name": "Moor-grass",
        "stratum": "Field",
        "sward": True,
        "settings": {
            "mix": [{"item": "moor-grass", "weight": 1}],
            "spacing": 0.66,
            "fullness": 0.8,
            "variation": _differ((0.6, 1.35), (0.9, 1.4), 9, 0.5, 0.02, 22),
            "tints": ["#c6d0a6", "#e2d8b8"],
            "conditions": [
                _and("altitude", 353, 480, 0.8),
                _and("slope", 0, 27, 0, 8),
                _and("mask", 0.35, 1, 0.3, mask="Grazing", density=False, size=0.5),
            ],
            "distances": _seen([15], 15, 62, 8, 0),
        },
    },
    {
        "slug": "moss",
        "name": "Block moss",
        "stratum": "Moss",
        "settings": {
            "mix": [
                {"item": "moss-cushion", "weight": 4},
                {"item": "heather", "weight": 0.5, "size": [0.4, 0.7]},
            ],
            "spacing": 1,
            "fullness": 0.55,
            "variation": _differ((0.7, 1.5), (0.8, 1.5), 6, 1, 0.02, 10),
            "tints": ["#a6b070", "#c4be80"],
            "layout": {"kind": "anchors", "host": "slate-blocks"},
            "conditions": [_and("facing", 0, 120, 0, 50, centre=0)],
            "clear_of": [],
            "distances": _seen([10], 10, 60, 6, 0),
        },
    },
]

STANDS = [*STONE, *TREES, *LOW]
"""In the order in which they claim room."""

BY_HAND = {
    "sleeper-stacks": [
        {"x": 631.5, "z": 634.0, "turn": 74},
        {"x": 634.6, "z": 632.6, "turn": 20},
        {"x": 664.0, "z": 652.0, "turn": 112},
    ],
    "birch": [
        {"x": 652.6, "z": 652.5, "height": 0.9, "width": 0.85},
        {"x": 522.0, "z": 602.0, "height": 1.2, "width": 1.15},
    ],
    "hawthorn": [{"x": 604.0, "z": 640.0, "turn": 250, "height": 1.1, "width": 1.25}],
}
"""Plants set by hand, by stand."""


def grazing(side: int = 256) -> np.ndarray:
    """A mask image uint8 (side, side): dark where sheep keep the grass short."""
    z, x = np.mgrid[0:side, 0:side] * (1024 / side)
    noise = fractal_noise(83, x.ravel(), z.ravel(), 170.0, 3).reshape(side, side)
    return np.rint(255 * (0.5 + 0.5 * np.clip(noise * 2.4 + 0.1, -1, 1))).astype(np.uint8)
