"""A mean, a rate, a sum or a count along time, for all rows or a line a group."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..estimate import Estimate
from ..kept import Remade
from ..shapes.calendar import months_since_1970
from ..stats.correlation import spearman
from ..stats.groups import GroupedRows
from ..stats.rates import event_rates
from ..stats.sampling import Sampling
from .spans import Spans

Floats = NDArray[np.float64]
Counts = NDArray[np.int64]


@dataclass(frozen=True)
class InSpans:
    """What was measured in each group and span; every array of shape (groups, spans).

    Parameters
    ----------
    n
        Rows that it is of.
    value
        NaN in a span without rows; a count is 0 there.
    low, high
        The 95 % interval; NaN of sums and counts, which are of the rows that are there and of no others.
    """

    n: Counts
    value: Floats
    low: Floats
    high: Floats


class Rising(NamedTuple):
    """Spearman's correlation of what is measured with its span: rows, the coefficient with its interval, p."""

    n: int
    rho: Estimate
    p: float


@dataclass(frozen=True)
class SeriesAnswers(Remade):
    """A series, when it is asked for.

    Parameters
    ----------
    time
        The name of the column of time.
    spans
        Of the rows.
    value
        What is measured, of the same rows; nothing where rows are counted.
    measure
        "mean", "rate", "sum" or "count".
    by
        The groups of the rows, one line each.
    sampling
        Of the rows.
    """

    time: str
    spans: Spans
    value: Outcome | None
    measure: str
    by: Grouping
    sampling: Sampling

    @cached_property
    def along(self) -> InSpans:
        """The series."""
        return measured_along(self.spans, self.value, self.measure, self.by, self.sampling)

    @cached_property
    def trend(self) -> Rising | None:
        """Whether what is measured rises along the spans, by ranks of rows; nothing of sums and counts."""
        value = self.value
        if value is None or self.measure not in ("mean", "rate"):
            return None
        y = value.is_event.astype(np.float64) if isinstance(value, ClassOutcome) else value.values
        there = (self.spans.codes >= 0) & (self.by.codes >= 0) & value.known
        seen, test = spearman(self.spans.at[there], y[there], self.sampling.take(there))
        return Rising(int(there.sum()), seen, test.p)

    @cached_property
    def outside(self) -> int:
        """Rows without a time."""
        return int(np.count_nonzero(self.spans.codes < 0))

    @cached_property
    def years(self) -> tuple[Counts, Floats]:
        """Years, and the first group's value in each of their months, shape (years, 12); of spans of months."""
        months = months_since_1970(self.spans.starts[:-1].astype(np.int64))
        first, last = months[0] // 12, months[-1] // 12
        grid = np.full((int(last - first) + 1, 12), np.nan)
        grid[months // 12 - first, months % 12] = self.along.value[0]
        return np.arange(first, last + 1) + 1970, grid


def measured_along(spans: Spans, value: Outcome | None, measure: str, by: Grouping, sampling: Sampling) -> InSpans:
    """Measure in each group and span; options as in `SeriesAnswers`.

    Means have Student's interval, rates Wilson's, both by units where there are any.
    """
    k, size = len(spans), len(by) * len(spans)
    cell = np.where((spans.codes < 0) | (by.codes < 0), -1, by.codes * k + spans.codes)
    shape, nothing = (len(by), k), np.full((len(by), k), np.nan)
    if measure == "count" or value is None:
        n = np.bincount(cell[cell >= 0], minlength=size).reshape(shape)
        return InSpans(n, n.astype(np.float64), nothing, nothing)
    if isinstance(value, ClassOutcome):
        cell = np.where(value.known, cell, -1)
        rates = event_rates(cell, value.is_event, size, sampling)
        rate = np.where(rates.n > 0, rates.rate, np.nan)
        low, high = (np.where(rates.n > 0, e, np.nan).reshape(shape) for e in (rates.low, rates.high))
        return InSpans(rates.n.reshape(shape), rate.reshape(shape), low, high)
    assert isinstance(value, NumericOutcome)
    if measure == "sum":
        there = (cell >= 0) & value.known
        n = np.bincount(cell[there], minlength=size)
        total = np.bincount(cell[there], weights=value.values[there], minlength=size)
        return InSpans(n.reshape(shape), np.where(n > 0, total, np.nan).reshape(shape), nothing, nothing)
    summary = GroupedRows(value.values, cell, tuple(map(str, range(size))), sampling).summary
    low, high = summary.mean_interval
    return InSpans(
        summary.moments.n.reshape(shape), summary.moments.mean.reshape(shape), low.reshape(shape), high.reshape(shape)
    )
