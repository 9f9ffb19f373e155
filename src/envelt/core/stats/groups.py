"""Groups of numbers: one row of description a group, and what sets the groups apart."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..estimate import Estimate, Significance
from ..later import Later
from ..shapes.ordered import Ordered, SortedArray
from ..shapes.quantiles import FEW_GROUPS, Rows, sorted_groups, sorted_present, sorted_quantiles
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
        Each group's sorted values, to be asked.
    half_width
        Half the 95 % interval of each mean where rows come in units; by default Student's, over rows.
    """

    labels: tuple[str, ...]
    missing: NDArray[np.int64]
    moments: MomentSummary
    quartiles: Floats
    ordered: tuple[Ordered, ...]
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
            int(g.below(ends[:1])[0]) + len(g) - int(g.below(ends[1:], "right")[0])
            for g, ends in zip(self.ordered, self.fences, strict=True)
        ]
        return np.array(beyond, np.int64)

    def without_values(self) -> GroupSummary:
        """Return the summary with its modes and outliers counted, and its values let go."""
        settled = replace(self, ordered=())
        settled.__dict__.update(modes=self.modes, fences=self.fences, outliers=self.outliers)
        return settled


@dataclass(frozen=True)
class GroupComparison:
    """Groups described, tested and their difference measured, each when it is asked for; empty groups take no part."""

    _summary: Later[GroupSummary]
    _tests: Later[dict[str, Significance]]
    _effects: Later[dict[str, Estimate]]

    @classmethod
    def of(cls, summary: GroupSummary, tests: dict[str, Significance], effects: dict[str, Estimate]) -> GroupComparison:
        """Return a comparison of which all parts are there."""
        return cls(Later.now(summary), Later.now(tests), Later.now(effects))

    @property
    def summary(self) -> GroupSummary:
        """The groups described."""
        return self._summary()

    @property
    def tests(self) -> dict[str, Significance]:
        """What sets the groups apart, tested."""
        return self._tests()

    @property
    def effects(self) -> dict[str, Estimate]:
        """How far apart they are."""
        return self._effects()


@dataclass(frozen=True)
class GroupedRows:
    """The rows of groups in memory, from which descriptions and comparisons are made; no result holds one.

    Parameters
    ----------
    labels
        Of the groups.
    ordered
        Each group's values, sorted.
    missing
        Rows of each group without a value.
    apart
        Whether moments are summed group by group.
    values, codes
        Of the rows, for many small groups.
    """

    labels: tuple[str, ...]
    ordered: list[Floats]
    missing: NDArray[np.int64]
    apart: bool
    values: Floats
    codes: NDArray[np.integer]

    @cached_property
    def moments(self) -> MomentSummary:
        """Count, mean and central moments of each group."""
        tally = Moments(len(self.labels))
        if self.apart:
            tally.add_groups(self.ordered)
        else:
            tally.add(self.values, self.codes)
        return tally.finish()

    @cached_property
    def ranked(self) -> RankedPair:
        """The two groups placed in each other."""
        return rank_pair(*self.ordered)

    @cached_property
    def summary(self) -> GroupSummary:
        """The groups described."""
        quartiles = np.array([sorted_quantiles(g, QUARTILES) for g in self.ordered]).reshape(-1, 3)
        ordered = tuple(SortedArray(g) for g in self.ordered)
        return GroupSummary(self.labels, self.missing, self.moments, quartiles, ordered)


def _mode(ordered: Ordered) -> float:
    values, n = ordered.top_values(1)
    return float(values[0]) if len(n) and n[0] > 1 else float("nan")


def grouped_rows(
    values: Floats, codes: NDArray[np.integer], labels: tuple[str, ...], rows: Rows | None = None
) -> GroupedRows:
    """Sort the values of each group.

    Parameters
    ----------
    values
        Shape (n,), NaN for missing.
    codes
        Group of each row, shape (n,), ``-1`` for none.
    rows
        The rows of each group, where they are already known.
    """
    ordered = sorted_groups(values, codes, len(labels), rows)
    apart = rows is not None or len(labels) <= max(FEW_GROUPS, len(values) // ROWS_APART)
    if rows is not None:
        missing = np.array([len(at) - len(g) for at, g in zip(rows, ordered, strict=True)], np.int64)
    else:
        missing = np.bincount(codes[np.isnan(values) & (codes >= 0)], minlength=len(labels))
    return GroupedRows(labels, ordered, missing, apart, values, codes)


def one_group(values: Floats, label: str) -> GroupedRows:
    """Sort the values of a column, as one group."""
    ordered = sorted_present(values.copy())
    missing = np.array([len(values) - len(ordered)], np.int64)
    return GroupedRows((label,), [ordered], missing, True, values, np.zeros(0, np.int32))


def summarise_groups(
    values: Floats, codes: NDArray[np.integer], labels: tuple[str, ...], rows: Rows | None = None
) -> GroupSummary:
    """Describe each group; see `grouped_rows`."""
    return grouped_rows(values, codes, labels, rows).summary


def compare_groups(
    values: Floats, codes: NDArray[np.integer], labels: tuple[str, ...], rows: Rows | None = None
) -> GroupComparison:
    """Describe groups and compare them; see `compared`."""
    return compared(grouped_rows(values, codes, labels, rows))


def compared(groups: GroupedRows) -> GroupComparison:
    """Compare groups: two-group statistics where there are two, else the many-group ones."""
    tests = Later(lambda: _tests(groups))
    return GroupComparison(Later(lambda: groups.summary), tests, Later(lambda: _effects(groups, tests())))


def _tests(groups: GroupedRows) -> dict[str, Significance]:
    if len(groups.labels) == 2:
        return {"welch_t": welch_t(groups.moments)[0], "mann_whitney": mann_whitney_of(groups.ranked)}
    filled = groups.moments.pick(groups.moments.n > 0)
    return {
        "welch_anova": welch_anova(filled.pick((filled.n > 1) & (np.nan_to_num(filled.sd) > 0))),
        "kruskal_wallis": kruskal_wallis([g for g in groups.ordered if len(g)]),
    }


def _effects(groups: GroupedRows, tests: dict[str, Significance]) -> dict[str, Estimate]:
    effects: dict[str, Estimate] = {}
    if len(groups.labels) == 2:
        effects["mean_difference"] = welch_t(groups.moments)[1]
        effects["hedges_g"] = hedges_g(groups.moments)
        effects["superiority"] = superiority_of(groups.ranked)
        h = kruskal_wallis_of_two(groups.ranked)
    else:
        h = tests["kruskal_wallis"].statistic
    filled = groups.moments.pick(groups.moments.n > 0)
    effects["omega_squared"] = omega_squared(filled)
    effects["epsilon_squared"] = epsilon_squared(h, int(filled.n.sum()), len(filled.n))
    return effects
