"""What the rows of a table are: counts of others, or parts of places and cases that no column names."""

from __future__ import annotations

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ....errors import option
from ... import thresholds as T
from ...columns.names import hints
from ...columns.table import CategoryColumn, Column, NumericColumn, Table
from ...columns.times import is_time
from ...finding import Finding, marked
from ...shapes.ranks import ranks_of
from ...stats.correlation import pearson_coefficient
from ...words import plural

Floats = NDArray[np.float64]


MOST_COUNTS = 3
"""Whole numbers beside the categories of a table that is counted: all cases, and those of one kind."""


def counted_table(table: Table) -> list[Finding]:
    """Ask whether a table is counted already: every combination of its categories once, beside whole numbers."""
    numbers = [c for c in table if isinstance(c, NumericColumn) and _may_count(c)]
    named = [c for c in numbers if hints(c.name, "frequencies")]
    numbers = named if len(named) == 1 else [c for c in numbers if not _crosses(c)] or numbers
    if not 1 <= len(numbers) <= MOST_COUNTS:
        return []
    whole = [c for c in numbers if all((c.values >= o.values).all() for o in numbers)]
    counts = whole[0] if whole else numbers[0]
    others = [c for c in table if c.name not in {n.name for n in numbers}]
    if len(others) < 2 or not all(_is_axis(c) for c in others):
        return []
    cells = int(np.prod([c.distinct for c in others], dtype=float))
    if not (T.LEAST_CELLS <= len(table) <= cells and len(table) >= T.FULL_CROSSING * cells):
        return []
    keys = pd.DataFrame({c.name: _codes(c) for c in others})
    if keys.duplicated().any() or (keys < 0).to_numpy().any():
        return []
    total = int(np.nansum(counts.values))
    axes = ", ".join(marked(c.name) for c in others[:4]) + (f" and {len(others) - 4} more" if len(others) > 4 else "")
    sure = bool(named) or (len(numbers) > 1 and bool(whole))
    part = [marked(c.name) for c in numbers if c is not counts]
    never = f" ({' and '.join(part)} {'is' if len(part) == 1 else 'are'} never more)" if part and whole else ""
    return [
        Finding(
            "counted-table",
            "caution" if sure else "note",
            (counts.name, *(c.name for c in numbers if c is not counts), *(c.name for c in others)),
            f"Each of the {plural(len(table), 'row')} is a combination of {axes}, and no two are the same: does "
            f"{marked(counts.name)} count the cases of each ({total:,} in all){never}?",
            f"If so say it, {option('counts', counts.name)}: every step then counts cases. If it is a measurement, "
            "leave it.",
            {"rows": len(table), "combinations": cells, "total": total},
        )
    ]


def _crosses(c: NumericColumn) -> bool:
    """Say whether a number stands for levels that are crossed: each of its values in as many rows."""
    n = np.unique(c.values, return_counts=True)[1]
    return bool(2 <= len(n) <= T.MANY_LEVELS and n.min() >= T.FULL_CROSSING * n.max() and n.min() > 1)


def _may_count(c: Column) -> bool:
    """Say whether a column holds whole numbers from 0 up that are more than a few levels."""
    if not isinstance(c, NumericColumn) or c.missing.any() or is_time(c.name, c.values):
        return False
    whole = bool((c.values >= 0).all() and (c.values == np.floor(c.values)).all())
    return whole and (c.distinct > T.FEW_STEPS or hints(c.name, "frequencies"))


def _is_axis(c: Column) -> bool:
    return c.kind not in ("text", "constant", "datetime") and 2 <= c.distinct <= T.MANY_LEVELS


def _codes(c: Column) -> NDArray[np.int64]:
    if isinstance(c, CategoryColumn):
        return c.codes.astype(np.int64)
    return np.asarray(pd.factorize(c.numbers)[0], np.int64)  # type: ignore[arg-type]


def shared_values(table: Table) -> list[Finding]:
    """Find rows in groups that share the values of several numbers, as those of one place do, where nothing names them.

    The number of most different values stands for the groups; others must be the same within them and be no function
    of it that rises or falls.
    """
    n = len(table)
    numbers = [c for c in table if isinstance(c, NumericColumn) and T.FEW_STEPS <= c.distinct <= n / T.ROWS_A_PLACE]
    numbers = [c for c in numbers if not c.missing.any() and not is_time(c.name, c.values)]
    keys = [c for c in numbers if c.distinct >= T.LEAST_UNITS]
    for key in sorted(keys, key=lambda c: -c.distinct)[: T.MOST_KEYS]:
        codes, first = np.unique(key.values, return_index=True)
        group = np.searchsorted(codes, key.values)
        alike = []
        for c in numbers:
            if c.name == key.name:
                continue
            of_group = c.values[first]
            same = np.bincount(group, weights=c.values != of_group[group], minlength=len(codes)) == 0
            if (
                same.mean() >= T.SAME_WITHIN_PLACE
                and abs(pearson_coefficient(ranks_of(codes), ranks_of(of_group))) < T.NO_FUNCTION
            ):
                alike.append(c.name)
        if len(alike) >= T.SHARED_COLUMNS:
            return [_shared(key.name, alike, len(codes), n)]
    return []


def _shared(key: str, alike: list[str], groups: int, rows: int) -> Finding:
    names = ", ".join(map(marked, (key, *alike[:3]))) + (f" and {len(alike) - 3} more" if len(alike) > 3 else "")
    return Finding(
        "shared-values",
        "caution",
        (key, *alike),
        f"The {plural(rows, 'row')} come in about {plural(groups, 'group')} that share their values of "
        f"{names}, as those of "
        "one place or case do. Rows of one group are not independent.",
        f"Add the column that names the groups and declare it the unit; for now {marked(key)} can stand for it, "
        f"{option('unit', key)}.",
        {"groups": groups, "rows": rows, "columns": alike},
    )
