"""How strongly rows hold on to their neighbours."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from .nearest import Nearest

Floats = NDArray[np.float64]
STEPS = 40


def affinities(nearest: Nearest, effective: float) -> scipy.sparse.csr_matrix:
    """Return symmetric affinities that sum to one, shape (n, n).

    Each row's weights fall off as a Gaussian of the distance whose width is such that their entropy is that of
    ``effective`` equal neighbours (Hinton & Roweis 2002, NIPS 15); the two directions of a pair are averaged (van der
    Maaten & Hinton 2008, JMLR 9, 2579–2605).
    """
    n, k = nearest.at.shape
    square = nearest.distance**2
    square = square - square[:, :1]
    scale = square.mean(axis=1, keepdims=True)
    square = square / np.where(scale > 0, scale, 1.0)
    target = np.log(min(effective, max(k - 0.5, 1.0)))
    low, high, at = np.zeros(n), np.full(n, np.inf), np.ones(n)
    weight = np.ones_like(square)
    for _ in range(STEPS):
        weight = np.exp(-square * at[:, None])
        total = weight.sum(axis=1)
        entropy = np.log(total) + at * (weight * square).sum(axis=1) / total
        wide = entropy > target  # too many count: fall off faster
        low, high = np.where(wide, at, low), np.where(wide, high, at)
        at = np.where(np.isinf(high), at * 2, (low + high) / 2)
    weight /= weight.sum(axis=1, keepdims=True)
    rows = np.repeat(np.arange(n), k)
    one = scipy.sparse.csr_matrix((weight.ravel(), (rows, nearest.at.ravel())), shape=(n, n))
    both = (one + one.T).tocsr()
    both.data /= both.data.sum()
    return both
