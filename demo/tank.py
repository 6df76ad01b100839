"""Tarrow Tank, the second demo level: a toppled water tower in a hollow, its round steel tank grown over on
all sides, by code."""

from __future__ import annotations

import numpy as np

from demo.level import STOCK, tiers
from demo.shelf import starter
from demo.stands import _and, _differ, _seen
from thicket.document.atmosphere import Atmosphere, FogSettings, Sun
from thicket.document.level import Item, Level, Stand
from thicket.document.rasters import Heights, LayerMaps
from thicket.document.settings import StandSettings
from thicket.document.surface_settings import MadeMesh, PlacedMesh
from thicket.document.views import SavedView
from thicket.ground.heights import Ground
from thicket.ground.noise import fractal_noise
from thicket.ground.relief import slope_and_aspect, to_cells
from thicket.planting.hashing import seed_of

SLUG, NAME, SEED = "tarrow-tank", "Tarrow Tank", 1871
SIDE, CELL = 128.0, 0.5
MIDDLE = 64.0
LAYERS = {"turf": ("#8d9460", "turf"), "mud": ("#7d6a52", "soil"), "gravel": ("#a39a8b", "rock")}
"""Colour and look of each ground layer."""
ITEMS = ("birch", "rowan", "gorse", "heather", "bracken", "moor-grass", "moss-cushion", "slate-slab")


def _noise(seed: int, x: np.ndarray, z: np.ndarray, wave: float, octaves: int = 3) -> np.ndarray:
    return fractal_noise(seed, x.ravel(), z.ravel(), wave, octaves).reshape(x.shape).astype(float)


def heights() -> np.ndarray:
    """The hollow: float32 at the vertices, in m."""
    side = np.arange(round(SIDE / CELL) + 1) * CELL
    x, z = np.meshgrid(side, side)
    far = np.hypot((x - MIDDLE) * 0.86, z - MIDDLE) + 5 * _noise(3, x, z, 40)
    t = np.clip((far - 11) / 34, 0, 1)
    hollow = 206 + 8.5 * t * t * (3 - 2 * t)
    return (hollow + 1.1 * _noise(4, x, z, 26) + 0.18 * _noise(5, x, z, 3.5)).astype(np.float32)


def layers(ground: Ground) -> LayerMaps:
    """Mud at the bottom, gravel where it is steep or by patches, turf elsewhere."""
    height = to_cells(ground.heights)
    slope = to_cells(slope_and_aspect(ground.heights, CELL)[0])
    side = (np.arange(len(height)) + 0.5) * CELL
    x, z = np.meshgrid(side, side)
    mud = np.clip((207.4 - height) / 0.8 + _noise(6, x, z, 9), 0, 1)
    gravel = np.clip((slope - 20) / 9 + 0.8 * _noise(7, x, z, 14) - 0.2, 0, 1) * (1 - mud)
    parts = np.stack([1 - mud - gravel, mud, gravel], axis=-1)
    return LayerMaps.of(list(LAYERS), np.rint(255 * np.clip(parts, 0, 1)).astype(np.uint8))


def _made(form, size, divisions: int = 16) -> MadeMesh:
    return MadeMesh(form=form, size=size, divisions=divisions)


def surfaces(ground: Ground) -> dict[int, PlacedMesh]:
    """The tank on its side, its broken legs, pipes and stair."""

    def on(x: float, z: float, above: float) -> tuple[float, float, float]:
        low = float(ground.height_at(np.array([x]), np.array([z]))[0])
        return x, round(low + above, 2), z

    tank = PlacedMesh(
        name="Round tank",
        group="tank",
        made=_made("capsule", (13, 24, 13), 28),
        at=on(64, 63, 5.4),
        turn=150,
        pitch=86,
    )
    rim = {"group": "tank", "turn": 150.0, "pitch": 86.0}
    out = [
        tank,
        PlacedMesh(
            name="Hoop",
            made=_made("cylinder", (13.5, 0.5, 13.5), 20),
            at=(61.8, tank.at[1] + 0.3, 59.1),
            **rim,
        ),
        PlacedMesh(
            name="Far hoop",
            made=_made("cylinder", (13.5, 0.5, 13.5), 20),
            at=(66.2, tank.at[1] - 0.3, 66.9),
            **rim,
        ),
    ]
    pipes = ((47, 74, 9.0, 20, 90), (52, 80, 14.0, 105, 84), (80, 52, 7.0, 150, 88), (84, 66, 11.0, 340, 78))
    for k, (x, z, length, turn, pitch) in enumerate(pipes, start=1):
        out.append(
            PlacedMesh(
                name=f"Pipe {k}",
                group="pipes",
                made=_made("cylinder", (1.1, length, 1.1), 10),
                at=on(x, z, 0.3),
                turn=turn,
                pitch=pitch,
            )
        )
    for k in range(4):
        out.append(
            PlacedMesh(
                name=f"Leg {k + 1}",
                group="legs",
                made=_made("block", (0.5, 8.5, 0.5), 4),
                at=on(73 + 3.1 * k, 74 - 4.5 * k, 0.5 + 0.5 * (k % 2)),
                turn=35 + 23 * k,
                pitch=80 - 9 * k,
            )
        )
    for k in range(7):
        out.append(
            PlacedMesh(
                name=f"Step {k + 1}",
                group="stair",
                made=_made("block", (2.2, 0.18, 0.75), 4),
                at=on(50.5 + 0.62 * k, 56.4 - 0.3 * k, 0.35 + 0.52 * k),
                turn=64 + 3 * (k % 2),
                roll=7 if k < 4 else 16,
            )
        )
    return dict(enumerate(out, start=1))


