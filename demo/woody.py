"""The demo's trees and shrubs as meshes: rowan, hawthorn, gorse, heather and bracken."""

from __future__ import annotations

import numpy as np

from demo import foliage, textures
from demo.shapes import Builder
from thicket.formats.stock import Material, Part, StockModel
from thicket.sight.billboard import render_billboard
from thicket.stock.billboards import harden


def facing_card(texture: np.ndarray, width: float, height: float, name: str) -> Part:
    """A card that turns to the eye."""
    card = Builder(Material(name, texture, cut=True, facing=True))
    card.card((0, 0, 0), (0, height, 0), width, (1, 0, 0), (0, height * 0.4, -height))
    return card.part()


def _frame(seed: int, height: float, stems: int, limbs: int, spread: float, sway: float):
    """Stems, each (7, 3), and the limbs that rise from them, each (4, 3)."""
    rng = np.random.default_rng(seed)
    t = np.linspace(0, 1, 7)
    trunks, branches = [], []
    for s in range(stems):
        way = s * 2 * np.pi / stems + rng.uniform(-0.4, 0.4)
        lean = np.array([np.cos(way), np.sin(way)]) * spread * (0.42 if stems > 1 else 0.08)
        drift = np.cumsum(rng.normal(0, sway, (7, 2)), axis=0) * t[:, None]
        tall = height * (0.92 if s else 1.0) * 0.88
        trunks.append(np.c_[lean[0] * t**1.3 + drift[:, 0], tall * t, lean[1] * t**1.3 + drift[:, 1]])
    for k in range(limbs):
        trunk = trunks[k % stems]
        up = 0.3 + 0.65 * (k + rng.uniform(0, 1)) / limbs
        at = np.array([np.interp(up, t, trunk[:, c]) for c in range(3)])
        way = k * 2.4 + rng.normal(0, 0.4)
        reach = spread * (1.15 - 0.75 * up) * rng.uniform(0.8, 1.15)
        s = np.linspace(0, 1, 4)[:, None]
        branches.append(
            at
            + np.array([np.cos(way), 0, np.sin(way)]) * reach * s
            + np.array([0, 1.0, 0]) * reach * (0.75 * s - 0.35 * s**3)
        )
    return trunks, branches


def _crown(leaf: Material, paths, cards: int, size: float, seed: int, middle: float, droop: float) -> Part:
    rng = np.random.default_rng(seed)
    centre, crown = np.array([0, middle, 0]), Builder(leaf)
    for path in paths:
        for _ in range(cards):
            s = rng.uniform(0.35, 1.0)
            at = np.array([np.interp(s, np.linspace(0, 1, len(path)), path[:, c]) for c in range(3)])
            out = at - np.array([0, at[1], 0])
            way = (
                out / max(np.linalg.norm(out), 0.3) * 0.7
                + rng.normal(0, 0.5, 3)
                + np.array([0, rng.uniform(-droop, 0.5), 0])
            )
            way /= np.linalg.norm(way)
            length = size * rng.uniform(0.8, 1.2)
            crown.card(
                at - way * length * 0.25,
                at + way * length * 0.75,
                length,
                np.cross(way, rng.normal(0, 1, 3)),
                centre,
            )
    return crown.part()


def _tree(
    slug: str,
    leaf: Material,
    height: float,
    spread: float,
    stems: int,
    girth: float,
    seed: int,
    steps,
    droop=0.5,
    sway: float = 0.12,
) -> StockModel:
    """A tree or tall shrub: `steps` gives for each LOD the tube's sides, every how many limbs, cards a limb
    and their size."""
    bark = Material("old bark", textures.dark_bark())
    trunks, limbs = _frame(seed, height, stems, 18, spread, sway)
    lods = []
    for sides, every, cards, size in steps:
        wood = Builder(bark)
        for trunk in trunks:
            wood.tube(
                trunk[:: 1 if sides > 4 else 3],
                (girth * (1 - np.linspace(0, 1, 7)) ** 0.7 + 0.012)[:: 1 if sides > 4 else 3],
                sides,
                1.0,
            )
        for limb in limbs[::every] if every else ():
            wood.tube(
                limb[:: 1 if sides > 4 else 3],
                np.linspace(girth * 0.33, 0.01, 4)[:: 1 if sides > 4 else 3],
                3,
                0.8,
            )
        lods.append(
            [
                wood.part(),
                _crown(leaf, [*limbs, *(t[-3:] for t in trunks)], cards, size, seed + 1, height * 0.5, droop),
            ]
        )
    wide, tall = spread * 2.7, height * 1.1
    picture = harden(render_billboard(lods[0], wide, tall, 192))
    return StockModel(slug, lods, [facing_card(picture, wide, tall, f"{slug} billboard")])


