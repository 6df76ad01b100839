"""The ground of Hobbin Delph: a slate quarry cut into a moorland hillside, by code."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np

from thicket.ground.noise import fractal_noise
from thicket.ground.relief import slope_and_aspect, to_cells

SIZE = 1024
CELL = 1.0
WATER = 352.0
RIM = 424.0
BENCH = 13.0
LAYERS = ("slate", "scree", "turf", "mud", "track")
TRAMWAY = ((452.0, 612.0), (520.0, 640.0), (610.0, 668.0), (730.0, 712.0), (860.0, 742.0), (1024.0, 770.0))
ENGINE_HOUSE = (640.0, 650.0)
_TRAMWAY_PROFILE = ((452.0, 560.0, 640.0, 760.0, 1024.0), (398.0, 397.0, 393.0, 384.0, 366.5))
_TIPS = (
    ((600.0, 330.0), (790.0, 252.0), 423.0, 418.0, 17.0),
    ((610.0, 352.0), (838.0, 338.0), 420.0, 413.0, 15.0),
    ((640.0, 430.0), (842.0, 428.0), 414.0, 408.0, 22.0),
    ((640.0, 505.0), (808.0, 548.0), 409.0, 402.0, 14.0),
    ((330.0, 720.0), (420.0, 880.0), 424.0, 414.0, 18.0),
    ((322.0, 726.0), (330.0, 862.0), 422.0, 413.0, 13.0),
)


def _smooth(t: np.ndarray) -> np.ndarray:
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


def _noise(seed: int, x: np.ndarray, z: np.ndarray, wave: float, octaves: int = 4) -> np.ndarray:
    return fractal_noise(seed, x.ravel(), z.ravel(), wave, octaves).reshape(x.shape).astype(float)


def _along(x, z, a, b):
    """Distance in m to the line from a to b and how far along it, 0–1."""
    ex, ez = b[0] - a[0], b[1] - a[1]
    t = np.clip(((x - a[0]) * ex + (z - a[1]) * ez) / (ex * ex + ez * ez), 0, 1)
    return np.hypot(x - a[0] - t * ex, z - a[1] - t * ez), t


def _moor(x, z):
    hill = 356 + 62 * (1 - x / SIZE) + 50 * (1 - z / SIZE)
    return hill + 11 * _noise(41, x, z, 330) + 1.6 * _noise(42, x, z, 38, 3)


def _inside(x, z):
    """How far inside the quarry's rim a place lies, in m; negative outside."""
    dx, dz = x - 420, z - 470
    way = np.arctan2(dz, dx)
    rim = 262 + 26 * np.cos(2 * way + 0.7) + 14 * np.cos(3 * way - 1.1)
    return rim - np.hypot(dx, dz * 1.18) + 12 * _noise(43, x, z, 90, 3) + 1.6 * _noise(44, x, z, 11, 2)


def _benches(inside, x, z):
    """Altitude of the stepped floor: each bench 30 m deep, its face steep and a little broken."""
    step = np.maximum(inside, 0) / 31.0
    k = np.floor(step)
    face = np.clip((step - k) / (0.15 + 0.05 * _noise(45, x, z, 60, 2)), 0, 1)
    depth = np.minimum(k + face, 5.0) * BENCH
    rubble = 1.3 * np.clip(_noise(46, x, z, 26, 3), 0, 1) * (step > 0.25)
    return RIM - depth + rubble + 0.35 * _noise(47, x, z, 9, 2)


def _pit(x, z):
    """The flooded pit in the floor: how deep it is cut, in m."""
    r = np.hypot(x - 442, (z - 486) * 1.25) + 9 * _noise(48, x, z, 50, 3)
    return 15 * _smooth((84 - r) / 22)


def _tips(x, z):
    """Altitude of the spoil heaps, far below the ground where there is none."""
    top = np.full(x.shape, -1e9)
    ragged = 13 * _noise(49, x, z, 52, 4)
    for a, b, high, low, half in _TIPS:
        far, t = _along(x, z, a, b)
        crest = high + (low - high) * t
        heap = (
            crest + 0.12 * ragged - 0.72 * np.maximum(far + ragged - half, 0) + 0.5 * _noise(50, x, z, 7, 2)
        )
        top = np.maximum(top, heap)
    return top


@dataclass(frozen=True, eq=False)
class QuarryGround:
    """heights float32 (1025, 1025) in m; layers float32 (1024, 1024, 5) that add up to 1, in `LAYERS`' order,
    for cells of 1 m."""

    heights: np.ndarray
    layers: np.ndarray


def tramway_altitude(x: float) -> float:
    """Altitude of the tramway's bed in m: level in the quarry, then an even fall to the east."""
    return float(np.interp(x, *_TRAMWAY_PROFILE))


def _tramway(x, z, height):
    """Lay the tramway's bed and the engine house's yard into the ground; heights and distance to the bed."""
    far = np.full(x.shape, 1e9)
    for a, b in zip(TRAMWAY, TRAMWAY[1:]):
        far = np.minimum(far, _along(x, z, a, b)[0])
    bed = np.interp(x, *_TRAMWAY_PROFILE)
    height = bed + (height - bed) * _smooth((far - 3.2) / 13.0)
    yard = np.hypot(x - ENGINE_HOUSE[0], z - ENGINE_HOUSE[1])
    level = tramway_altitude(ENGINE_HOUSE[0]) + 0.6
    return level + (height - level) * _smooth((yard - 15) / 12.0), far


@cache
def build(cell: float = CELL) -> QuarryGround:
    """The demo's heights and ground layers, for cells of a size in m; always the same."""
    z, x = np.mgrid[0 : SIZE + cell : cell, 0 : SIZE + cell : cell]
    moor, inside = _moor(x, z), _inside(x, z)
    cut = _benches(inside, x, z) - _pit(x, z)
    height = np.where(inside > 0, np.minimum(moor, cut), moor)
    tips = _tips(x, z)
    spoil = np.where(inside > 150, 0.0, _smooth((tips - height) / 1.5))
    height = height + np.maximum(tips - height, 0) * (inside < 150)
    height, track = _tramway(x, z, height)
    heights = height.astype(np.float32)
    slope = slope_and_aspect(heights, cell)[0]
    worked = _smooth((inside - 2) / 6) * (moor > cut - 0.5)
    layers = _layers(x, z, heights, slope, worked, spoil, track)
    return QuarryGround(heights, layers)


def _layers(x, z, heights, slope, worked, spoil, track):
    """Weights of slate, scree, turf, mud and track at cell centres."""
    patchy = _noise(51, x, z, 46, 4)
    fine = _noise(52, x, z, 12, 3)
    rock = _smooth((slope - 36 + 5 * fine) / 9) * (1 - 0.85 * spoil)
    mud = _smooth((WATER + 2.6 + 1.4 * fine - heights) / 2.0)
    mud = np.maximum(mud, worked * _smooth((WATER + 9 - heights) / 4) * _smooth(patchy * 3 - 0.2) * 0.8)
    road = _smooth((3.6 + 0.8 * fine - track) / 1.2)
    green = np.clip(
        1 - worked * _smooth(0.95 - patchy * 2.6) - 0.94 * spoil * _smooth(1.1 - patchy * 1.6), 0, 1
    )
    weights = np.zeros((*x.shape, 5))
    left = np.ones(x.shape)
    for index, share in ((4, road), (3, mud), (0, rock), (2, green)):
        weights[..., index] = left * share
        left = left * (1 - share)
    weights[..., 1] = left
    return np.stack([to_cells(weights[..., k]) for k in range(5)], axis=-1)
