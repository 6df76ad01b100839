"""A small level as a value, drawn by chance, for tests of the planted core: hills, birch, blocks, companions,
a sward."""

import io
import random
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase

from demo.stock import MODELS
from thicket.__main__ import main
from thicket.document.drawing import tiers_for
from thicket.document.edits import ChangeSettings
from thicket.document.level import Item, Level, Stand
from thicket.document.rasters import Heights, LayerMaps, Mask
from thicket.document.settings import StandSettings
from thicket.document.touch import TouchMap
from thicket.formats.stock import read_anchors, to_glb
from thicket.ground.shapes import Shape, Trail
from thicket.planted.brushing import Brush
from thicket.planting.pins import Pins, Uprooted

SIDE = 256
KINDS = {
    "altitude": (352, 395, 12),
    "slope": (0, 24, 9),
    "facing": (0, 90, 40),
    "hollow": (-3, 2, 1.5),
    "wetness": (4, 9, 2),
    "layer": (0.3, 1, 0.2),
    "noise": (0.45, 2, 0.2),
    "path": (0, 60, 20),
    "area": (-5, 30, 10),
    "obstacle": (4, 90, 6),
    "flat": (0, 0.6, 0.4),
    "mask": (0.2, 1, 0.3),
}
MARKS = {"triangles": 1e9, "draw_calls": 1e5, "shadow_triangles": 1e9, "memory": 1e10, "ms": 1e4}
STRATA = ("Stone", "Canopy", "Understorey", "Shrub", "Field", "Moss")


def item(slug: str, crown: float, trunk: float) -> Item:
    glb = to_glb(MODELS[slug]())
    return Item(slug, slug.title(), 4.0, crown, trunk, read_anchors(slug, glb), glb)


class InFolder(SimpleTestCase):
    """Tests with a place on disk, and the shell's commands."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "level"

    def ask(self, *arguments):
        """What a command of the core ends with, and says on standard output and on standard error."""
        out, told = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(told):
            code = main([str(a) for a in arguments])
        return code, out.getvalue(), told.getvalue()


def painted(level, slug, stroke):
    """A planted level after a stroke on a stand."""
    return level.after(Brush(stroke).painting(level, [level[slug].stand.number])).after


def tuned(level, slug, settings):
    """A planted level after a change of a stand's settings."""
    return level.after(ChangeSettings(put={level[slug].stand.number: dict(settings)})).after


def condition(rng, above):
    """A site condition drawn by chance, which may measure to one of the stands above, by number."""
    kind = rng.choice([*KINDS, *(["stand", "painting"] if above else [])])
    said = {
        "kind": kind,
        "join": rng.choice(["and", "and", "or", "except"]),
        "radius": rng.choice([6, 20]),
        "layers": ["turf"],
        "mask": "Grazing",
        "noise": {"wavelength": rng.choice([18, 70]), "seed": rng.randrange(99)},
    }
    if kind == "stand":
        return said | {"lo": 1, "hi": rng.choice([8, 14]), "soft_hi": 5, "stand": rng.choice(above)}
    if kind == "painting":
        return said | {"lo": -0.2, "hi": 1, "soft_lo": 0.3, "stand": rng.choice(above)}
    lo, hi, soft = KINDS[kind]
    return (
        said
        | {"lo": lo, "hi": hi, "soft_lo": soft, "soft_hi": soft}
        | ({"size": 0.6} if rng.random() < 0.3 else {})
    )


def stand(rng, number: int, stratum: str, above: list[int]) -> Stand:
    """A stand drawn by chance."""
    kinds = [
        "free",
        "free",
        "free",
        "path",
        "rows",
        *(["anchors"] if above and stratum in STRATA[3:] else []),
    ]
    layout = {
        "kind": rng.choice(kinds),
        "every": rng.choice([3, 5]),
        "apart": 6,
        "side": rng.choice(["on", "both"]),
        "offset": 2,
        "jitter": rng.choice([0, 0.8]),
        "around": rng.choice([0, 5]),
    }
    layout |= {"host": rng.choice(above)} if layout["kind"] == "anchors" else {}
    mix = [
        {"item": slug, "weight": rng.choice([1, 2])}
        for slug in rng.sample(["birch", "slate-block"], rng.choice([1, 2]))
    ]
    settings = {
        "mix": mix,
        "spacing": rng.choice([3.1, 4.6, 7]),
        "fullness": rng.choice([0.35, 0.8, 1]),
        "layout": layout,
        "variation": {
            "size": [0.5, 1.4],
            "lean": rng.choice([0, 8]),
            "follow": rng.choice([0, 1]),
            "sink": 0.1,
            "patch": 30,
        },
        "conditions": [condition(rng, above) for _ in range(rng.randrange(3))],
        "gap": rng.choice([0, 0, 1.2]),
        "under": rng.choice([[], ["Canopy"], ["Canopy", "Understorey"]]),
        "distances": {"steps": [30], "billboard": 60, "gone": 300, "fade": 8, "shadow": 40},
    }
    return Stand(
        number,
        f"drawn-{number}",
        f"Drawn {number}",
        stratum,
        number,
        False,
        rng.randrange(2**31),
        StandSettings.model_validate(settings),
    )


