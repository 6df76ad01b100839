"""The demo's textures, drawn by code: bark, leaves, grass and slate."""

from __future__ import annotations

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from thicket.ground.noise import fractal_noise

OVER = 4


def _noise(seed: int, rows: int, cols: int, wave_x: float, wave_y: float, octaves: int = 4) -> np.ndarray:
    """Noise (rows, columns), about −1 to 1; periodic enough along x by mirroring."""
    y, x = np.mgrid[0:rows, 0:cols].astype(float)
    x = np.minimum(x, cols - x)
    return fractal_noise(seed, x.ravel() / wave_x, y.ravel() / wave_y, 1.0, octaves).reshape(rows, cols)


def _opaque(rgb: np.ndarray) -> np.ndarray:
    return np.dstack([np.clip(rgb, 0, 255), np.full(rgb.shape[:2], 255.0)]).astype(np.uint8)


def birch_bark() -> np.ndarray:
    """White bark with dark lenticels lying across it, 128 × 128."""
    base = np.array([226, 222, 211.0]) + 10 * _noise(1, 128, 128, 24, 24)[..., None]
    streak = _noise(2, 128, 128, 26, 4.0, 3)
    scar = _noise(3, 128, 128, 34, 20, 2)
    dark = np.clip((streak - 0.28) * 7, 0, 1) * np.clip((scar + 0.15) * 4, 0, 1)
    return _opaque(base * (1 - dark[..., None]) + np.array([58, 50, 46.0]) * dark[..., None])


def dark_bark() -> np.ndarray:
    """Red-brown bark of twigs and branches, 32 × 32."""
    return _opaque(np.array([104, 84, 74.0]) + 22 * _noise(4, 32, 32, 6, 14)[..., None])


def slate() -> np.ndarray:
    """Slate: blue grey in thin split layers with rusty stains, 256 × 256."""
    layer = _noise(5, 256, 256, 70, 5.0, 3)
    stain = np.clip(_noise(6, 256, 256, 60, 44, 3) * 3 - 1.1, 0, 1)
    rgb = np.array([104, 112, 124.0]) * (1.0 + 0.26 * layer + 0.10 * _noise(7, 256, 256, 3, 3, 2))[..., None]
    rgb = rgb * (1 - 0.55 * stain[..., None]) + np.array([128, 104, 82.0]) * 0.55 * stain[..., None]
    return _opaque(rgb)


def _finish(image: Image.Image, size: int) -> np.ndarray:
    """Scale down and give the empty pixels the colour of their surroundings."""
    small = np.asarray(image.resize((size, size), Image.LANCZOS)).astype(float)
    wide = image.filter(ImageFilter.GaussianBlur(OVER * 5)).resize((size, size), Image.LANCZOS)
    wide = np.asarray(wide).astype(float)
    around = wide[..., :3] / np.maximum(wide[..., 3:] / 255, 1 / 255)
    alpha = small[..., 3:] / 255
    mean = (small[..., :3] * alpha).sum((0, 1)) / alpha.sum()
    around = np.where(wide[..., 3:] > 6, around, mean)
    rgb = np.where(alpha > 0.4, small[..., :3] / np.maximum(alpha, 0.4) * np.maximum(alpha, 0.4), around)
    return np.dstack([np.clip(rgb, 0, 255), small[..., 3]]).astype(np.uint8)


def _leaf(draw: ImageDraw.ImageDraw, at, angle: float, length: float, colour) -> None:
    """One birch leaf: a rhomb with a drawn-out tip and a pale midrib."""
    outline = [
        (0, 0),
        (0.24, -0.3),
        (0.45, -0.33),
        (0.75, -0.14),
        (1.0, 0),
        (0.75, 0.14),
        (0.45, 0.33),
        (0.24, 0.3),
    ]
    c, s = np.cos(angle) * length, np.sin(angle) * length
    turned = [(at[0] + x * c - y * s, at[1] + x * s + y * c) for x, y in outline]
    draw.polygon(turned, fill=colour)
    rib = tuple(min(255, int(v * 1.22)) for v in colour[:3]) + (255,)
    draw.line([at, (at[0] + 0.85 * c, at[1] + 0.85 * s)], fill=rib, width=max(1, OVER // 2))


def birch_leaves(size: int = 256) -> np.ndarray:
    """A hanging spray of birch twigs in leaf; foot at the lower edge's middle, tip at the upper edge."""
    rng = np.random.default_rng(11)
    side = size * OVER
    image = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    greens = [(96, 118, 52), (112, 134, 60), (128, 148, 70), (84, 106, 50), (140, 152, 72)]
    twigs = []
    for k in range(9):
        spread = (k - 4) / 4
        bend = rng.uniform(-0.16, 0.16)
        t = np.linspace(0, 1, 14)
        reach = 0.93 - 0.3 * spread * spread
        x = 0.5 + spread * 0.40 * t**0.8 + bend * t * (1 - t)
        twigs.append(np.c_[x, 0.99 - reach * t] * side)
    for twig in twigs:
        draw.line([tuple(p) for p in twig], fill=(84, 66, 54, 255), width=OVER + 1)
    for shade in (0.72, 0.88, 1.0):
        for twig in twigs:
            for _ in range(9):
                at = twig[rng.integers(2, len(twig))] + rng.normal(0, side * 0.016, 2)
                colour = tuple(int(v * shade) for v in greens[rng.integers(len(greens))]) + (255,)
                _leaf(draw, tuple(at), rng.uniform(-np.pi, np.pi), side * rng.uniform(0.055, 0.085), colour)
    return _finish(image, size)


def grass(size: int = 256) -> np.ndarray:
    """A tuft of moor-grass: fine arching blades, green at the foot and straw at the tip, with seed heads."""
    rng = np.random.default_rng(23)
    side = size * OVER
    image = Image.new("RGBA", (side, side), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    t = np.linspace(0, 1, 18)
    for k in range(92):
        depth = k / 92
        foot = 0.5 + rng.normal(0, 0.075)
        lean = rng.normal(0, 0.26)
        height = rng.uniform(0.45, 0.98) * (1 - 0.35 * abs(lean))
        x = (foot + lean * t**1.9) * side
        y = (1.0 - height * t * (1 - 0.18 * abs(lean) * t)) * side
        straw = rng.uniform(0.15, 1.0)
        width = rng.uniform(0.010, 0.018) * side
        for j in range(17):
            green = np.array([92, 104, 50.0]) * (1 - t[j]) + np.array([190, 170, 104.0]) * t[j]
            tone = (green * (1 - straw * 0.4) + np.array([178, 152, 92.0]) * straw * 0.4) * (
                0.62 + 0.38 * depth
            )
            taper = max(int(width * (1 - t[j]) ** 0.7), 2)
            draw.line([(x[j], y[j]), (x[j + 1], y[j + 1])], fill=(*tone.astype(int), 255), width=taper)
        if k % 6 == 0:
            for j in range(13, 18):
                draw.ellipse(
                    [x[j] - OVER * 1.3, y[j] - OVER * 2.2, x[j] + OVER * 1.3, y[j] + OVER * 2.2],
                    fill=(126, 98, 70, 255),
                )
    return _finish(image, size)
