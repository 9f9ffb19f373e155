"""The p of correlations of rows: of many at once, exact for ranks of few."""

from __future__ import annotations

from functools import cache
from itertools import permutations

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy import special

Floats = NDArray[np.float64]

EXACT_ROWS = 10
"""Below so many rows all orders are tried."""


def correlation_p(r: Floats, n: Floats) -> Floats:
    """Return the two-sided p of t = r sqrt((n − 2) / (1 − r²)), for arrays of correlations; NaN under three rows."""
    with np.errstate(divide="ignore", invalid="ignore"):
        p = special.betainc(np.maximum(n / 2 - 1, 1e-9), 0.5, (1 - np.abs(r)) * (1 + np.abs(r)))
    return np.where(n < 3, np.nan, p)


@cache
def _orders(n: int) -> NDArray[np.int8]:
    return np.array(list(permutations(range(n))), np.int8)


def exact_p(x: Floats, y: Floats, method: str, alternative: str = "two-sided") -> float:
    """Return the exact p of Spearman's rho, or Kendall's tau-b, of under ten rows: over all orders of one side.

    Ties stay as they are. Two-sided: the share of orders whose coefficient is as far from 0.
    """
    n = len(x)
    orders = _orders(n)
    if method == "spearman":
        a, b = scipy.stats.rankdata(x) - (n + 1) / 2, scipy.stats.rankdata(y) - (n + 1) / 2
        all_of, seen = b[orders] @ a, float(a @ b)
    else:
        i, j = np.triu_indices(n, 1)
        a, b = np.sign(x[i] - x[j]), np.sign(y[:, None] - y[None, :])
        all_of = np.zeros(len(orders))
        for sign, k, m in zip(a, i, j, strict=True):
            all_of += sign * b[orders[:, k], orders[:, m]]
        seen = float(a @ b[i, j])
    near = 1e-9
    if alternative == "greater":
        return float(np.mean(all_of >= seen - near))
    if alternative == "less":
        return float(np.mean(all_of <= seen + near))
    return float(np.mean(np.abs(all_of) >= abs(seen) - near))
