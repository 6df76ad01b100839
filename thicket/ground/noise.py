"""Noise in level space, from integer hashes: the same value at the same place, always."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np

from thicket.planting.hashing import cell_hash, seed_of, unit
from thicket.refused import Refused


@nb.njit(nogil=True, cache=True)
def gradient_noise(seed, x, z):
    """Gradient noise at one place, about −1 to 1, lattice of 1.

    After: Perlin, "Improving noise", ACM TOG 21(3), 2002, with 2-D gradients from a hash.
    """
    fx, fz = np.floor(x), np.floor(z)
    ix, iz = int(fx), int(fz)
    dx, dz = x - fx, z - fz
    wx = dx * dx * dx * (dx * (dx * 6.0 - 15.0) + 10.0)
    wz = dz * dz * dz * (dz * (dz * 6.0 - 15.0) + 10.0)
    total = 0.0
    for a in range(2):
        for b in range(2):
            angle = 2.0 * np.pi * unit(cell_hash(seed, ix + a, iz + b))
            slope = np.cos(angle) * (dx - a) + np.sin(angle) * (dz - b)
            total += slope * (wx if a else 1.0 - wx) * (wz if b else 1.0 - wz)
    return total * 1.4


@nb.njit(nogil=True, cache=True)
def fractal_noise(seed, x, z, wavelength, octaves):
    """Sum of `octaves` gradient noises at every (x, z), each half as wide and half as strong as the last.

    Parameters: seed; x, z float64 (n,) in m; wavelength in m of the widest octave; octaves ≥ 1.
    Returns: float32 (n,), about −1 to 1.
    """
    out = np.zeros(x.shape[0], np.float32)
    for k in range(x.shape[0]):
        total, weight, reach, width = 0.0, 1.0, 0.0, wavelength
        for octave in range(octaves):
            total += weight * gradient_noise(seed + octave, x[k] / width, z[k] / width)
            reach += weight
            weight *= 0.5
            width *= 0.5
        out[k] = total / reach
    return out


FORMS = ("gradient", "ridged", "cellular", "cells", "borders", "light")
"""`cellular` is the nearness of scattered points; `cells`, a value for each point's cell; `borders`, the
nearness of the cells' borders; `light`, thin bent lines along them, like light on the floor of a pool."""


@dataclass(frozen=True)
class Noise:
    """Noise to plant by: its form, the wavelength in m of the widest octave, and how values are spread.

    Each octave is half as wide and half as strong as the last. Values lie about 0.5; `contrast` spreads them
    (1 as they come, 0 all alike) and `shift` raises or lowers them; they are cut to 0–1. `moved`, by how many
    m to the east and the south it lies elsewhere.
    """

    form: str = "gradient"
    wavelength: float = 60.0
    octaves: int = 3
    contrast: float = 1.0
    shift: float = 0.0
    seed: int = 1
    moved: tuple[float, float] = (0.0, 0.0)

    def __post_init__(self) -> None:
        if self.form not in FORMS:
            raise Refused(f"there is no noise called {self.form!r}")
        if not self.wavelength > 0:
            raise Refused("the noise's wavelength must be above 0 m")
        if not 1 <= self.octaves <= 8:
            raise Refused("the noise has 1 to 8 octaves")
        if not self.contrast >= 0:
            raise Refused("the noise's contrast must not be negative")


@nb.njit(nogil=True, cache=True, inline="always")
def _corner(seed, ix, iz):
    """Gradient of a lattice corner, from the two halves of its hash."""
    h = cell_hash(seed, ix, iz)
    return ((h & 0xFFFF) - 32767.5) * (1.0 / 23170.0), ((h >> 16) - 32767.5) * (1.0 / 23170.0)


@nb.njit(nogil=True, cache=True)
def _gradient_row(seed, x0, z, cell, width, weight, ridged, out):
    """Add one octave of gradient noise to a row of values; corners are hashed once for each lattice cell."""
    z = z / width
    fz = np.floor(z)
    iz = int(fz)
    dz = z - fz
    wz = dz * dz * dz * (dz * (dz * 6.0 - 15.0) + 10.0)
    last = -(1 << 62)
    ax = az = bx = bz = cx = cz = ex = ez = 0.0
    for i in range(out.shape[0]):
        x = (x0 + i * cell) / width
        fx = np.floor(x)
        ix = int(fx)
        if ix != last:
            ax, az = _corner(seed, ix, iz)
            bx, bz = _corner(seed, ix + 1, iz)
            cx, cz = _corner(seed, ix, iz + 1)
            ex, ez = _corner(seed, ix + 1, iz + 1)
            last = ix
        dx = x - fx
        wx = dx * dx * dx * (dx * (dx * 6.0 - 15.0) + 10.0)
        top = ax * dx + az * dz
        top += (bx * (dx - 1.0) + bz * dz - top) * wx
        low = cx * dx + cz * (dz - 1.0)
        low += (ex * (dx - 1.0) + ez * (dz - 1.0) - low) * wx
        v = top + (low - top) * wz
        out[i] += weight * (0.62 - 2.8 * abs(v) if ridged else 1.5 * v)


