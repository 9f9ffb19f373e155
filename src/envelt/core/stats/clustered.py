"""Tests when rows of one unit are not independent.

A statistic that is a quadratic form of scores is divided by how much larger its expectation is when whole
units, not rows, are the independent draws (the first-order correction of Rao & Scott 1984, Annals of
Statistics 12, 46–60).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..estimate import Estimate, Significance
from ..magnitude import in_unit
from .correlation import ranks, spearman_of_ranks

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def unit_codes(keys: NDArray[np.integer]) -> Codes:
    """Number the units 0 … U − 1."""
    return np.asarray(np.unique(keys, return_inverse=True)[1], np.int64)


def _pair_counts(units: Codes, codes: Codes, size: int) -> tuple[Codes, Floats]:
    """Return each (unit, code) that occurs, as its code, and how many rows it has."""
    key, n = np.unique(units * size + codes, return_counts=True)
    return key % size, n.astype(np.float64)


def table_design_effect(units: Codes, rows: Codes, columns: Codes, shape: tuple[int, int]) -> float:
    """Return the factor by which clustering inflates Pearson's chi-square of rows by columns.

    With g(a, b) = 1[a = b] / p_a − 1 the expectation is the sum, over pairs of rows of one unit, of the product
    of g over rows and g over columns; the factor is that sum over the part in which a row is paired with itself.
    """
    n = len(units)
    p = np.bincount(rows, minlength=shape[0]) / n
    q = np.bincount(columns, minlength=shape[1]) / n
    cell, n_cell = _pair_counts(units, rows * shape[1] + columns, shape[0] * shape[1])
    row, n_row = _pair_counts(units, rows, shape[0])
    column, n_column = _pair_counts(units, columns, shape[1])
    total = np.sum(n_cell**2 / (p[cell // shape[1]] * q[cell % shape[1]]))
    total -= np.sum(n_row**2 / p[row]) + np.sum(n_column**2 / q[column])
    total += np.sum(np.bincount(units).astype(np.float64) ** 2)
    alone = np.sum((1 / p[rows] - 1) * (1 / q[columns] - 1))
    return float(max(total / alone, 1.0)) if alone > 0 else 1.0


def group_design_effect(units: Codes, rows: Codes, size: int, values: Floats) -> float:
    """Return the factor by which clustering inflates a between-group sum of squares of values.

    The values are centred; ranks give the factor for Kruskal–Wallis's H.
    """
    p = np.bincount(rows, minlength=size) / len(units)
    values = in_unit(values)[0]
    centred = values - values.mean()
    key, at = np.unique(units * size + rows, return_inverse=True)
    total = np.bincount(at, weights=centred)
    of_unit = np.bincount(units, weights=centred)
    together = np.sum(total**2 / p[key % size]) - np.sum(of_unit**2)
    alone = np.sum((1 / p[rows] - 1) * centred**2)
    return float(max(together / alone, 1.0)) if alone > 0 else 1.0


def product_design_effect(units: Codes, x: Floats, y: Floats) -> float:
    """Return the factor by which clustering inflates the square of Σ (x − x̄)(y − ȳ)."""
    if len(x) == 0:
        return 1.0
    x, y = in_unit(x)[0], in_unit(y)[0]
    score = (x - x.mean()) * (y - y.mean())
    alone = float(np.sum(score**2))
    together = float(np.sum(np.bincount(units, weights=score) ** 2))
    return max(together / alone, 1.0) if alone > 0 else 1.0


def clustered_spearman(x: Floats, y: Floats, units: NDArray[np.integer] | None) -> tuple[Estimate, Significance]:
    """Spearman's correlation of numbers of the same rows, none missing; interval and test count units."""
    return clustered_spearman_of_ranks(ranks(x), ranks(y), units)


def clustered_spearman_of_ranks(
    x: Floats, y: Floats, units: NDArray[np.integer] | None
) -> tuple[Estimate, Significance]:
    """Return `clustered_spearman` of columns of which the ranks are known."""
    inflation = 1.0 if units is None else product_design_effect(unit_codes(units), x, y)
    return spearman_of_ranks(x, y, inflation)


def rate_design_effects(units: Codes, codes: NDArray[np.integer], event: NDArray[np.bool_], groups: int) -> Floats:
    """Return, for each group, the variance of its rate with units drawn over that with rows drawn.

    The rate is linearised as a ratio of unit totals; 1 at least, and 1 where the rate is 0 or 1.
    """
    inside = codes >= 0
    at, hit, unit = codes[inside].astype(np.int64), event[inside].astype(np.float64), units[inside]
    n = np.maximum(np.bincount(at, minlength=groups), 1)
    rate = np.bincount(at, weights=hit, minlength=groups) / n
    key, where = np.unique(unit * groups + at, return_inverse=True)
    total = np.bincount(where, weights=hit - rate[at])
    clustered = np.bincount(key % groups, weights=total**2, minlength=groups)
    plain = n * rate * (1 - rate)
    return np.asarray(np.maximum(np.divide(clustered, plain, out=np.ones(groups), where=plain > 0), 1.0))


def unit_variance(units: Codes, influence: Floats) -> float:
    """Return the variance of a statistic from its rows' influence values, summed over each unit."""
    total = np.bincount(units, weights=influence)
    size = int(np.count_nonzero(np.bincount(units)))
    return float(np.sum(total**2)) * size / max(size - 1, 1)
