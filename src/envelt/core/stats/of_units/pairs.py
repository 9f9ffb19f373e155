"""Units by levels: which combinations occur, and what the rows of each add up to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

MOST_HELD = 2_000_000
"""Cells of a table of units by levels that is held whole."""


def dense(matrix: Any) -> Floats:
    """Return a matrix, scipy.sparse or not, as an array."""
    return np.asarray(matrix.toarray() if hasattr(matrix, "toarray") else matrix, np.float64)


@dataclass(frozen=True)
class UnitsByLevels:
    """The combinations of a unit and a level that occur.

    Parameters
    ----------
    shape
        How many units and levels there are.
    unit, level, n
        Of each combination: its unit, its level, its rows; shape (combinations,).
    at
        The combination of each row, shape (rows,).
    """

    shape: tuple[int, int]
    unit: Codes
    level: Codes
    n: Floats
    at: Codes

    @classmethod
    def of(cls, units: Codes, levels: Codes, shape: tuple[int, int]) -> UnitsByLevels:
        """Find the combinations of units and levels, none of them ``-1``, both of shape (rows,)."""
        key = units * shape[1] + levels
        if shape[0] * shape[1] <= max(4 * len(key), 1 << 16):
            n = np.bincount(key, minlength=shape[0] * shape[1])
            used = np.flatnonzero(n)
            place = np.cumsum(n > 0) - 1
            at, counts = place[key], n[used]
        else:
            used, at, counts = np.unique(key, return_inverse=True, return_counts=True)
        return cls(shape, used // shape[1], used % shape[1], counts.astype(np.float64), np.asarray(at, np.int64))

    def total(self, values: Floats) -> Floats:
        """Return the sum of the rows' values in each combination."""
        return np.asarray(np.bincount(self.at, weights=values, minlength=len(self.n)), np.float64)

    def of_levels(self, values: Floats) -> Floats:
        """Return the sum over the combinations of each level."""
        return np.asarray(np.bincount(self.level, weights=values, minlength=self.shape[1]), np.float64)

    def of_units(self, values: Floats) -> Floats:
        """Return the sum over the combinations of each unit."""
        return np.asarray(np.bincount(self.unit, weights=values, minlength=self.shape[0]), np.float64)

    @property
    def small(self) -> bool:
        """Whether units by levels are a table that is held whole."""
        return self.shape[0] * self.shape[1] <= MOST_HELD

    def matrix(self, values: Floats) -> Any:
        """Return values of the combinations as a matrix, units by levels; sparse where that is large."""
        if not self.small:
            return scipy.sparse.csr_array((values, (self.unit, self.level)), shape=self.shape)
        held = np.zeros(self.shape)
        held[self.unit, self.level] = values
        return held
