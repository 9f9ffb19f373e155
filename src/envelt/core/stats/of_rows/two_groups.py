"""Two groups of numbers compared: the first is the reference, differences are second minus first."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED, UNDEFINED_TEST, Z95, Estimate, Significance
from ...parallel import in_threads
from ...shapes.quantiles import FEW_TO_SHARE
from ...shapes.ranks import has_repeats, run_lengths, tie_term_of
from ...tallies.moments import MomentSummary

Floats = NDArray[np.float64]
SEARCHED = 1 << 14
"""Values searched at a time, so that what they are searched in stays in the cache."""


def welch_t(moments: MomentSummary) -> tuple[Significance, Estimate]:
    """Welch's t test and the difference of means with its 95 % interval.

    Parameters
    ----------
    moments
        Of the two groups, first and second.

    Returns
    -------
    Significance, Estimate
        t with its two-sided p, and mean(second) − mean(first), in the units of the values. Both
        undefined when a group has fewer than two values or neither group varies.

    References
    ----------
    Welch (1947), Biometrika 34, 28–35.
    """
    moments, unit = moments.in_unit()
    n, variance = moments.n.astype(float), moments.variance
    if n.min() < 2:
        return UNDEFINED_TEST, UNDEFINED
    share = variance / n
    difference = float(np.diff(moments.centred_mean)[0])
    se = float(np.sqrt(share.sum()))
    if se == 0:
        return UNDEFINED_TEST, Estimate(unit * difference, np.nan, np.nan)
    df = _satterthwaite(share, n)
    t = difference / se
    half = float(special.stdtrit(df, 0.975)) * se
    interval = Estimate(*(unit * v for v in (difference, difference - half, difference + half)))
    return Significance(t, two_sided_t(t, df)), interval


def two_sided_t(t: float, df: float) -> float:
    """Return the two-sided p of a t statistic."""
    return float(2 * special.stdtr(df, -abs(t)))


def _satterthwaite(share: Floats, n: Floats) -> float:
    """Degrees of freedom of a sum of variance shares (Satterthwaite 1946)."""
    relative = share / share.sum()
    return float(1 / np.sum(relative**2 / (n - 1)))


def hedges_g(moments: MomentSummary) -> Estimate:
    """Standardized difference of means, corrected for small samples, with a 95 % interval.

    The standardizer is the root of the average of the two variances, so that point and interval speak of
    the same quantity when sizes and variances differ; with equal sizes it is the pooled deviation. The
    correction is the exact gamma ratio at the degrees of freedom of that standardizer.

    References
    ----------
    Point: Delacre, Lakens, Ley, Liu & Leys (2021), "Why Hedges' g*s based on the non-pooled standard
    deviation should be reported with Welch's t-test". Interval: Bonett (2008), Psychological Methods 13,
    99–109, eq. 10.
    """
    moments, _ = moments.in_unit()
    n, variance = moments.n.astype(float), moments.variance
    if n.min() < 2 or not variance.sum() > 0:
        return UNDEFINED
    average = variance.mean()
    d = float(np.diff(moments.centred_mean)[0] / np.sqrt(average))
    df = _satterthwaite(variance, n)
    j = np.exp(special.gammaln(df / 2) - special.gammaln((df - 1) / 2)) / np.sqrt(df / 2) if df > 1 else np.nan
    relative = variance / average
    se = np.sqrt(d * d * np.sum(relative**2 / (n - 1)) / 8 + np.sum(relative / (n - 1)))
    return Estimate(float(d * j), float(d - Z95 * se), float(d + Z95 * se))


@dataclass(frozen=True)
class RankedPair:
    """Two groups placed in each other, from which every rank statistic of two groups follows.

    Parameters
    ----------
    small, large
        The two groups by size, sorted; ``swapped`` where the small one is the first.
    below, upto
        How many values of the larger group lie below, and not above, each of the smaller; ``upto`` only where some
        are equal.
    ties
        The sum of t³ − t over the runs of equal values in both groups together.
    """

    small: Floats
    large: Floats
    swapped: bool
    below: NDArray[np.int64]
    upto: NDArray[np.int64] | None
    ties: float

    @property
    def sizes(self) -> tuple[int, int]:
        """Rows of the first and the second group."""
        sizes = len(self.small), len(self.large)
        return sizes if self.swapped else sizes[::-1]

    @cached_property
    def u(self) -> float:
        """Pairs in which the second group's value is larger, ties by half."""
        won = float(np.sum(self.below)) if self.upto is None else float(np.sum(self.below) + np.sum(self.upto)) / 2
        return float(len(self.small) * len(self.large) - won) if self.swapped else won

    @cached_property
    def not_above(self) -> NDArray[np.int64]:
        """How many values of the smaller group lie not above each of the larger."""
        # a value of the larger group lies above those of the smaller whose run of equals ended before it
        counts = np.bincount(self.below, minlength=len(self.large) + 1)
        return np.cumsum(counts)[: len(self.large)]

    @cached_property
    def ranks(self) -> NDArray[np.int64]:
        """The place from 0 of each value of the larger group among all."""
        return self.not_above + np.arange(len(self.large))

    @property
    def first_in_second(self) -> NDArray[np.generic]:
        """How many values of the second group lie below each of the first, ties by half."""
        return self._in_large if self.swapped else self._in_small

    @property
    def second_in_first(self) -> NDArray[np.generic]:
        """How many values of the first group lie below each of the second, ties by half."""
        return self._in_small if self.swapped else self._in_large

    @cached_property
    def _in_large(self) -> NDArray[np.generic]:
        return self.below if self.upto is None else (self.below + self.upto) / 2

    @cached_property
    def _in_small(self) -> NDArray[np.generic]:
        if self.upto is None:
            return self.not_above
        under = np.cumsum(np.bincount(self.upto, minlength=len(self.large) + 1))[: len(self.large)]
        return np.asarray((under + self.not_above) / 2)

    def quantiles(self, shares: Floats) -> Floats:
        """Return type-7 quantiles of both groups together; NaN where there are no values."""
        n = len(self.small) + len(self.large)
        if n == 0:
            return np.full(len(shares), np.nan)
        at = shares * (n - 1)
        below = np.floor(at).astype(np.int64)
        low, high = self._at(below), self._at(np.minimum(below + 1, n - 1))
        return np.asarray(low + (at - below) * (high - low))

    def _at(self, places: NDArray[np.int64]) -> Floats:
        """Return the values at places, from 0, of both groups sorted together."""
        i = np.searchsorted(self.ranks, places)
        near = np.minimum(i, len(self.ranks) - 1)
        mine = (i == near) & (self.ranks[near] == places)
        values = self.large[near]
        values[~mine] = self.small[(places - i)[~mine]]
        return values


