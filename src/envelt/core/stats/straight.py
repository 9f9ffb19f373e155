"""Whether the means of one number along another lie on a straight line."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..estimate import UNDEFINED_TEST, Significance
from ..magnitude import in_unit
from .box import box_test
from .of_units.pairs import UnitsByLevels, dense
from .of_units.spread import spread_of
from .rates import quantile_bins
from .sampling import Sampling

Floats = NDArray[np.float64]

BINS = 12
ROWS_A_BIN = 20


def not_straight(x: Floats, y: Floats, sampling: Sampling) -> Significance:
    """Test that the means of y in up to twelve quantile bins of x lie on a line, with variances free in each bin.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    sampling
        Of these rows.

    Returns
    -------
    Significance
        The squared distance of the means from the line over its mean by chance, an F, with its p; undefined for under
        three bins or 30 rows.
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
    root = np.sqrt(n)
    along = np.linalg.qr(np.stack([np.ones(k), mean_x - mean_x.mean()], axis=1) * root[:, None])[0]
    kept = np.eye(k) - along @ along.T
    if sampling.units is None:
        # a bin's own variance, drawn to the pooled one where it has few rows
        variance = (squared + 4 * pooled) / (np.maximum(n - 1, 0) + 4)
        return box_test(mean * root, kept, variance, n + 3)
    on_line = (mean * root - kept @ (mean * root)) / root
    codes = bins.codes.astype(np.int64)
    pairs = UnitsByLevels.of(sampling.units, codes, (sampling.cases, k))
    parts = dense(pairs.matrix(pairs.total((y - shift) - on_line[codes]) / root[pairs.level]))
    return spread_of([(1.0, parts @ kept)], k - 2).test
