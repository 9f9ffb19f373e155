"""Whether the means of one number along another lie on a straight line."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED_TEST, Significance
from ..magnitude import in_unit
from .rates import quantile_bins

Floats = NDArray[np.float64]

BINS = 12
ROWS_A_BIN = 20


def not_straight(x: Floats, y: Floats, inflation: float = 1.0) -> Significance:
    """Test that the means of y in up to twelve quantile bins of x lie on a line, with variances free in each bin.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    inflation
        Design effect of rows that come in units: variances are multiplied by it.

    Returns
    -------
    Significance
        The weighted squared distance of the means from the line, with its chi-square p; undefined for under three bins
        or 30 rows.
    """
    if len(x) < 30:
        return UNDEFINED_TEST
    x, y = in_unit(x)[0], in_unit(y)[0]
    bins = quantile_bins(x, int(np.clip(len(x) // ROWS_A_BIN, 3, BINS)))
    k = len(bins.ends)
    if k < 3:
        return UNDEFINED_TEST
    n = np.bincount(bins.codes, minlength=k).astype(float)
    shift = float(y.mean())
    mean_x = np.bincount(bins.codes, weights=x, minlength=k) / n
    mean = np.bincount(bins.codes, weights=y - shift, minlength=k) / n
    squared = np.bincount(bins.codes, weights=((y - shift) - mean[bins.codes]) ** 2, minlength=k)
    pooled = float(squared.sum()) / max(len(y) - k, 1)
    if pooled <= 0:
        return UNDEFINED_TEST
    # a bin's own variance where it has rows enough, drawn to the pooled one where it has few
    variance = (squared + 4 * pooled) / (np.maximum(n - 1, 0) + 4)
    root = np.sqrt(n / variance / inflation)
    basis = np.stack([np.ones(k), (mean_x - mean_x.mean()) / max(np.ptp(mean_x), 1e-300)], axis=1) * root[:, None]
    fit = np.linalg.lstsq(basis, mean * root, rcond=None)[0]
    statistic = float(np.sum((mean * root - basis @ fit) ** 2))
    return Significance(statistic, float(special.chdtrc(k - 2, statistic)))
