"""Groups of numbers: one row of description a group, and what sets the groups apart."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import Estimate, Significance
from ..shapes.quantiles import FEW_GROUPS, Rows, sorted_groups, sorted_quantiles
from ..shapes.ranks import has_repeats, run_lengths
from ..tallies.moments import Moments, MomentSummary
from .many_groups import epsilon_squared, kruskal_wallis, omega_squared, welch_anova
from .two_groups import RankedPair, hedges_g, kruskal_wallis_of_two, mann_whitney_of, rank_pair, superiority_of, welch_t

Floats = NDArray[np.float64]
QUARTILES = np.array([0.25, 0.5, 0.75])
ROWS_APART = 200
"""With so many rows a group, on average, moments are summed group by group."""


@dataclass(frozen=True)
class GroupSummary:
    """One row a group, every array of shape (groups,).

    Parameters
    ----------
    labels, missing, moments
        Of the groups: names, rows without a value, and n, mean, variance and shape.
    quartiles
        Shape (groups, 3).
    ordered
        Each group's values, sorted.
    half_width
        Half the 95 % interval of each mean where rows come in units; by default Student's, over rows.
    """

    labels: tuple[str, ...]
    missing: NDArray[np.int64]
    moments: MomentSummary
    quartiles: Floats
    ordered: list[Floats]
    half_width: Floats | None = None

    @property
    def mean_interval(self) -> tuple[Floats, Floats]:
        """The 95 % interval of each mean; NaN for fewer than two values (or units)."""
        half = self.half_width
        if half is None:
            n = self.moments.n.astype(float)
            with np.errstate(invalid="ignore", divide="ignore"):
                half = special.stdtrit(np.where(n > 1, n - 1, np.nan), 0.975) * self.moments.sd / np.sqrt(n)
        return self.moments.mean - half, self.moments.mean + half

    @cached_property
    def modes(self) -> Floats:
        """The most frequent value of each group, the smallest on ties; NaN where no value repeats."""
        return np.array([_mode(g) for g in self.ordered])

    @cached_property
    def fences(self) -> Floats:
        """Tukey's fences, 1.5 interquartile ranges beyond the quartiles, shape (groups, 2).

        Infinite where the quartiles coincide: then nothing is called an outlier.
        """
        q1, q3 = self.quartiles[:, 0], self.quartiles[:, 2]
        reach = np.where(q3 > q1, 1.5 * (q3 - q1), np.inf)
        return np.stack([q1 - reach, q3 + reach], axis=1)

    @cached_property
    def outliers(self) -> NDArray[np.int64]:
        """How many values of each group lie strictly beyond its fences."""
        beyond = [
            np.searchsorted(g, low, "left") + len(g) - np.searchsorted(g, high, "right")
            for g, (low, high) in zip(self.ordered, self.fences, strict=True)
        ]
        return np.array(beyond, np.int64)


@dataclass(frozen=True)
class GroupComparison:
    """Groups described, tested and their difference measured; empty groups take no part.

    ``ranked`` places two groups in each other.
    """

    summary: GroupSummary
    tests: dict[str, Significance]
    effects: dict[str, Estimate]
    ranked: RankedPair | None = None


def _mode(ordered: Floats) -> float:
    if not has_repeats(ordered):
        return float("nan")
    runs = run_lengths(ordered)
    longest = int(np.argmax(runs))
    return float(ordered[runs[:longest].sum()])


def summarise_groups(
    values: Floats, codes: NDArray[np.integer], labels: tuple[str, ...], rows: Rows | None = None
) -> GroupSummary:
    """Describe each group.

    Parameters
    ----------
    values
        Shape (n,), NaN for missing.
    codes
        Group of each row, shape (n,), ``-1`` for none.
    rows
        The rows of each group, where they are already known.
    """
    moments = Moments(len(labels))
    ordered = sorted_groups(values, codes, len(labels), rows)
    if rows is not None or len(labels) <= max(FEW_GROUPS, len(values) // ROWS_APART):
        moments.add_groups(ordered)
    else:
        moments.add(values, codes)
    if rows is not None:
        missing = np.array([len(at) - len(g) for at, g in zip(rows, ordered, strict=True)], np.int64)
    else:
        missing = np.bincount(codes[np.isnan(values) & (codes >= 0)], minlength=len(labels))
    quartiles = np.array([sorted_quantiles(g, QUARTILES) for g in ordered]).reshape(-1, 3)
    return GroupSummary(labels, missing, moments.finish(), quartiles, ordered)


def compare_groups(
    values: Floats, codes: NDArray[np.integer], labels: tuple[str, ...], rows: Rows | None = None
) -> GroupComparison:
    """Describe groups and compare them: two-group statistics where there are two, else the many-group ones."""
    summary = summarise_groups(values, codes, labels, rows)
    filled = [g for g in summary.ordered if len(g)]
    moments = summary.moments.pick(summary.moments.n > 0)
    tests: dict[str, Significance] = {}
    effects: dict[str, Estimate] = {}
    ranked = None
    if len(labels) == 2:
        tests["welch_t"], difference = welch_t(summary.moments)
        ranked = rank_pair(*summary.ordered)
        tests["mann_whitney"] = mann_whitney_of(ranked)
        effects["mean_difference"] = difference
        effects["hedges_g"] = hedges_g(summary.moments)
        effects["superiority"] = superiority_of(ranked)
        h = kruskal_wallis_of_two(ranked)
    else:
        tests["welch_anova"] = welch_anova(moments.pick((moments.n > 1) & (np.nan_to_num(moments.sd) > 0)))
        tests["kruskal_wallis"] = kruskal_wallis(filled)
        h = tests["kruskal_wallis"].statistic
    effects["omega_squared"] = omega_squared(moments)
    effects["epsilon_squared"] = epsilon_squared(h, int(moments.n.sum()), len(filled))
    return GroupComparison(summary, tests, effects, ranked)
