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
from ..columns.outcome import Classes, ClassOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..contingency.findings import small_expected, small_levels
from ..distribution.distribution import number_distribution
from ..distribution.look import Look
from ..distribution.result import NumberDistribution
from ..estimate import Estimate, Significance
from ..finding import Finding, by_weight, marked
from ..later import Later
from ..stats import tables as ct
from ..stats.clustered_groups import clustered_comparison, clustered_rates, clustered_table, clustered_two_by_two
from ..stats.cut import Cut, best_cut
from ..stats.groups import GroupComparison, compared, grouped_rows
from ..stats.proportions import odds_ratio, risk_difference, risk_ratio
from ..stats.rates import BinEnds, Rates, calendar_rate_bins, event_rates, rate_bins
from ..tallies.crossed import Contingency
from ..words import p_text

Floats = NDArray[np.float64]
Units = NDArray[np.int64] | None


@dataclass(frozen=True)
class NumberByClass:
    """A numeric candidate in the classes of the outcome; each part is made when it is asked for.

    Parameters
    ----------
    comparison
        The candidate described, one group a class.
    distribution
        The candidate's distribution by class, and by the levels of another column where one was named.
    missing
        Rows with an outcome and no value.
    """

    name: str
    outcome: Classes
    comparison: GroupComparison
    distribution: NumberDistribution
    missing: int
    _binned: Later[tuple[BinEnds, Rates]]
    _cut: Later[Cut | None]
    _findings: Later[tuple[Finding, ...]]

    @property
    def bins(self) -> BinEnds:
        """Quantile bins of the candidate; units of the calendar for a date."""
        return self._binned()[0]

    @property
    def rates(self) -> Rates:
        """The event's rate in each bin."""
        return self._binned()[1]

    @property
    def cut(self) -> Cut | None:
        """The cut that separates event from rest best; only of two classes."""
        return self._cut()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        return self._findings()


@dataclass(frozen=True)
class LevelsByClass:
    """A category candidate against the classes; each part is made when it is asked for.

    Parameters
    ----------
    levels, ordered
        Of the candidate, and whether their order means something.
    counts
        Shape (levels, classes).
    rates
        The event's rate at each level, over rows.
    """

    name: str
    outcome: Classes
    levels: tuple[str, ...]
    ordered: bool
    counts: NDArray[np.int64]
    missing: int
    _rates: Later[Rates]
    _tested: Later[tuple[dict[str, Significance], dict[str, Estimate]]]

    @property
    def rates(self) -> Rates:
        """The event's rate at each level."""
        return self._rates()

    @property
    def tests(self) -> dict[str, Significance]:
        """Whether the classes differ between levels."""
        return self._tested()[0]

    @property
    def effects(self) -> dict[str, Estimate]:
        """How far the classes differ between levels."""
        return self._tested()[1]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        small = small_expected((self.name, self.outcome.name), self.counts, False)
        return by_weight([*small, *small_levels(self.levels, self.name, self.outcome.name, self.rates)])


