"""Formulas against what they say of themselves: references written out, and what must not change them."""

import numpy as np
import pandas as pd
import pytest
from scipy import optimize, stats
from scipy.spatial import procrustes
from sklearn.discriminant_analysis import LinearDiscriminantAnalysis

from envelt import Preparation, Study
from envelt.core.columns.coarse import Coarse
from envelt.core.columns.outcome import NumericOutcome
from envelt.core.embed.quality import agreement
from envelt.core.estimate import Estimate
from envelt.core.relations import forms
from envelt.core.relations.groups import INFINITE, similarity_order
from envelt.core.shapes.resolution import recorded_step
from envelt.core.stats import form, held_out_line
from envelt.core.stats.between import share_between, share_error
from envelt.core.stats.correlation import tied_error
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.cut import best_cut
from envelt.core.stats.draws import drawn, drawn_of_numbers
from envelt.core.stats.expected import adjusted_residuals, expected_are_small
from envelt.core.stats.explained import explained_share, ratio_within
from envelt.core.stats.folds import deal, folds_in_time, hash_blocks
from envelt.core.stats.group_pairs import holm
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.mantel_haenszel import stratified_rates
from envelt.core.stats.of_rows.many_groups import epsilon_squared, explained_of
from envelt.core.stats.of_rows.ordinal import gamma_with_influence
from envelt.core.stats.of_rows.proportions import odds_ratio, risk_difference, risk_ratio
from envelt.core.stats.of_rows.tables import chi_square_simulated, fisher_exact, phi_squared_error
from envelt.core.stats.of_units import pairs
from envelt.core.stats.rates import calendar_rate_bins
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.stats.targets import ClassTarget, NumberTarget
from envelt.core.stats.trend import least_squares
from envelt.core.stats.within_groups import stratified_means, stratified_slope
from envelt.core.within.search import turn_rounds
from envelt.demo.others import OTHERS
from samples import rows, told_of


@pytest.mark.parametrize("units", [0, 40])
def test_a_line_changes_nothing_of_what_bins_leave_of_a_line(units):
    r = np.random.default_rng(4)
    x = r.choice([0.0, 1.0, 3.0, 4.0, 9.0], 600)
    y = np.sin(x) + r.normal(size=600)
    sampling = Sampling.of_units(r.integers(0, units, 600)) if units else rows(x)
    plain, tilted = not_straight(x, y, sampling), not_straight(x, 5 - 2.5 * x + y, sampling)
    assert plain.statistic == pytest.approx(tilted.statistic, rel=1e-9)
    assert plain.p == pytest.approx(tilted.p, rel=1e-6)
    # with equal spread it is the classical F of lack of fit, near enough
    if not units:
        full = stats.f_oneway(*(y[x == v] for v in np.unique(x)))
        line = stats.linregress(x, y)
        within = sum(np.sum((y[x == v] - y[x == v].mean()) ** 2) for v in np.unique(x))
        left = np.sum((y - line.intercept - line.slope * x) ** 2) - within
        assert plain.statistic == pytest.approx(left / 3 / (within / 595), rel=0.1)
        assert full.pvalue < 0.05


def test_what_bins_leave_of_a_line_is_as_sure_by_units_of_one_row_as_by_rows():
    r = np.random.default_rng(16)
    x = r.normal(size=(12, 500))
    y = 0.5 * x + np.linspace(0, 0.25, 12)[:, None] * x**2 + r.normal(size=x.shape)
    alone = Sampling.of_units(np.arange(500))
    both = [(not_straight(a, b, rows(a)).p, not_straight(a, b, alone).p) for a, b in zip(x, y, strict=True)]
    by_rows, by_units = np.log10(both).T
    assert np.abs(by_rows - by_units).max() < 0.5 + 0.15 * np.abs(by_rows).max()
    assert np.corrcoef(by_rows, by_units)[0, 1] > 0.97


def test_small_expected_counts_are_cochrans_rule():
    assert expected_are_small(np.array([[1, 1], [400, 400]]))  # one expects exactly 1, half under 5
    assert expected_are_small(np.array([[0, 1, *[30] * 8], [20, 20, *[900] * 8]]).T)  # two of twenty, one under 1
    assert not expected_are_small(np.array([[4, 8, 9, 9, 9, 9], [9, 9, 9, 9, 9, 9]]))
    assert not expected_are_small(np.array([[10, 20], [30, 40]]))


def test_pairs_of_levels_have_the_p_of_their_table():
    r = np.random.default_rng(8)
    a = r.integers(0, 4, 500)
    frame = pd.DataFrame({"a": np.array(list("klmn"))[a], "b": np.array(list("xyz"))[(a + r.integers(0, 6, 500)) % 3]})
    study = Study(frame)
    pair = study.relations("a", "b").pairs.iloc[0]
    table = study.contingency("a", "b").tests.loc["chi_square"]
    assert pair["p"] == pytest.approx(table["p"], rel=1e-9)
    assert table["p"] == pytest.approx(stats.chi2_contingency(pd.crosstab(frame["a"], frame["b"]))[1], rel=1e-9)


def test_units_of_the_calendar_run_from_their_first_day_to_that_of_the_next():
    days = np.arange(np.datetime64("2023-01-05"), np.datetime64("2024-03-20")).astype(float)
    ends = calendar_rate_bins(days, unit="month").ends
    first = np.arange(np.datetime64("2023-01"), np.datetime64("2024-04")).astype("datetime64[D]").astype(float)
    assert ends.left.tolist() == first.tolist()
    assert ends.right[:-1].tolist() == first[1:].tolist()
    assert ends.right[-1] == np.datetime64("2024-04-01").astype("datetime64[D]").astype(float)
    assert ((ends.left < ends.middle) & (ends.middle < ends.right)).all()


@pytest.mark.parametrize(("shared", "found"), [(0.5, True), (0.85, False)])
def test_of_two_columns_that_say_the_same_neither_turns_within_the_other(shared, found):
    r = np.random.default_rng(2)
    n = 6_000
    a = r.normal(size=n)
    b = shared * a + np.sqrt(1 - shared**2) * r.normal(size=n)
    y = 2 * b - 0.6 * a + 3 * r.normal(size=n)
    cut = lambda v: np.searchsorted(np.quantile(v, np.arange(1, 6) / 6), v).astype(np.int8)  # noqa: E731
    columns = [Coarse(name, cut(v), tuple("123456"), True) for name, v in (("a", a), ("b", b))]
    turned = turn_rounds(columns, NumericOutcome("y", y), rows(y))
    assert [t.name for t in turned] == (["a"] if found else [])


