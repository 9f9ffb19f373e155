"""What rows are a sample of: each row a case of its own, or units of several rows each.

Every estimate, interval and test takes a `Sampling`, so that none can be asked for without saying what one case is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import Z95

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Sampling:
    """What the rows of some columns are a sample of.

    Parameters
    ----------
    rows
        How many rows there are, n.
    units
        The unit of each row, 0 … U − 1, shape (n,); nothing where each row is a case.

    Examples
    --------
    >>> Sampling.of_rows(4).cases, Sampling.of_units(np.array([7, 7, 9, 7])).cases
    (4, 2)
    """

    rows: int
    units: Codes | None = None

    @classmethod
    def of_rows(cls, rows: int) -> Sampling:
        """Return the sampling in which each row is a case."""
        return cls(rows)

    @classmethod
    def of_units(cls, keys: NDArray[np.generic]) -> Sampling:
        """Return the sampling in which rows of equal keys, shape (n,), are one case."""
        return cls(len(keys), np.unique(keys, return_inverse=True)[1].astype(np.int64))

    @property
    def clustered(self) -> bool:
        """Whether a case may have several rows."""
        return self.units is not None

    @property
    def tells_nothing(self) -> bool:
        """Whether there are too few units (under three) to see how they vary."""
        return self.clustered and self.cases < 3

    @cached_property
    def cases(self) -> int:
        """How many cases there are."""
        return self.rows if self.units is None else int(self.units.max(initial=-1)) + 1

    def take(self, keep: NDArray[Any]) -> Sampling:
        """Return the sampling of some of the rows, by a mask or by their places; units are numbered anew."""
        if self.units is None:
            return Sampling(int(np.count_nonzero(keep)) if keep.dtype == np.bool_ else len(keep))
        if keep.dtype == np.bool_ and keep.all():
            return self
        some = self.units[keep]
        place = np.cumsum(np.bincount(some, minlength=1) > 0) - 1
        return Sampling(len(some), place[some])

    def repeated(self, times: NDArray[np.integer]) -> Sampling:
        """Return the sampling of rows that each stand for so many."""
        if self.units is None:
            return Sampling(int(times.sum()))
        return Sampling(int(times.sum()), np.repeat(self.units, times))

    def tiled(self, times: int) -> Sampling:
        """Return the sampling of several columns of the same rows, one after the other."""
        return Sampling(self.rows * times, None if self.units is None else np.tile(self.units, times))

    def totals(self, influence: Floats) -> Floats:
        """Return the sum over each case of what its rows add to a statistic, shape (cases,)."""
        if self.units is None:
            return influence
        return np.asarray(np.bincount(self.units, weights=influence, minlength=self.cases), np.float64)

    def variance(self, influence: Floats) -> float:
        """Return the variance of a statistic from the influence of each row, shape (n,): cases vary, not rows.

        The sum of squared case totals, times U / (U − 1) (CR1: Cameron & Miller 2015, Journal of Human Resources 50,
        317–372, section II.D); of rows the plain sum of squares.
        """
        squares = float(np.sum(self.totals(influence) ** 2))
        if not self.clustered:
            return squares
        return squares * self.cases / (self.cases - 1) if self.cases > 1 else float("nan")

    @property
    def quantile(self) -> float:
        """The 97.5 % point by which an interval reaches: normal over rows, Student's t of U − 1 over units."""
        if not self.clustered:
            return Z95
        return float("nan") if self.tells_nothing else float(special.stdtrit(self.cases - 1, 0.975))

    def tail(self, z: float) -> float:
        """Return the two-sided p of a standardized distance: normal over rows, Student's t of U − 1 over units."""
        if np.isnan(z):
            return float("nan")
        if not self.clustered:
            return float(2 * special.ndtr(-abs(z)))
        return float("nan") if self.tells_nothing else float(2 * special.stdtr(self.cases - 1, -abs(z)))

    @cached_property
    def largest_design_effect(self) -> float:
        """What units can inflate a variance by at most: Σ n_u² / n, where all rows of a unit say the same."""
        if self.units is None or self.rows == 0:
            return 1.0
        n = np.bincount(self.units).astype(np.float64)
        return float(np.sum(n * n) / np.sum(n))

    def distribution_effect(self, values: Floats) -> float:
        """Return what units inflate the variance of the distribution function of values by, NaN where missing.

        The largest at the quartiles, 1 at least.
        """
        if not self.clustered:
            return 1.0
        keep = ~np.isnan(values)
        x, some = values[keep], self.take(keep)
        if len(x) == 0:
            return 1.0
        below = [(x <= q).astype(np.float64) for q in np.quantile(x, (0.25, 0.5, 0.75))]
        return max([1.0, *(some.design_effect(b - b.mean()) for b in below if b.min() < b.max())])

    def design_effect(self, influence: Floats) -> float:
        """Return how much larger a statistic's variance is than if rows were cases: `variance` over that of rows.

        1 over rows, and the largest there can be where the rows' own influence is nothing.
        """
        if not self.clustered:
            return 1.0
        alone = float(np.sum(influence**2))
        return self.variance(influence) / alone if alone > 0 and self.cases > 1 else self.largest_design_effect
