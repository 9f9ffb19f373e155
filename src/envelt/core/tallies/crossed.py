"""How often two codes occur together."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .counts import count_codes, frequencies

Ints = NDArray[np.int64]


class Contingency:
    """Counts of two code columns together; ``-1`` is missing on either side."""

    def __init__(self, rows: int = 0, columns: int = 0) -> None:
        self._counts: Ints = np.zeros((rows + 1, columns + 1), np.int64)

    def add(
        self,
        rows: NDArray[np.integer],
        columns: NDArray[np.integer],
        weight: NDArray[np.generic] | None = None,
    ) -> None:
        """Add a batch: two code arrays of shape (n,)."""
        shape = (
            max(int(rows.max(initial=-1)) + 2, self._counts.shape[0]),
            max(int(columns.max(initial=-1)) + 2, self._counts.shape[1]),
        )
        cell = (rows.astype(np.int64) + 1) * shape[1] + columns + 1
        batch = Contingency()
        counted = count_codes(cell, shape[0] * shape[1], frequencies(weight, len(rows)))
        batch._counts = counted.reshape(shape)
        self.merge(batch)

    def merge(self, other: Contingency) -> None:
        """Take in another tally of the same two columns."""
        shape = np.maximum(self._counts.shape, other._counts.shape)
        grown = np.zeros(shape, np.int64)
        for part in (self._counts, other._counts):
            grown[: part.shape[0], : part.shape[1]] += part
        self._counts = grown

    def finish(self) -> tuple[Ints, int]:
        """Return the table of counts, shape (rows, columns), and the rows missing on either side."""
        table = self._counts[1:, 1:].copy()
        return table, int(self._counts.sum() - table.sum())
