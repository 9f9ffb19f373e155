"""A column as relations take it: numbers, levels, or both, and whether its direction means something."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..columns.outcome import ClassOutcome, Outcome
from ..columns.table import CategoryColumn, Column, TimeColumn
from ..columns.yes_no import rises

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Side:
    """One column of a pair.

    Parameters
    ----------
    name, kind
        The column's, as the inventory has them.
    what
        "number" (a number, or days), "ranks" (ordered levels), "two" (two levels) or "levels".
    numbers
        Values, or the place among ordered or two levels, NaN where missing, shape (n,); nothing for "levels".
    codes, size
        The level of each row, ``-1`` where missing, and how many there are; nothing for "number".
    signed
        Whether up and down mean something.
    dates
        Whether numbers are days, to be written as dates.
    """

    name: str
    kind: str
    what: str
    numbers: Floats | None
    codes: Codes | None
    size: int
    signed: bool
    labels: tuple[str, ...] = ()
    dates: bool = False

    @property
    def missing(self) -> int:
        """Rows without a value."""
        absent = self.codes < 0 if self.codes is not None else np.isnan(self.numbers)  # type: ignore[arg-type]
        return int(np.count_nonzero(absent))

    @property
    def constant(self) -> bool:
        """Whether there are fewer than two different values."""
        if self.codes is not None:
            return len(np.unique(self.codes[self.codes >= 0])) < 2
        assert self.numbers is not None
        with np.errstate(invalid="ignore"):
            return not np.nanmin(self.numbers, initial=np.inf) < np.nanmax(self.numbers, initial=-np.inf)


def side_of(column: Column, outcome: Outcome | None = None) -> Side:
    """Return a column as relations take it: of the outcome, if it has two levels, the event is the second."""
    event = outcome.event if isinstance(outcome, ClassOutcome) and outcome.name == column.name else ""
    if not isinstance(column, CategoryColumn):
        numbers = column.days if isinstance(column, TimeColumn) else column.numbers
        days = isinstance(column, TimeColumn)
        return Side(column.name, column.kind, "number", numbers, None, 0, True, dates=days)
    codes, levels = column.codes.astype(np.int64), column.levels
    two = column.distinct == 2
    if two and not column.ordered and len(levels) == 2 and levels[0] == event:
        codes, levels = np.where(codes < 0, codes, 1 - codes), levels[::-1]
    if column.ordered or two:
        numbers = np.where(codes < 0, np.nan, codes.astype(float))
        there = [levels[k] for k in np.unique(codes[codes >= 0])] if two else []
        signed = column.ordered or there[1] == event or rises(there[0], there[1])
        what = "two" if two else "ranks"
        return Side(column.name, column.kind, what, numbers, codes, len(levels), signed, levels)
    return Side(column.name, column.kind, "levels", None, codes, len(levels), False, levels)


def numbers_of(side: Side) -> Floats:
    """Return the numbers of a side that has some."""
    assert side.numbers is not None
    return side.numbers
