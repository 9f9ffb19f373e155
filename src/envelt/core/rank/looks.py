"""Whether a candidate is related to the outcome at all: the p beside its held-out share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from ..shapes.quantiles import Rows, rows_of_groups, sorted_groups
from ..shapes.ranks import mid_ranks, ranks_of_ordinals, tie_term_of
from ..stats.clustered import group_design_effect, product_design_effect, table_design_effect
from ..stats.correlation import correlation_test
from ..stats.heldout import Cells
from ..stats.tables import chi_square, chi_square_sparse, expected_are_small
from ..stats.targets import ClassTarget, NumberTarget, Target
from ..stats.two_groups import rank_pair

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Looks:
    """An outcome, and the unit of each row, that candidates are tested against.

    Parameters
    ----------
    rows
        Of each class, where there are few.
    ranks
        Of a numeric outcome.
    """

    target: Target
    units: Codes | None
    rows: Rows | None
    ranks: Floats | None

    @classmethod
    def of(cls, target: Target, units: Codes | None) -> Looks:
        """Prepare an outcome."""
        rows = rows_of_groups(target.codes, target.classes) if isinstance(target, ClassTarget) else None
        return cls(target, units, rows, target.ranks)

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
        target, units = self.target, self.units
        if isinstance(target, ClassTarget):
            table = np.rint(sums).astype(np.int64)
            test = chi_square_sparse(table) if expected_are_small(table) else chi_square(table)
            if units is None or np.isnan(test.p):
                return test.p
            at = codes.astype(np.int64)
            inflation = table_design_effect(units, at, target.codes, (len(sums), target.classes))
            used = table[table.sum(axis=1) > 0]
            df = (len(used) - 1) * (int((used.sum(axis=0) > 0).sum()) - 1)
            return max(test.p, float(special.chdtrc(df, test.statistic / inflation)))
        ranks = self.ranks
        assert ranks is not None
        n = np.bincount(codes, minlength=len(sums)).astype(np.float64)
        used_levels = int(np.count_nonzero(n))
        centred = ranks - ranks.mean()
        total = np.bincount(codes, weights=centred, minlength=len(sums))
        variance = float(np.sum(centred**2)) / (len(ranks) - 1)
        if used_levels < 2 or variance == 0:
            return float("nan")
        h = float(np.sum(total**2 / np.maximum(n, 1))) / variance
        inflation = 1.0 if units is None else group_design_effect(units, codes.astype(np.int64), len(sums), ranks)
        return float(special.chdtrc(used_levels - 1, h / inflation))

    def _along(self, values: Floats, ordered: Floats) -> float:
        """Return the p of a monotone relation: Mann–Whitney, Kruskal–Wallis, or Spearman for a number."""
        target = self.target
        if len(ordered) < 3:
            return float("nan")
        if isinstance(target, ClassTarget) and target.classes == 2 and self.units is None:
            return self._mann_whitney(values, target, ordered)
        order = np.argsort(values)[: len(ordered)]
        x = mid_ranks(values[order])
        units = None if self.units is None else self.units[order]
        if isinstance(target, NumberTarget):
            y = ranks_of_ordinals(target.ordinals[order])
            dx, dy = x - x.mean(), y - y.mean()
            scale = np.sqrt(np.sum(dx**2) * np.sum(dy**2))
            if scale == 0:
                return float("nan")
            inflation = 1.0 if units is None else product_design_effect(units, x, y)
            r = float(np.clip(np.sum(dx * dy) / scale, -1, 1))
            return correlation_test(r / np.sqrt(inflation), len(x)).p
        return _ranks_by_class(x, target.codes[order], target.classes, units)

    def _mann_whitney(self, values: Floats, target: ClassTarget, ordered: Floats) -> float:
        """Return Mann–Whitney's p, tie- and continuity-corrected."""
        first, second = sorted_groups(values, target.codes, 2, self.rows)
        n1, n2, n = len(first), len(second), len(ordered)
        spread = (n * (n + 1.0) * (n - 1) - tie_term_of(ordered)) / (12 * (n - 1))
        if spread <= 0 or min(n1, n2) == 0:
            return float("nan")
        away = abs(rank_pair(first, second).u - n1 * n2 / 2)
        z = max(away - 0.5, 0.0) / np.sqrt(spread * n1 * n2 / n)
        return float(min(1.0, 2 * special.ndtr(-z)))


def _ranks_by_class(x: Floats, codes: Codes, classes: int, units: Codes | None) -> float:
    """Return the p that ranks differ between classes: Mann–Whitney of two, Kruskal–Wallis of more."""
    n = np.bincount(codes, minlength=classes).astype(np.float64)
    centred = x - x.mean()
    spread = float(np.sum(centred**2)) / (len(x) - 1)
    if spread == 0 or np.count_nonzero(n) < 2:
        return float("nan")
    total = np.bincount(codes, weights=centred, minlength=classes)
    inflation = 1.0 if units is None else group_design_effect(units, codes, classes, x)
    if classes == 2:  # tie- and continuity-corrected
        se = np.sqrt(spread * n[0] * n[1] / len(x) * inflation)
        z = max(abs(float(total[1])) - 0.5, 0.0) / se
        return float(min(1.0, 2 * special.ndtr(-z)))
    h = float(np.sum(total**2 / np.maximum(n, 1))) / spread / inflation
    return float(special.chdtrc(np.count_nonzero(n) - 1, h))
