"""One number along another: a line, a smooth trend with its band, and the form of the relation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..estimate import UNDEFINED_TEST, Z95, Significance
from ..magnitude import in_unit
from .rates import quantile_bins

Floats = NDArray[np.float64]

CELLS = 400
SHOWN = 200
FORM_BINS = 12
ROWS_A_BIN = 20


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


@dataclass(frozen=True)
class Form:
    """The form of a relation and the tests that decided it.

    Parameters
    ----------
    form
        "linear", "monotone", "curved" or "none"; "related" where the correlation is sure and the bins do not say
        more, "unknown" where there are too few values or rows to look.
    any_relation
        Chi-square that the bins' means are all equal.
    not_straight
        Chi-square that they lie on a line.
    """

    form: str
    any_relation: Significance
    not_straight: Significance


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


def smooth_trend(x: Floats, y: Floats) -> Trend | None:
    """Estimate the mean of y along x by a local line with a Gaussian kernel.

    The rows are counted into 400 cells of x; the bandwidth is the widest of ten that predicts each cell from the
    others as well as the best, to the noise of two cells; the band is the sandwich variance of the fit,
    pointwise, from the squared residuals.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).

    Returns
    -------
    Trend or None
        ``None`` for fewer than ten rows or different values of x.

    References
    ----------
    Fan & Gijbels (1996), Local Polynomial Modelling and Its Applications, sections 3.2 and 4.10.
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
    x, y = x[inside], y[inside]
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
    # the smoothest that is worse than the best by no more than what two cells' noise makes of it
    best = float(widths[np.flatnonzero(np.array(errors) <= min(errors) + 2 * within)[-1]])
    fitted = _local_line(at, at, n, best) @ mean
    places = np.linspace(float(at[0]), float(at[-1]), SHOWN)
    weights = _local_line(places, at, n, best)
    residual = (y - shift) - fitted[np.cumsum(filled)[cell] - 1]
    squared = np.bincount(cell, weights=residual**2, minlength=CELLS)[filled]
    # the rows of a cell share its weight, so each has weights / n
    variance = (weights / n) ** 2 @ squared
    middle = weights @ mean + shift
    half = Z95 * np.sqrt(variance)
    low_end, high_end = of_y * (middle - half), of_y * (middle + half)
    return Trend(of_x * places, of_y * middle, low_end, high_end, of_x * best)


def _local_line(at: Floats, x: Floats, n: Floats, h: float) -> Floats:
    """Return the matrix that takes the cells' means to a local line's values, shape (places, cells)."""
    u = (x[None, :] - at[:, None]) / h
    w = n * np.exp(-u * u / 2)
    s0, s1, s2 = w.sum(axis=1), (w * u).sum(axis=1), (w * u * u).sum(axis=1)
    determinant = s0 * s2 - s1 * s1
    usable = determinant > 1e-12 * s0 * s2
    line = w * (s2[:, None] - s1[:, None] * u) / np.where(usable, determinant, 1.0)[:, None]
    return np.asarray(np.where(usable[:, None], line, w / np.maximum(s0, 1e-300)[:, None]), np.float64)


def relation_form(x: Floats, y: Floats, inflation: float = 1.0) -> Form:
    """Decide the form of a relation from the means of y along x, and where they lie on a line, of x along y.

    A bend that only the other side shows (one x goes with a low and a high y) is a curve too: no line, and no
    correlation, says what is there. See `one_sided_form`.
    """
    x, y = in_unit(x)[0], in_unit(y)[0]
    form = one_sided_form(x, y, inflation)
    if form.form in ("linear", "none") and one_sided_form(y, x, inflation, T.FORM_OTHER_GAIN).form == "curved":
        return Form("curved", form.any_relation, form.not_straight)
    if form.form in ("none", "unknown") and _surely_correlated(x, y, inflation):
        return Form("related", form.any_relation, form.not_straight)
    return form


def _surely_correlated(x: Floats, y: Floats, inflation: float) -> bool:
    """Say whether the correlation is surely not 0, by Fisher's z of as many rows as the units are worth."""
    n = len(x) / inflation
    r = float(np.sqrt(least_squares(x, y).r_squared)) if len(x) > 1 else 0.0
    if not (n > 3 and r > 0):
        return False
    return bool(2 * special.ndtr(-np.arctanh(min(r, 1 - 1e-12)) * np.sqrt(n - 3)) < T.FORM_P)


def one_sided_form(x: Floats, y: Floats, inflation: float = 1.0, least_gain: float = T.FORM_GAIN) -> Form:
    """Decide the form of a relation from the means of y in up to twelve quantile bins of x.

    With variances free in each bin: no relation where the means may all be equal; linear where they may lie on a
    line, or the bend explains under ``least_gain`` of y's variance; curved where some pair of bins surely rises
    and another
    surely falls; else monotone.

    Parameters
    ----------
    x, y
        Of the same rows, none missing, shape (n,).
    inflation
        Design effect of rows that come in units: variances are multiplied by it.
    """
    bins = quantile_bins(x, int(np.clip(len(x) // ROWS_A_BIN, 3, FORM_BINS)))
    k = len(bins.ends)
    if k < 3 or len(x) < 3 * 10:
        return Form("unknown", UNDEFINED_TEST, UNDEFINED_TEST)
    n = np.bincount(bins.codes, minlength=k).astype(float)
    shift = float(y.mean())
    mean_x = np.bincount(bins.codes, weights=x, minlength=k) / n
    mean = np.bincount(bins.codes, weights=y - shift, minlength=k) / n
    squared = np.bincount(bins.codes, weights=((y - shift) - mean[bins.codes]) ** 2, minlength=k)
    pooled = float(squared.sum()) / max(len(y) - k, 1)
    # a bin's own variance where it has rows enough, drawn to the pooled one where it has few
    variance = (squared + 4 * pooled) / (np.maximum(n - 1, 0) + 4)
    if pooled <= 0:
        return Form("none", UNDEFINED_TEST, UNDEFINED_TEST)
    weight = n / variance / inflation
    constant = _chi_square(np.ones((k, 1)), mean, weight)
    straight = _chi_square(
        np.stack([np.ones(k), (mean_x - mean_x.mean()) / max(np.ptp(mean_x), 1e-300)], axis=1), mean, weight
    )
    line = least_squares(x, y)
    explained = 1 - float(squared.sum()) / max(float(((y - shift) ** 2).sum()), 1e-300)
    gain = explained - (k - 1) / len(y) - line.r_squared
    if not constant.p < T.FORM_P:
        form = "none"
    elif straight.p >= T.FORM_P or gain < least_gain:
        form = "linear"
    else:
        form = "curved" if _turns(mean, weight) else "monotone"
    return Form(form, constant, straight)


def _chi_square(basis: Floats, mean: Floats, weight: Floats) -> Significance:
    """Return the weighted squared distance of means from what a basis can fit, with its p."""
    root = np.sqrt(weight)
    left = basis * root[:, None]
    coefficients = np.linalg.lstsq(left, mean * root, rcond=None)[0]
    statistic = float(np.sum((mean * root - left @ coefficients) ** 2))
    df = len(mean) - basis.shape[1]
    return Significance(statistic, float(special.chdtrc(df, statistic)) if df > 0 else 1.0)


def _turns(mean: Floats, weight: Floats) -> bool:
    """Say whether some pair of bins surely rises and another surely falls."""
    i, j = np.triu_indices(len(mean), 1)
    z = (mean[j] - mean[i]) / np.sqrt(1 / weight[i] + 1 / weight[j])
    return bool(z.max() > T.FORM_SURE and z.min() < -T.FORM_SURE)
