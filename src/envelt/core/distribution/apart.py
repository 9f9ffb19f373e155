"""Values in two parts, and which column tells two peaks or parts apart: on whose levels the one or the other lies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.table import CategoryColumn, Column, Table
from ..stats.expected import column_lambda

Floats = NDArray[np.float64]


class Teller(NamedTuple):
    """A column that tells two peaks apart: its levels below and above the valley, and in which share of the rows."""

    name: str
    below: tuple[str, ...]
    above: tuple[str, ...]
    share: float


class Parts(NamedTuple):
    """Values in two parts: the largest of the lower, the smallest of the upper, and the rows of each."""

    below: float
    above: float
    rows: tuple[int, int]


def parts_of(body: Floats) -> Parts | None:
    """Return two parts of values that lie further apart than values of either do; of many values, many in each."""
    n = len(body)
    if n < T.LEAST_SHAPE or np.count_nonzero(np.diff(body)) + 1 < T.PARTS_DISTINCT:
        return None
    gaps = np.diff(body)
    k = int(np.argmax(gaps))
    rows = k + 1, n - k - 1
    widest, next_to_it = float(gaps[k]), float(np.max(np.delete(gaps, k)))
    if min(rows) < max(T.FEW_ROWS, T.PARTS_SHARE * n):
        return None
    inner = np.sqrt((rows[0] * body[: k + 1].var() + rows[1] * body[k + 1 :].var()) / n)
    if widest < T.PARTS_APART * inner:
        return None
    return Parts(float(body[k]), float(body[k + 1]), rows) if widest >= T.PARTS_GAP * next_to_it else None


def tellers_of(table: Table, but: Sequence[str]) -> tuple[CategoryColumn, ...]:
    """Return the columns in a few levels that could tell rows apart."""
    of: list[Column] = [c for c in table if c.kind in ("binary", "nominal", "ordinal") and c.name not in but]
    return tuple(c for c in of if isinstance(c, CategoryColumn) and 2 <= c.distinct <= T.TELLER_LEVELS)


def who_tells(values: Floats, valley: float, columns: Sequence[CategoryColumn]) -> Teller | None:
    """Return the column whose levels lie on one side of a valley each, in nearly all rows; the best of several.

    Of the rows that always saying the larger side would get wrong, its levels must get ``TELLS`` right (Goodman and
    Kruskal 1954, Journal of the American Statistical Association 49, 732–764: lambda of the side by the levels).

    Parameters
    ----------
    values
        Shape (n,), NaN for missing.
    columns
        Of the same rows.
    """
    found: list[tuple[float, int, Teller]] = []
    present = ~np.isnan(values)
    for c in columns:
        used = present & (c.codes >= 0)
        side = values[used] > valley
        table = np.bincount(2 * c.codes[used] + side, minlength=2 * len(c.levels)).reshape(-1, 2)
        total = table.sum(axis=0)
        if total.min() < T.FEW_ROWS:
            continue
        gain = column_lambda(table)
        if gain < T.TELLS:
            continue
        there = np.flatnonzero(table.sum(axis=1) > 0)
        above = table[there, 1] > table[there, 0]
        names = [str(c.levels[k]) for k in there]
        low, high = (tuple(n for n, a in zip(names, above, strict=True) if a == side) for side in (False, True))
        found.append((gain, -len(names), Teller(c.name, low, high, int(table.max(axis=1).sum()) / int(total.sum()))))
    return max(found)[2] if found else None
