"""Which group each row belongs to: the levels of one or two columns, or of the outcome's classes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...errors import OptionError, option
from ..shapes.bins import readable_bins
from ..shapes.calendar import calendar_bins, unit_labels
from ..shapes.quantiles import quantile_edges
from .labels import cut_labels, number_label
from .table import CategoryColumn, Column, TimeColumn

Codes = NDArray[np.int64]

ALL = "all"
FEW_VALUES = 8
"""A number with more values than this is cut into its quarters when it names groups."""
MOST_BY = 2


@dataclass(frozen=True)
class Groups:
    """What groups of rows are called, without the rows: what a result says of them.

    Parameters
    ----------
    names
        The columns that make the groups; none for all rows together.
    labels
        The name of each group that occurs, at the place its code says.
    ordered
        Whether the order of the groups means something.
    note
        How a number was cut, where one was.
    places
        Which colour each group has; by default its place among the groups. Groups of two columns have the second's.
    """

    names: tuple[str, ...]
    labels: tuple[str, ...]
    ordered: bool = False
    note: str = ""
    places: tuple[int, ...] = ()

    def __len__(self) -> int:
        return len(self.labels)


@dataclass(frozen=True)
class Grouping:
    """Groups of rows: what they are called, and the group of each row, shape (n,), ``-1`` for none."""

    groups: Groups
    codes: Codes

    @classmethod
    def of(
        cls,
        names: tuple[str, ...],
        labels: tuple[str, ...],
        codes: NDArray[np.integer],
        ordered: bool = False,
        note: str = "",
        places: tuple[int, ...] = (),
    ) -> Grouping:
        """Return groups by what they are called."""
        return cls(Groups(names, labels, ordered, note, places), codes.astype(np.int64, copy=False))

    @property
    def names(self) -> tuple[str, ...]:
        """The columns that make the groups."""
        return self.groups.names

    @property
    def labels(self) -> tuple[str, ...]:
        """The name of each group, at the place its code says."""
        return self.groups.labels

    def __len__(self) -> int:
        return len(self.groups)

    @property
    def outside(self) -> int:
        """How many rows have no group."""
        return int((self.codes < 0).sum())

    def largest(self, most: int) -> list[OneOfGroups]:
        """Return the groups with most rows, in their order."""
        n = np.bincount(self.codes[self.codes >= 0], minlength=len(self))
        return [OneOfGroups(self, int(k)) for k in np.sort(np.argsort(-n, kind="stable")[:most])]

    def take(self, keep: NDArray[np.bool_]) -> Grouping:
        """Return the grouping of some of the rows; groups that lose all their rows stay."""
        return Grouping(self.groups, self.codes[keep])


@dataclass(frozen=True)
class OneOfGroups:
    """One of the groups of rows, by its place."""

    grouping: Grouping
    at: int

    @property
    def label(self) -> str:
        """What it is called."""
        return self.grouping.labels[self.at]

    @property
    def keep(self) -> NDArray[np.bool_]:
        """Its rows, shape (n,)."""
        return np.asarray(self.grouping.codes == self.at)


def no_groups(rows: int) -> Grouping:
    """Return one group of all rows."""
    return Grouping.of((), (ALL,), np.zeros(rows, np.int64))


def groups_of(column: Column) -> Grouping:
    """Return the groups a column makes: its levels, its few values, its quarters, or units of the calendar."""
    if isinstance(column, CategoryColumn):
        ordered = column.ordered or column.kind == "binary"
        return _occurring(Grouping.of((column.name,), column.levels, column.codes, ordered))
    values = column.numbers
    assert values is not None
    present = np.sort(values[~np.isnan(values)])
    if len(present) == 0:
        return Grouping.of((column.name,), (), np.full(len(values), -1, np.int64), True)
    if isinstance(column, TimeColumn):
        bins, unit = calendar_bins(present)
        edges = bins.edges[1:-1]
        labels, note = unit_labels(bins, unit), f"{column.name} by {unit}"
    elif column.distinct <= FEW_VALUES:
        distinct = np.unique(present)
        edges, labels, note = distinct[1:], tuple(number_label(v) for v in distinct), ""
    else:
        edges = _round_quarters(present)
        labels, ends = cut_labels(edges.tolist()), ", ".join(number_label(e) for e in edges)
        note = f"{column.name} cut near its quarters, at {ends} (a value on a cut goes right)"
    codes = np.where(np.isnan(values), -1, np.searchsorted(edges, values, "right"))
    return _occurring(Grouping.of((column.name,), labels, codes, True, note))


def _round_quarters(present: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return cuts near the quartiles, on the edges of fine readable bins."""
    quarters = quantile_edges(present, 4)
    grid = readable_bins(present, bins=200).edges if present[0] < present[-1] else quarters
    nearest = grid[np.clip(np.searchsorted(grid, quarters), 1, len(grid) - 1)]
    inside = np.unique(nearest[(nearest > present[0]) & (nearest <= present[-1])])
    return inside if len(inside) else quarters[:1]


