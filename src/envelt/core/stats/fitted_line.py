"""The least-squares line of one number along another, with the intervals of its slope and its intercept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import Estimate
from ..magnitude import in_unit
from .sampling import Sampling
from .trend import Line, least_squares

Floats = NDArray[np.float64]
UNKNOWN = float("nan")


@dataclass(frozen=True)
class FittedLine:
    """A least-squares line.

    Parameters
    ----------
    line
        The line itself.
    slope, intercept
        With their intervals; the slope in units of y a unit of x, the intercept in units of y.
    residual_sd
        The standard deviation of what the line leaves, √(Σ r² / (n − 2)), in units of y.
    """

    line: Line
    slope: Estimate
    intercept: Estimate
    residual_sd: float


def fitted_line(x: Floats, y: Floats, sampling: Sampling, confidence: float = 0.95) -> FittedLine:
    """Fit a line, with intervals that hold where the spread about it is uneven.

    Over rows variances are HC3, over units the jackknife's, which leaves out a unit at a time. Degrees of freedom are
    (Σ D)² / Σ D² of the squared weights D of the cases, at most those that are left.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    sampling
        Of these rows.

    Returns
    -------
    FittedLine
        NaN where x does not vary; intervals are NaN under three rows, or units.

    References
    ----------
    MacKinnon & White (1985), Journal of Econometrics 29, 305–325; Efron & Stein (1981), Annals of Statistics 9,
    586–596.
    """
    line, n = least_squares(x, y), len(x)
    if n < 3 or line.slope != line.slope:
        slope, intercept = (Estimate(v, UNKNOWN, UNKNOWN) for v in (line.slope, line.intercept))
        return FittedLine(line, slope, intercept, UNKNOWN)
    (x, of_x), (y, of_y) = in_unit(x), in_unit(y)
    middle, dx = _centred(x)
    _, dy = _centred(y)
    sxx = float(dx @ dx)
    left = dy - float(dx @ dy) / sxx * dx
    weights = dx / sxx, 1 / n - middle * dx / sxx
    if sampling.units is None:
        without = left / np.maximum(1 - 1 / n - dx * dx / sxx, 1e-12)
        variances, most = [float(np.sum((w * without) ** 2)) for w in weights], n - 2.0
    else:
        variances, most = _jackknifed(dx, dy, middle, sampling), sampling.cases - 1.0
    tail = (1 - confidence) / 2
    ends = []
    for estimate, weight, variance, scale in zip(
        (line.slope, line.intercept), weights, variances, (of_y / of_x, of_y), strict=True
    ):
        share = sampling.totals(weight**2)
        df = min(most, float(share.sum() ** 2 / np.sum(share**2)))
        with np.errstate(over="ignore", invalid="ignore"):
            half = -float(special.stdtrit(df, tail)) * float(np.sqrt(variance)) * scale if df > 0 else UNKNOWN
        ends.append(Estimate(estimate, estimate - half, estimate + half))
    return FittedLine(line, ends[0], ends[1], float(np.sqrt(float(left @ left) / (n - 2)) * of_y))


def _centred(v: Floats) -> tuple[float, Floats]:
    away = v - v[0]
    mean = float(away.mean())
    away = away - mean
    return float(v[0]) + mean, np.asarray(away - away.mean())


def _jackknifed(dx: Floats, dy: Floats, middle: float, sampling: Sampling) -> list[float]:
    """Return the variances of the slope and the intercept from the lines without each unit in turn."""
    if sampling.tells_nothing:
        return [UNKNOWN, UNKNOWN]
    n, sx, sy, sxx, sxy = (float(v.sum()) - sampling.totals(v) for v in (np.ones(len(dx)), dx, dy, dx * dx, dx * dy))
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = (sxy - sx * sy / n) / (sxx - sx * sx / n)
        intercept = sy / n - slope * (middle + sx / n)
    cases = sampling.cases
    return [
        (cases - 1) / cases * float(np.sum((v - v.mean()) ** 2)) if np.isfinite(v).all() else UNKNOWN
        for v in (slope, intercept)
    ]
