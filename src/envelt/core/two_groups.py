"""Two groups of numbers compared: the first is the reference, differences are second minus first."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import optimize, special

from .estimate import UNDEFINED, UNDEFINED_TEST, Z95, Estimate, Significance
from .ranks import average_ranks_in, tie_term
from .tallies import MomentSummary

Floats = NDArray[np.float64]


def welch_t(moments: MomentSummary) -> tuple[Significance, Estimate]:
    """Welch's t test and the difference of means with its 95 % interval.

    Parameters
    ----------
    moments
        Of the two groups, first and second.

    Returns
    -------
    Significance, Estimate
        t with its two-sided p, and mean(second) − mean(first), in the units of the values. Both
        undefined when a group has fewer than two values or neither group varies.

    References
    ----------
    Welch (1947), Biometrika 34, 28–35.
    """
    n, variance = moments.n.astype(float), moments.variance
    if n.min() < 2:
        return UNDEFINED_TEST, UNDEFINED
    share = variance / n
    difference = float(np.diff(moments.centred_mean)[0])
    se = float(np.sqrt(share.sum()))
    if se == 0:
        return UNDEFINED_TEST, Estimate(difference, np.nan, np.nan)
    df = _satterthwaite(share, n)
    t = difference / se
    half = float(special.stdtrit(df, 0.975)) * se
    return Significance(t, two_sided_t(t, df)), Estimate(difference, difference - half, difference + half)


def two_sided_t(t: float, df: float) -> float:
    """Return the two-sided p of a t statistic."""
    return float(2 * special.stdtr(df, -abs(t)))


def _satterthwaite(share: Floats, n: Floats) -> float:
    """Degrees of freedom of a sum of variance shares (Satterthwaite 1946)."""
    relative = share / share.sum()
    return float(1 / np.sum(relative**2 / (n - 1)))


def hedges_g(moments: MomentSummary) -> Estimate:
    """Standardized difference of means, corrected for small samples, with a 95 % interval.

    The standardizer is the root of the average of the two variances, so that point and interval speak of
    the same quantity when sizes and variances differ; with equal sizes it is the pooled deviation. The
    correction is the exact gamma ratio at the degrees of freedom of that standardizer.

    References
    ----------
    Point: Delacre, Lakens, Ley, Liu & Leys (2021), "Why Hedges' g*s based on the non-pooled standard
    deviation should be reported with Welch's t-test". Interval: Bonett (2008), Psychological Methods 13,
    99–109, eq. 10.
    """
    n, variance = moments.n.astype(float), moments.variance
    if n.min() < 2 or not variance.sum() > 0:
        return UNDEFINED
    average = variance.mean()
    d = float(np.diff(moments.centred_mean)[0] / np.sqrt(average))
    df = _satterthwaite(variance, n)
    j = np.exp(special.gammaln(df / 2) - special.gammaln((df - 1) / 2)) / np.sqrt(df / 2) if df > 1 else np.nan
    relative = variance / average
    se = np.sqrt(d * d * np.sum(relative**2 / (n - 1)) / 8 + np.sum(relative / (n - 1)))
    return Estimate(float(d * j), float(d - Z95 * se), float(d + Z95 * se))


def mann_whitney(first: Floats, second: Floats) -> Significance:
    """Mann–Whitney's U of the second group over the first, with its two-sided p.

    U counts the pairs in which the second group's value is larger, ties by half. Exact when either group
    has at most 8 values and nothing is tied, else normal with tie and continuity correction.

    Parameters
    ----------
    first, second
        The groups' values, each sorted.

    References
    ----------
    Mann & Whitney (1947), Annals of Mathematical Statistics 18, 50–60.
    """
    n1, n2 = len(first), len(second)
    if min(n1, n2) == 0:
        return UNDEFINED_TEST
    u = _wins(first, second)
    ties = tie_term(first, second)
    if exact_is_feasible(n1, n2, ties):
        return Significance(u, _exact_u(min(n1, n2), max(n1, n2), u))
    n = n1 + n2
    variance = n1 * n2 / 12 * ((n + 1) - ties / (n * (n - 1)))
    if variance <= 0:
        return Significance(u, 1.0)
    z = (abs(u - n1 * n2 / 2) - 0.5) / np.sqrt(variance)
    return Significance(u, float(min(1.0, 2 * special.ndtr(-z))))


def exact_is_feasible(n1: int, n2: int, ties: float) -> bool:
    """Say whether the exact distribution of U is used: few values, no ties, and a table that fits."""
    return min(n1, n2) <= 8 and ties == 0 and n1 * n2 <= 1_000_000


def _exact_u(small: int, large: int, u: float) -> float:
    """Two-sided p from the exact distribution: coefficients of the Gaussian binomial in q."""
    tail = int(max(u, small * large - u))
    size = small * large + 1
    ways = np.zeros(size)
    ways[0] = 1
    for i in range(1, small + 1):
        shifted = ways.copy()
        shifted[large + i :] -= ways[: max(size - large - i, 0)]  # times 1 − q^(large + i)
        for start in range(i):
            shifted[start::i] = np.cumsum(shifted[start::i])  # over 1 − q^i
        ways = shifted
    lower = ways[: small * large - tail + 1].sum()
    return float(min(1.0, 2 * lower / special.comb(small + large, small)))


def _wins(first: Floats, second: Floats) -> float:
    """Pairs in which the second is larger, ties by half; the smaller group is searched in the larger."""
    if len(second) <= len(first):
        return float(np.sum(average_ranks_in(first, second)))
    return float(len(first) * len(second) - np.sum(average_ranks_in(second, first)))


def superiority(first: Floats, second: Floats) -> Estimate:
    """Probability that a value of the second group exceeds one of the first, ties by half.

    Parameters
    ----------
    first, second
        The groups' values, each sorted.

    References
    ----------
    Interval: Brunner–Munzel variance on the logit with Satterthwaite's t (Perme & Manevski 2019,
    Statistical Methods in Medical Research 28, 3578–3590); at 0 or 1 Newcombe (2006), Statistics in
    Medicine 25, 543–557, method 5.
    """
    n1, n2 = len(first), len(second)
    if min(n1, n2) == 0:
        return UNDEFINED
    placed = average_ranks_in(first, second) / n1
    theta = float(placed.mean())
    if theta in (0.0, 1.0) or min(n1, n2) < 2:
        return _newcombe_5(theta, n1, n2)
    against = 1 - average_ranks_in(second, first) / n2
    share = np.array([against.var(ddof=1) / n1, placed.var(ddof=1) / n2])
    if share.sum() == 0:
        return _newcombe_5(theta, n1, n2)
    df = _satterthwaite(share, np.array([n1, n2], float))
    half = special.stdtrit(df, 0.975) * np.sqrt(share.sum()) / (theta * (1 - theta))
    low, high = special.expit(special.logit(theta) + np.array([-half, half]))
    return Estimate(theta, float(low), float(high))


def _newcombe_5(theta: float, m: int, n: int) -> Estimate:
    """Newcombe's method 5: the score-like interval with Hanley–McNeil's variance at N* = (m + n) / 2."""
    star = (m + n) / 2 - 1

    def beyond(t: float) -> float:
        variance = t * (1 - t) * (1 + star * ((1 - t) / (2 - t) + t / (1 + t))) / (m * n)
        return float((theta - t) ** 2 - Z95**2 * variance)

    low = optimize.brentq(beyond, 0, theta, xtol=1e-15) if theta > 0 else 0.0
    high = optimize.brentq(beyond, theta, 1, xtol=1e-15) if theta < 1 else 1.0
    if theta == 1:
        low = optimize.brentq(beyond, 0, 1 - 1e-12, xtol=1e-15)
    if theta == 0:
        high = optimize.brentq(beyond, 1e-12, 1, xtol=1e-15)
    return Estimate(theta, float(low), float(high))
