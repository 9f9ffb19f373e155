"""What transforms do to a number, or to all of them."""

from __future__ import annotations

import numpy as np

from ..core.columns.table import CategoryColumn, Column, NumericColumn
from ..core.finding import Finding, by_weight
from ..core.later import Later
from ..core.transforms.compare import Compared, compare
from ..core.transforms.findings import said_of_transforms
from ..core.transforms.suggest import Suggestion, suggest
from ..core.words import plural
from ..errors import OptionError, option
from ..views.transforms import Group, Judged, TransformsSheetView, TransformsView
from ..write.progress import slow_progress
from .checks import refuse_empty, refuse_itself
from .context import Context, once

MOST_GROUPS = 12


@once
def show_transforms(context: Context, name: str, by: tuple[str, ...]) -> TransformsView:
    """Set the transforms of one column beside each other."""
    column = _checked(context.table[name])
    refuse_itself(by, (name,))
    groups = None if not by else Later(lambda: _groups(context, column, by))
    made = Later(lambda: judged(context, name))
    title = f"What transforms do to {context.names(name)}"
    about = (f"{plural(len(context.table), 'row')}", *context.kept)
    outcome = context.outcome.name if context.outcome is not None and context.outcome.name != name else None
    return TransformsView(made, groups, outcome, about, title, context.names)


@once
def show_transforms_sheet(context: Context, names: tuple[str, ...]) -> TransformsSheetView:
    """Suggest a transform for every number, or for those named."""
    chosen = [_checked(context.table[n]) for n in dict.fromkeys(names)] or numeric_candidates(context)
    if not chosen:
        raise OptionError("There is no numeric candidate to transform: inventory says what each column is.")

    def made() -> list[Judged]:
        out = []
        with slow_progress("Transforms") as report:
            for i, column in enumerate(chosen):
                report(i, len(chosen), column.name)
                out.append(judged(context, column.name))
        return out

    about = (f"{plural(len(context.table), 'row')}", *context.kept)
    title = f"Transforms of {plural(len(chosen), 'number')}"
    outcome = context.outcome.name if context.outcome is not None else None
    return TransformsSheetView(Later(made), len(chosen), outcome, about, title, context.names)


def numeric_candidates(context: Context) -> list[Column]:
    """Return the candidates that are quantities with two values at least."""
    columns = [context.table[n] for n in context.candidates]
    return [c for c in columns if isinstance(c, NumericColumn) and not c.empty and c.ends[0] < c.ends[1]]


@once
def judged(context: Context, name: str) -> Judged:
    """Return all transforms of a column and which is worth it."""
    column = context.table[name]
    values = column.numbers
    assert values is not None
    if context.outcome is not None and context.outcome.name != name:
        held = context.held_out
        compared = compare(name, values, context.sampling, held.target, held.folds, held.known)
    else:
        compared = compare(name, values, context.sampling)
    suggestion = suggest(compared, (values, context.sampling))
    return Judged(compared, suggestion, tuple(_said(compared, suggestion)))


def _checked(column: Column) -> Column:
    if isinstance(column, CategoryColumn):
        number = option("kind", f"{column.name}=continuous")
        raise OptionError(f"{column.name!r} is {column.kind}: only quantities are transformed. If it is one: {number}.")
    if not isinstance(column, NumericColumn):
        raise OptionError(f"{column.name!r} holds dates: derive a number from it first, such as its year or month.")
    refuse_empty(column, "there is nothing to transform")
    return column


def _said(compared: Compared, suggestion: Suggestion) -> tuple[Finding, ...]:
    return by_weight(said_of_transforms(compared, suggestion))


def _groups(context: Context, column: Column, by: tuple[str, ...]) -> list[Group]:
    """Set the transforms beside each other in each of the largest groups."""
    grouping, values = context.grouping(by), column.numbers
    assert values is not None
    n = np.bincount(grouping.codes[grouping.codes >= 0], minlength=len(grouping))
    largest = np.sort(np.argsort(-n, kind="stable")[:MOST_GROUPS])
    out = []
    for k in largest:
        inside = grouping.codes == k
        mine = values[inside]
        sampling = context.sampling.take(inside)
        compared = compare(column.name, mine, sampling)
        out.append(Group(grouping.labels[k], compared, suggest(compared, (mine, sampling))))
    return out
