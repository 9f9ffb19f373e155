"""A small additive model on rows held out: what it loses when a column goes, or comes in another form.

Ridge regression for a number; for classes logistic regression, one class against the rest, or of many classes least
squares of their indicators. Sums of products are taken once for all blocks of columns, by fold, so that another choice
of blocks is one small system of equations. Of classes each choice is one Newton step from a model that is fitted whole.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.special import expit, logit

from .. import thresholds as T
from ..stats.sampling import Sampling
from ..stats.targets import ClassTarget, Target

Floats = NDArray[np.float64]
Key = tuple[str, str]
"""A feature, and which block of it."""

RIDGE = 1.0
"""Of squared coefficients, beside squared residuals in units of the outcome's deviation, or log losses."""
MOST_LOGISTIC = 8
"""Classes; of more, indicators are fitted by least squares."""
MOST_COLUMNS = 1_500
"""Of blocks, times classes, of which logistic models are fitted; likewise."""
NEWTON = 12
FAR = 6.0
"""Log odds by which a row may lie beyond the classes' shares: one row far out must not be all that counts."""
LEAST_WEIGHT = 1e-3
COSTS_NOTHING = 0.0005
"""As a share of the outcome: less no one would notice."""
PATIENCE = 0.25
"""Standard errors that a change may cost: nothing is to be lost by default."""
GAINS = 0.002
"""Likewise, for a column more or another form to be worth it."""


@dataclass(frozen=True)
class Change:
    """What a change of blocks costs, as a share of what the outcome's mean or class shares alone lose.

    Parameters
    ----------
    cost
        Positive where the change loses; on rows held out.
    error
        Its standard error over cases.
    """

    cost: float
    error: float


class Products(NamedTuple):
    """Weighted sums of products of all columns, (P, P), and with responses, (P, D), by fold; then of all rows."""

    squares: list[Floats]
    response: list[Floats]


