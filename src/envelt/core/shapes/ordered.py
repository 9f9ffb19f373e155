"""Sorted values that are asked, never handed out: an array in memory answers exactly, a sketch could to its error."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from .quantiles import sorted_quantiles
from .ranks import has_repeats, run_lengths

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class Ordered(Protocol):
    """What results, views and pictures may ask of the sorted values of one group."""

    def __len__(self) -> int:
        """Return how many values there are."""
        ...

    @property
    def low(self) -> float:
        """The smallest value; NaN where there is none."""
        ...

    @property
    def high(self) -> float:
        """The largest value; NaN where there is none."""
        ...

    def below(self, edges: Floats, side: Literal["left", "right"] = "left") -> Ints:
        """Return how many values lie below each edge; on the right side, how many do not lie above it."""
        ...

    def at(self, ranks: NDArray[np.integer]) -> Floats:
        """Return the values at ranks from 0."""
        ...

    def quantiles(self, shares: Floats) -> Floats:
        """Return type-7 quantiles; NaN where there is no value."""
        ...

    def sample(self, most: int) -> Floats:
        """Return the values, or an even choice of so many of them, sorted."""
        ...

    def top_values(self, most: int) -> tuple[Floats, Ints]:
        """Return the most frequent values and their counts, most frequent first, the smaller first on ties."""
        ...


class SortedArray:
    """Sorted values in memory.

    Parameters
    ----------
    values
        Shape (n,), sorted, none missing.
    """

    __slots__ = ("_values",)

    def __init__(self, values: Floats) -> None:
        self._values = values

    def __len__(self) -> int:
        return len(self._values)

    @property
    def low(self) -> float:
        """The smallest value."""
        return float(self._values[0]) if len(self._values) else float("nan")

    @property
    def high(self) -> float:
        """The largest value."""
        return float(self._values[-1]) if len(self._values) else float("nan")

    def below(self, edges: Floats, side: Literal["left", "right"] = "left") -> Ints:
        """Return how many values lie below each edge, or do not lie above it."""
        return np.asarray(np.searchsorted(self._values, edges, side), np.int64)

    def at(self, ranks: NDArray[np.integer]) -> Floats:
        """Return the values at ranks from 0."""
        return np.asarray(self._values[ranks])

    def quantiles(self, shares: Floats) -> Floats:
        """Return type-7 quantiles."""
        return sorted_quantiles(self._values, shares)

    def sample(self, most: int) -> Floats:
        """Return the values, or an even choice of so many."""
        return self._values[even_ranks(len(self._values), most)]

    def top_values(self, most: int) -> tuple[Floats, Ints]:
        """Return the most frequent values and their counts."""
        if len(self._values) == 0:
            return np.zeros(0), np.zeros(0, np.int64)
        if most == 1 and not has_repeats(self._values):
            return self._values[:1].copy(), np.ones(1, np.int64)
        runs = run_lengths(self._values)
        order = np.argsort(-runs, kind="stable")[:most]
        return self._values[(np.cumsum(runs) - 1)[order]], runs[order]


def even_ranks(n: int, most: int) -> NDArray[np.int64]:
    """Return the ranks of an even choice of so many of n sorted values, the first and last among them."""
    return np.arange(n) if n <= most else np.linspace(0, n - 1, most).astype(np.int64)


def pooled_quantiles(groups: Sequence[Ordered], shares: Floats) -> Floats:
    """Return type-7 quantiles of several groups together; NaN where there is no value."""
    n = sum(len(g) for g in groups)
    if n == 0:
        return np.full(len(shares), np.nan)
    place = shares * (n - 1)
    below = np.floor(place).astype(np.int64)
    low = np.array([_pooled_at(groups, int(k)) for k in below])
    high = np.array([_pooled_at(groups, int(k)) for k in np.minimum(below + 1, n - 1)])
    return np.asarray(low + (place - below) * (high - low))


def _pooled_at(groups: Sequence[Ordered], rank: int) -> float:
    """Return the value at a rank of several groups together, by halving the ranks of each in turn."""
    best = np.inf
    for g in groups:
        first, last = 0, len(g)  # the first of its values with more than ``rank`` values up to it
        while first < last:
            middle = (first + last) // 2
            value = g.at(np.array([middle]))
            upto = sum(int(other.below(value, "right")[0]) for other in groups)
            first, last = (first, middle) if upto > rank else (middle + 1, last)
        if first < len(g):
            best = min(best, float(g.at(np.array([first]))[0]))
    return best
