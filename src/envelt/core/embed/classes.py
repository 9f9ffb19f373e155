"""Whether classes separate, and which rows sit among another class."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from ..stats.sampling import Sampling

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SUSPECT = 0.6
"""Of what chance leaves: neighbours of one other class, for a row to be looked at again."""


@dataclass(frozen=True)
class Separation:
    """Per class, the share of neighbours of its own, beside what chance would give; shapes (K,).

    ``cases`` are its cases: rows, or units that have a row in it.
    """

    n: Ints
    cases: Ints
    full: Floats
    on_map: Floats
    chance: Floats


def separation_of(codes: NDArray[np.integer], classes: int, full: Ints, on_map: Ints, sampling: Sampling) -> Separation:
    """Return how far classes keep to themselves.

    Parameters
    ----------
    codes
        The class of every row, −1 for none, shape (n,).
    full, on_map
        The nearest rows in the full space and on the map, shape (n, k).
    sampling
        What the rows are a sample of: cases each, or units.
    """
    known = codes >= 0
    n = np.bincount(codes[known], minlength=classes)
    out = []
    for near in (full, on_map):
        theirs = codes[near]
        own = (theirs == codes[:, None]).sum(axis=1) / np.maximum((theirs >= 0).sum(axis=1), 1)
        out.append(np.bincount(codes[known], weights=own[known], minlength=classes) / np.maximum(n, 1))
    chance = np.maximum(n - 1, 0) / max(int(n.sum()) - 1, 1)
    cases = n
    if sampling.units is not None:
        pairs = np.unique(sampling.units[known] * classes + codes[known])
        cases = np.bincount(pairs % classes, minlength=classes)
    return Separation(n, cases, out[0], out[1], chance)


@dataclass(frozen=True)
class Suspects:
    """Rows whose neighbours are mostly of another class, the surest first; shapes (s,)."""

    rows: Ints
    own: Ints
    theirs: Ints
    share: Floats
    distance: Floats

    def of(self, keep: NDArray[np.bool_]) -> Suspects:
        """Return some of them."""
        return Suspects(self.rows[keep], self.own[keep], self.theirs[keep], self.share[keep], self.distance[keep])


def suspects_of(codes: NDArray[np.integer], classes: int, full: Ints, distance: Floats) -> Suspects:
    """Return rows whose neighbours in the full space are mostly of one other class.

    Neighbours count by how near they are, and must be more than the share their class has of all rows, so that a
    large class does not claim the rows of a small one. ``distance`` is the mean distance to the neighbours over that of
    the middle row.
    """
    near = codes[full]
    weight = 1 / np.maximum(distance, np.maximum(distance[:, :1], 1e-12))
    votes = np.zeros((len(codes), classes))
    for k in range(classes):
        votes[:, k] = np.sum(weight * (near == k), axis=1)
    total = votes.sum(axis=1)
    share = np.divide(votes, total[:, None], out=np.zeros_like(votes), where=total[:, None] > 0)
    own = np.where(codes >= 0, share[np.arange(len(codes)), np.maximum(codes, 0)], 1.0)
    others = share.copy()
    others[np.arange(len(codes)), np.maximum(codes, 0)] = -1.0
    theirs = np.argmax(others, axis=1)
    best = others[np.arange(len(codes)), theirs]
    n = np.bincount(codes[codes >= 0], minlength=classes)
    chance = n[theirs] / max(int(n.sum()), 1)
    found = np.flatnonzero((codes >= 0) & (best >= chance + SUSPECT * (1 - chance)))
    away = distance.mean(axis=1) / max(float(np.median(distance.mean(axis=1))), 1e-300)
    order = np.lexsort((away[found], own[found], -best[found]))
    rows = found[order]
    return Suspects(rows, codes[rows].astype(np.int64), theirs[rows], best[rows], away[rows])


def pieces_of(near: Ints, least: int) -> Ints:
    """Return the piece each row of a map lies in, −1 for pieces of fewer rows than asked.

    Pieces are what hangs together by neighbours that each count the other among theirs.
    """
    n, k = near.shape
    rows = np.repeat(np.arange(n), k)
    links = scipy.sparse.csr_matrix((np.ones(n * k, np.int8), (rows, near.ravel())), shape=(n, n))
    both = links.minimum(links.T)
    _, piece = scipy.sparse.csgraph.connected_components(both, directed=False)
    size = np.bincount(piece)
    kept = np.flatnonzero(size >= least)
    renumber = np.full(len(size), -1, np.int64)
    renumber[kept[np.argsort(-size[kept], kind="stable")]] = np.arange(len(kept))
    return renumber[piece]
