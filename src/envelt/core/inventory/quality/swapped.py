"""Two numbers of one row in each other's place: a weight of 57 beside a height of 166, the other way round."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ... import thresholds as T
from ...columns.labels import number_label
from ...columns.table import NumericColumn, Table
from ...finding import Finding, marked

Floats = NDArray[np.float64]

MOST = 200
"""Numbers that are looked at, and far values of each: of more a column is no measure with slips."""


def swapped_values(table: Table) -> list[Finding]:
    """Find rows in which two numbers are both far out, and each would be ordinary in the place of the other."""
    numbers = [c for c in table if isinstance(c, NumericColumn)][:MOST]
    far: dict[int, list[int]] = {}
    limits: dict[int, tuple[float, float]] = {}
    for k, c in enumerate(numbers):
        there = c.values[~np.isnan(c.values)]
        if len(there) < T.LEAST_SHAPE:
            continue
        q1, middle, q3 = np.quantile(there, [0.25, 0.5, 0.75])
        reach = T.SWAPPED_FAR * float(q3 - q1)
        limits[k] = float(q1 - (q3 - q1)), float(q3 + (q3 - q1))
        with np.errstate(invalid="ignore"):
            rows = np.flatnonzero(np.abs(c.values - middle) > reach) if reach > 0 else np.zeros(0, np.int64)
        if 0 < len(rows) <= max(3, len(there) // 100) and len(rows) <= MOST:
            for row in rows.tolist():
                far.setdefault(row, []).append(k)
    found: dict[tuple[int, int], list[int]] = {}
    for row, of in far.items():
        for i, a in enumerate(of):
            for b in of[i + 1 :]:
                x, y = float(numbers[a].values[row]), float(numbers[b].values[row])
                if _inside(y, limits[a]) and _inside(x, limits[b]):
                    found.setdefault((a, b), []).append(row)
    return [
        _said(table, numbers[a], numbers[b], rows) for (a, b), rows in found.items()
        if all(_beyond_the_others(numbers[k].values, rows, limits[k]) for k in (a, b))
        and _off_the_line(numbers[a].values, numbers[b].values, rows)
    ]  # fmt: skip


def _beyond_the_others(values: Floats, rows: list[int], limits: tuple[float, float]) -> bool:
    """Say whether some rows lie beyond all others, by a sixth of what is ordinary: the far end of a tail is no swap."""
    others = np.delete(values, rows)
    least = (limits[1] - limits[0]) / 6
    gap = np.maximum(values[rows] - np.nanmax(others), np.nanmin(others) - values[rows])
    return bool((gap >= least).all())


def _off_the_line(x: Floats, y: Floats, rows: list[int]) -> bool:
    """Say whether rows lie far from how the two go together in all others: where they go on along it nothing is odd."""
    u, v = np.delete(x, rows), np.delete(y, rows)
    both = ~(np.isnan(u) | np.isnan(v))
    u, v = u[both], v[both]
    if len(u) < T.LEAST_SHAPE or not u.std() > 0:
        return False
    slope = float(np.mean((u - u.mean()) * (v - v.mean())) / u.var())
    left = (v - v.mean()) - slope * (u - u.mean())
    off = np.abs((y[rows] - v.mean()) - slope * (x[rows] - u.mean()))
    return bool((off > T.SWAPPED_OFF * left.std()).all())


def _inside(value: float, limits: tuple[float, float]) -> bool:
    return limits[0] <= value <= limits[1]


def _said(table: Table, a: NumericColumn, b: NumericColumn, rows: list[int]) -> Finding:
    row = rows[0]
    label = str(table.rows[row])
    x, y = (number_label(float(c.values[row])) for c in (a, b))
    more = f" So are those of {len(rows) - 1} more." if len(rows) > 1 else ""
    return Finding(
        "swapped-outliers",
        "caution",
        (a.name, b.name),
        f"Row {label} has {marked(a.name)} {x} and {marked(b.name)} {y}, both far from all others, and each would be "
        f"ordinary in the other's place: they seem swapped.{more}",
        "Look at the row where it was written down; mend it, or leave both values out.",
        {"rows": [str(table.rows[r]) for r in rows], "values": [float(a.values[row]), float(b.values[row])]},
    )
