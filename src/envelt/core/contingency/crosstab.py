"""Cross-tabulation: counts, shares, rates, tests and effects of one or two axes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.axes import AxisLevels, TableAxis
from ..columns.outcome import ClassOutcome, NumericOutcome, Outcome
from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ..later import Later
from ..stats import tables as ct
from ..stats.clustered import product_design_effect, unit_codes
from ..stats.clustered_groups import clustered_rates, clustered_summary, clustered_table, clustered_two_by_two
from ..stats.groups import summarise_groups
from ..stats.ordinal import goodman_kruskal_gamma, trend_test
from ..stats.proportions import odds_ratio, risk_difference, risk_ratio, wilson
from ..stats.rates import Rates
from ..stats.shrinkage import shrunken_levels
from ..tallies.counts import count_codes

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Units = NDArray[np.int64] | None

SIMULATED_CELLS = 2_500
"""Tables of more cells get p from the statistic's exact mean and variance instead of drawn tables."""
BLOCK = 1 << 17
PAIRED = 100
"""Tables of so many cells are counted two rows at a time."""
SHARES = ("row", "column", "all")
TESTS = ("chi_square", "fisher_exact", "trend")
EFFECTS = ("cramers_v", "gamma", "risk_difference", "risk_ratio", "odds_ratio")


@dataclass(frozen=True)
class OutcomeRates:
    """The outcome at each level of the rows.

    Parameters
    ----------
    n
        Rows with an outcome.
    rates
        Of the event, for two classes; ``shrunken`` is drawn towards all rows as far as n asks for.
    class_shares
        For more classes: shape (levels, classes).
    mean, low, high
        For a numeric outcome.
    """

    n: Ints
    shrunken: Floats
    rates: Rates | None = None
    class_shares: Floats | None = None
    mean: tuple[Floats, Floats, Floats] | None = None


@dataclass(frozen=True)
class CrossTable:
    """One table.

    Parameters
    ----------
    label
        Of the part of the rows it is of; empty for all.
    counts
        Shape (rows, columns); one column where there is one axis.
    event
        The place, among the columns, of the level that risks are of.
    """

    label: str
    rows: AxisLevels
    columns: AxisLevels | None
    counts: Ints
    event: int
    _compared: Later[tuple[dict[str, Significance], dict[str, Estimate], bool]]
    _outcome: Later[OutcomeRates | None]
    _units: Later[Ints | None]

    @property
    def tests(self) -> dict[str, Significance]:
        """Whether rows and columns are related."""
        return self._compared()[0]

    @property
    def effects(self) -> dict[str, Estimate]:
        """How far."""
        return self._compared()[1]

    @property
    def simulated(self) -> bool:
        """Whether p comes from tables drawn at random, or from the statistic's exact moments."""
        return self._compared()[2]

    @property
    def outcome(self) -> OutcomeRates | None:
        """The outcome at each level of the rows."""
        return self._outcome()

    @property
    def units(self) -> Ints | None:
        """Different units in each cell, where a unit is declared."""
        return self._units()

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
    weight: Ints | None = None,
    units: Units = None,
    keep: NDArray[np.bool_] | None = None,
    label: str = "",
    event: int | None = None,
    seed: int = 0,
) -> CrossTable:
    """Tabulate rows by columns.

    Parameters
    ----------
    outcome
        Whose rates, or mean, are given at each level of the rows.
    weight
        How many rows each row of the table stands for.
    units
        The unit of each row; intervals and tests then count units.
    keep
        The rows of the part to tabulate.
    event
        The place of the column whose risk is spoken of; by default the second of two.
    """
    counts = cross_counts(rows, columns, weight, keep)
    place = 1 if event is None else event
    return CrossTable(
        label,
        rows.axis,
        None if columns is None else columns.axis,
        counts,
        place,
        Later(lambda: _compared(rows, columns, counts, keep, units, place, seed)),
        Later(lambda: None if outcome is None else _outcome_rates(rows, outcome, weight, units, keep)),
        Later(lambda: None if units is None else _units_in_cells(rows, columns, units, keep, counts.shape)),
    )


