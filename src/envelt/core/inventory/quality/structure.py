"""What the rows of a table are: parts of places and cases that no column names."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ....errors import option
from ... import thresholds as T
from ...columns.table import NumericColumn, Table
from ...columns.times import is_time
from ...finding import Finding, marked
from ...shapes.ranks import ranks_of
from ...stats.correlation import pearson_coefficient
from ...words import plural

Floats = NDArray[np.float64]


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
