"""Textures of the demo's leaves, fronds, flowers and moss, drawn by code."""

from __future__ import annotations

import numpy as np
from PIL import Image, ImageDraw

from demo.textures import OVER, _finish, _leaf, _noise, _opaque


def _canvas(size: int) -> tuple[Image.Image, ImageDraw.ImageDraw, int]:
    side = size * OVER
    image = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    return image, ImageDraw.Draw(image), side


def _shade(colour, by: float) -> tuple[int, int, int, int]:
    return (*(int(min(max(v * by, 0), 255)) for v in colour), 255)


def rowan_leaves(size: int = 256) -> np.ndarray:
    """A spray of rowan: feathered leaves of paired leaflets, and hanging bunches of red berries."""
    rng = np.random.default_rng(17)
    image, draw, side = _canvas(size)
    greens = [(88, 112, 56), (104, 126, 60), (120, 134, 62), (140, 128, 60)]
    for shade in (0.68, 0.85, 1.0):
        for _ in range(15):
            foot = np.array([rng.uniform(0.32, 0.68), rng.uniform(0.5, 0.99)]) * side
            way = rng.uniform(-2.6, -0.55)
            length = side * rng.uniform(0.26, 0.36)
            step = np.array([np.cos(way), np.sin(way)]) * length
            colour = _shade(greens[rng.integers(len(greens))], shade)
            draw.line([tuple(foot), tuple(foot + step)], fill=_shade((96, 78, 52), shade), width=OVER)
            for k in range(7):
                at = foot + step * (0.2 + 0.8 * k / 6)
                for s in (-1, 1):
                    _leaf(
                        draw,
                        tuple(at),
                        way + s * (1.15 - 0.4 * k / 6),
                        side * 0.075 * (1 - 0.25 * abs(k - 3) / 3),
                        colour,
                    )
            _leaf(draw, tuple(foot + step), way, side * 0.07, colour)
    for _ in range(4):
        at = np.array([rng.uniform(0.25, 0.75), rng.uniform(0.25, 0.8)]) * side
        for _ in range(16):
            x, y = at + rng.normal(0, side * 0.022, 2)
            r = side * 0.0105
            draw.ellipse([x - r, y - r, x + r, y + r], fill=_shade((176, 62, 40), rng.uniform(0.75, 1.1)))
    return _finish(image, size)


def hawthorn_leaves(size: int = 256) -> np.ndarray:
    """Dense dark twigs of hawthorn with small lobed leaves and a few haws."""
    rng = np.random.default_rng(29)
    image, draw, side = _canvas(size)
    for _ in range(16):
        x = rng.uniform(0.3, 0.7) * side
        tip = np.array([rng.uniform(0.05, 0.95), rng.uniform(0.04, 0.6)]) * side
        draw.line([(x, side), tuple(tip)], fill=(70, 58, 50, 255), width=OVER + 1)
    greens = [(70, 90, 46), (82, 100, 50), (96, 110, 56), (108, 112, 58)]
    for shade in (0.6, 0.8, 1.0):
        for _ in range(125):
            at = np.array([0.5, 0.5]) + rng.normal(0, [0.20, 0.19])
            at = np.clip(at, 0.05, 0.95) * side
            way, colour = rng.uniform(-np.pi, np.pi), _shade(greens[rng.integers(len(greens))], shade)
            for lobe in (-0.7, 0, 0.7):
                _leaf(draw, tuple(at), way + lobe, side * rng.uniform(0.036, 0.055), colour)
    for _ in range(22):
        x, y = np.clip(np.array([0.5, 0.5]) + rng.normal(0, 0.2, 2), 0.06, 0.94) * side
        r = side * 0.010
        draw.ellipse([x - r, y - r, x + r, y + r], fill=(142, 52, 44, 255))
    return _finish(image, size)


