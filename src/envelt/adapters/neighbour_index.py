"""Nearest rows by an inverted-file index (the optional extra envelt[large])."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from ..core.embed.nearest import Floats, Index, Ints, Singles

PROBED = 24
"""Of the index's cells that are searched: nineteen in twenty nearest rows, measured for each map."""
TRAINED = 60_000


def neighbour_index() -> Index | None:
    """Return a function that finds nearest rows, or nothing where the package is not installed."""
    try:
        import faiss
    except ImportError:
        return None

    def search(rows: Singles, asked: Singles, k: int) -> tuple[Ints, Floats]:
        n, d = rows.shape
        index = faiss.IndexIVFFlat(faiss.IndexFlatL2(d), d, int(4 * np.sqrt(n)))
        index.train(rows[:: max(1, n // TRAINED)])
        index.add(rows)
        index.nprobe = PROBED
        square, at = index.search(asked, k)
        return at.astype(np.int64), np.sqrt(np.maximum(square, 0)).astype(np.float64)

    return search