def rank_pair(first: Floats, second: Floats) -> RankedPair:
    """Place two sorted groups in each other: the smaller is searched in the larger, the rest is counting."""
    small, large = (second, first) if len(second) <= len(first) else (first, second)
    runs = run_lengths(small) if has_repeats(small) else None
    different = small if runs is None else small[np.cumsum(runs) - runs]
    below, upto = _places_in(large, different)
    ties = _tie_term(large, below, upto, runs)
    if runs is not None:
        below, upto = np.repeat(below, runs), None if upto is None else np.repeat(upto, runs)
    return RankedPair(small, large, small is first, below, upto, ties)


def _places_in(large: Floats, small: Floats) -> tuple[NDArray[np.int64], NDArray[np.int64] | None]:
    """Return how many of a sorted array lie below, and not above, each value of another; once where none is equal."""
    below = _searched(large, small, "left")
    if len(large) == 0:
        return below, None
    equal = large.take(below, mode="clip") == small
    if not equal.any():
        return below, None
    upto = below.copy()
    upto[equal] = _searched(large, small[equal], "right")
    return below, upto


def _searched(large: Floats, small: Floats, side: Literal["left", "right"]) -> NDArray[np.int64]:
    """Search sorted values in sorted values, each part of them in the part of the others where it can lie."""
    cuts = large.searchsorted(small[::SEARCHED])

    def part(k: int) -> NDArray[np.int64]:
        low, high = int(cuts[k]), int(cuts[k + 1]) if k + 1 < len(cuts) else len(large)
        if side == "right":  # equal values may reach beyond the next part's first
            high = len(large) if k + 1 == len(cuts) else int(large.searchsorted(small[(k + 1) * SEARCHED], "right"))
        return np.asarray(large[low:high].searchsorted(small[k * SEARCHED : (k + 1) * SEARCHED], side) + low, np.int64)

    made = in_threads(part, range(len(cuts)), len(small) // FEW_TO_SHARE)
    return np.concatenate(made) if made else np.zeros(0, np.int64)


def _tie_term(
    large: Floats, below: NDArray[np.int64], upto: NDArray[np.int64] | None, runs: NDArray[np.int64] | None
) -> float:
    """Return the sum of t³ − t over the runs of equal values in both groups.

    Runs of the larger group alone are those of all its values less those that the smaller shares.
    """
    total = tie_term_of(large)
    if runs is None and upto is None:
        return total
    mine = np.ones(len(below)) if runs is None else runs.astype(np.float64)
    shared = np.zeros(len(below)) if upto is None else (upto - below).astype(np.float64)
    both = mine + shared
    return total + float(np.sum(both * both * both - both) - np.sum(shared * shared * shared - shared))


def mann_whitney(first: Floats, second: Floats) -> Significance:
    """Mann–Whitney's U of the second of two sorted groups over the first; see `mann_whitney_of`."""
    return mann_whitney_of(rank_pair(first, second))


def mann_whitney_of(pair: RankedPair) -> Significance:
    """Mann–Whitney's U of the second group over the first, with its two-sided p.

    U counts the pairs in which the second group's value is larger, ties by half. Exact when either group
    has at most 8 values and nothing is tied, else normal with tie and continuity correction.

    References
    ----------
    Mann & Whitney (1947), Annals of Mathematical Statistics 18, 50–60.
    """
    n1, n2 = pair.sizes
    if min(n1, n2) == 0:
        return UNDEFINED_TEST
    u, ties = pair.u, pair.ties
    if exact_is_feasible(n1, n2, ties):
        return Significance(u, _exact_u(min(n1, n2), max(n1, n2), u))
    n = n1 + n2
    variance = n1 * n2 / 12 * ((n + 1) - ties / (n * (n - 1)))
    if variance <= 0:
        return Significance(u, 1.0)
    z = (abs(u - n1 * n2 / 2) - 0.5) / np.sqrt(variance)
    return Significance(u, float(min(1.0, 2 * special.ndtr(-z))))


def kruskal_wallis_of_two(pair: RankedPair) -> float:
    """Return Kruskal–Wallis's H of two groups, corrected for ties: a square of U's distance from its mean."""
    n1, n2 = pair.sizes
    n = n1 + n2
    if min(n1, n2) == 0:
        return float("nan")
    correction = 1 - pair.ties / (float(n) ** 3 - n)
    if correction <= 0:
        return float("nan")
    away = pair.u - n1 * n2 / 2
    return float(12 * away * away / (n1 * n2 * (n + 1.0)) / correction)


def exact_is_feasible(n1: int, n2: int, ties: float) -> bool:
    """Say whether the exact distribution of U is used: few values, no ties, and a table that fits."""
    return min(n1, n2) <= 8 and ties == 0 and n1 * n2 <= 1_000_000


def _exact_u(small: int, large: int, u: float) -> float:
    """Two-sided p from the exact distribution: coefficients of the Gaussian binomial in q."""
    tail = int(max(u, small * large - u))
    size = small * large + 1
    ways = np.zeros(size)
    ways[0] = 1
    for i in range(1, small + 1):
        shifted = ways.copy()
        shifted[large + i :] -= ways[: max(size - large - i, 0)]  # times 1 − q^(large + i)
        for start in range(i):
            shifted[start::i] = np.cumsum(shifted[start::i])  # over 1 − q^i
        ways = shifted
    lower = ways[: small * large - tail + 1].sum()
    return float(min(1.0, 2 * lower / special.comb(small + large, small)))


def _variance(x: NDArray[np.generic]) -> float:
    n = len(x)
    if x.dtype == np.int64 and float(n) * float(x.max()) ** 2 < 2**62:  # in whole numbers, and so exact
        total = int(x.sum())
        return (n * int(np.dot(x, x)) - total * total) / (n * (n - 1))
    centred = x.astype(np.float64)
    centred -= centred.mean()
    return float(np.dot(centred, centred)) / (len(x) - 1)


def superiority_of(pair: RankedPair) -> Estimate:
    """Probability that a value of the second group exceeds one of the first, ties by half.

    References
    ----------
    Interval: Brunner–Munzel variance on the logit with Satterthwaite's t (Perme & Manevski 2019,
    Statistical Methods in Medical Research 28, 3578–3590); at 0 or 1 Newcombe (2006), Statistics in
    Medicine 25, 543–557, method 5.
    """
    n1, n2 = pair.sizes
    if min(n1, n2) == 0:
        return UNDEFINED
    theta = pair.u / (n1 * n2)
    if theta in (0.0, 1.0) or min(n1, n2) < 2:
        return superiority_at_end(theta, n1, n2)
    share = np.array([_variance(pair.first_in_second) / n2**2 / n1, _variance(pair.second_in_first) / n1**2 / n2])
    if share.sum() == 0:
        return superiority_at_end(theta, n1, n2)
    df = _satterthwaite(share, np.array([n1, n2], float))
    half = special.stdtrit(df, 0.975) * np.sqrt(share.sum()) / (theta * (1 - theta))
    low, high = special.expit(special.logit(theta) + np.array([-half, half]))
    return Estimate(theta, float(low), float(high))


def superiority_at_end(theta: float, m: int, n: int) -> Estimate:
    """Return a probability of superiority, 0 and 1 too, of m against n cases with the interval of Newcombe's method 5.

    The score-like interval with Hanley–McNeil's variance at N* = (m + n) / 2.
    """
    star = (m + n) / 2 - 1

    def beyond(t: float) -> float:
        variance = t * (1 - t) * (1 + star * ((1 - t) / (2 - t) + t / (1 + t))) / (m * n)
        return float((theta - t) ** 2 - Z95**2 * variance)

    low = scipy.optimize.brentq(beyond, 0, theta, xtol=1e-15) if theta > 0 else 0.0
    high = scipy.optimize.brentq(beyond, theta, 1, xtol=1e-15) if theta < 1 else 1.0
    if theta == 1:
        low = scipy.optimize.brentq(beyond, 0, 1 - 1e-12, xtol=1e-15)
    if theta == 0:
        high = scipy.optimize.brentq(beyond, 1e-12, 1, xtol=1e-15)
    return Estimate(theta, float(low), float(high))
