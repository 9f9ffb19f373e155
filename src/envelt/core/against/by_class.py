"""One candidate against an outcome of classes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping, crossed
from ..columns.outcome import ClassOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..contingency.findings import small_expected, small_levels
from ..distribution.distribution import NumberDistribution, number_distribution
from ..distribution.look import Look
from ..estimate import Estimate, Significance
from ..finding import Finding, by_weight, marked
from ..stats import tables as ct
from ..stats.clustered_groups import clustered_comparison, clustered_rates, clustered_table, clustered_two_by_two
from ..stats.cut import Cut, best_cut
from ..stats.groups import GroupComparison, compare_groups
from ..stats.proportions import odds_ratio, risk_difference, risk_ratio
from ..stats.rates import QuantileBins, Rates, calendar_rate_bins, event_rates, quantile_bins
from ..tallies.crossed import Contingency

Floats = NDArray[np.float64]
Units = NDArray[np.int64] | None


@dataclass(frozen=True)
class NumberByClass:
    """A numeric candidate in the classes of the outcome.

    Parameters
    ----------
    comparison
        The candidate described, one group a class.
    distribution
        The candidate's distribution by class, and by the levels of another column where one was named.
    bins, rates
        Quantile bins of the candidate (units of the calendar for a date), and the event's rate in each.
    cut
        The cut that separates event from rest best; only of two classes.
    missing
        Rows with an outcome and no value.
    """

    name: str
    outcome: ClassOutcome
    comparison: GroupComparison
    distribution: NumberDistribution
    bins: QuantileBins
    rates: Rates
    cut: Cut | None
    missing: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class LevelsByClass:
    """A category candidate against the classes: counts (levels × classes) and the event's rate a level."""

    name: str
    outcome: ClassOutcome
    levels: tuple[str, ...]
    counts: NDArray[np.int64]
    rates: Rates
    tests: dict[str, Significance]
    effects: dict[str, Estimate]
    missing: int
    findings: tuple[Finding, ...]


def number_by_class(
    candidate: Column,
    outcome: ClassOutcome,
    look: Look,
    rows: pd.Index[Any],
    by: Grouping | None = None,
    units: Units = None,
    limits: tuple[float, float] | None = None,
    seed: int = 0,
) -> NumberByClass:
    """Compare a numeric or date candidate between the classes of the outcome.

    Parameters
    ----------
    candidate, outcome, rows
        Of the same rows: the column, the outcome, the rows' labels.
    look
        How the distribution is looked at.
    by
        Groups of rows, to divide the distributions by further.
    units
        The unit of every row; tests and intervals then count units.
    limits
        What a person declared values can be.
    """
    known, dates = outcome.known, isinstance(candidate, TimeColumn)
    numbers = candidate.numbers
    assert numbers is not None
    name, values, codes = candidate.name, numbers[known], outcome.codes[known]
    within = None if units is None else units[known]
    event = codes == outcome.event_code
    comparison = compare_groups(values, codes, outcome.levels)
    bins = calendar_rate_bins(values, unit=look.calendar) if dates else quantile_bins(values)
    rates = event_rates(bins.codes, event, len(bins.left))
    if within is not None:
        comparison = clustered_comparison(comparison, values, codes, within)
        rates = clustered_rates(rates, bins.codes, event, within)
    classes = Grouping((outcome.name,), outcome.levels, codes.astype(np.int64), True)
    grouping = classes if by is None else crossed(by.take(known), classes)
    distribution = number_distribution(
        [name],
        name,
        values,
        grouping,
        look,
        row_labels=rows[known],
        dates=dates,
        limits=limits,
        units=within,
        shapes=False,
        summary=comparison.summary if by is None else None,
    )
    cut = best_cut(values, event, within, seed) if len(outcome.levels) == 2 and not dates else None
    findings = [*bend_without_trend(name, outcome, comparison, bins, rates), *distribution.findings]
    missing = int(np.isnan(values).sum())
    return NumberByClass(name, outcome, comparison, distribution, bins, rates, cut, missing, by_weight(findings))


