"""One candidate against an outcome of numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping
from ..columns.outcome import NumericOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..distribution.distribution import NumberDistribution, number_distribution
from ..distribution.look import Look
from ..estimate import UNDEFINED_TEST, Estimate, Significance
from ..finding import Finding, marked
from ..stats.clustered import clustered_spearman, product_design_effect, unit_codes
from ..stats.clustered_groups import clustered_comparison
from ..stats.correlation import pearson
from ..stats.group_pairs import Pairs, all_pairs
from ..stats.groups import GroupComparison, GroupSummary, compare_groups
from ..stats.rates import QuantileBins, calendar_rate_bins, quantile_bins
from ..stats.shrinkage import shrunken_levels
from ..stats.trend import Form, Line, Trend, least_squares, relation_form, smooth_trend
from .by_class import bend_finding, bin_label

Floats = NDArray[np.float64]
Units = NDArray[np.int64] | None


@dataclass(frozen=True)
class NumberByLevels:
    """A numeric outcome in the levels of a category candidate.

    Parameters
    ----------
    comparison, distribution
        The outcome described, tested and shown in each level.
    shrunken
        The mean of each level drawn towards that of all rows, as far as its rows ask for, shape (levels,).
    pairs
        Differences of all levels.
    missing
        Rows with an outcome and no level.
    """

    name: str
    outcome: NumericOutcome
    comparison: GroupComparison
    distribution: NumberDistribution
    shrunken: Floats
    pairs: Pairs
    ordered: bool
    missing: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class NumberByNumber:
    """A numeric outcome along a numeric candidate.

    Parameters
    ----------
    x, y, rows
        The candidate and the outcome where both are present, and the labels of those rows.
    bins, comparison
        Quantile bins of the candidate and the outcome in each; with both correlations.
    line, trend, form
        The least-squares line, the smooth trend and the form of the relation.
    groups
        Which group each of these rows belongs to, where a column divides them.
    """

    name: str
    outcome: NumericOutcome
    x: Floats
    y: Floats
    rows: pd.Index[Any]
    bins: QuantileBins
    comparison: GroupComparison
    line: Line
    trend: Trend | None
    form: Form
    groups: Grouping | None
    look: Look
    missing: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class NumberOverTime:
    """A numeric outcome in units of the calendar of a date candidate."""

    name: str
    outcome: NumericOutcome
    comparison: GroupComparison
    bins: QuantileBins
    missing: int
    findings: tuple[Finding, ...]


def number_by_levels(
    column: CategoryColumn, outcome: NumericOutcome, look: Look, rows: pd.Index[Any], units: Units = None
) -> NumberByLevels:
    """Compare a numeric outcome between the levels of a category candidate; ``units`` as in `number_by_class`."""
    known = outcome.known
    codes, values = column.codes[known], outcome.values[known]
    within = None if units is None else units[known]
    comparison = compare_groups(values, codes, column.levels)
    if within is not None:
        comparison = clustered_comparison(comparison, values, codes, within)
    ordered = column.ordered or column.kind == "binary"
    grouping = Grouping((column.name,), column.levels, codes.astype(np.int64), ordered)
    distribution = number_distribution(
        [outcome.name], outcome.name, values, grouping, look, row_labels=rows[known], shapes=False,
        summary=comparison.summary,
    )  # fmt: skip
    missing = int((codes < 0).sum())
    pairs = all_pairs(comparison.summary)
    return NumberByLevels(
        column.name, outcome, comparison, distribution, shrunken_means(comparison), pairs, ordered, missing,
        distribution.findings,
    )  # fmt: skip


def reading_order(n: NDArray[np.integer], shrunken: Floats) -> NDArray[np.intp]:
    """Return levels by their shrunken mean, the largest first; those of under ten rows last, so they top no list."""
    return np.lexsort((-np.nan_to_num(shrunken, nan=-np.inf), n < T.FEW_ROWS))


def shrunken_means(comparison: GroupComparison) -> Floats:
    """Return each level's mean drawn towards that of all rows by moment empirical Bayes; NaN where it has no rows."""
    m = comparison.summary.moments
    total = int(m.n.sum())
    if total < 2:
        return m.mean.copy()
    base = float(np.nansum(m.n * m.mean)) / total
    return np.where(m.n > 0, shrunken_levels(m.n, m.mean, base, m.within_sd), np.nan)


def number_by_number(
    candidate: Column,
    outcome: NumericOutcome,
    look: Look,
    rows: pd.Index[Any],
    by: Grouping | None = None,
    units: Units = None,
) -> NumberByNumber:
    """Set a numeric outcome along a numeric candidate: correlations, a line, a trend, and the form.

    With ``units`` tests and intervals count units; a correlation keeps its size and its interval is that of
    n over the design effect rows.
    """
    numbers = candidate.numbers
    assert numbers is not None
    known = outcome.known
    x, y = numbers[known], outcome.values[known]
    bins = quantile_bins(x)
    labels = tuple(bin_label(a, b) for a, b in zip(bins.left, bins.right, strict=True))
    comparison = compare_groups(y, bins.codes, labels)
    both = ~np.isnan(x)
    at, of = x[both], y[both]
    within, inflation = None, 1.0
    if units is not None:
        comparison = clustered_comparison(comparison, y, bins.codes, units[known])
        within = units[known][both]
        inflation = product_design_effect(unit_codes(within), at, of)
    effects, tests = dict(comparison.effects), dict(comparison.tests)
    effects["pearson"], tests["pearson"] = pearson(at, of, inflation)
    effects["spearman"], tests["spearman"] = clustered_spearman(at, of, within)
    line, form = least_squares(at, of), relation_form(at, of, inflation)
    effects["r_squared"] = _squared(effects["pearson"], line)
    tests["not_straight"] = form.not_straight
    groups = None if by is None else by.take(known).take(both)
    return NumberByNumber(
        candidate.name, outcome, at, of, rows[known][both], bins,
        GroupComparison(comparison.summary, tests, effects), line, smooth_trend(at, of), form, groups, look,
        int((~both).sum()), mean_bend(candidate.name, outcome, comparison.summary, bins, tests),
    )  # fmt: skip


def mean_bend(
    name: str, outcome: NumericOutcome, summary: GroupSummary, bins: QuantileBins, tests: dict[str, Significance]
) -> tuple[Finding, ...]:
    """Find a mean that differs strongly along a number without a trend; ``tests`` hold spearman and those over bins."""
    over_bins = tests.get("kruskal_wallis", tests.get("mann_whitney", UNDEFINED_TEST))
    trend = tests["spearman"].p
    if len(bins.left) < 4 or not (over_bins.p < T.BEND_P and trend > T.NO_TREND_P):
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
    candidate: TimeColumn, outcome: NumericOutcome, units: Units = None, calendar: str | None = None
) -> NumberOverTime:
    """Compare a numeric outcome between units of the calendar of a date candidate."""
    known = outcome.known
    days, y = candidate.days[known], outcome.values[known]
    bins = calendar_rate_bins(days, unit=calendar)
    labels = tuple(str(np.datetime64(int(d), "D")) for d in bins.left)
    comparison = compare_groups(y, bins.codes, labels)
    if units is not None:
        comparison = clustered_comparison(comparison, y, bins.codes, units[known])
    tests, effects = dict(comparison.tests), dict(comparison.effects)
    both = ~np.isnan(days)
    within = None if units is None else units[known][both]
    effects["spearman"], tests["spearman"] = clustered_spearman(days[both], y[both], within)
    comparison = GroupComparison(comparison.summary, tests, effects)
    return NumberOverTime(candidate.name, outcome, comparison, bins, int((~both).sum()), ())
