"""Groups of rows described by every column: how far each column differs between them, and what it is in each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.grouping import Grouping
from ..columns.outcome import ClassOutcome
from ..columns.table import CategoryColumn, Column
from ..kept import Remade
from ..parallel import Progress, Slowly, in_threads
from ..stats.group_summary import GroupSummary
from ..stats.groups import GroupedRows
from ..stats.multiplicity import q_values
from ..stats.rates import Rates, event_rates
from ..stats.sampling import Sampling
from .mixed import correlation_ratio, cramers_v

Floats = NDArray[np.float64]

LEADING = 3
"""Levels of a category that are told, the most frequent."""


@dataclass(frozen=True)
class LeadingLevel:
    """One of the most frequent levels of a category: its share of the rows with a level, in each group."""

    label: str
    rates: Rates


@dataclass(frozen=True)
class Profiled:
    """One column in the groups.

    Parameters
    ----------
    differs
        How far it differs between the groups, 0 to 1: the correlation ratio of a number, Cramér's V of levels, both
        less what chance makes.
    numbers
        The groups described, of a number.
    levels
        The leading levels, of a category.
    """

    name: str
    kind: str
    n: int
    missing: int
    differs: float
    p: float
    q: float
    numbers: GroupSummary | None
    levels: tuple[LeadingLevel, ...]

    @property
    def apart(self) -> LeadingLevel:
        """The leading level whose share differs most between groups, of a category; the first of several."""
        return max(self.levels, key=lambda k: float(np.ptp(k.rates.rate[k.rates.n > 0])) if k.rates.n.any() else 0.0)


@dataclass(frozen=True)
class ProfileAnswers(Remade):
    """The profile of groups, when it is asked for; fields as in `make_profile`."""

    columns: tuple[Column, ...]
    by: Grouping
    sampling: Sampling
    outcome: ClassOutcome | None
    slowly: Slowly

    @cached_property
    def profile(self) -> tuple[Profiled, ...]:
        """The columns, those that differ most first."""
        with self.slowly("Groups") as report:
            return make_profile(self.columns, self.by, self.sampling, self.outcome, report)

    @cached_property
    def n(self) -> NDArray[np.int64]:
        """Rows of each group."""
        return np.bincount(self.by.codes[self.by.codes >= 0], minlength=len(self.by))


def make_profile(
    columns: Sequence[Column],
    by: Grouping,
    sampling: Sampling,
    outcome: ClassOutcome | None = None,
    progress: Progress | None = None,
) -> tuple[Profiled, ...]:
    """Describe every column in each group: first those that differ more than chance makes, the furthest first.

    Parameters
    ----------
    columns
        Numbers and categories, of the same rows.
    by
        The groups of these rows.
    sampling
        Of these rows.
    outcome
        Of the study, whose event one speaks of.
    """

    def one(column: Column) -> Profiled:
        return _one(column, by, sampling, outcome)

    made = in_threads(one, list(columns), sampling.rows, progress, lambda c: c.name)
    q = q_values(np.array([m.p for m in made]))
    far = np.array([-np.nan_to_num(m.differs, nan=-1.0) for m in made])
    order = np.lexsort((far, ~(q < T.Q_CARRIES)))  # of few rows chance alone makes much
    return tuple(
        Profiled(m.name, m.kind, m.n, m.missing, m.differs, m.p, float(q[k]), m.numbers, m.levels)
        for k in order.tolist()
        for m in (made[k],)
    )


def _one(column: Column, by: Grouping, sampling: Sampling, outcome: ClassOutcome | None) -> Profiled:
    size, unknown = len(by), float("nan")
    inside = by.codes >= 0
    missing = int(np.count_nonzero(column.missing & inside))
    n = int(np.count_nonzero(inside)) - missing
    if isinstance(column, CategoryColumn):
        codes = column.codes.astype(np.int64)
        seen = cramers_v(codes, len(column.levels), by.codes, size, sampling)
        event = outcome.event if outcome is not None and outcome.name == column.name else ""
        levels = leading_levels(column, by, sampling, event)
        return Profiled(column.name, column.kind, n, missing, seen.value, seen.p, unknown, None, levels)
    values = column.numbers
    assert values is not None
    seen = correlation_ratio(by.codes, size, values, sampling)
    summary = GroupedRows(values, by.codes, by.labels, sampling).summary.without_values()
    return Profiled(column.name, column.kind, n, missing, seen.value, seen.p, unknown, summary, ())


def leading_levels(
    column: CategoryColumn, by: Grouping, sampling: Sampling, event: str = ""
) -> tuple[LeadingLevel, ...]:
    """Return the most frequent levels; of ordered ones in their own order. One of two says what both would.

    Parameters
    ----------
    event
        Of an outcome: the level that one speaks of, where there are two.
    """
    there = (column.codes >= 0) & (by.codes >= 0)
    n = np.bincount(column.codes[there], minlength=len(column.levels))
    order = np.argsort(-n, kind="stable")[:LEADING]
    order = order[n[order] > 0]
    if len(order) == 2 and np.count_nonzero(n) == 2:
        order = np.array([column.levels.index(event)]) if event in column.levels else order[:1]
    at, some = by.codes[there], sampling.take(there)
    return tuple(
        LeadingLevel(column.levels[k], event_rates(at, column.codes[there] == k, len(by), some))
        for k in (np.sort(order) if column.ordered else order).tolist()
    )