def test_welchs_f_of_several_groups_is_the_papers():
    r = np.random.default_rng(1)
    groups = [r.normal(m, s, n) for m, s, n in ((0, 1, 12), (0.4, 2, 30), (0.1, 0.5, 25), (0.9, 3, 40))]
    made = GroupedRows(
        np.concatenate(groups), np.repeat(range(4), [len(g) for g in groups]), tuple("abcd"), rows(range(107))
    )
    n, mean, variance = (np.array([f(g) for g in groups]) for f in (len, np.mean, lambda g: np.var(g, ddof=1)))
    w = n / variance
    between = np.sum(w * (mean - np.sum(w * mean) / w.sum()) ** 2) / 3
    spread = np.sum((1 - w / w.sum()) ** 2 / (n - 1))
    f = between / (1 + 2 * 2 / 15 * spread)
    assert made.tests["welch_anova"] == pytest.approx((f, stats.f.sf(f, 3, 15 / (3 * spread))), rel=1e-9)


def test_blocks_of_rows_are_those_of_splitmix():
    def block(row, seed):
        mask = 2**64 - 1
        z = (row + (seed + 1) * 0x9E3779B97F4A7C15) & mask
        z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & mask
        z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & mask
        return (z ^ (z >> 31)) % 50

    at = np.array([0, 1, 7, 1_000_003, 2**40 + 5])
    assert hash_blocks(at, 3).tolist() == [block(int(k), 3) for k in at]


def test_the_held_out_line_of_classes_is_the_least_of_its_loss():
    r = np.random.default_rng(0)
    at, counts = np.linspace(-1.5, 1.5, 12), r.integers(1, 30, (12, 3)).astype(float)

    def loss(b):
        line = np.concatenate([np.zeros((12, 1)), np.stack([np.ones(12), at], 1) @ b.reshape(2, 2)], axis=1)
        rates = np.exp(line) / np.exp(line).sum(axis=1, keepdims=True)
        return -np.sum(counts * np.log(rates)) + held_out_line.RIDGE / 2 * np.sum(b.reshape(2, 2)[1] ** 2), rates

    best = optimize.minimize(lambda b: loss(b)[0], np.zeros(4), method="BFGS", options={"gtol": 1e-9})
    assert held_out_line._logistic(at, counts) == pytest.approx(loss(best.x)[1], abs=1e-5)


def test_targets_score_rows_as_they_say():
    r = np.random.default_rng(3)
    target = ClassTarget(r.integers(0, 3, 200), 3)
    cell, base = r.integers(0, 4, 200), np.array([0.5, 0.3, 0.2])
    rates = r.dirichlet([2, 2, 2], 4)
    gain = target.gain(rates, base, np.array(0.3), np.array(0.8))
    b, loss = -np.log(base)[target.codes], -np.log(rates)[cell, target.codes]
    want = ((b - loss) - 0.3 * b) / 0.8
    assert target.gain_of_rows(gain, cell) == pytest.approx(want)
    moments = target.gain_moments(target.sums(cell, 4), gain)
    assert moments == pytest.approx((want.sum(), np.sum(want**2)))
    assert target.loss(target.sums(cell, 4), rates) == pytest.approx(loss.sum())
    number = NumberTarget.of(r.gamma(2, 3, 200))
    sums, means = number.sums(cell, 4), r.normal(size=(4, 1))
    away = number.values - means[cell, 0]
    assert number.loss(sums, means) == pytest.approx(np.sum(away**2))
    assert number.variance(sums.sum(axis=0), number.base(sums.sum(axis=0))) == pytest.approx([1.0])
    some = number.take(np.arange(200) < 60)  # whose mean is not 0
    total = some.sums(np.zeros(60, int), 1)[0]
    assert some.variance(total, some.base(total)) == pytest.approx([np.var(some.values)])
    gain = number.gain(means, np.array([0.2]), np.array(0.4), np.array(1.1))
    b = (number.values - 0.2) ** 2
    want = ((b - away**2) - 0.4 * b) / 1.1
    assert number.gain_of_rows(gain, cell) == pytest.approx(want)
    assert number.gain_moments(sums, gain) == pytest.approx((want.sum(), np.sum(want**2)))


@pytest.mark.parametrize("confidence", [0.8, 0.95])
def test_shares_explained_end_where_their_statistic_has_its_tails(confidence):
    tail = (1 - confidence) / 2
    low, high = explained_share(0.4, 9.0, np.array([3.0, 150.0]), 154, 1.0, True, confidence)
    for end, share in ((low, 1 - tail), (high, tail)):
        assert stats.ncf.cdf(9.0, 3, 150, 154 * end**2 / (1 - end**2)) == pytest.approx(share, abs=1e-6)
    low, high = explained_share(0.25, 30.0, np.array([6.0, 2.0]), 200, 2.0, False, confidence)
    for end, share in ((low, 1 - tail), (high, tail)):
        assert stats.ncx2.cdf(15.0, 6, 100 * 2 * end**2) == pytest.approx(share, abs=1e-6)


def test_two_maps_agree_as_procrustes_says():
    r = np.random.default_rng(5)
    one = r.normal(size=(80, 2))
    other = 3 * one @ np.array([[0.6, -0.8], [0.8, 0.6]]) + [4, -2] + r.normal(size=(80, 2))
    fit, moved = agreement(one, other)
    first, second, disparity = procrustes(one, other)
    assert fit**2 == pytest.approx(1 - disparity)
    scale = np.sqrt(np.sum((one - one.mean(axis=0)) ** 2))
    size = np.sqrt(np.mean((one - one.mean(axis=0)) ** 2))
    assert moved == pytest.approx(np.sqrt(np.sum((first - second) ** 2, axis=1)) * scale / size)


def test_a_line_stands_where_least_squares_puts_it():
    r = np.random.default_rng(6)
    x, y = r.gamma(2, 3, 50), r.normal(size=50)
    assert least_squares(x, y).at(x) == pytest.approx(np.polyval(np.polyfit(x, y, 1), x))


def test_units_that_hold_both_sides_take_nothing_off_what_a_difference_of_rates_says():
    r = np.random.default_rng(7)
    unit = np.repeat(np.arange(80), 10)
    side = np.tile([0, 1], 400)
    event = (r.random(800) < np.repeat(r.choice([0.1, 0.9], 80), 10)).astype(int)
    both = Crossing.of(side, event, (2, 2), Sampling.of_units(unit)).two_by_two()["risk_difference"]
    plain = Crossing.of(side, event, (2, 2), rows(side)).two_by_two()["risk_difference"]
    assert both.high - both.low == pytest.approx(plain.high - plain.low, rel=0.02)
    whole = Crossing.of(unit % 2, event, (2, 2), Sampling.of_units(unit)).two_by_two()["risk_difference"]
    assert whole.high - whole.low > 2 * (plain.high - plain.low)


def test_a_number_that_all_but_repeats_the_outcome_is_known_too_soon_and_a_near_one_is_strong():
    r = np.random.default_rng(9)
    y = r.normal(size=600)
    frame = pd.DataFrame({"y": y, "cubed": y**3, "near": y + 0.2 * r.normal(size=600), "noise": r.normal(size=600)})
    weights = {f.columns[0]: f.code for f in Study(frame, outcome="y").rank().findings}
    assert weights["cubed"] == "too-good-to-be-true"
    assert weights["near"] == "strong-candidate"


