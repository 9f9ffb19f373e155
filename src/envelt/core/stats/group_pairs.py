"""Every pair of groups compared, their p-values adjusted together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from .. import thresholds as T
from .groups import GroupedRows

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Pairs:
    """Differences of means, second group minus first, every array of shape (pairs,), the largest |t| first.

    ``low`` and ``high`` are Welch's 95 % interval of one difference; ``p`` is its test, ``p_holm`` adjusted over
    all pairs. ``left_out`` says how many groups took no part.
    """

    first: Ints
    second: Ints
    difference: Floats
    low: Floats
    high: Floats
    p: Floats
    p_holm: Floats
    left_out: int


def holm(p: Floats) -> Floats:
    """Return Holm's step-down adjusted p-values (1979, Scandinavian Journal of Statistics 6, 65–70)."""
    order = np.argsort(p, kind="stable")
    adjusted = np.empty(len(p))
    steps = np.maximum.accumulate(p[order] * (len(p) - np.arange(len(p))))
    adjusted[order] = np.minimum(1.0, steps)
    return adjusted


def all_pairs(groups: GroupedRows) -> Pairs:
    """Compare all pairs of groups of two values or more that vary, at most the 200 largest groups.

    Welch's t for each pair, or its like by units (`of_units.means.UnitMeans`), with Holm's adjustment; pairs whose
    difference cannot be tested are left out.
    """
    m, unit = groups.moments.in_unit()
    usable = np.flatnonzero((m.n > 1) & (np.nan_to_num(m.sd) > 0))
    largest = usable[np.argsort(-m.n[usable], kind="stable")][: T.LEVELS_PAIRED]
    chosen = np.sort(largest)
    i, j = np.triu_indices(len(chosen), 1)
    first, second = chosen[i], chosen[j]
    n, centred = m.n.astype(np.float64), m.centred_mean
    difference = centred[second] - centred[first]
    if groups.sampling.clustered:
        means = groups.means_by_units
        squared, df = means.of_two(first, second)
        squared = squared * (means.scale / unit) ** 2
    else:
        share = np.nan_to_num(m.variance) / np.maximum(n, 1)
        squared = share[first] + share[second]
        with np.errstate(divide="ignore", invalid="ignore"):
            df = squared**2 / (share[first] ** 2 / (n[first] - 1) + share[second] ** 2 / (n[second] - 1))
    known = (squared > 0) & (df > 0)  # groups of one unit only, and the like, cannot be compared
    first, second = first[known], second[known]
    difference, squared, df = difference[known], squared[known], df[known]
    t = difference / np.sqrt(squared)
    p = 2 * special.stdtr(df, -np.abs(t))
    half = special.stdtrit(df, 0.975) * np.sqrt(squared)
    order = np.lexsort((-np.abs(difference), p, -np.abs(t)))
    p_holm = holm(p)
    return Pairs(
        first[order],
        second[order],
        unit * difference[order],
        unit * (difference - half)[order],
        unit * (difference + half)[order],
        p[order],
        p_holm[order],
        len(m.n) - len(chosen),
    )