@nb.njit(nogil=True, cache=True)
def _cellular_row(seed, x0, z, cell, width, weight, out):
    """Add one octave of cellular noise: how far the nearest of one random point to each lattice cell lies."""
    z = z / width
    iz = int(np.floor(z))
    last = -(1 << 62)
    px, pz = np.empty(9), np.empty(9)
    for i in range(out.shape[0]):
        x = (x0 + i * cell) / width
        ix = int(np.floor(x))
        if ix != last:
            for k in range(9):
                h = cell_hash(seed, ix + k % 3 - 1, iz + k // 3 - 1)
                px[k] = ix + k % 3 - 1 + (h & 0xFFFF) / 65536.0
                pz[k] = iz + k // 3 - 1 + (h >> 16) / 65536.0
            last = ix
        least = 9.0
        for k in range(9):
            least = min(least, (px[k] - x) ** 2 + (pz[k] - z) ** 2)
        out[i] += weight * (0.9 - 2.0 * min(np.sqrt(least), 1.0))


@nb.njit(nogil=True, cache=True)
def _cells_row(seed, x0, z, cell, width, weight, form, out):
    """Add one octave of what lies in the cells around random points, one to each square of the lattice: form
    3, a value for each cell; 4, how near its border lies; 5, thin lines along bent borders."""
    last_x, last_z = -(1 << 62), -(1 << 62)
    px, pz, own = np.empty(25), np.empty(25), np.empty(25)
    for i in range(out.shape[0]):
        x, y = (x0 + i * cell) / width, z / width
        if form == 5:
            bent = gradient_noise(seed + 31, 1.3 * x, 1.3 * y)
            y += 0.3 * gradient_noise(seed + 57, 1.3 * x, 1.3 * y)
            x += 0.3 * bent
        ix, iz = int(np.floor(x)), int(np.floor(y))
        if ix != last_x or iz != last_z:
            for k in range(25):
                h = cell_hash(seed, ix + k % 5 - 2, iz + k // 5 - 2)
                px[k] = ix + k % 5 - 2 + (h & 0xFFFF) / 65536.0
                pz[k] = iz + k // 5 - 2 + (h >> 16) / 65536.0
                own[k] = unit(cell_hash(seed + 101, ix + k % 5 - 2, iz + k // 5 - 2))
            last_x, last_z = ix, iz
        least, nearest = 1e9, 0
        for k in range(25):
            far = (px[k] - x) ** 2 + (pz[k] - y) ** 2
            if far < least:
                least, nearest = far, k
        if form == 3:
            out[i] += weight * (own[nearest] - 0.5)
            continue
        border = 1.0
        for k in range(25):
            dx, dz = px[k] - px[nearest], pz[k] - pz[nearest]
            apart = np.sqrt(dx * dx + dz * dz)
            if k != nearest and apart > 0.0:
                middle = ((px[k] + px[nearest]) / 2 - x) * dx + ((pz[k] + pz[nearest]) / 2 - y) * dz
                border = min(border, middle / apart)
        if form == 4:
            out[i] += weight * (0.5 - 3.2 * min(border, 0.3125))
        else:
            out[i] += weight * (np.exp(-14.0 * border) - 0.5)


@nb.njit(nogil=True, cache=True)
def _noise(form, seed, wavelength, octaves, contrast, shift, moved, cell, col0, row0, out):
    row = np.empty(out.shape[1])
    for j in range(out.shape[0]):
        z = (row0 + j + 0.5) * cell - moved[1]
        x0 = (col0 + 0.5) * cell - moved[0]
        row[:] = 0.0
        weight, reach, width = 1.0, 0.0, wavelength
        for octave in range(octaves):
            if form > 2:
                _cells_row(seed + 7919 * octave, x0, z, cell, width, weight, form, row)
            elif form == 2:
                _cellular_row(seed + 7919 * octave, x0, z, cell, width, weight, row)
            else:
                _gradient_row(seed + 7919 * octave, x0, z, cell, width, weight, form == 1, row)
            reach += weight
            weight *= 0.5
            width *= 0.5
        for i in range(out.shape[1]):
            v = 0.5 + shift + contrast * row[i] / reach
            out[j, i] = min(max(v, 0.0), 1.0)


def _moved(noise: Noise) -> tuple[float, float]:
    return float(noise.moved[0]), float(noise.moved[1])


def noise_field(noise: Noise, cell: float, window: tuple[int, int, int, int]) -> np.ndarray:
    """Noise at the cell centres of a window of the level.

    Parameters: cell in m; window (col0, row0, col1, row1) in cells, half open. Every value follows from its
    place alone, so no margin is needed.

    Returns: float32 0–1 (rows, columns). After: Perlin, "Improving noise", ACM TOG 21(3), 2002; Worley, "A
    cellular texture basis function", SIGGRAPH 1996; ridges as in Musgrave, "Fractal terrain models", 1994.
    """
    col0, row0, col1, row1 = window
    out = np.empty((row1 - row0, col1 - col0), np.float32)
    seed = seed_of("noise", noise.seed)
    _noise(
        FORMS.index(noise.form),
        seed,
        float(noise.wavelength),
        noise.octaves,
        float(noise.contrast),
        float(noise.shift),
        _moved(noise),
        float(cell),
        col0,
        row0,
        out,
    )
    return out


@nb.njit(nogil=True, cache=True)
def _noise_at(form, seed, wavelength, octaves, contrast, shift, moved, x, z, out):
    for k in range(x.shape[0]):
        at = x[k] - 0.5, z[k] - 0.5
        _noise(form, seed, wavelength, octaves, contrast, shift, moved, 1.0, at[0], at[1], out[k : k + 1])


def noise_at(noise: Noise, x: np.ndarray, z: np.ndarray) -> np.ndarray:
    """Noise at places, as `noise_field` has it at the cell centres: x, z float64 (n,) in m; float32 (n,)."""
    out = np.empty((len(x), 1), np.float32)
    seed = seed_of("noise", noise.seed)
    given = float(noise.contrast), float(noise.shift), _moved(noise)
    form = FORMS.index(noise.form)
    _noise_at(form, seed, float(noise.wavelength), noise.octaves, *given, x, z, out)
    return out[:, 0]
