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
    table, whole, sampling, outcome, unit, ranges
        As in `quality_findings`.
    nested
        Columns that hold lists or the like, with what they hold.
    unlike
        Columns that one file writes otherwise than another, how each does, and whether all were read as one thing.
    first
        How many rows to show as they were read.
    """

    table: Table
    whole: Table
    sampling: Sampling
    outcome: Outcome | None
    unit: str | None
    ranges: Mapping[str, tuple[float, float]]
    nested: tuple[tuple[str, str], ...]
    unlike: Mapping[str, tuple[Mapping[str, str], bool]]
    first: int
    slowly: Slowly

    @cached_property
    def facts(self) -> tuple[ColumnFacts, ...]:
        """One row a column."""
        return column_facts(self.table, self.whole)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or odd."""
        with self.slowly("Inventory") as report:
            found = quality_findings(
                self.table, self.whole, self.sampling, self.outcome, self.unit, self.ranges, progress=report
            )
        of_files = [_unlike(name, *how) for name, how in self.unlike.items() if name in self.table.columns]
        return (*(_nested(name, what) for name, what in self.nested), *of_files, *found)

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


def _unlike(name: str, how: Mapping[str, str], read: bool) -> Finding:
    as_one = "each was read by its own form" if read else "they hold no one thing, and all of it is kept as text"
    told = "; ".join(f"{source}: {way}" for source, way in list(how.items())[:4]) + ("; …" if len(how) > 4 else "")
    return Finding(
        "unlike-files",
        "caution",
        (name,),
        f"{marked(name)} is written otherwise in one file than in another ({told}): {as_one}.",
        "Look at some rows of each; where a form is wrong, write the files in one way.",
        {"sources": dict(how)},
    )


def _nested(name: str, what: str) -> Finding:
    return Finding(
        "nested-values",
        "caution",
        (name,),
        f"{marked(name)} holds {what}, which no step can use: it is set aside.",
        "Write what you need of it as columns of its own.",
        {"what": what},
    )
