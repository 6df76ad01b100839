"""The cheapest way under the marks: of every stand one of its options, such that no budget line of any
frame that counts is overrun, with the least visible loss; an integer programme, solved by HiGHS."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

from thicket.refused import Refused

GAP = 1e-3
"""The answer's loss is at most this share above the least there can be."""
LIMIT = 10.0
"""Seconds that one search may take."""
NEAR, MORE = 0.06, 20
"""A frame's line is in the search from the start where the relaxed answer leaves less of its mark than this
share; of those that an answer overruns, so many are taken in at a time."""
NOTHING = "no answer was found in the time there is: let fewer stands change, or fewer places count"
TIME_LIMIT = 1
"""SciPy's status of a search that its time has ended."""


@dataclass(frozen=True, eq=False)
class Choices:
    """loss (options,) in pixels; spent (options, frames, lines); of (options,), the group that each belongs
    to, in order, and in each what changes nothing first: one of each is chosen; base (frames, lines), what is
    spent whatever is chosen."""

    loss: np.ndarray
    spent: np.ndarray
    of: np.ndarray
    base: np.ndarray

    def total(self, taken: Sequence[int]) -> np.ndarray:
        """What is spent with some options, (frames, lines)."""
        return np.asarray(self.base + self.spent[list(taken)].sum(axis=0))


@dataclass(frozen=True)
class Answer:
    """The options that are taken, by number, one of each group in order; their loss in pixels; by how much
    the loss may be above the least there can be, relative; and by which share each line still overruns its
    mark at the worst, 0 where it does not."""

    taken: tuple[int, ...]
    loss: float
    gap: float
    over: tuple[float, ...]


def rebalance(choices: Choices, marks: np.ndarray, limit: float = LIMIT) -> Answer:
    """The least loss under the marks (lines,); when they cannot all be met, the least loss among the answers
    whose lines overrun them by the least, as a sum of shares. A line without a mark has infinity for one."""
    found = _least_loss(choices, marks, limit)
    if found is None:
        found = _least_loss(choices, marks * (1 + _least_over(choices, marks, limit) + 1e-6), limit)
    if found is None:
        raise Refused(NOTHING)
    taken, gap = found
    over = over_of(choices.total(taken), marks)
    return Answer(taken, float(choices.loss[list(taken)].sum()), gap, over)


def over_of(spent: np.ndarray, marks: np.ndarray) -> tuple[float, ...]:
    """By which share the dearest frame of what is spent (frames, lines) overruns each mark (lines,)."""
    with np.errstate(invalid="ignore"):
        over = np.maximum(spent.max(axis=0) / marks - 1, 0)
    return tuple(np.where(over > 1e-5, np.nan_to_num(over), 0.0).tolist())


def trade_off(choices: Choices, line: int, count: int, limit: float = LIMIT) -> list[Answer]:
    """Answers from what is spent on a line as it is down to the least that can be spent on it in the dearest
    frame, in even steps: what less of it costs in loss."""
    free = np.full(choices.base.shape[1], np.inf)
    first = _least_loss(choices, free, limit)
    if first is None:
        return []
    most = float(choices.total(first[0])[:, line].max())
    marks = free.copy()
    marks[line] = 1e-9
    least = 1e-9 * (1 + _least_over(choices, marks, limit)[line])
    out: list[Answer] = []
    for mark in np.linspace(most, least, count):
        marks[line] = mark * (1 + 1e-6)
        found = _least_loss(choices, marks, limit)
        if found and (not out or out[-1].taken != found[0]):
            loss = float(choices.loss[list(found[0])].sum())
            out.append(Answer(found[0], loss, found[1], (0.0,) * len(free)))
    return out


