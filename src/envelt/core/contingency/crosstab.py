"""Cross-tabulation: counts, shares, rates, tests and effects of one or two axes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.axes import AxisLevels, TableAxis
from ..columns.grouping import OneOfGroups
from ..columns.outcome import Outcome
from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..kept import Remade, kept
from ..stats.crossing import Crossing
from ..stats.expected import adjusted_residuals, expected_counts
from ..stats.sampling import Sampling
from ..tallies.counts import count_codes
from .level_rates import OutcomeRates, outcome_rates

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BLOCK = 1 << 17
PAIRED = 100
"""Tables of so many cells are counted two rows at a time."""
TESTS = ("chi_square", "fisher_exact", "trend")
EFFECTS = ("cramers_v", "gamma", "risk_difference", "risk_ratio", "odds_ratio")


@dataclass(frozen=True)
class CrossTable(Remade):
    """One table; each part is made when it is asked for.

    Parameters
    ----------
    down, across
        The axis of the rows, and that of the columns where there is one.
    counts
        Shape (rows, columns); one column where there is one axis.
    of
        The outcome whose rates, or mean, are given at each level of the rows.
    sampling, weight
        What the rows of the data are a sample of, and how many rows each stands for, where rows are cases.
    part
        Groups of the rows, and which of them is tabulated; by default all rows are.
    event
        The place, among the columns, of the level that risks are of.
    seed
        Of tables drawn at random.
    """

    down: TableAxis
    across: TableAxis | None
    counts: Ints
    of: Outcome | None
    sampling: Sampling
    weight: Ints | None
    part: OneOfGroups | None
    event: int
    seed: int

    @property
    def label(self) -> str:
        """Of the part of the rows it is of; empty for all."""
        return "" if self.part is None else self.part.label

    @property
    def rows(self) -> AxisLevels:
        """The levels of the rows."""
        return self.down.axis

    @property
    def columns(self) -> AxisLevels | None:
        """The levels of the columns."""
        return None if self.across is None else self.across.axis

    @kept
    def _crossing(self) -> Crossing | None:
        """The rows crossed; nothing where fewer than two levels of either have rows."""
        if self.across is None or min(self._filled) < 2:
            return None
        rows, columns, sampling = self.down.codes, self.across.codes, self.sampling
        if self.part is not None and sampling.clustered:
            keep = self.part.keep
            rows, columns, sampling = rows[keep], columns[keep], sampling.take(keep)
        return Crossing.of(rows, columns, (self.counts.shape[0], self.counts.shape[1]), sampling, self.counts)

    @property
    def _filled(self) -> tuple[int, int]:
        """How many levels of each axis have rows."""
        return int((self.counts.sum(axis=1) > 0).sum()), int((self.counts.sum(axis=0) > 0).sum())

    @cached_property
    def tests(self) -> dict[str, Significance]:
        """Whether rows and columns are related."""
        tests, table = dict.fromkeys(TESTS, UNDEFINED_TEST), self._crossing
        if table is not None:
            tests["chi_square"] = table.chi_square(draws=True, seed=self.seed)
            if self._in_order:
                tests["trend"] = table.trend()
            if self.counts.shape == (2, 2):
                tests["fisher_exact"] = table.fisher_exact(self.event)
        return tests

    @cached_property
    def effects(self) -> dict[str, Estimate]:
        """How far."""
        effects, table = dict.fromkeys(EFFECTS, UNDEFINED), self._crossing
        if table is not None:
            effects["cramers_v"] = table.cramers_v()
            if self._in_order:
                effects["gamma"] = table.gamma()
            if self.counts.shape == (2, 2):
                effects |= table.two_by_two(self.event)
        return effects

    @property
    def _in_order(self) -> bool:
        """Whether both axes are in order: binary columns are too, the event comes second."""
        assert self.columns is not None
        return self.rows.ordered and self.columns.ordered and max(self._filled) > 2

    @property
    def simulated(self) -> bool:
        """Whether p comes from tables drawn at random, or from the statistic's exact moments."""
        return self._crossing is not None and self._crossing.simulated

    @property
    def expected(self) -> Floats:
        """Counts expected if rows and columns were unrelated."""
        return expected_counts(self.counts)

    @property
    def design_effect(self) -> float:
        """What units inflate chi-square by; 1 over rows."""
        return 1.0 if self._crossing is None else self._crossing.design_effect

    @property
    def rows_a_case(self) -> float:
        """How many rows of a unit come to lie in a cell together; 1 over rows."""
        if self.units is None:
            return 1.0
        return max(float(self.counts.sum() / max(self.units.sum(), 1)), self.design_effect)

    @property
    def residuals(self) -> Floats:
        """Haberman's adjusted residuals, over the root of the design effect."""
        return adjusted_residuals(self.counts, self.design_effect)

    @cached_property
    def outcome(self) -> OutcomeRates | None:
        """The outcome at each level of the rows."""
        return None if self.of is None else outcome_rates(self.down, self.of, self.weight, self.sampling, self.part)

    @cached_property
    def units(self) -> Ints | None:
        """Different units in each cell, where a unit is declared."""
        return _units_in_cells(self.down, self.across, self.sampling, self.part, self.counts.shape)

    def called(self, name: Callable[[str], str]) -> CrossTable:
        """Return the same table with its columns of the data under other names."""
        down, across = (
            None if a is None else replace(a, axis=replace(a.axis, names=tuple(map(name, a.axis.names))))
            for a in (self.down, self.across)
        )
        assert down is not None
        return self.under(down=down, across=across)

    def shares(self, of: str) -> Floats:
        """Return shares by row, by column, or of all; NaN where there is nothing to share."""
        counts = self.counts.astype(np.float64)
        total = {"row": counts.sum(axis=1, keepdims=True), "column": counts.sum(axis=0, keepdims=True)}.get(
            of, counts.sum(keepdims=True)
        )
        return np.asarray(np.divide(counts, total, out=np.full(counts.shape, np.nan), where=total > 0), np.float64)


