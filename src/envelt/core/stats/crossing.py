"""Two columns of levels crossed: whether they are related and how far, by what one case is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import UNDEFINED_TEST, Z95, Estimate, Significance
from ..kept import Remade
from .expected import expected_are_small, without_empty
from .of_rows import ordinal, proportions
from .of_rows import tables as ct
from .of_units.spread import Spread
from .of_units.tables import between_cells, contrast_effect
from .sampling import Sampling

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SIMULATED_CELLS = 2_500
"""Tables of more cells get p from the statistic's exact mean and variance instead of drawn tables."""


@dataclass(frozen=True)
class Crossing(Remade):
    """A table of counts, with the rows it was counted from.

    Parameters
    ----------
    rows, columns
        The level of each row, shape (n,), none ``-1``.
    counts
        Shape (levels of the rows, levels of the columns).
    sampling
        Of these rows.
    """

    rows: Ints
    columns: Ints
    counts: Ints
    sampling: Sampling

    @classmethod
    def of(
        cls,
        rows: NDArray[np.integer],
        columns: NDArray[np.integer],
        shape: tuple[int, int],
        sampling: Sampling,
        counts: Ints | None = None,
    ) -> Crossing:
        """Cross two columns; rows of which either level is ``-1`` are passed over.

        Parameters
        ----------
        counts
            Where they have been counted.
        """
        if counts is not None and not sampling.clustered:  # what follows needs the counts alone
            none = np.zeros(0, np.int64)
            return cls(none, none, counts, sampling)
        keep = (rows >= 0) & (columns >= 0)
        if not keep.all():
            rows, columns, sampling = rows[keep], columns[keep], sampling.take(keep)
        a, b = rows.astype(np.int64, copy=False), columns.astype(np.int64, copy=False)
        if counts is None:
            counts = np.bincount(a * shape[1] + b, minlength=shape[0] * shape[1]).reshape(shape)
        return cls(a, b, counts, sampling)

    @cached_property
    def _spread(self) -> Spread | None:
        """How chi-square over n varies by units; nothing over rows."""
        units = self.sampling.units
        if units is None:
            return None
        shape = (self.counts.shape[0], self.counts.shape[1])
        return between_cells(self.rows, self.columns, shape, units, self.sampling.cases)

    @property
    def expected_are_small(self) -> bool:
        """Whether chi-square over rows is in doubt, see `expected.expected_are_small`."""
        return expected_are_small(self.counts)

    @property
    def simulated(self) -> bool:
        """Whether p comes from tables drawn at random, or from the statistic's exact moments, where they are small."""
        return not self.sampling.clustered and self.expected_are_small

    def chi_square(self, draws: bool = False, seed: int = 0) -> Significance:
        """Return Pearson's chi-square with its p.

        Over units p is that of the statistic's F, and not below that of sparse tables over rows. Where expected counts
        are small p over rows is that of the statistic's exact moments, or of drawn tables.

        Parameters
        ----------
        draws
            Whether tables are drawn, up to 2,500 cells.
        """
        small = self.expected_are_small
        if self._spread is not None:
            plain, p = ct.chi_square(self.counts), self._spread.test.p
            least = ct.chi_square_sparse(self.counts).p if small else 0.0
            return plain if np.isnan(plain.p) else Significance(plain.statistic, max(p, least))
        if not small:
            return ct.chi_square(self.counts)
        if draws and without_empty(self.counts).size <= SIMULATED_CELLS:
            return ct.chi_square_simulated(self.counts, seed=seed)
        return ct.chi_square_sparse(self.counts)

    @cached_property
    def design_effect(self) -> float:
        """Return what units inflate chi-square by on average; 1 over rows."""
        if self._spread is None:
            return 1.0
        r, c = without_empty(self.counts).shape
        n = max(int(self.counts.sum()), 1)
        alone = (r - 1) * (c - 1) * n  # the mean of n times chi-square over rows
        return max(self._spread.mean / alone, 1.0) if alone and self._spread.mean > 0 else 1.0

    def cramers_v(self) -> Estimate:
        """Return bias-corrected Cramér's V with its interval, both of n over the design effect rows."""
        if not self.sampling.clustered:
            return ct.cramers_v(self.counts)
        error = _phi_squared_error(self.counts, self.rows, self.columns, self.sampling)
        v = ct.cramers_v(self.counts, self.design_effect, error, self.sampling.quantile)
        return Estimate(v.estimate, np.nan, np.nan) if self.sampling.tells_nothing else v

    def fisher_exact(self, event: int = 1) -> Significance:
        """Return Fisher's exact test of a 2 × 2 table, the odds of the event's column; over rows only."""
        x, n = self.counts[:, event], self.counts.sum(axis=1)
        return UNDEFINED_TEST if self.sampling.clustered else ct.fisher_exact(np.stack([n - x, x], axis=1))

    def gamma(self) -> Estimate:
        """Return Goodman and Kruskal's gamma of levels in order."""
        value, influence = ordinal.gamma_with_influence(self.counts)
        if not self.sampling.clustered:
            return ordinal.gamma_interval(value, float(np.sum(self.counts * influence**2)), Z95)
        of_rows = influence[self.rows, self.columns]
        return ordinal.gamma_interval(value, self.sampling.variance(of_rows), self.sampling.quantile)

    def trend(self) -> Significance:
        """Return M² of a linear trend over the levels, with its p."""
        plain = ordinal.trend_test(self.counts)
        if not self.sampling.clustered or np.isnan(plain.p):
            return plain
        return Significance(plain.statistic, product_test(self.rows.astype(float), self.columns.astype(float),
                                                          self.sampling))  # fmt: skip

    def not_on_a_line(self) -> Significance:
        """Test what a straight line along the rows leaves of chi-square of two columns, levels with rows only."""
        r = int(np.count_nonzero(self.counts.sum(axis=1)))
        left = ct.chi_square(self.counts).statistic - ordinal.trend_test(self.counts).statistic
        if r < 3 or not left > 0 or self.sampling.tells_nothing:
            return UNDEFINED_TEST
        return Significance(left, float(special.chdtrc(r - 2, left / self.design_effect)))

    def two_by_two(self, event: int = 1) -> dict[str, Estimate]:
        """Return risk_difference, risk_ratio and odds_ratio of the second row against the first; of two rows.

        Over units each counts the rows whose interval has the width that units give the contrast of rates.

        Parameters
        ----------
        event
            The column whose risk is spoken of.
        """
        n, x = self.counts.sum(axis=1).astype(float), self.counts[:, event].astype(float)
        out = {}
        for name, slope in _slopes(n, x).items():
            effect = 1.0
            if self.sampling.units is not None and n.min() > 0:
                rate = x / n
                plain = rate * (1 - rate) / n
                hit = self.columns == event
                effect = contrast_effect(self.rows, hit, (slope, plain), self.sampling.units, self.sampling.cases)
                if np.isnan(effect):  # no rate varies, or a row has one unit: as if all of a unit said the same
                    effect = self.sampling.largest_design_effect
            effect = max(effect, 1.0)
            estimate: Estimate = getattr(proportions, name)(x[0], n[0], x[1], n[1])
            if self.sampling.tells_nothing or n.sum() / effect <= 2:
                estimate = Estimate(estimate.estimate, np.nan, np.nan)
            elif effect > 1.0:
                estimate = getattr(proportions, name)(*(v / effect for pair in zip(x, n, strict=True) for v in pair))
            out[name] = estimate
        return out


