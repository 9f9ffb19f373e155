"""What a table of counts would hold if its rows and columns were unrelated."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


def without_empty(table: Ints) -> Ints:
    """Drop rows and columns that hold no case."""
    table = table[table.sum(axis=1) > 0]
    return table[:, table.sum(axis=0) > 0]


def expected_counts(table: Ints) -> Floats:
    """Return the counts expected from the margins if rows and columns were unrelated."""
    n = table.sum()
    expected = np.outer(table.sum(axis=1), table.sum(axis=0)) / max(n, 1)
    return np.asarray(expected, np.float64)


def expected_are_small(table: Ints) -> bool:
    """Say whether chi-square is in doubt: over a fifth of cells expect under 5, or one under 1.

    References
    ----------
    Cochran (1954), Biometrics 10, 417–451.
    """
    expected = expected_counts(without_empty(table))
    return bool(expected.size and ((expected < 5).mean() > 0.2 or expected.min() < 1))


def adjusted_residuals(table: Ints, effect: float) -> Floats:
    """Return Haberman's adjusted residuals (1973, Biometrics 29, 205–220) of a table of counts.

    Where rows and columns are unrelated they are standard normal: over rows with an effect of 1, over units with what
    these inflate chi-square by.
    """
    n = max(int(table.sum()), 1)
    expected = expected_counts(table)
    rows, columns = table.sum(axis=1) / n, table.sum(axis=0) / n
    scale = np.sqrt(effect * expected * np.outer(1 - rows, 1 - columns))
    return np.asarray(np.divide(table - expected, scale, out=np.zeros(table.shape), where=scale > 0))


def column_lambda(table: Ints) -> float:
    """Return how many of the rows that always saying the largest column gets wrong its rows' own largest get right.

    Goodman & Kruskal (1954), Journal of the American Statistical Association 49, 732–764: lambda of the column by the
    row, from 0 to 1; NaN where one column has all.
    """
    n, largest = int(table.sum()), int(table.sum(axis=0).max(initial=0))
    return (int(table.max(axis=1).sum()) - largest) / (n - largest) if n > largest else float("nan")
