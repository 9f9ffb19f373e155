"""One candidate against an outcome of classes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping, crossed
from ..columns.outcome import Classes, ClassOutcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..columns.times import counts_on, is_time
from ..contingency.findings import small_expected, small_levels
from ..distribution.distribution import NumberDistribution, checked
from ..distribution.look import Look
from ..estimate import Estimate, Significance
from ..finding import Finding, by_weight
from ..kept import Remade
from ..stats.crossing import Crossing
from ..stats.cut import Cut, best_cut
from ..stats.groups import GroupedRows, OfGroups
from ..stats.rates import BinEnds, Rates, calendar_rate_bins, event_rates, rate_bins, rates_of
from ..stats.sampling import Sampling
from ..stats.straight import not_straight
from ..tallies.crossed import Contingency
from .none_there import none_at, none_beyond
from .shape import Along, as_rate, bend_finding, is_one_bend, shape_findings

Floats = NDArray[np.float64]


class RatesAlong(NamedTuple):
    """Bins of a number, the event's rate in each, and the test that it is the same in all."""

    ends: BinEnds
    rates: Rates
    differs: Significance


@dataclass(frozen=True)
class NumberByClass(OfGroups):
    """A numeric candidate in the classes of the outcome; each part is made when it is asked for.

    Parameters
    ----------
    rows
        The candidate in groups, one a class, of the rows with an outcome.
    distribution
        The candidate's distribution by class, and by the levels of another column where one was named.
    """

    name: str
    outcome: Classes
    rows: GroupedRows
    distribution: NumberDistribution
    seed: int = 0

    @property
    def missing(self) -> int:
        """Rows with an outcome and no value."""
        return int(self.rows.missing.sum())

    @property
    def _event(self) -> NDArray[np.bool_]:
        return np.asarray(self.rows.codes == self.outcome.event_code)

    @cached_property
    def along(self) -> RatesAlong:
        """The event's rate in quantile bins of the candidate; in units of the calendar for a date."""
        d = self.distribution
        return rates_along(
            self.rows.values, self._event, self.rows.sampling, d.look.calendar if d.dates else None, d.dates
        )

    @property
    def bins(self) -> BinEnds:
        """Quantile bins of the candidate; units of the calendar for a date."""
        return self.along.ends

    @property
    def rates(self) -> Rates:
        """The event's rate in each bin."""
        return self.along.rates

    @cached_property
    def cut(self) -> Cut | None:
        """The cut that separates event from rest best; only of two classes."""
        if len(self.outcome.levels) != 2 or self.distribution.dates:
            return None
        return best_cut(self.rows.values, self._event, self.rows.sampling, self.seed)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        shape: list[Finding] = []
        if not self.distribution.dates:
            shape = shape_of_rates(self.name, self.outcome, self.rows, self._event, self.along)
        return by_weight([*shape, *self.distribution.findings])


@dataclass(frozen=True)
class LevelsByClass(Remade):
    """A category candidate against the classes; each part is made when it is asked for.

    Parameters
    ----------
    levels, ordered
        Of the candidate, and whether their order means something.
    crossing
        The levels by the classes, of the rows with an outcome.
    missing
        Rows with an outcome and no level.
    shown
        The levels that are shown, in their order; all where nobody chose.
    """

    name: str
    outcome: Classes
    levels: tuple[str, ...]
    ordered: bool
    crossing: Crossing
    missing: int
    seed: int = 0
    shown: tuple[int, ...] | None = None

    @property
    def counts(self) -> NDArray[np.int64]:
        """Rows, shape (levels, classes)."""
        return self.crossing.counts

    @cached_property
    def rates(self) -> Rates:
        """The event's rate at each level."""
        of, event = self.crossing, self.outcome.event_code
        return rates_of(of.counts.sum(axis=1), of.counts[:, event], of.rows, of.columns == event, of.sampling)

    @cached_property
    def tests(self) -> dict[str, Significance]:
        """Whether the classes differ between levels."""
        tests = {"chi_square": self.crossing.chi_square(True, self.seed)}  # as in a cross-tabulation
        if self.counts.shape == (2, 2) and not self.crossing.sampling.clustered:
            tests["fisher_exact"] = self.crossing.fisher_exact(self.outcome.event_code)
        return tests

    @cached_property
    def effects(self) -> dict[str, Estimate]:
        """How far the classes differ between levels."""
        effects = {"cramers_v": self.crossing.cramers_v()}
        if len(self.levels) == 2:
            effects |= self.crossing.two_by_two(self.outcome.event_code)
        return effects

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        small = small_expected((self.name, self.outcome.name), self.counts, False)
        none = none_at(self.name, self.outcome, self.levels, self.crossing)
        return by_weight([*none, *small, *small_levels(self.levels, self.name, self.outcome.name, self.rates)])


