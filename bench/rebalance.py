"""Rebalance: how near the proven best HiGHS comes in how long, on options drawn by chance: 13 stands of 8
options over 64 places, and 40 stands of 12 over 64 places in 3 tiers, 5 lines each."""

from __future__ import annotations

import time

import numpy as np

from bench._short import short
from thicket.sight.rebalance import Choices, rebalance

CASES = short(
    (
        # stands, options, frames, seconds, gap
        (13, 8, 64, 5.0, 0.001),
        (40, 12, 64 * 3, 10.0, 0.03),
        (40, 12, 64 * 3, 90.0, 0.005),
    ),
    ((5, 4, 8, 1.0, 0.1),),
)
LINES, TIGHT, DRAWN = 5, 0.75, 3
"""Budget lines; the share of what is spent as it is that the marks leave; how many problems of each size."""


def drawn(rng: np.random.Generator, stands: int, options: int, frames: int) -> Choices:
    """Options that spend the less, and lose the more, the farther they go."""
    share = np.sort(rng.uniform(0.3, 1, (stands, options)), axis=1)[:, ::-1]
    share[:, 0] = 1
    full = rng.gamma(0.6, 1.0, (stands, 1, frames, LINES))
    spent = full * np.clip(share[:, :, None, None] * rng.uniform(0.9, 1.1, (stands, options, 1, LINES)), 0, 1)
    loss = (1 - share) ** 1.5 * full.sum(axis=(2, 3)) * rng.uniform(0.3, 3, (stands, 1))
    of = np.repeat(np.arange(stands), options)
    return Choices(loss.ravel(), spent.reshape(-1, frames, LINES), of, np.zeros((frames, LINES)))


def main() -> int:
    met = True
    for stands, options, frames, seconds, gap in CASES:
        rng, gaps, times = np.random.default_rng(stands), [], []
        for _ in range(DRAWN):
            choices = drawn(rng, stands, options, frames)
            as_it_is = np.arange(0, stands * options, options)
            marks = TIGHT * choices.total(as_it_is).max(axis=0)
            began = time.perf_counter()
            answer = rebalance(choices, marks, limit=seconds)
            times.append(time.perf_counter() - began)
            gaps.append(answer.gap)
            met &= not any(answer.over)
        met &= max(gaps) <= gap and max(times) <= seconds * 1.2
        print(
            f"rebalance: {stands} stands × {options} options × {frames} frames × {LINES} lines: within "
            f"{max(gaps):.3%} of the proven best (at most {gap:.1%}) in {max(times):.1f} s (at most "
            f"{seconds:g})"
        )
    return 0 if met else 1


if __name__ == "__main__":
    raise SystemExit(main())