def _compared(
    rows: TableAxis,
    columns: TableAxis | None,
    counts: Ints,
    keep: NDArray[np.bool_] | None,
    units: Units,
    event: int,
    seed: int,
) -> tuple[dict[str, Significance], dict[str, Estimate], bool]:
    tests = dict.fromkeys(TESTS, UNDEFINED_TEST)
    effects = dict.fromkeys(EFFECTS, UNDEFINED)
    filled = ct.without_empty(counts)
    if columns is None or min(filled.shape, default=0) < 2:
        return tests, effects, False
    inside = np.ones(0, bool)
    if units is not None:
        present = _present(rows, columns, keep)
        inside = np.ones(len(units), bool) if present is None else present
        units = units[inside]
    simulated = units is None and ct.expected_are_small(counts)
    if units is not None:
        tests["chi_square"], effects["cramers_v"] = clustered_table(
            counts, rows.codes[inside], columns.codes[inside], units
        )
    else:
        effects["cramers_v"] = ct.cramers_v(counts)
        if not simulated:
            tests["chi_square"] = ct.chi_square(counts)
        elif filled.size <= SIMULATED_CELLS:
            tests["chi_square"] = ct.chi_square_simulated(counts, seed=seed)
        else:
            tests["chi_square"] = ct.chi_square_sparse(counts)
    # binary columns are in order too: the event comes second
    if rows.axis.ordered and columns.axis.ordered and (len(filled) > 2 or filled.shape[1] > 2):
        effects["gamma"], tests["trend"] = (
            (goodman_kruskal_gamma(counts), trend_test(counts))
            if units is None
            else _in_order_of_units(counts, rows.codes[inside], columns.codes[inside], units)
        )
    if counts.shape == (2, 2):
        n, x = counts.sum(axis=1), counts[:, event]
        if units is None:
            tests["fisher_exact"] = ct.fisher_exact(np.stack([n - x, x], axis=1))
            args = (float(x[0]), float(n[0]), float(x[1]), float(n[1]))
            effects["risk_difference"], effects["risk_ratio"] = risk_difference(*args), risk_ratio(*args)
            effects["odds_ratio"] = odds_ratio(*args)
        else:
            hit = columns.codes[inside] == event
            rates = Rates(n, x, *wilson(x, n))
            effects |= clustered_two_by_two(rates, rows.codes[inside], hit, units)
    return tests, effects, simulated


def _in_order_of_units(
    counts: Ints, rows: NDArray[np.integer], columns: NDArray[np.integer], units: NDArray[np.int64]
) -> tuple[Estimate, Significance]:
    """Return gamma, and the test for a trend, that count units."""
    keep = (rows >= 0) & (columns >= 0)
    a, b, unit = rows[keep].astype(np.int64), columns[keep].astype(np.int64), unit_codes(units[keep])
    inflation = product_design_effect(unit, a.astype(float), b.astype(float))
    return goodman_kruskal_gamma(counts, a * counts.shape[1] + b, unit), trend_test(counts, inflation)


def _units_in_cells(
    rows: TableAxis,
    columns: TableAxis | None,
    units: NDArray[np.int64],
    keep: NDArray[np.bool_] | None,
    shape: tuple[int, ...],
) -> Ints:
    """Count the different units in every cell."""
    size = shape[0] * shape[1]
    cell = rows.codes if columns is None else rows.codes * shape[1] + columns.codes
    inside = rows.codes >= 0 if columns is None else (rows.codes >= 0) & (columns.codes >= 0)
    inside = inside if keep is None else inside & keep
    pairs = np.unique(units[inside] * size + cell[inside])
    return np.bincount(pairs % size, minlength=size).astype(np.int64).reshape(shape)


def _outcome_rates(
    rows: TableAxis, outcome: Outcome, weight: Ints | None, units: Units, keep: NDArray[np.bool_] | None
) -> OutcomeRates:
    inside = outcome.known & (rows.codes >= 0)
    inside = inside if keep is None else inside & keep
    codes, size = rows.codes[inside].astype(np.int64), rows.size
    w = None if weight is None else weight[inside]
    if isinstance(outcome, ClassOutcome):
        return _class_rates(codes, outcome, outcome.codes[inside], size, w, None if units is None else units[inside])
    assert isinstance(outcome, NumericOutcome)
    values = outcome.values[inside]
    if w is not None:
        values, codes = np.repeat(values, w), np.repeat(codes, w)
    summary = summarise_groups(values, codes, rows.axis.labels)
    if units is not None:
        summary = clustered_summary(summary, values, codes, units[inside])
    m = summary.moments
    base = float(values.mean()) if len(values) else np.nan
    shrunken = shrunken_levels(m.n, m.mean, base, m.within_sd)
    return OutcomeRates(m.n, shrunken, mean=(m.mean, *summary.mean_interval))


def _class_rates(
    codes: Ints, outcome: ClassOutcome, classes: NDArray[np.integer], size: int, weight: Ints | None, units: Units
) -> OutcomeRates:
    k = len(outcome.levels)
    cell = codes * k + classes
    if weight is None:
        table = np.bincount(cell, minlength=size * k).reshape(size, k)
    else:
        table = (
            np.rint(np.bincount(cell, weights=weight.astype(float), minlength=size * k))
            .astype(np.int64)
            .reshape(size, k)
        )
    n, events = table.sum(axis=1), table[:, outcome.event_code]
    rates = Rates(n, events, *wilson(events, n))
    if units is not None:
        rates = clustered_rates(rates, codes, classes == outcome.event_code, units)
    base = float(events.sum()) / max(int(n.sum()), 1)
    shrunken = shrunken_levels(n, rates.rate, base, np.sqrt(base * (1 - base)))
    if k == 2:
        return OutcomeRates(n, shrunken, rates=rates)
    shares = np.divide(table, n[:, None], out=np.full(table.shape, np.nan), where=n[:, None] > 0)
    return OutcomeRates(n, shrunken, rates=rates, class_shares=shares)


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