def checked_counts(values: Floats, name: str) -> Ints:
    """Return the counts of a table that is already counted, as whole numbers.

    Raises
    ------
    OptionError
        One is missing, negative or fractional; the row is named.
    """
    bad = np.isnan(values) | (values < 0) | (values != np.floor(values))
    if bad.any():
        at = int(np.argmax(bad))
        raise OptionError(
            f"{name!r} must count rows: whole numbers from 0 up, but the row in place {at + 1} holds {values[at]:g}."
        )
    return values.astype(np.int64)


def cross_counts(
    rows: TableAxis, columns: TableAxis | None, weight: Ints | None = None, keep: NDArray[np.bool_] | None = None
) -> Ints:
    """Count rows in every combination of levels; rows missing on either side are left out."""
    shape = (rows.size, 1 if columns is None else columns.size)
    size = shape[0] * shape[1]
    present = _present(rows, columns, keep)
    counts = np.zeros(size, np.int64)
    # block by block, so that what is counted stays in the cache
    for start in range(0, len(rows.codes), BLOCK):
        part = slice(start, start + BLOCK)
        cell = rows.codes[part]
        if columns is not None:
            cell = cell * cell.dtype.type(shape[1]) + columns.codes[part]
        if present is not None:
            cell = cell[present[part]]
        if weight is not None:
            counts += count_codes(cell, size, _of(weight[part], present, part))
        elif size <= PAIRED:
            counts += _counted_in_pairs(cell, size)
        else:
            counts += np.bincount(cell, minlength=size)
    return counts.reshape(shape)


def _counted_in_pairs(cell: NDArray[np.integer], size: int) -> Ints:
    """Count codes two at a time: half as many steps, and as many different pairs as the cache holds."""
    half = len(cell) // 2
    pairs = cell[:half] * cell.dtype.type(size) + cell[half : 2 * half]
    both = np.bincount(pairs, minlength=size * size).reshape(size, size)
    last = np.bincount(cell[2 * half :], minlength=size)
    return np.asarray(both.sum(axis=0) + both.sum(axis=1) + last, np.int64)


def _of(weight: Ints, present: NDArray[np.bool_] | None, part: slice) -> Ints:
    return weight if present is None else weight[present[part]]


def _present(rows: TableAxis, columns: TableAxis | None, keep: NDArray[np.bool_] | None) -> NDArray[np.bool_] | None:
    """Return which rows are counted; nothing where all are."""
    masks = [axis.codes >= 0 for axis in (rows, columns) if axis is not None and axis.axis.missing]
    masks += [keep] if keep is not None else []
    return np.logical_and.reduce(masks) if masks else None


def cross_tabulate(
    rows: TableAxis,
    columns: TableAxis | None,
    outcome: Outcome | None = None,
    *,
    sampling: Sampling,
    weight: Ints | None = None,
    part: OneOfGroups | None = None,
    event: int | None = None,
    seed: int = 0,
) -> CrossTable:
    """Tabulate rows by columns.

    Parameters
    ----------
    outcome
        Whose rates, or mean, are given at each level of the rows.
    sampling
        What the rows are a sample of: cases each, or units.
    weight
        How many rows each row of the table stands for, where rows are cases.
    part
        Groups of the rows, and which of them is tabulated.
    event
        The place of the column whose risk is spoken of; by default the second of two.
    """
    counts = cross_counts(rows, columns, weight, None if part is None else part.keep)
    place = 1 if event is None else event
    return CrossTable(rows, columns, counts, outcome, sampling, weight, part, place, seed)


def _units_in_cells(
    rows: TableAxis,
    columns: TableAxis | None,
    sampling: Sampling,
    part: OneOfGroups | None,
    shape: tuple[int, ...],
) -> Ints | None:
    """Count the different units in every cell; nothing where rows are cases."""
    if sampling.units is None:
        return None
    size = shape[0] * shape[1]
    cell = rows.codes if columns is None else rows.codes * shape[1] + columns.codes
    inside = rows.codes >= 0 if columns is None else (rows.codes >= 0) & (columns.codes >= 0)
    inside = inside if part is None else inside & part.keep
    pairs = np.unique(sampling.units[inside] * size + cell[inside])
    return np.bincount(pairs % size, minlength=size).astype(np.int64).reshape(shape)


def row_order(table: CrossTable, order: str) -> NDArray[np.intp]:
    """Return the rows in the order asked for: by count or rate, the largest first, "other" last; or as they are."""
    n = table.counts.sum(axis=1)
    key = -n.astype(float)
    if order == "rate" and table.outcome is not None:
        key = -np.nan_to_num(table.outcome.shrunken, nan=-np.inf)
    elif order == "rate" and table.columns is not None:
        key = -np.nan_to_num(table.shares("row")[:, -1], nan=-np.inf)
    if order == "level":
        key = np.zeros(len(n))
    last = np.zeros(len(n), bool)
    last[-1] = table.rows.other
    return np.lexsort((key, last))