STANDS = (
    {
        "slug": "rubble",
        "name": "Rubble",
        "stratum": "Stone",
        "mix": [{"item": "slate-slab", "weight": 1}],
        "spacing": 3,
        "fullness": 0.35,
        "variation": _differ((0.4, 1.3), (0.8, 1.3), 10, 1, 0.1, 20),
        "conditions": [_and("layer", 0.4, 1, 0.3, layers=["gravel", "mud"])],
        "distances": _seen([25], 40, 140, 8, 40),
    },
    {
        "slug": "birch",
        "name": "Birch",
        "stratum": "Canopy",
        "mix": [{"item": "birch", "weight": 4}, {"item": "rowan", "weight": 1}],
        "spacing": 5,
        "fullness": 0.5,
        "variation": _differ((0.5, 1.1), (0.85, 1.2), 4, 0.1, 0.05, 30),
        "tints": ["#c3d29a", "#e0d58e"],
        "conditions": [
            _and("altitude", 209.5, 240, 1.5),
            _and("noise", 0.45, 1, 0.2, noise={"wavelength": 30}),
        ],
        "distances": _seen([30], 60, 320, 10, 60),
    },
    {
        "slug": "saplings",
        "name": "Saplings on top",
        "stratum": "Understorey",
        "mix": [{"item": "birch", "weight": 3}, {"item": "rowan", "weight": 1, "size": [0.2, 0.34]}],
        "on": ["tank"],
        "spacing": 2.1,
        "fullness": 0.7,
        "variation": _differ((0.14, 0.32), (0.9, 1.3), 9, 0.15, 0.05, 9),
        "tints": ["#c9d992", "#e5d98a"],
        "conditions": [_and("slope", 0, 30, 0, 12), _and("noise", 0.42, 1, 0.15, noise={"wavelength": 7})],
        "distances": _seen([18], 40, 200, 8, 50),
    },
    {
        "slug": "gorse",
        "name": "Gorse",
        "stratum": "Shrub",
        "mix": [{"item": "gorse", "weight": 1}],
        "spacing": 2.4,
        "fullness": 0.4,
        "variation": _differ((0.5, 1.2), (0.8, 1.3), 6, 0.3, 0.05, 18),
        "conditions": [
            _and("altitude", 209, 240, 1.5),
            _and("noise", 0.52, 1, 0.15, noise={"wavelength": 18, "seed": 5}),
        ],
        "distances": _seen([14], 30, 150, 8, 30),
    },
    {
        "slug": "flank-ferns",
        "name": "Ferns at the flanks",
        "stratum": "Field",
        "mix": [{"item": "bracken", "weight": 1}],
        "on": ["tank", "pipes"],
        "spacing": 0.75,
        "fullness": 0.75,
        "variation": _differ((0.35, 0.8), (0.9, 1.3), 14, 0.45, 0.02, 6),
        "tints": ["#aac279", "#d9cf86"],
        "conditions": [
            _and("slope", 42, 104, 12, 14),
            _and("noise", 0.46, 1, 0.1, noise={"wavelength": 5, "seed": 8}),
            _and("altitude", 206, 217, 1, 1.5),
        ],
        "distances": _seen([10], 22, 120, 6, 22),
    },
    {
        "slug": "top-heather",
        "name": "Heather on top",
        "stratum": "Field",
        "mix": [{"item": "heather", "weight": 4}, {"item": "moor-grass", "weight": 2, "size": [0.5, 0.9]}],
        "on": ["tank", "pipes"],
        "spacing": 0.42,
        "fullness": 0.85,
        "variation": _differ((0.6, 1.3), (0.9, 1.4), 8, 0.6, 0.02, 5),
        "tints": ["#b9b07c", "#c98fb0"],
        "conditions": [
            _and("slope", 0, 44, 0, 14),
            _and("noise", 0.34, 1, 0.14, noise={"wavelength": 4, "seed": 3}),
        ],
        "distances": _seen([9], 20, 110, 6, 18),
    },
    {
        "slug": "bracken",
        "name": "Bracken",
        "stratum": "Field",
        "mix": [{"item": "bracken", "weight": 1}],
        "spacing": 1.1,
        "fullness": 0.6,
        "variation": _differ((0.5, 1.1), (0.9, 1.3), 8, 0.3, 0.02, 12),
        "tints": ["#aac279", "#d9cf86"],
        "conditions": [
            _and("altitude", 206.8, 213, 0.6, 1.5),
            _and("noise", 0.48, 1, 0.16, noise={"wavelength": 12, "seed": 11}),
        ],
        "distances": _seen([11], 24, 120, 6, 20),
    },
    {
        "slug": "grass",
        "name": "Moor-grass",
        "stratum": "Field",
        "sward": True,
        "mix": [{"item": "moor-grass", "weight": 1}],
        "spacing": 0.5,
        "fullness": 0.6,
        "variation": _differ((0.5, 1.1), (0.9, 1.4), 9, 0.5, 0.02, 14),
        "tints": ["#c6d0a6", "#e2d8b8"],
        "conditions": [_and("layer", 0.35, 1, 0.3, layers=["turf"])],
        "distances": _seen([14], 14, 55, 8, 0),
    },
    {
        "slug": "under-moss",
        "name": "Moss underneath",
        "stratum": "Moss",
        "mix": [{"item": "moss-cushion", "weight": 1}],
        "on": ["tank", "pipes", "legs", "stair"],
        "spacing": 0.36,
        "fullness": 0.9,
        "variation": _differ((0.7, 1.7), (0.9, 1.6), 5, 1, 0, 5),
        "tints": ["#8fa35c", "#c0bf6a"],
        "conditions": [
            _and("slope", 100, 180, 16),
            _and("noise", 0.5, 1, 0.12, join="or", noise={"wavelength": 6, "seed": 21}),
            _and("altitude", 200, 214.5, 0, 2.5),
        ],
        "distances": _seen([8], 8, 70, 6, 0),
    },
)


