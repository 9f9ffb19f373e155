"""One matrix for columns of all kinds: how strongly each goes with each, in which form, and how surely."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from .. import thresholds as T
from ..kept import Remade
from ..parallel import Progress, in_threads
from ..shapes.ranks import ranks_of
from ..stats.correlation import certainty, row_error, tied_error, z_interval
from ..stats.exact import EXACT_ROWS, correlation_p, exact_p
from ..stats.explained import explained_share
from ..stats.matrices import Matrix, pearson_matrix, ranks_of_rows, spearman_matrix
from ..stats.multiplicity import q_values
from ..stats.sampling import Sampling
from .correlating import Correlating
from .forms import FORMS, forms_of
from .mixed import Strength, correlation_ratio, cramers_v
from .side import Side, numbers_of

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]

NAMES = ("none", "pearson", "spearman", "kendall", "correlation_ratio", "cramers_v")
NONE, PEARSON, SPEARMAN, KENDALL, RATIO, V = range(6)


@dataclass(frozen=True)
class Relations(Remade):
    """How the columns go together; square arrays are of shape (columns, columns).

    Parameters
    ----------
    sides
        The columns.
    coefficient, n, method, p
        Of each pair: NaN and "none" where there is none.
    error, error_df
        The standard error of Fisher's z of each correlation, and its degrees of freedom (∞: normal).
    """

    sides: tuple[Side, ...]
    asked: Correlating
    coefficient: Floats
    n: NDArray[np.int64]
    method: NDArray[np.int8]
    p: Floats
    error: Floats
    error_df: Floats
    sampling: Sampling
    seed: int
    _settled: NDArray[np.int8] | None
    _explained: Explained
    _order: Floats

    @property
    def names(self) -> tuple[str, ...]:
        """The names of the columns, in the order of the rows and columns of every matrix."""
        return tuple(s.name for s in self.sides)

    @cached_property
    def form(self) -> NDArray[np.int8]:
        """Of two numbers, by its place in ``FORMS``, square."""
        return forms_of(list(self.sides), self.sampling, self.seed) if self._settled is None else self._settled

    @property
    def strength(self) -> Floats:
        """From 0 to 1; NaN where there is none."""
        return np.abs(self.coefficient)

    @property
    def both_ways(self) -> Floats:
        """Strength of pairs in which each tells the other; 0 where one only follows from the other.

        A correlation ratio says how far the number follows from the level, and V of two columns how far the one with
        fewer levels follows from the other. Of two numbers along a curve it is that of their ranks.
        """
        size = np.array([s.size for s in self.sides], float)
        unlike = np.maximum(size[:, None], size) > T.LIKE_LEVELS * np.minimum(size[:, None], size)
        one_way = np.where(np.isnan(self._order), 0.0, self._order)
        return np.where((self.method == RATIO) | ((self.method == V) & unlike), one_way, self.strength)

    def upper(self, at_least: float | None = None) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Return the pairs, the strongest first; those of a strength at least."""
        i, j = np.triu_indices(len(self.sides), 1)
        strength = self.strength[i, j]
        keep = ~np.isnan(strength) if at_least is None else strength >= at_least
        order = np.argsort(-strength[keep], kind="stable")
        return i[keep][order], j[keep][order]

    def q(self) -> Floats:
        """Benjamini–Hochberg q of every pair, square."""
        i, j = np.triu_indices(len(self.sides), 1)
        out = np.full(self.p.shape, np.nan)
        out[i, j] = out[j, i] = q_values(self.p[i, j])
        return out

    def intervals(self, i: NDArray[np.intp], j: NDArray[np.intp]) -> tuple[Floats, Floats]:
        """Return the intervals of some pairs."""
        low, high = z_interval(
            self.coefficient[i, j], self.error[i, j], self.error_df[i, j], self.asked.confidence, self.asked.alternative
        )
        seen = self._explained
        for k in np.flatnonzero(self.method[i, j] >= RATIO):
            a, b = int(i[k]), int(j[k])
            low[k], high[k] = explained_share(
                float(self.coefficient[a, b]), float(seen.statistic[a, b]), seen.df[a, b], float(self.n[a, b]),
                float(seen.effect[a, b]), self.method[a, b] == RATIO, self.asked.confidence,
                float(self.error[a, b]), float(self.error_df[a, b]),
            )  # fmt: skip
        return low, high