def test_what_is_missing_and_what_is_compared_is_said():
    r = np.random.default_rng(10)
    level = np.where(r.random(300) < 0.2, None, r.choice(["a", "b", "c"], 300))
    frame = pd.DataFrame({"level": level, "y": r.normal(size=300), "x": r.normal(size=300)})
    missing = int(pd.isna(frame["level"]).sum())
    assert any(f"{missing} rows have no level" in line for line in Study(frame, outcome="y").against("level").about)
    frame["three"], frame["g"] = r.choice(["k", "l", "m"], 300), r.choice(["u", "v"], 300)
    pooled = Study(frame, outcome="three", event="l").against("x", by="g").pooled
    assert "against the rest" in str(pooled.reset_index().iloc[0].tolist())


def test_the_screen_of_forms_is_the_share_between_bins():
    r = np.random.default_rng(11)
    columns = [r.normal(size=400), r.gamma(2, 1, 400), r.normal(size=400)]
    columns[1] = columns[1] + columns[0] ** 2
    columns[2][r.random(400) < 0.2] = np.nan
    share, n = forms.shares_between_bins(columns)
    for i in range(3):
        for j in range(3):
            both = ~np.isnan(columns[i]) & ~np.isnan(columns[j])
            ranks = stats.rankdata(columns[i][~np.isnan(columns[i])])
            place = np.full(400, -1)
            place[~np.isnan(columns[i])] = np.clip(
                (ranks - 0.5) / len(ranks) * forms.SCREEN_BINS, 0, forms.SCREEN_BINS - 1
            )
            y, at = columns[j][both], place[both]
            inside = sum(np.sum((y[at == k] - y[at == k].mean()) ** 2) for k in np.unique(at))
            assert n[i, j] == both.sum()
            assert share[i, j] == pytest.approx(1 - inside / np.sum((y - y.mean()) ** 2), abs=1e-9)


def test_drawn_tables_say_what_all_tables_would():
    table = np.array([[3, 0, 2], [1, 4, 1], [0, 1, 5]])
    assert chi_square_simulated(np.array([[5, 5], [5, 5]]), draws=99).p == 1.0
    drawn = chi_square_simulated(table, draws=999)
    assert (1000 * drawn.p) % 1 == pytest.approx(0, abs=1e-9)
    every = stats.random_table(table.sum(axis=1), table.sum(axis=0)).rvs(100_000, random_state=0)
    expected = np.outer(table.sum(axis=1), table.sum(axis=0)) / table.sum()
    share = np.mean(np.sum((every - expected) ** 2 / expected, axis=(1, 2)) >= drawn.statistic - 1e-9)
    assert drawn.p == pytest.approx(share, abs=4 * np.sqrt(share * (1 - share) / 999))


@pytest.mark.parametrize("effect", [odds_ratio, risk_ratio])
def test_ratios_of_rates_are_the_textbooks_and_none_where_nobody_has_it(effect):
    assert effect(0, 20, 0, 30) == pytest.approx((np.nan,) * 3, nan_ok=True)
    assert effect(3, 0, 4, 10) == pytest.approx((np.nan,) * 3, nan_ok=True)
    a, b, c, d = 12, 30 - 12, 5, 40 - 5
    logged = np.log(a * d / (b * c)) if effect is odds_ratio else np.log((12 / 30) / (5 / 40))
    se = np.sqrt(1 / a + 1 / b + 1 / c + 1 / d) if effect is odds_ratio else np.sqrt(1 / 12 - 1 / 30 + 1 / 5 - 1 / 40)
    z = stats.norm.ppf(0.975)
    assert effect(5, 40, 12, 30) == pytest.approx(tuple(np.exp(logged + np.array([0, -z, z]) * se)), rel=1e-6)
    halves = np.array([12.5, 18.5, 0.5, 40.5])
    if effect is odds_ratio:
        low = np.exp(np.log(12.5 * 40.5 / (18.5 * 0.5)) - z * np.sqrt(np.sum(1 / halves)))
        assert effect(0, 40, 12, 30)[:2] == pytest.approx((12.5 * 40.5 / (18.5 * 0.5), low), rel=1e-6)


def test_tables_name_the_cells_that_are_empty_and_the_step_between_two_levels():
    r = np.random.default_rng(12)
    grade = r.integers(1, 8, 4_000)
    event = r.random(4_000) < np.where(grade > 4, 0.6, 0.1)
    frame = pd.DataFrame({"grade": grade, "y": np.where(event, "yes", "no"), "place": r.choice(list("uvw"), 4_000)})
    frame = frame[~((frame["grade"] == 2) & (frame["place"] == "v"))]
    study = Study(frame, outcome="y", kinds={"grade": "ordinal"})
    found = {f.code: f for f in study.contingency("grade", "y").findings}
    step = found["step-not-trend"].evidence
    assert step["cut_between"] == ["4", "5"]
    rate = [(frame.loc[side, "y"] == "yes").mean() for side in (frame["grade"] <= 4, frame["grade"] > 4)]
    assert (step["before"], step["after"]) == pytest.approx(tuple(rate))
    empty = next(f for f in study.contingency("grade", "place").findings if f.code == "empty-cell")
    assert empty.statement.startswith("A combination of grade and place has no row: '2' with 'v'")
    frame = frame[~((frame["grade"] == 6) & (frame["place"] == "w"))]
    more = Study(frame, outcome="y", kinds={"grade": "ordinal"}).contingency("grade", "place")
    assert any(f.statement.startswith("2 combinations of grade and place have no row") for f in more.findings)


@pytest.mark.parametrize("kind", ["numbers", "classes"])
def test_the_held_out_share_of_a_line_is_that_of_lines_fitted_on_the_other_folds(kind):
    r = np.random.default_rng(13)
    n = 900
    x = np.round(r.gamma(2, 4, n), 1)
    y = 0.3 * x + r.normal(size=n)
    folds = deal(hash_blocks(np.arange(n), 0), y, 0)
    fold = folds.fold_of_block[0][folds.blocks]
    unique, place, count = np.unique(x, return_inverse=True, return_counts=True)
    score, plain = 0.0, 0.0
    target = NumberTarget.of(y) if kind == "numbers" else ClassTarget((y > 2).astype(np.int64), 2)
    for k in range(5):
        train, held = fold != k, fold == k
        if kind == "numbers":
            v = target.values
            line = np.polyfit(x[train], v[train], 1)
            score += np.sum((v[held] - np.polyval(line, x[held])) ** 2)
            plain += np.sum((v[held] - v[train].mean()) ** 2)
        else:
            c = target.codes
            loss = lambda b, c=c, train=train: np.sum(np.logaddexp(0, (1 - 2 * c[train]) * (b[0] + b[1] * x[train])))  # noqa: E731
            b = optimize.minimize(loss, np.zeros(2), method="BFGS").x
            score += np.sum(np.logaddexp(0, (1 - 2 * c[held]) * (b[0] + b[1] * x[held])))
            base = (np.bincount(c[train]) + 0.5) / (train.sum() + 1)
            plain -= np.sum(np.log(base[c[held]]))
    made = held_out_line.StraightLine(place, count, told_of(target, folds)).share(unique)
    assert made == pytest.approx(1 - score / plain, abs=1e-4 if kind == "classes" else 1e-9)


