"""Rates and their comparison."""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from ...estimate import UNDEFINED, Z95, Estimate

Floats = NDArray[np.float64]


def wilson(events: NDArray[Any], n: NDArray[Any]) -> tuple[Floats, Floats, Floats]:
    """Return rates with Wilson's 95 % score interval (1927), uncorrected, clamped to 0–1.

    Parameters
    ----------
    events, n
        Counts of equal shape; where ``n`` is 0 all three are NaN.
    """
    n_ = np.where(n > 0, n, np.nan)
    with np.errstate(invalid="ignore"):
        rate = events / n_
        z2 = Z95 * Z95
        centre = (events + z2 / 2) / (n_ + z2)
        half = Z95 / (n_ + z2) * np.sqrt(events * (n_ - events) / n_ + z2 / 4)
        low = np.where(events == 0, np.where(n > 0, 0.0, np.nan), centre - half)
        high = np.where(events == n, np.where(n > 0, 1.0, np.nan), centre + half)
        return rate, np.clip(low, 0, 1), np.clip(high, 0, 1)


def risk_difference(x1: float, n1: float, x2: float, n2: float) -> Estimate:
    """Rate of the second group minus that of the first, with Miettinen & Nurminen's score interval.

    References
    ----------
    Miettinen & Nurminen (1985), Statistics in Medicine 4, 213–226.
    """
    if min(n1, n2) == 0:
        return UNDEFINED
    difference = x2 / n2 - x1 / n1

    def beyond(delta: float) -> float:
        variance = _restricted_variance(x1, n1, x2, n2, delta)
        return (difference - delta) ** 2 - Z95**2 * variance

    edge = 1 - 1e-12
    inner = float(np.clip(difference, -1 + 1e-9, 1 - 1e-9))  # at ±1 the variance itself is nothing
    low = scipy.optimize.brentq(beyond, -edge, inner, xtol=1e-15) if beyond(-edge) > 0 > beyond(inner) else -1.0
    high = scipy.optimize.brentq(beyond, inner, edge, xtol=1e-15) if beyond(edge) > 0 > beyond(inner) else 1.0
    return Estimate(difference, float(low), float(high))


def _restricted_variance(x1: float, n1: float, x2: float, n2: float, delta: float) -> float:
    """Variance of the difference when it is ``delta``: the constrained fit solves a cubic (eq. 9)."""
    n, x = n1 + n2, x1 + x2
    l3, l2 = n, (n2 + 2 * n1) * delta - n - x
    l1 = (n1 * delta - n - 2 * x1) * delta + x
    l0 = x1 * delta * (1 - delta)
    q = l2**3 / (3 * l3) ** 3 - l1 * l2 / (6 * l3**2) + l0 / (2 * l3)
    p = np.sign(q) * np.sqrt(max(l2**2 / (3 * l3) ** 2 - l1 / (3 * l3), 0.0))
    ratio = np.clip(q / p**3, -1, 1) if p != 0 else 0.0
    a = (np.pi + np.arccos(ratio)) / 3
    r1 = min(max(2 * p * np.cos(a) - l2 / (3 * l3), 0.0), 1.0)
    r2 = min(max(r1 + delta, 0.0), 1.0)
    return float((r2 * (1 - r2) / n2 + r1 * (1 - r1) / n1) * n / (n - 1))


def risk_ratio(x1: float, n1: float, x2: float, n2: float) -> Estimate:
    """Rate of the second group over that of the first; interval on the log scale.

    Where a cell is zero (no case, or nothing but cases, in a group) half a row is added to all four, for the
    interval, and for the point where it would be infinite. Without it a group of nothing but cases adds no
    variance at all: of 20 rows at a rate of 98 % the interval held the truth in 63 of 100 samples.

    References
    ----------
    Katz, Baptista, Azen & Pike (1978), Biometrics 34, 469–474; the half: Walter (1976), Biometrika 63, 55–61.
    """
    if min(n1, n2) == 0 or (x1 == 0 and x2 == 0):
        return UNDEFINED
    add = 0.5 if 0 in (x1, x2, n1 - x1, n2 - x2) else 0.0
    a, b, na, nb = x2 + add, x1 + add, n2 + 2 * add, n1 + 2 * add
    log_ratio = np.log(a / na) - np.log(b / nb)
    se = np.sqrt(1 / a - 1 / na + 1 / b - 1 / nb)
    low, high = np.exp(log_ratio + np.array([-Z95, Z95]) * se)
    point = (x2 / n2) / (x1 / n1) if x1 else np.exp(log_ratio)
    return Estimate(float(point), float(min(low, point)), float(high))


def odds_ratio(x1: float, n1: float, x2: float, n2: float) -> Estimate:
    """Odds of the second group over those of the first, the sample ratio, with Woolf's interval (1955).

    Where a cell is zero, half a case is added to all four (Gart 1966), for point and interval.
    """
    cells = np.array([x2, n2 - x2, x1, n1 - x1], float)
    if min(n1, n2) == 0 or x1 + x2 == 0 or x1 + x2 == n1 + n2:
        return UNDEFINED
    if (cells == 0).any():
        cells += 0.5
    a, b, c, d = cells
    log_ratio = np.log(a * d / (b * c))
    low, high = np.exp(log_ratio + np.array([-Z95, Z95]) * np.sqrt(np.sum(1 / cells)))
    return Estimate(float(a * d / (b * c)), float(low), float(high))
