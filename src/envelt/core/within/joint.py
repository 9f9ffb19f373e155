"""Two columns in few levels crossed with an outcome: sums in each cell, and slopes along the one within the other."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..columns.coarse import Coarse
from ..estimate import Z95, Estimate

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

BLOCK = 1 << 15


def scores_of(c: Coarse, y: NDArray[Any]) -> Floats:
    """Return the place of each level: of ordered ones, of two, or of several by their mean from lowest (0) to highest.

    NaN for levels apart of under ten rows.
    """
    if c.ordered:
        return np.arange(len(c.labels), dtype=float)
    there = c.codes >= 0
    codes = c.codes[there].astype(np.int64)
    n = np.bincount(codes, minlength=len(c.labels))
    used = n >= (T.FEW_ROWS if len(c.labels) > 2 else 1)
    scores = np.full(len(c.labels), np.nan)
    if used.sum() == 2:
        scores[used] = [0.0, 1.0]
    elif used.any():
        mean = np.bincount(codes, weights=y[there], minlength=len(c.labels)) / np.maximum(n, 1)
        low, high = mean[used].min(), mean[used].max()
        scores[used] = (mean[used] - low) / (high - low) if high > low else 0.0
    return scores


def surely(c: Coarse, scores: Floats, sure: float) -> float:
    """Return how many standard errors a slope along scores must be from nothing, where its levels made the scores."""
    free = int(np.count_nonzero(~np.isnan(scores))) - 1
    if c.ordered or free < 2:
        return sure
    return float(np.sqrt(special.chdtri(free, 2 * special.ndtr(-sure))))


def z_of(e: Estimate) -> float:
    """Return how many standard errors an estimate is from nothing."""
    half = (e.high - e.low) / (2 * Z95)
    return e.estimate / half if half > 0 else 0.0


def z_of_slopes(slopes: Floats, errors: Floats, rows: Floats) -> Floats:
    """Return normal deviates as far out as Student's t says each slope of so many rows is: of few it is less sure."""
    t = np.divide(slopes, errors, out=np.zeros(len(slopes)), where=errors > 0)
    return np.asarray(-np.sign(t) * special.ndtri(special.stdtr(np.maximum(rows - 2, 1), -np.abs(t))), np.float64)


def _sums(cell: Codes, y: NDArray[Any], size: int) -> tuple[Floats, Floats, Floats]:
    """Return rows, and the sums of the outcome and of its square, in each cell."""
    if y.dtype == np.bool_:
        both = np.bincount(cell * 2 + y, minlength=2 * size).reshape(size, 2).astype(float)
        return both.sum(axis=1), both[:, 1], both[:, 1]
    n = np.bincount(cell, minlength=size).astype(float)
    with np.errstate(over="ignore"):  # of numbers whose squares are none nothing is claimed
        total, squared = (np.bincount(cell, weights=v, minlength=size).astype(float) for v in (y, y * y))
    return n, total, squared


def marginal(c: Coarse, scores: Floats, y: NDArray[Any], inflation: float) -> Estimate:
    """Return the slope of the outcome along a column over all rows that have a level."""
    keep = c.codes >= 0
    codes = c.codes if keep.all() else c.codes[keep]
    n, total, squared = _sums(codes.astype(np.int64), y if keep.all() else y[keep], len(c.labels))
    return slope_along(scores, n[:, None], total[:, None], squared[:, None], inflation)


@np.errstate(over="ignore", invalid="ignore")
def share_of_variance(c: Coarse, y: NDArray[Any]) -> float:
    """Return the share of the outcome's variance that lies between the levels of a column."""
    keep = c.codes >= 0
    n, total, squared = _sums(c.codes[keep].astype(np.int64), y[keep], len(c.labels))
    rows = float(n.sum())
    if rows == 0:
        return 0.0
    mean = total.sum() / rows
    whole = squared.sum() / rows - mean**2
    between = np.sum(total**2 / np.maximum(n, 1)) / rows - mean**2
    return float(between / whole) if whole > 0 else 0.0


def stand_for_each_other(a: Coarse, b: Coarse, n: Floats) -> bool:
    """Say whether two columns in several ordered levels are so alike that within one there is little of the other."""
    graded = a.ordered and b.ordered and min(n.shape) > 3
    return graded and abs(_correlation(n)) >= T.TURN_SAME


def near_copies(n: Floats) -> bool:
    """Say whether one of two columns nearly gives the other: a number and its bands, two names of one thing."""
    rows, columns = n.sum(axis=1), n.sum(axis=0)
    used = n[np.ix_(rows > 0, columns > 0)]
    if min(used.shape) < 2:
        return False
    phi2 = float(np.sum(used**2 / np.outer(used.sum(axis=1), used.sum(axis=0)))) - 1
    return bool(phi2 >= T.TURN_SAME**2 * (min(used.shape) - 1))


