"""One matrix for columns of all kinds: how strongly each goes with each, in which form, and how surely."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import special, stats

from .. import thresholds as T
from ..later import Later
from ..parallel import in_threads
from ..stats.clustered import product_design_effect, unit_codes
from ..stats.multiplicity import q_values
from .forms import FORMS, forms_of
from .intervals import EXACT_ROWS, correlation_p, exact_p, interval
from .matrices import Matrix, pearson_matrix, ranks_of_rows, spearman_matrix
from .mixed import Strength, correlation_ratio, cramers_v
from .side import Side, numbers_of

Floats = NDArray[np.float64]
Codes = NDArray[np.int64]
Units = Codes | None
Progress = Callable[[int, int, str], None]

METHODS = ("auto", "pearson", "spearman", "kendall")
ALTERNATIVES = ("two-sided", "greater", "less")
NAMES = ("none", "pearson", "spearman", "kendall", "correlation_ratio", "cramers_v")
NONE, PEARSON, SPEARMAN, KENDALL, RATIO, V = range(6)


@dataclass(frozen=True)
class Asked:
    """How coefficients are taken: a method, the confidence of intervals, and what the test is against."""

    method: str = "auto"
    confidence: float = 0.95
    alternative: str = "two-sided"


@dataclass(frozen=True)
class Relations:
    """How the columns go together; square arrays are of shape (columns, columns).

    Parameters
    ----------
    sides
        The columns.
    coefficient, n, method, p
        Of each pair: NaN and "none" where there is none.
    form
        Of two numbers, by its place in ``FORMS``.
    inflation
        Design effect of each pair, where rows come in units.
    """

    sides: tuple[Side, ...]
    asked: Asked
    coefficient: Floats
    n: NDArray[np.int64]
    method: NDArray[np.int8]
    p: Floats
    _forms: Later[NDArray[np.int8]]
    _statistic: Floats
    _df: Floats
    inflation: Floats

    @property
    def names(self) -> tuple[str, ...]:
        """Of the columns."""
        return tuple(s.name for s in self.sides)

    @property
    def form(self) -> NDArray[np.int8]:
        """Of each pair of numbers."""
        return self._forms()

    @property
    def strength(self) -> Floats:
        """From 0 to 1; NaN where there is none."""
        return np.abs(self.coefficient)

    @property
    def both_ways(self) -> Floats:
        """Strength of pairs in which each tells the other; 0 where one only follows from the other.

        A correlation ratio says how far the number follows from the level, and V of two columns how far the one with
        fewer levels follows from the other.
        """
        size = np.array([s.size for s in self.sides], float)
        unlike = np.maximum(size[:, None], size) > T.LIKE_LEVELS * np.minimum(size[:, None], size)
        return np.where((self.method == RATIO) | ((self.method == V) & unlike), 0.0, self.strength)

    def upper(self, at_least: float | None = None) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Return the pairs, the strongest first; those of a strength at least."""
        i, j = np.triu_indices(len(self.sides), 1)
        strength = self.strength[i, j]
        keep = ~np.isnan(strength) if at_least is None else strength >= at_least
        order = np.argsort(-np.nan_to_num(strength[keep], nan=-1.0), kind="stable")
        return i[keep][order], j[keep][order]

    def q(self) -> Floats:
        """Benjamini–Hochberg q of every pair, square."""
        i, j = np.triu_indices(len(self.sides), 1)
        out = np.full(self.p.shape, np.nan)
        out[i, j] = out[j, i] = q_values(self.p[i, j])
        return out

    def intervals(self, i: NDArray[np.intp], j: NDArray[np.intp]) -> tuple[Floats, Floats]:
        """Return the intervals of some pairs."""
        low, high = np.full(len(i), np.nan), np.full(len(i), np.nan)
        effective = self.n[i, j] / self.inflation[i, j]
        for code in (PEARSON, SPEARMAN, KENDALL):
            of = self.method[i, j] == code
            r = self.coefficient[i, j][of]
            low[of], high[of] = interval(r, effective[of], NAMES[code], self.asked.confidence, self.asked.alternative)
        for k in np.flatnonzero(self.method[i, j] >= RATIO):
            low[k], high[k] = self._explained(int(i[k]), int(j[k]))
        return low, high

    def _explained(self, i: int, j: int) -> tuple[float, float]:
        """Invert the noncentral F of a correlation ratio, or chi-square of a V, for its interval."""
        from ..stats.many_groups import LARGEST_F
        from ..stats.noncentral import noncentral_chi_square, noncentral_f

        value, inflation = float(self.coefficient[i, j]), float(self.inflation[i, j])
        statistic, (df1, df2) = float(self._statistic[i, j]) / inflation, self._df[i, j]
        n, tail = float(self.n[i, j]) / inflation, (1 - self.asked.confidence) / 2
        if not np.isfinite(statistic) or (self.method[i, j] == RATIO and statistic > LARGEST_F):
            return value, 1.0
        ends = []
        for share in (1 - tail, tail):
            if self.method[i, j] == RATIO:
                lam = noncentral_f(statistic, df1, df2, share)
                ends.append(np.sqrt(lam / (lam + n)))
            else:
                ends.append(np.sqrt(noncentral_chi_square(statistic, df1, share) / n / df2))
        return float(min(ends[0], value)), float(min(max(ends[1], value), 1.0))


