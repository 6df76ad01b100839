"""A small level for tests: 256 m square, a wave of hills, birch, slate blocks and a sward."""

from functools import cache

import numpy as np
from django.contrib.auth.models import User

from demo.level import STANDS, STOCK
from demo.stock import MODELS
from server.levels.ground import store
from server.levels.models import Level, Membership
from server.stands.models import Stand
from server.stands.schemas import StandSettings
from server.stock.models import StockItem
from thicket.formats.stock import read_anchors, to_glb

PASSWORD = "slate-and-birch"
MARKS = {"triangles": 1e5, "draw_calls": 300, "shadow_triangles": 3e4, "memory": 1e7, "ms": 3}


@cache
def glb(slug: str) -> bytes:
    return to_glb(MODELS[slug]())


def small_level(slug: str = "test-moor") -> Level:
    """Make the level with users lead, north, south (artists) and guest."""
    z, x = np.mgrid[0:257, 0:257].astype(float)
    heights = (370 + 14 * np.sin(x / 41) + 9 * np.cos(z / 29)).astype(np.float32)
    level = Level.objects.create(slug=slug, name="Test Moor", seed=3, cell=1.0, rows=256, columns=256,
                                 low=float(heights.min()), high=float(heights.max()), marks=MARKS,
                                 sun={"bearing": 200, "elevation": 40}, layers=[{"name": "turf", "colour": "#8d9460"}])
    store(level, "heights", heights, 1)
    store(level, "layers", np.full((256, 256, 1), 255, np.uint8), 1)
    for item in STOCK:
        name, height, crown, trunk = STOCK[item]
        StockItem.objects.create(level=level, slug=item, name=name, height=height, crown=crown, trunk=trunk,
                                 glb=glb(item), anchors=read_anchors(item, glb(item)), silhouette=b"")
    for number, spec in enumerate(STANDS, start=1):
        settings = StandSettings.model_validate(spec["settings"]).model_dump(mode="json")
        Stand.objects.create(level=level, number=number, seed=100 + number, **{**spec, "settings": settings})
    for name, role in (("lead", "lead"), ("north", "artist"), ("south", "artist"), ("guest", "viewer")):
        user = User.objects.create_user(name, password=PASSWORD)
        Membership.objects.create(user=user, level=level, role=role)
    return level