def test_gamma_and_its_error_are_goodman_and_kruskals():
    r = np.random.default_rng(14)
    table = r.integers(0, 9, (4, 3))
    value, influence = gamma_with_influence(table)
    cells = [(i, j) for i in range(4) for j in range(3) for _ in range(table[i, j])]
    signs = np.array([[np.sign(a[0] - b[0]) * np.sign(a[1] - b[1]) for b in cells] for a in cells])
    p, q = (signs > 0).sum(), (signs < 0).sum()
    assert value == pytest.approx((p - q) / (p + q))
    concordant, discordant = (signs > 0).sum(axis=1), (signs < 0).sum(axis=1)
    error = 16 / (p + q) ** 4 * np.sum((q * concordant - p * discordant) ** 2)
    assert np.sum(table * influence**2) == pytest.approx(error)


def test_units_say_the_same_however_their_tables_are_held(monkeypatch):
    r = np.random.default_rng(15)
    unit, a, b = r.integers(0, 40, 600), r.integers(0, 4, 600), r.integers(0, 3, 600)
    x, sampling = r.normal(size=600), Sampling.of_units(unit)

    def told():
        table, groups = Crossing.of(a, b, (4, 3), sampling), GroupedRows(x, a, tuple("abcd"), sampling)
        return [*table.chi_square(), table.design_effect, *groups.tests["welch_anova"], *groups.summary.half_width]

    small = told()
    monkeypatch.setattr(pairs, "MOST_HELD", 0)
    assert told() == pytest.approx(small, rel=1e-9)


def test_rows_in_the_order_of_time_are_told_by_the_correlation_of_neighbours():
    frame = OTHERS["scale"]()
    found = next(f for f in Study(frame, outcome="weight_kg").rank().findings if f.code == "ordered-in-time")
    y = frame.sort_values("day")["weight_kg"].to_numpy()
    want = stats.pearsonr(y[:-1], y[1:]).statistic
    assert found.evidence["correlation_of_neighbours"] == pytest.approx(want, abs=0.01)


def test_folds_in_time_are_stretches_that_follow_each_other():
    folds = folds_in_time(np.arange(50, dtype=np.uint8))
    assert folds.fold_of_block[0].tolist() == np.repeat(np.arange(5), 10).tolist()
    for repeat in folds.fold_of_block:
        assert np.bincount(repeat, minlength=5).tolist() == [10] * 5
        assert np.count_nonzero(np.diff(repeat)) <= 5  # each in one piece, the first and last joined at the ends
    assert len({tuple(r) for r in folds.fold_of_block.tolist()}) == 5


def test_welchs_f_of_many_groups_leaves_out_those_of_too_few_rows():
    r = np.random.default_rng(17)
    sizes = [3, 30, 30, 30, 30, 30, 30]
    codes, y = np.repeat(np.arange(7), sizes), r.normal(size=sum(sizes))
    y[:3] += 50
    large = codes > 0
    whole = GroupedRows(y, codes, tuple("abcdefg"), rows(y)).tests["welch_anova"]
    some = GroupedRows(y[large], codes[large] - 1, tuple("bcdefg"), rows(y[large])).tests["welch_anova"]
    assert whole == pytest.approx(some)


@pytest.mark.parametrize(
    ("using", "centre", "width"),
    [
        ("unit_range", np.min, lambda v: v.max() - v.min()),
        ("z_score", np.mean, lambda v: v.std(ddof=1)),
        ("median_iqr", np.median, stats.iqr),
    ],
)
def test_rescaled_numbers_are_less_a_centre_over_a_width(using, centre, width):
    x = np.random.default_rng(18).gamma(2, 3, 60) + 5
    made = Preparation().then("rescale", "x", using=using).fit(pd.DataFrame({"x": x}))
    assert made.transform(pd.DataFrame({"x": x}))["x"].to_numpy() == pytest.approx((x - centre(x)) / width(x))


def test_a_missing_level_has_the_rate_of_its_own_rows():
    r = np.random.default_rng(19)
    level = r.choice(["a", "b", "c"], 900).astype(object)
    level[r.random(900) < 0.2] = None
    y = np.where(r.random(900) < np.where(pd.isna(level), 0.8, 0.2), "yes", "no")
    frame = pd.DataFrame({"level": level, "y": y})
    made = Preparation(outcome="y").then("encode", "level", using="rate").fit(frame)
    one = {v: made.transform(pd.DataFrame({"level": [v], "y": [None]})).iloc[0, 0] for v in (None, "a")}
    assert one[None] == pytest.approx((y[pd.isna(level)] == "yes").mean(), abs=0.02)
    assert one["a"] == pytest.approx((y[level == "a"] == "yes").mean(), abs=0.03)


def test_odds_above_one_that_vanish_within_groups_are_said_and_a_strong_line_is_no_curve():
    r = np.random.default_rng(20)
    group = r.integers(0, 2, 3_000)
    side, event = r.random(3_000) < 0.35 + 0.2 * group, r.random(3_000) < 0.35 + 0.25 * group
    frame = pd.DataFrame({"g": np.array(["p", "q"])[group], "side": np.where(side, "right", "left")})
    frame["y"] = np.where(event, "yes", "no")
    found = next(f for f in Study(frame, outcome="y").against("side", by="g").findings if f.code == "vanishes-within")
    assert 1 < found.evidence["crude"][1] < found.evidence["crude"][2] < 2
    x = r.normal(size=600)
    bent = pd.DataFrame({"x": x, "nearly": x + 0.15 * x**2 + 0.1 * r.normal(size=600)})
    bent["curved"] = x**2 + 0.4 * x + 0.3 * r.normal(size=600)
    curves = {frozenset(f.columns) for f in Study(bent).relations().findings if f.code == "curved-relation"}
    assert frozenset(("x", "curved")) in curves
    assert frozenset(("x", "nearly")) not in curves


def test_what_a_third_column_holds_most_of_the_outcome_by_makes_nothing_turn():
    r = np.random.default_rng(21)
    third = r.integers(0, 6, 4_000)
    first = np.clip(np.rint(third + r.normal(0, 2.4, 4_000)), 0, 5).astype(int)
    for noise, turned in ((9.0, ["first"]), (0.6, [])):
        y = 4 * third - first + noise * r.normal(size=4_000)
        columns = [Coarse(n, v.astype(np.int8), tuple("abcdef"), True) for n, v in (("first", first), ("third", third))]
        outcome = NumericOutcome("y", y)
        assert [t.name for t in turn_rounds(columns, outcome, rows(y)) if t.name == "first"] == turned


def box_f(z, kept, variance, df):
    """Box's F of |M z|², written out."""
    mean = sum(kept[k, k] * variance[k] for k in range(len(z)))
    squares = sum(kept[i, j] ** 2 * variance[i] * variance[j] for i in range(len(z)) for j in range(len(z)))
    within = sum((kept[k, k] * variance[k]) ** 2 / df[k] for k in range(len(z)))
    f = np.sum((kept @ z) ** 2) / mean
    return f, stats.f.sf(f, mean**2 / squares, mean**2 / within)


