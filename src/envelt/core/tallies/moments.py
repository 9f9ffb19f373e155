"""Count, mean and central moments of groups."""

from __future__ import annotations

import copy
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from ..magnitude import power_of
from .counts import count_codes, frequencies

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

MOMENT_BLOCK = 8192
"""Values summed at a time; their powers fit the innermost cache."""


@dataclass(frozen=True)
class MomentSummary:
    """What `Moments` finishes to; each field has shape (groups,), NaN where undefined.

    ``variance`` divides by n − 1. ``skewness`` is the adjusted Fisher–Pearson G1 (3 values or more),
    ``excess_kurtosis`` is G2 (4 or more): Joanes & Gill (1998), The Statistician 47, 183–189. The mean is
    ``offset`` + ``from_offset``, rounded. ``sd`` is right also where ``variance`` is too large or small a number.
    """

    n: Ints
    mean: Floats
    variance: Floats
    skewness: Floats
    excess_kurtosis: Floats
    min: Floats
    max: Floats
    offset: Floats
    from_offset: Floats
    sd: Floats

    @property
    def centred_mean(self) -> Floats:
        """The means less one common value: differences of means keep their digits at any offset."""
        filled = np.flatnonzero(self.n)
        reference = self.offset[filled[0]] if len(filled) else 0.0
        return (self.offset - reference) + self.from_offset

    @property
    def within_sd(self) -> float:
        """The standard deviation within groups, pooled over them."""
        ordinary, unit = self.in_unit()
        squares = float(np.sum(np.maximum(self.n - 1, 0) * np.nan_to_num(ordinary.variance)))
        return unit * float(np.sqrt(squares / max(int(self.n.sum()) - int(np.count_nonzero(self.n)), 1)))

    def in_unit(self) -> tuple[MomentSummary, float]:
        """Return the summary in a unit in which squares of it are ordinary numbers, and the unit: nearly always 1."""
        reach = np.abs(np.concatenate([self.sd, self.centred_mean]))
        unit = power_of(float(np.nanmax(reach, initial=0.0))) or 1.0
        if unit == 1:
            return self, 1.0
        sd, offset, rest = self.sd / unit, self.offset / unit, self.from_offset / unit
        return replace(self, variance=sd**2, sd=sd, offset=offset, from_offset=rest, mean=offset + rest), unit

    def pick(self, keep: NDArray[np.bool_]) -> MomentSummary:
        """Return the summary of some of the groups."""
        return MomentSummary(*(getattr(self, f.name)[keep] for f in fields(self)))


