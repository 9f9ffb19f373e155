"""From data and decisions to a context, and from one context to another; every function here is pure."""

from __future__ import annotations

from collections.abc import Mapping, Sized
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.columns.derive import derive, in_order, origins
from ..core.columns.encode import NO_PLAN, encode, encode_table
from ..core.columns.expression import rows_where
from ..core.columns.outcome import ClassOutcome, resolve_outcome
from ..core.columns.plan import ColumnPlan, DerivedPlan, StudyPlan, column_plan, derived_plan, marks, says_usual
from ..core.columns.table import CategoryColumn, NumericColumn, Table, TimeColumn
from ..core.contingency.crosstab import checked_counts
from ..core.words import plural
from ..data.studyfile import is_study_file
from ..errors import (
    EnveltError,
    ExpressionError,
    OptionError,
    OutcomeError,
    StudyFileError,
    pointing,
    unknown_column,
)
from .checks import names_of
from .context import Context

MOST_COUNTED = 50_000_000
"""Rows that a counted table may stand for; more do not fit beside each other."""


def open_data(data: Any, options: Mapping[str, Any]) -> Context:
    """Read a table; see `Study`."""
    if is_study_file(data):
        return open_file(data, options)
    columns = options.get("columns") or {}
    plans = with_kinds({n: column_plan(n, given) for n, given in columns.items()}, options.get("kinds") or {})
    return opened(data, _changed(StudyPlan(columns=plans), options))


def open_file(path: str | Path, options: Mapping[str, Any]) -> Context:
    """Open a study file; see `Study.open`."""
    from ..data.studyfile import line_at, read_study_file

    file = read_study_file(Path(path))
    given = {k: v for k, v in options.items() if v is not None and not (isinstance(v, Sized) and len(v) == 0)}
    plan = file.plan
    columns = {n: _over(plan.columns.get(n, NO_PLAN), n, c) for n, c in given.get("columns", {}).items()}
    plan = replace(plan, columns=with_kinds({**plan.columns, **columns}, given.get("kinds", {})))
    if given.get("outcome") not in (None, plan.outcome):
        plan = replace(plan, event=None)
    try:
        context = opened(file.data, _changed(plan, {k: v for k, v in given.items() if k != "where"}))
    except StudyFileError:
        raise
    except EnveltError as error:
        line = line_at(file.path, error.at)
        if line is None:
            raise
        raise type(error)(f"{file.path}, line {line}: {error.args[0]}") from error
    via = f"{context.source.name} ({'; '.join([file.path.name, *file.notes])})"
    context = replace(context, source=replace(context.source, name=via))
    return narrowed(context, given["where"]) if "where" in given else context


def _over(plan: ColumnPlan, name: str, given: Mapping[str, Any]) -> ColumnPlan:
    """Return decisions about a column in which those given win."""
    checked = column_plan(name, given)
    return replace(plan, **{key: getattr(checked, key) for key in given})


def _changed(plan: StudyPlan, options: Mapping[str, Any]) -> StudyPlan:
    """Return a plan in which the options given win."""
    given = {k: v for k, v in options.items() if v is not None}
    changes: dict[str, Any] = {k: given[k] for k in ("outcome", "event", "unit", "counts", "seed") if k in given}
    if "ignore" in given:
        changes["ignore"] = names_of(given["ignore"], "ignore")
    if "missing" in given:
        changes["missing"] = marks("marks for missing", given["missing"])
        changes["usual"] = says_usual(given["missing"])
    if "where" in given:
        changes["where"] = (given["where"],)
    return replace(plan, **changes)


def opened(data: Any, plan: StudyPlan) -> Context:
    """Read a table, encode it, make its derived columns and keep the rows asked for."""
    from ..data.read import read_source

    _check_roles(plan)
    if plan.counts is not None and not plan.columns.get(plan.counts, NO_PLAN).kind:
        plan = replace(plan, columns=with_kinds(plan.columns, {plan.counts: "discrete"}))
    of_data = {n: p for n, p in plan.columns.items() if n not in plan.derived}
    source = read_source(data, {n: p.kind for n, p in of_data.items()}, plan.ignore)
    whole = encode_table(source.columns, source.rows, plan.columns, plan.missing, plan.usual)
    source = replace(source, columns={})  # encoded, they are not needed any more
    context = Context(source, whole, whole, whole, replace(plan, derived={}), {}, None)
    for name in plan.derived:
        _check_new(whole, name)
    for name in in_order(plan.derived):
        with pointing("derived", name):
            context = _with_column(context, name, plan.derived[name])
    for role in ("unit", "counts"):
        name = getattr(plan, role)
        if name is not None and name not in context.whole.columns:
            with pointing("study", role):
                raise unknown_column(name, context.whole.columns)
    return _chosen(context)


def narrowed(context: Context, expression: str) -> Context:
    """Keep the rows where an expression holds."""
    return _chosen(replace(context, plan=replace(context.plan, where=(*context.plan.where, expression))))


def counted_by(context: Context, name: str) -> Context:
    """Count each row as often as a column says."""
    return _chosen(replace(context, plan=replace(context.plan, counts=name)))


def derived_with(context: Context, name: str, recipe: Mapping[str, Any], about: Mapping[str, Any]) -> Context:
    """Add a column; see `Study.derive`.

    Parameters
    ----------
    recipe
        As in a study file.
    about
        Its kind, label, unit, range, labels, order, likewise.
    """
    column = column_plan(name, {k: v for k, v in about.items() if v})
    plans = {**context.plan.columns, name: column} if column != NO_PLAN else context.plan.columns
    context = replace(context, plan=replace(context.plan, columns=plans))
    return _chosen(_with_column(context, name, derived_plan(name, recipe)))


