"""Numbers that other tests reach but do not pin: each beside a reference, or by what must hold of it."""

from itertools import permutations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Preparation, Study
from envelt.core.against.shape import is_one_bend
from envelt.core.columns.outcome import NumericOutcome
from envelt.core.estimate import Estimate
from envelt.core.relations import mixed
from envelt.core.relations.panels import BINS, GRID, _ends
from envelt.core.stats.alike import too_alike
from envelt.core.stats.cut import best_cut
from envelt.core.stats.expected import column_lambda
from envelt.core.stats.explained import explained_share, ratio_within
from envelt.core.stats.folds import deal, hash_blocks
from envelt.core.stats.held_out_line import StraightLine
from envelt.core.stats.heldout import held_out, level_cells
from envelt.core.stats.of_rows.noncentral import noncentral_chi_square, noncentral_f
from envelt.core.stats.of_rows.proportions import risk_difference, wilson
from envelt.core.stats.of_rows.tables import fisher_exact
from envelt.core.stats.straight import not_straight
from envelt.core.stats.targets import ClassTarget, NumberTarget
from envelt.core.stats.trend import smooth_trend
from envelt.core.stats.within_groups import stratified_slope
from envelt.core.within.joint import slopes_of_each, z_of_slopes
from envelt.core.within.rule import TURNS, TurnRound
from envelt.core.within.told import turn_findings
from samples import found, rows, told_of


