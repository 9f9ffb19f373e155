"""Two or more groups of numbers compared at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ...shapes.ranks import average_ranks_in, tie_term
from ...tallies.moments import MomentSummary
from .noncentral import noncentral_f

Floats = NDArray[np.float64]
LARGEST_F = 1e8


def welch_anova(moments: MomentSummary) -> Significance:
    """Welch's F test that all means are equal, variances free.

    Groups of fewer than two values, or that do not vary, make it undefined: leave them out first.

    References
    ----------
    Welch (1951), Biometrika 38, 330–336.
    """
    moments, _ = moments.in_unit()
    n, k = moments.n.astype(float), len(moments.n)
    if k < 2 or n.min() < 2 or moments.variance.min() <= 0:
        return UNDEFINED_TEST
    weight = n / moments.variance
    total = weight.sum()
    centred = moments.centred_mean
    centre = np.sum(weight * centred) / total
    between = np.sum(weight * (centred - centre) ** 2) / (k - 1)
    spread = np.sum((1 - weight / total) ** 2 / (n - 1))
    f = between / (1 + 2 * (k - 2) / (k * k - 1) * spread)
    df2 = (k * k - 1) / (3 * spread)
    return Significance(float(f), float(special.fdtrc(k - 1, df2, f)))


def kruskal_wallis(groups: list[Floats]) -> Significance:
    """Kruskal–Wallis H, corrected for ties, with its chi-square p.

    Parameters
    ----------
    groups
        Each group's values, sorted; empty groups are left out.

    References
    ----------
    Kruskal & Wallis (1952), Journal of the American Statistical Association 47, 583–621.
    """
    groups = [g for g in groups if len(g)]
    n = sum(len(g) for g in groups)
    if len(groups) < 2:
        return UNDEFINED_TEST
    pooled = np.concatenate(groups)
    pooled.sort(kind="stable")
    # the mean rank less (n + 1) / 2, so that nothing cancels
    sums = [float(np.sum(average_ranks_in(pooled, g) - n / 2)) for g in groups]
    h = 12 / (n * (n + 1)) * sum(s * s / len(g) for s, g in zip(sums, groups, strict=True))
    correction = 1 - tie_term(*groups) / (n**3 - n)
    if correction <= 0:
        return UNDEFINED_TEST
    h /= correction
    return Significance(h, float(special.chdtrc(len(groups) - 1, h)))


def omega_squared(moments: MomentSummary) -> Estimate:
    """Share of the values' variance that lies between the groups, bias-corrected, with a 95 % interval.

    References
    ----------
    Point: Hays (1963). Interval: noncentral F on the classical F (Steiger 2004, Psychological Methods 9,
    164–182), root-found on the distribution function.
    """
    moments, _ = moments.in_unit()
    keep = moments.n > 0
    n, k = moments.n[keep].astype(float), int(keep.sum())
    total = n.sum()
    if k < 2 or total <= k:
        return UNDEFINED
    mean = moments.centred_mean[keep]
    centre = np.sum(n * mean) / total
    between = float(np.sum(n * (mean - centre) ** 2))
    within = float(np.sum(np.where(n > 1, moments.variance[keep] * (n - 1), 0.0)))
    if within <= 0:
        return UNDEFINED
    f = (between / (k - 1)) / (within / (total - k))
    point = (k - 1) * (f - 1) / ((k - 1) * (f - 1) + total)
    return Estimate(float(point), *explained_interval(f, k - 1, float(total - k), float(total)))


def epsilon_squared(h: float, n: int, k: int) -> Estimate:
    """Share of the ranks' variance between the groups, H / (n − 1), with a 95 % interval.

    References
    ----------
    Point: Kelley (1935) as given by Tomczak & Tomczak (2014). Interval: as `omega_squared`, on the
    ranks' classical F.
    """
    if np.isnan(h) or n <= k or h >= n - 1:
        return UNDEFINED
    f = (h / (k - 1)) / ((n - 1 - h) / (n - k))
    return Estimate(h / (n - 1), *explained_interval(f, k - 1, float(n - k), float(n)))


def explained_interval(f: float, df1: float, df2: float, n: float) -> tuple[float, float]:
    """Return the 95 % interval of λ / (λ + n), λ the noncentrality of an observed F.

    Above ``LARGEST_F`` the distribution function gives out, and the share is within n / λ of 1.
    """
    if f > LARGEST_F:
        return df1 * f / (df1 * f + n), 1.0
    bounds = []
    for share in (0.975, 0.025):
        lam = noncentral_f(f, df1, df2, share)
        bounds.append(lam / (lam + n))
    return bounds[0], bounds[1]


def explained_of(name: str, plain: Estimate, n: int, k: int, inflation: float) -> Estimate:
    """Return omega or epsilon squared of n rows in k groups with the interval of n / inflation rows.

    The classical F is recovered from the estimate, and inverted at the effective number of rows; omega squared, which
    takes off what is there by chance, is that of so many rows too.
    """
    e = plain.estimate
    if np.isnan(plain.low) or e >= 1:
        return plain
    if not inflation > 0:
        return Estimate(e, np.nan, np.nan)
    f = 1 + e * n / ((k - 1) * (1 - e)) if name == "omega_squared" else (e / (k - 1)) / ((1 - e) / (n - k))
    low, high = explained_interval(f / inflation, k - 1, float(n - k), n / inflation)
    if name == "omega_squared":
        e = (k - 1) * (f - inflation) / ((k - 1) * (f - inflation) + n)
    return Estimate(e, min(low, max(e, 0.0)), max(high, e))
