"""Groups of numbers whose rows come in units: tests over all groups, and of two groups in order."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import Estimate, Significance
from ...magnitude import in_unit
from .means import UnitMeans
from .pairs import UnitsByLevels
from .spread import Spread, spread_of

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


def between_groups(values: Floats, groups: Codes, size: int, units: Codes, count: int) -> tuple[Spread, float]:
    """Return the spread of what lies between groups, and the design effect of it.

    The statistic is Σ S_g² / p_g of the groups' sums S of centred values, p the share of rows; of ranks it is
    Kruskal–Wallis's H but for a factor. Units' parts are taken as if the groups did not differ.

    Parameters
    ----------
    values, groups, units
        Of the rows, none missing, shape (n,); groups 0 … size − 1, units 0 … count − 1.
    """
    pairs = UnitsByLevels.of(units, groups, (count, size))
    p = np.bincount(groups, minlength=size) / max(len(groups), 1)
    x = in_unit(values - values[0])[0]
    x = x - x.mean()
    root = np.sqrt(p[pairs.level])
    inside = pairs.matrix(pairs.total(x) / root)
    of_unit = np.bincount(units, weights=x, minlength=count)[:, None]
    factors = [(1.0, inside - of_unit * np.sqrt(p))] if pairs.small else [(1.0, inside), (-1.0, of_unit)]
    spread = spread_of(factors, float(np.count_nonzero(p) - 1))
    alone = float(np.sum((1 / p[groups] - 1) * x**2))
    return spread, spread.mean / alone if alone > 0 else 1.0


def mann_whitney(ranks: Floats, groups: Codes, units: Codes, count: int, u: float) -> Significance:
    """Return Mann–Whitney's U with the p that mean ranks differ, by what units make them vary.

    The difference of mean ranks is n (U / (n1 n2) − 1/2); its t is that of `UnitMeans`.
    """
    return Significance(u, UnitMeans.of(ranks, groups, 2, units, count).difference()[0].p)


def superiority(placements: Floats, groups: Codes, units: Codes, count: int, theta: float) -> Estimate | None:
    """Return the probability of superiority with its interval on the logit; nothing at 0 and 1, and without units.

    Parameters
    ----------
    placements
        Of each row: the share of the other group that it exceeds (second group), or that exceeds it (first), ties by
        half. Both groups' means of them are the probability.

    References
    ----------
    Obuchowski (1997), Biometrics 53, 567–578; variance and degrees of freedom as in `UnitMeans`.
    """
    variance, df = UnitMeans.of(placements, groups, 2, units, count).contrast(1.0)
    if not (variance > 0 and df > 0 and 0 < theta < 1):
        return None
    half = float(special.stdtrit(df, 0.975)) * np.sqrt(variance) / (theta * (1 - theta))
    low, high = special.expit(special.logit(theta) + np.array([-half, half]))
    return Estimate(theta, float(low), float(high))