def test_a_curves_band_is_as_wide_as_the_curve_strays():
    r = np.random.default_rng(1)
    x = np.sort(r.uniform(0, 1, 300))
    drawn = [smooth_trend(x, np.sin(6 * x) + r.normal(0, 0.5, 300), rows(x)) for _ in range(80)]
    half = np.mean([(t.high - t.low) / 2 for t in drawn], axis=0) / stats.norm.ppf(0.975)
    inner = slice(len(half) // 8, -len(half) // 8)
    assert (half / np.std([t.mean for t in drawn], axis=0))[inner] == pytest.approx(1, abs=0.3)


def test_a_steep_line_of_few_rows_is_smoothed_as_wide_as_a_flat_one():
    r = np.random.default_rng(2)
    x, noise = np.linspace(0, 1, 60), r.normal(0, 0.2, 60)
    bend = np.where(np.abs(x - 0.5) < 0.1, 1.0, 0.0)
    steep, flat = (smooth_trend(x, slope * x + bend + noise, rows(x)) for slope in (30.0, 0.0))
    assert steep.bandwidth == flat.bandwidth < 0.15  # a line is smoothed away by nothing, and is no noise
    assert steep.mean - 30 * steep.at == pytest.approx(flat.mean)


@pytest.mark.parametrize("n", [30, 93, 300])
def test_a_curve_of_few_rows_turns_little_and_its_band_holds_the_mean_on_a_bend(n):
    r, turns, held = np.random.default_rng(n), [], []
    for bend in (0.0, 8.0) * 40:
        x = np.sort(r.uniform(0, 1, n))
        trend = smooth_trend(x, bend * (x - 0.5) ** 2 + r.normal(size=n), rows(x))
        steps = np.sign(np.diff(trend.mean))
        turns.append(np.count_nonzero(np.diff(steps[steps != 0])))
        true = bend * (trend.at - 0.5) ** 2
        held.append(np.mean((trend.low <= true) & (true <= trend.high)))
    assert max(turns) <= max(n // 12 + 1, 3)
    assert np.mean(turns) < 2
    assert np.mean(held) > 0.88  # a local line's band held 0.77 to 0.80 of a bend


def test_a_parabola_and_its_band_are_what_least_squares_give():
    x = np.linspace(0, 1, 60)
    trend = smooth_trend(x, 3 * x**2 - x, rows(x))
    assert trend.mean == pytest.approx(3 * trend.at**2 - trend.at, abs=1e-9)


def test_a_table_without_rows_or_of_three_levels_has_no_exact_test():
    for table in (np.zeros((2, 2), np.int64), np.ones((2, 3), np.int64)):
        assert np.isnan(fisher_exact(table).p)


def test_an_inflation_is_that_of_a_regression_and_names_only_what_explains_it():
    r = np.random.default_rng(3)
    n = 20_000
    frame = pd.DataFrame(r.normal(size=(n, 3)), columns=["a", "b", "apart"])
    frame["all"] = frame["a"] + frame["b"] + r.normal(0, 0.3, n)
    made = Study(frame).relations().inflation
    assert {*made.loc["all", "explained_by"]} == {"a", "b"}
    assert made.loc["apart", "explained_by"] == []
    of = np.c_[np.ones(n), frame.drop(columns="all")]
    left = frame["all"] - of @ np.linalg.lstsq(of, frame["all"], rcond=None)[0]
    assert made.loc["all", "vif"] == pytest.approx(frame["all"].var() / left.var(), rel=1e-6)
    # where what is whole leaves one column that varies, there is nothing to explain it
    gone = pd.DataFrame({"a": frame["a"][:200], "b": frame["b"][:200].where(np.arange(200) < 80, 4.0)})
    gone.loc[:79, "a"] = np.nan
    assert len(Study(gone).relations().inflation) == 0


def test_what_rises_along_a_curve_has_the_coefficient_of_ranks_and_a_line_that_of_values():
    r = np.random.default_rng(9)
    a = r.uniform(0, 5, 400)
    frame = pd.DataFrame({"a": a, "line": a + r.normal(size=400), "curve": np.exp(a + r.normal(0, 0.3, 400))})
    pairs = Study(frame).relations().pairs.set_index(["first", "second"])[["method", "coefficient"]]
    told = {frozenset(k): (v.method, v.coefficient) for k, v in pairs.iterrows()}
    rho, line = stats.spearmanr(a, frame["curve"])[0], stats.pearsonr(a, frame["line"])[0]
    assert told[frozenset({"a", "curve"})] == ("spearman", pytest.approx(rho))
    assert told[frozenset({"a", "line"})] == ("pearson", pytest.approx(line))


@settings(max_examples=60, deadline=None)
@given(st.integers(-20, 20), st.integers(1, 4 * GRID[0]), st.sampled_from([0.1, 1.0, 5.0]))
def test_places_of_values_recorded_coarsely_fill_cells_of_one_size(first, places, step):
    values = (first + np.arange(places + 1)) * step
    low, high, seen = _ends(np.tile(values, 50))
    if not seen:
        return
    wide, sizes = round((high - low) / seen), [-(-(places + 1) // cells) for cells in (BINS, *GRID)]
    assert low <= values[0] <= values[-1] <= high
    assert (high - low) / seen == pytest.approx(wide)
    assert [wide % size for size in sizes] == [0, 0, 0]
    assert wide < places + 1 + np.lcm.reduce(sizes)


def test_the_last_of_many_places_can_be_the_cut():
    x = np.random.default_rng(4).permutation(4000).astype(float)
    cut = best_cut(x, x >= 3979, rows(x))
    assert (cut.at, cut.above, cut.sensitivity, cut.specificity) == (3979.0, True, 1.0, 1.0)


def test_slopes_are_as_sure_as_students_t_says_of_so_few_rows():
    slope, error, n = np.array([0.4, -0.4, 3.0, 0.0]), np.array([0.2, 0.1, 0.5, 1.0]), np.array([5.0, 12, 40, 9])
    p = 2 * stats.t.sf(np.abs(slope / error), n - 2)
    assert z_of_slopes(slope, error, n) == pytest.approx(np.sign(slope) * stats.norm.isf(p / 2))


def test_a_slope_that_is_only_there_is_told_beside_that_of_all_others_with_its_interval():
    r = np.random.default_rng(5)
    n = 6000
    by, x = r.integers(0, 3, n), r.integers(0, 2, n)
    frame = pd.DataFrame({"by": np.array(["p", "q", "s"])[by], "x": np.array(["no", "yes"])[x]})
    frame["y"] = np.where(by == 1, 1.5 * x, 0.0) + r.normal(size=n)
    told = next(f for f in found(frame, "only-together", "against", outcome="y") if f.columns[0] == "x")
    slopes, variances = [], []
    for level in (0, 2):
        a, b = (frame["y"][(by == level) & (x == k)] for k in (0, 1))
        cells = np.array([[len(a)], [len(b)]], float), np.array([[a.sum()], [b.sum()]])
        slope, error = slopes_of_each(np.arange(2.0), *cells, np.array([[(a**2).sum()], [(b**2).sum()]]))
        assert slope[0] == pytest.approx(b.mean() - a.mean())
        slopes.append(slope[0])
        variances.append(error[0] ** 2)
    weight = 1 / np.array(variances)
    rest, se = np.average(slopes, weights=weight), weight.sum() ** -0.5
    assert told.evidence["overall"] == pytest.approx([rest, rest - 1.959964 * se, rest + 1.959964 * se], rel=1e-4)
    assert "a step" not in told.statement  # from one level to the only other


def test_the_p_of_a_number_is_twice_the_smaller_of_its_ranks_and_of_its_bins():
    r = np.random.default_rng(6)
    x = r.normal(size=600)
    for cuts in ([0], [-1, 1]):
        y = np.array(["a", "b", "c"])[np.digitize(x + r.normal(0, 4, 600), cuts)]
        of = [x[y == level] for level in np.unique(y)]
        whole = stats.kruskal(*of) if len(cuts) > 1 else stats.mannwhitneyu(*of, method="asymptotic")
        p = Study(pd.DataFrame({"x": x, "y": y}), outcome="y").rank().table.loc["x", "p"]
        assert p == pytest.approx(2 * whole.pvalue, rel=1e-9)


def test_of_a_series_only_what_moves_with_time_is_excused_for_being_too_good():
    r = np.random.default_rng(7)
    n = 600
    day = pd.Timestamp("2024-01-01") + pd.to_timedelta(np.arange(n), "D")
    y = np.arange(n) * 0.02 + r.normal(0, 3, n)
    frame = pd.DataFrame({"day": day, "level": np.arange(n) * 2.0 + r.normal(0, 5, n), "y": y})
    frame["copy"] = y + r.normal(0, 0.05, n)
    told = {c for f in found(frame, "too-good-to-be-true", "rank", outcome="y") for c in f.columns}
    assert "copy" in told
    assert "level" not in told


def test_of_candidates_that_turn_round_within_cases_the_largest_change_is_told_first():
    r = np.random.default_rng(8)
    case = np.repeat(np.arange(80), 12)
    level, moves = r.normal(size=80)[case], r.normal(size=(960, 2))
    frame = pd.DataFrame({"hive": case, "y": 2 * level + moves[:, 0] + 0.4 * moves[:, 1] + r.normal(0, 0.5, 960)})
    frame["little"] = 0.5 * level - 0.3 * moves[:, 1] + r.normal(0, 0.9, 960)
    frame["much"] = 2 * level - moves[:, 0] + r.normal(0, 0.2, 960)
    told = found(frame, "turns-round", "against", outcome="y", unit="hive")
    within = [f for f in told if "hive" in f.columns]
    change = [abs(f.evidence["overall"][0] - f.evidence["within"][0]) for f in within]
    assert [f.columns[0] for f in within] == ["much", "little"]
    assert change == sorted(change, reverse=True)


def test_a_pair_of_levels_and_a_number_has_no_line():
    r = np.random.default_rng(10)
    frame = pd.DataFrame({"level": r.choice(list("abc"), 200), "x": r.normal(size=200), "z": r.normal(size=200)})
    study = Study(frame)
    assert study.pairwise("level", "x").draw().axes
    assert study.pairwise("z", "x").draw().axes


def test_levels_of_few_rows_that_top_the_list_are_counted():
    frame = pd.DataFrame({"place": list("a" * 300 + "b" * 300 + "c" * 4 + "d" * 5)})
    frame["lost"] = np.where(np.arange(609) % 3 == 0, "yes", "no")
    frame.loc[frame["place"].isin(["c", "d"]), "lost"] = ["yes"] * 4 + ["no"] * 5
    told = next(
        f for f in Study(frame, outcome="lost").contingency("place", "lost").findings if f.code == "small-levels"
    )
    assert (told.evidence["levels"], told.evidence["rows"]) == (2, 9)


@pytest.mark.parametrize("held", [True, False])
def test_v_of_tables_too_large_to_hold_is_that_of_their_cells(held, monkeypatch):
    r = np.random.default_rng(11)
    a = r.integers(0, 6, 3000)
    b = np.where(r.random(3000) < 0.4, a % 5, r.integers(0, 5, 3000))
    if not held:
        monkeypatch.setattr(mixed, "CELLS", 1)
    made = mixed.cramers_v(a, 6, b, 5, rows(a))
    table = stats.contingency.crosstab(a, b).count
    chi = stats.chi2_contingency(table, correction=False)
    assert (made.n, made.statistic) == (3000, pytest.approx(chi.statistic))
    phi = max(0, chi.statistic / 3000 - 5 * 4 / 2999)
    assert made.value == pytest.approx(np.sqrt(phi / min(6 - 25 / 2999 - 1, 5 - 16 / 2999 - 1)))
    if held:  # the error of phi squared is how far it strays
        drawn = r.multinomial(3000, (table / 3000).ravel(), 4000).reshape(-1, *table.shape).astype(float)
        margins = drawn.sum(axis=2, keepdims=True) * drawn.sum(axis=1, keepdims=True)
        assert made.error == pytest.approx(np.std((drawn**2 / margins).sum(axis=(1, 2))), rel=0.1)
    else:
        assert made.error == 0


def test_three_values_make_no_step_along_a_number():
    r = np.random.default_rng(12)
    x = r.integers(0, 3, 900).astype(float)
    frame = pd.DataFrame({"x": x, "y": np.where(r.random(900) < np.where(x == 2, 0.8, 0.1), "yes", "no")})
    for outcome in (frame, frame.assign(y=(x == 2) * 3 + r.normal(size=900))):
        assert found(outcome, "step-not-trend", "against", outcome="y", kinds={"x": "discrete"}) == []


def test_two_columns_alone_can_say_more_together():
    r = np.random.default_rng(13)
    a, b = r.choice(["up", "down"], (2, 2000))
    frame = pd.DataFrame({"a": a, "b": b, "y": np.where((a == b) ^ (r.random(2000) < 0.1), "yes", "no")})
    told = Study(frame, outcome="y").relations().together
    assert told[["first", "second"]].to_numpy().tolist() == [["a", "b"]]
    rate = (frame["y"] == "yes").groupby([frame["a"], frame["b"]]).mean()
    assert told["joint_share"].iloc[0] == pytest.approx(
        1 + (0.1 * np.log(0.1) + 0.9 * np.log(0.9)) / np.log(2), abs=0.05
    )
    assert rate.max() > 0.85


def test_a_share_of_what_is_told_whole_has_the_interval_of_one_row():
    n = 60
    y = np.tile([0, 1], n // 2)
    target = ClassTarget(y, 2)
    held = told_of(target)
    (made,) = held_out([level_cells(y, 2, held)], held)
    floor = 1 / (2 * n * np.log(2))
    assert 0.95 * floor <= made.high - made.share < 4 * floor


@pytest.mark.parametrize("few", [1, 2])
def test_rows_that_carry_a_correlation_are_named_one_or_several(few):
    r = np.random.default_rng(14)
    x, y = r.normal(size=(2, 150))
    x[:few], y[:few] = 40 + np.arange(few), 40 - np.arange(few)
    (told,) = found(pd.DataFrame({"x": x, "y": y}), "few-rows-correlate", "relations")
    words = "1 row of 150 carries it: without it" if few == 1 else "2 rows of 150 carry it: without them"
    assert words in told.statement
    assert ("(row 0)" if few == 1 else "(rows 0, 1)") in told.statement
    assert told.evidence["without"] == pytest.approx(stats.pearsonr(x[few:], y[few:])[0])


def test_the_interval_of_what_units_explain_is_of_the_share_of_all_rows():
    value, statistic, df, effect, error = 0.55, 24.0, np.array([3.0, 116.0]), 2.5, 0.2
    low, high = explained_share(value, statistic, df, 120.0, effect, True, 0.95, error, 40.0)
    share = df[0] * statistic / (df[0] * statistic + df[1])
    wide = ratio_within(value, share, stats.t.ppf(0.975, 40) * error)
    assert (low, high) == pytest.approx((max(wide[0], 0), wide[1]))


def test_a_noncentral_f_of_endless_degrees_is_a_noncentral_chi_square():
    for f in (3.0, 40.0):
        for share in (0.025, 0.975):
            assert noncentral_f(f, 2.0, 1e14, share) == pytest.approx(
                noncentral_chi_square(2 * f, 2.0, share), rel=1e-3
            )


def test_a_slope_within_pairs_is_that_of_differences_with_as_many_degrees_as_pairs_less_one():
    r = np.random.default_rng(15)
    pair = np.repeat(np.arange(12), 2)
    x = np.tile([0.0, 1.0], 12)  # all pairs say as much, so their degrees are those that are left
    y = r.normal(size=12)[pair] + 0.8 * x + r.normal(0, 0.5, 24)
    inside = stratified_slope(x, y, pair, rows(x)).pooled
    d = y[1::2] - y[::2]
    assert inside.estimate == pytest.approx(d.mean())
    half = stats.t.ppf(0.975, 11) * d.std(ddof=1) / np.sqrt(12)
    assert inside.high - inside.estimate == pytest.approx(half, rel=0.02)


def test_rates_of_none_and_all_begin_at_nothing_and_end_at_one():
    n = np.arange(1, 400)
    assert (wilson(np.zeros(399), n)[1] == 0).all()
    assert (wilson(n, n)[2] == 1).all()


@pytest.mark.parametrize("levels", [2, 5, 9])
def test_lambda_is_one_where_all_is_told_and_the_share_of_errors_that_go_elsewhere(levels):
    assert column_lambda(np.eye(levels, dtype=np.int64) * 20) == 1.0
    r = np.random.default_rng(levels)
    table = r.integers(0, 30, (4, levels))
    wrong = table.sum() - table.sum(axis=0).max()
    assert column_lambda(table) == pytest.approx((wrong - (table.sum() - table.max(axis=1).sum())) / wrong)


def test_levels_without_gaps_learn_no_level_for_them():
    frame = pd.DataFrame({"a": list("xyz") * 20})
    for using, wanted in ((frame, False), (frame.assign(a=frame["a"].where(frame.index > 3)), True)):
        plan = Preparation().then("encode", "a")
        columns = [*plan.fit(using).transform(frame).columns]
        assert any("missing" in c for c in columns) is wanted, columns


def test_two_levels_are_set_against_the_outcome_within_cases_too():
    r = np.random.default_rng(16)
    case = np.repeat(np.arange(80), 12)
    level = r.normal(size=80)[case]
    flag = (level + r.normal(0, 0.8, 960)) > 0
    frame = pd.DataFrame({"hive": case, "flag": np.where(flag, "yes", "no"), "y": 2 * level - 1.5 * flag})
    frame["y"] += r.normal(0, 0.5, 960)
    told = [f for f in found(frame, "turns-round", "against", outcome="y", unit="hive") if "hive" in f.columns]
    assert [f.columns[0] for f in told] == ["flag"]
    away = frame.groupby("hive")["y"].transform("mean")
    of = flag - pd.Series(flag.astype(float)).groupby(case).transform("mean")
    assert told[0].evidence["within"][0] == pytest.approx(np.corrcoef(of, frame["y"] - away)[0, 1])


@pytest.mark.parametrize("level", [[0.9, 0.55, 0.2, 0.2, 0.6], [0.6, 0.2, 0.2, 0.55, 0.9]])
def test_a_bend_that_leans_is_one_whichever_way(level):
    for of in (np.array(level), 1 - np.array(level)):
        assert is_one_bend(np.full(5, 40), of)


def test_ranks_of_few_rows_are_tested_by_all_their_orders():
    a, b = np.array([1.0, 2, 3, 4, 5, 6, 7]), np.array([2.0, 1, 4, 3, 7, 5, 60])
    ranks = [stats.rankdata(v) - 4 for v in (a, b)]
    drawn = np.abs(np.array([*permutations(ranks[0])]) @ ranks[1])
    exact = np.mean(drawn >= abs(ranks[0] @ ranks[1]) - 1e-9)
    pairs = Study(pd.DataFrame({"a": a * 1.5, "b": b * 1.5})).relations(method="spearman").pairs
    assert pairs["p"].iloc[0] == pytest.approx(exact)


def test_the_most_frequent_text_fills_whatever_letter_it_begins_with():
    frame = pd.DataFrame({"a": ["x", "m", "m", "m", "b", "b", None]})
    assert Preparation().then("fill", "a", using="most_frequent").fit(frame).transform(frame)["a"].iloc[-1] == "m"


def test_the_held_out_share_of_a_line_is_that_of_five_folds_written_out():
    r = np.random.default_rng(17)
    x = r.integers(0, 30, 400).astype(float)
    y = 10 + 0.3 * x + r.normal(0, 3, 400)
    target = NumberTarget(y, np.unique(y, return_inverse=True)[1])
    folds = deal(hash_blocks(np.arange(400), 0), target.load, 0)
    values, place, count = np.unique(x, return_inverse=True, return_counts=True)
    made = StraightLine(place, count, told_of(target, folds)).share(values)
    fold = folds.fold_of_block[0][folds.blocks]
    loss = plain = 0.0
    for f in range(5):
        line = stats.linregress(x[fold != f], y[fold != f])
        loss += np.sum((y[fold == f] - line.intercept - line.slope * x[fold == f]) ** 2)
        plain += np.sum((y[fold == f] - y[fold != f].mean()) ** 2)
    assert made == pytest.approx(1 - loss / plain)


def test_one_strong_candidate_is_told_with_its_area_and_interval():
    r = np.random.default_rng(18)
    x = r.normal(size=800)
    frame = pd.DataFrame(
        {"x": x, "other": r.normal(size=800), "y": np.where(x + r.normal(0, 0.25, 800) > 0, "yes", "no")}
    )
    told = [
        f for f in Study(frame, outcome="y").rank().findings if f.code in ("strong-candidate", "too-good-to-be-true")
    ]
    shown = Study(frame, outcome="y").rank().table.loc["x"]
    assert len(told) == 1
    assert f"x alone removes {shown['held_out_share']:.0%} of the uncertainty" in told[0].statement
    assert f"area under the curve {shown['auc']:.3f}" in told[0].statement


def test_values_of_few_rows_are_tested_by_students_t():
    a, b = np.array([1.0, 2, 3, 4, 5, 6, 7.5]), np.array([2.0, 1, 4, 3, 7, 5, 6.5])
    pairs = Study(pd.DataFrame({"a": a, "b": b})).relations(method="pearson").pairs
    assert pairs["p"].iloc[0] == pytest.approx(stats.pearsonr(a, b).pvalue)


def test_what_moves_as_surely_with_time_as_the_outcome_is_no_leak():
    r = np.random.default_rng(19)
    n = 600
    frame = pd.DataFrame({"day": pd.Timestamp("2024-01-01") + pd.to_timedelta(np.arange(n), "D")})
    frame["y"] = np.arange(n) * 0.02 + r.normal(0, 0.3, n)
    frame["level"] = np.arange(n) * 2.0 + r.normal(0, 5, n)
    assert found(frame, "too-good-to-be-true", "rank", outcome="y") == []
    assert found(frame.drop(columns="day"), "too-good-to-be-true", "rank", outcome="y")


@pytest.mark.parametrize(("x1", "n1", "x2", "n2"), [(0, 10, 10, 10), (0, 8, 12, 12), (9, 9, 0, 14), (3, 10, 9, 12)])
def test_the_interval_of_a_risk_difference_ends_where_the_score_is_as_far_as_a_normal_s(x1, n1, x2, n2):
    told = risk_difference(x1, n1, x2, n2)

    def score(delta):  # by the likelihood of both rates that lie so far apart, on a fine grid
        p = np.linspace(max(0.0, -delta), min(1.0, 1.0 - delta), 200_001)
        with np.errstate(divide="ignore", invalid="ignore"):
            each = [
                x1 * np.log(p),
                (n1 - x1) * np.log(1 - p),
                x2 * np.log(p + delta),
                (n2 - x2) * np.log(1 - p - delta),
            ]
        p = p[np.nanargmax(sum(np.where(np.isnan(e), 0.0, e) for e in each))]
        q, n = p + delta, n1 + n2
        variance = (p * (1 - p) / n1 + q * (1 - q) / n2) * n / (n - 1)
        return (x2 / n2 - x1 / n1 - delta) ** 2 / variance

    assert told.estimate == pytest.approx(x2 / n2 - x1 / n1)
    for end in (told.low, told.high):
        if abs(end) < 1 - 1e-6:
            assert score(end) == pytest.approx(stats.norm.ppf(0.975) ** 2, rel=2e-3)
        else:
            assert end == pytest.approx(np.sign(told.estimate))
    assert told.low < told.estimate <= told.high or told.low <= told.estimate < told.high


def test_how_far_shapes_of_groups_lie_apart_is_the_largest_kolmogorov_smirnov_distance_of_unequal_groups():
    sizes = (12, 30, 55)
    parts = [stats.norm.ppf((np.arange(n) + 0.5) / n) for n in sizes]
    parts[1] = np.sort(np.where(np.arange(30) < 15, -1.0, 1.0) + np.linspace(-0.01, 0.01, 30))
    parts = [(p - p.mean()) / p.std(ddof=1) for p in parts]
    codes = np.repeat(np.arange(3), sizes)
    want = max(stats.ks_2samp(a, b).statistic for a, b in permutations(parts, 2))
    assert too_alike(np.concatenate(parts), codes, 3, rows(codes)) == pytest.approx(want)


@pytest.mark.parametrize(("n", "asked"), [(29, False), (30, True), (31, True)])
def test_thirty_rows_are_enough_to_ask_whether_means_lie_on_a_line(n, asked):
    x = np.linspace(0, 1, n)
    p = not_straight(x, x + np.random.default_rng(0).normal(0, 0.1, n), rows(x)).p
    assert (p == p) is asked


@pytest.mark.parametrize("levels", [2, 3])
def test_fishers_exact_test_is_given_of_two_by_two_and_of_no_other_table(levels):
    r = np.random.default_rng(1)
    level, y = r.choice(list("abc")[:levels], 120), r.choice(["yes", "no"], 120)
    tests = Study(pd.DataFrame({"level": level, "y": y}), outcome="y").against("level").shown["tests"].frame
    assert ("fisher_exact" in tests.index) is (levels == 2)
    if levels == 2:
        assert tests.loc["fisher_exact", "p"] == pytest.approx(stats.fisher_exact(pd.crosstab(level, y))[1])


def test_rows_of_a_cross_tabulation_stand_by_the_share_of_its_last_column():
    frame = pd.DataFrame({"a": np.repeat(list("xyz"), 20), "b": [*"pqqr" * 5, *"prrr" * 5, *"pqrr" * 5]})
    shown = Study(frame).contingency("a", "b", order="rate").shown["table"].frame
    last = pd.crosstab(frame["a"], frame["b"], normalize="index")[shown.columns[-1]]
    assert last.nunique() == 3
    assert shown.index.tolist() == last.sort_values(ascending=False).index.tolist() != list("xyz")


@pytest.mark.parametrize(("n", "told"), [(49, False), (50, True), (120, True)])
def test_fifty_rows_in_the_order_of_a_time_are_enough_to_compare_neighbours(n, told):
    y = np.sin(np.arange(n) / 8)
    frame = pd.DataFrame({"when": pd.date_range("2024-01-01", periods=n), "x": np.arange(n) % 7 * 1.1, "y": y})
    assert bool(found(frame, "ordered-in-time", "rank", outcome="y")) is told


def test_of_three_classes_each_level_has_its_share_of_each_drawn_to_all_and_they_sum_to_one():
    r = np.random.default_rng(2)
    frame = pd.DataFrame({"level": r.choice(list("abcd"), 400), "y": r.choice(["u", "v", "w"], 400, p=[0.5, 0.3, 0.2])})
    made = Preparation(outcome="y").then("encode", "level", using="rate").fit(frame).transform(frame.drop(columns="y"))
    columns = [c for c in made.columns if c.startswith("level")]
    assert len(columns) == 3
    assert made[columns].sum(axis=1).to_numpy() == pytest.approx(1)
    means = made.groupby(frame["level"])[columns].first().to_numpy()
    crude = pd.crosstab(frame["level"], frame["y"], normalize="index").to_numpy()
    base = frame["y"].value_counts(normalize=True).sort_index().to_numpy()
    assert (np.abs(means - base) <= np.abs(crude - base) + 0.02).all()
    assert np.corrcoef(means.ravel(), crude.ravel())[0, 1] > 0.95


def test_what_turns_within_several_columns_is_told_of_the_surest_and_names_the_others():
    y = np.arange(40) * 1.5
    outcome = Study(pd.DataFrame({"y": y, "x": y % 7}), outcome="y").outcome
    assert isinstance(outcome, NumericOutcome)
    turn = lambda within, inner: TurnRound(  # noqa: E731
        TURNS, "x", within, Estimate(1.0, 0.5, 1.5), Estimate(-inner, -inner - 0.2, -inner + 0.2), "a", "b", 2, 2, 1
    )
    (told,) = turn_findings([turn("first", 3.0), turn("second", 1.0), turn("third", 0.7)], outcome)
    assert told.columns == ("x", "first", "y")
    assert told.evidence["also"] == ["second", "third"]
    assert "within the levels of first, -3" in told.statement.replace("−", "-")
    assert told.statement.endswith("The same within second, third.")


def test_a_third_column_colours_dots_between_its_second_and_ninety_eighth_percentile():
    r = np.random.default_rng(3)
    frame = pd.DataFrame({"a": r.normal(size=300), "b": r.normal(size=300), "c": r.gamma(1, 3, 300)})
    view = Study(frame).pairwise("a", "b", colour="c")
    assert view._answers.single.shade_ends == pytest.approx(tuple(np.quantile(frame["c"], [0.02, 0.98])))
