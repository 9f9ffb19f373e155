"""How far a map can be trusted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
TRIPLETS = 20_000
MEASURES = ("trustworthiness", "continuity", "neighbour_recall", "triplet_order")


class Measured(NamedTuple):
    """A measure and its standard error, 0 where every row was looked at."""

    value: float
    error: float


@dataclass(frozen=True)
class Quality:
    """What a map keeps.

    Parameters
    ----------
    trustworthiness, continuity
        Of the neighbours on the map, and of those in the full space (Venna & Kaski 2001, ICANN, 485–491).
    neighbour_recall
        The share of the nearest rows that are nearest on the map too.
    triplet_order
        How often the nearer of two rows chosen at random is the nearer on the map.
    rows
        Looked at.
    """

    trustworthiness: Measured
    continuity: Measured
    neighbour_recall: Measured
    triplet_order: Measured
    rows: int


def sample_size(n: int) -> int:
    """Return how many rows are looked at, among all."""
    return n if n <= 3_000 else 1_500 if n <= 20_000 else 500 if n <= 200_000 else 100


def quality_of(values: Floats, at: Floats, k: int, seed: int = 0, most: int | None = None) -> Quality:
    """Measure a map.

    Parameters
    ----------
    values
        In the full space, shape (n, d).
    at
        On the map, shape (n, 2).
    k
        Neighbours looked at, under n / 2.
    most
        Rows that are looked at, among all; `sample_size` by default.
    """
    n = len(values)
    size = min(sample_size(n) if most is None else most, n)
    rng = np.random.default_rng([seed, 0x9A117])
    asked = np.arange(n) if size == n else np.sort(rng.choice(n, size, replace=False))
    parts = np.empty((3, len(asked)))
    full_space, flat = _Space(values), _Space(at)
    for place, row in enumerate(asked.tolist()):
        full, near = full_space.distances(row), flat.distances(row)
        here, there = (np.argpartition(d, k - 1)[:k] for d in (full, near))
        parts[0, place] = np.sum(np.maximum(_ranks(full, there) - k, 0))
        parts[1, place] = np.sum(np.maximum(_ranks(near, here) - k, 0))
        parts[2, place] = len(np.intersect1d(here, there)) / k
    norm = 2 / (k * (2 * n - 3 * k - 1))
    parts[:2] = 1 - norm * parts[:2]
    trust, kept, recall = (_measured(p, size < n) for p in parts)
    return Quality(trust, kept, recall, _measured(_triplets(values, at, rng), True), size)


def _measured(values: Floats, sampled: bool) -> Measured:
    error = float(np.std(values) / np.sqrt(max(len(values), 1))) if sampled else 0.0
    return Measured(float(np.mean(values)), error)


class _Space:
    """Squared distances from one row to all."""

    def __init__(self, values: Floats) -> None:
        self._values = values - values.mean(axis=0)
        self._length = np.einsum("ij,ij->i", self._values, self._values)

    def distances(self, row: int) -> Floats:
        """Return the squared distance of every row from one; infinite for the row itself."""
        square = self._length + self._length[row] - 2 * (self._values @ self._values[row])
        square[row] = np.inf
        return np.asarray(square)


def _ranks(square: Floats, of: Ints) -> Ints:
    """Return which nearest some rows are, from 1; those equally far share the best."""
    return np.searchsorted(np.sort(square), square[of], "left") + 1


def _triplets(values: Floats, at: Floats, rng: np.random.Generator) -> Floats:
    n = len(values)
    if n < 3:
        return np.ones(1)
    i, j, k = (rng.integers(0, n, TRIPLETS) for _ in range(3))
    fit = (i != j) & (j != k) & (i != k)
    i, j, k = i[fit], j[fit], k[fit]

    def nearer(space: Floats) -> NDArray[np.bool_]:
        return np.asarray(np.sum((space[i] - space[j]) ** 2, axis=1) < np.sum((space[i] - space[k]) ** 2, axis=1))

    return np.asarray(nearer(values) == nearer(at), np.float64)


def laid_over(first: Floats, second: Floats) -> tuple[float, Floats]:
    """Return the Procrustes correlation of two maps of the same rows, and the second laid over the first.

    It is moved, turned, mirrored and scaled (Gower 1975, Psychometrika 40, 33–51); the correlation is sqrt(1 − m²), NaN
    where one map is a single point.
    """
    a, b = first - first.mean(axis=0), second - second.mean(axis=0)
    size_a, size_b = np.sqrt(np.sum(a * a)), np.sqrt(np.sum(b * b))
    if size_a == 0 or size_b == 0:
        return float("nan"), first.copy()
    left, power, right = np.linalg.svd(a.T @ b)
    fit = float(power.sum()) / (size_a * size_b)
    return fit, (b / size_b) @ (left @ right).T * fit * size_a + first.mean(axis=0)


def agreement(first: Floats, second: Floats) -> tuple[float, Floats]:
    """Return the Procrustes correlation of two maps, and how far each row moved, in deviations of the first."""
    fit, laid = laid_over(first, second)
    size = float(np.sqrt(np.mean((first - first.mean(axis=0)) ** 2))) or 1.0
    return fit, np.sqrt(np.sum((first - laid) ** 2, axis=1)) / size