def rowan() -> StockModel:
    """A rowan of 6 m in berry, two stems from one foot; three LODs and a billboard."""
    leaf = Material("rowan leaves", foliage.rowan_leaves(), cut=True)
    return _tree(
        "rowan", leaf, 6.0, 1.9, 2, 0.085, 12, ((6, 1, 6, 1.15), (4, 2, 4, 1.5), (3, 0, 2, 2.0)), 0.35, 0.08
    )


def hawthorn() -> StockModel:
    """A hawthorn of 3.6 m, low and dense on a twisted foot; three LODs and a billboard."""
    leaf = Material("hawthorn leaves", foliage.hawthorn_leaves(), cut=True)
    return _tree(
        "hawthorn", leaf, 3.6, 1.6, 3, 0.075, 21, ((6, 1, 5, 0.85), (4, 2, 3, 1.15), (3, 0, 2, 1.5)), 0.2, 0.2
    )


def _clump(
    slug: str,
    leaf: Material,
    height: float,
    near: int,
    far: int,
    wide: float,
    out: float,
    tilt: float,
    seed: int,
) -> StockModel:
    """A clump of bent cards round a foot: `near` of them close by, `far` wider ones from afar."""
    rng, lods = np.random.default_rng(seed), []
    for cards, width in ((near, wide), (far, wide * 1.25)):
        clump = Builder(leaf)
        for k in range(cards):
            way = k * 2.4 + rng.uniform(-0.2, 0.2)
            side, reach = np.array([np.cos(way), 0, np.sin(way)]), rng.uniform(0.75, 1.0)
            foot = side * out * rng.uniform(0.1, 0.6)
            clump.card(
                foot,
                foot + side * height * tilt * reach + np.array([0, height * reach, 0]),
                width * height,
                (-side[2], 0, side[0]),
                (0, -height, 0),
            )
        lods.append([clump.part()])
    return StockModel(slug, lods)


def gorse() -> StockModel:
    """A gorse bush in flower, 1.5 m tall and as wide; two LODs and a billboard."""
    leaf = Material("gorse", foliage.gorse_spines(), cut=True)
    model = _clump("gorse", leaf, 1.45, 11, 5, 0.95, 0.75, 0.24, 5)
    picture = harden(render_billboard(model.lods[0], 2.6, 1.6, 128))
    return StockModel("gorse", model.lods, [facing_card(picture, 2.6, 1.6, "gorse billboard")])


def heather() -> StockModel:
    """A tuft of heather, 0.4 m tall; two LODs."""
    return _clump(
        "heather", Material("heather", foliage.heather_sprigs(), cut=True), 0.42, 5, 2, 1.5, 0.12, 0.3, 7
    )


def bracken() -> StockModel:
    """Bracken, 1.1 m: arching fronds from one foot; two LODs."""
    leaf = Material("bracken", foliage.bracken_frond(), cut=True)
    rng, lods = np.random.default_rng(9), []
    for fronds, joints in ((6, 2), (4, 1)):
        clump = Builder(leaf)
        for k in range(fronds):
            way = k * 2 * np.pi / fronds + rng.uniform(-0.3, 0.3)
            side = np.array([np.cos(way), 0, np.sin(way)])
            tall, across = rng.uniform(0.85, 1.1), (-side[2], 0, side[0])
            bend = [np.zeros(3), side * 0.28 + [0, 0.72 * tall, 0], side * 0.92 + [0, 0.98 * tall, 0]]
            path = bend if joints == 2 else [bend[0], bend[2]]
            for j, (a, b) in enumerate(zip(path, path[1:])):
                v0, v1 = 1 - j / joints, 1 - (j + 1) / joints
                clump.card(a, b, 0.95, across, (0, -1.2, 0), (0.0, v1, 1.0, v0))
        lods.append([clump.part()])
    return StockModel("bracken", lods)
