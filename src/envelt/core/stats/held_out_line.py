"""The held-out share of a straight-line fit: what a straight line of one number removes of the outcome's uncertainty.

For a numeric outcome least squares, whose share is R² on rows held out; for classes a logistic (multinomial) line, of
which the slopes of more than 20 are taken from the classes' means (linear discriminant analysis). One repeat of the
folds of the held-out share, so that the two can be set beside each other.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .heldout import HeldOutRows
from .targets import ClassTarget, NumberTarget, Target

Floats = NDArray[np.float64]

CELLS = 1_000
"""Of equally many rows; the outer hundredths are cut ten times finer, since they pull at a line most."""
RIDGE = 1e-6
"""Of a row, on every slope: where a line parts the classes, no slope is the largest."""
STEPS = 50
MOST_FITTED = 20
"""Classes of which a logistic line is fitted step by step: a step grows with their cube."""


class StraightLine:
    """The outcome's counts along a number, by cell and fold, from which any monotone transform of it can be judged.

    Parameters
    ----------
    place
        The place of each row's value among the distinct values, shape (n,).
    count
        Rows at each distinct value, shape (m,), m > 1.
    held
        The outcome of the same rows; of their folds the first repeat is used.
    """

    def __init__(self, place: NDArray[np.integer], count: NDArray[np.integer], held: HeldOutRows) -> None:
        target, folds = held.target, held.folds(place, 1)
        self._target, self._count, self._place = target, count.astype(np.float64), place
        fold = folds.fold_of_block[0][folds.blocks]
        if isinstance(target, ClassTarget):
            self._starts = _starts(count)
            cell = np.repeat(np.arange(len(self._starts)), np.diff(np.append(self._starts, len(count))))
            size = len(self._starts)
            self._sums = target.sums(fold * size + cell[place], T.FOLDS * size).reshape(T.FOLDS, size, target.classes)
        else:
            self._fold, self._y = fold, target.values

    def share(self, values: Floats) -> float:
        """Return the held-out share of a line in the distinct values' images, shape (m,), in the same order.

        NaN where the images are all the same, or a fold leaves too little to fit.
        """
        total = self._count.sum()
        mean = float(self._count @ values) / total
        with np.errstate(over="ignore", invalid="ignore"):
            sd = float(np.sqrt(self._count @ (values - mean) ** 2 / total))
        if not 0 < sd < np.inf:
            return float("nan")
        scaled = (values - mean) / sd
        return self._of_classes(scaled) if isinstance(self._target, ClassTarget) else self._of_numbers(scaled)

    def _of_numbers(self, scaled: Floats) -> float:
        x, y, fold = scaled[self._place], self._y, self._fold
        parts = (None, x, y, x * x, x * y, y * y)
        sums = np.stack([np.bincount(fold, weights=p, minlength=T.FOLDS) for p in parts])
        n, sx, sy, sxx, sxy, _ = sums.sum(axis=1, keepdims=True) - sums
        with np.errstate(invalid="ignore", divide="ignore"):
            spread = sxx - sx * sx / n
            slope = np.where(spread > 0, (sxy - sx * sy / n) / spread, 0.0)
            base = sy / n
            start = base - slope * sx / n
            m, hx, hy, hxx, hxy, hyy = sums
            loss = hyy - 2 * start * hy - 2 * slope * hxy + start**2 * m + 2 * start * slope * hx + slope**2 * hxx
            plain = hyy - 2 * base * hy + base**2 * m
            return float(1 - loss.sum() / plain.sum()) if plain.sum() > 0 else float("nan")

    def _of_classes(self, scaled: Floats) -> float:
        weight = np.add.reduceat(self._count, self._starts)
        at = np.add.reduceat(self._count * scaled, self._starts) / weight
        total = self._sums.sum(axis=0)
        loss = plain = 0.0
        for held in self._sums:
            train = total - held
            base = self._target.base(train.sum(axis=0))
            rates = (_logistic if train.shape[1] <= MOST_FITTED else _discriminant)(at, train)
            loss += float(self._target.loss(held, rates))
            plain += float(-np.sum(held * np.log(base)))
        return 1 - loss / plain if plain > 0 else float("nan")


def _starts(count: NDArray[np.integer]) -> NDArray[np.int64]:
    """Return where cells of distinct values start: finer in the outer hundredths."""
    if len(count) <= CELLS:
        return np.arange(len(count))
    before = (np.cumsum(count) - count) / count.sum()
    end = CELLS // 10
    edges = np.concatenate((np.linspace(0, 0.01, end), np.linspace(0.01, 0.99, CELLS), np.linspace(0.99, 1, end)))
    return np.unique(np.minimum(np.searchsorted(before, edges), len(count) - 1))


def _logistic(at: Floats, counts: Floats) -> Floats:
    """Return the class rates along a number, shape (cells, K), of a multinomial logistic line fitted to counts.

    Newton's steps, halved where they do not help (Böhning 1992, Ann Inst Stat Math 44, 197–200, for the Hessian).
    """
    k = counts.shape[1]
    design = np.stack((np.ones(len(at)), at), axis=1)
    n = counts.sum(axis=1)
    base = (counts.sum(axis=0) + 0.5) / (n.sum() + k / 2)
    slopes = np.zeros((2, k - 1))  # against the first class
    slopes[0] = np.log(base[1:] / base[0])
    penalty = np.diag(np.tile([0.0, RIDGE], k - 1))

    def rates_of(b: Floats) -> Floats:
        line = np.concatenate((np.zeros((len(at), 1)), design @ b), axis=1)
        line -= line.max(axis=1, keepdims=True)
        e = np.exp(line)
        return np.asarray(np.maximum(e / e.sum(axis=1, keepdims=True), 1e-12))

    def loss_of(b: Floats) -> float:
        return float(-np.sum(counts * np.log(rates_of(b)))) + RIDGE / 2 * float(np.sum(b[1] ** 2))

    loss = loss_of(slopes)
    for _ in range(STEPS):
        rates = rates_of(slopes)[:, 1:]
        away = design.T @ (n[:, None] * rates - counts[:, 1:])
        away[1] += RIDGE * slopes[1]
        weighted = np.stack([rates * (n * at**power)[:, None] for power in range(3)])
        full = penalty.copy()
        for p in range(2):
            for q in range(2):
                w = weighted[p + q]
                full[p::2, q::2] += np.diag(w.sum(axis=0)) - rates.T @ w
        step = np.linalg.lstsq(full, away.T.ravel(), rcond=None)[0].reshape(k - 1, 2).T
        better, taken = loss, 1.0
        while taken > 1e-4:
            better = loss_of(slopes - taken * step)
            if better <= loss:
                break
            taken /= 2
        if not better < loss - 1e-9 * abs(loss):
            break
        slopes, loss = slopes - taken * step, better
    return rates_of(slopes)


def _discriminant(at: Floats, counts: Floats) -> Floats:
    """Return the class rates along a number, shape (cells, K), of classes that are normal with one variance.

    Their logarithms lie on lines too, with slopes (m_k − m) / s² (Efron 1975, J Am Stat Assoc 70, 892–898). A class of
    few rows is drawn to the mean of all by as much as the classes' means differ by chance.
    """
    n = counts.sum(axis=0)
    total = n.sum()
    mean = np.divide(at @ counts, n, out=np.zeros(len(n)), where=n > 0)
    overall = float(n @ mean) / total
    inside = max(float(counts.sum(axis=1) @ at**2 - n @ mean**2) / max(total - np.count_nonzero(n), 1), 1e-12)
    between = max(float(n @ (mean - overall) ** 2) - (np.count_nonzero(n) - 1) * inside, 0.0) / total
    kept = between / (between + inside / np.maximum(n, 1)) if between > 0 else np.zeros(len(n))
    mean = overall + kept * (mean - overall)
    line = np.log((n + 0.5) / (total + len(n) / 2)) - (at[:, None] - mean) ** 2 / (2 * inside)
    line -= line.max(axis=1, keepdims=True)
    e = np.exp(line)
    return np.asarray(np.maximum(e / e.sum(axis=1, keepdims=True), 1e-12))


def line_targets(target: Target) -> bool:
    """Say whether a target can be fitted by a line: it has two classes, or two values, at least."""
    if isinstance(target, NumberTarget):
        return len(target) > T.FOLDS and bool(target.ordinals.max(initial=0) > 0)
    return len(target) > T.FOLDS and int(np.count_nonzero(np.bincount(target.codes))) > 1
