"""A small level for tests: 256 m square, a wave of hills, birch, slate blocks and a sward."""

from functools import cache

import numpy as np
from django.contrib.auth.models import User

from demo.level import STOCK
from demo.stock import MODELS
from server.levels.ground import store
from server.levels.models import Level, Membership
from server.levels.rasters import whole
from server.stands.models import Stand
from server.stock.models import StockItem
from thicket.document.drawing import tiers_for
from thicket.document.settings import StandSettings
from thicket.formats.stock import read_anchors, to_glb

PASSWORD = "slate-and-birch"
MARKS = {"triangles": 1e5, "draw_calls": 300, "shadow_triangles": 3e4, "memory": 1e7, "ms": 3}

ITEMS = ("birch", "slate-block", "moor-grass")
STANDS = [
    {
        "slug": "slate-blocks",
        "name": "Slate blocks",
        "stratum": "Stone",
        "sward": False,
        "settings": {
            "mix": [{"item": "slate-block", "weight": 1}],
            "spacing": 4.2,
            "fullness": 0.5,
            "variation": {
                "size": [0.45, 1.9],
                "width": [0.8, 1.25],
                "turn": [0, 360],
                "lean": 9,
                "follow": 1,
                "sink": 0.12,
                "patch": 30,
            },
            "tints": ["#8f98a6", "#c4b7a4"],
            "conditions": [
                {"kind": "altitude", "lo": 353, "hi": 424, "soft_lo": 1.5, "soft_hi": 6, "join": "and"},
                {"kind": "slope", "lo": 15, "hi": 36, "soft_lo": 6, "soft_hi": 5, "join": "and"},
            ],
            "distances": {"steps": [45], "billboard": 45, "gone": 320, "fade": 14, "shadow": 60},
        },
    },
    {
        "slug": "birch",
        "name": "Birch",
        "stratum": "Canopy",
        "sward": False,
        "settings": {
            "mix": [{"item": "birch", "weight": 1}],
            "spacing": 4.6,
            "fullness": 0.75,
            "variation": {
                "size": [0.45, 1.15],
                "width": [0.85, 1.2],
                "turn": [0, 360],
                "lean": 4,
                "follow": 0.08,
                "sink": 0.05,
                "patch": 60,
            },
            "tints": ["#b4c29a", "#cfc08a"],
            "conditions": [
                {"kind": "altitude", "lo": 354, "hi": 404, "soft_lo": 2, "soft_hi": 14, "join": "and"},
                {"kind": "slope", "lo": 0, "hi": 26, "soft_lo": 0, "soft_hi": 9, "join": "and"},
            ],
            "distances": {"steps": [26, 62], "billboard": 120, "gone": 900, "fade": 12, "shadow": 70},
        },
    },
    {
        "slug": "moor-grass",
        "name": "Moor-grass",
        "stratum": "Field",
        "sward": True,
        "settings": {
            "mix": [{"item": "moor-grass", "weight": 1}],
            "spacing": 0.62,
            "fullness": 0.9,
            "variation": {
                "size": [0.6, 1.35],
                "width": [0.9, 1.4],
                "turn": [0, 360],
                "lean": 9,
                "follow": 0.5,
                "sink": 0.02,
                "patch": 22,
            },
            "tints": ["#c6d0a6", "#e2d8b8"],
            "conditions": [
                {"kind": "altitude", "lo": 353, "hi": 480, "soft_lo": 0.8, "soft_hi": 0, "join": "and"},
                {"kind": "slope", "lo": 0, "hi": 27, "soft_lo": 0, "soft_hi": 8, "join": "and"},
            ],
            "distances": {"steps": [18], "billboard": 18, "gone": 70, "fade": 8, "shadow": 0},
        },
    },
]


@cache
def glb(slug: str) -> bytes:
    return to_glb(MODELS[slug]())


def small_level(slug: str = "test-moor") -> Level:
    """Make the level with users lead, north, south (artists) and guest."""
    z, x = np.mgrid[0:257, 0:257].astype(float)
    heights = (370 + 14 * np.sin(x / 41) + 9 * np.cos(z / 29)).astype(np.float32)
    level = Level.objects.create(
        slug=slug,
        name=slug.replace("-", " ").title(),
        seed=3,
        cell=1.0,
        rows=256,
        columns=256,
        low=float(heights.min()),
        high=float(heights.max()),
        tiers=tiers_for(MARKS),
        atmosphere={"sun": {"bearing": 200, "elevation": 40}},
        layers=[{"name": "turf", "colour": "#8d9460"}],
    )
    store(level, "heights", heights, 1)
    store(level, "layers", np.full((256, 256, 1), 255, np.uint8), 1)
    for item in ITEMS:
        name, height, crown, trunk = STOCK[item]
        StockItem.objects.create(
            level=level,
            slug=item,
            name=name,
            height=height,
            crown=crown,
            trunk=trunk,
            glb=glb(item),
            anchors=read_anchors(item, glb(item)),
            silhouette=b"",
        )
    for number, spec in enumerate(STANDS, start=1):
        settings = StandSettings.model_validate(spec["settings"]).model_dump(mode="json")
        Stand.objects.create(level=level, number=number, seed=100 + number, **{**spec, "settings": settings})
    for name, role in (("lead", "lead"), ("north", "artist"), ("south", "artist"), ("guest", "viewer")):
        user = User.objects.filter(username=name).first() or User.objects.create_user(name, password=PASSWORD)
        Membership.objects.create(user=user, level=level, role=role)
    return level


def stored_touch(stand: Stand) -> np.ndarray:
    """What is painted of a stand, as its rows hold it: int16 over all touch cells."""
    level = Level.objects.get(pk=stand.level_id)
    return whole(stand.touch_tiles.values_list("tx", "tz", "data"), "<i2", level.touch_shape)
