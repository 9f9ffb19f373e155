"""One candidate against an outcome of numbers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping, Groups
from ..columns.outcome import Amount, NumericOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..columns.times import counts_on, is_time
from ..distribution.distribution import NumberDistribution, checked
from ..distribution.look import Look
from ..estimate import UNDEFINED_TEST, Estimate, Significance
from ..finding import Finding, marked
from ..kept import Remade, kept
from ..magnitude import spread_of
from ..relations.correlating import USUAL, Correlating
from ..relations.side import Side, side_of
from ..relations.two_numbers import Pictured, TwoNumbers, pictured, squared
from ..stats.correlation import pearson, spearman
from ..stats.group_pairs import Pairs, all_pairs
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows, OfGroups
from ..stats.rates import BinEnds, calendar_rate_bins, rate_bins
from ..stats.sampling import Sampling
from ..stats.shrinkage import shrunken_levels
from ..stats.straight import not_straight
from ..stats.trend import Line
from .cloud import Cloud, make_cloud
from .shape import Along, as_mean, bend_finding, bin_label, is_one_bend, shape_findings

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class NumberByLevels(OfGroups):
    """A numeric outcome in the levels of a category candidate; each part is made when it is asked for.

    Parameters
    ----------
    rows, distribution
        The outcome in groups, one a level, of the rows with an outcome; and its distribution.
    ordered
        Whether the order of the levels means something.
    missing
        Rows with an outcome and no level.
    shown
        The levels that are shown, in their order; all where nobody chose.
    """

    name: str
    outcome: Amount
    rows: GroupedRows
    distribution: NumberDistribution
    ordered: bool
    missing: int
    shown: tuple[int, ...] | None = None

    @property
    def shrunken(self) -> Floats:
        """The mean of each level drawn towards that of all rows, as far as its rows ask for, shape (levels,)."""
        return shrunken_means(self.rows)

    @cached_property
    def pairs(self) -> Pairs:
        """Differences of all levels."""
        return all_pairs(self.rows)

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        return self.distribution.findings


@dataclass(frozen=True)
class NumberByNumber(Remade):
    """A numeric outcome along a numeric candidate; each part is made when it is asked for.

    Parameters
    ----------
    candidate, of
        The column, and the outcome of the same rows.
    sampling
        Of these rows.
    by
        Groups of them, where a column divides the rows.
    asked
        The confidence of its coefficients and its line, and what their tests are against.
    """

    name: str
    outcome: Amount
    candidate: Column
    of: NumericOutcome
    look: Look
    sampling: Sampling
    by: Grouping | None = None
    asked: Correlating = USUAL
    seed: int = 0

    @property
    def groups(self) -> Groups | None:
        """What the groups are called."""
        return None if self.by is None else self.by.groups

    @cached_property
    def two(self) -> TwoNumbers:
        """The outcome along the candidate, as every step has two numbers."""
        outcome = Side(self.of.name, "continuous", "number", self.of.values, None, 0, True)
        return TwoNumbers(side_of(self.candidate), outcome, self.sampling, self.seed, self.asked)

    @property
    def n(self) -> int:
        """Rows where both are present."""
        return self.two.n

    @cached_property
    def missing(self) -> int:
        """Rows with an outcome and no value."""
        return int(self.of.known.sum()) - self.n

    @kept
    def _binned(self) -> tuple[GroupedRows, BinEnds]:
        """The outcome in quantile bins of the candidate."""
        _, x, y, sampling = self.two.both
        bins = rate_bins(x)
        labels = tuple(bin_label(a, b) for a, b in zip(bins.ends.left, bins.ends.right, strict=True))
        return GroupedRows(y, bins.codes, labels, sampling), bins.ends

    @cached_property
    def summary(self) -> GroupSummary:
        """The outcome described in quantile bins of the candidate."""
        return self._binned[0].summary

    @cached_property
    def _correlated(self) -> tuple[tuple[Estimate, Significance], tuple[Estimate, Significance]]:
        _, x, y, sampling = self.two.both
        return pearson(x, y, sampling), spearman(x, y, sampling)

    @cached_property
    def tests(self) -> dict[str, Significance]:
        """Whether the outcome differs between bins, both correlations, and what bins leave of a line."""
        (_, p), (_, s) = self._correlated
        return {**self._binned[0].tests, "pearson": p, "spearman": s, "not_straight": not_straight(*self.two.both[1:])}

    @cached_property
    def effects(self) -> dict[str, Estimate]:
        """How far bins differ, both correlations, and the share of variance that the line explains."""
        (r, _), (rho, _) = self._correlated
        return {**self._binned[0].effects, "pearson": r, "spearman": rho, "r_squared": squared(r, self.line.r_squared)}

    @cached_property
    def line(self) -> Line:
        """The least-squares line."""
        return self.two.line.line

    @cached_property
    def form(self) -> str:
        """The form of the relation."""
        return self.two.form

    @cached_property
    def pictured(self) -> Pictured:
        """What a picture shows of them: values, what the line leaves, or ranks."""
        return pictured(self.two, self.look.ranks, self.look.residuals)

    @cached_property
    def cloud(self) -> Cloud | None:
        """The rows as a picture shows them; nothing where no row has both."""
        shown, there = self.pictured, self.two.both[0]
        groups = None if self.by is None else self.by.take(there)
        return make_cloud(shown.x, shown.y, groups) if self.n else None

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        _, x, y, sampling = self.two.both
        return shape_of_means(self.name, self.outcome, x, y, (self.summary, self._binned[1]), self.tests, sampling)


@dataclass(frozen=True)
class NumberOverTime(Remade):
    """A numeric outcome in units of the calendar of a date candidate.

    Parameters
    ----------
    candidate, of, sampling
        Of the same rows: the column, the outcome, and what they are a sample of.
    calendar
        The unit; by default one that fits.
    """

    name: str
    outcome: Amount
    candidate: TimeColumn
    of: NumericOutcome
    sampling: Sampling
    calendar: str | None = None
    findings: tuple[Finding, ...] = ()

    @kept
    def _days(self) -> Floats:
        """Since 1970-01-01, of the rows with an outcome."""
        return self.candidate.days[self.of.known]

    @kept
    def _binned(self) -> tuple[GroupedRows, BinEnds]:
        bins = calendar_rate_bins(self._days, unit=self.calendar)
        labels = tuple(str(np.datetime64(int(d), "D")) for d in bins.ends.left)
        known = self.of.known
        return GroupedRows(self.of.values[known], bins.codes, labels, self.sampling.take(known)), bins.ends

    @property
    def rows(self) -> GroupedRows:
        """The outcome in groups, one a unit of the calendar, of the rows with an outcome."""
        return self._binned[0]

    @property
    def bins(self) -> BinEnds:
        """The first day of each unit of the calendar, and of the next."""
        return self._binned[1]

    @cached_property
    def summary(self) -> GroupSummary:
        """The outcome described in each unit of the calendar."""
        return self.rows.summary

    @cached_property
    def missing(self) -> int:
        """Rows with an outcome and no date."""
        return int(np.isnan(self._days).sum())

    @cached_property
    def _trend(self) -> tuple[Estimate, Significance]:
        both, rows = ~np.isnan(self._days), self.rows
        return spearman(self._days[both], rows.values[both], rows.sampling.take(both))

    @cached_property
    def tests(self) -> dict[str, Significance]:
        """Whether the outcome differs between them, or rises."""
        return {**self.rows.tests, "spearman": self._trend[1]}

    @cached_property
    def effects(self) -> dict[str, Estimate]:
        """How far."""
        return {**self.rows.effects, "spearman": self._trend[0]}


def number_by_levels(
    column: CategoryColumn,
    outcome: NumericOutcome,
    look: Look,
    rows: pd.Index[Any],
    sampling: Sampling,
    cases: CategoryColumn | None = None,
) -> NumberByLevels:
    """Compare a numeric outcome between the levels of a category candidate; options as in `number_by_class`."""
    known = outcome.known
    codes, values = column.codes[known], outcome.values[known]
    sampling = sampling.take(known)
    groups = GroupedRows(values, codes, column.levels, sampling)
    ordered = column.ordered or column.kind == "binary"
    called = Groups((column.name,), column.levels, ordered)
    cases = None if cases is None else cases.take(np.flatnonzero(known))
    made = NumberDistribution((outcome.name,), outcome.name, groups, called, look, rows[known], cases, shaped=False)
    return NumberByLevels(column.name, outcome.said, groups, checked(made), ordered, int((codes < 0).sum()))


def reading_order(n: NDArray[np.integer], shrunken: Floats) -> NDArray[np.intp]:
    """Return levels by their shrunken mean, the largest first; those of under ten rows last, so they top no list."""
    return np.lexsort((-np.nan_to_num(shrunken, nan=-np.inf), n < T.FEW_ROWS))


def shrunken_means(groups: GroupedRows) -> Floats:
    """Return each level's mean drawn towards that of all rows by moment empirical Bayes; NaN where it has no rows."""
    m = groups.summary.moments
    total = int(m.n.sum())
    if total < 2:
        return m.mean.copy()
    base = float(np.nansum(m.n * m.mean)) / total
    return np.where(m.n > 0, shrunken_levels(m.n, m.mean, base, m.within_sd, groups.design_effect), np.nan)


