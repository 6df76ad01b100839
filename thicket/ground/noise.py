"""Noise in level space, from integer hashes: the same value at the same place, always."""

from __future__ import annotations

import numba as nb
import numpy as np

from thicket.planting.hashing import cell_hash, unit


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
