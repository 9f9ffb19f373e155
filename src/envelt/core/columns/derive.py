"""New columns from old ones: by expression, by cut points, by regrouping levels."""

from __future__ import annotations

from collections.abc import Mapping
from graphlib import CycleError, TopologicalSorter

import numpy as np
from numpy.typing import NDArray

from ...errors import ExpressionError, KindConflictError, did_you_mean
from .expression import derived_column
from .expression_words import names_in, speaks_of_other_rows
from .plan import DerivedPlan
from .raw import RawColumn, RawWords
from .table import CategoryColumn, NumericColumn, Table


def origins(plan: DerivedPlan) -> set[str]:
    """Return the columns a recipe names."""
    if plan.expression:
        return names_in(plan.expression)
    return {plan.cut or plan.regroup}


def over_other_rows(plan: DerivedPlan) -> bool:
    """Say whether a recipe gives a row what other rows hold, so that it gives something else among later rows."""
    return bool(plan.expression) and speaks_of_other_rows(plan.expression)


def in_order(plans: Mapping[str, DerivedPlan]) -> list[str]:
    """Return derived columns so that each comes after those it needs.

    Raises
    ------
    ExpressionError
        Some need each other.
    """
    try:
        return list(TopologicalSorter({n: origins(p) & plans.keys() for n, p in plans.items()}).static_order())
    except CycleError as error:
        circle = ", ".join(dict.fromkeys(error.args[1]))
        raise ExpressionError(f"The derived columns {circle} need each other: none can be made first.") from None


def derive(table: Table, plan: DerivedPlan, weight: NDArray[np.float64] | None = None) -> RawColumn:
    """Make a column; ``weight`` is how often each row counts.

    Raises
    ------
    ExpressionError, UnknownColumnError, KindConflictError
    """
    if plan.expression:
        return derived_column(table, plan.expression, weight)
    return _cut(table, plan) if plan.cut else _regroup(table, plan)


def _cut(table: Table, plan: DerivedPlan) -> RawWords:
    column = table[plan.cut]
    if not isinstance(column, NumericColumn):
        raise KindConflictError(f"Column {plan.cut!r} is {column.kind} and cannot be cut at numbers.")
    codes = np.where(column.missing, -1, np.searchsorted(np.array(plan.at), column.values, "right"))
    return RawWords(codes.astype(np.int32), list(plan.names), order=True)


def _regroup(table: Table, plan: DerivedPlan) -> RawWords:
    column = table[plan.regroup]
    if not isinstance(column, CategoryColumn):
        raise KindConflictError(f"Column {plan.regroup!r} is {column.kind} and has no levels to regroup.")
    new = {}
    place = {text: i for texts in (column.written, column.levels) for i, text in enumerate(texts)}
    for level, olds in plan.into.items():
        for old in olds:
            at = place.get(old)
            if at is None:
                hint = did_you_mean(old, column.levels)
                raise ExpressionError(f"Column {plan.regroup!r} has no level {old!r}.{hint}")
            new[at] = level
    named = [new.get(i, level) for i, level in enumerate(column.levels)]
    levels = {n: i for i, n in enumerate(dict.fromkeys(named))}
    at_new = np.array([*(levels[n] for n in named), -1], np.int32)
    return RawWords(at_new[column.codes], list(levels), column.ordered)
