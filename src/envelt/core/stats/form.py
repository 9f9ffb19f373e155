"""The form of a relation of two numbers, decided by how fits do on rows they were not fitted on.

Nested fits of one number along the other are compared: its mean, a straight line, a curve that only rises or only
falls, and one that is free to turn. A richer fit counts only where it surely does better, and by enough to matter.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import optimize

from .. import thresholds as T
from ..estimate import Significance
from ..magnitude import in_unit
from ..shapes.ranks import mid_ranks
from .sampling import Sampling
from .straight import not_straight

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

FOLDS = 5
MOST_ROWS = 4_000
"""Rows looked at: with so many, what cannot be decided does not matter."""
DEGREE = 6
"""Of the free curve in the ranks of x: two full waves."""
STEPS = 24
"""Places of the rising curve; it is straight between them."""


@dataclass(frozen=True)
class Form:
    """The form of a relation.

    Parameters
    ----------
    form
        "linear", "monotone", "curved", "none", or "not decided" where the rows do not say.
    not_straight
        Chi-square that the means of bins lie on a line.
    gains
        The share of the variance that each fit removes on held-out rows: line, rising (or falling), free.
    """

    form: str
    not_straight: Significance
    gains: tuple[float, float, float]


UNDECIDED = (float("nan"),) * 3


@dataclass(frozen=True)
class _Losses:
    """Squared errors on held-out rows, shape (n,): of the mean, the line, the rising and the free curve."""

    mean: Floats
    line: Floats
    rising: Floats
    free: Floats
    sampling: Sampling

    def gain(self, of: Floats, over: Floats) -> tuple[float, float]:
        """Return how much smaller one error is than another, and its standard error, in shares of the variance."""
        base = max(float(self.mean.mean()), 1e-300)
        away = (over - of) / base
        n = len(away)
        centred = (away - away.mean()) / n
        return float(away.mean()), T.WIDEN * float(np.sqrt(self.sampling.variance(centred)))


def relation_form(x: Floats, y: Floats, sampling: Sampling, seed: int = 0) -> Form:
    """Decide the form of a relation; of more than 4,000 rows a sample is looked at.

    A bend that only the other side shows (one x goes with a low and a high y) is a curve too: no line, and no
    correlation, says what is there.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    sampling
        Of these rows: folds never split a unit, and errors are of sums over cases.
    """
    straight = not_straight(x, y, sampling)
    if len(x) < T.FORM_ROWS or sampling.cases < 2 * FOLDS:
        return Form("not decided", straight, UNDECIDED)
    if x.min() == x.max() or y.min() == y.max():
        return Form("none", straight, UNDECIDED)
    rng = np.random.default_rng([seed, 0xF0])
    if len(x) > MOST_ROWS:
        at = np.sort(rng.choice(len(x), MOST_ROWS, replace=False))
        x, y, sampling = x[at], y[at], sampling.take(at)
    x, y = in_unit(x - x[0])[0], in_unit(y - y[0])[0]
    fold = rng.permutation(sampling.cases) % FOLDS
    fold = fold if sampling.units is None else fold[sampling.units]
    losses = _losses(x, y, fold, sampling)
    form = _decided(losses)
    if form != "curved":
        other = _losses(y, x, fold, sampling)
        if _bends(other, T.FORM_OTHER_GAIN):
            form = "curved"
        elif form != "none" and np.all((x == x.min()) | (x == x.max())):
            form = "not decided"  # any curve goes through two points
    gains = tuple(losses.gain(of, losses.mean)[0] for of in (losses.line, losses.rising, losses.free))
    return Form(form, straight, (gains[0], gains[1], gains[2]))


def _losses(x: Floats, y: Floats, fold: Codes, sampling: Sampling) -> _Losses:
    n = len(x)
    order = np.argsort(x, kind="stable")
    u = np.empty(n)
    u[order] = (mid_ranks(x[order]) - 0.5) / n
    free_basis = np.polynomial.legendre.legvander(
        2 * u - 1, min(DEGREE, max(1, int(np.count_nonzero(np.diff(x[order])))))
    )
    z = (x - x.mean()) / max(float(x.std()), 1e-300)
    straight_basis = np.asarray(np.stack([np.ones(n), z], axis=1), np.float64)
    step = np.minimum((u * STEPS).astype(np.int64), STEPS - 1)
    mean, line = _held_out(np.ones((n, 1)), y, fold), _held_out(straight_basis, y, fold)
    free = _held_out(free_basis, y, fold)
    rising = np.empty(n)
    for k in range(FOLDS):
        train, held = fold != k, fold == k
        rising[held] = (y[held] - _rising(u[train], step[train], y[train], u[held])) ** 2
    return _Losses(mean, line, rising, free, sampling)


def _held_out(basis: NDArray[Any], y: Floats, fold: Codes) -> Floats:
    """Return the squared errors of a least-squares fit on the fold that was left out of it, shape (n,)."""
    order = np.argsort(fold, kind="stable")
    ends = np.cumsum(np.bincount(fold, minlength=FOLDS))
    parts = [order[a:b] for a, b in zip(np.concatenate(([0], ends[:-1])), ends, strict=True)]
    grams = np.stack([basis[at].T @ basis[at] for at in parts])
    sums = np.stack([basis[at].T @ y[at] for at in parts])
    whole, total = grams.sum(axis=0), sums.sum(axis=0)
    squared = np.empty(len(y))
    for k, at in enumerate(parts):
        fit = np.linalg.lstsq(whole - grams[k], total - sums[k], rcond=None)[0]
        squared[at] = (y[at] - basis[at] @ fit) ** 2
    return squared


def _rising(u: Floats, step: Codes, y: Floats, at: Floats) -> Floats:
    """Fit means of steps that only rise, or only fall, and read them off at other places, straight between."""
    n = np.bincount(step, minlength=STEPS).astype(float)
    used = n > 0
    middle = (np.bincount(step, weights=u, minlength=STEPS)[used]) / n[used]
    mean = (np.bincount(step, weights=y, minlength=STEPS)[used]) / n[used]
    best, fitted = np.inf, mean
    for increasing in (True, False):
        made = optimize.isotonic_regression(mean, weights=n[used], increasing=increasing).x
        loss = float(np.sum(n[used] * (mean - made) ** 2))
        if loss < best:
            best, fitted = loss, made
    return np.asarray(np.interp(at, middle, fitted), np.float64)


def _decided(losses: _Losses) -> str:
    gains = [losses.gain(of, losses.mean) for of in (losses.line, losses.rising, losses.free)]
    if not any(g > T.FORM_RELATED * se and g > T.FORM_LEAST for g, se in gains):
        unseen = max(g + 2 * se for g, se in gains)
        return "none" if unseen < T.FORM_NONE else "not decided"
    if _bends(losses, T.FORM_GAIN):
        return "curved"
    rising, error = losses.gain(losses.rising, losses.line)
    if rising > T.FORM_BETTER * error and rising >= T.FORM_GAIN:
        return "monotone"
    free, free_error = losses.gain(losses.free, losses.line)
    if free > T.FORM_BETTER * free_error and free >= T.FORM_GAIN:
        return "monotone"  # no line, and no surer a turn
    return "not decided" if max(rising + 2 * error, free + 2 * free_error) > T.FORM_UNSEEN else "linear"


def _bends(losses: _Losses, least: float) -> bool:
    """Say whether a curve free to turn surely does better than a line and than one that only rises or falls."""
    gains = [losses.gain(losses.free, over) for over in (losses.line, losses.rising)]
    related, error = losses.gain(losses.free, losses.mean)
    return related > T.FORM_RELATED * error and all(g > T.FORM_BETTER * se and g >= least for g, se in gains)