@pytest.mark.parametrize("sides", [False, True])
def test_whether_groups_have_one_slope_is_boxes_f_of_those_of_eight_rows(sides):
    r = np.random.default_rng(22)
    group = np.repeat(np.arange(7), [3, 8, 12, 20, 30, 9, 7])
    x = r.integers(0, 2, 89).astype(float) if sides else r.gamma(2, 1, 89)
    y = (0.3 + 0.2 * group) * x + group + r.normal(size=89) * (1 + group % 3)
    x[group == 5] = 1.0 if sides else x[group == 5]  # nothing to compare here
    slopes, weights, variances, dfs = [], [], [], []
    for g in np.unique(group):
        at = group == g
        dx, dy = x[at] - x[at].mean(), y[at] - y[at].mean()
        sxx = np.sum(dx**2)
        df = min(at.sum() - 2, sxx**2 / np.sum(dx**4)) if sxx > 0 else 0
        if at.sum() < 8 or df < 2:
            continue
        b = np.sum(dx * dy) / sxx
        leverage = 1 / at.sum() + dx**2 / sxx
        slopes.append(b)
        weights.append(sxx)
        variances.append(np.sum(dx**2 * (dy - b * dx) ** 2 / (1 - leverage)) / sxx**2)
        dfs.append(df)
    assert len(slopes) == (4 if sides else 5)
    w, b = np.array(weights), np.array(slopes)
    root = np.sqrt(w / w.sum())
    kept = np.eye(len(w)) - np.outer(root, root)
    want = box_f(np.sqrt(w) * (b - np.sum(w * b) / w.sum()), kept, w * np.array(variances), dfs)
    made = stratified_means(y, x.astype(int), group, rows(x)) if sides else stratified_slope(x, y, group, rows(x))
    assert made.agreement == pytest.approx(want, rel=1e-9)
    several = [np.polyfit(x[group == g], y[group == g], 1)[0] for g in range(7) if np.bincount(group)[g] >= 10]
    assert made.apart == pytest.approx(np.ptp(several))
    assert made.groups == (6 if sides else 7)


def test_slopes_within_groups_have_hc2_and_change_has_the_variance_of_a_difference():
    r = np.random.default_rng(23)
    group = r.integers(0, 6, 80)
    x, e = r.gamma(2, 1, 80) + group, r.normal(size=80)
    y = 0.4 * x + group + e * x
    made = stratified_slope(x, y, group, rows(x))

    def fit(design, power=0.5):  # HC2; HC3 by the power 1
        hat = design @ np.linalg.inv(design.T @ design)
        b = hat.T @ y
        away = (y - design @ b) / (1 - np.sum(hat * design, axis=1)) ** power
        partial = hat[:, -1] / np.sum(hat[:, -1] ** 2)  # x less what the groups say of it
        df = min(80 - design.shape[1], np.sum(partial**2) ** 2 / np.sum(partial**4))
        return b[-1], hat[:, -1] * away, df

    inside = fit(np.column_stack([*(1.0 * (group == g) for g in range(6)), x]))
    whole, line = (fit(np.column_stack([np.ones(80), x]), power) for power in (0.5, 1))
    for (b, part, df), shown in ((inside, made.pooled), (line, made.crude)):
        half = stats.t.ppf(0.975, df) * np.sqrt(np.sum(part**2))
        assert shown == pytest.approx((b, b - half, b + half), rel=1e-9)
    z = (whole[0] - inside[0]) / np.sqrt(np.sum((whole[1] - inside[1]) ** 2))
    assert made.change == pytest.approx((z, 2 * stats.norm.sf(abs(z))), rel=1e-6)


def test_errors_of_forms_are_those_of_fits_on_the_other_folds():
    r = np.random.default_rng(24)
    x = np.round(r.gamma(2, 3, 400), 1)
    y = np.sqrt(x) + r.normal(size=400) * 0.4
    fold = r.permutation(400) % form.FOLDS
    made = form._losses(x, y, fold, rows(x))
    u = (stats.rankdata(x) - 0.5) / 400
    step = np.minimum(np.floor(u * 24), 23)
    for k in range(5):
        train, held = fold != k, fold == k
        assert made.mean[held] == pytest.approx((y[held] - y[train].mean()) ** 2)
        line = np.polyfit(x[train], y[train], 1)
        assert made.line[held] == pytest.approx((y[held] - np.polyval(line, x[held])) ** 2)
        waves = np.polynomial.Legendre.fit(u[train], y[train], 6, domain=[0, 1])
        assert made.free[held] == pytest.approx((y[held] - waves(u[held])) ** 2)
        at = [u[train][step[train] == s].mean() for s in range(24)]
        mean = [y[train][step[train] == s].mean() for s in range(24)]
        many = [np.count_nonzero(step[train] == s) for s in range(24)]
        rising = optimize.isotonic_regression(mean, weights=many).x
        assert made.rising[held] == pytest.approx((y[held] - np.interp(u[held], at, rising)) ** 2)
    fall = form._losses(x, -y, fold, rows(x))
    assert fall.rising == pytest.approx(made.rising)
    gain, error = made.gain(made.line, made.mean)
    share = (made.mean - made.line) / made.mean.mean()
    assert gain == pytest.approx(share.mean())
    assert error == pytest.approx(1.2 * share.std() / np.sqrt(400))


def spaced(gain, error):
    """Errors of 1,000 rows by which a fit does better than the mean by a gain with a standard error, in shares."""
    away = np.resize([1.0, -1.0], 1_000) * error / 1.2 * np.sqrt(1_000)
    return lambda base: base - gain - away


@pytest.mark.parametrize(
    ("line", "rising", "free", "form_of"),
    [
        ((0.0, 0.01), (0.0, 0.01), (0.0, 0.01), "none"),
        ((0.0, 0.01), (0.041, 0.018), (0.0, 0.01), "not decided"),  # up to 0.077 could be
        ((0.0015, 0.0001), (0.0015, 0.0001), (0.0015, 0.0001), "none"),  # sure, and seen in no picture
        ((0.3, 0.02), (0.3, 0.02), (0.3, 0.02), "linear"),
        ((0.3, 0.02), (0.3, 0.02), (0.35, 0.02), "curved"),
        ((0.3, 0.02), (0.3, 0.02), (0.305, 0.02), "linear"),  # a turn not worth a name
        ((0.3, 0.02), (0.35, 0.02), (0.35, 0.02), "monotone"),
        ((0.3, 0.02), (0.305, 0.02), (0.311, 0.02), "monotone"),  # no line, and no surer a turn
    ],
)
def test_a_form_is_the_plainest_that_does_as_well(line, rising, free, form_of):
    base = np.full(1_000, 1.0)
    losses = form._Losses(base, *(spaced(*of)(base) for of in (line, rising, free)), base, rows(base))
    assert form._decided(losses) == form_of


