"""Time cut into spans that follow each other: units of the calendar, years of a number, grades in their order."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..columns.labels import number_label
from ..columns.names import hints
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..shapes.bins import Bins
from ..shapes.calendar import MONTHS, UNITS, calendar_bins, fitting_unit, months_since_1970, unit_labels

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

MOST_STEPS = 400
"""Whole numbers that one may count by: years, not amounts."""
FEW_POINTS = 4
"""Spans of which longer ones would leave no line."""
POINTS = 60
"""Spans that a line has at most where nobody says the unit."""


@dataclass(frozen=True)
class Spans:
    """Spans without a gap between them, from the first to the last that has a row.

    Parameters
    ----------
    unit
        A unit of the calendar; "step" of numbers, "level" of grades.
    starts
        The ends between them, shape (spans + 1,): days since 1970, numbers, or places.
    labels
        What each is called.
    codes
        The span of each row, shape (n,), ``-1`` where the time is missing.
    at
        When each row is, shape (n,), as ``starts`` has it.
    """

    unit: str
    starts: Floats
    labels: tuple[str, ...]
    codes: Codes
    at: Floats

    def __len__(self) -> int:
        return len(self.labels)

    @property
    def is_calendar(self) -> bool:
        """Whether the spans are days."""
        return self.unit not in ("step", "level")


def spans_of(column: Column, unit: str | None, least: int = 0) -> Spans:
    """Cut a column into spans of time.

    Parameters
    ----------
    column
        A date; a number that is whole, such as a year; or levels in an order.
    unit
        Of the calendar, for a date; by default the smallest of which sixty or fewer span it, and half of those that
        have rows have ``least`` or more.

    Raises
    ------
    OptionError
        The column is no time, or the unit is not for it.
    """
    if isinstance(column, TimeColumn):
        days = column.days
        present = np.sort(days[~np.isnan(days)])
        bins, unit = calendar_bins(present, unit or _telling_unit(present, least))
        codes = np.where(np.isnan(days), -1, np.searchsorted(bins.edges, days, "right") - 1)
        return Spans(unit, bins.edges, spoken(bins.edges, unit), codes.astype(np.int64), days)
    if unit is not None:
        raise OptionError(f"{column.name!r} is {column.kind}, no date: leave calendar out.")
    if isinstance(column, CategoryColumn):
        return _levels(column)
    return _steps(column)


def _telling_unit(present: Floats, least: int) -> str:
    """Return the unit of the calendar in which a line can be read.

    Neither too many spans, nor too few rows in most of those that have any; where no unit has rows enough, the one in
    which half the spans have a row, since a line breaks where there is none. Where none are needed, as in counts, the
    first.
    """
    first = fitting_unit(float(present[0]), float(present[-1]), POINTS)
    unbroken = "" if least else first
    for unit in UNITS[UNITS.index(first) :]:
        n = calendar_bins(present, unit)[0].count(present)
        if unbroken and len(n) < FEW_POINTS:
            break
        there = np.count_nonzero(n)
        unbroken = unbroken or (unit if 2 * there >= len(n) else "")
        if unbroken and 2 * np.count_nonzero(n >= least) >= there:
            return unit
    return unbroken or first


def spoken(edges: Floats, unit: str) -> tuple[str, ...]:
    """Name spans of the calendar as people do: "Jan 2013", "Q1 2013", "2013", "2013-01-07"."""
    if unit not in ("month", "quarter"):
        return unit_labels(Bins(edges), unit)
    months = months_since_1970(edges[:-1].astype(np.int64))
    years = 1970 + months // 12
    if unit == "month":
        return tuple(f"{MONTHS[m % 12][:3]} {y}" for m, y in zip(months.tolist(), years.tolist(), strict=True))
    return tuple(f"Q{m % 12 // 3 + 1} {y}" for m, y in zip(months.tolist(), years.tolist(), strict=True))


def _levels(column: CategoryColumn) -> Spans:
    if not column.ordered:
        derived = option("derive", "date(year, month)")
        raise OptionError(
            f"{column.name!r} is {column.kind}, and its levels have no order in time. Name a date, a whole number such "
            f"as a year, or declare it ordinal; of columns year and month derive one: {derived}."
        )
    there = np.unique(column.codes[column.codes >= 0])
    first, last = int(there[0]), int(there[-1])
    codes = np.where(column.codes < 0, -1, column.codes - first).astype(np.int64)
    starts = np.arange(last - first + 2, dtype=np.float64)
    return Spans("level", starts, column.levels[first : last + 1], codes, codes.astype(np.float64))


def _steps(column: Column) -> Spans:
    values = column.numbers
    assert values is not None
    there = values[~np.isnan(values)]
    low, high = float(there.min()), float(there.max())
    if (there != np.floor(there)).any() or (high - low > MOST_STEPS and not hints(column.name, "years")):
        raise OptionError(
            f"{column.name!r} is {column.kind}, from {number_label(low)} to {number_label(high)}, and no time. Name a "
            "date, or a whole number that counts time, such as a year."
        )
    width = _width(high - low)
    low = np.floor(low / width) * width
    starts = low + width * np.arange(int((high - low) // width) + 2)
    codes = np.where(np.isnan(values), -1, (values - low) // width).astype(np.int64)
    named = [number_label(v) if width == 1 else f"{number_label(v)} to {number_label(v + width - 1)}" for v in starts]
    return Spans("step", starts, tuple(named[:-1]), codes, values)


def _width(reach: float) -> float:
    """Return how many whole numbers a span holds: one, or a round number of them where they reach far."""
    if reach <= MOST_STEPS:
        return 1.0
    return next(m * 10.0**k for k in range(1, 300) for m in (1, 2, 5) if reach / (m * 10.0**k) <= POINTS)
