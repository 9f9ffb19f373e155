"""Power transforms towards the normal, their inverses, and their parameters by maximum likelihood.

The profile likelihood of a power needs only the distribution of the logarithms, so many values are first counted in
narrow bins, each at the mean of what it holds: one pass over the values instead of one a step of the search. The bins
are the leading bits of a float, which are even on a logarithmic scale and cost no logarithm.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from ..parallel import in_threads

Floats = NDArray[np.float64]

CHI_95 = 1.9207294103470627
"""Half the 95 % point of chi-square with one degree of freedom: what the log-likelihood falls by at the interval."""
MOST_EXPONENT = 300.0
"""Powers beyond e to this would overflow when they are squared."""
EXACT_ROWS = 20_000
BINS = 1 << 12
WIDEST = 45
"""Bits of 52 that a bin may leave out: it is then 2⁻⁷ of its values wide, and a power is right to 1e-4."""
BLOCK = 1 << 16
PARTS = 4
"""Of many values, counted in threads; always as many, so that sums are the same on any machine."""


class FittedPower(NamedTuple):
    """A parameter by maximum likelihood, its 95 % profile interval, and how much likelier it is than no transform.

    ``low`` or ``high`` is infinite where the likelihood never falls so far on that side.
    """

    value: float
    low: float
    high: float
    gain: float


def box_cox(values: Floats, power: float) -> Floats:
    """Return (x^λ − 1) / λ, log x at 0, of values above zero (Box & Cox 1964, J R Stat Soc B 26, 211–252)."""
    logs = np.log(values)
    if power == 0:
        return np.asarray(logs)
    return np.asarray(np.expm1(power * logs) / power)


def box_cox_inverse(values: Floats, power: float) -> Floats:
    """Return what `box_cox` was taken of; NaN where no value has that image."""
    if power == 0:
        return np.asarray(np.exp(values))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.exp(np.log1p(power * values) / power))


def yeo_johnson(values: Floats, power: float) -> Floats:
    """Return Box–Cox of 1 + x from zero up, and of 1 − x with 2 − λ, turned round, below (Yeo & Johnson 2000).

    References
    ----------
    Biometrika 87, 954–959.
    """
    up = values >= 0
    logs = np.log1p(np.abs(values))
    return np.where(up, _scaled(logs, power), -_scaled(logs, 2 - power))


def yeo_johnson_inverse(values: Floats, power: float) -> Floats:
    """Return what `yeo_johnson` was taken of; NaN where no value has that image."""
    up, size = values >= 0, np.abs(values)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(up, _unscaled(size, power), -_unscaled(size, 2 - power))


def _scaled(logs: Floats, power: float) -> Floats:
    return logs if power == 0 else np.asarray(np.expm1(power * logs) / power)


def _unscaled(size: Floats, power: float) -> Floats:
    return np.expm1(size) if power == 0 else np.asarray(np.expm1(np.log1p(power * size) / power))


@np.errstate(over="ignore", invalid="ignore", divide="ignore")
def box_cox_parameter(values: Floats, effect: float) -> FittedPower:
    """Return the power of Box–Cox by maximum likelihood.

    Parameters
    ----------
    values
        Above zero, not all the same, shape (n,).
    effect
        What units inflate variances by; 1 where rows are cases. The log-likelihood counts 1 / effect.
    """
    n = len(values)
    logs, share = _counted_logs(values)
    at = logs - float(share @ logs)
    most = MOST_EXPONENT / max(float(np.abs(at).max()), 1e-300)

    def likelihood(power: float) -> float:
        # of powers over their geometric mean to that power: −n/2 log Var (e^{λ(t − t̄)} / λ)
        bent = at if power == 0 else np.expm1(power * at) / power
        return -n / 2 * _log_variance(bent, share)

    return _search(likelihood, min(most, 1e6), effect, 1.0)


@np.errstate(over="ignore", invalid="ignore", divide="ignore")
def yeo_johnson_parameter(values: Floats, effect: float) -> FittedPower:
    """Return the power of Yeo–Johnson by maximum likelihood.

    Parameters
    ----------
    values
        Not all the same, shape (n,).
    effect
        What units inflate variances by; 1 where rows are cases. The log-likelihood counts 1 / effect.
    """
    if values.max() <= 0:  # turned round, with the power mirrored at 1
        turned = yeo_johnson_parameter(-values, effect)
        return FittedPower(2 - turned.value, 2 - turned.high, 2 - turned.low, turned.gain)
    n = len(values)
    logs, share, under = _counted_signed(values, 1.0, bool(values.min() < 0))
    up, down = logs[~under], logs[under]
    share = np.concatenate((share[~under], share[under]))
    slope = n * float(share @ np.concatenate((up, -down)))
    most = MOST_EXPONENT / max(float(logs.max()), 1e-300)

    def likelihood(power: float) -> float:
        bent = np.concatenate((_scaled(up, power), -_scaled(down, 2 - power)))
        return -n / 2 * _log_variance(bent, share) + (power - 1) * slope

    return _search(likelihood, min(most - 2, 1e6) if most > 3 else 1.5, effect, 1.0)


@np.errstate(over="ignore", invalid="ignore", divide="ignore")
def log_offset_parameter(values: Floats, effect: float) -> FittedPower:
    """Return the offset c of log(x + c) by maximum likelihood.

    The likelihood has no end as c nears minus the smallest value, so c stays at least half the smallest step above
    it (Griliches & Hall's remark on three-parameter lognormals; Hill 1963, J Am Stat Assoc 58, 72–84), and at most
    a hundred ranges, where the logarithm is a straight line.

    Parameters
    ----------
    values
        Not all the same, shape (n,).
    effect
        What units inflate variances by; 1 where rows are cases. The log-likelihood counts 1 / effect.
    """
    low = float(values.min())
    above = values - low
    step, width = float(above[above > 0].min()), float(above.max())
    least = max(step / 2, width * 1e-9)
    n = len(values)
    scale = np.log(least)
    at, share = _counted_logs(above + least)  # bins are narrow where the offset can matter
    centres = np.maximum(np.exp(at) - least, 0.0)

    def likelihood(log_offset: float) -> float:
        logs = np.log(centres + np.exp(log_offset))
        return -n / 2 * _log_variance(logs, share) - n * float(share @ logs)

    ends = (scale, float(np.log(100 * width)))
    grid = np.linspace(*ends, 41)
    best = int(np.argmax([likelihood(g) for g in grid]))
    around = (float(grid[max(best - 1, 0)]), float(grid[min(best + 1, 40)]))
    found = scipy.optimize.minimize_scalar(
        lambda g: -likelihood(g), bounds=around, method="bounded", options={"xatol": 1e-7}
    )
    top, at_top = -float(found.fun), float(found.x)
    straight = -n / 2 * _log_variance(centres, share)
    bounds = [_falls(likelihood, at_top, top - effect * CHI_95, end, 0.1) for end in ends]
    ends_of = [float(np.exp(b)) - low if np.isfinite(b) else float(np.copysign(np.inf, b)) for b in bounds]
    if not np.isfinite(ends_of[0]):
        ends_of[0] = least - low
    return FittedPower(float(np.exp(at_top)) - low, ends_of[0], ends_of[1], (top - straight) / effect)


def _log_variance(values: Floats, share: Floats) -> float:
    away = values - float(share @ values)
    found = float(np.log(share @ (away * away)))
    return found if found == found else float("inf")


def _counted_logs(values: Floats) -> tuple[Floats, Floats]:
    """Return places of logarithms and the share of the values at each: one a value, or narrow bins at their means."""
    logs, share, _ = _counted_signed(values, 0.0, False)
    return logs, share


def _counted_signed(values: Floats, plus: float, signed: bool) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Count the logarithms of sizes in narrow bins, those of values below zero apart.

    Parameters
    ----------
    values
        Shape (n,); above zero where nothing is added.
    plus
        Is added to their sizes.
    signed
        Whether some are below zero.

    Returns
    -------
    array, array, array
        The logarithm, the share of all values, and whether they are below zero, of each bin.
    """
    n, ends = len(values), (float(values.min()), float(values.max()))
    if n > EXACT_ROWS:
        sizes = [abs(e) + plus for e in ends]
        low, high = (plus, max(sizes)) if signed else (min(sizes), max(sizes))
        first, last = (int(v) for v in np.array([low, high]).view(np.int64))  # in the order of the values above zero
        shift = min(max((last - first) // BINS, 1).bit_length(), WIDEST)
        bins = _Bins(first >> shift, (last >> shift) - (first >> shift) + 1, shift, plus, signed)
        parts = np.array_split(values, PARTS) if n >= PARTS * BLOCK else [values]
        counted = in_threads(bins.counted, parts, n)
        count = np.sum([c for c, _ in counted], axis=0)
        total = np.sum([t for _, t in counted], axis=0)
        used = np.flatnonzero(count)
        return np.log(total[used] / count[used]), count[used] / n, used >= bins.half
    return np.log(np.abs(values) + plus), np.full(n, 1 / n), values < 0


class _Bins(NamedTuple):
    """Bins by the leading bits of sizes: the first one's bits, how many, the shift of bits, and what is added."""

    first: int
    half: int
    shift: int
    plus: float
    signed: bool

    def counted(self, values: Floats) -> tuple[NDArray[np.int64], Floats]:
        """Return how many sizes lie in each bin, and their sum; those of values below zero in a second half."""
        size = 2 * self.half
        count, total = np.zeros(size, np.int64), np.zeros(size)
        for start in range(0, len(values), BLOCK):  # a block stays in the cache
            part = values[start : start + BLOCK]
            sizes = np.abs(part) + self.plus if self.signed else part + self.plus
            cell = sizes.view(np.int64) >> self.shift
            cell -= self.first
            if self.signed:
                cell += (part < 0) * self.half
            count += np.bincount(cell, minlength=size)
            total += np.bincount(cell, weights=sizes, minlength=size)
        return count, total


def _search(likelihood: Callable[[float], float], most: float, effect: float, plain: float) -> FittedPower:
    """Find the top of a profile likelihood between −most and most, and where it falls off on either side."""
    reach = min(most, 3.0)
    found = _top(likelihood, reach)
    while abs(abs(found) - reach) < 1e-3 * reach and reach < most:  # the top lies further out
        reach = min(4 * reach, most)
        found = _top(likelihood, reach)
    top = likelihood(found)
    near = 1e-2 * max(abs(found), 1.0)
    bent = (2 * top - likelihood(found - near) - likelihood(found + near)) / near**2
    width = float(np.sqrt(2 * effect * CHI_95 / bent)) if bent > 0 and np.isfinite(bent) else 1.0
    low, high = (_falls(likelihood, found, top - effect * CHI_95, end, width) for end in (-most, most))
    return FittedPower(found, low, high, max(0.0, top - likelihood(plain)) / effect if abs(plain) <= most else 0.0)


def _top(likelihood: Callable[[float], float], reach: float) -> float:
    found = scipy.optimize.minimize_scalar(
        lambda p: -likelihood(p), bounds=(-reach, reach), method="bounded", options={"xatol": 1e-8}
    )
    return float(found.x)


def _falls(likelihood: Callable[[float], float], top: float, level: float, end: float, width: float) -> float:
    """Return where the likelihood falls to a level between its top and an end; infinite if it does not.

    ``width`` is how far off a parabola would have it.
    """
    sign = 1.0 if end >= top else -1.0
    reach = abs(end - top) if np.isfinite(level) else 0.0
    near, step = 0.0, 1.05 * width
    while near < reach:
        far = min(near + step, reach)
        if not likelihood(top + sign * far) > level:
            away = scipy.optimize.brentq(
                lambda p: likelihood(top + sign * p) - level, near, far, xtol=1e-9 * max(1.0, width)
            )
            return float(top + sign * away)
        near, step = far, 2 * step
    return sign * float("inf")
