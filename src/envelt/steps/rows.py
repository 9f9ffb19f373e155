"""Rows by a condition, by their labels, in an order."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..core.columns.expression import rows_where
from ..core.columns.expression_words import names_in
from ..core.rows.rows import RowsAnswers, in_order, labelled_rows, sorted_by
from ..core.words import plural
from ..errors import OptionError, option
from ..views.rows import RowsView
from .context import Context, once
from .opening import weight_of


@dataclass(frozen=True)
class RowsOptions:
    """What was asked for; see `Study.rows`."""

    expression: str
    sort: tuple[str, ...]
    columns: tuple[str, ...]
    most: int
    at: tuple[str, ...]


@once
def show_rows(context: Context, options: RowsOptions) -> RowsView:
    """Show rows of the data as they were read."""
    table = context.listed
    sorts = tuple(sorted_by(table, name)[0] for name in options.sort)
    for name in (*sorts, *options.columns):
        _ = table[name]
    if options.at and options.expression:
        raise OptionError(f"Name rows by their labels ({option('at', '3,17')}) or by an expression, not by both.")
    at = np.arange(len(table), dtype=np.intp)
    if options.at:
        at = labelled_rows(table, options.at)
    elif options.expression:
        at = np.flatnonzero(rows_where(table, options.expression, weight_of(table, context.plan)))
    at = in_order(table, at, options.sort)
    named = sorted(names_in(options.expression), key=list(table.columns).index) if options.expression else []
    case = () if context.cases is None else (context.cases.name,)
    outcome = () if context.plan.outcome is None else (context.plan.outcome,)
    first = options.columns or (*dict.fromkeys((*sorts, *named)), *outcome)
    if not options.columns and not sorts and not named:
        first = (*outcome, *[n for n in context.candidates if n not in case][:6])
    answers = RowsAnswers(table, at, tuple(dict.fromkeys((*case, *first))), options.most)
    about = (f"{plural(len(table), 'row')} of {context.source_name}", *context.kept)
    return RowsView(answers, options.expression, options.sort, options.at, about, context.names)
