"""What is left to chance, drawn from what rows say and never from where they stand.

Sorted otherwise, with a column more, in another unit or with other names for its levels, a table gets the same folds
and samples, and so the same numbers.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def scattered(keys: NDArray[np.integer], seed: int) -> NDArray[np.uint64]:
    """Return an even 64-bit number for each key and a seed: SplitMix64 (Steele, Lea & Flood 2014)."""
    with np.errstate(over="ignore"):
        z = keys.astype(np.uint64) + np.uint64(seed + 1) * np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(z ^ (z >> np.uint64(31)))


def drawn(says: NDArray[np.integer], seed: int) -> NDArray[np.uint64]:
    """Return a random number for each row, drawn from what the row says and not from where it stands.

    Parameters
    ----------
    says
        A code of what each row says, shape (n,). Rows that say the same are told apart by counting them, and which of
        them has which number does not matter.
    """
    small = len(says) > 0 and says.min() >= 0 and says.max() < 65_536  # such codes are sorted by counting
    order = np.argsort(says.astype(np.uint16), kind="stable") if small else np.argsort(says)
    ordered = says[order]
    new = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    nth = np.arange(len(says)) - np.repeat(new, np.diff(np.append(new, len(says))))
    out = np.empty(len(says), np.uint64)
    with np.errstate(over="ignore"):
        out[order] = scattered(scattered(ordered, seed) + nth.astype(np.uint64), seed)
    return out


def drawn_of_numbers(columns: list[Floats], seed: int) -> NDArray[np.uint64]:
    """Return a random number for each row, drawn from what numbers of shape (n,) say in it, in any order of these."""
    says = np.zeros(len(columns[0]), np.uint64)
    for values in columns:
        says += scattered((values + 0.0).view(np.uint64), 0)  # −0 is 0
    return drawn(says, seed)
