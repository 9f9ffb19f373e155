"""One candidate against the outcome."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from . import contingency as ct
from . import thresholds as T
from .bins import Bins, date_bins, readable_bins
from .clustered import product_design_effect, unit_codes
from .clustered_groups import clustered_comparison, clustered_rates, clustered_table, clustered_two_by_two
from .correlation import pearson, ranks, spearman
from .estimate import Estimate, Finding, Significance, by_weight
from .groups import GroupComparison, compare_groups
from .outcome import ClassOutcome, NumericOutcome
from .proportions import odds_ratio, risk_difference, risk_ratio
from .rates import QuantileBins, Rates, event_rates, quantile_bins
from .table import CategoryColumn
from .tallies import Contingency

Floats = NDArray[np.float64]
Units = NDArray[np.int64] | None


@dataclass(frozen=True)
class NumberByClass:
    """A numeric candidate in the classes of the outcome.

    Parameters
    ----------
    comparison
        The candidate described, one group a class.
    bins, rates
        Quantile bins of the candidate and the event's rate in each.
    histogram
        Readable bins over all classes, and the counts of each class in them, shape (classes, bins).
    missing
        Rows with an outcome and no value.
    """

    name: str
    outcome: ClassOutcome
    comparison: GroupComparison
    bins: QuantileBins
    rates: Rates
    histogram: tuple[Bins, NDArray[np.int64]]
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


@dataclass(frozen=True)
class NumberByGroup:
    """A numeric outcome in the levels of a category candidate, or in quantile bins of a numeric one."""

    name: str
    outcome: NumericOutcome
    comparison: GroupComparison
    missing: int
    bins: QuantileBins | None
    findings: tuple[Finding, ...]


def number_by_class(
    name: str, values: Floats, outcome: ClassOutcome, dates: bool = False, units: Units = None
) -> NumberByClass:
    """Compare a numeric candidate (or one of days since 1970), shape (n,), between the classes of the outcome.

    With ``units``, the unit of every row, tests and intervals count units.
    """
    known = outcome.known
    values, codes = values[known], outcome.codes[known]
    event = codes == outcome.event_code
    comparison = compare_groups(values, codes, outcome.levels)
    bins = quantile_bins(values)
    rates = event_rates(bins.codes, event, len(bins.left))
    if units is not None:
        comparison = clustered_comparison(comparison, values, codes, units[known])
        rates = clustered_rates(rates, bins.codes, event, units[known])
    pooled = np.sort(values[~np.isnan(values)])
    choose = date_bins if dates else readable_bins
    edges = choose(pooled) if len(pooled) else Bins(np.array([0.0, 1.0]))
    counts = np.array([edges.count(g) for g in comparison.summary.ordered])
    findings = [
        *_bend(name, outcome, comparison, bins, rates),
        *_few_rows(comparison.summary.moments.n, name, outcome),
    ]
    missing = int(np.isnan(values).sum())
    return NumberByClass(name, outcome, comparison, bins, rates, (edges, counts), missing, by_weight(findings))


def _bend(
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
    best, worst = int(np.argmax(rates.rate)), int(np.argmin(rates.rate))
    ends = np.nanmean(rates.rate[[0, -1]])
    middle = np.nanmean(rates.rate[len(rates.n) // 4 : len(rates.n) - len(rates.n) // 4])
    shape = "an optimum in the middle" if middle > ends else "a low in the middle"
    return [
        Finding(
            "bend-without-trend",
            "caution",
            (name, outcome.name),
            f"The rate of {outcome.event!r} does not rise or fall along {name} (rank test p = {trend:.2g}) yet runs "
            f"from {rates.rate[worst]:.0%} at {bins.left[worst]:.4g} to {bins.right[worst]:.4g} up to "
            f"{rates.rate[best]:.0%} at {bins.left[best]:.4g} to {bins.right[best]:.4g}: {shape}.",
            "A correlation or a straight line misses this. Use bins, a spline, or the distance from the optimum.",
            {
                "rank_test_p": trend,
                "chi_square_p": over_bins.p,
                "middle_rate": float(middle),
                "end_rate": float(ends),
            },
        )
    ]


def _few_rows(n: NDArray[np.integer], name: str, outcome: ClassOutcome) -> list[Finding]:
    small = [(level, int(k)) for level, k in zip(outcome.levels, n, strict=True) if k < T.FEW_ROWS]
    if not small:
        return []
    named = ", ".join(f"{level!r} ({k})" for level, k in small[:4])
    return [
        Finding(
            "few-rows",
            "caution",
            (name, outcome.name),
            f"Under {T.FEW_ROWS} rows have a value of {name} in: {named}.",
            "Do not read a shape, a mean or a rate off so few rows.",
            {"groups": dict(small)},
        )
    ]


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
    findings = [*_small_expected(column.name, outcome, counts), *_small_levels(column, outcome, rates)]
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


def _small_expected(name: str, outcome: ClassOutcome, counts: NDArray[np.int64]) -> list[Finding]:
    if not ct.expected_are_small(counts):
        return []
    share = float((ct.expected_counts(ct.without_empty(counts)) < 5).mean())
    return [
        Finding(
            "small-expected-counts",
            "note",
            (name, outcome.name),
            f"{share:.0%} of the cells of {name} by {outcome.name} expect fewer than 5 rows, so the usual chi-square "
            "p would be off; the one shown uses the statistic's exact mean and variance.",
            "Join rare levels before reading single cells.",
            {"share_of_cells": share},
        )
    ]


def _small_levels(column: CategoryColumn, outcome: ClassOutcome, rates: Rates) -> list[Finding]:
    """Name levels too small to rank when one of them would top or close the list."""
    full = rates.n >= T.FEW_ROWS
    small = (rates.n > 0) & ~full
    if not small.any() or not full.any():
        return []
    tops = rates.rate[small].max() > rates.rate[full].max() or rates.rate[small].min() < rates.rate[full].min()
    if not tops:
        return []
    order = np.flatnonzero(small)[np.argsort(-rates.rate[small])]
    shown = ", ".join(f"{column.levels[i]!r} ({rates.events[i]} of {rates.n[i]})" for i in order[:3])
    return [
        Finding(
            "small-levels",
            "caution",
            (column.name, outcome.name),
            f"{int(small.sum())} of {len(column.levels)} levels of {column.name} have under {T.FEW_ROWS} rows, and "
            f"the most extreme rates are theirs: {shown}.",
            "Do not rank levels by these rates; read the intervals, or join the small levels.",
            {"levels": int(small.sum()), "rows": int(rates.n[small].sum())},
        )
    ]


def number_by_levels(column: CategoryColumn, outcome: NumericOutcome, units: Units = None) -> NumberByGroup:
    """Compare a numeric outcome between the levels of a category candidate; ``units`` as above."""
    known = outcome.known
    codes, values = column.codes[known], outcome.values[known]
    comparison = compare_groups(values, codes, column.levels)
    if units is not None:
        comparison = clustered_comparison(comparison, values, codes, units[known])
    return NumberByGroup(column.name, outcome, comparison, int((codes < 0).sum()), None, ())


def number_by_number(name: str, values: Floats, outcome: NumericOutcome, units: Units = None) -> NumberByGroup:
    """Compare a numeric outcome along quantile bins of a numeric candidate, with both correlations.

    With ``units`` tests and intervals count units; a correlation keeps its size and its interval is that of
    n over the design effect rows.
    """
    known = outcome.known
    x, y = values[known], outcome.values[known]
    bins = quantile_bins(x)
    labels = tuple(bin_label(a, b) for a, b in zip(bins.left, bins.right, strict=True))
    comparison = compare_groups(y, bins.codes, labels)
    both = ~np.isnan(x)
    inflation = {"pearson": 1.0, "spearman": 1.0}
    if units is not None:
        comparison = clustered_comparison(comparison, y, bins.codes, units[known])
        unit = unit_codes(units[known][both])
        inflation["pearson"] = product_design_effect(unit, x[both], y[both])
        inflation["spearman"] = product_design_effect(unit, ranks(x[both]), ranks(y[both]))
    effects, tests = dict(comparison.effects), dict(comparison.tests)
    effects["pearson"], tests["pearson"] = pearson(x[both], y[both], inflation["pearson"])
    effects["spearman"], tests["spearman"] = spearman(x[both], y[both], inflation["spearman"])
    comparison = GroupComparison(comparison.summary, tests, effects)
    return NumberByGroup(name, outcome, comparison, int((~both).sum()), bins, ())


def bin_label(left: float, right: float) -> str:
    """Return a bin's range as text, four significant digits."""
    a, b = f"{left:.4g}", f"{right:.4g}"
    return a if a == b else f"{a} to {b}"