def plain_stand(number: int, stratum: str, spacing: float) -> Stand:
    """A stand of birches thrown freely everywhere."""
    settings = {
        "mix": [{"item": "birch", "weight": 1}],
        "spacing": spacing,
        "fullness": 0.5,
        "distances": {"steps": [30], "billboard": 60, "gone": 150, "fade": 8, "shadow": 40},
    }
    made = StandSettings.model_validate(settings)
    return Stand(number, f"plain-{number}", f"Plain {number}", stratum, number, False, number, made)


def drawn_level(seed: int, singles: int = 4, side: int = SIDE) -> Level:
    """A level drawn by chance: stands from the upper strata down, a sward, shapes, painting, a pin and an
    uprooted place."""
    rng, noise = random.Random(seed), np.random.default_rng(seed)
    z, x = np.mgrid[0 : side + 1, 0 : side + 1].astype(float)
    heights = (370 + 14 * np.sin(x / 41 + seed) + 9 * np.cos(z / 29)).astype(np.float32)
    strata = sorted(rng.choices(STRATA, k=singles), key=STRATA.index)
    stands = {
        n: stand(rng, n, stratum, [m for m in range(1, n) if strata[m - 1] != stratum])
        for n, stratum in enumerate(strata, start=1)
    }
    grass = {
        "mix": [{"item": "moor-grass", "weight": 1}],
        "spacing": 1.1,
        "fullness": 0.6,
        "distances": {"steps": [18], "billboard": 18, "gone": 70, "fade": 8, "shadow": 0},
    }
    stands[9] = Stand(9, "grass", "Grass", "Field", 90, True, 5, StandSettings.model_validate(grass))
    layers = LayerMaps.of(
        ["turf", "scree"], np.stack([np.full((side, side), v, np.uint8) for v in (200, 55)], axis=-1)
    )
    shapes = {
        3: Shape(
            "path",
            ((20.0, 30.0), (130.0, 90.0), (240.0, 200.0)),
            4.0,
            1.0,
            "Track",
            Trail(5.0, 30.0, 0.3, ("Field", "Shrub")),
        ),
        7: Shape("area", ((150.0, 30.0), (220.0, 40.0), (200.0, 110.0), (160.0, 100.0)), 0.0, None, "Glade"),
        8: Shape("obstacle", ((50.0, 180.0), (70.0, 180.0), (70.0, 200.0), (50.0, 200.0)), 0.0, 2.0, "Shed"),
    }
    painted = np.zeros((side, side), np.int16)
    painted[40:120, 60:160] = noise.integers(-200, 200, (80, 100))
    stock = [item("birch", 2.3, 0.16), item("slate-block", 0.9, 0.9), item("moor-grass", 0.3, 0.02)]
    rest = np.array([[0, 0, 0, 1, 1.2, 1.1, 0.5]], np.float32)
    pins = Pins(
        np.array([7], np.uint64),
        np.array([100.25]),
        np.array([60.5]),
        np.zeros(1, np.float32),
        rest,
        ("birch",),
        np.empty(0, np.uint64),
        np.empty((0, 2)),
        (Uprooted(((200.0, 60.0), (215.0, 70.0)), 9.0),),
        np.zeros(1, np.int64),
    )
    return Level(
        f"drawn-{seed}",
        f"Drawn {seed}",
        seed,
        Heights.of(heights, 1.0),
        layers,
        {"Grazing": Mask.of(noise.integers(0, 255, (64, 64)).astype(np.uint8))},
        shapes,
        {i.slug: i for i in stock},
        stands,
        1.0,
        {1: TouchMap.of(painted)},
        {2: pins},
        {
            "view": {
                "bookmarks": [
                    {"name": "Rim", "x": 128, "y": 400, "z": 250, "heading": 0, "pitch": -10, "fov": 55}
                ],
                "tiers": tiers_for(MARKS),
            }
        },
    )
