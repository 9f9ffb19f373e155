"""Single tests of what lies between groups: of ranks, and the classical F, by what one case is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..magnitude import in_unit
from .of_rows.two_groups import rank_pair
from .of_units import groups as by_units
from .of_units.means import UnitMeans
from .sampling import Sampling

Floats = NDArray[np.float64]


def p_of_ranked_pair(first: Floats, second: Floats, ties: float) -> float:
    """Return Mann–Whitney's p of two sorted groups of rows, tie- and continuity-corrected.

    Parameters
    ----------
    ties
        The sum of t³ − t over the runs of equal values in both groups together.
    """
    n1, n2 = len(first), len(second)
    n = n1 + n2
    spread = (n * (n + 1.0) * (n - 1) - ties) / (12 * (n - 1))
    if spread <= 0 or min(n1, n2) == 0:
        return float("nan")
    away = abs(rank_pair(first, second).u - n1 * n2 / 2)
    z = max(away - 0.5, 0.0) / np.sqrt(spread * n1 * n2 / n)
    return float(min(1.0, 2 * special.ndtr(-z)))


def p_of_ranks(ranks: Floats, codes: NDArray[np.int64], size: int, sampling: Sampling) -> float:
    """Return the p that ranks differ between groups: Mann–Whitney of two, else Kruskal–Wallis; no group is ``-1``."""
    n = np.bincount(codes, minlength=size).astype(np.float64)
    used = int(np.count_nonzero(n))
    centred = ranks - ranks.mean()
    spread = float(np.sum(centred**2)) / max(len(ranks) - 1, 1)
    if used < 2 or spread == 0:
        return float("nan")
    if sampling.units is not None:
        if size == 2:
            return UnitMeans.of(ranks, codes, 2, sampling.units, sampling.cases).difference()[0].p
        return by_units.between_groups(ranks, codes, size, sampling.units, sampling.cases)[0].test.p
    total = np.bincount(codes, weights=centred, minlength=size)
    return float(special.chdtrc(used - 1, float(np.sum(total**2 / np.maximum(n, 1))) / spread))


def between_test(
    values: Floats, codes: NDArray[np.int64], size: int, f: float, df: tuple[float, float], sampling: Sampling
) -> tuple[float, float]:
    """Return the p of a classical F between groups, and what units inflate it by.

    Parameters
    ----------
    values, codes
        Of the rows, none missing, shape (n,).
    f, df
        The F over rows, and its degrees of freedom.
    """
    if sampling.units is None:
        return float(special.fdtrc(*df, f)), 1.0
    if sampling.cases < 2:
        return float("nan"), float("nan")
    spread, effect = by_units.between_groups(values, codes, size, sampling.units, sampling.cases)
    return spread.test.p, max(effect, 1.0)


def share_error(values: Floats, codes: NDArray[np.int64], size: int, sampling: Sampling) -> float:
    """Return the standard error of the share of the variance that lies between groups, by units; 0 over rows.

    The share is B / T; a row of group g adds (2 (y − μ_g) (μ_g − μ) + (μ_g − μ)² − B − share ((y − μ)² − T)) / (n T)
    to it, and units' sums of that vary.
    """
    if not sampling.clustered:
        return 0.0
    away, of_group = _centred(values, codes, size)
    total, between = float(np.mean(away**2)), float(np.mean(of_group**2))
    if total <= 0:
        return 0.0
    influence = 2 * (away - of_group) * of_group + of_group**2 - between - between / total * (away**2 - total)
    return float(np.sqrt(sampling.variance(influence / (len(values) * total))))


def share_between(values: Floats, codes: NDArray[np.int64], size: int) -> float:
    """Return the share of the variance that lies between groups, as it is in these rows; NaN where nothing varies."""
    away, of_group = _centred(values, codes, size)
    total = float(np.mean(away**2))
    return float(np.mean(of_group**2)) / total if total > 0 else float("nan")


def _centred(values: Floats, codes: NDArray[np.int64], size: int) -> tuple[Floats, Floats]:
    """Return values less their mean, and the mean of that in each row's group."""
    away = in_unit(values - values[0])[0]
    away = away - away.mean()
    n = np.bincount(codes, minlength=size)
    return away, (np.bincount(codes, weights=away, minlength=size) / np.maximum(n, 1))[codes]