def crossed(first: Grouping, second: Grouping) -> Grouping:
    """Return the groups of two groupings together; only those that occur."""
    size = len(second)
    codes = np.where((first.codes < 0) | (second.codes < 0), -1, first.codes * size + second.codes)
    used = np.unique(codes[codes >= 0])
    labels = tuple(f"{first.labels[k // size]}, {second.labels[k % size]}" for k in used.tolist())
    renumbered = np.where(codes < 0, -1, np.searchsorted(used, codes))
    notes = "; ".join(n for n in (first.groups.note, second.groups.note) if n)
    places = tuple(int(k) % size for k in used)
    return Grouping.of(
        (*first.names, *second.names), labels, renumbered, first.groups.ordered and second.groups.ordered, notes, places
    )


def grouping_of(columns: list[Column], rows: int) -> Grouping:
    """Return the groups that columns make together.

    Raises
    ------
    OptionError
        More than two columns, or one that makes no group.
    """
    if len(columns) > MOST_BY:
        two = option("by", "first,second")
        raise OptionError(f"Groups are made by up to {MOST_BY} columns, not {len(columns)}: {two}.")
    grouping = no_groups(rows)
    for i, column in enumerate(columns):
        one = groups_of(column)
        if not len(one):
            raise OptionError(f"{column.name!r} is missing in every row, so it makes no groups.")
        grouping = one if i == 0 else crossed(grouping, one)
    if not len(grouping):
        names = " and ".join(repr(c.name) for c in columns)
        raise OptionError(f"No row has both {names}, so they make no groups.")
    return grouping


def stacked(columns: list[Column], by: Grouping, titles: list[str]) -> tuple[NDArray[np.float64], Grouping]:
    """Return several columns of one unit as one, with a group a column (and a group of ``by``)."""
    rows = len(columns[0])
    values = np.concatenate([c.numbers for c in columns if c.numbers is not None])
    which = np.repeat(np.arange(len(columns), dtype=np.int64), rows)
    several = Grouping.of((), tuple(titles), which)
    if not by.names:
        return values, several
    again = Grouping(replace(by.groups, places=()), np.tile(by.codes, len(columns)))
    return values, crossed(several, again)


def crossed_column(by: Grouping, column: CategoryColumn) -> CategoryColumn:
    """Return a category column divided by groups: a level for each pair that occurs, the column's level first."""
    levels = Grouping.of((column.name,), column.levels, column.codes)
    both = crossed(levels, by)
    return replace(
        column,
        codes=both.codes.astype(np.int32),
        levels=both.labels,
        written=both.labels,
        ordered=column.ordered or column.kind == "binary",
    )


def _occurring(grouping: Grouping) -> Grouping:
    """Leave out groups that have no row."""
    inside = grouping.codes >= 0
    n = np.bincount(grouping.codes[inside], minlength=len(grouping))
    if n.all():
        return grouping
    kept = np.flatnonzero(n)
    renumber = np.full(len(grouping) + 1, -1, np.int64)
    renumber[kept] = np.arange(len(kept))
    labels = tuple(grouping.labels[k] for k in kept)
    return Grouping(replace(grouping.groups, labels=labels), renumber[grouping.codes])