@dataclass(frozen=True)
class Explained:
    """What intervals of correlation ratios and V are found from, square: F or chi-square, and what units make of it."""

    statistic: Floats
    df: Floats
    effect: Floats

    def of(self, grid: tuple[NDArray[np.intp], ...]) -> Explained:
        """Return it of some of the columns."""
        return Explained(self.statistic[grid], self.df[grid], self.effect[grid])


def relate(
    sides: list[Side],
    asked: Correlating,
    sampling: Sampling,
    seed: int = 0,
    progress: Progress | None = None,
    forms: NDArray[np.int8] | None = None,
) -> Relations:
    """Relate every two columns.

    Parameters
    ----------
    sides
        Columns of the same rows.
    sampling
        Of these rows.
    progress
        Told what is done, of how much.
    forms
        Of the pairs, by their place in ``FORMS``, where they are settled: then coefficients follow from them.
    """
    p = len(sides)
    made = _Made(p)
    rows = sampling.rows
    numeric = [i for i, s in enumerate(sides) if s.numbers is not None and asked.method != "none"]
    numbers = [numbers_of(sides[i]) for i in numeric]
    pearson = pearson_matrix(numbers) if asked.method in ("auto", "pearson") else None
    spearman = spearman_matrix(numbers, progress) if asked.method in ("auto", "spearman") else None
    if asked.method == "kendall":
        _kendall(made, numeric, numbers, rows)
    elif asked.method == "auto":
        assert pearson is not None
        assert spearman is not None
        _auto(made, sides, numeric, pearson, spearman)
        _mixed(made, sides, sampling)
        forms = forms_of(sides, sampling, seed) if forms is None else forms
        _choose_by_form(made, sides, numeric, pearson, spearman, forms, sampling)
    else:
        whole = pearson if pearson is not None else spearman
        assert whole is not None
        made.put(numeric, whole, PEARSON if asked.method == "pearson" else SPEARMAN)
    _test(made, sides, asked, sampling)
    explained = Explained(made.statistic, made.df, made.effect)
    return Relations(
        tuple(sides),
        asked,
        made.r,
        made.n,
        made.method,
        made.p,
        made.error,
        made.error_df,
        sampling,
        seed,
        forms,
        explained,
        made.order,
    )


class _Made:
    """Square arrays while they are filled."""

    def __init__(self, p: int) -> None:
        self.r, self.p = np.full((p, p), np.nan), np.full((p, p), np.nan)
        self.n = np.zeros((p, p), np.int64)
        self.method = np.zeros((p, p), np.int8)
        self.error, self.error_df = np.full((p, p), np.nan), np.full((p, p), np.inf)
        self.statistic, self.effect = np.full((p, p), np.nan), np.ones((p, p))
        self.df = np.zeros((p, p, 2))
        self.tied = np.ones((p, p))
        self.order = np.full((p, p), np.nan)

    def put(self, at: list[int], matrix: Matrix, method: int) -> None:
        """Put the coefficients of some columns in."""
        grid = np.ix_(at, at)
        self.r[grid], self.n[grid] = matrix.r, matrix.n
        self.method[grid] = np.where(np.isnan(matrix.r), NONE, method)

    def both(self, i: int, j: int, r: float, n: int, method: int) -> None:
        """Put one pair in, on both sides of the diagonal."""
        self.r[i, j] = self.r[j, i] = r
        self.n[i, j] = self.n[j, i] = n
        self.method[i, j] = self.method[j, i] = NONE if np.isnan(r) else method

    def explained(self, i: int, j: int, seen: Strength, method: int) -> None:
        """Put in a correlation ratio or V, with what its p and interval are found from."""
        self.both(i, j, seen.value, seen.n, method)
        for square, value in (
            (self.statistic, seen.statistic), (self.effect, seen.effect), (self.p, seen.p), (self.error, seen.error),
            (self.error_df, seen.error_df),
        ):  # fmt: skip
            square[i, j] = square[j, i] = value
        self.df[i, j] = self.df[j, i] = seen.df


