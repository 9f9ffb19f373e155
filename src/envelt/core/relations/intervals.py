"""Intervals and p of correlations: for many at once, exact for ranks of few rows."""

from __future__ import annotations

from functools import cache
from itertools import permutations

import numpy as np
from numpy.typing import NDArray
from scipy import special, stats

Floats = NDArray[np.float64]

EXACT_ROWS = 10
"""Below so many rows all orders are tried."""


def correlation_p(r: Floats, n: Floats, alternative: str = "two-sided") -> Floats:
    """Return the p of t = r sqrt((n − 2) / (1 − r²)), for arrays of correlations; NaN under three rows."""
    with np.errstate(divide="ignore", invalid="ignore"):
        half = special.betainc(np.maximum(n / 2 - 1, 1e-9), 0.5, (1 - np.abs(r)) * (1 + np.abs(r)))
    return _sided(np.where(n < 3, np.nan, half), r, alternative)


def _sided(two_sided: Floats, r: Floats, alternative: str) -> Floats:
    if alternative == "two-sided":
        return two_sided
    towards = r > 0 if alternative == "greater" else r < 0
    return np.where(np.isnan(r), np.nan, np.where(towards, two_sided / 2, 1 - two_sided / 2))


def interval(
    r: Floats, n: Floats, method: str, confidence: float = 0.95, alternative: str = "two-sided"
) -> tuple[Floats, Floats]:
    """Return intervals on Fisher's z: his variance, Bonett & Wright's for Spearman, Fieller's for Kendall.

    References
    ----------
    Fisher (1921); Bonett & Wright (2000), Psychometrika 65, 23–28; Fieller, Hartley & Pearson (1957), Biometrika 44,
    470–481: 0.437 / (n − 4).
    """
    tail = (1 - confidence) / (2 if alternative == "two-sided" else 1)
    z = -special.ndtri(tail)
    with np.errstate(divide="ignore", invalid="ignore"):
        variance = {
            "pearson": 1 / (n - 3), "spearman": (1 + r * r / 2) / (n - 3), "kendall": 0.437 / (n - 4),
        }[method]  # fmt: skip
        variance = np.where(variance > 0, variance, np.nan)
        half = z * np.sqrt(variance)
        centre = np.arctanh(np.clip(r, -1, 1))
        low, high = np.tanh(centre - half), np.tanh(centre + half)
    perfect = (np.abs(r) == 1) & ~np.isnan(variance)
    low, high = np.where(perfect, r, low), np.where(perfect, r, high)
    if alternative == "greater":
        high = np.where(np.isnan(low), np.nan, 1.0)
    elif alternative == "less":
        low = np.where(np.isnan(high), np.nan, -1.0)
    return low, high


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
        a, b = stats.rankdata(x) - (n + 1) / 2, stats.rankdata(y) - (n + 1) / 2
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
