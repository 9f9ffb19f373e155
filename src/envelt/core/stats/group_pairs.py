"""Every pair of groups compared, their p-values adjusted together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import sparse, special

from .. import thresholds as T
from ..magnitude import in_unit
from .clustered import unit_codes
from .groups import GroupSummary

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


class UnitSums(NamedTuple):
    """How means of groups vary when rows come in units.

    Parameters
    ----------
    covariance, scale
        Of the means, shape (groups, groups), from each unit's sums, in squares of a scale.
    units, shared
        Units in each group, shape (groups,), and in both of two, shape (groups, groups).
    """

    covariance: Floats
    scale: float
    units: Floats
    shared: Floats


def unit_sums(values: Floats, codes: NDArray[np.integer], mean: Floats, units: Ints) -> UnitSums:
    """Return how means of groups vary from the rows' values, groups (``-1`` for none) and units, shape (n,)."""
    keep = ~np.isnan(values) & (codes >= 0)
    group, unit, k = codes[keep].astype(np.int64), unit_codes(units[keep]), len(mean)
    n = np.maximum(np.bincount(group, minlength=k), 1)
    shape = (int(unit.max(initial=-1)) + 1, k)
    away, scale = in_unit((values[keep] - mean[group]) / n[group])
    of_units = sparse.csr_array((away, (unit, group)), shape=shape)
    there = sparse.csr_array((np.ones(len(group)), (unit, group)), shape=shape)
    there.data[:] = 1.0
    larger = shape[0] / max(shape[0] - 1, 1)
    shared = (there.T @ there).toarray()
    return UnitSums(larger * (of_units.T @ of_units).toarray(), scale, np.diag(shared).copy(), shared)


def all_pairs(summary: GroupSummary, sums: UnitSums | None = None) -> Pairs:
    """Compare all pairs of groups of two values or more that vary, at most the 200 largest groups.

    Welch's t for each pair, with Holm's adjustment. With ``sums`` variances are of sums over units, and the degrees of
    freedom are the units of both groups less one.
    """
    m, unit = summary.moments.in_unit()
    usable = np.flatnonzero((m.n > 1) & (np.nan_to_num(m.sd) > 0))
    largest = usable[np.argsort(-m.n[usable], kind="stable")][: T.LEVELS_PAIRED]
    chosen = np.sort(largest)
    i, j = np.triu_indices(len(chosen), 1)
    first, second = chosen[i], chosen[j]
    n, centred = m.n.astype(np.float64), m.centred_mean
    share = np.nan_to_num(m.variance) / np.maximum(n, 1)
    difference = centred[second] - centred[first]
    squared = share[first] + share[second]
    with np.errstate(divide="ignore", invalid="ignore"):
        df = squared**2 / (share[first] ** 2 / (n[first] - 1) + share[second] ** 2 / (n[second] - 1))
        if sums is not None:
            v = sums.covariance * (sums.scale / unit) ** 2
            squared = v[first, first] + v[second, second] - 2 * v[first, second]
            df = sums.units[first] + sums.units[second] - sums.shared[first, second] - 1
            squared = np.where((squared > 0) & (df > 0), squared, np.nan)
        t = difference / np.sqrt(squared)
    p = 2 * special.stdtr(df, -np.abs(t))
    if sums is not None:
        known = ~np.isnan(p)  # groups of one unit only, and the like, cannot be compared
        first, second, difference, squared, df, t, p = (
            a[known] for a in (first, second, difference, squared, df, t, p)
        )
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