def _correlation(n: Floats) -> float:
    """Return the correlation of the places of rows and columns of a table; 0 where one does not vary."""
    x, y = (np.arange(size, dtype=float) for size in n.shape)
    total = max(float(n.sum()), 1.0)
    x, y = x - float(n.sum(axis=1) @ x) / total, y - float(n.sum(axis=0) @ y) / total
    spread = float(n.sum(axis=1) @ x**2) * float(n.sum(axis=0) @ y**2)
    return float(x @ n @ y) / float(np.sqrt(spread)) if spread > 0 else 0.0


def joint(a: Coarse, b: Coarse, y: NDArray[Any]) -> tuple[Floats, Floats, Floats]:
    """Return rows, and the sums of the outcome and of its square, in each combination of levels."""
    size = len(b.labels)
    shape = (len(a.labels), size)
    sums = [np.zeros(shape) for _ in range(3)]
    # block by block, so that what is counted stays in the cache
    for start in range(0, len(y), BLOCK):
        part = slice(start, start + BLOCK)
        first, second, of = a.codes[part], b.codes[part], y[part]
        keep = (first >= 0) & (second >= 0)
        cell = first.astype(np.int64) * size + second
        if not keep.all():
            cell, of = cell[keep], of[keep]
        for total, added in zip(sums, _sums(cell, of, shape[0] * size), strict=True):
            total += added.reshape(shape)
    return sums[0], sums[1], sums[2]


@np.errstate(over="ignore", invalid="ignore")
def variance_of_each(n: Floats, total: Floats, squared: Floats) -> Floats:
    """Return the outcome's variance within each column of a table of rows and of its sums."""
    rows = np.maximum(n.sum(axis=0), 1)
    return np.asarray(squared.sum(axis=0) / rows - (total.sum(axis=0) / rows) ** 2)


@np.errstate(over="ignore", invalid="ignore", divide="ignore")
def slopes_of_each(
    scores: Floats, n: Floats, total: Floats, squared: Floats, inflation: float = 1.0
) -> tuple[Floats, Floats]:
    """Return the slope within each column of a table of rows by itself, as `slope_along` has it, and its errors.

    The larger of the error that lets cells vary freely and the one of least squares, √(Σ (y − ŷ)² / (rows − 2) / sxx):
    cells of a dozen rows seem to vary less than they do, and the more so where a rate is near none or all.
    """
    use = ~np.isnan(scores)
    s, n, total, squared = scores[use][:, None], n[use], total[use], squared[use]
    rows = np.maximum(n.sum(axis=0), 1)
    spread = rows * variance_of_each(n, total, squared)
    away = s - (n * s).sum(axis=0) / rows
    sxx = np.sum(n * away**2, axis=0)
    variance = np.maximum(squared / np.maximum(n, 1) - (total / np.maximum(n, 1)) ** 2, 0.0)
    pooled = np.sum(n * variance, axis=0) / rows
    variance = (n * variance + 5 * pooled) / (n + 5)
    slope = np.where(sxx > 0, np.sum(away * total, axis=0) / sxx, 0.0)
    freely = np.sum(away**2 * n * variance, axis=0) / sxx**2
    about_a_line = np.maximum(spread - slope**2 * sxx, 0.0) / np.maximum(rows - 2, 1) / sxx
    error = np.where(sxx > 0, np.sqrt(inflation * np.maximum(freely, about_a_line)), np.inf)
    return slope, error


@np.errstate(over="ignore", invalid="ignore")
def slope_along(scores: Floats, n: Floats, total: Floats, squared: Floats, inflation: float = 1.0) -> Estimate:
    """Return the slope common to the columns of a table of rows, with an interval that lets cells vary freely.

    Slope = Σ_j Σ_i n_ij (s_i − s̄_j) ȳ_ij / Σ_j Σ_i n_ij (s_i − s̄_j)²; its variance takes each cell's own variance.
    """
    use = ~np.isnan(scores)
    s, n, total, squared = scores[use][:, None], n[use], total[use], squared[use]
    columns = np.maximum(n.sum(axis=0), 1)
    away = s - (n * s).sum(axis=0) / columns
    sxx = float(np.sum(n * away**2))
    if sxx <= 0:
        return Estimate(0.0, -np.inf, np.inf)
    slope = float(np.sum(away * total)) / sxx
    mean = total / np.maximum(n, 1)
    variance = np.maximum(squared / np.maximum(n, 1) - mean**2, 0.0)
    pooled = float(np.sum(n * variance)) / max(float(n.sum()), 1.0)
    # a cell of few rows borrows from all
    variance = (n * variance + 5 * pooled) / (n + 5)
    se = np.sqrt(inflation * float(np.sum(away**2 * n * variance))) / sxx
    return Estimate(slope, slope - Z95 * se, slope + Z95 * se)
