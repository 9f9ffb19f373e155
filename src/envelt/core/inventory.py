"""What each column is, and what is missing or odd about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from . import thresholds as T
from .estimate import Finding, by_weight
from .table import CategoryColumn, Column, NumericColumn, Table, number_label


@dataclass(frozen=True)
class ColumnFacts:
    """One row of the inventory."""

    name: str
    kind: str
    reason: str
    present: int
    missing: int
    distinct: int
    examples: tuple[str, ...]

    @property
    def missing_share(self) -> float:
        """Missing rows over all rows."""
        total = self.present + self.missing
        return self.missing / total if total else 0.0


@dataclass(frozen=True)
class Inventory:
    """The columns in the order of the data."""

    rows: int
    columns: tuple[ColumnFacts, ...]
    findings: tuple[Finding, ...]


def take_inventory(table: Table) -> Inventory:
    """Describe every column of a table."""
    facts = tuple(_facts(c) for c in table)
    findings = [f for c in table for f in _odd(c)]
    return Inventory(len(table), facts, by_weight(findings))


def _facts(c: Column) -> ColumnFacts:
    missing = int(c.missing.sum())
    return ColumnFacts(c.name, c.kind, c.reason, len(c) - missing, missing, c.distinct, tuple(c.examples()))


def _odd(c: Column) -> list[Finding]:
    if c.kind == "constant":
        return [
            Finding(
                "constant-column",
                "note",
                (c.name,),
                f"{c.name} has {c.reason}: it cannot tell rows apart.",
                "Leave it out.",
                {},
            )
        ]
    if isinstance(c, CategoryColumn) and not c.declared and _all_numbers(c) and c.kind in ("nominal", "ordinal"):
        what = "names" if c.kind == "nominal" else "grades"
        other = "ordinal" if c.kind == "nominal" else "nominal"
        return [
            Finding(
                "coded-numbers",
                "caution",
                (c.name,),
                f"{c.name} is written in numbers but read as {what}: {c.reason}.",
                f"If that is right, declare it {c.kind}; if not, declare it {other} or discrete.",
                {"levels": list(c.levels[:20])},
            )
        ]
    return _nearly_constant(c)


def _all_numbers(c: CategoryColumn) -> bool:
    try:
        [float(level) for level in c.levels]
    except ValueError:
        return False
    return True


def _nearly_constant(c: Column) -> list[Finding]:
    if isinstance(c, CategoryColumn):
        counts = c.counts
        most, total = int(counts.max(initial=0)), int(counts.sum())
        value = c.levels[int(counts.argmax())] if len(counts) else ""
    elif isinstance(c, NumericColumn) and c.distinct <= T.FEW_STEPS:
        value, most, total = _commonest(c)
    else:
        return []
    if total < T.ROWS_FOR_IDENTIFIER or most == total or most / total < T.NEARLY_CONSTANT:
        return []
    return [
        Finding(
            "nearly-constant",
            "note",
            (c.name,),
            f"{c.name} is {value!r} in {most:,} of {total:,} rows ({most / total:.1%}), else in {total - most}.",
            "It can matter only for those few rows; leave it out unless they are the point.",
            {"value": value, "rows": most, "of": total},
        )
    ]


def _commonest(c: NumericColumn) -> tuple[str, int, int]:
    unique, counts = np.unique(c.values[~c.missing], return_counts=True)
    at = int(counts.argmax())
    return number_label(unique[at]), int(counts[at]), int(counts.sum())
