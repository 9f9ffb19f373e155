"""Groups whose means and deviations agree better than chance lets them, though their shapes do not."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from .sampling import Sampling

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def too_alike(values: Floats, codes: Codes, size: int, sampling: Sampling) -> float | None:
    """Return how far apart the shapes of groups lie, where means and deviations are one beyond what chance does.

    The lower tail of F between the groups, and of Bartlett's statistic, which is as good as chi-square here. Shapes are
    the largest distance between two groups' distribution functions.

    Parameters
    ----------
    values, codes
        Of the rows, NaN and ``-1`` where there is none, shape (n,).
    """
    keep = (codes >= 0) & ~np.isnan(values)
    x, at = values[keep], codes[keep]
    n = np.bincount(at, minlength=size).astype(float)
    used = np.flatnonzero(n > 0)
    k = len(used)
    if k < T.ALIKE_GROUPS or n[used].min() < T.ALIKE_ROWS or sampling.clustered or x.min() == x.max():
        return None
    n, total = n[used], float(len(x))
    parts = [x[at == g] for g in used]
    mean, variance = (np.array([f(p) for p in parts]) for f in (np.mean, lambda p: np.var(p, ddof=1)))
    pooled = float(np.sum((n - 1) * variance)) / (total - k)
    if not (pooled > 0 and (variance > 0).all()):
        return None
    f = float(np.sum(n * (mean - x.mean()) ** 2)) / (k - 1) / pooled
    bartlett = float((total - k) * np.log(pooled) - np.sum((n - 1) * np.log(variance)))
    by_chance = max(float(special.fdtr(k - 1, total - k, f)), float(special.chdtr(k - 1, max(bartlett, 0.0))))
    if by_chance > T.ALIKE_BY_CHANCE:
        return None
    grid = np.sort(x)
    below = np.array([np.searchsorted(np.sort(p), grid, "right") / len(p) for p in parts])
    return float(np.max(below.max(axis=0) - below.min(axis=0)))