def test_a_fit_that_is_not_surely_better_leaves_the_form_open():
    base = np.full(1_000, 1.0)
    r = np.random.default_rng(25)
    noise = r.normal(size=1_000)
    line = base - 0.3 - 0.1 * (noise - noise.mean())
    unsure = r.normal(size=1_000)
    free = line - 0.04 - 1.2 * (unsure - unsure.mean()) / unsure.std()  # 0.04, error 0.046
    assert form._decided(form._Losses(base, line, line, free, base, rows(base))) == "not decided"


def test_inflation_is_that_of_least_squares_on_the_others():
    r = np.random.default_rng(26)
    frame = pd.DataFrame(r.normal(size=(300, 4)), columns=list("abcd")) * 0.01 + 40
    frame["e"] = frame["a"] - 0.5 * frame["b"] + 0.002 * r.normal(size=300)
    frame["sum"] = frame["c"] + frame["d"]
    told = Study(frame).relations().inflation
    for name in "abe":
        others = np.column_stack([np.ones(300), frame.drop(columns=[name, "sum"]) - 40])
        left = frame[name] - others @ np.linalg.lstsq(others, frame[name], rcond=None)[0]
        vif = frame[name].var() / left.var(ddof=1)
        assert told.loc[name, "vif"] == pytest.approx(vif, rel=1e-6)
    assert set(told.index[np.isinf(told["vif"])]) == {"c", "d", "sum"}
    assert INFINITE > 1e6


def test_columns_that_go_together_stand_together():
    near = np.full((6, 6), 0.05)
    for a, b in ((0, 3), (1, 4), (2, 5)):
        near[a, b] = near[b, a] = 0.9
    order = similarity_order(near)
    places = {c: k for k, c in enumerate(order)}
    assert all(abs(places[a] - places[b]) == 1 for a, b in ((0, 3), (1, 4), (2, 5)))
    assert sorted(similarity_order(near[:3, :3])) == [0, 1, 2]
    assert similarity_order(near[:2, :2]) == [0, 1]


def mantel_haenszel(cells):
    """The logarithm of Mantel and Haenszel's odds ratio, and of the one over all rows."""
    n = cells.sum(axis=(1, 2))
    pooled = np.sum(cells[:, 1, 1] * cells[:, 0, 0] / n) / np.sum(cells[:, 1, 0] * cells[:, 0, 1] / n)
    whole = cells.sum(axis=0)
    return np.log(pooled), np.log(whole[1, 1] * whole[0, 0] / (whole[1, 0] * whole[0, 1]))


@pytest.mark.parametrize("units", [False, True])
def test_the_change_of_odds_within_groups_is_tested_by_what_each_row_or_unit_adds_to_both(units):
    r = np.random.default_rng(30)
    unit = np.repeat(np.arange(30), 20)
    group = r.integers(0, 4, 600)
    side = (r.random(600) < 0.3 + 0.1 * group).astype(int)
    event = (r.random(600) < 0.2 + 0.12 * group + 0.1 * r.normal(size=30)[unit]).astype(int)
    at = (group * 2 + side) * 2 + event
    cells = np.bincount(at, minlength=16).reshape(4, 2, 2)
    sampling = Sampling.of_units(unit) if units else rows(at)
    made = stratified_rates(cells, at, sampling)["odds_ratio"]
    pooled, crude = mantel_haenszel(cells.astype(float))
    assert np.log([made.pooled.estimate, made.crude.estimate]) == pytest.approx([pooled, crude])
    if units:
        own = [np.bincount(at[unit == u], minlength=16).reshape(4, 2, 2) for u in range(30)]
        without = np.array([mantel_haenszel(np.maximum(cells - o, 0.0)) for o in own])
        apart = without[:, 1] - without[:, 0]
        spread = 29 / 30 * np.sum((apart - apart.mean()) ** 2)
    else:
        step = 1e-5
        slopes = np.zeros(cells.shape)
        for place in np.ndindex(cells.shape):
            more, less = cells.astype(float), cells.astype(float)
            more[place] += step
            less[place] -= step
            (a, b), (c, d) = mantel_haenszel(more), mantel_haenszel(less)
            slopes[place] = ((b - a) - (d - c)) / (2 * step)
        spread = np.sum(cells * slopes**2)
    z = (crude - pooled) / np.sqrt(spread)
    p = 2 * (stats.t.sf(abs(z), 29) if units else stats.norm.sf(abs(z)))
    assert made.change == pytest.approx((z, p), rel=1e-4)


def test_whether_groups_agree_is_as_sure_by_units_of_one_row_as_by_rows():
    r = np.random.default_rng(31)
    by_rows, by_units = [], []
    for k in range(24):
        group = r.integers(0, 5, 1_500)
        side, x = r.integers(0, 2, 1_500), r.normal(size=1_500)
        differ = 0.015 * (k % 8) * (group - 2)  # far out in the tails F and chi-square are not compared
        y = (0.3 + differ) * side + group + r.normal(size=1_500)
        z = (0.3 + differ) * x + group + r.normal(size=1_500)
        event = (r.random(1_500) < 1 / (1 + np.exp(-(y - 2)))).astype(int)
        at = (group * 2 + side) * 2 + event
        cells = np.bincount(at, minlength=20).reshape(5, 2, 2)
        for sampling, seen in ((rows(x), by_rows), (Sampling.of_units(np.arange(1_500)), by_units)):
            odds = stratified_rates(cells, at, sampling)
            seen.append(
                [
                    odds["odds_ratio"].agreement.p, odds["risk_difference"].agreement.p,
                    stratified_means(y, side, group, sampling).agreement.p,
                    stratified_slope(x, z, group, sampling).agreement.p,
                ]
            )  # fmt: skip
    a, b = np.log10(by_rows), np.log10(by_units)
    for k in range(4):
        assert np.corrcoef(a[:, k], b[:, k])[0, 1] > 0.95
        assert np.abs(a[:, k] - b[:, k]).max() < 0.4 + 0.15 * np.abs(a[:, k]).max()


def test_residuals_of_a_table_are_haberman_s():
    table = np.array([[12, 30, 8], [40, 21, 5]])
    n, r, c = table.sum(), table.sum(axis=1) / table.sum(), table.sum(axis=0) / table.sum()
    want = (table - n * np.outer(r, c)) / np.sqrt(n * np.outer(r, c) * np.outer(1 - r, 1 - c))
    assert adjusted_residuals(table, 1.0) == pytest.approx(want)
    assert adjusted_residuals(table, 4.0) == pytest.approx(want / 2)
    assert adjusted_residuals(np.array([[3, 0], [4, 0]]), 1.0).tolist() == [[0.0, 0.0], [0.0, 0.0]]


