"""Quantiles by linear interpolation: Hyndman & Fan (1996), type 7."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def sorted_quantiles(ordered: Floats, shares: Floats) -> Floats:
    """Return type-7 quantiles of an already sorted array; NaN when it is empty."""
    if len(ordered) == 0:
        return np.full(len(shares), np.nan)
    at = shares * (len(ordered) - 1)
    below = np.floor(at).astype(np.int64)
    above = np.minimum(below + 1, len(ordered) - 1)
    low, high = ordered[below], ordered[above]
    return low + (at - below) * (high - low)


def quantile_edges(ordered: Floats, bins: int) -> Floats:
    """Return the unique inner edges that cut a sorted array into at most ``bins`` equal shares."""
    return np.unique(sorted_quantiles(ordered, np.arange(1, bins) / bins))


def sorted_groups(values: Floats, codes: NDArray[np.integer], groups: int) -> list[Floats]:
    """Return the values of each group, sorted; NaN values and ``-1`` codes are left out."""
    keep = ~np.isnan(values) & (codes >= 0)
    values, codes = values[keep], codes[keep]
    if groups <= 8:
        return [np.sort(values[codes == g]) for g in range(groups)]
    order = np.lexsort((values, codes))
    ends = np.cumsum(np.bincount(codes, minlength=groups))[:-1]
    return list(np.split(values[order], ends))
