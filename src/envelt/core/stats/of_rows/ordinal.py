"""Tables whose rows and columns are both in order: gamma, and a test for trend."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..expected import without_empty

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


def gamma_with_influence(table: Ints) -> tuple[float, Floats]:
    """Return Goodman and Kruskal's gamma and the influence of one row in each cell on it, of the table's shape.

    Parameters
    ----------
    table
        Counts, shape (rows, columns).

    References
    ----------
    Point and asymptotic error: Goodman & Kruskal (1963), Journal of the American Statistical Association 58, 310–364.
    """
    nothing = np.zeros(table.shape)
    if min(without_empty(table).shape, default=0) < 2:
        return float("nan"), nothing
    n = table.astype(np.float64)
    concordant, discordant = _pairs(n), _pairs(n[:, ::-1])[:, ::-1]
    p, q = float(np.sum(n * concordant)), float(np.sum(n * discordant))
    if p + q == 0:
        return float("nan"), nothing
    return (p - q) / (p + q), 4 / (p + q) ** 2 * (q * concordant - p * discordant)


def gamma_interval(gamma: float, variance: float, quantile: float) -> Estimate:
    """Return gamma with an interval on Fisher's z, so many standard errors either way; none at ±1."""
    if np.isnan(gamma):
        return UNDEFINED
    if abs(gamma) == 1:
        return Estimate(gamma, np.nan, np.nan)
    half = quantile * np.sqrt(variance) / (1 - gamma**2)
    low, high = np.tanh(np.arctanh(gamma) + np.array([-half, half]))
    return Estimate(gamma, float(low), float(high))


def _pairs(n: Floats) -> Floats:
    """Return for each cell the rows in cells above and left of it and below and right of it."""
    total = np.zeros((n.shape[0] + 1, n.shape[1] + 1))
    total[1:, 1:] = n.cumsum(axis=0).cumsum(axis=1)
    above_left = total[:-1, :-1]
    whole = total[-1, -1]
    below_right = whole - total[1:, -1:] - total[-1:, 1:] + total[1:, 1:]
    return np.asarray(above_left + below_right, np.float64)


def trend_test(table: Ints) -> Significance:
    """Test for a linear trend over equally spaced scores: M² = (n − 1) r², one degree of freedom.

    Parameters
    ----------
    table
        Counts, shape (rows, columns).

    References
    ----------
    Mantel (1963), Journal of the American Statistical Association 58, 690–700; Agresti (2002), section 3.4.
    """
    table = without_empty(table)
    if min(table.shape, default=0) < 2:
        return UNDEFINED_TEST
    n = table.astype(np.float64)
    total = n.sum()
    x, y = np.arange(n.shape[0], dtype=float), np.arange(n.shape[1], dtype=float)
    x -= float(n.sum(axis=1) @ x) / total
    y -= float(n.sum(axis=0) @ y) / total
    xx, yy, xy = float(n.sum(axis=1) @ x**2), float(n.sum(axis=0) @ y**2), float(x @ n @ y)
    m2 = float((total - 1) * xy**2 / (xx * yy))
    return Significance(m2, float(special.chdtrc(1, m2)))