def shape_of_means(
    name: str,
    outcome: Amount,
    x: Floats,
    y: Floats,
    binned: tuple[GroupSummary, BinEnds],
    tests: dict[str, Significance],
    sampling: Sampling,
) -> tuple[Finding, ...]:
    """Say that the mean bends without a trend, jumps once, or goes along a curve that a line misses.

    Parameters
    ----------
    x, y
        Of the rows with both, shape (n,).
    binned
        The outcome in bins of x, and their ends.
    tests
        Spearman's, and those over bins.
    """
    summary, bins = binned
    over_bins = tests.get("kruskal_wallis", tests.get("mann_whitney", UNDEFINED_TEST))
    if len(bins) < 4 or not over_bins.p < T.BEND_P or counts_on(name, x):
        return ()
    trend, what = tests["spearman"].p, f"The mean of {marked(outcome.name)}"
    n, mean = summary.moments.n, summary.moments.mean
    if trend > T.NO_TREND_P and is_one_bend(n, mean):
        return (bend_finding(name, outcome.name, what, bins, mean, as_mean, (trend, over_bins.p)),)
    if is_time(name, x):
        return ()
    sd = spread_of(y)
    return tuple(
        shape_findings(
            Along(
                name, outcome.name, what, bins, n, mean, sd**2, T.LEAST_SD * sd, as_mean,
                lambda: not_straight(x, y, sampling).p, T.CURVE_LOUD,
            )
        )
    )  # fmt: skip
