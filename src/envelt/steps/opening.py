"""From data and decisions to a context, and from one context to another; every function here is pure."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..core.columns.derive import derive, in_order, origins
from ..core.columns.encode import NO_PLAN, encode, encode_table
from ..core.columns.expression import rows_where
from ..core.columns.outcome import ClassOutcome, resolve_outcome
from ..core.columns.plan import ColumnPlan, DerivedPlan, column_plan, derived_plan
from ..core.columns.table import CategoryColumn, Table
from ..errors import EnveltError, ExpressionError, OptionError, OutcomeError, StudyFileError, pointing, unknown_column
from .checks import names_of
from .context import Context


def open_data(
    data: Any,
    *,
    outcome: str | None,
    event: str | None,
    unit: str | None,
    kinds: Mapping[str, str] | None,
    ignore: Iterable[str] | None,
    where: str | None,
    seed: int,
    columns: Mapping[str, Mapping[str, Any]] | None,
) -> Context:
    """Read a table; see `Study`."""
    plans = with_kinds({n: column_plan(n, given) for n, given in (columns or {}).items()}, kinds or {})
    return opened(data, outcome, event, unit, plans, names_of(ignore, "ignore"), where, seed, {})


def open_file(path: str | Path, options: Mapping[str, Any]) -> Context:
    """Open a study file; see `Study.open`."""
    from ..data.studyfile import line_at, read_study_file

    file = read_study_file(Path(path))
    given = {k: v for k, v in options.items() if v is not None and v != () and v != {}}
    ignore = names_of(given["ignore"], "ignore") if "ignore" in given else file.ignore
    event = file.event if given.get("outcome") in (None, file.outcome) else None
    try:
        context = opened(
            file.data, given.get("outcome", file.outcome), given.get("event", event), given.get("unit", file.unit),
            with_kinds(file.columns, given.get("kinds", {})), ignore, file.where, given.get("seed", file.seed),
            file.derived,
        )  # fmt: skip
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


def opened(
    data: Any,
    outcome: str | None,
    event: str | None,
    unit: str | None,
    plans: Mapping[str, ColumnPlan],
    ignore: tuple[str, ...],
    where: str | None,
    seed: int,
    derived: Mapping[str, DerivedPlan],
) -> Context:
    """Read a table, encode it, make its derived columns and keep the rows asked for."""
    from ..data.read import read_source

    _check_roles(outcome, unit, ignore, seed)
    of_data = {n: p for n, p in plans.items() if n not in derived}
    source = read_source(data, {n: p.kind for n, p in of_data.items()}, ignore)
    whole = encode_table(source.columns, source.rows, plans)
    source = replace(source, columns={})  # encoded, they are not needed any more
    context = Context(source, whole, whole, dict(plans), {}, (), outcome, event, unit, seed, None)
    for name in derived:
        _check_new(whole, name)
    for name in in_order(derived):
        with pointing("derived", name):
            context = _with_column(context, name, derived[name])
    if unit is not None and unit not in context.whole.columns:
        with pointing("study", "unit"):
            raise unknown_column(unit, context.whole.columns)
    return _chosen(replace(context, subset=(where,) if where is not None else ()))


def narrowed(context: Context, expression: str) -> Context:
    """Keep the rows where an expression holds."""
    return _chosen(replace(context, subset=(*context.subset, expression)))


def derived_with(
    context: Context,
    name: str,
    expression: str,
    cut: str,
    at: Iterable[float],
    names: Iterable[str],
    regroup: str,
    into: Mapping[str, Iterable[str]] | None,
) -> Context:
    """Add a column; see `Study.derive`."""
    given = {"expression": expression, "cut": cut, "at": list(at), "names": list(names), "regroup": regroup}
    plan = derived_plan(name, {**given, "into": {k: list(v) for k, v in (into or {}).items()}})
    return _chosen(_with_column(context, name, plan))


def _with_column(context: Context, name: str, plan: DerivedPlan) -> Context:
    """Make a derived column and note which columns it comes from."""
    whole = context.whole
    _check_new(whole, name)
    column = encode(name, derive(whole, plan), context.plans.get(name, NO_PLAN), whole.rows)
    recipe = plan.expression or f"{plan.cut or plan.regroup}, {'cut' if plan.cut else 'regrouped'}"
    column = replace(column, reason=f"{column.reason}; made from {recipe}")
    direct = origins(plan)
    known = context.origins
    made_from = frozenset(direct).union(*(known.get(o, frozenset()) for o in direct))
    table = Table({**whole.columns, name: column}, whole.rows)
    return replace(context, whole=table, origins={**known, name: made_from})


def _check_new(whole: Table, name: str) -> None:
    if name in whole.columns:
        raise OptionError(f"There is a column {name!r} already: give the derived one another name.")


def _chosen(context: Context) -> Context:
    """Keep the rows that were asked for, and read the outcome from them."""
    table = context.whole
    for i, expression in enumerate(context.subset):
        with pointing("study", "where") if i == 0 else pointing():
            keep = rows_where(table, expression)
        if not keep.any():
            raise ExpressionError(
                f"No row is left where {expression}. Loosen it, or look at the columns with inventory."
            )
        table = table.take(keep)
    name = context.outcome_name
    outcome = None
    if name is not None:
        with pointing("study", "event" if context.event is not None and name in table.columns else "outcome"):
            outcome = resolve_outcome(table, name, context.event or _event_of_all(context, table))
    return replace(context, table=table, outcome=outcome, _made={})


def _event_of_all(context: Context, table: Table) -> str | None:
    """Return the event of the whole table's outcome, so that no sign turns in a part of it; none if it is not there."""
    if not context.subset or context.outcome_name not in table.columns:
        return None
    try:
        whole = resolve_outcome(context.whole, str(context.outcome_name))
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


def _check_roles(outcome: str | None, unit: str | None, ignore: tuple[str, ...], seed: int) -> None:
    """Refuse a column given two roles that exclude each other."""
    if outcome is not None and outcome in ignore:
        raise OutcomeError(f"The outcome {outcome!r} is also to be ignored. Drop one of the two.")
    if unit is not None and unit == outcome:
        raise OutcomeError(f"{unit!r} cannot be both the outcome and the unit.")
    if unit is not None and unit in ignore:
        raise OptionError(f"The unit {unit!r} is also to be ignored. Drop one of the two.")
    if not isinstance(seed, int) or isinstance(seed, bool) or not 0 <= seed < 2**63:
        raise OptionError(f"The seed must be a whole number from 0 up, not {seed!r}.")
