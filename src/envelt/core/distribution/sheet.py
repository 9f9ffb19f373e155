"""All columns of a table, each described in a row and a small picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..columns.labels import number_label, short_label, time_label
from ..columns.table import CategoryColumn, Column, NumericColumn, Table, TimeColumn
from ..finding import Finding, by_weight, marked, of_many
from ..kept import Remade
from ..parallel import Slowly, in_threads
from ..shapes.bins import Bins, readable_bins
from ..shapes.calendar import calendar_bins
from ..shapes.resolution import recorded_step
from ..stats.groups import one_group
from ..stats.sampling import Sampling
from ..words import listed, plural
from .apart import tellers_of
from .column_findings import column_shape_of
from .tails import Advise

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BINS = 24
MOST_LEVELS = 12
MOST_APART = 2
"""Columns of which the same is said one by one."""
STORIES = {
    "two-peaks": "{} have more than one peak",
    "gross-outliers": "{} have values far out",
    "round-number-spikes": "{} heap at round values",
    "values-at-bound": "{} heap at an end",
    "heaping-at-one-value": "{} heap at one value",
}
MOST_NAMED = 6
"""Columns of which a note of many says its numbers."""


@dataclass(frozen=True)
class SheetColumn:
    """One column.

    Parameters
    ----------
    numeric
        Whether it has moments.
    mode
        The most frequent value, as text.
    edges, counts
        Of its small histogram (days for dates); of a category the counts of its largest levels, and no edges.
    ends
        The smallest and largest value, or the largest level, as text.
    codes
        Of what was found in it.
    """

    name: str
    kind: str
    numeric: bool
    n: int
    missing: int
    mean: float
    sd: float
    min: float
    q1: float
    median: float
    q3: float
    max: float
    skewness: float
    outliers: int
    mode: str
    edges: Floats
    counts: Ints
    ends: tuple[str, str]
    codes: tuple[str, ...]


@dataclass(frozen=True)
class Sheet:
    """All columns in the order asked for, and the gravest of what was found in them."""

    columns: tuple[SheetColumn, ...]
    sort: str
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class SheetAnswers(Remade):
    """All columns of a table, when they are asked for; fields as in `make_sheet`."""

    table: Table
    sampling: Sampling
    sort: str
    slowly: Slowly
    advise: Advise | None = None

    @cached_property
    def sheet(self) -> Sheet:
        """The columns."""
        with self.slowly("Distributions") as report:
            return make_sheet(self.table, self.sampling, self.sort, report, self.advise)


def in_sheet(column: Column) -> bool:
    """Say whether a column is described: text and identifiers are not."""
    return column.kind not in ("text", "identifier")


def make_sheet(
    table: Table,
    sampling: Sampling,
    sort: str = "skewness",
    progress: Callable[[int, int, str], None] | None = None,
    advise: Advise | None = None,
) -> Sheet:
    """Describe every column but those of text and without values.

    Parameters
    ----------
    sampling
        What the rows are a sample of: cases each, or units.
    advise
        Suggests a transform.
    sort
        "skewness" (the most skewed first, categories after numbers), "missing" (the most first) or "name".

    Raises
    ------
    OptionError
    """
    shown = [c for c in table if in_sheet(c)]
    beside = tellers_of(table, ())
    made = in_threads(
        lambda c: _of_column(c, table.rows, sampling, advise, beside), shown, len(table), progress, lambda c: c.name
    )
    columns, findings = [m for m, _ in made], [f for _, found in made for f in found]
    keys: dict[str, Callable[[SheetColumn], tuple[object, ...]]] = {
        "skewness": lambda c: (not c.numeric, -abs(c.skewness) if c.skewness == c.skewness else 0.0),
        "missing": lambda c: (-c.missing,),
        "name": lambda c: (c.name,),
    }
    columns.sort(key=keys[sort])
    return Sheet(tuple(columns), sort, by_weight(_gravest(findings)))


def _gravest(findings: list[Finding]) -> list[Finding]:
    """Return what is said of all columns at once: what is grave by itself, notes of a kind together."""
    grave = [f for f in findings if f.weight != "note" and f.code not in STORIES]
    for code in STORIES:
        of = [f for f in findings if f.code == code and f.weight != "note"]
        grave += of if len(of) <= MOST_APART else [_story(of)]
    grave += [f for f in findings if f.code == "values-at-bound" and f.weight == "note"][:MOST_APART]
    for code, joined in JOINED.items():
        of = [f for f in findings if f.code == code and f.weight == "note"]
        grave += of if len(of) < 2 else [joined(of)]
    return grave


def _story(found: list[Finding]) -> Finding:
    """Say at once what is so of many columns: it has one cause more often than many."""
    names = [f.columns[0] for f in found]
    return of_many(
        found,
        f"{STORIES[found[0].code].format(plural(len(names), 'number'))}: {listed([*map(marked, names)], MOST_NAMED)}. "
        f"The first: {found[0].marked_statement}",
        also=(c for f in found for c in f.columns),
    )


def _tails(found: list[Finding]) -> Finding:
    found.sort(key=lambda f: -abs(f.evidence["skewness"]))
    told = []
    for f in found:
        e = f.evidence
        of = " above zero" if e["above_zero"] else ""
        after = f"; {e['skewness_after']:.1f} by {e['transform']}{of}" if e["transform"] else ""
        told.append(f"{marked(f.columns[0])} ({e['skewness']:.1f}{after})")
    return of_many(
        found,
        f"{plural(len(found), 'number')} have long tails (skewness as it is): {listed(told, MOST_NAMED)}.",
        advice="Use medians or ranks to compare groups, and the transform where a model wants an even spread.",
    )


def _zeros(found: list[Finding]) -> Finding:
    found.sort(key=lambda f: -f.evidence["rows"])
    told = listed([f"{marked(f.columns[0])} ({f.evidence['rows']:,} rows)" for f in found], MOST_NAMED)
    zeros = "far more zeros than the values beside them lead to expect"
    return of_many(found, f"{plural(len(found), 'number')} hold {zeros}: {told}.")


def _each(found: list[Finding]) -> Finding:
    told = listed([f"{marked(f.columns[0])} ({number_label(f.evidence['value'])})" for f in found], MOST_NAMED)
    return of_many(
        found,
        f"The largest value of {told} holds more rows than those before it lead to expect: it may stand for that or "
        "more.",
    )


def _apart(found: list[Finding]) -> Finding:
    told = [
        f"{marked(f.columns[0])} {number_label(f.evidence['values'][0])} (row {f.evidence['rows'][0]}; next "
        f"{short_label(f.evidence['next'])})" for f in found
    ]  # fmt: skip
    return of_many(found, f"Values apart from all others: {listed(told, MOST_NAMED)}.")


JOINED: dict[str, Callable[[list[Finding]], Finding]] = {
    "long-tail": _tails,
    "excess-zeros": _zeros,
    "top-value": _each,
    "outliers-apart": _apart,
}


def _of_column(
    column: Column, rows: pd.Index, sampling: Sampling, advise: Advise | None, beside: tuple[CategoryColumn, ...]
) -> tuple[SheetColumn, list[Finding]]:
    if isinstance(column, CategoryColumn):
        return _levels(column), []
    if isinstance(column, TimeColumn):
        return _times(column), []
    assert isinstance(column, NumericColumn)
    return _numbers(column, rows, sampling, advise, beside)


def _numbers(
    column: NumericColumn,
    rows: pd.Index,
    sampling: Sampling,
    advise: Advise | None,
    beside: tuple[CategoryColumn, ...],
) -> tuple[SheetColumn, list[Finding]]:
    x = column.values
    rows_of = one_group(x, column.name, sampling)
    summary, ordered = rows_of.summary, rows_of.ordered[0]
    m = summary.moments
    bins = Bins(np.array([0.0, 1.0]))
    findings: tuple[Finding, ...] = ()
    if len(ordered):
        step = recorded_step(ordered)
        wide = readable_bins(ordered, step=step)

        def beyond(low: float, high: float) -> list[str]:
            with np.errstate(invalid="ignore"):
                return [str(r) for r in rows[np.flatnonzero((x < low) | (x > high))[:50]]]

        findings = column_shape_of(column.name, rows_of, beyond, wide, step, advise, beside).findings
        bins = (
            readable_bins(ordered, bins=BINS, step=step)
            if len(wide.edges) > 2 * BINS and not wide.below + wide.above
            else wide
        )
    mode, (q1, median, q3) = float(summary.modes[0]), summary.quartiles[0].tolist()
    low, high = bins.edges[0] if bins.below else m.min[0], bins.edges[-1] if bins.above else m.max[0]
    made = SheetColumn(
        column.name, column.kind, True, len(ordered), int(summary.missing[0]), float(m.mean[0]), float(m.sd[0]),
        float(m.min[0]), q1, median, q3, float(m.max[0]), float(m.skewness[0]),
        int(summary.outliers[0]), "" if mode != mode else short_label(mode), bins.edges, bins.count(ordered),
        (short_label(low), short_label(high)), tuple(f.code for f in findings),
    )  # fmt: skip
    return made, list(findings)


def _times(column: TimeColumn) -> SheetColumn:
    days = np.sort(column.days[~column.absent])
    bins = calendar_bins(days)[0] if len(days) else Bins(np.array([0.0, 1.0]))
    ends = column.values[~column.absent]
    texts = (time_label(int(ends.min()))[:10], time_label(int(ends.max()))[:10]) if len(days) else ("", "")
    return _plain(column, len(days), "", bins.edges, bins.count(days), texts)


def _levels(column: CategoryColumn) -> SheetColumn:
    counts = column.counts
    largest = np.argsort(-counts, kind="stable")[:MOST_LEVELS]
    drawn = np.sort(largest) if column.ordered else largest
    mode = column.levels[largest[0]] if len(largest) and counts[largest[0]] else ""
    ends = (column.levels[drawn[0]], column.levels[drawn[-1]]) if column.ordered and len(drawn) > 1 else (mode, "")
    return _plain(column, int(counts.sum()), mode, np.zeros(0), counts[drawn].astype(np.int64), ends)


def _plain(column: Column, n: int, mode: str, edges: Floats, counts: Ints, ends: tuple[str, str]) -> SheetColumn:
    nothing = float("nan")
    return SheetColumn(
        column.name, column.kind, False, n, len(column) - n, nothing, nothing, nothing, nothing, nothing,
        nothing, nothing, nothing, 0,
        mode, edges, counts, ends, (),
    )  # fmt: skip
