"""Quantiles by linear interpolation: Hyndman & Fan (1996), type 7."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..parallel import in_threads

Floats = NDArray[np.float64]


def sorted_quantiles(ordered: Floats, shares: Floats) -> Floats:
    """Return type-7 quantiles of an already sorted array; NaN when it is empty."""
    if len(ordered) == 0:
        return np.full(len(shares), np.nan)
    at = shares * (len(ordered) - 1)
    below = np.floor(at).astype(np.int64)
    above = np.minimum(below + 1, len(ordered) - 1)
    low, high = ordered[below], ordered[above]
    return low + (at - below) * (high - low)


def quantile_edges(ordered: Floats, bins: int) -> Floats:
    """Return the unique inner edges that cut a sorted array into at most ``bins`` equal shares."""
    return np.unique(sorted_quantiles(ordered, np.arange(1, bins) / bins))


def value_edges(ordered: Floats, bins: int) -> Floats:
    """Return the inner edges of bins of about equal numbers of rows, in which frequent values stand alone.

    The edges are the unique type-7 quantiles; a value that holds a share of the rows worth a bin, and each value
    of a column with no more different values than bins, is a bin of its own. A value equal to an edge goes right.

    Parameters
    ----------
    ordered
        Sorted values, shape (n,).
    """
    if len(ordered) == 0:
        return np.zeros(0)
    edges = quantile_edges(ordered, bins)
    if len(edges) < bins - 1 or len(ordered) <= bins:  # values repeat enough to be worth counting
        starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
        if len(starts) <= bins:
            return np.asarray(ordered[starts[1:]])
        n = np.diff(np.concatenate((starts, [len(ordered)])))
        alone = np.flatnonzero(n * bins >= len(ordered))
        after = alone[alone + 1 < len(starts)] + 1
        edges = np.unique(np.concatenate((edges, ordered[starts[alone]], ordered[starts[after]])))
    return np.asarray(edges[(edges > ordered[0]) & (edges <= ordered[-1])])


def few_values(groups: list[Floats], most: int) -> tuple[Floats, NDArray[np.int64]] | None:
    """Return the different values of sorted groups and their rows; nothing where there are more than ``most``."""
    unique, counts = [], []
    for ordered in groups:
        starts = np.flatnonzero(np.concatenate(([len(ordered) > 0], ordered[1:] != ordered[:-1])))
        if len(starts) > most:
            return None
        unique.append(ordered[starts])
        counts.append(np.diff(np.append(starts, len(ordered))))
    values, at = np.unique(np.concatenate(unique), return_inverse=True)
    if len(values) > most:
        return None
    return values, np.bincount(at, weights=np.concatenate(counts), minlength=len(values)).astype(np.int64)


def rate_edges(groups: list[Floats], bins: int, by_value: int, least: int) -> Floats:
    """Return the inner edges of bins in which a rate can be read.

    A column of few values has a bin for each, neighbours of too few rows joined; of others the bins are those of
    `value_edges`. A value equal to an edge goes right.

    Parameters
    ----------
    groups
        Sorted values in any number of groups.
    bins
        About how many bins, where there are many values.
    by_value
        So many values are few.
    least
        Rows in a bin of few values.
    """
    few = few_values(groups, by_value)
    if few is None:
        return value_edges(groups[0] if len(groups) == 1 else np.sort(np.concatenate(groups), kind="stable"), bins)
    values, counts = few
    edges, rows = [], 0
    for k, n in enumerate(counts.tolist()):
        if rows >= least and counts[k:].sum() >= least:
            edges.append(values[k])
            rows = 0
        rows += n
    return np.array(edges, np.float64)


FEW_GROUPS = 8
FEW_TO_SHARE = 10
"""Threads are worth it from so many times as many rows as for whole columns."""
Rows = list[NDArray[np.intp]]


def rows_of_groups(codes: NDArray[np.integer], groups: int) -> Rows | None:
    """Return the rows of each of a few groups, to be used for many columns; nothing for more groups."""
    return [np.flatnonzero(codes == g) for g in range(groups)] if groups <= FEW_GROUPS else None


def sorted_groups(values: Floats, codes: NDArray[np.integer], groups: int, rows: Rows | None = None) -> list[Floats]:
    """Return the values of each group, sorted; NaN values and ``-1`` codes are left out.

    ``rows`` are those of each group, where they are already known.
    """
    rows = rows_of_groups(codes, groups) if rows is None else rows
    if rows is not None:
        return in_threads(lambda at: sorted_present(values.take(at)), rows, len(values) // FEW_TO_SHARE)
    keep = ~np.isnan(values) & (codes >= 0)
    values, codes = values[keep], codes[keep]
    # short codes are sorted by their digits, many times as fast as the values; then each group by itself
    short = codes.astype(np.min_scalar_type(max(groups - 1, 0)))
    ends = np.cumsum(np.bincount(codes, minlength=groups))[:-1]
    return [sorted_present(g) for g in np.split(values[np.argsort(short, kind="stable")], ends)]


def sorted_present(values: Floats) -> Floats:
    """Sort values in place, and return them without NaN, which sorting puts last."""
    values.sort()
    if len(values) and np.isnan(values[-1]):
        return values[: np.searchsorted(values, np.nan)]
    return values