def _slopes(n: Floats, x: Floats) -> dict[str, Floats]:
    """Return what one more event of n rows, over n, adds to each contrast in the first and the second group."""
    with np.errstate(divide="ignore", invalid="ignore"):
        rate = x / n
        out = {
            "risk_difference": np.array([-1.0, 1.0]),
            "risk_ratio": np.array([-1.0, 1.0]) / rate,
            "odds_ratio": np.array([-1.0, 1.0]) / (rate * (1 - rate)),
        }
    return {name: np.where(np.isfinite(s), s, 0.0) for name, s in out.items()}


def product_test(x: Floats, y: Floats, sampling: Sampling) -> float:
    """Return the p that Σ (x − x̄)(y − ȳ) is nothing: Student's t of its case totals, none of the rows missing."""
    score = (x - x.mean()) * (y - y.mean())
    total = sampling.totals(score)
    count = len(total)
    spread = float(np.sum((total - total.mean()) ** 2))
    if sampling.tells_nothing or count < 2 or spread <= 0:
        return float("nan")
    t = float(total.sum()) / np.sqrt(count / (count - 1) * spread)
    return float(2 * special.stdtr(count - 1, -abs(t)))


def _phi_squared_error(counts: Ints, rows: Ints, columns: Ints, sampling: Sampling) -> float:
    """Return the standard error of φ² by units."""
    influence = ct.phi_squared_influence(counts)[rows, columns]
    return float(np.sqrt(sampling.variance(influence / max(len(rows), 1))))


def relation_of_counted(
    rows: Ints,
    columns: Ints,
    shape: tuple[int, int],
    counts: Ints | None,
    statistic: float,
    levels: tuple[int, int],
    sampling: Sampling,
) -> tuple[float, float, float, float]:
    """Return Cramér's V as `cramers_v`, its p, what units inflate it by, and the standard error of φ².

    Parameters
    ----------
    rows, columns
        The level of each row, none ``-1``, shape (n,).
    counts
        The table; nothing where it is too large to be held, then the error is 0.
    statistic, levels
        Pearson's chi-square over rows, and how many levels of each column have rows.
    """
    n, df = len(rows), float((levels[0] - 1) * (levels[1] - 1))
    if sampling.units is None:
        error = 0.0 if counts is None else ct.phi_squared_error(counts, n)
        return ct.v_of_phi_squared(statistic / n, n, *levels), float(special.chdtrc(df, statistic)), 1.0, error
    spread = between_cells(rows, columns, shape, sampling.units, sampling.cases)
    known = df > 0 and spread.mean > 0  # of under three units nothing is
    effect = max(spread.mean / (df * n), 1.0) if known else float("nan")
    error = 0.0 if counts is None else _phi_squared_error(counts, rows, columns, sampling)
    return ct.v_of_phi_squared(statistic / n, n / effect if known else n, *levels), spread.test.p, effect, error