def relate(
    sides: list[Side], asked: Asked, units: Units = None, seed: int = 0, progress: Progress | None = None
) -> Relations:
    """Relate every two columns.

    Parameters
    ----------
    sides
        Columns of the same rows.
    units
        The unit of every row; intervals and tests then count units.
    progress
        Told what is done, of how much.
    """
    p = len(sides)
    made = _Made(p)
    rows = len(sides[0].numbers if sides[0].numbers is not None else sides[0].codes) if p else 0  # type: ignore[arg-type]
    numeric = [i for i, s in enumerate(sides) if s.numbers is not None and asked.method != "none"]
    numbers = [numbers_of(sides[i]) for i in numeric]
    pearson = pearson_matrix(numbers) if asked.method in ("auto", "pearson") else None
    spearman = spearman_matrix(numbers, progress) if asked.method in ("auto", "spearman") else None
    forms = Later(lambda: forms_of(sides, units, seed))
    if asked.method == "kendall":
        _kendall(made, numeric, numbers, rows)
    elif asked.method == "auto":
        assert pearson is not None
        assert spearman is not None
        _auto(made, sides, numeric, pearson, spearman)
        _mixed(made, sides, rows)
        _choose_by_form(made, sides, numeric, pearson, spearman, forms)
    else:
        whole = pearson if pearson is not None else spearman
        assert whole is not None
        made.put(numeric, whole, PEARSON if asked.method == "pearson" else SPEARMAN)
    if units is not None:
        _inflate(made, sides, units, rows)
    _test(made, sides, asked)
    return Relations(
        tuple(sides), asked, made.r, made.n, made.method, made.p, forms, made.statistic, made.df, made.inflation
    )


class _Made:
    """Square arrays while they are filled."""

    def __init__(self, p: int) -> None:
        self.r, self.p = np.full((p, p), np.nan), np.full((p, p), np.nan)
        self.n = np.zeros((p, p), np.int64)
        self.method = np.zeros((p, p), np.int8)
        self.statistic, self.inflation = np.full((p, p), np.nan), np.ones((p, p))
        self.df = np.zeros((p, p, 2))

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
        self.statistic[i, j] = self.statistic[j, i] = seen.statistic
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


def _mixed(made: _Made, sides: list[Side], rows: int) -> None:
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
            seen, method = correlation_ratio(a.codes, a.size, numbers_of(b)), RATIO
        else:
            assert b.codes is not None
            seen, method = cramers_v(a.codes, a.size, b.codes, b.size), V
        made.explained(i, j, seen, method)

    in_threads(one, pairs, rows)
    for i, s in enumerate(sides):
        if s.what == "levels" and not s.constant:
            made.both(i, i, 1.0, rows - s.missing, V)


def _kendall(made: _Made, numeric: list[int], numbers: list[Floats], rows: int) -> None:
    def one(pair: tuple[int, int]) -> None:
        i, j = pair
        both = ~(np.isnan(numbers[i]) | np.isnan(numbers[j]))
        x, y = numbers[i][both], numbers[j][both]
        tau = float("nan")
        if len(x) > 1 and x.min() < x.max() and y.min() < y.max():
            seen = stats.kendalltau(x, y)
            tau = float(seen.statistic)
            made.p[numeric[i], numeric[j]] = made.p[numeric[j], numeric[i]] = float(seen.pvalue)
        made.both(numeric[i], numeric[j], tau, len(x), KENDALL)

    in_threads(one, [(i, j) for i in range(len(numeric)) for j in range(i, len(numeric))], rows)


def _choose_by_form(
    made: _Made,
    sides: list[Side],
    numeric: list[int],
    pearson: Matrix,
    spearman: Matrix,
    forms: Later[NDArray[np.int8]],
) -> None:
    """Of two numbers take Pearson where they lie on a line, a correlation ratio on a curve, Spearman elsewhere."""
    grid = np.ix_(numeric, numeric)
    seen = forms()[grid]
    signed = np.array([sides[i].signed for i in numeric], bool)
    rho = np.where(signed[:, None] & signed, spearman.r, np.abs(spearman.r))
    ranked = (seen > 0) & (seen != FORMS.index("linear")) & ~np.isnan(rho)
    made.r[grid] = np.where(ranked, rho, made.r[grid])
    made.method[grid] = np.where(ranked, SPEARMAN, made.method[grid])
    for a, b in zip(*np.nonzero(np.triu(seen == FORMS.index("curved"), 1)), strict=True):
        i, j = numeric[a], numeric[b]
        ratio = _along_bins(numbers_of(sides[i]), numbers_of(sides[j]))
        if not ratio.value <= abs(spearman.r[a, b]):
            made.explained(i, j, ratio, RATIO)


