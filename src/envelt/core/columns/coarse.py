"""Columns in a few levels: what is looked at of many columns at once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..shapes.quantiles import value_edges
from ..stats.draws import scattered
from .table import CategoryColumn, Column, TimeColumn
from .times import is_time

MOST_LEVELS = 12
BINS = 6
SAMPLE = 100_000
"""Rows of which the bins of a number are found."""


@dataclass(frozen=True)
class Coarse:
    """A column in at most twelve levels, or six bins of about equal numbers of rows.

    Parameters
    ----------
    name
        Of the column.
    codes
        Shape (n,), ``-1`` for missing.
    labels
        Of the levels.
    ordered
        Whether its levels are in order.
    time
        Whether it counts time.
    """

    name: str
    codes: NDArray[np.integer]
    labels: tuple[str, ...]
    ordered: bool
    time: bool = False

    def take(self, keep: NDArray[np.bool_]) -> Coarse:
        """Return it of some of the rows."""
        return self if keep.all() else replace(self, codes=self.codes[keep])

    def with_missing(self) -> Coarse:
        """Return it with missing as a level of its own, the last, where there is any."""
        if not (self.codes < 0).any():
            return self
        codes = np.where(self.codes < 0, np.int8(len(self.labels)), self.codes)
        return replace(self, codes=codes, labels=(*self.labels, "missing"))


def said_by(codes: list[NDArray[np.integer]], outcome: NDArray[np.integer]) -> NDArray[np.uint64]:
    """Return a number for what columns together say in each row, whatever columns and levels are called or come after.

    Parameters
    ----------
    codes
        Of each column, each of shape (n,), 0 for the first level.
    outcome
        A number for what each row has of it, shape (n,).
    """
    says = scattered(outcome, 0)
    for own in codes:  # a level is known by its rows and their outcome, and a column by its levels
        levels = scattered(np.bincount(own) * len(says) + np.bincount(own, outcome).astype(np.int64), 1)
        says = says + scattered((levels ^ levels.sum())[own], 2)  # a sum, so the order of columns is left out
    return says


def coarse_of(column: Column) -> Coarse | None:
    """Return a column in few levels; nothing where it has more, or only one."""
    if isinstance(column, CategoryColumn):
        few = 2 <= column.distinct <= MOST_LEVELS and len(column.levels) < 127
        if column.kind in ("identifier", "text", "constant") or not few:
            return None
        ordered = column.ordered or column.kind == "binary"
        return Coarse(column.name, column.codes.astype(np.int8), column.levels, ordered)
    values = column.numbers
    assert values is not None
    some = values[:: max(1, len(values) // SAMPLE)]
    present = np.sort(some[~np.isnan(some)])
    edges = value_edges(present, BINS)
    if len(edges) == 0:
        return None
    codes = np.searchsorted(edges, values, "right").astype(np.int8)
    codes[np.isnan(values)] = -1
    ends = [f"{e:.4g}" for e in edges]
    labels = (f"under {ends[0]}", *(f"{a} to {b}" for a, b in pairwise(ends)), f"{ends[-1]} up")
    time = isinstance(column, TimeColumn) or is_time(column.name, present)
    return Coarse(column.name, codes, labels, True, time)
