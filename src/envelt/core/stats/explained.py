"""The interval of a share that groups or tables explain, from the statistic that says it is more than nothing."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

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
    """
    statistic, n, tail = statistic / effect, n / effect, (1 - confidence) / 2
    if np.isnan(effect):
        return float("nan"), float("nan")
    if not np.isfinite(statistic) or (ratio and statistic > LARGEST_F):
        return value, 1.0
    ends = []
    for share in (1 - tail, tail):
        if ratio:
            lam = noncentral_f(statistic, df[0], df[1], share)
            ends.append(np.sqrt(lam / (lam + n)))
        else:
            ends.append(np.sqrt(noncentral_chi_square(statistic, df[0], share) / n / df[1]))
    return float(min(ends[0], value)), float(min(max(ends[1], value), 1.0))
