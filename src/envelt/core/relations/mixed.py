"""How far levels and numbers, or levels and levels, go together: correlation ratio and Cramér's V."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..magnitude import in_unit
from ..stats.between import between_test, share_error
from ..stats.crossing import relation_of_counted
from ..stats.sampling import Sampling

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

CELLS = 200_000
"""A table of more cells is counted by the pairs that occur."""


class Strength(NamedTuple):
    """A coefficient from 0 to 1, the rows it is of, p, and the F or chi-square its interval is found from.

    ``effect`` is what units inflate that statistic by, 1 where rows are cases; ``error`` the standard error of the
    share that is explained, or of φ², with its degrees of freedom, where the interval must be as wide.
    """

    value: float
    n: int
    p: float
    statistic: float
    df: tuple[float, float]
    effect: float
    error: float
    error_df: float


NOTHING = Strength(float("nan"), 0, float("nan"), float("nan"), (0.0, 0.0), 1.0, 0.0, np.inf)


def correlation_ratio(codes: Codes, size: int, values: Floats, sampling: Sampling) -> Strength:
    """Return the correlation ratio of a number in levels: the root of Kelley's epsilon squared, or 0 below 0.

    What groups of n rows differ by where nothing is there is taken off; of rows in units it is that of units.

    Parameters
    ----------
    codes, size
        The level of each row, ``-1`` for none, and how many levels there are.
    values
        Shape (n,), NaN where missing.
    sampling
        Of these rows.

    References
    ----------
    Kelley (1935), Proc Natl Acad Sci 21, 554–559. The test is the classical F, or its like by units.
    """
    both = (codes >= 0) & ~np.isnan(values)
    at, y = codes[both], values[both]
    n = len(y)
    if n < 3:
        return NOTHING._replace(n=n)
    y, _ = in_unit(y - y[0])
    y = y - y.mean()
    count = np.bincount(at, minlength=size).astype(float)
    k = int(np.count_nonzero(count))
    total = float(y @ y)
    if k < 2 or n <= k or total <= 0:
        return NOTHING._replace(n=n)
    sums = np.bincount(at, weights=y, minlength=size)
    mean = sums / np.maximum(count, 1)
    within = float(np.sum((y - mean[at]) ** 2))
    between = max(total - within, 0.0)
    df = (k - 1.0, float(n - k))
    f = (between / df[0]) / (within / df[1]) if within > 0 else np.inf
    some = sampling.take(both)
    p, effect = between_test(y, at, size, float(f), df, some)
    # 1 − (within / (n − k)) / (total / (n − 1)): over what groups differ by chance, which units make more of
    chance = within / df[1] * df[0] * (effect if effect > 1 else 1.0)
    value = float(np.sqrt(min(max((between - chance) / total, 0.0), 1.0)))
    return Strength(value, n, p, float(f), df, effect, share_error(y, at, size, some), _df(some))


def cramers_v(a: Codes, size_a: int, b: Codes, size_b: int, sampling: Sampling) -> Strength:
    """Return Bergsma's bias-corrected V of two columns of levels, ``-1`` for none; see `stats.crossing`."""
    both = (a >= 0) & (b >= 0)
    x, y = a[both], b[both]
    n = len(x)
    if n < 2:
        return NOTHING._replace(n=n)
    rows, columns = np.bincount(x, minlength=size_a), np.bincount(y, minlength=size_b)
    r, c = int(np.count_nonzero(rows)), int(np.count_nonzero(columns))
    if min(r, c) < 2:
        return NOTHING._replace(n=n)
    cell = x * size_b + y
    table = None
    if size_a * size_b <= CELLS:
        counts = np.bincount(cell, minlength=size_a * size_b)
        table = counts.reshape(size_a, size_b)
        used = np.flatnonzero(counts)
        counts = counts[used]
    else:
        used, counts = np.unique(cell, return_counts=True)
    phi2 = max(float(np.sum(counts**2 / (rows[used // size_b] * columns[used % size_b].astype(float)))) - 1, 0.0)
    some = sampling.take(both)
    v, p, effect, error = relation_of_counted(x, y, (size_a, size_b), table, n * phi2, (r, c), some)
    return Strength(v, n, p, n * phi2, (float((r - 1) * (c - 1)), float(min(r, c) - 1)), effect, error, _df(some))


def _df(sampling: Sampling) -> float:
    return sampling.cases - 1.0 if sampling.clustered else np.inf
