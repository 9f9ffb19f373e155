"""One number along another: a line, and a smooth trend with its band."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..magnitude import in_unit
from .of_units.pairs import UnitsByLevels, dense
from .sampling import Sampling

Floats = NDArray[np.float64]

CELLS = 400
SHOWN = 200
NOISE = 5.0
"""Cells' noise by which a smoother trend may predict worse than the best."""
ROWS_A_TURN, MOST_TURNS = 12, 12
"""Rows that a turn of the trend takes at least, and its turns at most: others are chance."""


@dataclass(frozen=True)
class Line:
    """The least-squares line y = intercept + slope · x, and the share of y's variance it explains."""

    intercept: float
    slope: float
    r_squared: float

    @np.errstate(over="ignore", invalid="ignore")
    def at(self, x: Floats) -> Floats:
        """Return the line's values at places x, shape (m,)."""
        return np.asarray(self.intercept + self.slope * x)


@dataclass(frozen=True)
class Trend:
    """A smooth trend at some places, with its pointwise 95 % band; every array of shape (200,)."""

    at: Floats
    mean: Floats
    low: Floats
    high: Floats
    bandwidth: float


def least_squares(x: Floats, y: Floats) -> Line:
    """Fit a line; NaN where x does not vary."""
    if len(x) < 2 or x.min() == x.max():
        return Line(float("nan"), float("nan"), float("nan"))
    (x, of_x), (y, of_y) = in_unit(x), in_unit(y)
    dx, dy = x - x[0], y - y[0]
    mx, my = dx.mean(), dy.mean()
    dx, dy = dx - mx, dy - my
    sxx, syy, sxy = float(dx @ dx), float(dy @ dy), float(dx @ dy)
    slope = sxy / sxx if sxx > 0 else float("nan")
    r_squared = sxy * slope / syy if syy > 0 else float("nan")
    intercept = float(y[0] + my - slope * (x[0] + mx))
    return Line(of_y * intercept, of_y / of_x * slope, float(min(r_squared, 1.0)))


def smooth_trend(x: Floats, y: Floats, sampling: Sampling) -> Trend | None:
    """Estimate the mean of y along x by a local parabola with a Gaussian kernel.

    The rows are counted into 400 cells of x. The bandwidth is the widest of ten at which a local line predicts each
    cell from the others as well as the best, to the noise of five cells; wider where the trend would turn round more
    than once in twelve rows (units), or twelve times. There a parabola is the line without what that misses of a bend,
    so that its band covers the mean there too. The band is the sandwich variance of the fit, pointwise, from the
    squared residuals, or from their sums over units.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    sampling
        Of these rows.

    Returns
    -------
    Trend or None
        ``None`` for fewer than ten rows or different values of x.

    References
    ----------
    Fan & Gijbels (1996), Local Polynomial Modelling and Its Applications, sections 3.2 and 4.10; Calonico, Cattaneo &
    Farrell (2018), Journal of the American Statistical Association 113, 767–779.
    """
    if len(x) < 10:
        return None
    (x, of_x), (y, of_y) = in_unit(x), in_unit(y)
    low, high = np.quantile(x, [0.005, 0.995])
    if not low < high:
        low, high = float(x.min()), float(x.max())
    inside = (x >= low) & (x <= high)
    if not low < high or inside.sum() < 10:
        return None
    x, y, sampling = x[inside], y[inside], sampling.take(inside)
    cell = np.minimum(((x - low) / (high - low) * CELLS).astype(np.int64), CELLS - 1)
    n = np.bincount(cell, minlength=CELLS).astype(float)
    filled = n > 0
    if filled.sum() < 5:
        return None
    n = n[filled]
    shift = float(y.mean())
    at = np.bincount(cell, weights=x, minlength=CELLS)[filled] / n
    mean = np.bincount(cell, weights=y - shift, minlength=CELLS)[filled] / n
    within = float(np.sum(((y - shift) - mean[np.cumsum(filled)[cell] - 1]) ** 2)) / max(len(y) - len(n), 1)
    widths = np.geomspace(0.02, 0.6, 10) * (high - low)
    widths = widths[widths >= 1.5 * float(np.median(np.diff(at)))]
    errors = []
    for h in widths:
        smoother = _local_line(at, at, n, h)
        own = np.minimum(np.diag(smoother), 0.999)
        errors.append(float(np.sum(n * ((mean - smoother @ mean) / (1 - own)) ** 2)))
    # the smoothest that is worse than the best by no more than what five cells' noise makes of it; where cells hold a
    # row each, that noise is what the best leaves
    noise = max(within, min(errors) / len(n))
    good = int(np.flatnonzero(np.array(errors) <= min(errors) + NOISE * noise)[-1])
    most = min(sampling.cases / ROWS_A_TURN, MOST_TURNS)
    best = float(next((h for h in widths[good:] if _turns(at, mean, n, h) <= most), widths[-1]))
    fitted = _local_curve(at, at, n, best) @ mean
    places = np.linspace(float(at[0]), float(at[-1]), SHOWN)
    weights = _local_curve(places, at, n, best)
    residual = (y - shift) - fitted[np.cumsum(filled)[cell] - 1]
    # the rows of a cell share its weight, so each has weights / n
    variance = _band_variance(weights / n, (np.cumsum(filled) - 1)[cell], residual, sampling)
    fitted_by = float(np.trace(_local_curve(at, at, n, best)))  # parameters: what a fit takes off the residuals
    variance *= sampling.cases / max(sampling.cases - fitted_by, 1.0)
    middle = weights @ mean + shift
    half = sampling.quantile * np.sqrt(variance)
    low_end, high_end = of_y * (middle - half), of_y * (middle + half)
    return Trend(of_x * places, of_y * middle, low_end, high_end, of_x * best)


