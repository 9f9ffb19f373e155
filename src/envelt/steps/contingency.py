"""Cross-tabulation of any columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..core.columns.axes import Cuts, TableAxis, axis_of
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn, TimeColumn
from ..core.contingency.crosstab import checked_counts, cross_tabulate
from ..core.contingency.findings import table_findings
from ..core.finding import Finding, by_weight, labelled
from ..core.inventory.quality.absent import missing_follows
from ..core.inventory.quality.levels import spelling_findings
from ..errors import OptionError, did_you_mean
from ..views.contingency import RATES_OF, ContingencyView, checked_shares, contingency_view, part_line
from ..write.digits import count
from .context import Context, refuse_itself

PICTURES = ("auto", "bars", "stacked", "shares", "cells", "rates", "mosaic")
ORDERS = ("level", "count", "rate")
COLOURS = ("share", "residual")
MOST_PARTS = 60


@dataclass(frozen=True)
class Asked:
    """What was asked for of a cross-tabulation; see `Study.contingency`."""

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    by: tuple[str, ...]
    shares: str
    picture: str
    colour: str
    order: str
    counts: str | None
    cuts: Cuts

    def __post_init__(self) -> None:
        checked_shares(self.shares)
        if self.picture in ("pie", "donut", "doughnut", "sunburst"):
            raise OptionError(
                f"There is no {self.picture} here: angles are hard to compare. Use picture='shares' (each bar is 100 "
                "%) for shares, or 'bars' for counts."
            )
        for what, value, known in (
            ("picture", self.picture, PICTURES),
            ("order", self.order, ORDERS),
            ("colour", self.colour, COLOURS),
        ):
            if value not in known:
                raise OptionError(f"No {what} {value!r}.{did_you_mean(value, known)}")
        if not self.rows:
            raise OptionError("Name the column of the rows.")
        for name in self.columns:
            if name in self.rows:
                raise OptionError(f"{name!r} against itself is a diagonal: name another column, or leave it out.")
        refuse_itself(self.by, (*self.rows, *self.columns))


def tabulate(context: Context, asked: Asked, candidates: list[str]) -> ContingencyView:
    """Tabulate rows by columns, in the parts that other columns make, and look at what turns round."""
    table, outcome = context.table, context.outcome
    _refuse_unused(asked.cuts, [table[n] for n in (*asked.rows, *asked.columns)])
    rows = axis_of([table[n] for n in asked.rows], asked.cuts)
    columns = axis_of([table[n] for n in asked.columns], asked.cuts) if asked.columns else None
    event = None
    if isinstance(outcome, ClassOutcome) and asked.columns == (outcome.name,):
        event = 1 if len(outcome.levels) == 2 else outcome.event_code
        columns = TableAxis((outcome.name,), tuple((t,) for t in outcome.levels), outcome.codes.astype(np.int64),
                            len(outcome.levels) == 2, int((outcome.codes < 0).sum()))  # fmt: skip
    rated = None if outcome is None or outcome.name in asked.rows else outcome
    weight = None
    if asked.counts is not None:
        column = table[asked.counts]
        if not isinstance(column, NumericColumn):
            raise OptionError(f"{asked.counts!r} is {column.kind}: counts must be whole numbers.")
        weight = checked_counts(column.values, asked.counts)
    units = context.unit_codes()
    options = {"weight": weight, "units": units, "event": event, "seed": context.seed}
    skipped = 0
    if asked.by:
        grouping = context.grouping(asked.by)
        n = np.bincount(grouping.codes[grouping.codes >= 0], minlength=len(grouping))
        shown = np.sort(np.argsort(-n, kind="stable")[:MOST_PARTS])
        made = [
            cross_tabulate(rows, columns, rated, keep=grouping.codes == k, label=grouping.labels[k], **options)
            for k in shown
        ]
        tables = tuple(t for t in made if t.counts.sum())
        skipped = len(grouping) - len(tables)
        if not tables:
            raise OptionError(f"No part by {' and '.join(asked.by)} has a row with both.")
    else:
        tables = (cross_tabulate(rows, columns, rated, **options),)
        if not tables[0].counts.sum():
            raise OptionError(
                f"No row has both {' and '.join((*asked.rows, *asked.columns))}: there is nothing to cross."
            )
    findings = [f for t in tables[:1] if not asked.by for f in table_findings(t, rated)]
    if rated is not None:
        findings += [*_column_findings(context, asked), *_turns(context, asked, candidates)]
    about = (*_about(context, asked, rows, columns, weight), *part_line(tables, skipped))
    return contingency_view(
        tables, about, rated, by_weight(findings), shares=asked.shares, picture=asked.picture, colour=asked.colour,
        by=asked.by, order=asked.order, names=context.names,
    )  # fmt: skip


def _refuse_unused(cuts: Cuts, columns: list[Column]) -> None:
    """Refuse bins where no column is a number, and units of the calendar where none is a date."""
    named = " and ".join(repr(c.name) for c in columns)
    if cuts.calendar is not None and not any(isinstance(c, TimeColumn) for c in columns):
        raise OptionError(f"The calendar is for dates, and {named} holds none: leave calendar out.")
    asked = cuts.bins is not None or cuts.width is not None or cuts.start is not None or bool(cuts.at)
    if asked and not any(isinstance(c, NumericColumn) for c in columns):
        raise OptionError(f"Bins and cut points are for numbers, and {named} holds none: leave them out.")


def _about(
    context: Context, asked: Asked, rows: TableAxis, columns: TableAxis | None, weight: np.ndarray | None
) -> tuple[str, ...]:
    total = len(context.table) if weight is None else int(weight.sum())
    counted = f", each counted {asked.counts} times" if weight is not None else ""
    lines = [
        f"{count(len(context.table))} rows{counted}" + (f", {count(total)} in all" if counted else ""),
        *context.kept,
    ]
    for axis in (rows, columns):
        if axis is not None:
            lines += [labelled(note, context.names.given) for note in axis.notes]
            if axis.missing:
                lines.append(f"{count(axis.missing)} rows have no {' and '.join(context.names(n) for n in axis.names)}")
    outcome = context.outcome
    if isinstance(outcome, ClassOutcome) and outcome.name not in asked.rows:
        lines.append(f"{RATES_OF} {context.names(outcome.name)} = {outcome.event}")
    if context.unit is not None:
        lines.append(f"intervals and tests count {context.names(context.unit)}, not rows")
    return tuple(lines)


def _column_findings(context: Context, asked: Asked) -> list[Finding]:
    """Look at the columns of the rows: spelt twice, missing more often in one class."""
    found: list[Finding] = []
    for name in asked.rows:
        column = context.table[name]
        if isinstance(column, CategoryColumn) and column.kind in ("nominal", "binary", "ordinal"):
            found += spelling_findings(column)
        outcome = context.outcome
        if outcome is not None and name != outcome.name and column.missing.any():
            found += missing_follows(name, column.missing, outcome, len(context.table.columns))
    return found


def _turns(context: Context, asked: Asked, candidates: list[str]) -> list[Finding]:
    """Search every other candidate for one within whose levels the relation of the rows turns round."""
    if len(asked.rows) != 1 or asked.counts is not None or context.outcome is None:
        return []
    return context.turns([*asked.rows, *candidates], asked.rows[0])
