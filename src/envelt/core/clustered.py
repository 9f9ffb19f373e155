"""Tests when rows of one unit are not independent.

A statistic that is a quadratic form of scores is divided by how much larger its expectation is when whole
units, not rows, are the independent draws (the first-order correction of Rao & Scott 1984, Annals of
Statistics 12, 46–60).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def unit_codes(keys: NDArray[np.uint64]) -> Codes:
    """Number the units 0 … U − 1."""
    return np.unique(keys, return_inverse=True)[1].astype(np.int64)


def _pair_counts(units: Codes, codes: Codes, size: int) -> tuple[Codes, Floats]:
    """Return each (unit, code) that occurs, as its code, and how many rows it has."""
    key, n = np.unique(units * size + codes, return_counts=True)
    return key % size, n.astype(np.float64)


def table_design_effect(units: Codes, rows: Codes, columns: Codes, shape: tuple[int, int]) -> float:
    """Return the factor by which clustering inflates Pearson's chi-square of rows by columns.

    With g(a, b) = 1[a = b] / p_a − 1 the expectation is the mean, over pairs of rows of one unit, of the
    product of g over rows and g over columns; among independent rows it is the degrees of freedom.
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
    df = (np.count_nonzero(p) - 1) * (np.count_nonzero(q) - 1)
    return float(max(total / n / df, 1.0)) if df > 0 else 1.0


def group_design_effect(units: Codes, rows: Codes, size: int, values: Floats) -> float:
    """Return the factor by which clustering inflates a between-group sum of squares of values.

    The values are centred; ranks give the factor for Kruskal–Wallis's H.
    """
    n = len(units)
    p = np.bincount(rows, minlength=size) / n
    centred = values - values.mean()
    variance = float(np.mean(centred**2))
    key, at = np.unique(units * size + rows, return_inverse=True)
    total = np.bincount(at, weights=centred)
    of_unit = np.bincount(units, weights=centred)
    expectation = (np.sum(total**2 / p[key % size]) - np.sum(of_unit**2)) / (n * variance)
    df = np.count_nonzero(p) - 1
    return float(max(expectation / df, 1.0)) if df > 0 and variance > 0 else 1.0


def product_design_effect(units: Codes, x: Floats, y: Floats) -> float:
    """Return the factor by which clustering inflates the square of Σ (x − x̄)(y − ȳ)."""
    score = (x - x.mean()) * (y - y.mean())
    plain = float(np.sum((x - x.mean()) ** 2) * np.sum((y - y.mean()) ** 2) / len(x))
    clustered = float(np.sum(np.bincount(units, weights=score) ** 2))
    return max(clustered / plain, 1.0) if plain > 0 else 1.0
