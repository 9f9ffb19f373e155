"""Tables of counts and rates whose rows come in units."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import Z95
from .means import UnitMeans
from .pairs import UnitsByLevels
from .spread import Spread, spread_of

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def between_cells(rows: Codes, columns: Codes, shape: tuple[int, int], units: Codes, count: int) -> Spread:
    """Return the spread of Pearson's chi-square over its rows n: the squared length of what cells differ by.

    A unit's vector is the sum over its rows of (1[a] − p_a)(1[b] − q_b) / sqrt(p_a q_b).

    Parameters
    ----------
    rows, columns, units
        Of the rows, none ``-1``, shape (n,).
    """
    n = max(len(rows), 1)
    p, q = np.bincount(rows, minlength=shape[0]) / n, np.bincount(columns, minlength=shape[1]) / n
    most = float((np.count_nonzero(p) - 1) * (np.count_nonzero(q) - 1))
    cell = UnitsByLevels.of(units, rows * shape[1] + columns, (count, shape[0] * shape[1]))
    if cell.small:
        parts = cell.matrix(cell.n).reshape(count, *shape)
        of_row, of_column = parts.sum(axis=2, keepdims=True), parts.sum(axis=1, keepdims=True)
        parts = parts - of_row * q - p[:, None] * of_column + of_row.sum(axis=1, keepdims=True) * np.outer(p, q)
        used = np.outer(p > 0, q > 0)
        return spread_of([(1.0, parts[:, used] / np.sqrt(np.outer(p, q)[used]))], most)
    row, column = (UnitsByLevels.of(units, v, (count, k)) for v, k in ((rows, shape[0]), (columns, shape[1])))
    share = p[cell.level // shape[1]] * q[cell.level % shape[1]]
    size = np.bincount(units, minlength=count).astype(np.float64)[:, None]
    factors = [
        (1.0, cell.matrix(cell.n / np.sqrt(share))), (-1.0, row.matrix(row.n / np.sqrt(p[row.level]))),
        (-1.0, column.matrix(column.n / np.sqrt(q[column.level]))), (1.0, size),
    ]  # fmt: skip
    return spread_of(factors, most)


def effective_rows(codes: Codes, event: NDArray[np.bool_], groups: int, units: Codes, count: int) -> Floats:
    """Return the rows whose Wilson interval has the width of each group's rate where units, not rows, are drawn.

    n · p (1 − p) / n over the variance of the rate by units, times (1.96 / t)² for the degrees of freedom that this
    variance has, and n at most. A group whose rate is 0 or 1, or that has one unit, says nothing of how units vary: it
    takes the design effect of all groups together.

    Parameters
    ----------
    codes, event, units
        Of the rows, shape (n,); groups ``-1`` for none.

    References
    ----------
    Korn & Graubard (1998), Survey Methodology 24, 193–201.
    """
    inside = codes >= 0
    at, hit, unit = codes[inside].astype(np.int64), event[inside].astype(np.float64), units[inside]
    means = UnitMeans.of(hit, at, groups, unit, count)
    n = means.n
    rate = np.bincount(at, weights=hit, minlength=groups) / np.maximum(n, 1)
    plain = rate * (1 - rate) / np.maximum(n, 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        effect = means.variance * means.scale**2 / plain
        effect *= (special.stdtrit(means.df, 0.975) / Z95) ** 2
    largest = means.pairs.of_levels(means.pairs.n**2) / np.maximum(n, 1)
    known = np.isfinite(effect) & (plain > 0)
    residual = hit - rate[at]
    alone = float(np.sum(residual**2))
    together = float(np.sum((means.residual * means.scale) ** 2))
    pooled = np.minimum(together / alone, largest) if alone > 0 and known.any() else largest
    effect = np.where(known, effect, np.maximum(pooled, 1.0) * _of_few(means.units))
    return np.asarray(n / np.maximum(effect, 1.0))


def _of_few(units: Floats) -> Floats:
    """Return what so few units widen an interval by, squared."""
    return np.asarray((special.stdtrit(np.maximum(units - 1, 1), 0.975) / Z95) ** 2)


def contrast_effect(
    codes: Codes, event: NDArray[np.bool_], weight: tuple[Floats, Floats], units: Codes, count: int
) -> float:
    """Return what units widen a contrast of two rates by, squared: variance over that of rows, times (t / 1.96)².

    Parameters
    ----------
    codes
        0 or 1 for each row.
    weight
        What one more event in a group of n rows, over n, adds to the contrast, in each of the two groups; and what the
        variance of each rate over rows is.
    """
    slope, plain = weight
    scaled = np.where(codes == 0, slope[0], slope[1]) * event
    means = UnitMeans.of(scaled.astype(np.float64), codes, 2, units, count)
    variance, df = means.contrast(1.0)
    alone = float(np.sum(slope**2 * plain))
    if not (variance > 0 and df > 0 and alone > 0):
        return float("nan")
    return variance * means.scale**2 / alone * float(special.stdtrit(df, 0.975) / Z95) ** 2
