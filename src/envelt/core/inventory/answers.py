"""What `inventory` answers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd

from ..columns.outcome import Outcome
from ..columns.table import Table
from ..finding import Finding, marked
from ..kept import Remade
from ..parallel import Slowly
from ..stats.sampling import Sampling
from .inventory import ColumnFacts, column_facts, quality_findings
from .quality.repeats import repeated_rows


@dataclass(frozen=True)
class InventoryAnswers(Remade):
    """What each column is, and what is wrong or odd about it, when it is asked for.

    Parameters
    ----------
    table, sampling, outcome, unit, ranges, counted
        As in `quality_findings`.
    nested
        Columns that hold lists or the like, with what they hold.
    first
        How many rows to show as they were read.
    """

    table: Table
    sampling: Sampling
    outcome: Outcome | None
    unit: str | None
    ranges: Mapping[str, tuple[float, float]]
    counted: bool
    nested: tuple[tuple[str, str], ...]
    first: int
    slowly: Slowly

    @cached_property
    def facts(self) -> tuple[ColumnFacts, ...]:
        """One row a column."""
        return column_facts(self.table)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or odd."""
        with self.slowly("Inventory") as report:
            found = quality_findings(
                self.table, self.sampling, self.outcome, self.unit, self.ranges, self.counted, progress=report
            )
        return (*(_nested(name, what) for name, what in self.nested), *found)

    @cached_property
    def repeated(self) -> int:
        """How many rows repeat an earlier one in every column."""
        return repeated_rows(self.table)

    @cached_property
    def first_rows(self) -> pd.DataFrame:
        """The first rows as read, on their side."""
        at = np.arange(min(self.first, len(self.table)))
        first = [c.take(at).labels() for c in self.table]
        labels = [f"row {r}" for r in self.table.rows[at]]
        return pd.DataFrame(first, pd.Index(list(self.table.columns), name="column"), labels, dtype=object)


def _nested(name: str, what: str) -> Finding:
    return Finding(
        "nested-values",
        "caution",
        (name,),
        f"{marked(name)} holds {what}, which no step can use: it is set aside.",
        "Write what you need of it as columns of its own.",
        {"what": what},
    )
