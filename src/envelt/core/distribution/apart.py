"""Which column tells two peaks apart: on whose levels the one or the other lies."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from ..columns.table import CategoryColumn, Column, Table

Floats = NDArray[np.float64]


class Teller(NamedTuple):
    """A column that tells two peaks apart: its levels below and above the valley, and in which share of the rows."""

    name: str
    below: tuple[str, ...]
    above: tuple[str, ...]
    share: float


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
        right, wrong = int(table.max(axis=1).sum()), int(total.min())
        gain = 1 - (int(total.sum()) - right) / wrong
        if gain < T.TELLS:
            continue
        there = np.flatnonzero(table.sum(axis=1) > 0)
        above = table[there, 1] > table[there, 0]
        names = [str(c.levels[k]) for k in there]
        low, high = (tuple(n for n, a in zip(names, above, strict=True) if a == side) for side in (False, True))
        found.append((gain, -len(names), Teller(c.name, low, high, right / int(total.sum()))))
    return max(found)[2] if found else None
