"""Levels that are too many, or have too few rows to be read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import number_label
from ...columns.names import names_rows
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...columns.times import is_time
from ...finding import Finding, marked
from ...words import plural

MOST_NAMED = 4


@dataclass(frozen=True)
class _Levels:
    """The levels of a column, or values of which there are few, and the rows of each."""

    name: str
    labels: list[str]
    rows: NDArray[np.int64]


def rare_findings(table: Table, outcome: str | None) -> list[Finding]:
    """Name levels of few rows, of all columns at once, and columns of very many levels.

    Parameters
    ----------
    outcome
        Its name: of its classes the balance speaks.
    """
    found, few = [], []
    for c in table:
        if c.name == outcome:
            continue
        levels = _levels(c)
        if levels is None:
            found += _names(c)
            continue
        present = int(levels.rows.sum())
        rare = np.flatnonzero(levels.rows < min(T.RARE_ROWS, max(T.RARE_SHARE * present, T.RARE_OF_FEW)))
        if len(levels.rows) > T.MANY_LEVELS:
            found.append(_many(levels, present))
        elif len(rare) and present >= T.ROWS_FOR_LEVELS // 2:
            few.append((levels, rare[np.argsort(levels.rows[rare], kind="stable")]))
    return [*found, *([_few(few)] if few else [])]


def _levels(c: Column) -> _Levels | None:
    if isinstance(c, CategoryColumn):
        names = c.kind == "nominal" and names_rows(c.name) and c.distinct > T.BY_VALUE
        if c.kind not in ("nominal", "binary", "ordinal") or names:
            return None
        there = np.flatnonzero(c.counts > 0)
        return _Levels(c.name, [repr(c.levels[k]) for k in there], c.counts[there].astype(np.int64))
    if not isinstance(c, NumericColumn) or not 2 <= c.distinct <= T.FEW_DISTINCT:
        return None
    values = c.values[~c.missing]
    if (values != np.floor(values)).any() or is_time(c.name, values):
        return None
    unique, rows = np.unique(values, return_counts=True)
    return _Levels(c.name, [number_label(v) for v in unique], rows.astype(np.int64))


def _names(c: Column) -> list[Finding]:
    """Count the names, as of places, that have few rows, where many do: of them alone no rate can be had."""
    if not isinstance(c, CategoryColumn) or c.kind != "nominal":
        return []
    rows = c.counts[c.counts > 0].astype(np.int64)
    few = np.count_nonzero(rows < T.FEW_ROWS)
    if few < T.FEW_NAMES * len(rows) or rows.sum() < T.ROWS_A_NAME * len(rows):
        return []
    return [_many(_Levels(c.name, [], rows), int(rows.sum()))]


def _many(levels: _Levels, present: int) -> Finding:
    rare = int(np.count_nonzero(levels.rows < T.FEW_ROWS))
    rest = f"; {rare} of them {'has' if rare == 1 else 'have'} under {T.FEW_ROWS} rows" if rare else ""
    return Finding(
        "many-levels",
        "note",
        (levels.name,),
        f"{marked(levels.name)} has {plural(len(levels.rows), 'level')} in {plural(present, 'row')}{rest}.",
        "Group its levels, or use rates shrunken towards the whole; one column a level would be too many.",
        {"levels": len(levels.rows), "rare": rare},
    )


def _few(few: list[tuple[_Levels, NDArray[np.intp]]]) -> Finding:
    few.sort(key=lambda f: int(f[0].rows[f[1][0]]))
    told = []
    for levels, rare in few[:MOST_NAMED]:
        shown = ", ".join(f"{levels.labels[k]} ({levels.rows[k]})" for k in rare[:3])
        told.append(f"{marked(levels.name)} {shown}{', …' if len(rare) > 3 else ''}")
    more = f"; and of {plural(len(few) - MOST_NAMED, 'more column')}" if len(few) > MOST_NAMED else ""
    return Finding(
        "rare-levels",
        "note",
        tuple(levels.name for levels, _ in few),
        f"Levels of few rows: {'; '.join(told)}{more}. A rate of under {T.RARE_ROWS} rows is known to about "
        "18 points either way.",
        "Join each with a neighbour or with 'other', or read it as an anecdote.",
        {"levels": {levels.name: {levels.labels[k]: int(levels.rows[k]) for k in rare} for levels, rare in few}},
    )
