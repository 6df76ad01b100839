"""Placement: points of a 2 m stand over 1 km² against scipy.stats.qmc.PoissonDisk, per point, on one
thread."""

import time

from scipy.stats import qmc

from bench._short import short
from thicket.planting.points import point_set

RADIUS = short(0.006, 0.05)
"""On the unit square; chosen so that SciPy needs about 20 s."""
SIDE = short(1000.0, 100.0)
"""m of the ground that is filled."""


def main() -> int:
    point_set(1, 2.0, (0, 0, 60, 60))
    runs = []
    for seed in range(5):
        began = time.perf_counter()
        count = len(point_set(seed, 2.0, (0.0, 0.0, SIDE, SIDE)).x)
        runs.append((time.perf_counter() - began) / count)
    ours = sorted(runs)[2]
    packing = count * 4.0 / SIDE**2
    began = time.perf_counter()
    theirs_count = len(qmc.PoissonDisk(2, radius=RADIUS, rng=1).fill_space())
    spent = time.perf_counter() - began
    theirs, theirs_packing = spent / theirs_count, theirs_count * RADIUS**2
    print(f"placement: {count} points, {ours * 1e6:.2f} µs a point, packing {packing:.3f}")
    print(
        f"  SciPy PoissonDisk: {theirs_count} points in {spent:.1f} s, {theirs * 1e6:.0f} µs a point, "
        f"packing {theirs_packing:.3f}"
    )
    ratio = theirs / ours
    print(f"  ratio {ratio:.0f} (at least 1,000), packing ratio {packing / theirs_packing:.2f} (at least 1)")
    return 0 if ratio >= 1000 and packing >= theirs_packing else 1


if __name__ == "__main__":
    raise SystemExit(main())