def number_by_class(
    candidate: Column,
    outcome: ClassOutcome,
    look: Look,
    rows: pd.Index[Any],
    sampling: Sampling,
    by: Grouping | None = None,
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
    sampling
        Of these rows.
    by
        Groups of rows, to divide the distributions by further.
    limits
        What a person declared values can be.
    cases
        The column that says which case a row is.
    """
    known, dates = outcome.known, isinstance(candidate, TimeColumn)
    numbers = candidate.numbers
    assert numbers is not None
    if known.all():
        values, codes = numbers, outcome.codes
    else:
        values, codes = numbers[known], outcome.codes[known]
        rows, sampling = rows[known], sampling.take(known)
        cases = None if cases is None else cases.take(np.flatnonzero(known))
    name, said = candidate.name, outcome.said
    in_classes = GroupedRows(values, codes, said.levels, sampling)
    groups, divided = Grouping.of((said.name,), said.levels, codes, True), in_classes
    if by is not None:
        groups = crossed(by.take(known), groups)
        divided = GroupedRows(values, groups.codes, groups.labels, sampling)
    made = NumberDistribution((name,), name, divided, groups.groups, look, rows, cases, dates, limits, shaped=False)
    return NumberByClass(name, said, in_classes, checked(made), seed)


def rates_along(
    values: Floats, event: NDArray[np.bool_], sampling: Sampling, calendar: str | None = None, dates: bool = False
) -> RatesAlong:
    """Return the bins of a number, or of dates, the event's rate in each, and whether it differs between them."""
    bins = calendar_rate_bins(values, unit=calendar) if dates else rate_bins(values)
    size = len(bins.ends)
    table = Crossing.of(bins.codes, event.astype(np.int8), (size, 2), sampling)
    rates = event_rates(bins.codes, event, size, sampling)
    return RatesAlong(bins.ends, rates, table.chi_square())


def shape_of_rates(
    name: str, outcome: Classes, rows: GroupedRows, event: NDArray[np.bool_], along: RatesAlong
) -> list[Finding]:
    """Say that the event's rate bends without a trend, jumps once, or goes along a curve that a line misses.

    Of times nothing is said but a bend: what changes over them drifts.

    Parameters
    ----------
    rows, event
        The candidate in the classes, and which rows have the event.
    along
        The rate in bins.
    """
    values, sampling = rows.values, rows.sampling
    there = ~np.isnan(values)
    if not along.differs.p < T.BEND_P or counts_on(name, values):
        return []
    bins, rates = along.ends, along.rates
    trend = rows.tests["mann_whitney"].p if len(outcome.levels) == 2 else 0.0
    what = f"The rate of {outcome.event!r}"
    if len(bins) >= 4 and trend > T.NO_TREND_P and is_one_bend(rates.n, rates.rate):
        return [bend_finding(name, outcome.name, what, bins, rates.rate, as_rate, (trend, along.differs.p))]
    if is_time(name, values[there]):
        return []
    none = none_beyond(name, outcome, values, event, sampling)
    if none:
        return none
    share = float(event[there].mean()) if there.any() else 0.0
    return shape_findings(
        Along(
            name, outcome.name, what, bins, rates.n, rates.rate, share * (1 - share), T.LEAST_POINTS, as_rate,
            lambda: not_straight(values[there], event[there].astype(float), sampling.take(there)).p,
        )
    )  # fmt: skip


def levels_by_class(column: CategoryColumn, outcome: ClassOutcome, sampling: Sampling, seed: int = 0) -> LevelsByClass:
    """Cross a category candidate with the classes of the outcome; options as in `number_by_class`."""
    known, said = outcome.known, outcome.said
    codes, classes, sampling = column.codes[known], outcome.codes[known], sampling.take(known)
    tally = Contingency(len(column.levels), len(said.levels))
    tally.add(codes, classes)
    counts, missing = tally.finish()
    table = Crossing.of(codes, classes, (counts.shape[0], counts.shape[1]), sampling, counts)
    ordered = column.ordered or column.kind == "binary"
    return LevelsByClass(column.name, said, column.levels, ordered, table, missing, seed)
