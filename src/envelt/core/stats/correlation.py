"""Two numeric columns: correlations with intervals and tests, by what one case is.

Intervals are on Fisher's z. Over rows its variance is the textbook's; over units it is the jackknife's, which leaves
out a unit at a time, and so is the test; Pearson's also asks Student's t of the units' totals.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..magnitude import in_unit
from ..shapes.ranks import ranks_of
from .crossing import product_test
from .exact import EXACT_ROWS, exact_p
from .sampling import Sampling

Floats = NDArray[np.float64]
CONFIDENCE = 0.95
PERFECT = 1e-12
"""From 1: the last digits of a sum of products."""
FEW_ROWS_ERROR = 0.375
"""The error of Fisher's z of under ten rows is larger."""

Z_VARIANCE = {
    "pearson": lambda r, n: 1 / (n - 3),
    "spearman": lambda r, n: (1 + r * r / 2) / (n - 3),
    "kendall": lambda r, n: 0.437 / (n - 4),
}
"""Of Fisher's z over n rows: Fisher (1921); Bonett & Wright (2000), Psychometrika 65, 23–28; Fieller, Hartley & Pearson
(1957), Biometrika 44, 470–481."""


class Certainty(NamedTuple):
    """How sure a correlation is: the standard error of Fisher's z, its degrees of freedom (∞: normal), and p."""

    se: float
    df: float
    p: float


def pearson(x: Floats, y: Floats, sampling: Sampling) -> tuple[Estimate, Significance]:
    """Pearson's correlation of values of the same rows, none missing, shape (n,), with interval and test.

    References
    ----------
    Fisher (1921), Metron 1, 3–32. Over rows the test is t with n − 2 degrees of freedom (statistic: r).
    """
    return _told(pearson_coefficient(x, y), x, y, sampling, "pearson")


def spearman(x: Floats, y: Floats, sampling: Sampling) -> tuple[Estimate, Significance]:
    """Spearman's rank correlation; see `pearson`, and Bonett & Wright (2000) for its interval over rows."""
    return spearman_of_ranks(ranks_of(x), ranks_of(y), sampling)


def spearman_of_ranks(x: Floats, y: Floats, sampling: Sampling) -> tuple[Estimate, Significance]:
    """Spearman's correlation of two columns of which the ranks are known; see `spearman`."""
    return _told(pearson_coefficient(x, y), x, y, sampling, "spearman")


def _told(r: float, x: Floats, y: Floats, sampling: Sampling, method: str) -> tuple[Estimate, Significance]:
    if np.isnan(r):
        return UNDEFINED, UNDEFINED_TEST
    sure = certainty(r, x, y, sampling, method)
    return estimate_of(r, sure), Significance(r, sure.p)


def estimate_of(r: float, sure: Certainty) -> Estimate:
    """Return a correlation with the interval that lies even around Fisher's z."""
    low, high = z_interval(np.array([r]), np.array([sure.se]), np.array([sure.df]))
    return Estimate(r, float(low[0]), float(high[0]))


def certainty(r: float, x: Floats, y: Floats, sampling: Sampling, method: str) -> Certainty:
    """Return how sure a correlation is.

    Parameters
    ----------
    r
        The coefficient.
    x, y
        What it is the product-moment correlation of (values, or ranks); for Kendall's tau the ranks.
    method
        "pearson", "spearman" or "kendall".
    """
    n = len(x)
    if not sampling.clustered:
        plain = np.array([float(n)]), np.array([r])
        exact = method == "spearman" and 3 <= n < EXACT_ROWS  # as in a matrix of many
        p = exact_p(x, y, method) if exact else correlation_test(r, n).p
        return Certainty(float(row_error(plain[1], plain[0], method)[0]), np.inf, p)
    if sampling.cases < 3:
        return Certainty(np.nan, np.nan, np.nan)
    zx, zy = _standardized(x), _standardized(y)
    se = _jackknife_error(zx, zy, sampling)
    if method == "kendall":  # as much larger than over rows as the error of the ranks' correlation is
        rho, rows = np.array([pearson_coefficient(x, y)]), np.array([float(n)])
        se *= float(row_error(np.array([r]), rows, method)[0] / row_error(rho, rows, "spearman")[0]) * tied_error(x, y)
    df = sampling.cases - 1.0
    if abs(r) == 1:
        return Certainty(0.0 if sampling.cases >= EXACT_ROWS else np.nan, df, 0.0)
    z = abs(float(np.arctanh(r)))
    p = float(2 * special.stdtr(df, -z / se)) if se > 0 else float("nan")
    if method == "pearson":
        # of lognormal values in 60 units the jackknife alone calls 2 of 100 unrelated pairs sure at 0.001
        p = float(np.fmax(p, product_test(zx, zy, sampling)))
        if 1 - CONFIDENCE < p < 1:  # an interval holds 0 where its test does not reject
            se = max(se, z / float(-special.stdtrit(df, p / 2)))
    return Certainty(se, df, p)


