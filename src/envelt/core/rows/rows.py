"""Which rows were asked for, in which order, and where they lie in each column among all rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import OptionError
from ..columns.table import CategoryColumn, Column, Table, largest_apart
from ..kept import Remade
from ..shapes.bins import readable_bins
from ..words import listed

Places = NDArray[np.intp]
Ints = NDArray[np.int64]
BINS = 25
LEVELS_BESIDE = 8
"""Levels of a category that are shown one by one."""


@dataclass(frozen=True)
class Beside:
    """The rows asked for beside all rows, in one column.

    Parameters
    ----------
    name
        The column's.
    edges
        Of the bins of a number or a date, shape (bins + 1,); none of a category.
    levels
        Of a category.
    among, of_all
        Rows asked for, and all rows, in each bin or at each level.
    dates
        Whether the edges are days since 1970.
    """

    name: str
    edges: NDArray[np.float64]
    levels: tuple[str, ...]
    among: Ints
    of_all: Ints
    dates: bool = False


@dataclass(frozen=True)
class RowsAnswers(Remade):
    """The rows asked for.

    Parameters
    ----------
    table
        All rows.
    at
        The positions of those asked for, in the order asked for.
    first
        The columns to be looked at first.
    most
        How many rows to show.
    """

    table: Table
    at: Places
    first: tuple[str, ...]
    most: int

    @cached_property
    def frame(self) -> pd.DataFrame:
        """The first of the rows, the columns to be looked at first before the others."""
        others = (n for n in self.table.columns if n not in self.first)
        columns = {n: self.table[n].take(self.at[: self.most]).to_pandas() for n in (*self.first, *others)}
        return pd.DataFrame(columns, index=self.table.rows[self.at[: self.most]].rename("row")).rename_axis(
            columns="column"
        )

    @cached_property
    def beside(self) -> tuple[Beside, ...]:
        """The rows asked for beside all, in each of the columns to be looked at first."""
        found = (beside_all(self.table[n], self.at) for n in self.first)
        return tuple(b for b in found if b is not None)


def in_order(table: Table, at: Places, sort: Sequence[str]) -> Places:
    """Return positions of rows in an order.

    Parameters
    ----------
    sort
        Columns, the first one first; ``-weight_kg`` is from the largest down. A missing value comes last.

    Raises
    ------
    UnknownColumnError
    """
    for name in reversed(sort):
        column, down = sorted_by(table, name)
        key = _key(table[column], at)
        missing = np.isnan(key)
        order = np.argsort(np.where(missing, np.inf, -key if down else key), kind="stable")
        at = at[order]
    return at


def sorted_by(table: Table, name: str) -> tuple[str, bool]:
    """Return the column that an order names, and whether it is from the largest down."""
    if name not in table.columns and name.startswith("-"):
        return name[1:], True
    return name, False


def _key(column: Column, at: Places) -> NDArray[np.float64]:
    if isinstance(column, CategoryColumn):
        read = column.as_written
        keys = read if read is not None else np.where(column.missing, np.nan, column.codes.astype(np.float64))
        return keys[at]
    numbers = column.numbers
    assert numbers is not None
    return numbers[at]


def labelled_rows(table: Table, labels: Sequence[object]) -> Places:
    """Return the positions of rows by their labels, in that order.

    Raises
    ------
    OptionError
        There is no such row among those that are kept.
    """
    known = pd.Index(table.rows.astype(str))
    wanted = [str(v) for v in labels]
    there = set(known)
    lost = [w for w in wanted if w not in there]
    if lost:
        raise OptionError(
            f"There is no row {listed(lost)} among the {len(table):,} rows: rows are named as the tables show them, "
            f"from {known[0]} to {known[-1]}."
        )
    return np.concatenate([np.flatnonzero(known == w) for w in dict.fromkeys(wanted)]).astype(np.intp)


def beside_all(column: Column, at: Places) -> Beside | None:
    """Return where some rows lie among all in a column; nothing where it has no value, or too many levels."""
    if isinstance(column, CategoryColumn):
        if column.empty or column.kind in ("identifier", "text"):
            return None
        codes, levels = column.codes, column.levels
        if len(levels) > LEVELS_BESIDE + 1:
            kept, codes, joined = largest_apart(codes, len(levels), LEVELS_BESIDE)
            levels = (*(levels[k] for k in kept), joined)
        of_all, among = (np.bincount(c[c >= 0], minlength=len(levels)) for c in (codes, codes[at]))
        return Beside(column.name, np.empty(0), levels, among.astype(np.int64), of_all.astype(np.int64))
    numbers = column.numbers
    assert numbers is not None
    values, some = (np.sort(v[~np.isnan(v)]) for v in (numbers, numbers[at]))
    if not len(values):
        return None
    bins = readable_bins(values, bins=BINS)  # none of a tail: their shares are set beside each other
    return Beside(
        column.name, bins.all_edges, (), bins.count_all(some), bins.count_all(values), column.kind == "datetime"
    )