def _rows(choices: Choices, marks: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """One row for each frame and marked line: what the options spend of the mark (rows, options), what is
    left of it (rows,), and the line (rows,)."""
    lines = np.flatnonzero(np.isfinite(marks))
    spent = choices.spent[:, :, lines] / marks[lines]
    left = 1 - choices.base[:, lines] / marks[lines]
    return spent.reshape(len(spent), -1).T, left.ravel(), np.tile(lines, len(choices.base))


def _one_each(choices: Choices, more: int = 0) -> LinearConstraint:
    groups = np.unique(choices.of)
    rows = (choices.of == groups[:, None]).astype(float)
    return LinearConstraint(np.hstack([rows, np.zeros((len(groups), more))]), 1, 1)


def _least_loss(choices: Choices, marks: np.ndarray, limit: float) -> tuple[tuple[int, ...], float] | None:
    """Options and relative gap of the least loss; None when the marks cannot be met."""
    spent, left, _ = _rows(choices, marks)
    # Of answers of the same loss, the one that changes the fewest groups; of those, what spends the least.
    each = spent.sum(axis=0) if len(left) else choices.spent.sum(axis=(1, 2))
    changed = np.r_[False, choices.of[1:] == choices.of[:-1]]
    tie = 1e-6 * max(choices.loss.max(), 1.0) * (changed + 0.01 * each / max(np.abs(each).max(), 1e-12))
    ones = np.ones(len(choices.loss))
    found = _solve(choices.loss + tie, _one_each(choices), spent, left, ones, Bounds(0, 1), GAP, limit)
    return found and (tuple(np.flatnonzero(found[0] > 0.5).tolist()), found[1])


def _least_over(choices: Choices, marks: np.ndarray, limit: float) -> np.ndarray:
    """By which share each line overruns its mark at the worst (lines,), when their sum is the least."""
    spent, left, line = _rows(choices, marks)
    lines, options = len(marks), len(choices.loss)
    slack = np.zeros((len(left), lines))
    slack[np.arange(len(left)), line] = -1.0
    goal = np.r_[np.zeros(options), np.ones(lines)]
    bounds = Bounds(0, np.r_[np.ones(options), np.full(lines, np.inf)])
    one_each, rows = _one_each(choices, lines), np.hstack([spent, slack])
    found = _solve(goal, one_each, rows, left, 1 - goal, bounds, 1e-6, limit)
    if found is None:
        raise Refused(NOTHING)
    return np.asarray(np.where(np.isfinite(marks), np.maximum(found[0][options:], 0), 0.0))


def _solve(
    goal: np.ndarray,
    one_each: LinearConstraint,
    rows: np.ndarray,
    left: np.ndarray,
    whole: np.ndarray,
    bounds: Bounds,
    gap: float,
    limit: float,
) -> tuple[np.ndarray, float] | None:
    """x (columns,) with the least goal @ x such that rows @ x ≤ left, where those with a 1 in `whole` are
    whole numbers; and by how much that may be above the least, relative. None when there is none.

    Few rows ever bind. The programme begins without them, relaxed, and takes in those that its answer
    overruns until it overruns none: what is the least with fewer rows is so with all of them.

    Raises: Refused when the time ends before an answer is found.
    """
    ends, taken, kind = time.monotonic() + limit, np.zeros(len(left), bool), np.zeros_like(whole)
    while True:
        under = [LinearConstraint(rows[taken], -np.inf, left[taken])] if taken.any() else []
        rest = max(ends - time.monotonic(), 0.1)
        options = {"mip_rel_gap": gap, "time_limit": rest}
        solved = milp(goal, constraints=[one_each, *under], integrality=kind, bounds=bounds, options=options)
        if solved.x is None:
            if solved.status == TIME_LIMIT:
                raise Refused(NOTHING)
            return None
        room = left - rows @ solved.x
        worst = np.argsort(room)[:MORE]
        overrun = worst[(room[worst] < -1e-6) & ~taken[worst]]
        if len(overrun):
            taken[overrun] = True
        elif kind is whole:
            return solved.x, float(solved.mip_gap or 0.0)
        else:
            kind, taken = whole, room < NEAR
