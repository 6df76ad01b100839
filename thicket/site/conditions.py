"""Site conditions: what a stand asks of a place, and the suitability that follows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

KINDS = ("altitude", "slope")
JOINS = ("and", "or", "except")


@dataclass(frozen=True)
class Condition:
    """One rule about a place: a band [lo, hi] of a field, with a soft width below and above, in its units."""

    kind: str
    lo: float
    hi: float
    soft_lo: float = 0.0
    soft_hi: float = 0.0
    join: str = "and"
    on: bool = True

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise ValueError(f"there is no condition called {self.kind!r}")
        if self.join not in JOINS:
            raise ValueError(f"a condition joins with and, or, except, not with {self.join!r}")
        if not self.lo <= self.hi:
            raise ValueError(f"the {self.kind} band ends ({self.hi:g}) below its start ({self.lo:g})")
        if self.soft_lo < 0 or self.soft_hi < 0:
            raise ValueError(f"the soft edges of the {self.kind} band must not be negative")


@nb.njit(nogil=True, cache=True, inline="always")
def _step(t):
    t = min(max(t, 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@nb.njit(nogil=True, cache=True)
def _band(values, lo, hi, soft_lo, soft_hi, out):
    for k in range(values.size):
        v = values.flat[k]
        c = 1.0
        if v < lo:
            c = _step((v - lo + soft_lo) / soft_lo) if soft_lo > 0.0 else 0.0
        elif v > hi:
            c = _step((hi + soft_hi - v) / soft_hi) if soft_hi > 0.0 else 0.0
        out.flat[k] = c


def band(values: np.ndarray, lo: float, hi: float, soft_lo: float = 0.0, soft_hi: float = 0.0) -> np.ndarray:
    """1 inside [lo, hi], falling to 0 over the soft widths outside it (smoothstep); float32, same shape."""
    out = np.empty(values.shape, np.float32)
    _band(values, float(lo), float(hi), float(soft_lo), float(soft_hi), out)
    return out


def suitability(fields: Mapping[str, np.ndarray], conditions: Sequence[Condition]) -> np.ndarray:
    """The conditions combined from top to bottom: *and* multiplies, *or* takes the greater, *except*
    multiplies by what the condition leaves.

    Parameters: fields, float32 arrays of one shape by condition kind; conditions in order. A condition
    that is off is passed over; the first one's join counts from full suitability (*or* from none).

    Returns: float32 0–1 of the fields' shape; 1 everywhere when no condition is on.
    """
    total: np.ndarray | None = None
    for condition in conditions:
        if not condition.on:
            continue
        c = band(fields[condition.kind], condition.lo, condition.hi, condition.soft_lo, condition.soft_hi)
        if condition.join == "except":
            c = 1.0 - c
        if total is None:
            total = c
        elif condition.join == "or":
            np.maximum(total, c, out=total)
        else:
            total *= c
    if total is None:
        total = np.ones(next(iter(fields.values())).shape, np.float32)
    return total


def histogram(values: np.ndarray, bins: int = 48) -> tuple[np.ndarray, np.ndarray]:
    """Counts int64 (bins,) and edges float64 (bins + 1,) of a field, over all of its range."""
    return np.histogram(values, bins=bins)