def test_shares_explained_over_units_are_those_of_so_many_rows_fewer():
    f, n, k = 6.0, 90, 4
    omega = (k - 1) * (f - 1) / ((k - 1) * (f - 1) + n)
    h = (n - 1) * (f * (k - 1) / (n - k)) / (1 + f * (k - 1) / (n - k))
    for name, value in (("omega_squared", omega), ("epsilon_squared", h / (n - 1))):
        made = explained_of(name, Estimate(value, 0.0, 1.0), n, k, 2.5)
        # what is there by chance, which omega takes off, is as much more as units make it
        less = (k - 1) * (f - 2.5) / ((k - 1) * (f - 2.5) + n) if name == "omega_squared" else value
        assert made.estimate == pytest.approx(less)
        for end, share in ((made.low, 0.975), (made.high, 0.025)):
            lam = end / (1 - end) * n / 2.5
            assert end in (0.0, made.estimate) or stats.ncf.cdf(f / 2.5, k - 1, n - k, lam) == pytest.approx(
                share, abs=1e-6
            )
    assert made.low < made.estimate < made.high
    assert epsilon_squared(2.0, 4, 4) == pytest.approx((np.nan,) * 3, nan_ok=True)
    assert epsilon_squared(3.0, 5, 4).estimate == pytest.approx(3 / 4)


def test_adjusted_p_values_are_holms_and_none_is_above_one():
    p = np.array([0.01, 0.4, 0.03, 0.6, 0.02])
    assert holm(p) == pytest.approx([0.05, 0.8, 0.09, 0.8, 0.08])
    assert holm(np.array([0.4, 0.9])).tolist() == [0.8, 0.9]
    assert holm(np.array([0.7, 0.9, 0.95])).tolist() == [1.0, 1.0, 1.0]


def test_the_interval_of_a_cut_reaches_as_far_as_cuts_of_subsamples_rescaled():
    r = np.random.default_rng(32)
    x = r.normal(size=3_000)
    event = r.random(3_000) < np.where(x > 0.3, 0.6, 0.4)
    made = best_cut(x, event, rows(x))
    edges = np.unique(np.sort(x)[np.linspace(0, 2_999, 201)[1:-1].astype(int)])
    youden = [np.mean(x[event] >= e) - np.mean(x[~event] >= e) for e in edges]
    assert made.at == pytest.approx(edges[int(np.argmax(np.abs(youden)))])
    size, found = int(np.ceil(3_000**0.8)), []
    for _ in range(400):
        some = r.integers(0, 3_000, size)
        hit, u = event[some], x[some]
        gain = [abs(np.mean(u[hit] >= e) - np.mean(u[~hit] >= e)) for e in edges]
        found.append(int(np.argmax(gain)))
    share = np.array([np.mean(x < e) for e in edges])
    best = int(np.argmax(np.abs(youden)))
    far = np.quantile(np.abs(share[found] - share[best]), 0.95) * (size / 3_000) ** (1 / 3)
    inside = edges[np.abs(share - share[best]) <= far]
    reach = [np.mean(x < v) for v in (made.low, made.high)]
    want = [np.mean(x < v) for v in (inside[0], inside[-1])]
    assert reach == pytest.approx(want, abs=0.05)


def test_rates_over_units_take_the_t_of_their_units_and_contrasts_their_variance():
    r = np.random.default_rng(33)
    unit = np.repeat(np.arange(12), 25)
    side = np.repeat(np.tile([0, 1], 6), 25)
    event = r.random(300) < np.repeat(r.uniform(0.1, 0.7, 12), 25)
    made = Crossing.of(side, event.astype(int), (2, 2), Sampling.of_units(unit)).two_by_two()
    means = [[event[unit == u].mean() for u in range(12) if u % 2 == s] for s in (0, 1)]
    rate = [np.mean(m) for m in means]
    variance = [np.var(m, ddof=1) / 6 for m in means]
    plain = [p * (1 - p) / 150 for p in rate]
    df = sum(variance) ** 2 / sum(v**2 / 5 for v in variance)
    slopes = {"risk_difference": (1, 1), "risk_ratio": (1 / rate[0], 1 / rate[1]),
              "odds_ratio": tuple(1 / (p * (1 - p)) for p in rate)}  # fmt: skip
    for name, slope in slopes.items():
        v = sum(s**2 * w for s, w in zip(slope, variance, strict=True))
        over = v / sum(s**2 * w for s, w in zip(slope, plain, strict=True))
        satter = v**2 / sum((s**2 * w) ** 2 / 5 for s, w in zip(slope, variance, strict=True))
        effect = over * (stats.t.ppf(0.975, satter) / stats.norm.ppf(0.975)) ** 2
        counts = [v / effect for v in (event[side == 0].sum(), 150, event[side == 1].sum(), 150)]
        of = {"risk_difference": risk_difference, "risk_ratio": risk_ratio, "odds_ratio": odds_ratio}[name]
        assert made[name] == pytest.approx(of(*counts), rel=1e-6)
    assert df > 1


def test_a_few_rows_that_carry_a_correlation_are_those_without_which_it_falls_most():
    r = np.random.default_rng(34)
    x, y = r.normal(size=(2, 200))
    x[[5, 80, 120]], y[[5, 80, 120]] = [7, 8, -9], [8, 7, -8]
    found = next(
        f for f in Study(pd.DataFrame({"x": x, "y": y})).relations().findings if f.code == "few-rows-correlate"
    )
    assert found.evidence["rows"] == ["5", "120"]  # the fewest that do
    without = {k: stats.pearsonr(np.delete(x, k), np.delete(y, k))[0] for k in ((), (120,), (5,), (5, 120))}
    assert found.evidence["without"] == pytest.approx(without[5, 120])
    assert without[5, 120] <= without[()] / 2 < min(without[5,], without[120,])


def test_fishers_odds_of_a_table_with_an_empty_cell_are_infinite_or_none():
    for cells, odds in (([[3, 0], [2, 5]], np.inf), ([[3, 4], [0, 5]], np.inf), ([[0, 4], [0, 5]], np.nan)):
        assert fisher_exact(np.array(cells)).statistic == pytest.approx(odds, nan_ok=True)


def test_what_is_pooled_leaves_out_rows_without_outcome_group_or_value():
    r = np.random.default_rng(35)
    frame = pd.DataFrame({"g": r.choice(["a", "b", "c"], 400), "x": r.normal(size=400), "y": r.choice(["u", "v"], 400)})
    frame["z"] = frame["x"] + r.normal(size=400)
    whole = {y: Study(frame, outcome=y).against("x", by="g").pooled for y in ("y", "z")}
    more = frame.loc[frame.index.repeat(2)].reset_index(drop=True)
    odd = np.arange(800) % 2 == 1
    for column, y in (("g", "y"), ("x", "y"), ("y", "y"), ("g", "z"), ("x", "z"), ("z", "z")):
        gone = more.copy()
        gone.loc[odd, column] = None if gone[column].dtype != float else np.nan
        with_gaps = Study(gone, outcome=y).against("x", by="g").pooled
        pd.testing.assert_frame_equal(with_gaps, whole[y], rtol=1e-9)


