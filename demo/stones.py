"""The demo's stones and timber as meshes: slate block and slab, sleepers and their stacks; and the moss on
them."""

from __future__ import annotations

import numpy as np

from demo import foliage, textures
from demo.shapes import Builder
from thicket.formats.stock import Material, StockModel


def slate_block() -> StockModel:
    """A split block of slate, about 1.6 m across: three broken layers near, one block afar; moss may sit on
    its steps."""
    rng = np.random.default_rng(31)
    stone = Material("slate", textures.slate())
    angles = np.sort((np.arange(7) + rng.uniform(-0.3, 0.3, 7)) * 2 * np.pi / 7)
    outline = np.c_[np.cos(angles) * 0.98, np.sin(angles) * 0.68] * rng.uniform(0.82, 1.08, (7, 1))
    near = Builder(stone)
    near.slab(outline, -0.25, 0.34, 0.97, (0.03, 0.02), 1.1)
    near.slab(outline * [0.90, 0.94] + [0.05, -0.03], 0.30, 0.62, 0.96, (0.06, -0.05), 1.1)
    cut = outline[[0, 1, 2, 4, 5, 6]] * [0.72, 0.74] + [-0.12, 0.05]
    near.slab(cut, 0.57, 0.86, 0.9, (-0.10, 0.09), 1.1)
    far = Builder(stone)
    far.slab(outline[[0, 1, 3, 4, 6]] * 1.0, -0.25, 0.78, 0.80, (0.04, 0.0), 1.1)
    step, edge = outline[3] * 0.6, outline[5] * 0.93
    anchors = {
        "top": ((-0.1, 0.85, 0.04), (0.1, 1, -0.1)),
        "step": ((step[0], 0.6, step[1]), (-0.05, 1, 0.05)),
        "ledge": ((edge[0], 0.33, edge[1]), (0.3 * edge[0], 1, 0.3 * edge[1])),
    }
    return StockModel("slate-block", [[near.part()], [far.part()]], anchors=anchors)


def slate_slab() -> StockModel:
    """A thin slab of slate lying on another, 1.7 m long; two LODs; one place for moss."""
    rng = np.random.default_rng(33)
    stone = Material("slate", textures.slate())
    angles = np.array([0.3, 1.2, 2.4, 3.5, 4.5, 5.6])
    outline = np.c_[np.cos(angles) * 0.86, np.sin(angles) * 0.55] * rng.uniform(0.85, 1.1, (6, 1))
    near, far = Builder(stone), Builder(stone)
    near.slab(outline, -0.12, 0.09, 0.98, (0.01, 0.0), 0.9)
    near.slab(outline[[0, 1, 2, 3, 5]] * [0.85, 0.9] + [0.1, 0.06], 0.07, 0.2, 0.97, (0.12, 0.05), 0.9)
    far.slab(outline[[0, 1, 3, 4]], -0.12, 0.16, 0.95, (0.05, 0.0), 0.9)
    return StockModel(
        "slate-slab", [[near.part()], [far.part()]], anchors={"top": ((-0.2, 0.14, 0.0), (0.0, 1, 0.05))}
    )


def _beam(
    timber: Builder, x: float, y: float, z: float, length: float, wide: float, high: float, turn: float
) -> None:
    c, s = np.cos(turn), np.sin(turn)
    corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * [length / 2, wide / 2]
    outline = np.c_[corners[:, 0] * c - corners[:, 1] * s + x, corners[:, 0] * s + corners[:, 1] * c + z]
    timber.slab(outline, y, y + high, 1.0, tile=1.3)


def sleeper() -> StockModel:
    """A tramway sleeper, 1.7 m long, lying along x; one LOD of 10 triangles."""
    timber = Builder(Material("timber", foliage.old_timber()))
    _beam(timber, 0, -0.08, 0, 1.7, 0.24, 0.16, 0.0)
    return StockModel("sleeper", [[timber.part()]])


def sleeper_stack() -> StockModel:
    """Old sleepers stacked crosswise, 0.7 m high; two LODs."""
    rng = np.random.default_rng(3)
    near, far = (Builder(Material("timber", foliage.old_timber())) for _ in range(2))
    for layer in range(4):
        turn = (layer % 2) * np.pi / 2
        for k in range(3 if layer < 3 else 2):
            off = (k - 1) * 0.62 + rng.uniform(-0.05, 0.05)
            x, z = (0.0, off) if layer % 2 == 0 else (off, 0.0)
            _beam(near, x, layer * 0.17 - 0.03, z, 1.7, 0.24, 0.165, turn + rng.uniform(-0.06, 0.06))
    _beam(far, 0, -0.03, 0, 1.6, 1.5, 0.6, 0.0)
    return StockModel("sleeper-stack", [[near.part()], [far.part()]])


def moss_cushion() -> StockModel:
    """A cushion of moss, 0.5 m across and 0.15 m high: a low dome; two LODs."""
    green = Material("moss", foliage.moss())
    lods = []
    for rings, sides in ((3, 9), (2, 5)):
        dome = Builder(green)
        place, normal, uv, faces = [(0.0, 0.15, 0.0)], [(0.0, 1.0, 0.0)], [(0.5, 0.5)], []
        for r in range(1, rings + 1):
            t = r / rings
            for k in range(sides):
                a = 2 * np.pi * k / sides
                wide = 0.25 * t * (1 + 0.16 * np.sin(3 * a + 1))
                place.append(
                    (wide * np.cos(a), 0.15 * np.sqrt(max(1 - t**2, 0)) - 0.03 * t, wide * np.sin(a))
                )
                n = np.array([np.cos(a) * t, 1.05 - t * 0.7, np.sin(a) * t])
                normal.append(tuple(n / np.linalg.norm(n)))
                uv.append((0.5 + 0.5 * t * np.cos(a), 0.5 + 0.5 * t * np.sin(a)))
        for k in range(sides):
            faces.append((0, 1 + (k + 1) % sides, 1 + k))
            for r in range(rings - 1):
                a, b = 1 + r * sides + k, 1 + r * sides + (k + 1) % sides
                faces += [(a, b, a + sides), (b, b + sides, a + sides)]
        dome.add(place, normal, uv, faces)
        lods.append([dome.part()])
    return StockModel("moss-cushion", lods)
