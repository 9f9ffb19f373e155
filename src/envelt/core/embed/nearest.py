"""The nearest rows of every row."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from ..parallel import in_threads

Floats = NDArray[np.float64]
Singles = NDArray[np.float32]
Ints = NDArray[np.int64]

FEW_DIMENSIONS = 6
"""Up to which a k-d tree looks at few of the rows."""
BLOCK_BYTES = 1 << 27
EXACT_ROWS = 20_000
"""Above this an index is used, where there is one."""
CHECKED = 200
"""Rows on which the index is compared with all pairs."""
LEAST_RECALL = 0.9

Index = Callable[[Singles, Singles, int], tuple[Ints, Floats]]
"""Finds the nearest rows of the first array for those of the second: places and distances, the nearest first."""


class Nearest(NamedTuple):
    """The nearest other rows of every row.

    Parameters
    ----------
    at
        Their places, the nearest first, shape (n, k).
    distance
        Shape (n, k).
    how
        In words.
    """

    at: Ints
    distance: Floats
    how: str


def prepared(values: Floats, distance: str) -> Floats:
    """Return values of which Euclidean distances order pairs as a distance does: unit length for cosine."""
    if distance != "cosine":
        return values
    length = np.sqrt(np.sum(values**2, axis=1, keepdims=True))
    return np.asarray(np.divide(values, length, out=np.zeros_like(values), where=length > 0))


def nearest_rows(values: Floats, k: int, distance: str = "euclidean", index: Index | None = None) -> Nearest:
    """Return the k nearest other rows of every row.

    Parameters
    ----------
    values
        Shape (n, d), none missing; n > k.
    index
        Used above `EXACT_ROWS` rows; exact without one.
    """
    values = prepared(values, distance)
    if index is not None and len(values) > EXACT_ROWS and distance != "manhattan":
        single = np.ascontiguousarray(values, np.float32)
        at, far = index(single, single, k + 1)
        at, far = _without_self(at, far, np.arange(len(values)))
        asked = np.linspace(0, len(values) - 1, CHECKED).astype(np.int64)
        exact, _ = nearest_among(values, values[asked], k + 1, distance)
        found = [len(np.intersect1d(a, b[b != row])) for a, b, row in zip(at[asked], exact, asked, strict=True)]
        recall = float(np.mean(found)) / k
        if recall >= LEAST_RECALL and (at >= 0).all():
            return Nearest(at, far, f"an index of neighbours; {recall:.1%} of the nearest of {CHECKED} rows are found")
    at, far = nearest_among(values, values, k + 1, distance)
    at, far = _without_self(at, far, np.arange(len(values)))
    return Nearest(at, far, "all pairs of rows" if values.shape[1] > FEW_DIMENSIONS else "a k-d tree")


def nearest_among(rows: Floats, asked: Floats, k: int, distance: str = "euclidean") -> tuple[Ints, Floats]:
    """Return the k rows nearest to each of the rows asked about, the nearest first; exact."""
    if rows.shape[1] <= FEW_DIMENSIONS or distance == "manhattan":
        far, at = scipy.spatial.cKDTree(rows).query(asked, k, p=1 if distance == "manhattan" else 2, workers=-1)
        return np.reshape(at, (len(asked), -1)).astype(np.int64), np.reshape(far, (len(asked), -1))
    return _by_products(rows, asked, k)


def _by_products(rows: Floats, asked: Floats, k: int) -> tuple[Ints, Floats]:
    """Compare blocks by matrix products in single precision, then measure the nearest exactly."""
    centre = rows.mean(axis=0)
    near = np.ascontiguousarray(rows - centre, np.float32)
    length = np.einsum("ij,ij->i", near, near)
    size = max(1, int(BLOCK_BYTES / 4 / len(rows)))
    more = min(len(rows), k + 8)  # rounding may swap neighbours that lie equally far
    starts = list(range(0, len(asked), size))
    at = np.empty((len(asked), k), np.int64)
    far = np.empty((len(asked), k))

    def one(start: int) -> None:
        part = asked[start : start + size]
        single = np.ascontiguousarray(part - centre, np.float32)
        score = length - 2 * (single @ near.T)
        some = np.argpartition(score, more - 1, axis=1)[:, :more] if more < len(rows) else np.tile(
            np.arange(len(rows)), (len(part), 1)
        )  # fmt: skip
        exact = np.sqrt(np.sum((rows[some] - part[:, None]) ** 2, axis=2))
        order = np.argsort(exact, axis=1, kind="stable")[:, :k]
        at[start : start + size] = np.take_along_axis(some, order, 1)
        far[start : start + size] = np.take_along_axis(exact, order, 1)

    in_threads(one, starts, len(rows))
    return at, far


def _without_self(at: Ints, far: Floats, own: Ints) -> tuple[Ints, Floats]:
    """Leave each row itself out of its nearest; where duplicates push it out, the last."""
    is_self = at == own[:, None]
    is_self[~is_self.any(axis=1), -1] = True
    keep = ~is_self
    k = at.shape[1] - 1
    return at[keep].reshape(-1, k), far[keep].reshape(-1, k)
