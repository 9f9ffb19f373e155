"""Cross-tabulation of any columns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ..core.columns.axes import Cuts, TableAxis, axis_of
from ..core.columns.grouping import Grouping
from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import Column, NumericColumn, TimeColumn
from ..core.contingency.answers import ContingencyAnswers
from ..core.contingency.crosstab import CrossTable, checked_counts, cross_tabulate
from ..core.finding import labelled
from ..core.words import have, plural
from ..errors import OptionError, option
from ..views.contingency import ContingencyView, part_line
from ..write.digits import count
from .balance import outcome_axis
from .checks import refuse_itself
from .context import Context, once
from .doubt import doubted
from .opening import counted_by

MOST_PARTS = 60


@dataclass(frozen=True)
class CrossingAsked:
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
        if not self.rows:
            raise OptionError("Name the column of the rows.")
        for name in self.columns:
            if name in self.rows:
                raise OptionError(f"{name!r} against itself is a diagonal: name another column, or leave it out.")
        refuse_itself(self.by, (*self.rows, *self.columns))
        if self.picture == "rates" and self.shares != "row":
            raise OptionError("Rates are those of each row: leave shares out, or take cells or bars.")
        if self.picture in ("shares", "mosaic") and self.shares == "column" and self.by:
            instead = option("picture", "cells")
            raise OptionError(f"Bars of each column are drawn of one table: leave by out, or take {instead}.")


@doubted
@once
def tabulate(context: Context, asked: CrossingAsked) -> ContingencyView:
    """Tabulate rows by columns, in the parts that other columns make, and look at what turns round."""
    context, asked = _counted(context, asked)
    table, outcome, names = context.table, context.outcome, context.names
    _refuse_unused(asked.cuts, [table[n] for n in (*asked.rows, *asked.columns)])
    rows = axis_of([table[n] for n in asked.rows], asked.cuts)
    columns, event = None, None
    if isinstance(outcome, ClassOutcome) and asked.columns == (outcome.name,):
        two = len(outcome.levels) == 2
        columns, event = outcome_axis(outcome, two), 1 if two else outcome.event_code
    elif asked.columns:
        columns = axis_of([table[n] for n in asked.columns], asked.cuts)
    rated = None if outcome is None or outcome.name in asked.rows else outcome
    weight = _weight(context, asked)
    make = partial(
        cross_tabulate, rows, columns, rated, sampling=context.sampling, weight=weight, event=event, seed=context.seed
    )
    by = context.grouping(asked.by) if asked.by else None
    tables, skipped = ((make(),), 0) if by is None else _parts(by, make)
    if by is None and not tables[0].counts.sum():
        raise OptionError(f"No row has both {' and '.join((*asked.rows, *asked.columns))}: there is nothing to cross.")
    turning = rated is not None and len(asked.rows) == 1 and asked.counts is None and by is None
    answers = ContingencyAnswers(
        tables, tuple(table[n] for n in asked.rows), rated, context.sampling, by, len(table.columns),
        context.turns([*asked.rows, *context.candidates]) if turning else None,
    )  # fmt: skip
    of = " by ".join(" and ".join(names(n) for n in axis.axis.names) for axis in (rows, columns) if axis)
    within = f" within {' and '.join(names(n) for n in asked.by)}" if asked.by else ""
    return ContingencyView(
        answers, names, f"Counts of {of}{within}", _about(context, asked, rows, columns, weight),
        _of_rates(context, asked), (*context.counted, *part_line(tables, skipped)), shares=asked.shares, within=within,
        picture=asked.picture, colour=asked.colour, order=asked.order,
    )  # fmt: skip


def _counted(context: Context, asked: CrossingAsked) -> tuple[Context, CrossingAsked]:
    """Count rows before anything else where units are counted too: weights alone know no units.

    Raises
    ------
    OptionError
        The study is counted by another column.
    """
    whole = context.plan.counts
    if asked.counts is None or (whole is None and context.unit is None):
        return context, asked
    if whole not in (None, asked.counts):
        raise OptionError(f"Rows are counted by {whole!r} already: leave {option('counts', asked.counts)} out.")
    return (context if whole else counted_by(context, asked.counts)), replace(asked, counts=None)


def _weight(context: Context, asked: CrossingAsked) -> np.ndarray | None:
    """Return how many rows each row stands for, where the table is already counted."""
    if asked.counts is None:
        return None
    column = context.table[asked.counts]
    if not isinstance(column, NumericColumn):
        raise OptionError(f"{asked.counts!r} is {column.kind}: counts must be whole numbers.")
    return checked_counts(column.values, asked.counts)


def _parts(grouping: Grouping, make: Callable[..., CrossTable]) -> tuple[tuple[CrossTable, ...], int]:
    """Tabulate the largest parts of the rows, and count those without a row."""
    made = [make(part=part) for part in grouping.largest(MOST_PARTS)]
    tables = tuple(t for t in made if t.counts.sum())
    if not tables:
        raise OptionError(f"No part by {' and '.join(grouping.names)} has a row with both.")
    return tables, len(grouping) - len(tables)


def _refuse_unused(cuts: Cuts, columns: list[Column]) -> None:
    """Refuse bins where no column is a number, and units of the calendar where none is a date."""
    named = " and ".join(repr(c.name) for c in columns)
    if cuts.calendar is not None and not any(isinstance(c, TimeColumn) for c in columns):
        raise OptionError(f"The calendar is for dates, and {named} holds none: leave calendar out.")
    asked = cuts.bins is not None or cuts.width is not None or cuts.start is not None or bool(cuts.at)
    if asked and not any(isinstance(c, NumericColumn) for c in columns):
        raise OptionError(f"Bins and cut points are for numbers, and {named} holds none: leave them out.")


def _about(
    context: Context, asked: CrossingAsked, rows: TableAxis, columns: TableAxis | None, weight: np.ndarray | None
) -> tuple[str, ...]:
    total = len(context.table) if weight is None else int(weight.sum())
    counted = f", each counted {asked.counts} times" if weight is not None else ""
    lines = [
        f"{plural(len(context.table), 'row')}{counted}" + (f", {count(total)} in all" if counted else ""),
        *context.kept,
    ]
    for axis in (rows, columns):
        if axis is not None:
            lines += [labelled(note, context.names.given) for note in axis.axis.notes]
            if axis.axis.missing:
                names = " and ".join(context.names(n) for n in axis.axis.names)
                lines.append(f"{have(axis.axis.missing, 'row')} no {names}")
    return tuple(lines)


def _of_rates(context: Context, asked: CrossingAsked) -> tuple[str, ...]:
    """Say what rates are of."""
    outcome = context.outcome
    if not isinstance(outcome, ClassOutcome) or outcome.name in asked.rows:
        return ()
    return (f"rates are of {context.names(outcome.name)} = {outcome.event}",)
