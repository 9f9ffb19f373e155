"""One candidate against an outcome of numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping, Groups
from ..columns.outcome import Amount, NumericOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..distribution.distribution import number_distribution
from ..distribution.look import Look
from ..distribution.result import NumberDistribution
from ..estimate import UNDEFINED_TEST, Estimate, Significance
from ..finding import Finding, marked
from ..later import Later
from ..stats.correlation import pearson, spearman
from ..stats.form import Form, relation_form
from ..stats.group_pairs import Pairs, all_pairs
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupComparison, compare_groups, compared, grouped_rows
from ..stats.rates import BinEnds, QuantileBins, calendar_rate_bins, rate_bins
from ..stats.sampling import Sampling
from ..stats.shrinkage import shrunken_levels
from ..stats.trend import Line, Trend, least_squares, smooth_trend
from .by_class import bend_finding, bin_label, is_one_bend
from .cloud import Cloud, make_cloud

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class NumberByLevels:
    """A numeric outcome in the levels of a category candidate; each part is made when it is asked for.

    Parameters
    ----------
    comparison, distribution
        The outcome described, tested and shown in each level.
    ordered
        Whether the order of the levels means something.
    missing
        Rows with an outcome and no level.
    """

    name: str
    outcome: Amount
    comparison: GroupComparison
    distribution: NumberDistribution
    ordered: bool
    missing: int
    _pairs: Later[Pairs]

    @property
    def shrunken(self) -> Floats:
        """The mean of each level drawn towards that of all rows, as far as its rows ask for, shape (levels,)."""
        return shrunken_means(self.comparison.summary)

    @property
    def pairs(self) -> Pairs:
        """Differences of all levels."""
        return self._pairs()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        return self.distribution.findings


@dataclass(frozen=True)
class NumberByNumber:
    """A numeric outcome along a numeric candidate; each part is made when it is asked for.

    Parameters
    ----------
    n, missing
        Rows where both are present, and with an outcome and no value.
    groups
        What the groups are called, where a column divides the rows.
    comparison
        The outcome in quantile bins of the candidate; with both correlations.
    """

    name: str
    outcome: Amount
    n: int
    missing: int
    look: Look
    groups: Groups | None
    comparison: GroupComparison
    _line: Later[Line]
    _trend: Later[Trend | None]
    _form: Later[Form]
    _cloud: Later[Cloud | None]
    _findings: Later[tuple[Finding, ...]]

    @property
    def line(self) -> Line:
        """The least-squares line."""
        return self._line()

    @property
    def trend(self) -> Trend | None:
        """The smooth trend."""
        return self._trend()

    @property
    def form(self) -> Form:
        """The form of the relation."""
        return self._form()

    @property
    def cloud(self) -> Cloud | None:
        """The rows as a picture shows them; nothing where no row has both."""
        return self._cloud()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        return self._findings()


@dataclass(frozen=True)
class NumberOverTime:
    """A numeric outcome in units of the calendar of a date candidate."""

    name: str
    outcome: Amount
    comparison: GroupComparison
    bins: BinEnds
    missing: int
    findings: tuple[Finding, ...] = ()


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
    groups = grouped_rows(values, codes, column.levels, sampling)
    comparison = compared(groups)
    ordered = column.ordered or column.kind == "binary"
    grouping = Grouping.of((column.name,), column.levels, codes, ordered)
    distribution = number_distribution(
        [outcome.name], outcome.name, values, grouping, look, row_labels=rows[known], sampling=sampling,
        shapes=False, groups=groups,
        cases=None if cases is None else cases.take(np.flatnonzero(known)),
        summary=Later(lambda: comparison.summary),
    )  # fmt: skip
    return NumberByLevels(
        column.name, outcome.said, comparison, distribution, ordered, int((codes < 0).sum()),
        Later(lambda: all_pairs(groups)),
    )  # fmt: skip


def reading_order(n: NDArray[np.integer], shrunken: Floats) -> NDArray[np.intp]:
    """Return levels by their shrunken mean, the largest first; those of under ten rows last, so they top no list."""
    return np.lexsort((-np.nan_to_num(shrunken, nan=-np.inf), n < T.FEW_ROWS))


def shrunken_means(summary: GroupSummary) -> Floats:
    """Return each level's mean drawn towards that of all rows by moment empirical Bayes; NaN where it has no rows."""
    m = summary.moments
    total = int(m.n.sum())
    if total < 2:
        return m.mean.copy()
    base = float(np.nansum(m.n * m.mean)) / total
    return np.where(m.n > 0, shrunken_levels(m.n, m.mean, base, m.within_sd), np.nan)


