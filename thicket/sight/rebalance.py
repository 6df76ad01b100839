"""The cheapest way under the marks: of every stand one of its options, such that no budget line of any
frame that counts is overrun, with the least visible loss; an integer programme, solved by HiGHS."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp

GAP = 1e-3
"""The answer's loss is at most this share above the least there can be."""
LIMIT = 60.0
"""Seconds that one search may take."""


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
        raise RuntimeError("HiGHS found no answer in its time")
    taken, gap = found
    with np.errstate(invalid="ignore"):
        over = np.maximum(choices.total(taken).max(axis=0) / marks - 1, 0)
    over = np.where(over > 1e-5, np.nan_to_num(over), 0.0)
    return Answer(taken, float(choices.loss[list(taken)].sum()), gap, tuple(over.tolist()))


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
    constraints = [_one_each(choices)]
    if len(left):
        constraints.append(LinearConstraint(spent, -np.inf, left))
    # Of answers of the same loss, the one that changes the fewest groups; of those, what spends the least.
    each = spent.sum(axis=0) if len(left) else choices.spent.sum(axis=(1, 2))
    changed = np.r_[False, choices.of[1:] == choices.of[:-1]]
    tie = 1e-6 * max(choices.loss.max(), 1.0) * (changed + 0.01 * each / max(np.abs(each).max(), 1e-12))
    solved = milp(
        choices.loss + tie,
        constraints=constraints,
        integrality=np.ones(len(choices.loss)),
        bounds=Bounds(0, 1),
        options={"mip_rel_gap": GAP, "time_limit": limit},
    )
    if solved.x is None:
        return None
    return tuple(np.flatnonzero(solved.x > 0.5).tolist()), float(solved.mip_gap or 0.0)


def _least_over(choices: Choices, marks: np.ndarray, limit: float) -> np.ndarray:
    """By which share each line overruns its mark at the worst (lines,), when their sum is the least."""
    spent, left, line = _rows(choices, marks)
    lines, options = len(marks), len(choices.loss)
    slack = np.zeros((len(left), lines))
    slack[np.arange(len(left)), line] = -1.0
    solved = milp(
        np.r_[np.zeros(options), np.ones(lines)],
        constraints=[_one_each(choices, lines), LinearConstraint(np.hstack([spent, slack]), -np.inf, left)],
        integrality=np.r_[np.ones(options), np.zeros(lines)],
        bounds=Bounds(0, np.r_[np.ones(options), np.full(lines, np.inf)]),
        options={"mip_rel_gap": 1e-6, "time_limit": limit},
    )
    if solved.x is None:
        raise RuntimeError("HiGHS found no answer in its time")
    return np.asarray(np.where(np.isfinite(marks), np.maximum(solved.x[options:], 0), 0.0))