def _with_column(context: Context, name: str, recipe: DerivedPlan) -> Context:
    """Make a derived column and note which columns it comes from."""
    whole, plan = context.whole, context.plan
    _check_new(whole, name)
    column = encode(name, derive(whole, recipe, weight_of(whole, plan)), plan.columns.get(name, NO_PLAN), whole.rows)
    how = recipe.expression or f"{recipe.cut or recipe.regroup}, {'cut' if recipe.cut else 'regrouped'}"
    column = replace(column, reason=f"{column.reason}; made from {how}")
    direct = origins(recipe)
    known = context.origins
    made_from = frozenset(direct).union(*(known.get(o, frozenset()) for o in direct))
    table = Table({**whole.columns, name: column}, whole.rows)
    plan = replace(plan, derived={**plan.derived, name: recipe})
    return replace(context, whole=table, plan=plan, origins={**known, name: made_from})


def _check_new(whole: Table, name: str) -> None:
    if name in whole.columns:
        raise OptionError(f"There is a column {name!r} already: give the derived one another name.")


def _chosen(context: Context) -> Context:
    """Keep the rows that were asked for, count them as often as they stand for, and read the outcome from them."""
    plan, listed = context.plan, context.whole
    for i, expression in enumerate(plan.where):
        with pointing("study", "where") if i == 0 else pointing():
            keep = rows_where(listed, expression, weight_of(listed, plan))
        if not keep.any():
            raise ExpressionError(
                f"No row is left where {expression}. Loosen it, or look at the columns with inventory."
            )
        listed = listed.take(keep)
    table = listed
    if plan.counts is not None:
        with pointing("study", "counts"):
            table = _repeated(listed, plan)
    outcome = None
    if plan.outcome is not None:
        with pointing("study", "event" if plan.event is not None and plan.outcome in table.columns else "outcome"):
            outcome = resolve_outcome(table, plan.outcome, plan.event or _event_of_all(context, table))
    return replace(context, listed=listed, table=table, outcome=outcome)


def weight_of(table: Table, plan: StudyPlan) -> NDArray[np.float64] | None:
    """Return how often each row counts in means of groups, where a column says it; it is checked when it is used."""
    column = table.columns.get(plan.counts or "")
    return np.nan_to_num(column.values) if isinstance(column, NumericColumn) else None


def chosen_from(context: Context) -> Context:
    """Return the study of a part of a study's rows, of which expressions chose before; its event stays, if it is there.

    Else the rarer class of a part could be another, and signs would turn.
    """
    known, part = context.outcome, _chosen(context)
    if not isinstance(known, ClassOutcome) or not isinstance(part.outcome, ClassOutcome):
        return part
    if known.event == part.outcome.event or known.event not in part.outcome.levels:
        return part
    return replace(part, outcome=resolve_outcome(part.table, known.name, known.event))


def _repeated(listed: Table, plan: StudyPlan) -> Table:
    """Return each row as many times as a column says it stands for, with levels in the order that this gives them.

    Raises
    ------
    OptionError
    """
    name = str(plan.counts)
    column = listed[name]
    if column.numbers is None or isinstance(column, TimeColumn):
        raise OptionError(f"{name!r} is {column.kind}: counts must be whole numbers.")
    times = checked_counts(column.numbers, name)
    if times.sum() > MOST_COUNTED:
        raise OptionError(
            f"{name!r} stands for {plural(times.sum(), 'row')}, more than {MOST_COUNTED:,}: cross the table with "
            "contingency, which needs no rows, or count in thousands."
        )
    if not times.any():
        raise OptionError(f"{name!r} is 0 in every row: the table stands for no row.")
    table = listed.at(np.repeat(np.arange(len(listed)), times)).without([name])
    free = [c for c in table if isinstance(c, CategoryColumn) and c.kind in ("nominal", "text")]
    reordered = {c.name: c.by_frequency() for c in free if not plan.columns.get(c.name, NO_PLAN).order}
    return Table({**table.columns, **reordered}, table.rows)


def _event_of_all(context: Context, table: Table) -> str | None:
    """Return the event of the whole table's outcome, so that no sign turns in a part of it; none if it is not there."""
    if not context.plan.where or context.plan.outcome not in table.columns:
        return None
    try:
        whole = resolve_outcome(context.whole, str(context.plan.outcome))
    except OutcomeError:
        return None
    column = table[whole.name]
    if not (isinstance(whole, ClassOutcome) and isinstance(column, CategoryColumn)):
        return None
    there = {level for level, n in zip(column.levels, column.counts, strict=True) if n}
    return whole.event if whole.event in there else None


def with_kinds(plans: Mapping[str, ColumnPlan], kinds: Mapping[str, str]) -> dict[str, ColumnPlan]:
    """Return plans in which the kinds given win."""
    checked = {name: column_plan(name, {"kind": kind}).kind for name, kind in kinds.items()}
    return {**plans, **{name: replace(plans.get(name, NO_PLAN), kind=kind) for name, kind in checked.items()}}


def _check_roles(plan: StudyPlan) -> None:
    """Refuse a column given two roles that exclude each other."""
    roles = {r: getattr(plan, r) for r in ("outcome", "unit", "counts") if getattr(plan, r) is not None}
    for i, (role, name) in enumerate(roles.items()):
        kind = OutcomeError if role == "outcome" else OptionError
        if name in plan.ignore:
            raise kind(f"The {role} {name!r} is also to be ignored. Drop one of the two.")
        for other in list(roles)[:i]:
            if roles[other] == name:
                raise OutcomeError(f"{name!r} cannot be both the {other} and the {role}.")
    seed = plan.seed
    if not isinstance(seed, int) or isinstance(seed, bool) or not 0 <= seed < 2**63:
        raise OptionError(f"The seed must be a whole number from 0 up, not {seed!r}.")