def _turns(at: Floats, mean: Floats, n: Floats, h: float) -> int:
    """Return how often a trend of this bandwidth turns from rising against the straight line to falling, or back."""
    places = np.linspace(at[0], at[-1], SHOWN)
    steps = np.sign(np.diff(_local_curve(places, at, n, h) @ mean - least_squares(at, mean).at(places)))
    steps = steps[steps != 0]
    return int(np.count_nonzero(np.diff(steps)))


def _band_variance(weights: Floats, cell: NDArray[np.int64], residual: Floats, sampling: Sampling) -> Floats:
    """Return the variance of the fit at each place, from the weight of a row of each cell, shape (places, cells)."""
    size = weights.shape[1]
    if sampling.units is None:
        return np.asarray(weights**2 @ np.bincount(cell, weights=residual**2, minlength=size), np.float64)
    pairs = UnitsByLevels.of(sampling.units, cell, (sampling.cases, size))
    total = pairs.matrix(pairs.total(residual))
    together = dense(total.T @ total)
    return np.asarray(np.maximum(np.einsum("pc,cd,pd->p", weights, together, weights, optimize=True), 0.0))


def _local_line(at: Floats, x: Floats, n: Floats, h: float) -> Floats:
    """Return the matrix that takes the cells' means to a local line's values, shape (places, cells)."""
    u = (x[None, :] - at[:, None]) / h
    w = n * np.exp(-u * u / 2)
    s0, s1, s2 = w.sum(axis=1), (w * u).sum(axis=1), (w * u * u).sum(axis=1)
    determinant = s0 * s2 - s1 * s1
    usable = determinant > 1e-12 * s0 * s2
    line = w * (s2[:, None] - s1[:, None] * u) / np.where(usable, determinant, 1.0)[:, None]
    return np.asarray(np.where(usable[:, None], line, w / np.maximum(s0, 1e-300)[:, None]), np.float64)


def _local_curve(at: Floats, x: Floats, n: Floats, h: float) -> Floats:
    """Return the matrix that takes the cells' means to a local parabola's values, shape (places, cells)."""
    u = (x[None, :] - at[:, None]) / h
    w = n * np.exp(-u * u / 2)
    powers = np.stack([np.ones_like(u), u, u * u])
    moments = np.einsum("pc,ipc,jpc->pij", w, powers, powers, optimize=True)
    scale = np.maximum(moments[:, :1, :1], 1e-300)
    first = np.linalg.pinv(moments / scale, 1e-9, hermitian=True)[:, :, 0]
    return np.asarray(w / scale[:, :, 0] * np.einsum("pi,ipc->pc", first, powers), np.float64)
