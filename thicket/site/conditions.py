"""Site conditions: what a stand asks of a place, and the suitability that follows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numba as nb
import numpy as np

from thicket.refused import Refused
from thicket.site.kinds import KINDS, Kind
from thicket.site.parameters import Parameters

JOINS = ("and", "or", "except")
Drive = Literal["size", "lean", "tint"]
DRIVES: tuple[Drive, ...] = get_args(Drive)
"""What a condition may multiply beside density."""


@dataclass(frozen=True)
class Condition(Parameters):
    """One rule about a place, checked.

    Raises: Refused where its parameters are not whole, or do not belong together.
    """

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise Refused(f"there is no condition called {self.kind!r}")
        name = self.rule.title
        if self.join not in JOINS:
            raise Refused(f"a condition joins with and, or, except, not with {self.join!r}")
        if not self.lo <= self.hi:
            raise Refused(f"the {name} band ends ({self.hi:g}) below its start ({self.lo:g})")
        if self.soft_lo < 0 or self.soft_hi < 0:
            raise Refused(f"the soft edges of the {name} band must not be negative")
        self.rule.check(self)
        if self.curve:
            self._check_curve()
        if self.depth and "depth" not in self.rule.parameters:
            raise Refused("only areas have a depth")
        if (self.border or self.rough) and "border" not in self.rule.parameters:
            raise Refused("only paths, areas and obstacles have borders")
        if self.border < 0 or self.rough < 0:
            raise Refused("a border must not be narrower, nor rougher, than 0 m")
        if self.size is not None and not 0.05 <= self.size <= 1:
            raise Refused("where a condition fails, plants have 0.05 to 1 of their size")
        for what in ("lean", "tint"):
            least = getattr(self, what)
            if least is not None and not 0 <= least <= 1:
                raise Refused(f"where a condition fails, plants have 0 to 1 of their {what}")
        if not self.density and all(getattr(self, what) is None for what in DRIVES):
            raise Refused(f"the {name} condition drives neither density nor size, lean or tint")

    def _check_curve(self) -> None:
        if "curve" not in self.rule.parameters:
            raise Refused("only shares go through a curve: of a mask image, a border, a depth or a density")
        at = [x for x, _ in self.curve]
        if len(at) < 2 or any(b <= a for a, b in zip(at, at[1:])):
            raise Refused("a curve needs two points or more, each to the right of the one before")
        if not all(0 <= v <= 1 for point in self.curve for v in point):
            raise Refused("the points of a curve lie from 0 to 1")

    @property
    def rule(self) -> Kind:
        """What all conditions of its kind have in common."""
        return KINDS[self.kind]

    @property
    def field(self) -> tuple:
        """What it looks at, whatever its band: equal for conditions that read the same values."""
        return (self.kind, *self.rule.asks(self))


@nb.njit(nogil=True, cache=True, inline="always")
def _step(t):
    t = min(max(t, np.float32(0.0)), np.float32(1.0))
    return t * t * (np.float32(3.0) - np.float32(2.0) * t)


@nb.njit(nogil=True, cache=True, inline="always")
def _in_band(v, edge_lo, edge_hi, steep_lo, steep_hi):
    """The product of the rising and the falling edge; of a band they are never both under way."""
    return _step((v - edge_lo) * steep_lo) * _step((edge_hi - v) * steep_hi)


@nb.njit(nogil=True, cache=True, inline="always")
def _away(v, centre):
    """Angle in degrees between a bearing and a centre; more than any band where the ground faces nowhere."""
    d = abs(v - centre)
    d = min(d, np.float32(360.0) - d)
    return np.float32(1e9) if v < np.float32(0.0) else d


@nb.njit(nogil=True, cache=True)
def _join(values, edge_lo, edge_hi, steep_lo, steep_hi, facing, centre, through, join, before, out):
    """Band and join in one pass over flat arrays; `join`: 0 and, 1 or, 2 except, 3 alone, 4 alone turned
    about, 5 size; where values have been `through` a curve, they are joined as they are."""
    one = np.float32(1.0)
    if through:
        out[:] = values
    elif facing:
        for k in range(values.shape[0]):
            c = _in_band(_away(values[k], centre), edge_lo, edge_hi, steep_lo, steep_hi)
            out[k] = c
    else:
        for k in range(values.shape[0]):
            out[k] = _in_band(values[k], edge_lo, edge_hi, steep_lo, steep_hi)
    if join == 0:
        for k in range(values.shape[0]):
            out[k] = before[k] * out[k]
    elif join == 1:
        for k in range(values.shape[0]):
            out[k] = max(before[k], out[k])
    elif join == 2:
        for k in range(values.shape[0]):
            out[k] = before[k] * (one - out[k])
    elif join == 4:
        for k in range(values.shape[0]):
            out[k] = one - out[k]


_HARD, _LEAST = np.float32(3e38), np.float32(1e-30)


def _edges(c: Condition) -> tuple[np.float32, ...]:
    """Where the band's edges begin and how steep they are. A hard edge includes its own value."""
    f = np.float32
    lo, hi = f(c.lo), f(c.hi)
    steep_lo = f(min(1.0 / c.soft_lo, 3e38)) if c.soft_lo > 0 else _HARD
    steep_hi = f(min(1.0 / c.soft_hi, 3e38)) if c.soft_hi > 0 else _HARD
    edge_lo = f(lo - f(c.soft_lo)) if c.soft_lo > 0 else min(np.nextafter(lo, f(-np.inf)), lo - _LEAST)
    edge_hi = f(hi + f(c.soft_hi)) if c.soft_hi > 0 else max(np.nextafter(hi, f(np.inf)), hi + _LEAST)
    return edge_lo, edge_hi, steep_lo, steep_hi