class Moments:
    """Count, mean and central moments to the fourth, of each of a fixed number of groups.

    Values are shifted by one of their own group's values before anything is summed, so that a large
    offset costs no digits; merging follows Pébay (2008), Sandia report SAND2008-6212, eqs 1.1 to 3.1.
    """

    def __init__(self, groups: int = 1) -> None:
        zero = np.zeros(groups)
        self._n, self._mean = zero.copy(), zero.copy()
        self._m2, self._m3, self._m4 = zero.copy(), zero.copy(), zero.copy()
        self._shift = zero.copy()
        self._min, self._max = np.full(groups, np.inf), np.full(groups, -np.inf)
        self._unit = 0.0  # of the moments: neither 0 nor 1 only where their powers would leave the range of numbers

    def add(
        self,
        values: Floats,
        codes: NDArray[np.integer] | None = None,
        weight: NDArray[np.generic] | None = None,
    ) -> None:
        """Add a batch of values, shape (n,); NaN values and ``-1`` codes are passed over."""
        groups = len(self._n)
        w = frequencies(weight, len(values))
        at = np.zeros(len(values), np.int64) if codes is None else codes.astype(np.int64)
        keep = ~np.isnan(values) & (at >= 0)
        if w is not None:
            keep &= w > 0
        if not keep.all():
            values, at, w = values[keep], at[keep], None if w is None else w[keep]
        batch = Moments(groups)
        batch._fill(values, at, w)
        self.merge(batch)

    def add_groups(self, groups: list[Floats]) -> None:
        """Add a batch whose values are already apart: one sorted array a group, none missing."""
        batch = Moments(len(groups))
        with np.errstate(over="ignore", invalid="ignore"):
            batch._unit = power_of(max((float(g[-1] - g[0]) for g in groups if len(g)), default=0.0))
            for i, values in enumerate(groups):
                if len(values):
                    batch._fill_group(i, values)
            self.merge(batch)

    def _fill_group(self, i: int, ordered: Floats) -> None:
        """Sum powers about the median, a block that stays in the cache at a time, then move them to the mean.

        The median lies within a standard deviation of the mean, so that little cancels in moving.
        """
        n = len(ordered)
        shift = float(ordered[n // 2])
        s1 = s2 = s3 = s4 = 0.0
        for start in range(0, n, MOMENT_BLOCK):
            e = ordered[start : start + MOMENT_BLOCK] - shift
            if self._unit not in (0, 1):
                e /= self._unit
            e2 = e * e
            s1, s2, s3, s4 = s1 + float(e.sum()), s2 + float(e2.sum()), s3 + float(e2 @ e), s4 + float(e2 @ e2)
        d = s1 / n
        self._n[i], self._shift[i], self._mean[i] = n, shift, d * self._unit
        self._min[i], self._max[i] = ordered[0], ordered[-1]
        self._m2[i] = max(s2 - n * d * d, 0.0)
        self._m3[i] = s3 - 3 * d * s2 + 2 * n * d**3
        self._m4[i] = max(s4 - 4 * d * s3 + 6 * d * d * s2 - 3 * n * d**4, 0.0)

    def _fill(self, values: Floats, at: Ints, w: Ints | None) -> None:
        groups = len(self._n)
        self._shift[at[::-1]] = values[::-1]  # the first value of each group
        self._n = count_codes(at, groups, w).astype(np.float64)
        safe = np.maximum(self._n, 1)
        f = np.ones(len(values)) if w is None else w.astype(np.float64)

        def total(x: Floats) -> Floats:
            return np.bincount(at, weights=x * f, minlength=groups).astype(np.float64, copy=False)

        d = values - self._shift[at]
        self._mean = total(d) / safe
        e = d - self._mean[at]
        slip = total(e) / safe  # what rounding left of the first moment
        e -= slip[at]
        self._mean += slip
        self._unit = power_of(float(np.max(np.abs(e), initial=0.0)))
        if self._unit not in (0, 1):
            e = e / self._unit
        e2 = e * e
        self._m2, self._m3, self._m4 = total(e2), total(e2 * e), total(e2 * e2)
        np.minimum.at(self._min, at, values)
        np.maximum.at(self._max, at, values)

    def merge(self, other: Moments) -> None:
        """Take in another tally with the same groups."""
        na, nb = self._n, other._n
        n = na + nb
        safe = np.maximum(n, 1)
        delta = np.where(na > 0, (other._shift - self._shift) + other._mean - self._mean, 0.0)
        delta = np.where(nb > 0, delta, 0.0)
        other = self._to_one_unit(other, float(np.max(np.abs(delta), initial=0.0)))
        step = delta
        delta = delta / (self._unit or 1.0)
        d_n = delta / safe
        m4 = self._m4 + other._m4
        m4 += delta * d_n**3 * na * nb * (na * na - na * nb + nb * nb)
        m4 += 6 * d_n**2 * (na * na * other._m2 + nb * nb * self._m2)
        m4 += 4 * d_n * (na * other._m3 - nb * self._m3)
        m3 = self._m3 + other._m3 + delta * d_n**2 * na * nb * (na - nb)
        m3 += 3 * d_n * (na * other._m2 - nb * self._m2)
        self._m2 = self._m2 + other._m2 + delta * d_n * na * nb
        self._m3, self._m4 = m3, m4
        fresh = na == 0
        self._mean = np.where(fresh, other._mean, self._mean + step / safe * nb)
        self._shift = np.where(fresh, other._shift, self._shift)
        self._n = n
        self._min = np.minimum(self._min, other._min)
        self._max = np.maximum(self._max, other._max)

    def _to_one_unit(self, other: Moments, apart: float) -> Moments:
        """Bring both tallies to a unit in which the powers of what lies between their means are ordinary numbers."""
        unit = max(self._unit, other._unit, power_of(apart))
        self._in_unit(unit)
        if other._unit != unit:
            other = copy.deepcopy(other)
            other._in_unit(unit)
        return other

    def _in_unit(self, unit: float) -> None:
        ratio = self._unit / unit if unit else 1.0  # 1 at most
        self._m2, self._m3, self._m4 = self._m2 * ratio**2, self._m3 * ratio**3, self._m4 * ratio**4
        self._unit = unit

    def finish(self) -> MomentSummary:
        """Return the summary of every group."""
        n, unit = self._n, self._unit or 1.0
        with np.errstate(divide="ignore", invalid="ignore", over="ignore", under="ignore"):
            large = np.where(n > 1, np.inf, np.nan)
            scaled = np.where(n > 1, self._m2 / (n - 1), np.nan)
            m2 = self._m2 / n
            # a constant has no shape
            spread = m2 > (np.abs(self._shift + self._mean) / unit * 1e-15) ** 2
            g1 = self._m3 / n / m2**1.5
            g2 = self._m4 / n / m2**2 - 3
            skewness = np.where((n > 2) & spread, g1 * np.sqrt(n * (n - 1)) / (n - 2), np.nan)
            factor = (n - 1) / ((n - 2) * (n - 3))
            kurtosis = np.where((n > 3) & spread, factor * ((n + 1) * g2 + 6), np.nan)
        empty = n == 0
        return MomentSummary(
            n=n.astype(np.int64),
            mean=np.where(empty, np.nan, self._shift + self._mean),
            variance=scaled * unit**2 if unit < 1e150 else np.where(scaled > 0, large, scaled),
            skewness=skewness,
            excess_kurtosis=kurtosis,
            min=np.where(empty, np.nan, self._min),
            max=np.where(empty, np.nan, self._max),
            offset=self._shift.copy(),
            from_offset=np.where(empty, np.nan, self._mean),
            sd=np.sqrt(scaled) * unit,
        )
