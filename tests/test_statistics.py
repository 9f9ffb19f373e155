"""Tests, effects and intervals against SciPy, published examples and exact rational arithmetic."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from envelt.core.stats.correlation import pearson, spearman
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.multiplicity import q_values
from envelt.core.stats.of_rows import proportions as pr
from envelt.core.stats.of_rows import tables as ct
from envelt.core.stats.of_rows.two_groups import mann_whitney, rank_pair, superiority_of
from envelt.core.tallies.moments import Moments
from samples import rows

CLOSE = 1e-10


def groups(case):
    """Data with ties, missing values, offsets, unequal sizes and spreads."""
    rng = np.random.default_rng(7)
    a, b = {
        "plain": (rng.normal(size=40), rng.normal(0.4, 2.5, 65)),
        "ties": (rng.integers(0, 5, 50) * 1.0, rng.integers(1, 6, 33) * 1.0),
        "offset": (1e9 + rng.integers(0, 64, 60) / 8, 1e9 + rng.integers(3, 64, 70) / 8),
        "few": (rng.normal(size=6), rng.normal(1, 1, 120)),
        "missing": (np.r_[rng.gamma(1, size=30), np.nan], np.r_[np.nan, np.nan, rng.gamma(2, size=44)]),
    }[case]
    return a, b


@pytest.mark.parametrize("case", ["plain", "ties", "offset", "few", "missing"])
def test_two_groups_agree_with_scipy(case):
    a, b = groups(case)
    result = GroupedRows(np.r_[a, b], np.repeat([0, 1], [len(a), len(b)]), ("rest", "event"), rows(np.r_[a, b]))
    a, b = a[~np.isnan(a)], b[~np.isnan(b)]
    # SciPy loses digits at an offset of 1e9; a shift by a whole number is exact here and changes nothing
    shift = np.floor(a[0])
    a, b = a - shift, b - shift
    t = stats.ttest_ind(b, a, equal_var=False)
    u = stats.mannwhitneyu(b, a)
    h = stats.kruskal(a, b)
    assert result.tests["welch_t"] == pytest.approx((t.statistic, t.pvalue), rel=CLOSE)
    assert result.tests["mann_whitney"] == pytest.approx((u.statistic, u.pvalue), rel=CLOSE)
    interval = t.confidence_interval()
    difference = (b.mean() - a.mean(), interval.low, interval.high)
    assert result.effects["mean_difference"] == pytest.approx(difference, rel=CLOSE)
    assert result.effects["superiority"].estimate == pytest.approx(u.statistic / len(a) / len(b), rel=CLOSE)
    assert result.effects["epsilon_squared"].estimate == pytest.approx(h.statistic / (len(a) + len(b) - 1), rel=CLOSE)
    for i, x in enumerate((a, b)):
        m = result.summary.moments
        assert m.skewness[i] == pytest.approx(stats.skew(x, bias=False), rel=CLOSE)
        assert m.excess_kurtosis[i] == pytest.approx(stats.kurtosis(x, bias=False), rel=CLOSE)
        assert result.summary.quartiles[i] - shift == pytest.approx(np.quantile(x, [0.25, 0.5, 0.75]), rel=CLOSE)
    brunner = stats.brunnermunzel(a, b)
    low, high = result.effects["superiority"][1:]
    assert (low > 0.5 or high < 0.5) == (brunner.pvalue < 0.05)


def test_many_groups_agree_with_scipy_and_a_worked_example():
    rng = np.random.default_rng(3)
    parts = [rng.normal(m, s, n) for m, s, n in ((0, 1, 30), (0.5, 2, 12), (1, 0.5, 50))]
    result = GroupedRows(np.concatenate(parts), np.repeat([0, 1, 2], [30, 12, 50]), ("a", "b", "c"), rows(range(92)))
    assert result.tests["kruskal_wallis"] == pytest.approx(tuple(stats.kruskal(*parts)), rel=CLOSE)
    # Welch's F for two groups is the square of Welch's t
    pair = GroupedRows(np.concatenate(parts[:2]), np.repeat([0, 2], [30, 12]), ("a", "none", "b"), rows(range(42)))
    t = stats.ttest_ind(*parts[:2], equal_var=False)
    assert pair.tests["welch_anova"] == pytest.approx((t.statistic**2, t.pvalue), rel=CLOSE)
    # omega squared from the classical F; its interval puts that F at the 2.5 and 97.5 % points (Steiger 2004)
    f = stats.f_oneway(*parts).statistic
    estimate, low, high = result.effects["omega_squared"]
    assert estimate == pytest.approx(2 * (f - 1) / (2 * (f - 1) + 92), rel=CLOSE)
    for bound, share in ((low, 0.975), (high, 0.025)):
        assert stats.ncf.cdf(f, 2, 89, 92 * bound / (1 - bound)) == pytest.approx(share, abs=1e-7)


exact_values = st.lists(st.integers(-(2**20), 2**20).map(lambda k: k / 1024), min_size=5, max_size=40).filter(
    lambda v: len(set(v)) > 1
)


@given(exact_values, st.sampled_from([0, 10**9, -(10**9)]))
@settings(max_examples=60, deadline=None)
def test_moments_agree_with_rational_arithmetic_at_any_offset(values, offset):
    tally, of_sorted = Moments(), Moments()
    tally.add(np.array(values) + offset)
    of_sorted.add_groups([np.sort(values) + offset])
    x = [Fraction(v) + offset for v in values]
    n, mean = len(x), sum(x) / len(x)
    m2, m3, m4 = (sum((v - mean) ** k for v in x) / n for k in (2, 3, 4))
    g1 = float(m3) / float(m2) ** 1.5 * (n * (n - 1)) ** 0.5 / (n - 2)
    g2 = Fraction(n - 1, (n - 2) * (n - 3)) * ((n + 1) * (m4 / m2**2 - 3) + 6)
    for got in (tally.finish(), of_sorted.finish()):
        assert got.mean[0] == pytest.approx(float(mean), rel=CLOSE)
        assert got.variance[0] == pytest.approx(float(m2 * n / (n - 1)), rel=CLOSE)
        # a value near 0 is a difference of near-equal terms of size 1 to 10, hence the absolute part
        assert got.skewness[0] == pytest.approx(g1, rel=CLOSE, abs=1e-11)
        assert got.excess_kurtosis[0] == pytest.approx(float(g2), rel=CLOSE, abs=1e-10)


def test_exact_mann_whitney_where_the_other_group_is_large():
    rng = np.random.default_rng(0)
    a, b = rng.normal(size=8), rng.normal(0.7, 1, 300)
    want = stats.mannwhitneyu(b, a, method="exact").pvalue
    assert mann_whitney(np.sort(a), np.sort(b)).p == pytest.approx(want, rel=1e-9)  # SciPy's own table is rounded


def test_superiority_is_bounded_where_groups_do_not_overlap():
    estimate, low, high = superiority_of(rank_pair(np.arange(5.0), np.arange(5.0, 12.0)))
    assert (estimate, high) == (1, 1)
    # Newcombe (2006), method 5: (1 − θ)² = z² θ (1 − θ) (1 + (N* − 1)((1−θ)/(2−θ) + θ/(1+θ))) / (mn), N* = 6
    z2 = stats.norm.ppf(0.975) ** 2
    right = z2 * low * (1 - low) * (1 + 5 * ((1 - low) / (2 - low) + low / (1 + low))) / 35
    assert (1 - low) ** 2 == pytest.approx(right, rel=1e-9)


@pytest.mark.parametrize(
    "table", [[[12, 5], [7, 20]], [[0, 9], [6, 30]], [[3, 1], [2, 400]], [[1500, 1400], [900, 1100]]]
)
def test_two_by_two_agrees_with_scipy(table):
    table = np.array(table)
    want = stats.chi2_contingency(table, correction=False)
    assert ct.chi_square(table) == pytest.approx((want.statistic, want.pvalue), rel=CLOSE)
    assert ct.fisher_exact(table).p == pytest.approx(stats.fisher_exact(table).pvalue, rel=CLOSE)
    (c, d), (a, b) = table.tolist()  # the second row against the first
    got = pr.risk_ratio(d, c + d, b, a + b)
    # half a row in each cell is, in whole numbers, one in each of twice the table; the log's variance halves
    zero = table.min() == 0
    (e, f), (g, h) = (2 * table + 1 if zero else table).tolist()
    interval = stats.contingency.relative_risk(h, g + h, f, e + f).confidence_interval()
    middle, half = np.log(interval.low * interval.high) / 2, np.log(interval.high / interval.low) / 2
    half *= np.sqrt(2) if zero else 1
    want = (b / (a + b) / (d / (c + d)), np.exp(middle - half), np.exp(middle + half))
    assert got == pytest.approx(want, rel=CLOSE)
    if table.min() > 0:
        odds = stats.contingency.odds_ratio(table, kind="sample")
        low, high = odds.confidence_interval()
        assert pr.odds_ratio(d, c + d, b, a + b) == pytest.approx((odds.statistic, low, high), rel=CLOSE)
    else:
        assert np.isfinite(pr.odds_ratio(d, c + d, b, a + b)).all()
    for events, n in ((b, a + b), (d, c + d)):
        low, high = stats.binomtest(events, n).proportion_ci(method="wilson")
        assert [float(v) for v in pr.wilson(np.array(events), np.array(n))] == pytest.approx(
            [events / n, low, high], rel=CLOSE, abs=1e-15
        )


@pytest.mark.parametrize("observed", [0, 700, 4_700, 4_990, 5_000, 5_011, 5_400, 9_990])
def test_fishers_p_of_many_rows_is_that_of_all_tables(observed):
    margins = 10_000, 20_000, 60_000  # in the row, in the column, in all
    every = np.exp(stats.hypergeom(margins[2], margins[1], margins[0]).logpmf(np.arange(margins[0] + 1)))
    want = every[every <= every[observed] * (1 + 1e-9)].sum()
    inside = margins[0] - observed, margins[1] - observed
    table = np.array([[observed, inside[0]], [inside[1], margins[2] - observed - sum(inside)]])
    # SciPy's log-gammas of 60,000 carry an absolute error of 1e-10
    assert ct.fisher_exact(table).p == pytest.approx(min(want, 1), rel=1e-8, abs=1e-300)


def test_risk_difference_of_a_published_example():
    # 56/70 against 48/80: Newcombe (1998), Statistics in Medicine 17, 873–890, table II, method 4: 0.0528 to 0.3382
    assert pr.risk_difference(48, 80, 56, 70) == pytest.approx((0.2, 0.0528, 0.3382), abs=5e-5)
    assert pr.risk_difference(56, 70, 48, 80) == pytest.approx((-0.2, -0.3382, -0.0528), abs=5e-5)


def test_cramers_v_is_free_of_bias_and_its_interval_holds_it():
    rng = np.random.default_rng(5)
    table = np.array([[30, 10, 5], [10, 25, 10], [5, 10, 40]])
    # Bergsma (2013), eqs 7 to 9, written out
    n, x2 = table.sum(), stats.chi2_contingency(table).statistic
    phi = max(0, x2 / n - 4 / (n - 1))
    want = np.sqrt(phi / ((3 - 4 / (n - 1)) - 1))
    estimate, low, high = ct.cramers_v(table)
    assert estimate == pytest.approx(want, rel=CLOSE)
    assert low < estimate < high
    noise = [ct.cramers_v(_crossed(rng.integers(0, 300, 1000), rng.integers(0, 2, 1000))).estimate for _ in range(40)]
    assert np.mean(noise) < 0.08  # uncorrected it is 0.55


def _crossed(a, b):
    return np.bincount(a * 2 + b, minlength=2 * (a.max() + 1)).reshape(-1, 2)


@pytest.mark.parametrize("inflation", [1.0, 2.5])
@pytest.mark.parametrize("table", [[[30, 12], [9, 40]], [[20, 14, 9, 3], [7, 15, 18, 6], [2, 5, 30, 28]]])
def test_the_interval_of_cramers_v_is_the_wider_of_noncentral_chi_square_and_the_delta_method(table, inflation):
    table = np.array(table)
    n, (r, c) = table.sum(), table.shape
    df, least = (r - 1) * (c - 1), min(r, c) - 1
    x2 = stats.chi2_contingency(table, correction=False).statistic
    ends = [
        optimize.brentq(lambda v, s=s: stats.ncx2.cdf(x2 / inflation, df, v) - s, 1e-9, 1e4, xtol=1e-10)
        for s in (0.975, 0.025)
    ]

    def phi_squared(p):
        return np.sum(p**2 / np.outer(p.sum(1), p.sum(0))) - 1

    p, step = table / n, 1e-6
    slope = np.zeros(table.shape)
    for at in np.ndindex(*table.shape):
        more, less = p.copy(), p.copy()
        more[at], less[at] = more[at] + step, less[at] - step
        slope[at] = (phi_squared(more) - phi_squared(less)) / (2 * step)
    variance = np.sum(p * slope**2) - np.sum(p * slope) ** 2
    v, low, high = ct.cramers_v(table, inflation)
    half = 1.959963985 * np.sqrt(variance / (n / inflation)) / (2 * np.sqrt(x2 / n * least))
    of_ends = np.sqrt(np.array(ends) / (n / inflation) / least)
    assert low == pytest.approx(max(0, min(of_ends[0], v - half)), abs=1e-5)
    assert high == pytest.approx(min(1, max(of_ends[1], v + half)), abs=1e-5)


def test_sparse_chi_square_keeps_its_level_where_the_plain_one_does_not():
    rng = np.random.default_rng(1)
    codes = rng.integers(0, 300, 1000)
    event = rng.random(1000) < 0.02
    p = []
    for _ in range(600):
        rng.shuffle(event)
        table = _crossed(codes, event.astype(int))
        p.append((ct.chi_square(table).p, ct.chi_square_sparse(table).p))
    plain, sparse = (np.array(p) < 0.05).mean(axis=0)
    assert plain > 0.12  # why the other is used
    assert 0.03 < sparse < 0.075


@pytest.mark.parametrize("name", ["straight", "ties"])
def test_correlations_agree_with_scipy(name):
    rng = np.random.default_rng(2)
    x = rng.normal(size=60) if name == "straight" else rng.integers(0, 6, 60) * 1.0
    y = x + rng.normal(size=60)
    want = stats.pearsonr(x, y)
    estimate, test = pearson(x + 1e9 if name == "ties" else x, y, rows(x))  # whole numbers shift without rounding
    assert test.p == pytest.approx(want.pvalue, rel=CLOSE)
    assert tuple(estimate) == pytest.approx((want.statistic, *want.confidence_interval()), rel=CLOSE)
    assert spearman(x, y, rows(x))[1].p == pytest.approx(stats.spearmanr(x, y).pvalue, rel=CLOSE)


def test_q_values_agree_with_scipy_and_leave_the_untested_out():
    p = np.random.default_rng(4).uniform(size=30) ** 2
    got = q_values(np.r_[p, np.nan])
    assert got[:-1] == pytest.approx(stats.false_discovery_control(p), rel=CLOSE)
    assert np.isnan(got[-1])
