"""How often each code occurs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]


def frequencies(weight: NDArray[np.generic] | None, n: int) -> Ints | None:
    """Check weights: whole, not negative, one a row. ``None`` stands for ones."""
    if weight is None:
        return None
    given = np.asarray(weight)
    if given.shape != (n,):
        raise ValueError(f"weight must hold one frequency a row ({n}), got shape {given.shape}")
    whole = given.astype(np.int64)
    if (whole != given).any() or (whole < 0).any():
        raise ValueError("weight must hold whole numbers of rows, none below zero")
    return whole


def count_codes(codes: NDArray[np.integer], size: int, weight: Ints | None = None) -> Ints:
    """Count codes ``0 … size-1``, each row as often as its weight says; exact up to 2^53."""
    if weight is None:
        return np.bincount(codes, minlength=size).astype(np.int64)
    return np.rint(np.bincount(codes, weights=weight.astype(np.float64), minlength=size)).astype(np.int64)


class Counts:
    """How often each code occurs; ``-1`` is missing. Levels may be added by later batches."""

    def __init__(self, size: int = 0) -> None:
        self._counts = np.zeros(size + 1, np.int64)

    def add(self, codes: NDArray[np.integer], weight: NDArray[np.generic] | None = None) -> None:
        """Add a batch of codes, shape (n,), ``-1`` for missing."""
        batch = Counts()
        batch._counts = count_codes(codes + 1, 1, frequencies(weight, len(codes)))
        self.merge(batch)

    def merge(self, other: Counts) -> None:
        """Take in another tally of the same column."""
        size = max(len(self._counts), len(other._counts))
        self._counts = np.pad(self._counts, (0, size - len(self._counts)))
        self._counts[: len(other._counts)] += other._counts

    def finish(self) -> tuple[Ints, int]:
        """Return the count of each code and the count of missing."""
        return self._counts[1:].copy(), int(self._counts[0])