def bend_without_trend(
    name: str, outcome: ClassOutcome, comparison: GroupComparison, bins: QuantileBins, rates: Rates
) -> list[Finding]:
    """Find a strong relation that a rank test, a correlation or a straight line would miss."""
    if len(outcome.levels) != 2 or len(bins.left) < 4:
        return []
    table = np.stack([rates.n - rates.events, rates.events], axis=1)
    over_bins = ct.chi_square(table)
    trend = comparison.tests["mann_whitney"].p
    if not (over_bins.p < T.BEND_P and trend > T.NO_TREND_P):
        return []
    what = f"The rate of {outcome.event!r}"
    return [bend_finding(name, outcome.name, what, bins, rates.rate, "{:.0%}".format, (trend, over_bins.p))]


def bend_finding(
    name: str,
    outcome: str,
    what: str,
    bins: QuantileBins,
    level: NDArray[np.float64],
    write: Callable[[float], str],
    p: tuple[float, float],
) -> Finding:
    """Say that what is looked at differs along a number without rising or falling; ``p`` of the trend, of the bins."""
    best, worst = int(np.nanargmax(level)), int(np.nanargmin(level))
    ends = float(np.nanmean(level[[0, -1]]))
    middle = float(np.nanmean(level[len(level) // 4 : len(level) - len(level) // 4]))
    shape = "an optimum in the middle" if middle > ends else "a low in the middle"
    return Finding(
        "bend-without-trend",
        "caution",
        (name, outcome),
        f"{what} does not rise or fall along {marked(name)} (rank test p = {p[0]:.2g}) yet runs "
        f"from {write(level[worst])} at {bin_label(bins.left[worst], bins.right[worst])} up to "
        f"{write(level[best])} at {bin_label(bins.left[best], bins.right[best])}: {shape}.",
        "A correlation or a straight line misses this. Use bins, a spline, or the distance from the optimum.",
        {"trend_p": p[0], "bins_p": p[1], "middle": middle, "ends": ends},
    )


def levels_by_class(column: CategoryColumn, outcome: ClassOutcome, units: Units = None) -> LevelsByClass:
    """Cross a category candidate with the classes of the outcome; ``units`` as in `number_by_class`."""
    known = outcome.known
    codes, classes = column.codes[known], outcome.codes[known]
    tally = Contingency(len(column.levels), len(outcome.levels))
    tally.add(codes, classes)
    counts, missing = tally.finish()
    event = classes == outcome.event_code
    rates = event_rates(codes, event, len(column.levels))
    if units is None:
        tests, effects = _table_over_rows(counts, rates)
    else:
        chi, v = clustered_table(counts, codes, classes, units[known])
        tests, effects = {"chi_square": chi}, {"cramers_v": v}
        if len(column.levels) == 2:
            effects |= clustered_two_by_two(rates, codes, event, units[known])
        rates = clustered_rates(rates, codes, event, units[known])
    findings = [
        *small_expected((column.name, outcome.name), counts, False),
        *small_levels(column.levels, column.name, outcome.name, rates),
    ]
    return LevelsByClass(
        column.name, outcome, column.levels, counts, rates, tests, effects, missing, by_weight(findings)
    )


def _table_over_rows(counts: NDArray[np.int64], rates: Rates) -> tuple[dict[str, Significance], dict[str, Estimate]]:
    tests = {"chi_square": ct.chi_square_sparse(counts) if ct.expected_are_small(counts) else ct.chi_square(counts)}
    effects = {"cramers_v": ct.cramers_v(counts)}
    if len(rates.n) == 2:
        if counts.shape[1] == 2:
            tests["fisher_exact"] = ct.fisher_exact(np.stack([rates.n - rates.events, rates.events], axis=1))
        x, n = rates.events.tolist(), rates.n.tolist()
        args = (x[0], n[0], x[1], n[1])
        effects["risk_difference"] = risk_difference(*args)
        effects["risk_ratio"] = risk_ratio(*args)
        effects["odds_ratio"] = odds_ratio(*args)
    return tests, effects


def bin_label(left: float, right: float) -> str:
    """Return a bin's range as text, four significant digits."""
    a, b = f"{left:.4g}", f"{right:.4g}"
    return a if a == b else f"{a} to {b}"
