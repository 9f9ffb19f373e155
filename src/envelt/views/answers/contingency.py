"""What a cross-tabulation shows, in a sentence or two."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from ...core import thresholds as T
from ...core.columns.outcome import Classes, ClassOutcome
from ...core.words import plural
from ...write.digits import count, places
from .against import means_answer, rates_answer, within_answer
from .distribution import levels_answer
from .words import Table, all_of, points, share, told, with_n

if TYPE_CHECKING:
    from ..contingency import ContingencyView


def contingency_answer(view: ContingencyView) -> str:
    """Return the answer: where shares of the columns differ between rows, or the outcome's rates; within groups."""
    crossed, names = view.crossed, view.crossed.names
    first = crossed.first
    rows = " and ".join(map(names, first.rows.names))
    if len(crossed.tables) > 1 or first.label:
        return _in_parts(view, rows)
    if not view.table.index.is_unique or not view.table.columns.is_unique:
        return f"{plural(int(first.counts.sum()), 'row')} of {rows}, in bins too narrow to be named apart."
    if first.columns is None:
        if "rates" in view.tables:
            return _of_outcome(view, rows)
        return _one_axis(view.table, rows)
    said = _two_axes(view, rows, " and ".join(map(names, first.columns.names)))
    outcome = crossed.outcome
    own = outcome is not None and outcome.name in first.columns.names
    return f"{said} {_of_outcome(view, rows)}" if "rates" in view.tables and not own else said


def _in_parts(view: ContingencyView, rows: str) -> str:
    answers, names = view._answers, view.crossed.names
    by = "" if answers.by is None else all_of([names(n) for n in answers.by.names])
    compared = answers.compared
    if answers.has_within and compared is not None:
        event = f" is {compared.event}" if isinstance(compared, ClassOutcome) else ""
        within = within_answer(view.pooled, rows, f"{names(compared.name)}{event}", by)
        if within:
            return within
    return f"{plural(len(view.crossed.tables), 'table')} of {rows}, one for each part of {by}."


def _of_outcome(view: ContingencyView, rows: str) -> str:
    outcome = view.crossed.outcome
    rates: Table = view.rates
    if isinstance(outcome, Classes):
        return rates_answer(rates, None, f"{view.crossed.names(outcome.name)} is {outcome.event}", rows)
    assert outcome is not None
    return means_answer(rates, rates[[]], view.crossed.names(outcome.name), rows)


def _one_axis(table: Table, rows: str) -> str:
    ordered = table.sort_values("count", ascending=False, kind="stable")
    return levels_answer(rows, ordered.index, ordered["share"], len(table), int(table["count"].sum()))


def _event(view: ContingencyView, labels: list[Any]) -> int | None:
    """Return the place of the outcome's event among the columns; nothing where they are not the outcome's levels."""
    outcome, columns = view.crossed.outcome, view.crossed.first.columns
    if not isinstance(outcome, Classes) or columns is None or columns.names != (outcome.name,):
        return None
    return labels.index(outcome.event) if outcome.event in labels else None


def _two_axes(view: ContingencyView, rows: str, columns: str) -> str:
    counts: Table = view.table
    effects: Table = view.effects
    n = counts.sum(axis=1)
    if not n.any():
        return f"No row has both {rows} and {columns}."
    there = counts[n > 0]
    event = _event(view, list(there.columns))
    shares = there.div(there.sum(axis=1), axis=0)
    if len(there) < 2:
        return f"All {plural(int(n.sum()), 'row')} have {rows} {told(there.index[0])}."
    if there.shape == (2, 2) and not math.isnan(effects.loc["risk_difference", "low"]):
        value, low, high = effects.loc["risk_difference"]
        apart = (shares.iloc[1] - shares.iloc[0]).to_numpy()
        k = int(np.argmin(np.abs(apart - value)))
        if event is not None and event != k:
            k, value, low, high = event, -value, -high, -low
        level, first, second = told(there.columns[k]), there.index[1], there.index[0]
        said = (
            f"{columns} is {level} in {share(shares.iloc[1, k])} where {rows} is {told(first)} and in "
            f"{share(shares.iloc[0, k])} where it is {told(second)}"
        )
        each = f"n {count(n[first])} and {count(n[second])}"
        if low <= 0 <= high:
            return (
                f"{said}: no difference can be seen, {places(100 * low, 1)} to {places(100 * high, 1)} points ({each})."
            )
        return f"{said}: {points(value, low, high, 'more often' if value > 0 else 'less often')}, {each}."
    v, low, high = effects.loc["cramers_v"]
    many = there[there.sum(axis=1) >= T.FEW_ROWS]
    compared = shares.loc[many.index] if len(many) > 1 else shares
    spread = compared.max() - compared.min()
    k = int(np.argmax(spread.to_numpy())) if event is None else event
    if not spread.iloc[k] > 0:
        said = f"{columns} is {told(there.columns[k])} in {share(compared.iloc[0, k])}"
        return f"{said} at every level of {rows} ({with_n(n.sum())})."
    most, least = compared.iloc[:, k].idxmax(), compared.iloc[:, k].idxmin()
    said = (
        f"{columns} is {told(there.columns[k])} most often where {rows} is {told(most)}, "
        f"{share(compared.iloc[:, k].loc[most])} ({with_n(n[most])}), and least where it is {told(least)}, "
        f"{share(compared.iloc[:, k].loc[least])} ({with_n(n[least])})"
    )
    if math.isnan(v):
        return f"{said}."
    if low <= 0:
        return f"{said}: no more than chance makes (Cramér's V at most {places(high, 2)})."
    return f"{said}; Cramér's V {places(v, 2)} ({places(low, 2)} to {places(high, 2)})."
