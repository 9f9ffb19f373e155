"""How the outcome is spread: its classes, alone and by a second column, or its numbers."""

from __future__ import annotations

import numpy as np

from ..core.balance.balance import class_balance, drifts, outcome_missing
from ..core.columns.axes import AxisLevels, Cuts, TableAxis, axis_of
from ..core.columns.grouping import Grouping
from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.table import TimeColumn
from ..core.contingency.crosstab import cross_tabulate
from ..core.distribution.distribution import number_distribution
from ..core.distribution.look import Look
from ..core.finding import Finding, by_weight
from ..core.later import Later
from ..views.balance import BalanceView
from .checks import refuse_itself
from .context import Context, once


@once
def show_balance(context: Context, by: tuple[str, ...]) -> BalanceView:
    """Describe the outcome; with ``by``, in the parts that other columns make."""
    outcome = context.known_outcome
    refuse_itself(by, (outcome.name,))
    if isinstance(outcome, NumericOutcome):
        return _numbers(context, outcome, by)
    useful = [n for n in context.candidates if context.table[n].kind not in ("identifier", "constant")]
    result = class_balance(outcome, len(useful), context.sampling)
    found = Later(lambda: by_weight([*result.findings, *_drift(context)]))
    names = context.names
    if not by:
        title = f"How the classes of {names(outcome.name)} are spread"
        return BalanceView(title, context.about, found, names, classes=result)
    rows = axis_of([context.table[n] for n in by], Cuts())
    columns = outcome_axis(outcome, True)
    table = cross_tabulate(rows, columns, outcome, sampling=context.sampling, seed=context.seed)
    title = f"How {names(outcome.name)} is spread by {' and '.join(names(n) for n in rows.axis.names)}"
    about = (*context.about, *rows.axis.notes)
    return BalanceView(title, about, found, names, classes=result, crossed=table)


def outcome_axis(outcome: ClassOutcome, ordered: bool) -> TableAxis:
    """Return the axis that the classes of the outcome make, in their own order."""
    levels = tuple((level,) for level in outcome.levels)
    missing = int((outcome.codes < 0).sum())
    return TableAxis(AxisLevels((outcome.name,), levels, ordered, missing), outcome.codes)


def _drift(context: Context) -> list[Finding]:
    dates = [context.table[n] for n in context.candidates]
    return drifts(context.known_outcome, [c for c in dates if isinstance(c, TimeColumn)], context.sampling)


def _numbers(context: Context, outcome: NumericOutcome, by: tuple[str, ...]) -> BalanceView:
    rows = len(outcome.values)
    alone = Grouping.of((), (outcome.name,), np.zeros(rows, np.int64))
    result = number_distribution(
        [outcome.name], outcome.name, outcome.values, context.grouping(by) if by else alone, Look(),
        row_labels=context.table.rows, cases=context.cases, limits=context.ranges.get(outcome.name),
        sampling=context.sampling,
    )  # fmt: skip

    def found() -> tuple[Finding, ...]:
        unknown = int((~outcome.known).sum())
        missing = outcome_missing(outcome.name, unknown, rows - unknown)
        return by_weight([*missing, *result.findings, *_drift(context)])

    title = f"How {context.names(outcome.name)} is spread"
    return BalanceView(title, context.about, Later(found), context.names, numbers=result)