class Trial:
    """Blocks of columns, and an outcome that linear models of some of them are to tell.

    Parameters
    ----------
    blocks
        Each of shape (n, k), no value missing.
    target
        The outcome of the same rows.
    fold
        Of each row, 0 … 4, shape (n,).
    sampling
        Of the same rows.
    start
        The blocks of the model that classes start from.
    """

    def __init__(
        self,
        blocks: Mapping[Key, Floats],
        target: Target,
        fold: NDArray[np.integer],
        sampling: Sampling,
        start: Collection[Key],
    ) -> None:
        self._order = np.argsort(fold, kind="stable")
        self._ends = np.searchsorted(fold[self._order], np.arange(T.FOLDS + 1))
        self._sampling = sampling.take(self._order)
        widths = np.cumsum([1, *(b.shape[1] for b in blocks.values())])
        self._place = {k: np.arange(a, b) for k, a, b in zip(blocks, widths[:-1], widths[1:], strict=True)}
        self._design = np.concatenate((np.ones((len(fold), 1)), *blocks.values()), axis=1)[self._order]
        self._y = _outputs(target)[self._order]
        small = self._design.shape[1] * self._y.shape[1] <= MOST_COLUMNS
        self._logistic = isinstance(target, ClassTarget) and target.classes <= MOST_LOGISTIC and small
        self._penalty = np.full(self._design.shape[1], RIDGE)
        self._penalty[0] = 1e-8
        self._made: dict[frozenset[Key], Floats] = {}
        if self._logistic:
            self._sums = [self._products(y, start) for y in self._y.T]
        else:
            self._sums = [self._summed(np.ones(len(fold)), self._y)]
        self.base = self._base()

    def _base(self) -> float:
        """Return the mean loss of a row by the means, or class shares, of the folds it is not in."""
        y = self._y
        means = np.empty_like(y)
        for a, b in zip(self._ends[:-1], self._ends[1:], strict=True):
            means[a:b] = (y.sum(axis=0) - y[a:b].sum(axis=0)) / max(len(y) - (b - a), 1)
        return float(self._loss(logit(np.clip(means, 1e-9, 1 - 1e-9)) if self._logistic else means).mean())

    def _columns(self, keys: Collection[Key]) -> NDArray[np.int64]:
        chosen = [self._place[k] for k in self._place if k in keys]
        return np.sort(np.concatenate((np.zeros(1, np.int64), *chosen)))

    def _products(self, y: Floats, start: Collection[Key]) -> Products:
        """Return the sums for a class, with weights and a response of equal weights from a model of some blocks."""
        line = self._whole(y, start)
        weight = np.maximum(expit(line) * expit(-line), LEAST_WEIGHT)
        return self._summed(weight, (line + (y - expit(line)) / weight)[:, None])

    def _summed(self, weight: Floats, response: Floats) -> Products:
        x, squares, with_response = self._design, [], []
        for a, b in zip(self._ends[:-1], self._ends[1:], strict=True):
            weighted = x[a:b] * weight[a:b, None]
            squares.append(weighted.T @ x[a:b])
            with_response.append(weighted.T @ response[a:b])
        every = np.sum(squares, axis=0), np.sum(with_response, axis=0)
        return Products([*squares, every[0]], [*with_response, every[1]])

    def _whole(self, y: Floats, start: Collection[Key]) -> Floats:
        """Return the log odds of all rows by a penalized logistic model of some blocks: Newton's steps, halved."""
        at = self._columns(start)
        x, penalty = self._design[:, at], self._penalty[at]
        slopes = np.zeros(len(at))
        slopes[0] = logit((y.sum() + 0.5) / (len(y) + 1))

        def loss(b: Floats) -> float:
            line = x @ b
            return float(np.sum(np.logaddexp(0, line) - y * line) + penalty @ b**2 / 2)

        now = loss(slopes)
        for _ in range(NEWTON):
            p = expit(x @ slopes)
            curved = (x * np.maximum(p * (1 - p), 1e-6)[:, None]).T @ x + np.diag(penalty)
            step = scipy.linalg.solve(curved, x.T @ (y - p) - penalty * slopes, assume_a="pos")
            taken, new = 1.0, loss(slopes + step)
            while new > now and taken > 1e-3:
                taken /= 2
                new = loss(slopes + taken * step)
            if not new < now - 1e-6 * abs(now):
                break
            slopes, now = slopes + taken * step, new
        return np.asarray(x @ slopes)

    def losses(self, keys: Collection[Key]) -> Floats:
        """Return the loss of each row by a model of these blocks that was fitted without the row's fold, shape (n,)."""
        key = frozenset(keys)
        if key not in self._made:
            at = self._columns(key)
            x = self._design if len(at) > self._design.shape[1] / 2 else self._design[:, at]
            self._made[key] = self._loss(np.concatenate([self._lines(s, at, x) for s in self._sums], axis=1))
        return self._made[key]

    def _slopes(self, sums: Products, at: NDArray[np.int64]) -> list[Floats]:
        """Return the slopes of some columns, each of shape (p, D), fitted without each fold."""
        block = np.ix_(at, at)
        whole, own = sums.squares[-1][block] + np.diag(self._penalty[at]), sums.response[-1][at]
        return [
            scipy.linalg.solve(
                whole - sums.squares[k][block], own - sums.response[k][at], assume_a="pos", check_finite=False
            )
            for k in range(T.FOLDS)
        ]

    def _lines(self, sums: Products, at: NDArray[np.int64], x: Floats) -> Floats:
        out = np.empty((len(x), sums.response[-1].shape[1]))
        for slopes, a, b in zip(self._slopes(sums, at), self._ends[:-1], self._ends[1:], strict=True):
            full = slopes
            if x is self._design:
                full = np.zeros((x.shape[1], slopes.shape[1]))
                full[at] = slopes
            out[a:b] = x[a:b] @ full
        return out

    def most_gained(self, keys: Collection[Key], others: Sequence[Key]) -> Floats:
        """Return what each of some blocks of one column could gain at most, taken beside a model's or for one of them.

        The share of the loss that it removes on the rows that are fitted, without looking at rows: of squared
        residuals, or of a logistic model's by its second order.
        """
        at = self._columns(keys)
        more = np.concatenate([self._place[k] for k in others])
        gained = np.zeros(len(more))
        for s in self._sums:
            squares, response = s.squares[-1], s.response[-1]
            own = squares[np.ix_(at, at)] + np.diag(self._penalty[at])
            beside = squares[np.ix_(at, more)]
            d = response.shape[1]
            solved = scipy.linalg.solve(
                own, np.column_stack((response[at], beside)), assume_a="pos", check_finite=False
            )
            left = response[more] - beside.T @ solved[:, :d]
            alone = squares[more, more] + RIDGE - np.sum(beside * solved[:, d:], axis=0)
            gained += np.sum(left**2, axis=1) / np.maximum(alone, RIDGE)
        return gained / len(self._design) / self.base / (2 if self._logistic else 1)

    def _loss(self, lines: Floats) -> Floats:
        y = self._y
        if not self._logistic:
            return np.asarray(np.sum((y - lines) ** 2, axis=1))
        shares = logit(np.clip(y.mean(axis=0), 1e-9, 1 - 1e-9))
        lines = np.clip(lines, shares - FAR, shares + FAR)
        if lines.shape[1] == 1:
            return np.asarray(np.logaddexp(0, np.where(y[:, 0] > 0, -lines[:, 0], lines[:, 0])))
        p = expit(lines)
        return np.asarray(-np.log(np.sum(y * p, axis=1) / p.sum(axis=1)))

    def skill(self, keys: Collection[Key]) -> float:
        """Return the share of the base loss that a model of these blocks removes."""
        return 1 - float(self.losses(keys).mean()) / self.base

    def change(self, before: Collection[Key], after: Collection[Key]) -> Change:
        """Return what it costs to take some blocks instead of others."""
        away = (self.losses(after) - self.losses(before)) / self.base
        mean = float(away.mean())
        variance = self._sampling.variance((away - mean) / len(away))
        return Change(mean, float(np.sqrt(variance)))


def _outputs(target: Target) -> Floats:
    """Return the outcome as numbers, (n, D): itself, whether a row is the event, or whether it is of each class."""
    if not isinstance(target, ClassTarget):
        return target.values[:, None]
    classes = np.array([1]) if target.classes == 2 else np.arange(target.classes)
    return np.asarray(target.codes[:, None] == classes, np.float64)


def bearable(change: Change, patience: float = PATIENCE) -> bool:
    """Say whether a change costs no more than nothing, or than its own noise by far."""
    return change.cost <= max(COSTS_NOTHING, patience * change.error)


def without(
    trial: Trial, whole: Sequence[Key], groups: Mapping[str, Collection[Key]]
) -> tuple[list[str], dict[str, Change]]:
    """Return which groups of blocks can go from a model, one after another, the cheapest first, and what each costs.

    Each must be bearable by itself where it goes, and all that went together against the whole.
    """
    costs = {n: trial.change(whole, [k for k in whole if k not in keys]) for n, keys in groups.items()}
    gone: list[str] = []
    now = list(whole)
    for name in sorted(groups, key=lambda n: costs[n].cost):
        rest = [k for k in now if k not in groups[name]]
        alone, together = trial.change(now, rest), trial.change(whole, rest)
        if bearable(alone) and bearable(together, 1.0):
            gone.append(name)
            now = rest
        else:
            costs[name] = max(costs[name], alone, key=lambda c: c.cost)
    return gone, costs
