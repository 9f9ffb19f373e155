"""Means of groups whose rows come in units: how they vary together, and with how many degrees of freedom."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ...estimate import UNDEFINED, UNDEFINED_TEST, Estimate, Significance
from ...magnitude import in_unit
from .pairs import UnitsByLevels, dense

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class UnitMeans:
    """Means of groups, with the covariance that units of rows give them.

    The covariance is CR2: residuals are summed over each unit within each group and divided by the root of 1 less the
    unit's share of the group's rows, which takes the bias off. Degrees of freedom are Satterthwaite's for that
    estimate; of two groups that share no unit they are put together as Welch does.

    Parameters
    ----------
    pairs
        Units by groups.
    n, mean
        Rows and mean of each group, shape (groups,); the mean in units of `scale`.
    residual
        The sum of the residuals of each combination, likewise.
    scale
        What the values were divided by, so that their squares are ordinary numbers.

    References
    ----------
    Bell & McCaffrey (2002), Survey Methodology 28, 169–181; Imbens & Kolesár (2016), Review of Economics and Statistics
    98, 701–712.
    """

    pairs: UnitsByLevels
    n: Floats
    mean: Floats
    residual: Floats
    scale: float

    @classmethod
    def of(cls, values: Floats, groups: Codes, size: int, units: Codes, count: int) -> UnitMeans:
        """Take means of rows, none missing: values, groups (0 …) and units (0 … count − 1), each of shape (n,)."""
        x, scale = in_unit(values - values[0]) if len(values) else (values, 1.0)
        pairs = UnitsByLevels.of(units, groups, (count, size))
        n = np.bincount(groups, minlength=size).astype(np.float64)
        safe = np.maximum(n, 1)
        mean = np.bincount(groups, weights=x, minlength=size) / safe
        away = x - mean[groups]
        slip = np.bincount(groups, weights=away, minlength=size) / safe
        return cls(pairs, n, np.where(n > 0, mean + slip, np.nan), pairs.total(away - slip[groups]), scale)

    @cached_property
    def _weight(self) -> tuple[Floats, Floats, Floats]:
        """For each combination: the CR2 part of the mean, and the d and w of Bell and McCaffrey's sums."""
        n, m = self.n[self.pairs.level], self.pairs.n
        root = np.sqrt(np.maximum(1 - m / n, 0.0))
        with np.errstate(divide="ignore", invalid="ignore"):  # a group of one unit says nothing of units
            return self.residual / (n * root), m / (n * root) ** 2, m / (n**1.5 * root)

    @cached_property
    def units(self) -> Floats:
        """How many units each group has, shape (groups,)."""
        return self.pairs.of_levels(np.ones(len(self.pairs.n)))

    @cached_property
    def variance(self) -> Floats:
        """Of each mean, in squares of `scale`, shape (groups,); NaN for groups of fewer than two units."""
        part = np.nan_to_num(self._weight[0], nan=0.0, posinf=0.0, neginf=0.0)
        return np.where(self.units > 1, self.pairs.of_levels(part**2), np.nan)

    @cached_property
    def df(self) -> Floats:
        """Degrees of freedom of each variance, shape (groups,)."""
        _, d, w = (np.where(self.units[self.pairs.level] > 1, v, 0.0) for v in self._weight)
        squared = self.pairs.of_levels(d**2 - 2 * d * w**2) + self.pairs.of_levels(w**2) ** 2
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(squared > 0, 1 / (self.n**2 * squared), np.nan)

    @property
    def half_width(self) -> Floats:
        """Half the 95 % interval of each mean, in the units of the values; NaN for fewer than two units."""
        with np.errstate(invalid="ignore"):
            return np.asarray(special.stdtrit(self.df, 0.975) * np.sqrt(self.variance) * self.scale)

    def of_two(self, first: Codes, second: Codes, sign: float = -1.0) -> tuple[Floats, Floats]:
        """Return variance and degrees of freedom of the second mean and ``sign`` times the first, of pairs of groups.

        Parameters
        ----------
        first, second
            Groups, shape (pairs,).
        """
        part, d, w = (np.where(self.units[self.pairs.level] > 1, v, 0.0) for v in self._weight)
        a, dd, ww = (self.pairs.matrix(np.nan_to_num(v)) for v in (part, d, w))
        w2 = self.pairs.matrix(np.nan_to_num(w) ** 2)
        there = self.pairs.matrix(np.ones(len(self.pairs.n)))
        together, shared = dense(a.T @ a), dense(there.T @ there)[first, second]
        v1, v2 = self.variance[first], self.variance[second]
        variance = v1 + v2 + 2 * sign * together[first, second]
        with np.errstate(divide="ignore", invalid="ignore"):
            apart = (v1 + v2) ** 2 / (v1**2 / self.df[first] + v2**2 / self.df[second])
            # sums over units of products of what each group puts in
            crossed_d, mixed, inner = (dense(x.T @ y) for x, y in ((dd, dd), (dd, w2), (ww, ww)))
            squared = crossed_d[first, first] + crossed_d[second, second] + 2 * crossed_d[first, second]
            squared -= 2 * (mixed[first, first] + mixed[second, second] + mixed[first, second] + mixed[second, first])
            squared += inner[first, first] ** 2 + inner[second, second] ** 2 + 2 * inner[first, second] ** 2
            whole = (1 / self.n[first] + 1 / self.n[second]) ** 2 / squared
        return variance, np.where(shared > 0, whole, apart)

    def contrast(self, sign: float = -1.0) -> tuple[float, float]:
        """Return variance and degrees of freedom of the second of two means and ``sign`` times the first."""
        if self.pairs.shape[0] < 3:
            return float("nan"), float("nan")
        variance, df = self.of_two(np.array([0]), np.array([1]), sign)
        return float(variance[0]), float(df[0])

    def difference(self) -> tuple[Significance, Estimate]:
        """Return t, and the second of two means less the first with its 95 % interval, in the units of the values."""
        if self.n.min() == 0:
            return UNDEFINED_TEST, UNDEFINED
        variance, df = self.contrast()
        away = float(self.mean[1] - self.mean[0])
        if not (variance > 0 and df > 0):
            return UNDEFINED_TEST, Estimate(self.scale * away, np.nan, np.nan)
        se = float(np.sqrt(variance))
        half = float(special.stdtrit(df, 0.975)) * se
        ends = Estimate(*(self.scale * v for v in (away, away - half, away + half)))
        return Significance(away / se, float(2 * special.stdtr(df, -abs(away / se)))), ends
