"""Ranks of sorted values, without ever sorting rows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def average_ranks_in(reference: Floats, values: Floats) -> Floats:
    """Return how many of a sorted reference lie below each value, ties by half."""
    below = np.searchsorted(reference, values, "left")
    upto = np.searchsorted(reference, values, "right")
    return (below + upto) / 2


def run_lengths(ordered: NDArray[np.generic]) -> NDArray[np.int64]:
    """Return the length of each run of equal values in a sorted array."""
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    return np.diff(np.concatenate((starts, [len(ordered)]))).astype(np.int64)


def has_repeats(ordered: NDArray[np.generic]) -> bool:
    """Say whether a sorted array holds a value twice."""
    return bool((ordered[1:] == ordered[:-1]).any())


def mid_ranks(ordered: NDArray[np.generic]) -> Floats:
    """Return the rank of each place in a sorted array, from 1, equal values sharing their mean rank."""
    if len(ordered) == 0:
        return np.zeros(0)
    runs = run_lengths(ordered)
    ends = np.cumsum(runs)
    return np.repeat(ends - (runs - 1) / 2, runs)


def ranks_of(x: NDArray[np.generic]) -> Floats:
    """Return ranks from 1 of values, none missing, shape (n,); equal values share their mean rank."""
    order = np.argsort(x)  # the order of equal values does not matter
    ranked = np.empty(len(x))
    ranked[order] = mid_ranks(x[order])
    return ranked


def ranks_of_ordinals(ordinals: NDArray[np.integer]) -> Floats:
    """Return mid-ranks, from 1, of dense codes in order, of which some may not occur."""
    counts = np.bincount(ordinals)
    return np.asarray((np.cumsum(counts) - (counts - 1) / 2)[ordinals])


def tie_term(*groups: Floats) -> float:
    """Return the sum of t³ − t over the runs of equal values in all groups together."""
    pooled = np.concatenate(groups)
    pooled.sort(kind="stable")  # merges the sorted groups
    return tie_term_of(pooled)


def tie_term_of(pooled: Floats) -> float:
    """Return the sum of t³ − t over the runs of equal values in a sorted array."""
    if not has_repeats(pooled):
        return 0.0
    t = run_lengths(pooled).astype(np.float64)
    t = t[t > 1]
    return float(np.sum(t * t * t - t))
