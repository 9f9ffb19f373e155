"""What happens along time."""

from __future__ import annotations

from dataclasses import dataclass

from ..core import thresholds as T
from ..core.columns.grouping import no_groups
from ..core.columns.outcome import ClassOutcome, NumericOutcome, Outcome, resolve_outcome
from ..core.columns.table import CategoryColumn, NumericColumn
from ..core.series.series import SeriesAnswers
from ..core.series.spans import spans_of
from ..core.words import plural
from ..errors import OptionError, option
from ..views.series import SeriesView
from .checks import refuse_empty, refuse_itself
from .context import Context, once

OF = {"mean": "a number", "sum": "a number", "rate": "levels"}


@dataclass(frozen=True)
class SeriesOptions:
    """What was asked for; see `Study.series`."""

    time: str
    value: str | None
    measure: str | None
    level: str | None
    by: tuple[str, ...]
    calendar: str | None
    grid: bool


@once
def show_series(context: Context, options: SeriesOptions) -> SeriesView:
    """Measure along time."""
    column = context.table[options.time]
    refuse_empty(column, "there is no time to go along")
    if options.measure == "count" and (options.value or options.level):
        raise OptionError("A count is of rows: leave out the column and its level, or take another measure.")
    named = options.value or (None if options.measure == "count" else context.plan.outcome)
    refuse_itself((*options.by, *((named,) if named else ())), (options.time,))
    refuse_itself(options.by, (named,) if named else ())
    value = _value(context, named, options.level)
    measure = options.measure or {ClassOutcome: "rate", NumericOutcome: "mean"}.get(type(value), "count")
    _refuse(measure, value, named)
    by = context.grouping(options.by) if options.by else no_groups(len(context.table))
    spans = spans_of(column, options.calendar, T.FEW_ROWS if measure in ("mean", "rate") else 0)
    if options.grid and (spans.unit != "month" or options.by):
        raise OptionError(
            "A grid has a row a year and a column a month, of all rows together: a date, "
            f"{option('calendar', 'month')}, and no by."
        )
    answers = SeriesAnswers(column.name, spans, None if measure == "count" else value, measure, by, context.sampling)
    about = [f"{plural(len(context.table), 'row')}", *context.kept]
    if answers.outside:
        about.append(f"left out: {plural(answers.outside, 'row')} without {context.names(column.name)}")
    if by.outside:
        about.append(f"left out: {plural(by.outside, 'row')} without a group")
    if measure in ("mean", "rate"):
        about += context.counted
    return SeriesView(answers, tuple(about), context.names, options.grid)


def _value(context: Context, name: str | None, level: str | None) -> Outcome | None:
    """Return what is measured: the outcome, or another column as one."""
    if name is None:
        if level is not None:
            raise OptionError("level is the level whose rate is shown: name the column it is of, too.")
        return None
    if context.outcome is not None and context.outcome.name == name and level is None:
        return context.outcome
    column = context.table[name]
    refuse_empty(column, "there is nothing to go along time")
    if level is None and (isinstance(column, NumericColumn) or column.kind == "constant"):
        numbers = column.as_written if isinstance(column, CategoryColumn) else column.numbers
        if numbers is not None:
            return NumericOutcome(name, numbers)  # an outcome differs between rows; what is summed need not
    return resolve_outcome(context.table, name, level)


def _refuse(measure: str, value: Outcome | None, name: str | None) -> None:
    if measure == "count":
        return
    if value is None:
        raise OptionError(f"Of what is the {measure}? Name a column, or an outcome of the study.")
    if isinstance(value, ClassOutcome) != (measure == "rate"):
        instead = "rate" if isinstance(value, ClassOutcome) else "mean"
        raise OptionError(
            f"A {measure} is of {OF[measure]}, and {name!r} is not that: {option('measure', instead, 'count')}."
        )
