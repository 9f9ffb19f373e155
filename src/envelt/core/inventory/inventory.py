"""What each column is, and what is missing or odd about it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from .. import thresholds as T
from ..columns.labels import number_label
from ..columns.outcome import Outcome
from ..columns.table import CategoryColumn, Column, NumericColumn, Table
from ..finding import Finding, by_weight, marked, of_many
from ..parallel import Progress, in_threads
from ..stats.sampling import Sampling
from ..words import plural
from .quality.absent import missing_findings
from .quality.absent_where import by_cause, missing_where
from .quality.blocks import block_findings
from .quality.copies import copy_findings
from .quality.crossed import crossed_findings
from .quality.date_parts import date_part_findings
from .quality.flags import exclusive_flags
from .quality.follows import follow_findings
from .quality.from_one import made_from_one
from .quality.implied import implied_levels
from .quality.later import later_findings
from .quality.levels import level_findings
from .quality.logged import logged_findings
from .quality.off_scale import off_scale_findings
from .quality.rare import rare_findings
from .quality.recipes import recipe_findings
from .quality.repeats import repeat_findings
from .quality.structure import shared_values
from .quality.swapped import swapped_values
from .quality.values import date_order_findings, value_findings
from .thumbnail import Shape, column_shape


@dataclass(frozen=True)
class ColumnFacts:
    """One row of the inventory."""

    name: str
    kind: str
    reason: str
    changed: bool
    present: int
    missing: int
    distinct: int
    examples: tuple[str, ...]
    label: str
    unit: str
    shape: Shape
    findings: int = 0

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


def column_facts(table: Table, whole: Table) -> tuple[ColumnFacts, ...]:
    """Describe every column of a table, by the rows that its rows stand for."""
    return tuple(in_threads(lambda c: _facts(c, whole.columns.get(c.name, c)), list(table), len(whole)))


def quality_findings(
    table: Table,
    whole: Table,
    sampling: Sampling,
    outcome: Outcome | None = None,
    unit: str | None = None,
    ranges: Mapping[str, tuple[float, float]] | None = None,
    progress: Progress = lambda done, total, name: None,
) -> tuple[Finding, ...]:
    """Look for what is wrong or odd about a table.

    Parameters
    ----------
    whole
        The rows that the rows of the table stand for: the same ones, where a person did not say that they stand for
        several. What is counted is counted of these; what rows say to each other is asked of the table's.
    sampling
        What the whole rows are a sample of: cases each, or units.
    outcome
        Of the whole rows: lets missing be compared with it.
    unit
        The declared unit, so that none is looked for.
    ranges
        Valid ranges a person declared, by column.
    progress
        Called with (done, total, what is looked at).
    """
    name, counted = None if outcome is None else outcome.name, whole is not table
    of_rows, of_table = (None, Sampling.of_rows(len(table))) if counted else (outcome, sampling)
    looks: list[tuple[str, Callable[[], list[Finding]]]] = [
        ("missing", lambda: gap_findings(whole, outcome, sampling)),
        ("repeats", lambda: repeat_findings(table, unit, of_rows) or ([] if unit else named_by_nothing(table))),
        ("rows", lambda: crossed_findings(table, of_rows, counted)),
        ("copies", lambda: copy_findings(table, name)),
        ("recipes", lambda: recipe_findings(table, name)),
        ("from one", lambda: made_from_one(table, name)),
        ("logarithms", lambda: logged_findings(table, name)),
        ("follows", lambda: follow_findings(table, name, of_table)),
        ("swapped", lambda: swapped_values(table)),
        ("flags", lambda: exclusive_flags(table, name)),
        ("implied levels", lambda: implied_levels(table, name, of_table)),
        ("later", lambda: later_findings(table, of_rows, of_table)),
        ("values", lambda: value_findings(whole, dict(ranges or {}))),
        ("parts of dates", lambda: date_part_findings(table, name)),
        ("off scale", lambda: off_scale_findings(table)),
        ("dates", lambda: date_order_findings(whole)),
        ("levels", lambda: level_findings(whole)),
        ("rare levels", lambda: rare_findings(whole, name)),
        ("constants", lambda: _of_many([f for c in whole for f in _constant(c)])),
    ]
    made = in_threads(lambda look: look[1](), looks, len(table), progress, lambda look: look[0])
    progress(len(looks), len(looks), "")
    return by_weight(_kinds_at_once(_one_each([f for found in made for f in found])))


def gap_findings(table: Table, outcome: Outcome | None, sampling: Sampling) -> list[Finding]:
    """Look at what is missing: where, with what, and whether the outcome goes with it for no other reason."""
    where = missing_where(table, None if outcome is None else outcome.name, sampling)
    explained = [table[f.columns[0]].missing for f in where if f.evidence["explains"] >= T.GAPS_EXPLAINED]
    alike = {c.name for c in table if any(np.array_equal(c.missing, gaps) for gaps in explained)}
    return [*missing_findings(table, outcome, sampling, alike), *by_cause(where)]


def named_by_nothing(table: Table) -> list[Finding]:
    """Look for cases of several rows that no column names: in values they share, or in blocks."""
    return shared_values(table) or block_findings(table)


def _one_each(found: list[Finding]) -> list[Finding]:
    """Leave out what another finding settles: which kind a unit is, and what follows from what of the same places."""
    units = {f.columns[0] for f in found if f.code == "likely-unit"}
    places = {c for f in found if f.code == "shared-values" for c in f.columns}
    found = [f for f in found if not (f.code in ("coded-numbers", "borderline-kind") and f.columns[0] in units)]
    found = [f for f in found if not (f.code == "made-up-of-others" and places.issuperset(f.columns))]
    made = [set(f.columns) for f in found if f.code == "made-up-of-others"]
    found = [f for f in found if not (f.code == "logarithm-of-units" and any(m.issuperset(f.columns) for m in made))]
    told = [set(f.columns) for f in found if f.code == "made-up-of-others" and f.weight == "stop"]
    return [f for f in found if not (f.code == "known-later" and any(t.issuperset(f.columns) for t in told))]


def _kinds_at_once(found: list[Finding]) -> list[Finding]:
    """Say at once of many columns that they could be of another kind, where it is the same two kinds."""
    doubts: dict[tuple[str, str, str], list[Finding]] = {}
    for f in found:
        if f.code in ("coded-numbers", "borderline-kind") and f.weight == "note":
            doubts.setdefault((f.code, f.evidence["kind"], f.evidence["other"]), []).append(f)
    for (code, kind, other), same in doubts.items():
        if len(same) < T.MOST_GAPS_APART:
            continue
        names = [f.columns[0] for f in same]
        shown = ", ".join(map(marked, names[:8])) + (", …" if len(names) > 8 else "")
        joined = Finding(
            code,
            "note",
            tuple(names),
            f"{plural(len(names), 'column')} are read as {kind}, but could be {other}: {shown} ({marked(names[0])}: "
            f"{same[0].evidence['reason']}).",
            f"Say which: declare each {kind} or {other}, and this is settled.",
            {"kind": kind, "other": other, "columns": {f.columns[0]: f.evidence for f in same}},
        )
        found = [joined if f is same[0] else f for f in found if f is same[0] or f not in same]
    return found


def _facts(c: Column, whole: Column) -> ColumnFacts:
    missing = int(whole.missing.sum())
    present, reason = len(whole) - missing, c.reason
    if whole is not c:  # kinds are told by the rows of the data, and said of all that they stand for
        reason = reason.replace(plural(np.count_nonzero(~c.missing), "row"), plural(present, "row"))
        different = f"{c.distinct:,} "
        reason = f"{whole.distinct:,} {reason.removeprefix(different)}" if reason.startswith(different) else reason
    return ColumnFacts(
        c.name, c.kind, reason, c.kind != c.detected, present, missing, whole.distinct, tuple(c.examples()), c.label,
        c.unit, column_shape(whole),
    )  # fmt: skip


def _of_many(found: list[Finding]) -> list[Finding]:
    """Say of many columns at once that they are nearly constant."""
    nearly = [f for f in found if f.code == "nearly-constant"]
    if len(nearly) <= T.MOST_GAPS_APART:
        return found
    shown = ", ".join(f"{marked(f.columns[0])} ({f.evidence['of'] - f.evidence['rows']})" for f in nearly[:8])
    joined = of_many(
        nearly,
        f"{plural(len(nearly), 'column')} have one value in nearly all rows (rows with another): {shown}"
        f"{', …' if len(nearly) > 8 else ''}.",
    )
    return [*(f for f in found if f.code != "nearly-constant"), joined]


def _constant(c: Column) -> list[Finding]:
    if c.kind != "constant":
        return _nearly_constant(c)
    if c.missing.all():
        return []  # that it is missing is said
    return [
        Finding(
            "constant-column",
            "note",
            (c.name,),
            f"{marked(c.name)} has {c.reason}: it cannot tell rows apart.",
            "Leave it out.",
            {},
        )
    ]


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
            f"{marked(c.name)} is {value!r} in {most:,} of {plural(total, 'row')} ({most / total:.1%}), else in "
            f"{total - most}.",
            "It can matter only for those few rows; leave it out unless they are the point.",
            {"value": value, "rows": most, "of": total},
        )
    ]


def _commonest(c: NumericColumn) -> tuple[str, int, int]:
    unique, counts = np.unique(c.values[~c.missing], return_counts=True)
    at = int(counts.argmax())
    return number_label(unique[at]), int(counts[at]), int(counts.sum())
