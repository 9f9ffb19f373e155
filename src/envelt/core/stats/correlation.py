"""Two numeric columns: Pearson and Spearman with intervals."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED, UNDEFINED_TEST, Z95, Estimate, Significance
from ..magnitude import in_unit
from ..shapes.ranks import mid_ranks
from .two_groups import two_sided_t

Floats = NDArray[np.float64]


def pearson(x: Floats, y: Floats, inflation: float = 1.0) -> tuple[Estimate, Significance]:
    """Pearson's correlation with Fisher's 95 % interval, and its t test (statistic: r).

    Parameters
    ----------
    x, y
        Values of the same rows, shape (n,), none missing.
    inflation
        Design effect of rows that come in units: interval and test are those of n / inflation rows.
    """
    return _with_interval(pearson_coefficient(x, y), len(x) / inflation, 1.0)


def spearman(x: Floats, y: Floats, inflation: float = 1.0) -> tuple[Estimate, Significance]:
    """Spearman's rank correlation with the interval of Bonett & Wright (2000), Psychometrika 65, 23–28."""
    return spearman_of_ranks(ranks(x), ranks(y), inflation)


def spearman_of_ranks(x: Floats, y: Floats, inflation: float = 1.0) -> tuple[Estimate, Significance]:
    """Spearman's correlation of two columns of which the ranks are known; see `spearman`."""
    r = pearson_coefficient(x, y)
    return _with_interval(r, len(x) / inflation, np.sqrt(1 + r * r / 2))


def ranks(x: NDArray[np.generic]) -> Floats:
    """Return ranks from 1, equal values sharing their mean rank."""
    order = np.argsort(x)  # the order of equal values does not matter
    ranked = np.empty(len(x))
    ranked[order] = mid_ranks(x[order])
    return ranked


def pearson_coefficient(x: Floats, y: Floats) -> float:
    """Return Pearson's correlation of values of the same rows, none missing; NaN where one does not vary."""
    if len(x) < 2:
        return float("nan")
    x, y = in_unit(x)[0], in_unit(y)[0]
    dx, dy = x - x[0], y - y[0]
    dx, dy = dx - dx.mean(), dy - dy.mean()
    scale = np.sqrt(np.sum(dx * dx)) * np.sqrt(np.sum(dy * dy))
    return float(np.clip(np.sum(dx * dy) / scale, -1, 1)) if scale > 0 else float("nan")


def _with_interval(r: float, n: float, spread: float) -> tuple[Estimate, Significance]:
    if np.isnan(r):
        return UNDEFINED, UNDEFINED_TEST
    if n < 4 or abs(r) == 1:
        interval = Estimate(r, np.nan, np.nan) if n < 4 else Estimate(r, r, r)
    else:
        half = Z95 * spread / np.sqrt(n - 3)
        low, high = np.tanh(np.arctanh(r) + np.array([-half, half]))
        interval = Estimate(r, float(low), float(high))
    return interval, correlation_test(r, n)


def correlation_test(r: float, n: float) -> Significance:
    """Return r with the two-sided p of its t statistic at n − 2 degrees of freedom."""
    if np.isnan(r) or n < 3:
        return UNDEFINED_TEST
    if abs(r) == 1:
        return Significance(r, 0.0)
    # I of (1 − r²) at ((n − 2) / 2, 1/2) is the two-sided tail of t, without forming t
    p = special.betainc(n / 2 - 1, 0.5, (1 - abs(r)) * (1 + abs(r)))
    return Significance(r, float(p)) if p > 0 else Significance(r, two_sided_t(np.inf, n - 2))