@pytest.mark.parametrize(("levels", "decimals"), [(2, 9), (3, 0), (60, 9)])
def test_ties_make_the_error_of_tau_what_they_make_its_test(levels, decimals):
    r = np.random.default_rng(levels)
    x = r.integers(0, levels, 80).astype(float)
    y = np.round(r.normal(size=80) + 0.3 * x, decimals)
    seen = stats.kendalltau(x, y, method="asymptotic")
    plain = np.sqrt(2 * (2 * 80 + 5) / (9 * 80 * 79))
    assert tied_error(x, y) == pytest.approx(abs(seen.statistic) / stats.norm.isf(seen.pvalue / 2) / plain)
    assert tied_error(np.arange(9.0), np.arange(9.0)) == pytest.approx(1)
    assert tied_error(np.ones(9), np.arange(9.0)) == 1


def test_what_groups_explain_varies_as_without_each_unit_in_turn():
    r = np.random.default_rng(3)
    unit = np.repeat(np.arange(50), 6)
    codes = r.integers(0, 3, 300)
    y = 0.8 * codes + r.normal(size=50)[unit] + r.normal(size=300)
    some = Sampling.of_units(unit)

    def share(keep):
        means = np.array([y[keep & (codes == g)].mean() for g in range(3)])[codes[keep]]
        return np.var(means) / np.var(y[keep])

    without = np.array([share(unit != u) for u in range(50)])
    jackknife = np.sqrt(49 / 50 * np.sum((without - without.mean()) ** 2))
    assert share_between(y, codes, 3) == pytest.approx(share(unit >= 0))
    assert share_error(y, codes, 3, some) == pytest.approx(jackknife, rel=0.05)
    assert share_error(y, codes, 3, Sampling.of_rows(300)) == 0
    # of a ratio half way up, on Fisher's z: the share's error over 2 ratio (1 - share)
    low, high = ratio_within(0.6, 0.36, 0.1)
    assert np.arctanh([low, high]) == pytest.approx(np.arctanh(0.6) + np.array([-1, 1]) * 0.1 / (1.2 * 0.64))
    assert ratio_within(0.1, 0.01, 0.2)[0] == 0
    assert ratio_within(0.0, 0.0, 0.2) == (0.0, 0.0)


def test_phi_squared_varies_as_without_each_unit_in_turn():
    r = np.random.default_rng(4)
    unit = np.repeat(np.arange(60), 5)
    a = r.integers(0, 3, 300)
    b = np.where((r.random(60) < 0.5)[unit], a, r.integers(0, 3, 300))  # in half of the units they are one

    def phi2(keep):
        table = np.bincount(a[keep] * 3 + b[keep], minlength=9).reshape(3, 3)
        return stats.contingency.association(table, "cramer") ** 2 * 2

    without = np.array([phi2(unit != u) for u in range(60)])
    jackknife = np.sqrt(59 / 60 * np.sum((without - without.mean()) ** 2))
    units = Crossing.of(a, b, (3, 3), Sampling.of_units(unit))
    v, effect = units.cramers_v(), units.design_effect
    half = stats.t.ppf(0.975, 59) * jackknife / (2 * np.sqrt(2 * phi2(unit >= 0)))
    assert v.estimate - v.low == pytest.approx(half, rel=0.1)
    n = 300 / effect
    corrected = max(phi2(unit >= 0) - 4 / (n - 1), 0)
    assert v.estimate == pytest.approx(np.sqrt(corrected / (3 - 4 / (n - 1) - 1)))
    rows = phi_squared_error(units.counts, 300)
    draws = r.multinomial(300, units.counts.ravel() / 300, 4000).reshape(-1, 3, 3)
    drawn = [stats.contingency.association(t, "cramer") ** 2 * 2 for t in draws[:1500]]
    assert rows == pytest.approx(np.std(drawn), rel=0.1)


def test_what_is_drawn_depends_on_what_rows_say_alone():
    r = np.random.default_rng(30)
    says = r.integers(0, 40, 5_000)
    got = drawn(says, 7)
    order = r.permutation(5_000)
    for level in range(40):  # rows that say the same share the same numbers, in whatever order
        assert set(got[says == level]) == set(drawn(says[order], 7)[says[order] == level])
    assert len(set(got)) == 5_000
    assert stats.kstest(got / 2**64, "uniform").pvalue > 0.01
    large = says.astype(np.int64) * 10**12  # sorted, not counted
    assert stats.kstest(drawn(large, 7) / 2**64, "uniform").pvalue > 0.01
    assert abs(np.corrcoef(got.astype(float), drawn(says, 8).astype(float))[0, 1]) < 0.05
    x, y = r.normal(size=(2, 300))
    assert (drawn_of_numbers([x, y], 0) == drawn_of_numbers([y, x], 0)).all()
    assert (drawn_of_numbers([np.array([0.0, 1.0])], 0) == drawn_of_numbers([np.array([-0.0, 1.0])], 0)).all()


def test_rates_of_many_classes_are_those_of_normal_classes_with_one_variance():
    r = np.random.default_rng(31)
    y = np.repeat(np.arange(4), [400, 300, 200, 100])
    x = y + r.normal(size=1_000)
    at, place = np.unique(x, return_inverse=True)
    counts = np.zeros((1_000, 4))
    np.add.at(counts, (place, y), 1)
    want = LinearDiscriminantAnalysis(solver="lsqr").fit(x[:, None], y).predict_proba(at[:, None])
    assert held_out_line._discriminant(at, counts) == pytest.approx(want, abs=0.01)  # drawn together a little
    noise = held_out_line._discriminant(at, counts[r.permutation(1_000)])
    assert np.abs(noise - [0.4, 0.3, 0.2, 0.1]).mean() < 0.02
    lines = np.log(held_out_line._discriminant(at, counts))
    assert np.polyfit(at, lines[:, 3] - lines[:, 0], 1, full=True)[1] == pytest.approx(0, abs=1e-9)


def test_a_line_with_even_noise_is_told_from_a_curve_with_even_noise():
    r = np.random.default_rng(32)
    u, noise = r.random(1_500), r.normal(size=1_500)
    curve = np.exp(3 * u)
    for x, y, told in ((u, 4 * u + noise, "linear"), (u, curve / curve.std() + 0.7 * noise, "monotone")):
        assert form.relation_form(x, y, rows(x)) == form.relation_form(y, x, rows(x)) == told
        assert form.relation_form(-x, y, rows(x)) == told
    base = np.full(1_000, 1.0)
    at = np.linspace(0, 1, 1_000)
    rising = form._Losses(base, at, base, base, at, rows(base))
    assert rising.unevenness(rising.line) > 0.99
    assert rising.unevenness(base) == 0


@pytest.mark.parametrize(
    ("values", "step"),
    [
        ([0, 8, 24, 16, 80], 8), ([0, 7, 21, 28, 700], 7), ([2.54, 5.08, 7.62, 12.7], 2.54), ([0, 3], 1),
        ([0, 8, 24, 16, 81], 1), ([1.13, 4.77, 9.31, 2.02], 0.01), ([20.1, 20.4, 20.7, 21.3], 0.3),
    ],
)  # fmt: skip
def test_a_step_is_the_smallest_gap_that_all_are_multiples_of(values, step):
    assert recorded_step(np.sort(np.array(values, float))) == pytest.approx(step, rel=1e-9)
