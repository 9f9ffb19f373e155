"""Which rows a proposal is weighed on, and in which folds: drawn from what rows say, never from where they stand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..columns.coarse import coarse_of, said_by
from ..columns.table import CategoryColumn, Column
from ..stats.draws import scattered
from ..stats.folds import blocks_of, deal
from ..stats.heldout import HeldOutRows

MOST_ROWS = 8_000


def some_rows(columns: list[Column], held: HeldOutRows) -> NDArray[np.intp]:
    """Return the places, of all rows, of those with an outcome: all of few, an even choice of many."""
    return even_choice(columns, np.flatnonzero(held.known), held.seed, MOST_ROWS)


def even_choice(columns: list[Column], places: NDArray[np.intp], seed: int, most: int) -> NDArray[np.intp]:
    """Return some of the rows at some places, chosen by what they say in all columns; all where they are no more."""
    if len(places) <= most:
        return places
    says = np.zeros(len(places), np.uint64)
    for c in columns:
        if isinstance(c, CategoryColumn):
            says += scattered(c.codes[places], 1)
        elif c.numbers is not None:
            says += scattered((c.numbers[places] + 0.0).view(np.uint64), 1)
    says = scattered(says.view(np.int64), seed)
    chosen: NDArray[np.intp] = places[says <= np.sort(says)[most - 1]]
    return chosen


def folds_of(columns: list[Column], held: HeldOutRows) -> NDArray[np.int64]:
    """Return the fold of each row, 0 … 4; columns are of the rows that have an outcome."""
    folds = held.whole
    if folds is None:
        coarse = [b.with_missing() for b in map(coarse_of, columns) if b is not None]
        blocks = blocks_of(said_by([b.codes for b in coarse], held.target.ordinals), held.seed)
        folds = deal(blocks, held.target.load, held.seed, 1)
    return np.asarray(folds.fold_of_block[0][folds.blocks])
