"""Principal components: the directions of most variance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

EXACT_CELLS = 20_000_000
"""Rows times columns above which, with many columns, a few components are found at random."""
EXACT_COLUMNS = 600
"""Columns up to which the covariance of all is quick, however many the rows."""
PASSES = 4
OVERSAMPLED = 12


@dataclass(frozen=True)
class Components:
    """Principal components.

    Parameters
    ----------
    scores
        Of every row, shape (n, c).
    loadings
        The direction of each component, of length 1, shape (c, d); its largest entry is above zero.
    variance
        Along each, dividing by n − 1, shape (c,).
    total
        The variance of all columns.
    exact
        Whether they are exact, or found by random projection.
    """

    scores: Floats
    loadings: Floats
    variance: Floats
    total: float
    exact: bool

    @property
    def explained(self) -> Floats:
        """The share of the variance along each."""
        return self.variance / self.total if self.total > 0 else np.zeros_like(self.variance)


def principal_components(values: Floats, count: int, seed: int = 0) -> Components:
    """Return the first principal components.

    Parameters
    ----------
    values
        Shape (n, d), none missing, n > 1.
    count
        How many; at most min(n − 1, d) are there.

    References
    ----------
    By the covariance or the singular values of the centred values (Jolliffe 2002); of very many cells by random
    projection with power iterations (Halko, Martinsson & Tropp 2011, SIAM Review 53, 217–288, algorithm 4.4).
    """
    n, d = values.shape
    count = max(1, min(count, n - 1, d))
    centred = values - values.mean(axis=0)
    total = float(np.sum(centred**2)) / max(n - 1, 1)
    exact = d <= EXACT_COLUMNS or n * d <= EXACT_CELLS
    if d <= min(n, EXACT_COLUMNS) and n * d > 1_000_000:
        square, directions = np.linalg.eigh(centred.T @ centred / max(n - 1, 1))
        loadings = directions[:, ::-1][:, :count].T
        variance = np.maximum(square[::-1][:count], 0.0)
    elif exact:
        _, length, turned = np.linalg.svd(centred, full_matrices=False)
        loadings, variance = turned[:count], length[:count] ** 2 / max(n - 1, 1)
    else:
        loadings, variance = _at_random(centred, count, seed)
    largest = np.take_along_axis(loadings, np.argmax(np.abs(loadings), axis=1)[:, None], 1)
    loadings = loadings * np.where(largest < 0, -1.0, 1.0)
    return Components(centred @ loadings.T, loadings, variance, total, exact)


def _at_random(centred: Floats, count: int, seed: int) -> tuple[Floats, Floats]:
    rng = np.random.default_rng([seed, 0x9CA])
    n, d = centred.shape
    basis = np.linalg.qr(centred @ rng.normal(size=(d, min(count + OVERSAMPLED, d))))[0]
    for _ in range(PASSES):
        basis = np.linalg.qr(centred @ np.linalg.qr(centred.T @ basis)[0])[0]
    _, length, turned = np.linalg.svd(basis.T @ centred, full_matrices=False)
    return turned[:count], length[:count] ** 2 / max(n - 1, 1)


def elbow(explained: Floats) -> int:
    """Return after how many components the explained variance levels off: where it lies furthest under the chord."""
    c = len(explained)
    if c < 3 or explained[0] <= explained[-1]:
        return c
    chord = np.linspace(explained[0], explained[-1], c)
    return int(np.argmax(chord - explained)) or 1
