"""Whether a candidate is related to the outcome at all: the p beside its held-out share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..shapes.quantiles import Rows, rows_of_groups, sorted_groups
from ..shapes.ranks import mid_ranks, ranks_of_ordinals, tie_term_of
from ..stats.between import p_of_ranked_pair, p_of_ranks
from ..stats.correlation import certainty, pearson_coefficient
from ..stats.crossing import Crossing
from ..stats.heldout import Cells
from ..stats.sampling import Sampling
from ..stats.targets import ClassTarget, NumberTarget, Target

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Looks:
    """An outcome, and what its rows are a sample of, that candidates are tested against.

    Parameters
    ----------
    rows
        Of each class, where there are few.
    ranks
        Of a numeric outcome.
    """

    target: Target
    sampling: Sampling
    rows: Rows | None
    ranks: Floats | None

    @classmethod
    def of(cls, target: Target, sampling: Sampling) -> Looks:
        """Prepare an outcome."""
        rows = rows_of_groups(target.codes, target.classes) if isinstance(target, ClassTarget) else None
        return cls(target, sampling, rows, target.ranks)

    def p_of_levels(self, cells: Cells) -> float:
        """Return the p of levels against the outcome, missing being a level of its own."""
        sums = cells.sums.sum(axis=1) if cells.sums.shape[1] else self.target.sums(cells.codes, len(cells.sums))
        return self._over_cells(sums, cells.codes)

    def p_of_number(self, values: Floats, cells: Cells, ordered: Floats) -> float:
        """Return min(1, 2 · min(p of a rank test, p over the bins)) of a number."""
        both = [self._over_cells(cells.sums.sum(axis=1), cells.codes), self._along(values, ordered)]
        both = [p for p in both if not np.isnan(p)]
        return min(1.0, 2 * min(both)) if both else float("nan")

    def _over_cells(self, sums: Floats, codes: NDArray[np.integer]) -> float:
        """Return the p of a table of cells: chi-square for classes, Kruskal–Wallis for a number."""
        target = self.target
        if isinstance(target, ClassTarget):
            table = np.rint(sums).astype(np.int64)
            return Crossing.of(codes, target.codes, (len(sums), target.classes), self.sampling, table).chi_square().p
        assert self.ranks is not None
        return p_of_ranks(self.ranks, codes.astype(np.int64), len(sums), self.sampling)

    def _along(self, values: Floats, ordered: Floats) -> float:
        """Return the p of a monotone relation: Mann–Whitney, Kruskal–Wallis, or Spearman for a number."""
        target = self.target
        if len(ordered) < 3:
            return float("nan")
        if isinstance(target, ClassTarget) and target.classes == 2 and not self.sampling.clustered:
            first, second = sorted_groups(values, target.codes, 2, self.rows)
            return p_of_ranked_pair(first, second, tie_term_of(ordered))
        order = np.argsort(values)[: len(ordered)]
        x, sampling = mid_ranks(values[order]), self.sampling.take(order)
        if isinstance(target, NumberTarget):
            y = ranks_of_ordinals(target.ordinals[order])
            return certainty(pearson_coefficient(x, y), x, y, sampling, "spearman").p
        return p_of_ranks(x, target.codes[order], target.classes, sampling)
