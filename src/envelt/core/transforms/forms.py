"""The transforms: where each can be used, what is fitted, and how values go there and back."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from ..shapes.power import (
    FittedPower,
    box_cox,
    box_cox_inverse,
    box_cox_parameter,
    log_offset_parameter,
    yeo_johnson,
    yeo_johnson_inverse,
    yeo_johnson_parameter,
)

Floats = NDArray[np.float64]

MOST_KNOTS = 1_001
"""Of the map from values to normal scores; between knots it is a straight line."""


@dataclass(frozen=True)
class Transform:
    """A transform with what was fitted for it.

    Parameters
    ----------
    name
        One of `NAMES`.
    parameter
        The power, or the offset; NaN where the transform has none.
    low, high
        The 95 % interval of the parameter.
    gain
        How much likelier the values are as a transformed normal than as a normal, in units of log-likelihood.
    ends
        The smallest and largest value it was fitted on.
    knots
        Of "rank_normal": values and their scores, both rising, shape (2, k).
    """

    name: str
    parameter: float = math.nan
    low: float = math.nan
    high: float = math.nan
    gain: float = 0.0
    ends: tuple[float, float] = (-math.inf, math.inf)
    knots: Floats | None = None

    @property
    def domain(self) -> tuple[float, float]:
        """The open interval of values that it can be taken of."""
        return FORMS[self.name].domain(self)

    def nearest(self, value: float) -> float:
        """Return the end of the values it was fitted on that lies nearest."""
        return self.ends[0] if value < self.ends[0] else self.ends[1]

    def inside(self, values: Floats) -> NDArray[np.bool_]:
        """Say which values it can be taken of; missing ones count as inside."""
        low, high = self.domain
        return ~((values <= low) | (values >= high))

    def apply(self, values: Floats) -> Floats:
        """Return transformed values; NaN where missing, and where it cannot be taken."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            out = FORMS[self.name].apply(values, self)
            return np.where(self.inside(values) & np.isfinite(out), out, np.nan)

    def carried_on(self, values: Floats) -> Floats:
        """Return transformed values, beyond the ends it was fitted on along straight lines; NaN where missing.

        Each line has the slope of the twentieth of the range that is next to it, so that no value can be thrown far: a
        logarithm's own slope at a value near zero would.
        """
        low, high = self.ends
        out = self.apply(np.clip(values, low, high))
        if not ((values < low) | (values > high)).any():
            return out
        for end, at, slope in self._lines:
            beyond = values < low if end == low else values > high
            if beyond.any():
                out[beyond] = at + slope * (values[beyond] - end)
        return out

    def brought_back(self, images: Floats) -> Floats:
        """Return the values of which these are the transform as carried on."""
        out = self.inverse(images)
        for end, at, slope in self._lines:
            outwards = images - at if (slope > 0) == (end == self.ends[1]) else at - images
            beyond = outwards > 0
            if beyond.any() and slope != 0:
                out[beyond] = end + (images[beyond] - at) / slope
        return out

    @property
    def _lines(self) -> list[tuple[float, float, float]]:
        """Of each end its value, its image and the slope next to it."""
        low, high = self.ends
        if not -math.inf < low < high < math.inf:
            return []
        step = (high - low) / 20
        first, second, third, fourth = self.apply(np.array([low, low + step, high - step, high])).tolist()
        return [(low, first, (second - first) / step), (high, fourth, (fourth - third) / step)]

    def inverse(self, values: Floats) -> Floats:
        """Return the values of which these are the transform; NaN where there is none."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            return np.asarray(FORMS[self.name].back(values, self), np.float64)


@dataclass(frozen=True)
class Family:
    """A kind of transform.

    Parameters
    ----------
    why_not
        Of the smallest and largest value: why it cannot be used; empty where it can.
    domain
        The open interval of values that it can be taken of.
    apply, back
        The function and its inverse.
    fit
        The parameter; nothing where there is none.
    """

    why_not: Callable[[float, float], str]
    domain: Callable[[Transform], tuple[float, float]]
    apply: Callable[[Floats, Transform], Floats]
    back: Callable[[Floats, Transform], Floats]
    fit: Callable[[Floats, float], FittedPower] | None = None


def fit_transform(name: str, values: Floats, effect: float) -> Transform:
    """Fit a transform.

    Parameters
    ----------
    name
        One of `NAMES`.
    values
        Shape (n,), none missing, at least one; not all the same where there is a parameter to fit.
    effect
        What units inflate variances by, see `Sampling.distribution_effect`; 1 where rows are cases.

    Raises
    ------
    ValueError
        It cannot be used: see `why_not`.
    """
    ends = (float(values.min()), float(values.max()))
    reason = why_not(name, *ends)
    if reason:
        raise ValueError(reason)
    if name == "rank_normal":
        return Transform(name, ends=ends, knots=normal_scores(values))
    fit = FORMS[name].fit
    if fit is None:
        return Transform(name, ends=ends)
    found = fit(values, effect)
    return Transform(name, found.value, found.low, found.high, found.gain, ends)


def why_not(name: str, low: float, high: float) -> str:
    """Say why a transform cannot be used on values between two ends; empty where it can."""
    if low == high and name != "as_is":
        return "one value only: nothing to transform"
    return FORMS[name].why_not(low, high)


def normal_scores(values: Floats) -> Floats:
    """Return values and their normal scores, ndtri((rank − 3/8) / (n + 1/4)) at mid-ranks (Blom 1958), shape (2, k).

    Of more than `MOST_KNOTS` different values an even choice by rank is kept, and the hundred at either end.
    """
    distinct, counts = np.unique(values, return_counts=True)
    middle = np.cumsum(counts) - (counts - 1) / 2
    scores = ndtri((middle - 0.375) / (len(values) + 0.25))
    if len(distinct) > MOST_KNOTS:
        end = MOST_KNOTS // 10
        even = np.searchsorted(middle, np.linspace(middle[end], middle[-end - 1], MOST_KNOTS - 2 * end))
        kept = np.unique(np.concatenate((np.arange(end), even, np.arange(len(distinct) - end, len(distinct)))))
        distinct, scores = distinct[kept], scores[kept]
    return np.stack((distinct, scores))


def _anywhere(low: float, high: float) -> str:
    return ""


def _above_zero(low: float, high: float) -> str:
    return "" if low > 0 else "values at zero" if low == 0 else "values below zero"


def _from_zero(low: float, high: float) -> str:
    return "" if low >= 0 else "values below zero"


def _one_side(low: float, high: float) -> str:
    return "" if low > 0 or high < 0 else "values at zero, or on both sides of it"


ALL = (-math.inf, math.inf)


def _over(limit: float) -> Callable[[Transform], tuple[float, float]]:
    return lambda t: (limit, math.inf)


def _plain(apply: Callable[..., Floats]) -> Callable[[Floats, Transform], Floats]:
    return lambda values, t: np.asarray(apply(values))


def _scores(values: Floats, t: Transform) -> Floats:
    assert t.knots is not None
    return np.asarray(np.interp(values, *t.knots))


def _unscored(values: Floats, t: Transform) -> Floats:
    assert t.knots is not None
    return np.asarray(np.interp(values, t.knots[1], t.knots[0]))


FORMS: dict[str, Family] = {
    "as_is": Family(_anywhere, lambda t: ALL, _plain(np.asarray), _plain(np.asarray)),
    "log": Family(_above_zero, _over(0.0), _plain(np.log), _plain(np.exp)),
    "log1p": Family(_from_zero, _over(-1.0), _plain(np.log1p), _plain(np.expm1)),
    "sqrt": Family(_from_zero, _over(-5e-324), _plain(np.sqrt), _plain(np.square)),
    "cube_root": Family(
        _anywhere, lambda t: ALL, _plain(np.cbrt), lambda values, t: values**3
    ),
    "reciprocal": Family(
        _one_side, lambda t: (0.0, math.inf) if t.ends[0] > 0 else (-math.inf, 0.0),
        lambda values, t: 1 / values, lambda values, t: 1 / values,
    ),
    "square": Family(
        lambda low, high: "" if low >= 0 else "values below zero: −2 and 2 would become one", _over(-5e-324),
        _plain(np.square), _plain(np.sqrt),
    ),
    "box_cox": Family(
        _above_zero, _over(0.0), lambda values, t: box_cox(values, t.parameter),
        lambda values, t: box_cox_inverse(values, t.parameter), box_cox_parameter,
    ),
    "yeo_johnson": Family(
        _anywhere, lambda t: ALL, lambda values, t: yeo_johnson(values, t.parameter),
        lambda values, t: yeo_johnson_inverse(values, t.parameter), yeo_johnson_parameter,
    ),
    "rank_normal": Family(_anywhere, lambda t: ALL, _scores, _unscored),
    "log_offset": Family(
        _anywhere, lambda t: (-t.parameter, math.inf), lambda values, t: np.asarray(np.log(values + t.parameter)),
        lambda values, t: np.asarray(np.exp(values) - t.parameter),
        log_offset_parameter,
    ),
}  # fmt: skip
NAMES = tuple(FORMS)
"""Every transform, in the order of tables."""
