"""The demo's stock as meshes with their LODs; birch and moor-grass are made here."""

from __future__ import annotations

from functools import cache

import numpy as np

from demo import stones, textures, woody
from demo.shapes import Builder
from demo.woody import facing_card
from thicket.formats.stock import Material, Part, StockModel
from thicket.sight.billboard import render_billboard
from thicket.stock.billboards import harden


def _birch_frame(seed: int, height: float):
    """Trunk (9, 3) and branches, each a path (4, 3), from low to high."""
    rng = np.random.default_rng(seed)
    t = np.linspace(0, 1, 9)
    sway = np.cumsum(rng.normal(0, 0.10, (9, 2)), axis=0) * t[:, None]
    trunk = np.c_[sway[:, 0], t * height, sway[:, 1]]
    branches = []
    for k in range(17):
        up = 0.26 + 0.66 * (k / 16)
        at = np.array([np.interp(up, t, trunk[:, c]) for c in range(3)])
        way = k * 2.4 + rng.normal(0, 0.35)
        reach = height * 0.33 * (1 - up) ** 0.55 * np.clip((up - 0.10) * 4, 0.45, 1) * rng.uniform(0.8, 1.15)
        rise, droop = reach * rng.uniform(0.65, 1.0), reach * rng.uniform(0.2, 0.55)
        s = np.linspace(0, 1, 4)[:, None]
        out = np.array([np.cos(way), 0, np.sin(way)])
        branches.append(at + out * reach * s + np.array([0, 1.0, 0]) * (rise * s - droop * s**3))
    return trunk, branches


def _crown(leaf: Material, trunk, branches, per_branch: int, size: float, seed: int, height: float) -> Part:
    """Leaf cards along the outer branches, hanging a little, shaded as one crown."""
    rng = np.random.default_rng(seed)
    centre = np.array([0, height * 0.52, 0])
    crown = Builder(leaf)
    for branch in [*branches, trunk[-4:]]:
        for _k in range(per_branch):
            s = rng.uniform(0.35, 1.0)
            at = np.array([np.interp(s, np.linspace(0, 1, len(branch)), branch[:, c]) for c in range(3)])
            out = at - np.array([0, at[1], 0])
            out = out / max(np.linalg.norm(out), 0.3)
            way = out * 0.75 + rng.normal(0, 0.45, 3) + np.array([0, rng.uniform(-0.75, 0.25), 0])
            way /= np.linalg.norm(way)
            across = np.cross(way, rng.normal(0, 1, 3))
            length = size * rng.uniform(0.8, 1.2)
            crown.card(at - way * length * 0.2, at + way * length * 0.8, length * 0.95, across, centre)
    return crown.part()


def birch() -> StockModel:
    """A young birch of 9 m: white trunk, rising branches, light crown; three LODs and a billboard."""
    height = 9.0
    bark, twig = Material("birch bark", textures.birch_bark()), Material("twig bark", textures.dark_bark())
    leaf = Material("birch leaves", textures.birch_leaves(), cut=True)
    trunk, branches = _birch_frame(5, height)
    radii = 0.125 * (1 - np.linspace(0, 1, 9)) ** 0.8 + 0.012
    lods = []
    for ring, sides, every, joints, cards, size in (
        (1, 7, 1, 1, 7, 1.15),
        (2, 5, 2, 3, 4, 1.65),
        (4, 4, 0, 3, 2, 2.35),
    ):
        wood = Builder(bark)
        wood.tube(trunk[::ring], radii[::ring], sides, 1.2)
        parts = [wood.part()]
        if every:
            limbs = Builder(twig)
            for branch in branches[::every]:
                path = branch[::joints]
                limbs.tube(path, np.linspace(0.034, 0.008, len(path)), 3, 0.8)
            parts.append(limbs.part())
        parts.append(_crown(leaf, trunk, branches, cards, size, 8, height))
        lods.append(parts)
    width, tall = 6.4, 10.2
    picture = render_billboard(lods[0], width, tall, 256)
    picture = harden(picture)
    return StockModel("birch", lods, [facing_card(picture, width, tall, "birch billboard")])


def moor_grass() -> StockModel:
    """A tuft of moor-grass, 0.7 m tall: five bent cards near, two crossed ones afar."""
    blades = Material("moor-grass", textures.grass(), cut=True)
    near, far = Builder(blades), Builder(blades)
    for k in range(5):
        way = k * 2 * np.pi / 5 + 0.3
        out = np.array([np.cos(way), 0, np.sin(way)])
        near.card(out * 0.03, out * 0.20 + [0, 0.70, 0], 0.84, (-out[2], 0, out[0]), (0, -0.9, 0))
    for way in (0.4, 0.4 + np.pi / 2):
        far.card((0, 0, 0), (0, 0.72, 0), 0.95, (np.cos(way), 0, np.sin(way)), (0, -0.9, 0))
    return StockModel("moor-grass", [[near.part()], [far.part()]])


MODELS = {
    slug: cache(make)
    for slug, make in {
        "birch": birch,
        "slate-block": stones.slate_block,
        "moor-grass": moor_grass,
        "rowan": woody.rowan,
        "hawthorn": woody.hawthorn,
        "gorse": woody.gorse,
        "heather": woody.heather,
        "bracken": woody.bracken,
        "slate-slab": stones.slate_slab,
        "sleeper": stones.sleeper,
        "sleeper-stack": stones.sleeper_stack,
        "moss-cushion": stones.moss_cushion,
    }.items()
}
"""What makes each stock item, by slug; each is made once."""
