"""Two numbers as a picture shows them: some dots, or how many rows lie in each cell of a grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..columns.grouping import Grouping
from ..shapes.ends import near_ends
from ..stats.trend import Line, least_squares

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MOST_DOTS = 1_500
"""With more rows dots hide each other, and the density of rows is shown instead."""
MOST_GROUP_DOTS = 6_000
"""Dots of all groups together; an even choice of more rows."""
CELLS = (72, 44)
MOST_GROUPS = 6


@dataclass(frozen=True)
class GridCells:
    """Rows in each cell of a grid: edges across and up, and counts of shape (across, up)."""

    across: Floats
    up: Floats
    counts: Floats


@dataclass(frozen=True)
class GroupCloud:
    """Some rows of one group, its place among the groups, its rows, its line and the ends between which it is drawn."""

    place: int
    n: int
    x: Floats
    y: Floats
    line: Line
    ends: Floats


@dataclass(frozen=True)
class Cloud:
    """Rows of two numbers.

    Parameters
    ----------
    across, up
        The ends of the axes: all values, or the middle 99.8 % where a few lie far out (``cut``).
    x, y
        The rows as dots, where they are few.
    cells
        The rows in a grid, where they are many.
    groups
        The largest groups, where a column divides the rows.
    """

    across: tuple[float, float]
    up: tuple[float, float]
    cut: bool
    x: Floats
    y: Floats
    cells: GridCells | None
    groups: tuple[GroupCloud, ...]


def make_cloud(x: Floats, y: Floats, groups: Grouping | None) -> Cloud:
    """Sum up rows for a picture.

    Parameters
    ----------
    x, y
        What is shown of the same rows, none missing, at least one, shape (n,).
    groups
        The group of each of these rows; none for one colour.
    """
    across, up = _limits(x), _limits(y)
    cut = any(lim[0] > v.min() or lim[1] < v.max() for lim, v in ((across, x), (up, y)))
    none = np.zeros(0)
    if groups is not None and len(groups) > 1:
        return Cloud(across, up, cut, none, none, None, _by_group(x, y, groups))
    if len(x) <= MOST_DOTS:
        return Cloud(across, up, cut, x, y, None, ())
    edges = [_edges(v, lim, k) for v, lim, k in zip((x, y), (across, up), CELLS, strict=True)]
    counts, *ends = np.histogram2d(x, y, bins=edges)
    return Cloud(across, up, cut, none, none, GridCells(ends[0], ends[1], counts), ())


def _by_group(x: Floats, y: Floats, groups: Grouping) -> tuple[GroupCloud, ...]:
    n = np.bincount(groups.codes[groups.codes >= 0], minlength=len(groups))
    step = -(-len(x) // MOST_GROUP_DOTS)
    made = []
    for g in np.sort(np.argsort(-n, kind="stable")[:MOST_GROUPS]).tolist():
        mine = np.flatnonzero(groups.codes == g)
        ends = np.quantile(x[mine], [0.01, 0.99]) if len(mine) else np.zeros(2)
        some = mine[::step]
        made.append(GroupCloud(g, int(n[g]), x[some], y[some], least_squares(x[mine], y[mine]), ends))
    return tuple(made)


def _limits(values: Floats) -> tuple[float, float]:
    """Return the ends of an axis, with a margin."""
    low, high = near_ends(values)
    margin = 0.03 * (high - low) or 0.5
    return low - margin, high + margin


def _edges(values: Floats, limits: tuple[float, float], cells: int) -> Floats:
    """Return the edges of a grid; half-way between values where there are few."""
    distinct = np.unique(values)
    if len(distinct) <= cells:
        middle = (distinct[1:] + distinct[:-1]) / 2
        step = float(np.diff(distinct).min()) if len(distinct) > 1 else 1.0
        return np.concatenate([[distinct[0] - step / 2], middle, [distinct[-1] + step / 2]])
    return np.linspace(*limits, cells + 1)
