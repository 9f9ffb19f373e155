"""Whether estimates are one, when their variances are themselves estimated."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED_TEST, Significance

Floats = NDArray[np.float64]


def box_test(values: Floats, kept: Floats, variance: Floats, df: Floats) -> Significance:
    """Test that what a projection keeps of independent values is nothing, their variances free and estimated.

    |M z|² over its mean, an F with Satterthwaite's degrees of freedom: no value's own variance stands in a denominator,
    so that one which comes out small by chance makes no alarm.

    Parameters
    ----------
    values, variance, df
        z, the variance of each, and the degrees of freedom of that; shape (k,).
    kept
        The projection M, shape (k, k).

    References
    ----------
    Box (1954), Annals of Mathematical Statistics 25, 290–302; Brown & Forsythe (1974), Technometrics 16, 129–132.
    """
    length = float(np.sum((kept @ values) ** 2))
    parts = np.diag(kept) * variance
    by_chance = float(parts.sum())
    squared = float(np.sum(kept**2 * np.outer(variance, variance)))
    within = float(np.sum(parts**2 / df))
    if not (by_chance > 0 and squared > 0 and within > 0):
        return UNDEFINED_TEST
    f = length / by_chance
    return Significance(f, float(special.fdtrc(by_chance**2 / squared, by_chance**2 / within, f)))


def box_agreement(estimate: Floats, weight: Floats, variance: Floats, df: Floats) -> Significance:
    """Test that estimates of groups are one: Σ w (b − b̄)², by `box_test`.

    Parameters
    ----------
    estimate, weight, variance, df
        Of the groups: b, a weight that does not depend on b, the variance of b and its degrees of freedom.
    """
    root = np.sqrt(weight / weight.sum())
    middle = float(root @ (root * estimate))
    kept = np.eye(len(root)) - np.outer(root, root)
    scale = np.sqrt(weight)
    return box_test(scale * (estimate - middle), kept, weight * variance, df)