def gorse_spines(size: int = 256) -> np.ndarray:
    """Upright spiny shoots of gorse, thick with yellow flowers toward the tips."""
    rng = np.random.default_rng(37)
    image, draw, side = _canvas(size)
    for depth in np.linspace(0, 1, 26):
        foot = np.array([0.5 + rng.normal(0, 0.05), 1.0]) * side
        tip = np.array([0.5 + rng.normal(0, 0.27), rng.uniform(0.04, 0.42)]) * side
        for s in np.linspace(0.05, 1, 30):
            at = foot + (tip - foot) * s
            for _ in range(1 if s < 0.2 else 3):
                way = rng.uniform(-np.pi, 0)
                end = at + np.array([np.cos(way), np.sin(way)]) * side * rng.uniform(0.02, 0.042)
                draw.line([tuple(at), tuple(end)], fill=_shade((84, 100, 50), 0.6 + 0.4 * depth), width=OVER)
        for s in np.linspace(0.5, 1, 8):
            if rng.random() < 0.62:
                x, y = foot + (tip - foot) * s + rng.normal(0, side * 0.012, 2)
                r = side * rng.uniform(0.009, 0.016)
                draw.ellipse(
                    [x - r, y - r * 1.2, x + r, y + r * 1.2], fill=_shade((228, 186, 52), 0.72 + 0.3 * depth)
                )
    return _finish(image, size)


def heather_sprigs(size: int = 128) -> np.ndarray:
    """Low heather: wiry stems with dull green scales below and purple bells above."""
    rng = np.random.default_rng(41)
    image, draw, side = _canvas(size)
    for depth in np.linspace(0, 1, 54):
        foot = np.array([0.5 + rng.normal(0, 0.13), 1.0]) * side
        tip = np.array([0.5 + rng.normal(0, 0.24), rng.uniform(0.06, 0.5)]) * side
        for s in np.linspace(0, 1, 26):
            x, y = foot + (tip - foot) * s + rng.normal(0, side * 0.007, 2)
            r = side * 0.011
            colour = (92, 96, 60) if s < 0.5 or rng.random() < 0.25 else (150, 98, 132)
            draw.ellipse(
                [x - r, y - r, x + r, y + r], fill=_shade(colour, 0.58 + 0.42 * depth + rng.normal(0, 0.06))
            )
    return _finish(image, size)


def bracken_frond(size: int = 256) -> np.ndarray:
    """One bracken frond, foot at the lower edge, triangular and twice divided; green going to russet."""
    rng = np.random.default_rng(43)
    image, draw, side = _canvas(size)
    stalk = [(0.5 * side, side), (0.5 * side, 0.04 * side)]
    draw.line(stalk, fill=(110, 92, 52, 255), width=OVER * 2)
    for k, s in enumerate(np.linspace(0.22, 0.98, 17)):
        at = np.array([0.5, 1 - 0.95 * s]) * side
        reach = side * 0.47 * (1 - s) ** 0.8 + side * 0.03
        russet = np.clip(rng.normal(0.3, 0.25), 0, 1)
        colour = np.array([104, 122, 52]) * (1 - russet) + np.array([158, 110, 56]) * russet
        for way in (-1, 1):
            out = np.array([way * 0.93, -0.38 + 0.1 * (k % 2)])
            draw.line([tuple(at), tuple(at + out * reach)], fill=_shade(colour, 0.8), width=OVER)
            for t in np.linspace(0.06, 1, 11):
                joint = at + out * reach * t
                leaf = reach * 0.24 * (1.05 - t) + side * 0.008
                for up in (-1, 1):
                    _leaf(
                        draw,
                        tuple(joint),
                        np.arctan2(up * 0.9 - 0.2, way * 0.55),
                        leaf,
                        _shade(colour, rng.uniform(0.8, 1.1)),
                    )
    return _finish(image, size)


def moss() -> np.ndarray:
    """Velvet moss, 64 × 64."""
    fine = _noise(51, 64, 64, 2.5, 2.5, 2)[..., None]
    patch = _noise(52, 64, 64, 20, 20, 3)[..., None]
    return _opaque(np.array([104, 120, 50.0]) * (1 + 0.3 * fine) + np.array([26, 20, 0.0]) * patch)


def old_timber() -> np.ndarray:
    """Grey split timber with dark cracks along its length, 128 × 64."""
    grain = _noise(53, 64, 128, 90, 3.0, 3)
    crack = np.clip((_noise(54, 64, 128, 70, 2.2, 2) - 0.42) * 8, 0, 1)[..., None]
    rgb = np.array([122, 110, 96.0]) * (1 + 0.24 * grain)[..., None]
    return _opaque(rgb * (1 - 0.7 * crack) + 18 * _noise(55, 64, 128, 26, 20, 2)[..., None])