def _auto(made: _Made, sides: list[Side], numeric: list[int], pearson: Matrix, spearman: Matrix) -> None:
    """Take Pearson of numbers and two levels, Spearman where ordered levels take part; no sign without a meaning."""
    made.put(numeric, pearson, PEARSON)
    ranked = np.array([sides[i].what == "ranks" for i in numeric], bool)
    graded = ranked[:, None] | ranked[None, :]
    unsigned = ~np.array([sides[i].signed for i in numeric], bool)
    bare = unsigned[:, None] | unsigned[None, :]
    r = np.where(graded, spearman.r, pearson.r)
    grid = np.ix_(numeric, numeric)
    made.r[grid] = np.where(bare, np.abs(r), r)
    made.method[grid] = np.where(np.isnan(r), NONE, np.where(graded, SPEARMAN, PEARSON))


def _mixed(made: _Made, sides: list[Side], sampling: Sampling) -> None:
    """Add the pairs in which levels without an order take part."""
    pairs = [
        (i, j)
        for i, a in enumerate(sides)
        for j, b in enumerate(sides)
        if i < j and "levels" in (a.what, b.what)
    ]  # fmt: skip

    def one(pair: tuple[int, int]) -> None:
        i, j = pair
        a, b = (sides[i], sides[j]) if sides[i].what == "levels" else (sides[j], sides[i])
        assert a.codes is not None
        if b.what in ("number", "ranks"):
            seen, method = correlation_ratio(a.codes, a.size, numbers_of(b), sampling), RATIO
        else:
            assert b.codes is not None
            seen, method = cramers_v(a.codes, a.size, b.codes, b.size, sampling), V
        made.explained(i, j, seen, method)

    in_threads(one, pairs, sampling.rows)
    for i, s in enumerate(sides):
        if s.what == "levels" and not s.constant:
            made.both(i, i, 1.0, sampling.rows - s.missing, V)


def _kendall(made: _Made, numeric: list[int], numbers: list[Floats], rows: int) -> None:
    def one(pair: tuple[int, int]) -> None:
        i, j = pair
        both = ~(np.isnan(numbers[i]) | np.isnan(numbers[j]))
        x, y = numbers[i][both], numbers[j][both]
        tau = float("nan")
        if len(x) > 1 and x.min() < x.max() and y.min() < y.max():
            seen = scipy.stats.kendalltau(x, y)
            tau = float(seen.statistic)
            made.p[numeric[i], numeric[j]] = made.p[numeric[j], numeric[i]] = float(seen.pvalue)
            made.tied[numeric[i], numeric[j]] = made.tied[numeric[j], numeric[i]] = tied_error(x, y)
        made.both(numeric[i], numeric[j], tau, len(x), KENDALL)

    in_threads(one, [(i, j) for i in range(len(numeric)) for j in range(i, len(numeric))], rows)


def _choose_by_form(
    made: _Made,
    sides: list[Side],
    numeric: list[int],
    pearson: Matrix,
    spearman: Matrix,
    forms: NDArray[np.int8],
    sampling: Sampling,
) -> None:
    """Of two numbers take Pearson where they lie on a line, a correlation ratio on a curve, Spearman elsewhere."""
    grid = np.ix_(numeric, numeric)
    seen = forms[grid]
    signed = np.array([sides[i].signed for i in numeric], bool)
    rho = np.where(signed[:, None] & signed, spearman.r, np.abs(spearman.r))
    ranked = (seen > 0) & (seen != FORMS.index("linear")) & ~np.isnan(rho)
    made.r[grid] = np.where(ranked, rho, made.r[grid])
    made.method[grid] = np.where(ranked, SPEARMAN, made.method[grid])
    for a, b in zip(*np.nonzero(np.triu(seen == FORMS.index("curved"), 1)), strict=True):
        i, j = numeric[a], numeric[b]
        ratio = _along_bins(numbers_of(sides[i]), numbers_of(sides[j]), sampling)
        if not ratio.value <= abs(spearman.r[a, b]):
            made.explained(i, j, ratio, RATIO)
            made.order[i, j] = made.order[j, i] = abs(spearman.r[a, b])


