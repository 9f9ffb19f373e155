"""How the outcome is spread: its classes, alone and by a second column, or its numbers."""

from __future__ import annotations

import numpy as np

from ..core.balance.balance import class_balance, drifts, outcome_missing
from ..core.columns.axes import Cuts, TableAxis, axis_of
from ..core.columns.grouping import Grouping
from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.table import TimeColumn
from ..core.contingency.crosstab import cross_tabulate
from ..core.distribution.distribution import number_distribution
from ..core.distribution.look import Look
from ..core.finding import by_weight
from ..view import View
from ..views.balance import balance_by_view, balance_view, numeric_balance_view
from .context import Context, refuse_itself


def show_balance(context: Context, candidates: list[str], by: tuple[str, ...]) -> View:
    """Describe the outcome; with ``by``, in the parts that other columns make."""
    outcome = context.known_outcome
    refuse_itself(by, (outcome.name,))
    dates = [c for c in context.table if isinstance(c, TimeColumn) and c.name in candidates]
    drift = drifts(outcome, dates)
    about = context.about(outcome)
    if isinstance(outcome, NumericOutcome):
        return _numbers(context, outcome, by, about, drift)
    assert isinstance(outcome, ClassOutcome)
    useful = [n for n in candidates if context.table[n].kind not in ("identifier", "constant")]
    result = class_balance(outcome, len(useful))
    findings = by_weight([*result.findings, *drift])
    if not by:
        return balance_view(result, about, findings, context.names)
    rows = axis_of([context.table[n] for n in by], Cuts())
    levels = tuple((level,) for level in outcome.levels)
    columns = TableAxis((outcome.name,), levels, outcome.codes.astype(np.int64), True, int((~outcome.known).sum()))
    table = cross_tabulate(rows, columns, outcome, units=context.unit_codes(), seed=context.seed)
    return balance_by_view(result, table, (*about, *rows.notes), findings, context.names)


def _numbers(
    context: Context, outcome: NumericOutcome, by: tuple[str, ...], about: tuple[str, ...], drift: list
) -> View:
    rows = len(outcome.values)
    grouping = context.grouping(by) if by else Grouping((), (outcome.name,), np.zeros(rows, np.int64))
    result = number_distribution(
        [outcome.name], outcome.name, outcome.values, grouping, Look(), row_labels=context.table.rows,
        limits=context.ranges.get(outcome.name), units=context.unit_codes(),
    )  # fmt: skip
    unknown = int((~outcome.known).sum())
    findings = by_weight([*outcome_missing(outcome.name, unknown, rows - unknown), *result.findings, *drift])
    return numeric_balance_view(result, about, findings, context.table.rows, context.names)
