"""Groups of numbers: one row of description a group, and what sets the groups apart."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from ..estimate import UNDEFINED_TEST, Estimate, Significance
from ..kept import Remade, kept
from ..shapes.ordered import SortedArray
from ..shapes.quantiles import FEW_GROUPS, Rows, sorted_groups, sorted_present, sorted_quantiles
from ..shapes.ranks import average_ranks_in, ranks_of
from ..tallies.moments import Moments, MomentSummary
from .between import share_between, share_error
from .explained import ratio_within
from .group_summary import GroupSummary
from .of_rows.many_groups import epsilon_squared, explained_of, kruskal_wallis, omega_squared, welch_anova
from .of_rows.two_groups import (
    RankedPair,
    hedges_g,
    kruskal_wallis_of_two,
    mann_whitney_of,
    rank_pair,
    superiority_at_end,
    superiority_of,
    welch_t,
)
from .of_units import groups as by_units
from .of_units.means import UnitMeans
from .sampling import Sampling

Floats = NDArray[np.float64]
QUARTILES = np.array([0.25, 0.5, 0.75])
ROWS_APART = 200
"""With so many rows a group, on average, moments are summed group by group."""


@dataclass(frozen=True)
class GroupedRows(Remade):
    """Groups of numbers described, tested and their difference measured, each when it is asked for.

    Empty groups take no part in tests and effects.

    Parameters
    ----------
    values, codes
        Of the rows, shape (n,): NaN for missing, ``-1`` for no group; of one group no codes where rows are cases.
    labels
        Of the groups.
    sampling
        What one case is.
    at
        The places of the rows of each group, where they are already known.
    """

    values: Floats
    codes: NDArray[np.integer]
    labels: tuple[str, ...]
    sampling: Sampling
    at: Rows | None = None

    @property
    def _alone(self) -> bool:
        return len(self.labels) == 1 and len(self.codes) < len(self.values)

    @kept
    def ordered(self) -> list[Floats]:
        """Each group's values, sorted."""
        if self._alone:
            return [sorted_present(self.values.copy())]
        return sorted_groups(self.values, self.codes, len(self.labels), self.at)

    @cached_property
    def missing(self) -> NDArray[np.int64]:
        """Rows of each group without a value."""
        if self._alone:
            return np.array([len(self.values) - len(self.ordered[0])], np.int64)
        if self.at is not None:
            return np.array([len(at) - len(g) for at, g in zip(self.at, self.ordered, strict=True)], np.int64)
        return np.bincount(self.codes[np.isnan(self.values) & (self.codes >= 0)], minlength=len(self.labels))

    @kept
    def present(self) -> tuple[Floats, NDArray[np.int64], Sampling]:
        """Values, groups and sampling of the rows that have a value and a group."""
        keep = ~np.isnan(self.values) & (self.codes >= 0)
        if keep.all():
            return self.values, self.codes.astype(np.int64, copy=False), self.sampling
        return self.values[keep], self.codes[keep].astype(np.int64), self.sampling.take(keep)

    @kept
    def ranks(self) -> Floats:
        """Ranks of those rows among all of them."""
        return ranks_of(self.present[0])

    def unit_means(self, values: Floats) -> UnitMeans:
        """Return the means of numbers of those rows, with how units make them vary."""
        _, codes, sampling = self.present
        assert sampling.units is not None
        return UnitMeans.of(values, codes, len(self.labels), sampling.units, sampling.cases)

    @kept
    def means_by_units(self) -> UnitMeans:
        """The means of the values."""
        return self.unit_means(self.present[0])

    @cached_property
    def unit_difference(self) -> tuple[Significance, Estimate]:
        """The difference of two means with its test, by units."""
        return self.means_by_units.difference()

    @cached_property
    def between(self) -> tuple[Significance, float]:
        """The test by units that values do not differ between groups, and the design effect."""
        return self._between(self.present[0])

    @cached_property
    def ranks_between(self) -> tuple[Significance, float]:
        """The same of ranks."""
        return self._between(self.ranks)

    @property
    def design_effect(self) -> float:
        """What units inflate the variance of the groups' means by, 1 over rows."""
        return self.between[1] if self.sampling.clustered else 1.0

    def _between(self, values: Floats) -> tuple[Significance, float]:
        _, codes, sampling = self.present
        if sampling.units is None or sampling.cases < 2:
            return UNDEFINED_TEST, float("nan")
        spread, effect = by_units.between_groups(values, codes, len(self.labels), sampling.units, sampling.cases)
        return spread.test, effect

    @cached_property
    def distribution_effect(self) -> float:
        """What units inflate the variance of the distribution by, see `Sampling.distribution_effect`."""
        return self.sampling.distribution_effect(self.values)

    @cached_property
    def moments(self) -> MomentSummary:
        """Count, mean and central moments of each group."""
        tally = Moments(len(self.labels))
        few = max(FEW_GROUPS, len(self.values) // ROWS_APART)
        if self.at is not None or self._alone or len(self.labels) <= few:  # group by group
            tally.add_groups(self.ordered)
        else:
            tally.add(self.values, self.codes)
        return tally.finish()

    @kept
    def ranked(self) -> RankedPair:
        """The two groups placed in each other."""
        return rank_pair(*self.ordered)

    @cached_property
    def summary(self) -> GroupSummary:
        """The groups described."""
        quartiles = np.array([sorted_quantiles(g, QUARTILES) for g in self.ordered]).reshape(-1, 3)
        ordered = tuple(SortedArray(g) for g in self.ordered)
        return GroupSummary(self.labels, self.missing, self.moments, quartiles, ordered, self._half_width)

    @cached_property
    def tests(self) -> dict[str, Significance]:
        """What sets the groups apart, tested: two-group statistics where there are two, else the many-group ones."""
        return _tests(self)

    @cached_property
    def effects(self) -> dict[str, Estimate]:
        """How far apart they are."""
        return _effects(self)

    @property
    def _half_width(self) -> Floats:
        if self.sampling.tells_nothing:
            return np.full(len(self.labels), np.nan)
        if self.sampling.clustered:
            return self.means_by_units.half_width
        n = self.moments.n.astype(float)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(special.stdtrit(np.where(n > 1, n - 1, np.nan), 0.975) * self.moments.sd / np.sqrt(n))


class OfGroups(Remade):
    """A result that groups of numbers, its ``rows``, describe and compare."""

    rows: GroupedRows

    @property
    def summary(self) -> GroupSummary:
        """The groups described."""
        return self.rows.summary

    @property
    def tests(self) -> dict[str, Significance]:
        """Whether they differ."""
        return self.rows.tests

    @property
    def effects(self) -> dict[str, Estimate]:
        """How far they differ."""
        return self.rows.effects


def one_group(values: Floats, label: str, sampling: Sampling) -> GroupedRows:
    """Return the values of a column, as one group."""
    return GroupedRows(values, np.zeros(len(values) if sampling.clustered else 0, np.int32), (label,), sampling)


def _tests(groups: GroupedRows) -> dict[str, Significance]:
    two, clustered = len(groups.labels) == 2, groups.sampling.clustered
    if two and clustered:
        return {"welch_t": groups.unit_difference[0], "mann_whitney": _unit_mann_whitney(groups)}
    if two:
        return {"welch_t": welch_t(groups.moments)[0], "mann_whitney": mann_whitney_of(groups.ranked)}
    kruskal = kruskal_wallis([g for g in groups.ordered if len(g)])
    if clustered:
        ranked = groups.ranks_between[0]
        return {"welch_anova": groups.between[0], "kruskal_wallis": Significance(kruskal.statistic, ranked.p)}
    m = groups.moments
    vary = (m.n > 1) & (np.nan_to_num(m.sd) > 0)
    # of k groups Welch's F holds its level from about 2 √k rows a group; of 12 of three it rejects one table in six
    k = int(np.count_nonzero(vary))
    few = k <= T.WELCH_GROUPS
    readable = vary if few else vary & (m.n >= 2 * np.sqrt(k))
    told = few or np.count_nonzero(readable) > 1
    anova = welch_anova(m.pick(readable)) if told else UNDEFINED_TEST
    return {"welch_anova": anova, "kruskal_wallis": kruskal}


def _effects(groups: GroupedRows) -> dict[str, Estimate]:
    effects: dict[str, Estimate] = {}
    clustered = groups.sampling.clustered
    if len(groups.labels) == 2:
        rows, g = welch_t(groups.moments)[1], hedges_g(groups.moments)
        if clustered:
            units = groups.unit_difference[1]
            effects["mean_difference"], effects["hedges_g"] = units, _widened(g, units, rows)
            effects["superiority"] = _unit_superiority(groups)
        else:
            effects["mean_difference"], effects["hedges_g"] = rows, g
            effects["superiority"] = superiority_of(groups.ranked)
        h = kruskal_wallis_of_two(groups.ranked)
    else:
        h = groups.tests["kruskal_wallis"].statistic
    filled = groups.moments.pick(groups.moments.n > 0)
    omega, epsilon = omega_squared(filled), epsilon_squared(h, int(filled.n.sum()), len(filled.n))
    if clustered:
        n, k = int(filled.n.sum()), len(filled.n)
        omega = explained_of("omega_squared", omega, n, k, groups.between[1])
        epsilon = explained_of("epsilon_squared", epsilon, n, k, groups.ranks_between[1])
        omega = _as_wide(groups, omega, groups.present[0], groups.between[1])
        epsilon = _as_wide(groups, epsilon, groups.ranks, groups.ranks_between[1])
    return {**effects, "omega_squared": omega, "epsilon_squared": epsilon}


def _unit_mann_whitney(groups: GroupedRows) -> Significance:
    _, codes, sampling = groups.present
    if sampling.units is None or 0 in groups.ranked.sizes:
        return UNDEFINED_TEST
    return by_units.mann_whitney(groups.ranks, codes, sampling.units, sampling.cases, groups.ranked.u)


def _unit_superiority(groups: GroupedRows) -> Estimate:
    """Return the probability of superiority; where one group lies wholly above the other by how many units each has."""
    x, codes, sampling = groups.present
    n1, n2 = groups.ranked.sizes
    if sampling.units is None or min(n1, n2) == 0:
        return superiority_of(groups.ranked)
    first, second = groups.ordered
    placed = np.where(
        codes == 1,
        average_ranks_in(first, x) / n1,  # rows of the first group that lie below, ties by half
        1 - average_ranks_in(second, x) / n2,
    )
    theta = groups.ranked.u / (n1 * n2)
    made = by_units.superiority(placed, codes, sampling.units, sampling.cases, theta)
    if made is not None:
        return made
    units = groups.means_by_units.units
    if theta in (0.0, 1.0) and units.min() > 1:
        return superiority_at_end(theta, int(units[0]), int(units[1]))
    return Estimate(theta, np.nan, np.nan)


def _as_wide(groups: GroupedRows, e: Estimate, values: Floats, effect: float) -> Estimate:
    """Return a share explained with an interval at least as wide as what units add to it makes it."""
    _, codes, sampling = groups.present
    if np.isnan(e.low):
        return e
    size, k = len(groups.labels), int(np.count_nonzero(groups.moments.n))
    share = share_between(values, codes, size)
    chance = (k - 1) * effect * (1 - share) / (len(codes) - k)  # what lies between groups where they do not differ
    half = sampling.quantile * share_error(values, codes, size, sampling)
    low, high = ratio_within(float(np.sqrt(max(share - chance, 0.0))), share, half)
    return Estimate(e.estimate, min(e.low, low**2), max(e.high, high**2))


def _widened(g: Estimate, units: Estimate, rows: Estimate) -> Estimate:
    """Return a standardized difference with the interval widened as that of the difference itself is by units."""
    factor = (units.high - units.low) / (rows.high - rows.low) if rows.high > rows.low else np.nan
    centre = (g.low + g.high) / 2
    return Estimate(g.estimate, centre - factor * (centre - g.low), centre + factor * (g.high - centre))


def brown_forsythe(groups: GroupedRows, which: NDArray[np.integer]) -> Significance:
    """Test that some of the groups have equal spread: Welch's F, or its like by units, on distances from each median.

    References
    ----------
    Brown & Forsythe (1974), Journal of the American Statistical Association 69, 364–367.
    """
    x, codes, sampling = groups.present
    place = np.full(len(groups.labels), -1, np.int64)
    place[which] = np.arange(len(which))
    some = place[codes]
    keep = some >= 0
    medians = groups.summary.quartiles[which, 1]
    away = np.abs(x[keep] - medians[some[keep]])
    labels = tuple(groups.labels[k] for k in which)
    tests = GroupedRows(away, some[keep], labels, sampling.take(keep)).tests
    return tests["welch_t"] if len(which) == 2 else tests["welch_anova"]


def rank_test(groups: GroupedRows) -> Significance:
    """Return Mann–Whitney's test of two groups, Kruskal–Wallis's of more."""
    tests = groups.tests
    return tests["mann_whitney"] if len(groups.labels) == 2 else tests["kruskal_wallis"]
