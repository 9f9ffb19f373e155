"""The dip: how far a sample is from having one peak."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from ..estimate import UNDEFINED_TEST, Significance
from .dip_table import LOG_SIZES, P_VALUES, QUANTILES
from .resolution import recorded_step

Floats = NDArray[np.float64]
LEAST_ROWS = 8
LEAST_DISTINCT = 10


def dip_statistic(ordered: Floats) -> float:
    """Return Hartigan's dip: the largest distance of the sample's distribution from the nearest with one peak.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).

    Returns
    -------
    float
        Between 1 / (2n) and 1 / 4.

    References
    ----------
    Hartigan & Hartigan (1985), Annals of Statistics 13, 70–84; the steps are those of P. M. Hartigan (1985),
    algorithm AS 217, Applied Statistics 34, 320–325, on distinct values.
    """
    n = len(ordered)
    at = (ordered - ordered[0]) / max(float(ordered[-1] - ordered[0]), 1e-300)  # where near values may become one
    starts = np.flatnonzero(np.concatenate(([True], at[1:] > at[:-1])))
    x = at[starts]
    under = starts.astype(np.float64)  # rows below each value
    upto = np.concatenate((under[1:], [n]))
    low, high, dip = 0, len(x) - 1, 1.0
    while high - low > 0:
        part = slice(low, high + 1)
        minorant = _hull(x[part], under[part], convex=True)
        majorant = _hull(x[part], upto[part], convex=False)
        gap = majorant - minorant
        at = int(np.argmax(gap))
        if gap[at] <= dip:
            break
        # vertices of both hulls on either side of the largest gap
        of_minorant = np.flatnonzero(np.abs(minorant - under[part]) <= 1e-9 * n)
        of_majorant = np.flatnonzero(np.abs(majorant - upto[part]) <= 1e-9 * n)
        left = int(of_minorant[of_minorant <= at].max())
        right = int(of_majorant[of_majorant >= at].min())
        before = float(np.max(upto[part][: left + 1] - minorant[: left + 1], initial=1.0))
        after = float(np.max(majorant[right:] - under[part][right:], initial=1.0))
        dip = max(dip, before, after)
        if (left, right) == (0, high - low):
            break
        low, high = low + left, low + right
    return dip / (2 * n)


def _hull(x: Floats, y: Floats, convex: bool) -> Floats:
    """Return the greatest convex minorant (least concave majorant) of points, at the points.

    Its slopes are the isotonic regression of the slopes between neighbours, weighted by their distances.
    """
    width = np.diff(x) / (x[-1] - x[0] if x[-1] > x[0] else 1.0)
    width = np.maximum(width, 1e-290)  # over hundreds of decades slopes would be no numbers
    slopes = scipy.optimize.isotonic_regression(np.diff(y) / width, weights=width, increasing=convex).x
    return np.asarray(y[0] + np.concatenate(([0.0], np.cumsum(slopes * width))))


def dip_p(dip: float, n: float) -> float:
    """Return the p-value of a dip under the uniform distribution, from a simulated table of sqrt(n) · dip."""
    at = float(np.clip(np.log(n), LOG_SIZES[0], LOG_SIZES[-1]))
    quantiles = np.array([np.interp(at, LOG_SIZES, column) for column in QUANTILES.T])
    z = np.sqrt(n) * dip
    if z > quantiles[-1]:
        return float(P_VALUES[-1] / 2)
    return float(np.interp(z, quantiles, P_VALUES))


def dip_test(ordered: Floats, effect: float, step: float | None = None, seed: int = 0) -> tuple[Significance, float]:
    """Test for more than one peak.

    Values recorded in steps are spread evenly over their step first, with a fixed seed: ties would count as
    peaks. Too few rows, or too few different values, give no test.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).
    effect
        What units inflate the variance of the distribution function by; 1 where rows are cases. p is that of n / effect
        rows.
    step
        To spread values over; by default the step in which they were recorded.

    Returns
    -------
    Significance, float
        The dip with its p, and the step values were spread over (0 for none).
    """
    n = len(ordered)
    if n < LEAST_ROWS or ordered[0] == ordered[-1]:
        return UNDEFINED_TEST, 0.0
    distinct = int(np.count_nonzero(np.diff(ordered))) + 1
    step = recorded_step(ordered) if step is None else step
    if distinct < n and step:
        if (ordered[-1] - ordered[0]) / step < LEAST_DISTINCT:
            return UNDEFINED_TEST, 0.0
        spread = np.random.default_rng([seed, n]).uniform(-step / 2, step / 2, n)
        ordered = np.sort(ordered + spread)
    elif distinct < 0.9 * n:
        return UNDEFINED_TEST, 0.0
    else:
        step = 0.0
    dip = dip_statistic(ordered)
    return Significance(dip, dip_p(dip, n / effect)), float(step)
