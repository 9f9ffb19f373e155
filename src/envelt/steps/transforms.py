"""What transforms do to a number, or to all of them."""

from __future__ import annotations

from ..core.columns.outcome import ClassOutcome
from ..core.columns.table import CategoryColumn, Column, NumericColumn
from ..core.stats.held_out_line import MOST_FITTED
from ..core.transforms.answers import Judged, TransformsAnswers
from ..core.words import plural
from ..errors import OptionError, option
from ..views.transforms import TransformsSheetView, TransformsView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself
from .context import Context, once


@once
def show_transforms(context: Context, name: str, by: tuple[str, ...]) -> TransformsView:
    """Set the transforms of one column beside each other."""
    column = _checked(context.table[name])
    refuse_itself(by, (name,))
    answers = TransformsAnswers((judged(context, column.name),), context.grouping(by) if by else None, slow_progress)
    title = f"What transforms do to {context.names(name)}"
    about = _about(context)
    outcome = context.outcome.name if context.outcome is not None and context.outcome.name != name else None
    return TransformsView(answers, outcome, about, title, context.names)


@once
def show_transforms_sheet(context: Context, names: tuple[str, ...]) -> TransformsSheetView:
    """Suggest a transform for every number, or for those named."""
    chosen = [_checked(context.table[n]) for n in dict.fromkeys(names)] or numeric_candidates(context)
    if not chosen:
        raise OptionError("There is no numeric candidate to transform: inventory says what each column is.")

    answers = TransformsAnswers(tuple(judged(context, c.name) for c in chosen), None, slow_progress)
    about = _about(context)
    title = f"Transforms of {plural(len(chosen), 'number')}"
    outcome = context.outcome.name if context.outcome is not None else None
    return TransformsSheetView(answers, outcome, about, title, context.names)


def _about(context: Context) -> tuple[str, ...]:
    """Return lines on the rows, and on how straight lines of many classes are found."""
    lines = (f"{plural(len(context.table), 'row')}", *context.kept)
    outcome = context.outcome
    if not isinstance(outcome, ClassOutcome) or len(outcome.levels) <= MOST_FITTED:
        return lines
    many = f"{outcome.name} has {len(outcome.levels)} classes, more than {MOST_FITTED}"
    return (*lines, f"{many}: its straight lines come from their means, and are not fitted step by step")


def numeric_candidates(context: Context) -> list[Column]:
    """Return the candidates that are quantities with two values at least."""
    columns = [context.table[n] for n in context.candidates]
    return [c for c in columns if isinstance(c, NumericColumn) and not c.empty and c.ends[0] < c.ends[1]]


@once
def judged(context: Context, name: str) -> Judged:
    """Return all transforms of a column and which is worth it."""
    scored = context.outcome is not None and context.outcome.name != name
    return Judged(context.table[name], context.sampling, context.held_out if scored else None)


def _checked(column: Column) -> Column:
    if isinstance(column, CategoryColumn):
        number = option("kind", f"{column.name}=continuous")
        raise OptionError(f"{column.name!r} is {column.kind}: only quantities are transformed. If it is one: {number}.")
    if not isinstance(column, NumericColumn):
        raise OptionError(f"{column.name!r} holds dates: derive a number from it first, such as its year or month.")
    refuse_empty(column, "there is nothing to transform")
    return column
