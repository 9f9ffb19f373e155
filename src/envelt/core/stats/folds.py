"""Which rows are held out together: hash blocks, dealt into folds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .. import thresholds as T
from .draws import drawn, scattered

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Folds:
    """The fold of every hash block, in every repeat.

    Parameters
    ----------
    blocks
        The hash block of each row, shape (n,), 0 … ``BLOCKS`` − 1.
    fold_of_block
        Shape (repeats, ``BLOCKS``), 0 … ``FOLDS`` − 1.
    """

    blocks: NDArray[np.uint8]
    fold_of_block: NDArray[np.int64]

    def take(self, keep: NDArray[np.bool_]) -> Folds:
        """Return the folds of some of the rows."""
        return Folds(self.blocks[keep], self.fold_of_block)


def hash_blocks(keys: NDArray[np.integer], seed: int) -> NDArray[np.uint8]:
    """Return the block of each row from a hash of its key and the seed."""
    return (scattered(keys, seed) % np.uint64(T.BLOCKS)).astype(np.uint8)


def blocks_of(says: NDArray[np.integer], seed: int) -> NDArray[np.uint8]:
    """Return the block of each row by what it says; see `drawn`."""
    return (drawn(says, seed) % np.uint64(T.BLOCKS)).astype(np.uint8)


def folds_in_time(blocks: NDArray[np.uint8]) -> Folds:
    """Make five folds of neighbouring blocks, which are stretches of time; each repeat starts a fifth of one later.

    Parameters
    ----------
    blocks
        The stretch of each row, shape (n,), in the order of time.
    """
    size, places = T.BLOCKS // T.FOLDS, np.arange(T.BLOCKS)
    fold_of_block = np.stack([(places + r * size // T.REPEATS) // size % T.FOLDS for r in range(T.REPEATS)])
    return Folds(blocks, fold_of_block.astype(np.int64))


def deal(blocks: NDArray[np.uint8], load: Floats, seed: int, repeats: int = T.REPEATS) -> Folds:
    """Deal blocks into folds, several times over, so that each fold gets its share of the outcome.

    Blocks are put in order of what they hold of the outcome's rarest class (or of the numeric outcome's
    total); each run of five neighbours is spread over the five folds at random.

    Parameters
    ----------
    blocks
        The block of each row, shape (n,).
    load
        What is to be balanced: a number a row, shape (n,).
    """
    rng = np.random.default_rng([seed, 0x0F01D5])
    total = np.bincount(blocks, weights=load, minlength=T.BLOCKS)
    rows = np.bincount(blocks, minlength=T.BLOCKS)
    order = np.lexsort((rows, total))
    fold_of_block = np.empty((repeats, T.BLOCKS), np.int64)
    for repeat in range(repeats):
        dealt = [rng.permutation(T.FOLDS) for _ in range(T.BLOCKS // T.FOLDS)]
        fold_of_block[repeat, order] = np.concatenate(dealt)
    return Folds(blocks, fold_of_block)
