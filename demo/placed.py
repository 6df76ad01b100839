"""What lies about in Hobbin Delph and is grown over on all sides: an erratic boulder, the engine house's
ruined walls, and a spoil wagon on its side; their meshes, places and stands."""

from __future__ import annotations

from functools import cache

import numpy as np
import trimesh

from demo import foliage, textures
from demo.ground import ENGINE_HOUSE
from demo.shapes import Builder
from demo.stands import _and, _differ, _seen
from thicket.document.surface_settings import PlacedMesh
from thicket.formats.stock import Material, Part, StockModel
from thicket.ground.heights import Ground

STOCK = {
    "erratic": ("Erratic boulder", 6.3, 4.9, 4.4),
    "ruined-walls": ("Ruined walls", 5.4, 8.5, 8.4),
    "spoil-wagon": ("Spoil wagon", 1.9, 1.9, 1.6),
}
"""slug: name, height, crown radius, trunk radius, all in m."""


def _rough(at: np.ndarray) -> np.ndarray:
    """How far a boulder's surface lies out in a direction, as a share: flat breaks and dents."""
    rng = np.random.default_rng(91)
    out = np.full(len(at), 1.25)
    for _ in range(26):  # flat faces, as frost leaves them
        way = rng.normal(size=3)
        way /= np.linalg.norm(way)
        along = at @ way
        out = np.minimum(out, np.where(along > 0.15, rng.uniform(0.86, 1.06) / np.maximum(along, 0.15), 9.0))
    for wave in (2.1, 4.7, 9.5):
        phase = rng.uniform(0, 6.28, 3)
        out += 0.09 / wave * np.sin(at @ rng.normal(0, wave, (3, 3)) + phase).sum(axis=1)
    crack = np.exp(-(((at[:, 0] + 0.35 * at[:, 2] - 0.18) / 0.075) ** 2)) * (at[:, 1] > -0.1)
    return out - 0.28 * crack


def _boulder(cut: int) -> Part:
    ball = trimesh.creation.icosphere(cut, 1.0)
    at = ball.vertices * _rough(np.asarray(ball.vertices))[:, None] * (4.3, 3.3, 3.7)
    at[:, 1] += 2.7
    mesh = trimesh.Trimesh(at, ball.faces, process=False)
    stone = Builder(Material("gritstone", textures.slate()))
    uv = np.c_[np.arctan2(ball.vertices[:, 0], ball.vertices[:, 2]) / np.pi * 4, at[:, 1] * 0.6]
    stone.add(at, mesh.vertex_normals, uv, ball.faces)
    return stone.part()


def erratic() -> StockModel:
    """A boulder that the ice left, 9 m long, cracked on top; four LODs."""
    return StockModel("erratic", [[_boulder(cut)] for cut in (4, 3, 2, 1)])


def _wall(out: Builder, x0: float, z0: float, x1: float, z1: float, tops: tuple[float, ...]) -> None:
    """A wall 0.7 m thick from one corner to another, broken off at these heights along it; 0 for a gap."""
    a, b = np.array([x0, z0]), np.array([x1, z1])
    along = (b - a) / np.linalg.norm(b - a)
    across = np.array([-along[1], along[0]]) * 0.35
    for k, high in enumerate(tops):
        if high:
            p, q = a + (b - a) * k / len(tops), a + (b - a) * (k + 1) / len(tops)
            corners = np.array([p + across, p - across, q - across, q + across])
            out.slab(corners, -0.4, high, 1.0, tile=1.6)


def ruined_walls() -> StockModel:
    """What stands of the engine house: four walls 7 m by 14.4 m, broken off in steps, with a doorway and two
    windows; two LODs."""
    lods = []
    for step in (1, 2):
        stone = Builder(Material("coursed slate", textures.slate()))
        walls = (
            (-3.5, -7.2, 3.5, -7.2, (4.6, 5.0, 5.4, 5.1, 4.2, 3.4)),
            (3.5, -7.2, 3.5, 7.2, (3.2, 2.9, 1.1, 1.1, 2.7, 2.4, 0.0, 0.0, 1.9, 1.5, 0.9, 0.6)),
            (3.5, 7.2, -3.5, 7.2, (0.6, 0.8, 1.6, 2.2, 2.0, 2.9)),
            (-3.5, 7.2, -3.5, -7.2, (3.1, 3.6, 3.8, 1.2, 1.2, 4.0, 4.1, 3.9, 1.3, 3.6, 4.4, 4.6)),
        )
        for *corners, tops in walls:
            _wall(stone, *corners, tops[::step])
        lods.append([stone.part()])
    return StockModel("ruined-walls", lods)


def _turned(part: Part, turn: np.ndarray, at: tuple[float, float, float]) -> Part:
    place, normal = (np.asarray(v, float) @ turn.T for v in (part.position, part.normal))
    return Part(
        part.material, (place + at).astype(np.float32), normal.astype(np.float32), part.uv, part.index
    )