def _along_bins(x: Floats, y: Floats) -> Strength:
    """Return the larger correlation ratio of one number in quantile bins of the other."""
    from ..stats.rates import quantile_bins

    best = None
    for a, b in ((x, y), (y, x)):
        bins = quantile_bins(np.where(np.isnan(b), np.nan, a), T.RATE_BINS)
        seen = correlation_ratio(bins.codes.astype(np.int64), len(bins.ends), b)
        if best is None or seen.value > best.value:
            best = seen
    assert best is not None
    return best


def _inflate(made: _Made, sides: list[Side], units: Codes, rows: int) -> None:
    """Find the design effect of every pair: of products of ranks, or of the level's code and the number."""
    scores = [ranks_of_rows(numbers_of(s)) if s.numbers is not None else None for s in sides]

    def one(pair: tuple[int, int]) -> None:
        i, j = pair
        a, b = scores[i], scores[j]
        if a is None or b is None:
            made.inflation[i, j] = made.inflation[j, i] = _mean_unit(sides[i], sides[j], units)
            return
        both = ~(np.isnan(a) | np.isnan(b))
        effect = product_design_effect(unit_codes(units[both]), a[both], b[both]) if both.any() else 1.0
        made.inflation[i, j] = made.inflation[j, i] = effect

    p = len(sides)
    in_threads(one, [(i, j) for i in range(p) for j in range(i + 1, p)], rows)


def _mean_unit(a: Side, b: Side, units: Codes) -> float:
    """Return the rows of a unit, weighted by rows: as if all of a unit said the same, which is the most it can be."""
    both = np.ones(len(units), bool)
    for s in (a, b):
        both &= s.codes >= 0 if s.codes is not None else ~np.isnan(numbers_of(s))
    rows = np.bincount(unit_codes(units[both])).astype(float) if both.any() else np.ones(1)
    return float(np.sum(rows**2) / max(float(rows.sum()), 1.0))


def _test(made: _Made, sides: list[Side], asked: Asked) -> None:
    """Fill in p: of t for correlations, F for ratios, chi-square for V, exact for ranks of few rows; of units counted.

    A p of Kendall's tau is of a normal deviate, which units make smaller.
    """
    effective = made.n / made.inflation
    plain = np.isin(made.method, (PEARSON, SPEARMAN))
    p = correlation_p(made.r, effective, asked.alternative)
    made.p = np.where(plain, p, made.p)
    tau = made.method == KENDALL
    made.p[tau] = 2 * special.ndtr(special.ndtri(made.p[tau] / 2) / np.sqrt(made.inflation[tau]))
    shrunk, df1, df2 = made.statistic / made.inflation, made.df[..., 0], made.df[..., 1]
    for code, tested in ((RATIO, special.fdtrc(df1, df2, shrunk)), (V, special.chdtrc(df1, shrunk))):
        made.p = np.where(made.method == code, tested, made.p)
    if asked.alternative != "two-sided":
        towards = made.r > 0 if asked.alternative == "greater" else made.r < 0
        made.p = np.where(tau, np.where(towards, made.p / 2, 1 - made.p / 2), made.p)
    ranked = (tau | (made.method == SPEARMAN)) & (made.n >= 3) & (made.n < EXACT_ROWS) & (made.inflation == 1)
    for i, j in zip(*np.nonzero(np.triu(ranked, 1)), strict=True):
        a, b = numbers_of(sides[i]), numbers_of(sides[j])
        both = ~(np.isnan(a) | np.isnan(b))
        made.p[i, j] = made.p[j, i] = exact_p(a[both], b[both], NAMES[made.method[i, j]], asked.alternative)
    np.fill_diagonal(made.p, np.nan)


def only(relations: Relations, keep: list[int]) -> Relations:
    """Return the relations of some of the columns."""
    grid = np.ix_(keep, keep)
    return replace(
        relations, sides=tuple(relations.sides[i] for i in keep), coefficient=relations.coefficient[grid],
        n=relations.n[grid], method=relations.method[grid], p=relations.p[grid],
        _forms=Later(lambda: relations.form[grid]), _statistic=relations._statistic[grid], _df=relations._df[grid],
        inflation=relations.inflation[grid],
    )  # fmt: skip
