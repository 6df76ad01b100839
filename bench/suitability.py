"""Suitability: six conditions over 1,024² against plain NumPy, and what a change of one condition works
again."""

import time

import numpy as np

from bench._short import short
from thicket.site.conditions import Condition, joined, suitability

SIDE = short(1024, 128)
CONDITIONS = [
    Condition("altitude", 320, 410, 6, 14),
    Condition("slope", 0, 28, 0, 9),
    Condition("facing", 0, 70, 0, 30, centre=200),
    Condition("hollow", -9, 0.5, 0, 1.5, "or"),
    Condition("wetness", 5, 30, 1.5, 0),
    Condition("layer", 0.4, 1, 0.2, 0, "except", layers=("scree",)),
]


def plain(fields, conditions) -> np.ndarray:
    """The same in whole-array NumPy."""
    total = None
    for v, c in zip(fields, conditions):
        if c.kind == "facing":
            d = np.abs(v - c.centre)
            v = np.where(v < 0, 1e9, np.minimum(d, 360 - d))
        up = (
            np.clip((v - c.lo + c.soft_lo) / c.soft_lo, 0, 1) if c.soft_lo else (v >= c.lo).astype(np.float32)
        )
        down = (
            np.clip((c.hi + c.soft_hi - v) / c.soft_hi, 0, 1) if c.soft_hi else (v <= c.hi).astype(np.float32)
        )
        t = np.minimum(up, down)
        t = t * t * (3 - 2 * t)
        t = 1 - t if c.join == "except" else t
        total = t if total is None else np.maximum(total, t) if c.join == "or" else total * t
    return total


def middle_of(work, rounds: int = 15):
    spent = []
    for _ in range(rounds):
        began = time.perf_counter()
        out = work()
        spent.append(time.perf_counter() - began)
    return sorted(spent)[rounds // 2], out


def main() -> int:
    rng = np.random.default_rng(2)
    ranges = ((300, 450), (0, 60), (0, 360), (-8, 8), (2, 16), (0, 1))
    fields = [rng.uniform(*r, (SIDE, SIDE)).astype(np.float32) for r in ranges]
    shape = (SIDE, SIDE)
    suitability(fields, CONDITIONS, shape)
    ours, mine = middle_of(lambda: suitability(fields, CONDITIONS, shape))
    theirs, want = middle_of(lambda: plain(fields, CONDITIONS))
    before = suitability(fields[:5], CONDITIONS[:5], shape)
    last, again = middle_of(lambda: joined(before, fields[5], CONDITIONS[5]))
    off = float(np.abs(mine - want).max())
    print(
        f"suitability: six conditions over {SIDE}² in {ours * 1e3:.1f} ms, plain NumPy "
        f"{theirs * 1e3:.1f} ms; "
        f"largest difference {off:.1e}"
    )
    print(f"  ratio {theirs / ours:.1f} (at least 5)")
    print(f"  the last condition changed: {last * 1e3:.1f} ms, {last / ours:.2f} of all six (about a sixth)")
    return 0 if theirs / ours >= 5 and off < 1e-3 and np.array_equal(again, mine) and last < ours / 2 else 1


if __name__ == "__main__":
    raise SystemExit(main())
