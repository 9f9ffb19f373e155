"""Columns as a linear model takes them: numbers straight or with bends, levels by indicators or by the outcome's rate.

Numbers are in units of their deviation, so that one penalty fits all; indicators are 0 and 1, as a model gets them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..stats.shrinkage import shrunken_levels
from ..stats.targets import ClassTarget, Target

Floats = NDArray[np.float64]
Codes = NDArray[np.integer]

RARE = 10
"""Rows under which a level is joined with the other rare ones."""
MOST_INDICATORS = 60
"""Of the largest levels; the rest is told by none."""
FAR = 30.0
"""Deviations from the middle at which a bent number is held: a slip would bend all knots."""


def straight(values: Floats) -> Floats:
    """Return a number, none missing, in units of its deviation, shape (n, 1); nothing where it does not vary."""
    spread = float(values.std())
    if not 0 < spread < np.inf:
        return np.zeros((len(values), 0))
    return np.asarray(((values - values.mean()) / spread)[:, None])


def bent(values: Floats, bends: int) -> Floats:
    """Return a number straight, and its hinges at inner quantiles, shape (n, 1 + bends at most)."""
    line = straight(values)
    if not bends or not line.shape[1]:
        return line
    x = np.clip(line[:, 0], -FAR, FAR)
    knots = np.unique(np.quantile(x, np.arange(1, bends + 1) / (bends + 1)))
    knots = knots[(knots > x.min()) & (knots < x.max())]
    hinges = [straight(np.maximum(x - k, 0)) for k in knots]
    return np.concatenate((line, *hinges), axis=1)


def gap(missing: NDArray[np.bool_]) -> Floats:
    """Return whether a value is missing, shape (n, 1); nothing where too few are, or too few are not."""
    n = int(missing.sum())
    return np.zeros((len(missing), int(RARE <= n <= len(missing) - RARE))) + missing[:, None]


def indicators(codes: Codes, levels: int) -> Floats:
    """Return a column of 0 and 1 for each level of ten rows at least and one for all others, −1 being missing."""
    n = np.bincount(codes + 1, minlength=levels + 1)
    kept = np.flatnonzero(n >= RARE)
    kept = kept[np.argsort(-n[kept], kind="stable")][:MOST_INDICATORS]
    place = np.full(levels + 1, len(kept))
    place[kept] = np.arange(len(kept))
    at = place[codes + 1]
    width = len(kept) + int((at == len(kept)).sum() >= RARE)
    return (at[:, None] == np.arange(width)).astype(np.float64) if width > 1 else np.zeros((len(codes), 0))


def rates(codes: Codes, levels: int, target: Target, fold: NDArray[np.integer]) -> Floats:
    """Return the outcome's shrunken rate at each row's level, learned on the folds it is not in, shape (n, D).

    D is 1 for a number or two classes, else one for each class.
    """
    columns = []
    for y in outputs_of(target):
        base, spread, made = float(y.mean()), float(y.std()), np.empty(len(y))
        for k in range(T.FOLDS):
            inside = fold == k
            n = np.bincount(codes[~inside] + 1, minlength=levels + 1)
            sums = np.bincount(codes[~inside] + 1, weights=y[~inside], minlength=levels + 1)
            means = np.divide(sums, n, out=np.full(levels + 1, base), where=n > 0)
            made[inside] = shrunken_levels(n, means, base, spread, 1.0)[codes[inside] + 1]
        columns.append(straight(made))
    return np.concatenate(columns, axis=1)


def outputs_of(target: Target) -> list[Floats]:
    """Return the outcome as numbers: itself, whether a row is the event, or whether it is of each class."""
    if not isinstance(target, ClassTarget):
        return [target.values]
    classes = [1] if target.classes == 2 else range(target.classes)
    return [(target.codes == k).astype(np.float64) for k in classes]
