"""A difference over all rows beside the one within groups of rows, pooled over the groups.

Each is given with the chance that the two differ no more than they would if the groups did not matter: from the rows'
influence on both, so that what the two share counts once. Where the groups have nothing to do with either side, nor
with the outcome, that chance is told too large, never too small: both distances from nothing are then noise, and their
product is smaller than its first order.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from .of_units.pairs import UnitsByLevels
from .sampling import Sampling

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Stratified:
    """A difference over all rows and within groups.

    Parameters
    ----------
    crude
        Over all rows that have a group.
    pooled
        Within groups, one estimate for all of them.
    agreement
        Whether the groups differ from it more than by chance, of groups that can bear a test; NaN where under two can.
    change
        z and p of the distance between crude and pooled.
    groups
        How many groups hold something on both sides.
    apart
        From the smallest to the largest difference of a group with ten rows a side (of slopes in all): rates, means or
        slopes.
    """

    crude: Estimate
    pooled: Estimate
    agreement: Significance
    change: Significance
    groups: int
    apart: float = 0.0


NOTHING = Stratified(UNDEFINED, UNDEFINED, UNDEFINED_TEST, UNDEFINED_TEST, 0)


def interval_of(value: float, variance: float, quantile: float, logged: bool = False) -> Estimate:
    """Return an estimate with an interval of so many standard errors, off the log scale where it is on it."""
    if not (np.isfinite(value) and np.isfinite(variance) and np.isfinite(quantile)):
        return UNDEFINED
    ends = value + np.array([0.0, -quantile, quantile]) * np.sqrt(variance)
    point, low, high = np.exp(ends) if logged else ends
    return Estimate(float(point), float(low), float(high))


def tested(distance: float, variance: float, of_pooled: float, sampling: Sampling) -> Significance:
    """Test a distance; where it varies only as rounding does beside the pooled estimate there is none."""
    if not (variance > 1e-20 * of_pooled and np.isfinite(distance)):
        return UNDEFINED_TEST
    z = distance / np.sqrt(variance)
    return Significance(float(z), sampling.tail(float(z)))


def units_in(group: Codes, size: int, sampling: Sampling) -> Floats:
    """Return how many units have a row in each group."""
    assert sampling.units is not None
    pairs = UnitsByLevels.of(sampling.units, group, (sampling.cases, size))
    return pairs.of_levels(np.ones(len(pairs.n)))


def unbiased_totals(pairs: UnitsByLevels, part: Floats) -> Floats:
    """Return the sum of row parts in each combination of unit and group, where a group's mean has been taken off them.

    That mean holds a share of the unit's own rows; the sum is divided by the root of 1 less the share.
    """
    n = pairs.of_levels(pairs.n)[pairs.level]
    return np.asarray(pairs.total(part) / np.sqrt(np.maximum(1 - pairs.n / n, 1e-12)))


def cochran_q(difference: Floats, variance: Floats) -> Significance:
    """Cochran's Q (1954, Biometrics 10, 101–129): whether differences of known variance are one."""
    known = variance > 0
    if known.sum() < 2:
        return UNDEFINED_TEST
    weight = 1 / variance[known]
    mean = np.sum(weight * difference[known]) / np.sum(weight)
    q = float(np.sum(weight * (difference[known] - mean) ** 2))
    return Significance(q, float(special.chdtrc(int(known.sum()) - 1, q)))
