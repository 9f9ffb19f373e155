"""Statistics that are the squared length of a sum of units' vectors, as chi-square and Kruskal–Wallis's H are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED_TEST, Significance
from .pairs import dense

Floats = NDArray[np.float64]
Factor = tuple[float, Any]
"""A sign, and a matrix (dense or sparse) of units by coordinates: products of its rows are added or taken away."""

LOOKED_AT = 400
"""Units whose vectors are set against each other, chosen evenly, to see along how many directions they vary."""


@dataclass(frozen=True)
class Spread:
    """How long the sum is where nothing but chance makes it.

    Parameters
    ----------
    length
        The squared length of the sum.
    mean
        Its mean by chance: the trace of the sum's covariance.
    df, df_within
        Satterthwaite's degrees of freedom of the squared length, and of the trace.
    """

    length: float
    mean: float
    df: float
    df_within: float

    @property
    def test(self) -> Significance:
        """The squared length over its mean by chance, an F, with its p."""
        if not (self.mean > 0 and self.df_within > 0 and np.isfinite(self.length)):
            return UNDEFINED_TEST
        f = self.length / self.mean
        return Significance(f, float(special.fdtrc(self.df, self.df_within, f)))


def spread_of(factors: Sequence[Factor], most: float) -> Spread:
    """Return how the sum of units' vectors varies, whatever the rows of a unit have to do with each other.

    Parameters
    ----------
    factors
        Of the products of units' vectors: G = Σ sign · F F′, each F of shape (units, coordinates).
    most
        How many directions the vectors span at most.

    References
    ----------
    Rao & Scott (1984), Annals of Statistics 12, 46–60, the second-order correction; with F in place of chi-square:
    Thomas & Rao (1987), Journal of the American Statistical Association 82, 630–636.
    """
    if len(factors) == 1 and isinstance(factors[0][1], np.ndarray) and factors[0][1].shape[1] <= LOOKED_AT:
        return _spread_of_vectors(factors[0][1], most)
    count = factors[0][1].shape[0]
    if count < 3 or most < 1:
        return Spread(float("nan"), float("nan"), float("nan"), 0.0)
    sums = [np.asarray(f.sum(axis=0)).ravel() for _, f in factors]
    length = float(sum(sign * (s @ s) for (sign, _), s in zip(factors, sums, strict=True)))
    own = sum(sign * np.asarray((f * f).sum(axis=1)).ravel() for sign, f in factors)
    with_mean = sum(sign * np.asarray(f @ s).ravel() for (sign, f), s in zip(factors, sums, strict=True)) / count
    middle = length / count**2
    away = np.maximum(own - 2 * with_mean + middle, 0.0)  # squared distances from the units' mean vector
    if most == 1 or not away.any():
        return _spread(length, away, 0.0, most)
    some = np.arange(0, count, max(1, -(-count // LOOKED_AT)))
    products = sum(sign * dense(f[some] @ f[some].T) for sign, f in factors)
    products = products - with_mean[some][:, None] - with_mean[some] + middle
    m = len(some)
    beside = float(np.sum(products**2) - np.sum(np.diag(products) ** 2))
    return _spread(length, away, beside / (m * (m - 1)), most)


def _spread_of_vectors(parts: Floats, most: float) -> Spread:
    """Return the same from the units' vectors themselves, shape (units, k)."""
    count = len(parts)
    if count < 3 or most < 1:
        return Spread(float("nan"), float("nan"), float("nan"), 0.0)
    total = parts.sum(axis=0)
    centred = parts - total / count
    own = np.sum(centred**2, axis=1)
    beside = float(np.sum((centred.T @ centred) ** 2) - np.sum(own**2))
    return _spread(float(total @ total), own, beside / (count * (count - 1)), most)


def _spread(length: float, away: Floats, product: float, most: float) -> Spread:
    """Put a spread together from the units' squared distances and the mean squared product of two units' vectors."""
    count = len(away)
    larger = count / (count - 1)
    trace = larger * float(away.sum())
    if trace <= 0:
        return Spread(length, trace, 1.0, count - 1.0)
    # units of unlike weight, or of few rows, make the trace itself uncertain
    uneven = float(np.sum((away - away.mean()) ** 2)) * larger**3
    known = 2 * trace**2 / uneven if uneven > 0 else np.inf
    if most == 1:
        return Spread(length, trace, 1.0, max(min(count - 1.0, known), 1.0))
    # products of different units have mean square tr(C²) / U², where C is the covariance of the sum
    squared = max(product, 0.0) * count * count * larger**2
    least = trace**2 / min(most, count - 1)
    df = max(trace**2 / max(squared, least), 1.0)
    return Spread(length, trace, df, max(min(df * (count - 1), known), 1.0))