def spoil_wagon() -> StockModel:
    """A tramway wagon for spoil, 2.6 m long: an open box of planks on four iron wheels; two LODs."""
    timber, iron = Material("timber", foliage.old_timber()), Material("iron", textures.dark_bark())
    lods = []
    for sides in (12, 6):
        box = Builder(timber)

        def plank(x0: float, x1: float, z0: float, z1: float, low: float, high: float, box=box) -> None:
            box.slab(np.array([(x0, z0), (x1, z0), (x1, z1), (x0, z1)]), low, high, 1.0, tile=1.1)

        plank(-1.3, 1.3, -0.75, 0.75, 0.62, 0.72)
        for z in (-0.75, 0.68):
            plank(-1.3, 1.3, z, z + 0.07, 0.72, 1.45)
        for x in (-1.3, 1.23):
            plank(x, x + 0.07, -0.68, 0.68, 0.72, 1.45)
        for x in (-1.1, 0.95):
            plank(x, x + 0.15, -0.7, 0.7, 0.45, 0.62)
        ring = np.arange(sides) * 2 * np.pi / sides
        wheel = Builder(iron)
        wheel.slab(np.c_[np.cos(ring), np.sin(ring)] * 0.36, -0.05, 0.05, 1.0, tile=0.8)
        upright = np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]], float)
        wheels = [_turned(wheel.part(), upright, (x, 0.36, z)) for x in (-0.8, 0.8) for z in (-0.58, 0.58)]
        lods.append([box.part(), *wheels])
    return StockModel("spoil-wagon", lods)


MODELS = {
    slug: cache(make)
    for slug, make in {"erratic": erratic, "ruined-walls": ruined_walls, "spoil-wagon": spoil_wagon}.items()
}
"""What makes each item, by slug; each is made once."""
BOULDER = (187.5, 440.0)
WAGON = (566.0, 652.5)


def surfaces(ground: Ground) -> list[PlacedMesh]:
    """Where they lie."""

    def on(x: float, z: float, above: float) -> tuple[float, float, float]:
        return x, round(float(ground.height_at(np.array([x]), np.array([z]))[0]) + above, 2), z

    x, z = ENGINE_HOUSE
    return [
        PlacedMesh(name="Erratic boulder", item="erratic", at=on(*BOULDER, -0.7), turn=35, roll=6),
        PlacedMesh(
            name="Engine house walls", item="ruined-walls", at=on(x, z - 1, 0.0), turn=72, blocks=False
        ),
        PlacedMesh(name="Spoil wagon", item="spoil-wagon", at=on(*WAGON, 0.72), turn=106, roll=86, shadow=40),
    ]


def _stand(slug: str, name: str, stratum: str, on: str, item: str, **settings) -> dict:
    given = {
        "mix": [{"item": item, "weight": 1}],
        "on": [on],
        "clear_of": [],
        "conditions": [],
        **settings,
    }
    return {"slug": slug, "name": name, "stratum": stratum, "settings": given}


STANDS = [
    _stand(
        *("boulder-rowan", "Rowan in the crack", "Understorey", "Erratic boulder", "rowan"),
        spacing=6,
        fullness=0.0,
        variation=_differ((0.5, 0.7), follow=0.1),
        distances=_seen([22, 60], 100, 420, 20, 50),
    ),
    _stand(
        *("boulder-ferns", "Boulder ferns", "Field", "Erratic boulder", "bracken"),
        spacing=0.7,
        fullness=0.7,
        variation=_differ((0.35, 0.65), follow=0.55, sink=0.03, lean=10),
        tints=["#a7b36a", "#c9b765"],
        conditions=[
            _and("slope", 0, 80, 0, 15),
            _and("noise", 0.48, 1, 0.12, noise={"wavelength": 3, "octaves": 2, "seed": 6}),
        ],
        under=["Understorey"],
        distances=_seen([12], 12, 70, 8, 0),
    ),
    _stand(
        *("boulder-moss", "Boulder moss", "Moss", "Erratic boulder", "moss-cushion"),
        spacing=0.42,
        fullness=0.75,
        variation=_differ((0.6, 1.5), (0.8, 1.5), 5, 1, 0.03, 4),
        tints=["#94a35c", "#c4be80"],
        conditions=[
            _and("slope", 0, 115, 0, 25),
            _and("toward", 0, 110, 0, 30, toward=[20, 35]),
        ],
        under=["Understorey", "Field"],
        distances=_seen([10], 10, 90, 6, 0),
    ),
    _stand(
        *("wall-grass", "Grass on the walls", "Field", "Engine house walls", "moor-grass"),
        spacing=0.3,
        fullness=0.85,
        variation=_differ((0.5, 1.0), follow=0.3, sink=0.02),
        tints=["#c6d0a6", "#e2d8b8"],
        conditions=[_and("slope", 0, 30, 0, 10), _and("mesh", 1.5, 1e5, 0.5)],
        distances=_seen([12], 12, 80, 8, 0),
    ),
    _stand(
        *("wagon-moss", "Wagon moss", "Moss", "Spoil wagon", "moss-cushion"),
        spacing=0.24,
        fullness=0.6,
        variation=_differ((0.35, 0.8), (0.8, 1.5), 5, 1, 0.02, 3),
        tints=["#94a35c", "#c4be80"],
        conditions=[_and("slope", 0, 80, 0, 15)],
        distances=_seen([8], 8, 50, 5, 0),
    ),
]
CRACK = (0.75, 5.6, 0.4)
"""Where on the boulder, in its own space, a rowan has taken root."""
