"""What `contingency` answers."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..columns.axes import TableAxis
from ..columns.grouping import Grouping
from ..columns.outcome import Classes, ClassOutcome, Outcome
from ..columns.table import CategoryColumn, Column
from ..finding import Finding, by_weight
from ..inventory.quality.absent import missing_follows
from ..inventory.quality.levels import spelling_findings
from ..kept import Remade
from ..stats.sampling import Sampling
from ..within.groups import WithinGroups, levels_within, within_findings
from ..within.search import TurnSearch
from .crosstab import CrossTable
from .findings import table_findings


@dataclass(frozen=True)
class ContingencyAnswers(Remade):
    """A cross-tabulation of all rows or of each part of them, and what a careful colleague would say.

    Parameters
    ----------
    tables
        One, or one a part.
    named
        The columns of the rows.
    outcome, sampling
        Of the rows of the data; the outcome where its rates are given.
    by
        The groups that make the parts, where there are any.
    columns
        How many columns the data has, one of which may be missing more often in one class by chance.
    turns
        The search for what turns round, where one is made.
    """

    tables: tuple[CrossTable, ...]
    named: tuple[Column, ...]
    outcome: Outcome | None
    sampling: Sampling
    by: Grouping | None
    columns: int
    turns: TurnSearch | None

    @property
    def has_within(self) -> bool:
        """Whether differences are also pooled within groups: those between levels of one column."""
        return self.by is not None and len(self.named) == 1 and self.compared is not None

    @property
    def compared(self) -> Outcome | None:
        """What the rows are compared in: two columns, else the outcome."""
        across = self.tables[0].across
        if across is not None and across.size == 2 and len(across.axis.names) == 1:
            return _as_outcome(across)
        return self.outcome

    @cached_property
    def within(self) -> WithinGroups:
        """What is left within groups of the differences between rows."""
        rows, of = self.tables[0].down, self.compared
        assert of is not None
        assert self.by is not None
        return levels_within(
            self.named[0].name, rows.codes, rows.axis.labels, of, self.by, self.sampling, weight=self.tables[0].weight
        )  # fmt: skip

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What a careful colleague would say."""
        findings: list[Finding] = []
        if self.by is None:
            findings += table_findings(self.tables[0], None if self.outcome is None else self.outcome.said)
        for column in self.named if self.outcome is not None else ():
            findings += self._of_column(column)
        if self.turns is not None:
            findings += self.turns.of(self.named[0].name)
        return by_weight([*findings, *(within_findings(self.within) if self.has_within else [])])

    def _of_column(self, column: Column) -> list[Finding]:
        """Look at a column of the rows: spelt twice, missing more often in one class."""
        found: list[Finding] = []
        if isinstance(column, CategoryColumn) and column.kind in ("nominal", "binary", "ordinal"):
            found += spelling_findings(column)
        if self.outcome is not None and column.missing.any():
            found += missing_follows(column.name, column.missing, self.outcome, self.sampling, self.columns)
        return found


def _as_outcome(axis: TableAxis) -> ClassOutcome:
    labels = axis.axis.labels
    return ClassOutcome(Classes(axis.axis.names[0], labels, labels[1]), axis.codes.astype(np.int32))
