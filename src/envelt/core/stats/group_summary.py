"""Groups of numbers described: one row a group."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..shapes.ordered import Ordered
from ..tallies.moments import MomentSummary

Floats = NDArray[np.float64]


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
        Half the 95 % interval of each mean, shape (groups,): Student's over rows, or by what units make it vary.
    """

    labels: tuple[str, ...]
    missing: NDArray[np.int64]
    moments: MomentSummary
    quartiles: Floats
    ordered: tuple[Ordered, ...]
    half_width: Floats

    @property
    def mean_interval(self) -> tuple[Floats, Floats]:
        """The 95 % interval of each mean; NaN for fewer than two values (or units)."""
        return self.moments.mean - self.half_width, self.moments.mean + self.half_width

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


def _mode(ordered: Ordered) -> float:
    values, n = ordered.top_values(1)
    return float(values[0]) if len(n) and n[0] > 1 else float("nan")