def _along_bins(x: Floats, y: Floats, sampling: Sampling) -> Strength:
    """Return the larger correlation ratio of one number in quantile bins of the other."""
    from ..stats.rates import quantile_bins

    best = None
    for a, b in ((x, y), (y, x)):
        bins = quantile_bins(np.where(np.isnan(b), np.nan, a), T.RATE_BINS)
        seen = correlation_ratio(bins.codes.astype(np.int64), len(bins.ends), b, sampling)
        if best is None or seen.value > best.value:
            best = seen
    assert best is not None
    return best


def _test(made: _Made, sides: list[Side], asked: Correlating, sampling: Sampling) -> None:
    """Fill in p and the errors of correlations: the textbook's over rows, exact for ranks of few; by units counted."""
    correlations = np.isin(made.method, (PEARSON, SPEARMAN, KENDALL))
    if sampling.clustered:
        _by_units(made, sides, asked, sampling)
    else:
        for code in (PEARSON, SPEARMAN, KENDALL):
            of = made.method == code
            made.error[of] = row_error(made.r[of], made.n[of].astype(float), NAMES[code]) * made.tied[of]
        plain = np.isin(made.method, (PEARSON, SPEARMAN))
        made.p = np.where(plain, correlation_p(made.r, made.n.astype(float)), made.p)
        ranked = ((made.method == KENDALL) | (made.method == SPEARMAN)) & (made.n >= 3) & (made.n < EXACT_ROWS)
        for i, j in zip(*np.nonzero(np.triu(ranked, 1)), strict=True):
            a, b = numbers_of(sides[i]), numbers_of(sides[j])
            both = ~(np.isnan(a) | np.isnan(b))
            made.p[i, j] = made.p[j, i] = exact_p(a[both], b[both], NAMES[made.method[i, j]], asked.alternative)
        correlations &= ~ranked
    if asked.alternative != "two-sided":
        towards = made.r > 0 if asked.alternative == "greater" else made.r < 0
        made.p = np.where(correlations, np.where(towards, made.p / 2, 1 - made.p / 2), made.p)
    np.fill_diagonal(made.p, np.nan)


def _by_units(made: _Made, sides: list[Side], asked: Correlating, sampling: Sampling) -> None:
    """Find how sure each correlation is by units, on the rows where both are present."""
    ranks = [None if s.numbers is None else ranks_of_rows(s.numbers) for s in sides]

    def one(pair: tuple[int, int]) -> None:
        i, j = pair
        a, b, method = numbers_of(sides[i]), numbers_of(sides[j]), NAMES[made.method[i, j]]
        both = ~(np.isnan(a) | np.isnan(b))
        if method == "pearson":
            x, y = a[both], b[both]
        elif both.all():
            x, y = ranks[i], ranks[j]  # type: ignore[assignment]
        else:
            x, y = ranks_of(a[both]), ranks_of(b[both])
        sure = certainty(float(made.r[i, j]), x, y, sampling.take(both), method)
        for square, value in ((made.error, sure.se), (made.error_df, sure.df), (made.p, sure.p)):
            square[i, j] = square[j, i] = value

    of = np.triu(np.isin(made.method, (PEARSON, SPEARMAN, KENDALL)), 1)
    in_threads(one, [(int(i), int(j)) for i, j in zip(*np.nonzero(of), strict=True)], sampling.rows)