def _item(slug: str) -> Item:
    made, (name, *_) = starter(slug), STOCK[slug]
    return Item(
        slug,
        name,
        made.height,
        made.crown,
        made.trunk,
        made.anchors,
        made.glb,
        made.traits,
        made.distances,
        made.silhouette,
    )


def _stand(number: int, given: dict) -> Stand:
    own = ("slug", "name", "stratum", "sward")
    settings = StandSettings.model_validate({k: v for k, v in given.items() if k not in own})
    sward, seed = given.get("sward", False), seed_of(SEED, given["slug"])
    return Stand(number, given["slug"], given["name"], given["stratum"], number, sward, seed, settings)


def level() -> Level:
    """The level as a value."""
    ground = Ground(heights(), CELL)

    def view(name: str, x: float, z: float, above: float, heading: float, pitch: float, fov: float) -> dict:
        y = float(ground.height_at(np.array([x]), np.array([z]))[0]) + above
        return SavedView(
            name=name, x=x, y=round(y, 2), z=z, heading=heading, pitch=pitch, fov=fov
        ).model_dump(mode="json")

    sky = Atmosphere(
        sun=Sun(bearing=215, elevation=41), fog=FogSettings(density=0.0015, thinning=60, level=206)
    )
    details = {
        "view": {
            "layers": [
                {"name": name, "colour": colour, "look": look} for name, (colour, look) in LAYERS.items()
            ],
            "atmosphere": sky.model_dump(mode="json"),
            "bookmarks": [
                view("From the rim", 40, 88, 3.2, 46, -9, 52),
                view("Under the belly", 50.5, 70.5, 1.4, 58, 8, 62),
                view("By the stair", 45, 55, 1.7, 78, 6, 58),
            ],
            "tiers": tiers(),
        }
    }
    return Level(
        SLUG,
        NAME,
        SEED,
        Heights.of(ground.heights, CELL),
        layers(ground),
        stock={slug: _item(slug) for slug in ITEMS},
        stands={number: _stand(number, given) for number, given in enumerate(STANDS, start=1)},
        touch_cell=CELL,
        details=details,
        surfaces=surfaces(ground),
    )
