"""How the outcome is spread: its classes, alone and by a second column, or its numbers."""

from __future__ import annotations

from functools import partial

import numpy as np

from ..core.balance.balance import BalanceAnswers, class_balance
from ..core.columns.axes import AxisLevels, Cuts, TableAxis, axis_of
from ..core.columns.grouping import Grouping
from ..core.columns.outcome import ClassOutcome, NumericOutcome
from ..core.columns.table import TimeColumn
from ..core.contingency.crosstab import cross_tabulate
from ..core.distribution.apart import tellers_of
from ..core.distribution.distribution import NumberDistribution
from ..core.distribution.look import Look
from ..core.stats.groups import GroupedRows
from ..core.transforms.suggest import advised
from ..views.balance import BalanceView
from .checks import refuse_itself
from .context import Context, once


@once
def show_balance(context: Context, by: tuple[str, ...]) -> BalanceView:
    """Describe the outcome; with ``by``, in the parts that other columns make."""
    outcome, names = context.known_outcome, context.names
    refuse_itself(by, (outcome.name,))
    title, about = f"How {names(outcome.name)} is spread", context.about
    columns = [context.table[n] for n in context.candidates]
    days = [] if context.unit is None else [c for c in (context.table[context.unit],) if isinstance(c, TimeColumn)]
    make = partial(BalanceAnswers, outcome, [*columns, *days], context.sampling, context.table.rows)
    if isinstance(outcome, NumericOutcome):
        return BalanceView(title, about, make(numbers=_numbers(context, outcome, by)), names)
    useful = [c for c in columns if c.kind not in ("identifier", "constant")]
    classes = class_balance(outcome, len(useful), context.sampling)
    if not by:
        return BalanceView(f"How the classes of {names(outcome.name)} are spread", about, make(classes=classes), names)
    rows = axis_of([context.table[n] for n in by], Cuts())
    table = cross_tabulate(
        rows, outcome_axis(outcome, True), outcome, sampling=context.sampling, seed=context.seed
    )  # fmt: skip
    title += f" by {' and '.join(names(n) for n in rows.axis.names)}"
    return BalanceView(title, (*about, *rows.axis.notes), make(classes=classes, crossed=table), names)


def outcome_axis(outcome: ClassOutcome, ordered: bool) -> TableAxis:
    """Return the axis that the classes of the outcome make, in their own order."""
    levels = tuple((level,) for level in outcome.levels)
    missing = int((outcome.codes < 0).sum())
    return TableAxis(AxisLevels((outcome.name,), levels, ordered, missing), outcome.codes)


def _numbers(context: Context, outcome: NumericOutcome, by: tuple[str, ...]) -> NumberDistribution:
    rows = len(outcome.values)
    grouping = context.grouping(by) if by else Grouping.of((), (outcome.name,), np.zeros(rows, np.int64))
    groups = GroupedRows(outcome.values, grouping.codes, grouping.labels, context.sampling)
    return NumberDistribution(
        (outcome.name,), outcome.name, groups, grouping.groups, Look(), context.table.rows, context.cases,
        limits=context.ranges.get(outcome.name), advise=advised, beside=tellers_of(context.table, (outcome.name,)),
    )  # fmt: skip