def number_by_number(
    candidate: Column,
    outcome: NumericOutcome,
    look: Look,
    sampling: Sampling,
    by: Grouping | None = None,
) -> NumberByNumber:
    """Set a numeric outcome along a numeric candidate: correlations, a line, a trend, and the form."""
    numbers = candidate.numbers
    assert numbers is not None
    known = outcome.known
    x, y = numbers[known], outcome.values[known]
    both = ~np.isnan(x)
    at, of = x[both], y[both]
    sampling = sampling.take(known)
    within = sampling.take(both)
    bins = Later(lambda: rate_bins(x))
    binned = Later(lambda: _along(y, bins(), sampling))
    line = Later(lambda: least_squares(at, of))
    form = Later(lambda: relation_form(at, of, within))
    correlated = Later(lambda: (pearson(at, of, within), spearman(at, of, within)))

    def tests() -> dict[str, Significance]:
        (_, p), (_, s) = correlated()
        return {**binned().tests, "pearson": p, "spearman": s, "not_straight": form().not_straight}

    def effects() -> dict[str, Estimate]:
        (r, _), (rho, _) = correlated()
        return {**binned().effects, "pearson": r, "spearman": rho, "r_squared": _squared(r, line())}

    def cloud() -> Cloud | None:
        shown = of - line().at(at) if look.residuals else of
        return make_cloud(at, of, shown, None if by is None else by.take(known).take(both)) if len(at) else None

    comparison = GroupComparison(Later(lambda: binned().summary), Later(tests), Later(effects))
    found = Later(lambda: mean_bend(candidate.name, outcome.said, binned().summary, bins().ends, comparison.tests))
    return NumberByNumber(
        candidate.name, outcome.said, len(at), int((~both).sum()), look, None if by is None else by.groups, comparison,
        line, Later(lambda: smooth_trend(at, of, within)), form, Later(cloud), found,
    )  # fmt: skip


def _along(y: Floats, bins: QuantileBins, sampling: Sampling) -> GroupComparison:
    """Compare the outcome in bins of a candidate."""
    labels = tuple(bin_label(a, b) for a, b in zip(bins.ends.left, bins.ends.right, strict=True))
    return compare_groups(y, bins.codes, labels, sampling)


def mean_bend(
    name: str, outcome: Amount, summary: GroupSummary, bins: BinEnds, tests: dict[str, Significance]
) -> tuple[Finding, ...]:
    """Find a mean that differs strongly along a number without a trend; ``tests`` hold spearman and those over bins."""
    over_bins = tests.get("kruskal_wallis", tests.get("mann_whitney", UNDEFINED_TEST))
    trend = tests["spearman"].p
    if len(bins) < 4 or not (over_bins.p < T.BEND_P and trend > T.NO_TREND_P):
        return ()
    if not is_one_bend(summary.moments.n, summary.moments.mean):
        return ()
    mean, what = summary.moments.mean, f"The mean of {marked(outcome.name)}"
    return (bend_finding(name, outcome.name, what, bins, mean, "{:.3g}".format, (trend, over_bins.p)),)


def _squared(r: Estimate, line: Line) -> Estimate:
    """Return R² of the line with the interval of the squared correlation."""
    if r.low != r.low:
        return Estimate(line.r_squared, r.low, r.high)
    ends = sorted((r.low**2, r.high**2))
    return Estimate(line.r_squared, 0.0 if r.low <= 0 <= r.high else ends[0], ends[1])


def number_over_time(
    candidate: TimeColumn, outcome: NumericOutcome, sampling: Sampling, calendar: str | None = None
) -> NumberOverTime:
    """Compare a numeric outcome between units of the calendar of a date candidate."""
    known = outcome.known
    days, y = candidate.days[known], outcome.values[known]
    bins = calendar_rate_bins(days, unit=calendar)
    labels = tuple(str(np.datetime64(int(d), "D")) for d in bins.ends.left)
    sampling = sampling.take(known)
    binned = compare_groups(y, bins.codes, labels, sampling)
    both = ~np.isnan(days)
    trend = Later(lambda: spearman(days[both], y[both], sampling.take(both)))
    comparison = GroupComparison(
        Later(lambda: binned.summary),
        Later(lambda: {**binned.tests, "spearman": trend()[1]}),
        Later(lambda: {**binned.effects, "spearman": trend()[0]}),
    )
    return NumberOverTime(candidate.name, outcome.said, comparison, bins.ends, int((~both).sum()))
