"""The interval of a share that groups or tables explain, from the statistic that says it is more than nothing."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .of_rows.many_groups import LARGEST_F
from .of_rows.noncentral import noncentral_chi_square, noncentral_f


def explained_share(
    value: float,
    statistic: float,
    df: NDArray[np.float64],
    n: float,
    effect: float,
    ratio: bool,
    confidence: float,
    error: float = 0.0,
    error_df: float = np.inf,
) -> tuple[float, float]:
    """Return the interval of a correlation ratio or of Cramér's V: where F or chi-square, noncentral, has its tails.

    Parameters
    ----------
    value
        The coefficient.
    statistic, df
        F with its degrees of freedom; or chi-square with its, and the smaller number of levels less one.
    n, effect
        Rows, and what units inflate the statistic by: the interval is that of n / effect rows.
    ratio
        Whether it is a correlation ratio.
    error, error_df
        The standard error of the share that is explained, or of φ², with its degrees of freedom: the interval is as
        wide at least.
    """
    statistic, n, tail = statistic / effect, n / effect, (1 - confidence) / 2
    if np.isnan(effect):
        return float("nan"), float("nan")
    if not np.isfinite(statistic) or (ratio and statistic > LARGEST_F):
        return value, 1.0
    quantile = float(special.stdtrit(error_df, 1 - tail)) if np.isfinite(error_df) else float(special.ndtri(1 - tail))
    ends = []
    for share in (1 - tail, tail):
        if ratio:
            lam = noncentral_f(statistic, df[0], df[1], share)
            ends.append(np.sqrt(lam / (lam + n)))
        else:
            ends.append(np.sqrt(noncentral_chi_square(statistic, df[0], share) / n / df[1]))
    if ratio:
        share = df[0] * statistic * effect / (df[0] * statistic * effect + df[1])
        wide = ratio_within(value, share, quantile * error)
    else:
        half = quantile * error / (2 * np.sqrt(statistic * effect / (n * effect) * df[1])) if statistic > 0 else 0.0
        wide = value - half, value + half
    low, high = min(ends[0], wide[0], value), max(ends[1], wide[1], value)
    return float(max(low, 0.0)), float(min(high, 1.0))


def ratio_within(ratio: float, share: float, half: float) -> tuple[float, float]:
    """Return the interval of a correlation ratio whose square varies by so much, made on Fisher's z.

    Parameters
    ----------
    ratio, share
        The ratio, corrected for what is there by chance, and its square without a correction.
    half
        Half the width of the share's interval.
    """
    if not (0 < share < 1 and half > 0):
        return ratio, ratio
    at, reach = np.arctanh(min(ratio, 1 - 1e-12)), half / (2 * np.sqrt(share) * (1 - share))
    return float(np.tanh(max(at - reach, 0.0))), float(np.tanh(at + reach))
