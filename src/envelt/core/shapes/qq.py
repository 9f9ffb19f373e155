"""A sample against the normal: positions, the line through the quartiles, and a simultaneous band."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .qq_table import LEVELS, LOG_SIZES
from .quantiles import sorted_quantiles

Floats = NDArray[np.float64]

MOST_POINTS = 1_000
NORMAL_IQR = 1.3489795003921634  # between the quartiles of the standard normal
LEAST_ROWS = 8


@dataclass(frozen=True)
class QQ:
    """A sample's Q–Q plot against the normal.

    Parameters
    ----------
    theory
        Standard normal quantiles at (i − ½) / n, shape (m,); every i where n is at most 1,000, else all of the
        tails and an even choice of the rest.
    sample
        The values there, in their units.
    low, high
        The simultaneous 95 % band at those points, in the units of the values.
    line
        Intercept and slope of the line through the quartiles.
    off, outside
        Which of these points lie outside the band, and how many of all n do.
    """

    theory: Floats
    sample: Floats
    low: Floats
    high: Floats
    line: tuple[float, float]
    off: NDArray[np.bool_]
    outside: int


def normal_positions(n: int) -> Floats:
    """Return the standard normal quantiles at (i − ½) / n, i = 1 … n (Hazen 1914)."""
    return np.asarray(special.ndtri((np.arange(1, n + 1) - 0.5) / n), np.float64)


def band_level(n: int) -> float:
    """Return the pointwise level at which the band of n order statistics holds 95 % of normal samples whole."""
    at = np.log(n)
    if at > LOG_SIZES[-1]:
        slope = (np.log(LEVELS[-1]) - np.log(LEVELS[-3])) / (LOG_SIZES[-1] - LOG_SIZES[-3])
        return float(np.exp(np.log(LEVELS[-1]) + slope * (at - LOG_SIZES[-1])))
    return float(np.exp(np.interp(at, LOG_SIZES, np.log(LEVELS))))


def quartile_line(ordered: Floats) -> tuple[float, float]:
    """Return intercept and slope of the line through the quartiles; slope 0 where they coincide."""
    q1, q3 = sorted_quantiles(ordered, np.array([0.25, 0.75]))
    return float((q1 + q3) / 2), float(q3 - q1) / NORMAL_IQR


def normal_qq(ordered: Floats, step: float = 0.0) -> QQ | None:
    """Set a sorted sample against the normal through its quartiles.

    The band joins, at every order statistic, the α/2 and 1 − α/2 points of its Beta(i, n + 1 − i) distribution;
    α is such that 95 % of normal samples, their line through the quartiles fitted likewise, lie in it whole.
    A value recorded in steps is outside only if it would be anywhere within its step.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).
    step
        In which they were recorded; 0 for none.

    ``None`` for fewer than eight values, or where the quartiles coincide.

    References
    ----------
    Aldor-Noiman, Brown, Buja, Rolke & Stine (2013), The American Statistician 67, 249–260.
    """
    n = len(ordered)
    centre, scale = quartile_line(ordered) if n else (0.0, 0.0)
    if n < LEAST_ROWS or not (np.isfinite(scale) and scale > 0):
        return None
    kept = np.arange(n)
    at = normal_positions(n)
    if n > MOST_POINTS:
        ends = np.arange(MOST_POINTS // 4)
        middle = np.searchsorted(at, np.linspace(at[len(ends)], at[n - len(ends) - 1], MOST_POINTS // 2))
        kept = np.unique(np.concatenate([ends, middle, n - 1 - ends]))
    i, alpha = kept + 1.0, band_level(n)
    low = centre + scale * special.ndtri(special.betaincinv(i, n + 1 - i, alpha / 2))
    # the upper point of one end is the lower one of the other, mirrored, which keeps its digits
    high = centre - scale * special.ndtri(special.betaincinv(n + 1 - i, i, alpha / 2))
    # between the points kept the band is straight to within a thousandth of its width
    off = (ordered + step / 2 < np.interp(at, at[kept], low)) | (ordered - step / 2 > np.interp(at, at[kept], high))
    return QQ(at[kept], ordered[kept], np.asarray(low), np.asarray(high), (centre, scale), off[kept], int(off.sum()))