def number_by_class(
    candidate: Column,
    outcome: ClassOutcome,
    look: Look,
    rows: pd.Index[Any],
    by: Grouping | None = None,
    units: Units = None,
    limits: tuple[float, float] | None = None,
    seed: int = 0,
    cases: CategoryColumn | None = None,
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
    cases
        The column that says which case a row is.
    """
    known, dates = outcome.known, isinstance(candidate, TimeColumn)
    numbers = candidate.numbers
    assert numbers is not None
    if known.all():
        values, codes, within = numbers, outcome.codes, units
    else:
        values, codes = numbers[known], outcome.codes[known]
        rows, within = rows[known], None if units is None else units[known]
        cases = None if cases is None else cases.take(np.flatnonzero(known))
    name, said = candidate.name, outcome.said
    groups = grouped_rows(values, codes, said.levels)
    comparison = compared(groups)
    if within is not None:
        comparison = clustered_comparison(comparison, values, codes, within)
    classes = Grouping.of((said.name,), said.levels, codes, True)
    distribution = number_distribution(
        [name], name, values, classes if by is None else crossed(by.take(known), classes), look, row_labels=rows,
        cases=cases, dates=dates, limits=limits, units=within, shapes=False, groups=groups if by is None else None,
        summary=Later(lambda: comparison.summary) if by is None else None,
    )  # fmt: skip
    two = len(said.levels) == 2
    event = Later(lambda: codes == said.event_code)
    binned = Later(lambda: _rates_along(values, event(), within, look.calendar if dates else None, dates))

    def findings() -> tuple[Finding, ...]:
        return by_weight([*bend_without_trend(name, said, comparison, *binned()), *distribution.findings])

    return NumberByClass(
        name, said, comparison, distribution, int(groups.missing.sum()), binned,
        Later(lambda: best_cut(values, event(), within, seed) if two and not dates else None), Later(findings),
    )  # fmt: skip


def _rates_along(
    values: Floats, event: NDArray[np.bool_], units: Units, calendar: str | None, dates: bool
) -> tuple[BinEnds, Rates]:
    """Return the bins of a number, or of dates, and the event's rate in each."""
    bins = calendar_rate_bins(values, unit=calendar) if dates else rate_bins(values)
    rates = event_rates(bins.codes, event, len(bins.ends.left))
    return bins.ends, rates if units is None else clustered_rates(rates, bins.codes, event, units)


def bend_without_trend(
    name: str, outcome: Classes, comparison: GroupComparison, bins: BinEnds, rates: Rates
) -> list[Finding]:
    """Find a strong relation that a rank test, a correlation or a straight line would miss."""
    if len(outcome.levels) != 2 or len(bins.left) < 4:
        return []
    table = np.stack([rates.n - rates.events, rates.events], axis=1)
    over_bins = ct.chi_square(table)
    trend = comparison.tests["mann_whitney"].p
    if not (over_bins.p < T.BEND_P and trend > T.NO_TREND_P and is_one_bend(rates.n, rates.rate)):
        return []
    what = f"The rate of {outcome.event!r}"
    return [bend_finding(name, outcome.name, what, bins, rates.rate, "{:.0%}".format, (trend, over_bins.p))]


def is_one_bend(n: NDArray[np.integer], level: Floats) -> bool:
    """Say whether one bend explains most of the differences between bins: a parabola along their places.

    It must go down, or up, on both sides: a jump at one end is none.
    """
    filled = n > 0
    if filled.sum() <= 4:
        return False  # a parabola fits four points whatever they are
    weight, y = np.sqrt(n[filled].astype(float)), level[filled]
    x = np.linspace(-1, 1, len(y))
    basis = np.stack([np.ones(len(y)), x, x * x], axis=1) * weight[:, None]
    fit = np.linalg.lstsq(basis, weight * y, rcond=None)[0]
    left = weight * y - basis @ fit
    extreme = y[1:-1].max() if fit[2] < 0 else y[1:-1].min()
    sides = np.sign(-fit[2]) * (extreme - y[[0, -1]])
    if sides.min() < T.BEND_SIDES * sides.max():
        return False
    mean = float(np.sum(weight**2 * y) / np.sum(weight**2))
    total = float(np.sum((weight * (y - mean)) ** 2))
    return total > 0 and 1 - float(left @ left) / total >= T.BEND_SHARE


def bend_finding(
    name: str,
    outcome: str,
    what: str,
    bins: BinEnds,
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
        f"{what} does not rise or fall along {marked(name)} (rank test {p_text(p[0])}) yet runs "
        f"from {write(level[worst])} at {bin_label(bins.left[worst], bins.right[worst])} up to "
        f"{write(level[best])} at {bin_label(bins.left[best], bins.right[best])}: {shape}.",
        "A correlation or a straight line misses this. Use bins, a spline, or the distance from the optimum.",
        {"trend_p": p[0], "bins_p": p[1], "middle": middle, "ends": ends},
    )


def levels_by_class(column: CategoryColumn, outcome: ClassOutcome, units: Units = None) -> LevelsByClass:
    """Cross a category candidate with the classes of the outcome; ``units`` as in `number_by_class`."""
    known, said = outcome.known, outcome.said
    codes, classes = column.codes[known], outcome.codes[known]
    within = None if units is None else units[known]
    tally = Contingency(len(column.levels), len(said.levels))
    tally.add(codes, classes)
    counts, missing = tally.finish()
    event = classes == said.event_code
    over_rows = event_rates(codes, event, len(column.levels))

    def tested() -> tuple[dict[str, Significance], dict[str, Estimate]]:
        if within is None:
            return _table_over_rows(counts, over_rows)
        chi, v = clustered_table(counts, codes, classes, within)
        effects = {"cramers_v": v}
        if len(column.levels) == 2:
            effects |= clustered_two_by_two(over_rows, codes, event, within)
        return {"chi_square": chi}, effects

    rates = Later(lambda: over_rows if within is None else clustered_rates(over_rows, codes, event, within))
    ordered = column.ordered or column.kind == "binary"
    return LevelsByClass(column.name, said, column.levels, ordered, counts, missing, rates, Later(tested))


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