def _run(values: np.ndarray, c: Condition, join: int, before: np.ndarray | None) -> np.ndarray:
    values = np.ascontiguousarray(values, dtype=np.float32)
    if c.curve:
        at, shares = np.array(c.curve).T
        values = np.interp(values, at, shares).astype(np.float32)
    out = np.empty(values.shape, np.float32)
    flat = values.ravel()
    _join(
        flat,
        *_edges(c),
        "centre" in c.rule.parameters,
        np.float32(c.centre % 360),
        bool(c.curve),
        join,
        flat if before is None else np.ascontiguousarray(before).ravel(),
        out.ravel(),
    )
    return out


def result(values: np.ndarray, condition: Condition) -> np.ndarray:
    """What a condition makes of the values it looks at, before it is joined: 1 inside the band, falling to 0
    over the soft widths outside it (smoothstep); float32, same shape."""
    return _run(values, condition, 3, None)


def joined(before: np.ndarray | None, values: np.ndarray, condition: Condition) -> np.ndarray:
    """Suitability after one more condition.

    *and* multiplies, *or* takes the greater, *except* multiplies by what the condition leaves. Parameters:
    before, float32 suitability so far, None when this is the first condition that is on (which then counts
    alone); values of the condition's field, same shape. Returns: a new float32 array.
    """
    if before is None:
        return _run(values, condition, 4 if condition.join == "except" else 3, None)
    return _run(values, condition, JOINS.index(condition.join), before)


def deciding(conditions: Sequence[Condition]) -> list[Condition]:
    """Those that are on and decide where plants stand."""
    return [c for c in conditions if c.on and c.density]


def driving(conditions: Sequence[Condition], what: Drive) -> list[Condition]:
    """Those that are on and multiply the size, lean or tint of plants."""
    return [c for c in conditions if c.on and getattr(c, what) is not None]


def suitability(
    fields: Sequence[np.ndarray], conditions: Sequence[Condition], shape: tuple[int, ...]
) -> np.ndarray:
    """The conditions combined from top to bottom.

    Parameters: fields, one array of values for each condition; conditions in order, of which those that are
    off or drive only size are passed over; shape of the result. Returns: float32 0–1; 1 everywhere when no
    condition decides.
    """
    total: np.ndarray | None = None
    for values, condition in zip(fields, conditions):
        if condition.on and condition.density:
            total = joined(total, values, condition)
    return np.ones(shape, np.float32) if total is None else total


def drive_factor(
    what: Drive, fields: Sequence[np.ndarray], conditions: Sequence[Condition], shape: tuple[int, ...]
) -> np.ndarray:
    """What the size, lean or tint of plants is multiplied by: from what a condition says of it where it fails
    to 1 where it holds, all multiplied.

    Parameters as for `suitability`; of an *except* condition, what it leaves counts. Returns: float32.
    """
    total = np.ones(shape, np.float32)
    for values, c in zip(fields, conditions):
        least = getattr(c, what)
        if c.on and least is not None:
            held = _run(values, c, 4 if c.join == "except" else 3, None)
            total *= np.float32(least) + np.float32(1 - least) * held
    return total


def histogram(values: np.ndarray, lo: float, hi: float, bins: int = 48) -> tuple[np.ndarray, np.ndarray]:
    """Counts int64 (bins,) and edges float64 (bins + 1,) of a field over a range; what lies outside counts at
    its ends."""
    if not hi > lo:
        hi = lo + 1.0
    return np.histogram(np.clip(values, lo, hi), bins=bins, range=(lo, hi))


def middle(values: np.ndarray, weights: np.ndarray, share: float = 0.9) -> tuple[float, float]:
    """The band of values that holds the middle `share` of the weights.

    Parameters: values, weights, arrays of one shape, weights ≥ 0. Raises: Refused when there is no weight at
    all.
    """
    order = np.argsort(values, axis=None)
    run = np.cumsum(weights.ravel()[order], dtype=np.float64)
    if not run[-1] > 0:
        raise Refused("the layer covers no ground")
    at = np.searchsorted(run / run[-1], [(1 - share) / 2, (1 + share) / 2])
    lo, hi = values.ravel()[order[np.minimum(at, len(order) - 1)]]
    return float(lo), float(hi)