def _jackknife_error(x: Floats, y: Floats, sampling: Sampling) -> float:
    """Return the standard error of Fisher's z from the z without each case in turn; x and y are standardized.

    References
    ----------
    Efron & Stein (1981), Annals of Statistics 9, 586–596.
    """
    parts = [sampling.totals(v) for v in (np.ones(len(x)), x, y, x * x, y * y, x * y)]
    with np.errstate(divide="ignore", invalid="ignore"):
        n, sx, sy, sxx, syy, sxy = (p.sum() - p for p in parts)
        spread = np.sqrt((sxx - sx * sx / n) * (syy - sy * sy / n))
        z = np.arctanh(np.clip((sxy - sx * sy / n) / spread, -1, 1))
    cases = len(z)
    return float(np.sqrt((cases - 1) / cases * np.sum((z - z.mean()) ** 2))) if np.isfinite(z).all() else float("nan")


def row_error(r: Floats, n: Floats, method: str) -> Floats:
    """Return the standard error of Fisher's z over n rows, for arrays; NaN where rows are too few."""
    with np.errstate(divide="ignore", invalid="ignore"):
        variance = Z_VARIANCE[method](r, n)
        return np.asarray(np.sqrt(np.where((variance > 0) & np.isfinite(variance), variance, np.nan)))


def tied_error(x: Floats, y: Floats) -> float:
    """Return how many times as large ties make the error of Kendall's tau-b, as they do where nothing is there.

    Without ties its variance is 2 (2 n + 5) / (9 n (n − 1)); of a number in two levels it is half as large again.

    References
    ----------
    Kendall (1970), Rank Correlation Methods, chapter 4: the variance of S with ties on both sides.
    """
    n = float(len(x))
    t, u = (np.unique(v, return_counts=True)[1].astype(np.float64) for v in (x, y))
    pairs, threes, parts = zip(*((np.sum(c * (c - 1)), np.sum(c * (c - 1) * (c - 2)), c) for c in (t, u)), strict=True)
    whole = n * (n - 1)
    if n < 3 or max(pairs) >= whole:
        return 1.0
    of_s = (whole * (2 * n + 5) - sum(np.sum(c * (c - 1) * (2 * c + 5)) for c in parts)) / 18
    of_s += pairs[0] * pairs[1] / (2 * whole) + threes[0] * threes[1] / (9 * whole * (n - 2))
    variance = of_s * 4 / ((whole - pairs[0]) * (whole - pairs[1]))
    return float(np.sqrt(variance / (2 * (2 * n + 5) / (9 * whole))))


def z_interval(
    r: Floats, se: Floats, df: Floats, confidence: float = 0.95, alternative: str = "two-sided"
) -> tuple[Floats, Floats]:
    """Return intervals of correlations from the standard errors of Fisher's z, for arrays; ±1 of ten rows stays."""
    tail = (1 - confidence) / (2 if alternative == "two-sided" else 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = np.where(np.isinf(df), -special.ndtri(tail), special.stdtrit(np.where(np.isinf(df), 1.0, df), 1 - tail))
        half = reach * se
        centre = np.arctanh(np.clip(r, -1, 1))
        low, high = np.tanh(centre - half), np.tanh(centre + half)
    perfect = (np.abs(r) > 1 - PERFECT) & ~np.isnan(se)
    ends = np.where(se > FEW_ROWS_ERROR, np.nan, np.sign(r))  # of so few rows a perfect order is no sure one
    low, high = np.where(perfect, ends, low), np.where(perfect, ends, high)
    if alternative == "greater":
        high = np.where(np.isnan(low), np.nan, 1.0)
    elif alternative == "less":
        low = np.where(np.isnan(high), np.nan, -1.0)
    return low, high


def pearson_coefficient(x: Floats, y: Floats) -> float:
    """Return Pearson's correlation of values of the same rows, none missing; NaN where one does not vary."""
    if len(x) < 2:
        return float("nan")
    x, y = in_unit(x)[0], in_unit(y)[0]
    dx, dy = x - x[0], y - y[0]
    dx, dy = dx - dx.mean(), dy - dy.mean()
    scale = np.sqrt(np.sum(dx * dx)) * np.sqrt(np.sum(dy * dy))
    return float(np.clip(np.sum(dx * dy) / scale, -1, 1)) if scale > 0 else float("nan")


def _standardized(x: Floats) -> Floats:
    x = in_unit(x)[0]
    away = x - x[0]
    away = away - away.mean()
    spread = float(np.sqrt(np.mean(away**2)))
    return np.asarray(away / spread) if spread > 0 else away


def correlation_test(r: float, n: float) -> Significance:
    """Return r with the two-sided p of its t statistic at n − 2 degrees of freedom."""
    if np.isnan(r) or n < 3:
        return UNDEFINED_TEST
    if abs(r) == 1:
        return Significance(r, 0.0)
    # I of (1 − r²) at ((n − 2) / 2, 1/2) is the two-sided tail of t, without forming t
    p = special.betainc(n / 2 - 1, 0.5, (1 - abs(r)) * (1 + abs(r)))
    return Significance(r, float(p))
