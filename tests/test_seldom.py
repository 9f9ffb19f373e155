"""Formulas and rules where they are seldom looked at, each beside one that is written out, or by what must hold."""

from dataclasses import replace
from itertools import permutations

import numpy as np
import pandas as pd
import pytest
import scipy
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Preparation, Study
from envelt.core.against.shape import is_one_bend
from envelt.core.columns.coarse import Coarse
from envelt.core.columns.outcome import NumericOutcome
from envelt.core.contingency.crosstab import row_order
from envelt.core.embed import quality
from envelt.core.estimate import Estimate
from envelt.core.relations.findings import _beyond_a_gap
from envelt.core.relations.mixed import cramers_v as relation_of_levels
from envelt.core.relations.panels import _levels as levels_of_panel
from envelt.core.relations.side import Side
from envelt.core.stats import correlation
from envelt.core.stats.correlation import tied_error
from envelt.core.stats.crossing import Crossing
from envelt.core.stats.cut import best_cut
from envelt.core.stats.explained import explained_share, ratio_within
from envelt.core.stats.form import relation_form
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.heldout import held_out, number_cells
from envelt.core.stats.mantel_haenszel import stratified_rates
from envelt.core.stats.of_rows.tables import v_of_phi_squared
from envelt.core.stats.of_rows.two_groups import _variance, rank_pair, superiority_at_end, superiority_of
from envelt.core.stats.of_units.spread import spread_of
from envelt.core.stats.of_units.tables import effective_rows
from envelt.core.stats.rates import calendar_rate_bins, rate_bins
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.straight import not_straight
from envelt.core.stats.targets import NumberTarget
from envelt.core.stats.within_groups import stratified_slope
from envelt.core.within.correlations import correlations_within
from envelt.core.within.groups import _clear
from envelt.core.within.joint import near_copies, share_of_variance, slopes_of_each, variance_of_each, z_of
from envelt.core.within.rule import ONLY, TURNS, VANISHES, Demands, Relation, becomes
from envelt.core.within.search import turn_rounds
from envelt.errors import EnveltError, OptionError, PreparationError
from envelt.prepare.numbers import rising
from samples import found, rows, table_of, told_of

SEEDS = st.integers(0, 10_000)


def units_of(r, n, most=9):
    """Keys of units, unevenly many rows each, in no order."""
    return r.permutation(np.repeat(np.arange(n), r.integers(1, most, n))[:n])


# --- what one case is -------------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(SEEDS)
def test_a_design_effect_is_the_variance_of_sums_over_units_over_that_of_rows(seed):
    r = np.random.default_rng(seed)
    keys = units_of(r, 60)
    influence = r.normal(size=60) + keys % 3
    sampling = Sampling.of_units(keys)
    of = pd.Series(influence).groupby(keys).sum()
    wanted = len(of) / (len(of) - 1) * (of**2).sum() / (influence**2).sum()
    assert sampling.design_effect(influence) == pytest.approx(wanted, rel=1e-12)
    assert Sampling.of_rows(60).design_effect(influence) == 1
    values = np.where(r.random(60) < 0.1, np.nan, keys + r.normal(size=60))
    there = ~np.isnan(values)
    effects = [1.0]
    for q in np.quantile(values[there], (0.25, 0.5, 0.75)):
        below = (values[there] <= q).astype(float)
        effects.append(Sampling.of_units(keys[there]).design_effect(below - below.mean()))
    assert sampling.distribution_effect(values) == pytest.approx(max(effects), rel=1e-12)


def test_units_that_differ_less_than_rows_make_no_more_rows_than_there_are():
    # in each unit one row of two has the event: rates of units do not vary at all
    units, event = np.repeat(np.arange(40), 2), np.tile([True, False], 40)
    assert effective_rows(np.zeros(80, np.int64), event, 1, units, 40).tolist() == [80]
    mixed = np.where(np.arange(80) < 8, True, event)
    assert effective_rows(np.zeros(80, np.int64), mixed, 1, units, 40)[0] <= 80


def test_units_that_are_all_the_same_have_no_spread_and_one_degree_less_than_units():
    spread = spread_of([(1.0, np.ones((5, 3)))], 3)
    assert (spread.length, spread.df_within) == (pytest.approx(75), 4)


def test_levels_over_units_have_the_effect_and_the_p_of_their_table():
    r = np.random.default_rng(4)
    unit = np.repeat(np.arange(50), 8)
    a = (r.normal(size=50)[unit] + r.normal(size=400) > 0).astype(np.int64)
    b = np.digitize(r.normal(size=50)[unit] + r.normal(size=400), [-0.5, 0.6])
    sampling = Sampling.of_units(unit)
    made = relation_of_levels(a, 2, b, 3, sampling)
    table = Crossing.of(a, b, (2, 3), sampling)
    assert table.design_effect > 1.2
    assert made.p == pytest.approx(table.chi_square().p, rel=1e-9)
    assert made.value == pytest.approx(table.cramers_v().estimate, rel=1e-9)
    assert made.effect == pytest.approx(table.design_effect, rel=1e-9)
    assert made.error_df == 49
    assert np.isinf(relation_of_levels(a, 2, b, 3, rows(a)).error_df)


# --- few rows, one level, one value -----------------------------------------------------------------------


def test_two_rows_and_perfect_orders_of_few_have_no_interval():
    for effect in table_of([[1, 0], [0, 1]]).two_by_two().values():
        assert np.isnan([effect.low, effect.high]).all()
    for n, sure in ((8, False), (9, False), (12, True), (40, True)):
        low, high = correlation.z_interval(np.array([1.0]), np.array([1 / np.sqrt(n - 3)]), np.array([np.inf]))
        assert ([float(low[0]), float(high[0])] == [1.0, 1.0]) == sure, n
        assert np.isnan(low[0]) != sure


def test_what_does_not_vary_has_no_form_and_a_candidate_of_one_known_level_no_number():
    r = np.random.default_rng(1)
    x = r.normal(size=400)
    for a, b in ((x, np.ones(400)), (np.ones(400), x)):
        assert relation_form(a, b, rows(x)) == "none"
    frame = pd.DataFrame({"place": np.where(np.arange(400) < 300, "hill", "mill"), "x": x})
    frame["y"] = np.where(np.arange(400) < 300, np.where(x > 0, "yes", "no"), None)
    glance = Study(frame, outcome="y").against().table.loc["place"]
    assert np.isnan(glance[["estimate", "association", "p"]].astype(float)).all()
    assert (glance["n"], glance["missing"]) == (300, 0)


def test_hedges_g_of_few_rows_has_bonetts_interval():
    # Bonett (2008), eq. 10, of 4 and 7 rows, written out
    a, b = np.array([1.2, 3.1, 2.2, 4.0]), np.array([3.3, 6.1, 2.8, 7.7, 5.0, 4.1, 6.6])
    groups = GroupedRows(np.append(a, b), np.repeat([0, 1], [4, 7]), ("a", "b"), rows(np.zeros(11)))
    va, vb = a.var(ddof=1), b.var(ddof=1)
    s = np.sqrt((va + vb) / 2)
    d = (b.mean() - a.mean()) / s
    se = np.sqrt(d**2 * (va**2 / 3 + vb**2 / 6) / (8 * s**4) + va / (s**2 * 3) + vb / (s**2 * 6))
    df = (va / 4 + vb / 7) ** 2 / ((va / 4) ** 2 / 3 + (vb / 7) ** 2 / 6)
    df_of_d = groups.effects["hedges_g"].estimate / d
    z = stats.norm.ppf(0.975)
    assert groups.effects["hedges_g"][1:] == pytest.approx((d - z * se, d + z * se), rel=1e-9)
    assert 0.8 < df_of_d < 1
    assert df > 3


# --- bins, fences, orders ---------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(SEEDS, st.integers(31, 400))
def test_the_middle_of_a_bin_is_its_median_and_fences_leave_out_so_many(seed, n):
    r = np.random.default_rng(seed)
    values = np.where(r.random(n) < 0.1, np.nan, r.gamma(1, 3, n))
    bins = rate_bins(values)
    for k, middle in enumerate(bins.ends.middle):
        assert middle == pytest.approx(np.median(values[bins.codes == k]))
    codes = r.integers(0, 2, n)
    summary = GroupedRows(values, codes, ("a", "b"), rows(values)).summary
    for g in range(2):
        low, high = summary.fences[g]
        inside = values[(codes == g) & ~np.isnan(values)]
        assert summary.outliers[g] == np.sum((inside < low) | (inside > high))


def test_other_stands_last_in_every_order():
    r = np.random.default_rng(2)
    frame = pd.DataFrame({"place": r.choice(list("abcdefgh"), 900, p=np.arange(8, 0, -1) / 36)})
    frame["y"] = np.where(r.random(900) < 0.3, "yes", "no")
    table = Study(frame, outcome="y").contingency("place", largest=4)._answers.tables[0]
    assert table.rows.other
    for order in ("count", "rate", "level"):
        assert row_order(table, order)[-1] == len(table.counts) - 1


@pytest.mark.parametrize(
    ("level", "bend"),
    [
        ([0.2, 0.5, 0.8, 0.5, 0.2], True), ([0.8, 0.4, 0.1, 0.4, 0.8], True), ([0.78, 0.79, 0.8, 0.5, 0.1], False),
        ([0.1, 0.5, 0.8, 0.79, 0.78], False), ([-0.9, -0.4, -0.1, -0.45, -0.85], True),
        ([190, 195, 200, 150, 100], False),
    ],
)  # fmt: skip
def test_a_bend_goes_down_or_up_on_both_sides(level, bend):
    assert is_one_bend(np.full(5, 40), np.array(level)) is bend


@pytest.mark.parametrize("sign", [1, -1])
def test_a_curve_is_told_at_its_ends_and_where_it_bends_and_a_step_with_the_rates_beside_it(sign):
    r = np.random.default_rng(3)
    x = r.uniform(0, 10, 1500)
    frame = pd.DataFrame({"x": x, "y": sign * (1 - np.exp(-x) + 0.05 * x) + r.normal(0, 0.1, 1500)})
    (f,) = found(frame, "curved-relation", "against", outcome="y")
    first, turn, last = f.evidence["at"]
    assert first < turn < last
    assert turn < 5
    moths = np.minimum(r.geometric(0.3, 1500) - 1, 9)
    y = r.random(1500) < np.where(moths >= 3, 0.6, 0.1)
    (f,) = found(
        pd.DataFrame({"moths": moths, "y": np.where(y, "yes", "no")}), "step-not-trend", "against", outcome="y"
    )
    assert (f.evidence["before"], f.evidence["after"]) == pytest.approx((y[moths < 3].mean(), y[moths >= 3].mean()))


def test_rows_beyond_a_gap_as_wide_as_all_others_are_those_beyond_it():
    near = np.linspace(0, 1, 95)
    for far in (np.full(5, 10.0), np.full(5, -9.0)):
        values = np.append(near, far)
        assert _beyond_a_gap(values).tolist() == (values == far[0]).tolist()
    assert _beyond_a_gap(np.append(near, np.full(5, 1.9))) is None  # 0.9 from the next, which reach over 1
    assert _beyond_a_gap(np.append(near, 2.5 + near[:30])) is None  # nearly a quarter of the rows: a group
    whole = np.repeat([0.0, 1.0, 2.0], [60, 30, 10])
    assert _beyond_a_gap(whole) is None


# --- columns in few levels --------------------------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(SEEDS)
def test_sums_in_cells_give_variances_slopes_and_shares_as_rows_do(seed):
    r = np.random.default_rng(seed)
    a, b = r.integers(0, 4, 500), r.integers(0, 3, 500)
    y = 0.7 * a * (b - 1) + r.normal(0, 1 + b, 500)
    labels = tuple("abcd")
    column = Coarse("a", a, labels, True)
    n, total, squared = (np.zeros((4, 3)) for _ in range(3))
    for table, of in ((n, np.ones(500)), (total, y), (squared, y * y)):
        np.add.at(table, (a, b), of)
    assert variance_of_each(n, total, squared) == pytest.approx([y[b == k].var() for k in range(3)], rel=1e-9)
    slope, error = slopes_of_each(np.arange(4.0), n, total, squared)
    for k in range(3):
        x, of = a[b == k].astype(float), y[b == k]
        assert slope[k] == pytest.approx(np.polyfit(x, of, 1)[0], rel=1e-9)
        # each cell's variance drawn towards that within all cells, as five rows would
        cells = [of[x == s] for s in range(4)]
        within = sum(c.var() * len(c) for c in cells) / len(of)
        away = np.arange(4) - x.mean()
        drawn = [(len(c) * c.var() + 5 * within) / (len(c) + 5) for c in cells]
        variance = sum(w**2 * len(c) * v for w, c, v in zip(away, cells, drawn, strict=True))
        freely = np.sqrt(variance) / np.sum((x - x.mean()) ** 2)
        assert error[k] == pytest.approx(max(freely, stats.linregress(x, of).stderr), rel=1e-9)
    share = sum((a == k).sum() * (y[a == k].mean() - y.mean()) ** 2 for k in range(4)) / 500 / y.var()
    assert share_of_variance(column, y) == pytest.approx(share, rel=1e-9)


def test_a_rate_in_small_cells_seems_to_go_along_nothing_no_more_often_than_chance_says():
    r = np.random.default_rng(61)
    n = r.poisson(11, (6, 40_000)).astype(float)
    total = r.binomial(n.astype(int), 0.3).astype(float)
    slope, error = slopes_of_each(np.arange(6.0), n, total, total)
    p = 2 * stats.t.sf(np.abs(slope / error), n.sum(axis=0) - 2)
    for level in (1e-2, 1e-3, 1e-4):
        assert np.mean(p < level) <= level + 3 * np.sqrt(level / p.size)


def test_near_copies_go_by_the_share_of_the_largest_phi_squared():
    same = np.diag([30.0, 30.0, 40.0])
    assert near_copies(same)
    assert near_copies(np.vstack([same, np.zeros(3)]))  # a level without rows is none
    assert not near_copies(np.full((3, 3), 11.0))
    assert not near_copies(np.array([[50.0, 50.0]]))
    for phi, alike in ((0.75, True), (0.65, False)):
        assert near_copies(np.array([[1 + phi, 1 - phi], [1 - phi, 1 + phi]]) * 25) is alike


# --- maps, preparations, dates ----------------------------------------------------------------------------


def test_triplets_agree_as_often_as_all_of_them_do():
    r = np.random.default_rng(5)
    values, at = r.normal(size=(5, 3)), r.normal(size=(5, 2))
    near = lambda space, i, j, k: np.sum((space[i] - space[j]) ** 2) < np.sum((space[i] - space[k]) ** 2)  # noqa: E731
    every = np.mean([near(values, *t) == near(at, *t) for t in permutations(range(5), 3)])
    drawn = quality._triplets(values, at, np.random.default_rng(6))
    assert abs(drawn.mean() - every) < 4 * np.sqrt(every * (1 - every) / len(drawn))
    assert 0.05 < every < 0.95


def test_groups_of_two_columns_have_no_group_where_either_is_missing():
    frame = pd.DataFrame({"a": ["p", None, "q", "p"] * 20, "b": ["u", "v", None, "v"] * 20, "x": np.arange(80.0)})
    holes = frame.assign(x=frame["x"].mask(np.arange(80) % 8 < 4))
    gone = holes["x"].isna()
    out = Preparation().then("fill", "x", by=["a", "b"]).fit(holes).transform(holes)
    for a, b in (("p", "u"), ("p", "v")):
        at = (frame["a"] == a) & (frame["b"] == b)
        assert out["x"][at & gone].unique().tolist() == [holes["x"][at].median()]
    alone = frame["a"].isna() | frame["b"].isna()  # they are in no group, and have the median of all
    assert out["x"][alone & gone].unique().tolist() == [holes["x"].median()]


def test_a_date_that_orders_the_outcome_is_a_time_and_not_too_good():
    r = np.random.default_rng(7)
    when = pd.Timestamp("2024-01-01") + pd.to_timedelta(np.arange(400), "D")
    frame = pd.DataFrame({"opened": when, "x": r.normal(size=400), "y": np.where(np.arange(400) < 200, "no", "yes")})
    frame = frame.sample(frac=1, random_state=1).reset_index(drop=True)
    assert found(frame, "too-good-to-be-true", "rank", outcome="y") == []
    days = frame.assign(opened=(frame["opened"] - when[0]).dt.days * 3.5 + 0.25)
    assert [f.columns[0] for f in found(days, "too-good-to-be-true", "rank", outcome="y")] == ["opened"]


def test_more_than_six_columns_that_say_the_same_are_counted_and_the_levels_are_blamed_where_it_vanishes():
    r = np.random.default_rng(8)
    core = r.normal(size=500)
    frame = pd.DataFrame({f"x{k}": core + 0.3 * r.normal(size=500) for k in range(8)})
    (f,) = found(frame, "say-nearly-the-same", "relations")
    assert "and 2 more say nearly the same" in f.statement
    place = np.repeat(["hill", "mill", "till"], 200)
    shift = np.repeat([0.0, 1.6, 3.2], 200)
    made = pd.DataFrame({"place": place, "u": shift + r.normal(size=600), "v": shift + r.normal(size=600)})
    (f,) = found(made, "vanishes-within", "relations")
    assert "The levels make the correlation." in f.statement
    inner = r.normal(size=600)
    made = pd.DataFrame({"place": place, "u": inner + shift, "v": inner - shift + 0.3 * r.normal(size=600)})
    told = found(made, "turns-round", "relations")
    assert told
    assert "The levels make" not in told[0].statement


# --- what a change on purpose once slipped through --------------------------------------------------------


def test_a_ratio_is_as_wide_as_its_share_of_the_variance_is_unsure():
    f, df, n, error = 6.0, (3.0, 96.0), 100, 0.09
    share = df[0] * f / (df[0] * f + df[1])  # eta squared
    half = stats.t.ppf(0.975, 20) * error
    low, high = explained_share(0.35, f, df, n, 1.0, ratio=True, confidence=0.95, error=error, error_df=20.0)
    assert (low, high) == pytest.approx(ratio_within(0.35, share, half), rel=1e-9)
    assert low < 0.2 < 0.45 < high


def test_the_odds_over_all_rows_beside_those_within_groups_are_of_the_table_of_both():
    r = np.random.default_rng(11)
    unit = np.repeat(np.arange(60), 6)
    group, side = r.integers(0, 3, 360), r.integers(0, 2, 360)
    event = (r.normal(size=60)[unit] + 0.6 * side + r.normal(size=360) > 0.5).astype(np.int64)
    sampling = Sampling.of_units(unit)
    cells = np.zeros((3, 2, 2), np.int64)
    np.add.at(cells, (group, side, event), 1)
    made = stratified_rates(cells, group * 4 + side * 2 + event, sampling)
    whole = Crossing.of(side, event, (2, 2), sampling).two_by_two()
    assert made["odds_ratio"].crude == pytest.approx(whole["odds_ratio"], rel=1e-9)
    assert made["risk_difference"].crude.estimate == pytest.approx(whole["risk_difference"].estimate, rel=1e-9)


def test_of_many_levels_a_panel_joins_the_rare_and_counts_none_that_is_missing():
    codes = np.repeat(np.arange(-1, 12), 20 - np.arange(13))
    side = Side("place", "nominal", "levels", None, codes, 12, False, tuple("abcdefghijkl"))
    of, labels = levels_of_panel(side)
    assert (of == -1).sum() == (codes == -1).sum()
    assert labels[-1] == "other"
    assert (of == len(labels) - 1).sum() == sum(20 - 1 - k for k in range(len(labels) - 1, 12))


def test_thirty_levels_are_set_against_the_largest_and_one_used_column_is_no_table():
    r = np.random.default_rng(12)
    frame = pd.DataFrame({"place": [f"p{k:02d}" for k in r.integers(0, 40, 4000)], "y": r.normal(size=4000)})
    frame["side"] = r.choice(["left", "right"], 4000)
    view = Study(frame, outcome="y").against("place", by="side")
    assert len(view.pooled) == 30
    table = Study(frame, outcome="y").contingency("place", "side")._answers.tables[0]
    assert replace(table, counts=np.array([[3, 0], [4, 0], [0, 0]]))._filled == (2, 1)


def test_copies_are_told_once_and_what_becomes_of_relations_the_surest_first():
    r = np.random.default_rng(13)
    frame = pd.DataFrame({"a": r.normal(size=300), "z": r.normal(size=300)})
    frame["b"] = frame["a"]
    assert found(frame, "same-column")
    assert found(frame, "say-nearly-the-same", "relations") == []
    n = 3000
    by = r.integers(0, 3, n)
    columns, y = [Coarse("by", by, ("l", "m", "h"), True)], 2.0 * by
    for slope, name in ((0.9, "p"), (0.5, "q"), (1.4, "s")):
        x = (by + r.normal(0, 0.8, n) > 1.2).astype(np.int64)
        y = y - slope * x
        columns.append(Coarse(name, x, ("no", "yes"), False))
    turns = turn_rounds(columns, NumericOutcome("y", y + r.normal(0, 0.5, n)), rows(y))
    sure = [abs(z_of(t.inside)) for t in turns]
    assert len(sure) > 1
    assert sure == sorted(sure, reverse=True)


def test_where_nothing_is_unsure_no_share_is_held_out_and_two_rows_have_an_interval():
    target = NumberTarget(np.zeros(200), np.zeros(200, np.int64))
    held = told_of(target)
    made = held_out([number_cells(np.arange(200.0), held)] * 2, held)
    assert len(made) == 2
    assert np.isnan([m.share for m in made]).all()
    x, y = np.array([1.0, 4.5]), np.array([2.0, 3.0, 5.0, 6.0, 7.0])
    above = np.array([np.mean(v < y) for v in x]), np.array([np.mean(x < v) for v in y])
    theta = above[0].mean()
    share = np.array([above[0].var(ddof=1) / 2, above[1].var(ddof=1) / 5])
    df = share.sum() ** 2 / (share[0] ** 2 / 1 + share[1] ** 2 / 4)
    half = stats.t.ppf(0.975, df) * np.sqrt(share.sum()) / (theta * (1 - theta))
    ends = np.log(theta / (1 - theta)) + np.array([-half, half])
    assert superiority_of(rank_pair(x, y)) == pytest.approx((theta, *(1 / (1 + np.exp(-ends)))), rel=1e-9)


@pytest.mark.parametrize(
    ("x", "y"), [([1, 2, 3], [1, 1, 2]), ([1, 1, 2, 3], [1, 2, 2, 3]), ([1, 2, 3, 4, 5], [1, 1, 2, 2, 3])]
)
def test_ties_widen_kendalls_error_as_all_orders_of_them_say(x, y):
    x, y = np.array(x, float), np.array(y, float)
    n = len(x)
    of_b = np.var([stats.kendalltau(x, p).statistic for p in permutations(y)])
    assert tied_error(x, y) == pytest.approx(np.sqrt(of_b / (2 * (2 * n + 5) / (9 * n * (n - 1)))), rel=1e-9)


def test_a_cut_is_right_on_the_mean_of_both_sides_with_the_error_of_two_shares():
    r = np.random.default_rng(21)
    x = r.normal(size=500)
    hit = x + r.normal(0, 1.2, 500) > 0.7
    made = best_cut(x, hit, rows(x))
    yes, no = hit.sum(), (~hit).sum()
    a, b = made.sensitivity, made.specificity
    half = stats.norm.ppf(0.975) * 0.5 * np.sqrt(a * (1 - a) / yes + b * (1 - b) / no)
    assert made.balanced_accuracy == pytest.approx((a + b) / 2)
    assert (made.accuracy_low, made.accuracy_high) == pytest.approx(((a + b) / 2 - half, (a + b) / 2 + half))


def test_the_chance_of_superiority_over_units_varies_as_the_sum_of_both_means():
    r = np.random.default_rng(22)
    unit = np.repeat(np.arange(40), 6)
    codes = r.integers(0, 2, 240)
    values = r.normal(size=40)[unit] + 0.5 * codes + r.normal(size=240)
    groups = GroupedRows(values, codes, ("a", "b"), Sampling.of_units(unit))
    theta, low, high = groups.effects["superiority"]
    first, second = values[codes == 0], values[codes == 1]
    assert theta == pytest.approx(np.mean([np.mean(v > first) for v in second]))
    # one unit after the other left out: the jackknife is near the variance by units
    left = []
    for u in range(40):
        keep = unit != u
        a, b = values[keep & (codes == 0)], values[keep & (codes == 1)]
        left.append(np.mean(b[:, None] > a[None, :]))
    se = np.sqrt(39 / 40 * np.sum((np.array(left) - np.mean(left)) ** 2))
    logit = lambda p: np.log(p / (1 - p))  # noqa: E731
    reach = (logit(high) - logit(low)) / 2
    assert reach == pytest.approx(stats.t.ppf(0.975, 38) * se / (theta * (1 - theta)), rel=0.1)


def test_units_are_counted_in_cells_of_known_levels():
    r = np.random.default_rng(23)
    frame = pd.DataFrame({"hive": np.repeat(np.arange(50), 4) + 100, "place": r.choice(["hill", "mill", None], 200)})
    frame["y"] = np.where(r.random(200) < 0.4, "yes", "no")
    units = Study(frame, outcome="y", unit="hive").contingency("place").tables["units"]["count"]
    wanted = frame.dropna().groupby("place")["hive"].nunique()
    assert units[["hill", "mill"]].tolist() == wanted[["hill", "mill"]].tolist()


def test_noise_of_few_rows_has_no_curve():
    told = 0
    for seed in range(25):
        r = np.random.default_rng(seed)
        frame = pd.DataFrame({"x": r.normal(size=90), "y": r.normal(size=90)})
        told += len(found(frame, "curved-relation", "against", outcome="y"))
    assert told == 0


def test_stretches_that_part_nearly_all_rows_are_another_story_and_levels_say_how_many_would_be_otherwise():
    r = np.random.default_rng(24)
    x = r.normal(size=600)
    frame = pd.DataFrame({"x": x, "y": np.where(x < -0.4, np.where(r.random(600) < 0.98, "yes", "no"), "no")})
    assert found(frame, "step-to-none", "against", outcome="y") == []
    place = r.choice(["hill", "mill", "till"], 600)
    event = (r.random(600) < 0.3) & (place != "till")
    (f,) = found(
        pd.DataFrame({"place": place, "y": np.where(event, "yes", "no")}), "step-to-none", "against", outcome="y"
    )
    assert f.evidence["expected"] == pytest.approx((place == "till").sum() * event[place != "till"].mean())


@pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")
def test_levels_and_numbers_that_were_not_there_before_are_told_only_where_they_are():
    frame = pd.DataFrame({"place": ["hill", "mill"] * 30, "x": np.linspace(0.1, 9, 60)})
    prepared = Preparation().then("relabel", "place", labels={"hill": "H", "mill": "M"}, unseen="missing").fit(frame)
    new = frame.assign(place=["hill", "till"] * 30)
    told = lambda of: [f.code for f in Study(of).prepare(prepared).findings if f.columns == ("place",)]  # noqa: E731
    assert told(frame) == []
    assert told(new) == ["unseen-levels"]
    below = frame.assign(x=-1.0)
    for outside in ("missing", "nearest"):
        power = Preparation().then("reexpress", "x", transform="log", outside=outside).fit(frame)
        assert np.isnan(power.transform(below)["x"]).all() == (outside == "missing")
    power = Preparation().then("reexpress", "x", transform="log", outside="error").fit(frame)
    with pytest.raises(EnveltError, match="log"):
        power.transform(below)


def test_groups_of_one_row_and_of_none_have_no_effect():
    for n in (0, 1):
        groups = GroupedRows(np.arange(8.0), np.repeat([0, 1], [n, 8 - n]), ("a", "b"), rows(np.zeros(8)))
        made = groups.effects.get("hedges_g")
        assert made is None or np.isnan(made).all()


def test_the_larger_change_within_levels_is_told_of_a_pair():
    r = np.random.default_rng(25)
    far = r.integers(0, 3, 900)
    near = np.where(r.random(900) < 0.06, r.integers(0, 3, 900), far)  # a copy with slips leaves a little
    u, v = (r.normal(size=900) + 1.3 * far for _ in range(2))
    numbers = [("u", u), ("v", v)]
    for order in ([("near", near, 3), ("far", far, 3)], [("far", far, 3), ("near", near, 3)]):
        assert [told.by for told in correlations_within(numbers, order, rows(u))] == ["far"]


def test_an_interval_that_holds_nothing_is_clear_on_neither_side():
    assert [_clear(Estimate(0.0, *ends), 1.0) for ends in ((1.1, 2), (0.2, 0.9), (0.5, 1.5), (1.0, 2), (0.5, 1.0))] == [
        1, -1, 0, 0, 0,
    ]  # fmt: skip


def test_what_is_told_both_ways_round_is_told_once():
    r = np.random.default_rng(26)
    n = 2400
    side, slope, mood = (r.choice(of, n) for of in (["left", "right"], ["up", "down"], ["calm", "wild", "mild"]))
    y = 1.2 * np.where(side == "left", 1, -1) * np.where(slope == "up", 1, -1)
    y = y + 1.5 * ((side == "left") & (mood == "wild")) + r.normal(size=n)
    frame = pd.DataFrame({"side": side, "slope": slope, "mood": mood, "y": y})
    told = found(frame, "turns-between-groups", "against", outcome="y")
    assert [set(f.columns) for f in told].count({"side", "slope", "y"}) == 1


def test_pairs_of_levels_over_units_are_as_sure_at_any_scale():
    r = np.random.default_rng(8)
    unit = np.repeat(np.arange(90), 3)
    level = np.array(list("abc"))[unit % 3]
    x = r.normal(size=90)[unit] + r.normal(size=270) + (level == "c")
    frame = pd.DataFrame({"u": unit, "level": level, "x": x})
    small, large = (
        Study(frame.assign(x=frame["x"] * by), outcome="x", unit="u", kinds={"x": "continuous"}).against("level").pairs
        for by in (1.0, 1000.0)
    )
    assert list(large["p"]) == pytest.approx(list(small["p"]), rel=1e-6)
    for column in ("difference", "low", "high"):
        assert list(large[column]) == pytest.approx(list(1000 * small[column]), rel=1e-6)


@pytest.mark.parametrize("gaps", [False, True])
def test_coefficients_of_more_rows_than_are_multiplied_at_a_time_are_numpys(gaps):
    r = np.random.default_rng(9)
    x = r.normal(size=(40_000, 3)) @ r.normal(size=(3, 3)) + np.linspace(0, 3, 40_000)[:, None]
    if gaps:
        x[r.random(x.shape) < 0.1] = np.nan
    frame = pd.DataFrame(x, columns=list("abc"))
    told = Study(frame).relations(method="pearson").table.to_numpy()
    assert told == pytest.approx(frame.corr().to_numpy(), rel=1e-12)


def test_strong_candidates_are_told_from_the_least_to_the_best():
    r = np.random.default_rng(10)
    y = r.integers(0, 2, 1_000)
    frame = pd.DataFrame({"y": y} | {c: np.where(r.random(1_000) < p, 1 - y, y) for c, p in
                                     (("a", 0.02), ("b", 0.05), ("c", 0.08))})  # fmt: skip
    view = Study(frame, outcome="y", kinds=dict.fromkeys("abc", "binary")).rank()
    told = [f for f in view.findings if f.code in ("strong-candidate", "too-good-to-be-true")]
    assert any(len(f.evidence) > 1 for f in told)
    for finding in told:
        shares = [of["held_out_share"] for of in finding.evidence.values()]
        assert f"{max(shares):.0%}" in finding.statement
        assert len(shares) == 1 or f"{min(shares):.0%} to" in finding.statement


def test_a_missing_day_is_in_no_bin():
    bins = calendar_rate_bins(np.array([np.nan, 0.0, 40.0, np.nan, 80.0, 400.0]))
    assert list(bins.codes[[0, 3]]) == [-1, -1]
    assert (bins.codes[[1, 2, 4, 5]] >= 0).all()


def test_a_value_to_fill_with_goes_with_a_constant_and_what_was_learned_must_rise():
    for wrong in ({"using": "median", "value": 3.0}, {"using": "constant"}):
        with pytest.raises(OptionError, match="goes with"):
            Preparation().then("fill", "x", **wrong)
    rising("x", "steps", [0.0, 0.0, 0.5], least=0)
    for falls, least in (([0.0, -0.5], 0), ([1.0, 1.0], None), ([1.0, 0.5], None)):
        with pytest.raises(PreparationError, match="must rise"):
            rising("x", "steps", falls, least)


@pytest.mark.parametrize(("after", "jumps"), [(0.58, False), (0.65, True)])
def test_a_jump_is_told_from_ten_points_on(after, jumps):
    r = np.random.default_rng(0)
    x = r.uniform(0, 10, 20_000)
    y = np.where(r.random(20_000) < np.where(x > 5, after, 0.5), "yes", "no")
    found = {f.code for f in Study(pd.DataFrame({"x": x, "y": y}), outcome="y").against("x").findings}
    assert ("step-not-trend" in found) == jumps


def test_an_operation_says_its_main_option_and_those_that_are_not_as_usual():
    said = str(Preparation().then("fill", "x").then("fill", "z", using="mean", flag=True))
    assert "fill: x; using median\n" in said
    assert "fill: z; using mean, flag" in said
    assert "by" not in said.replace("by hand", "")


# --- what changes of one sign or digit had left unseen ----------------------------------------------------


def test_what_bins_leave_of_a_line_is_the_same_over_units_of_one_row_as_over_rows():
    r = np.random.default_rng(4)
    x = r.normal(size=2_000)
    for bend in (0.0, 0.1, 0.4):
        y = 3 * x + bend * x**2 + r.normal(size=2_000)
        plain, alone = not_straight(x, y, rows(x)), not_straight(x, y, Sampling.of_units(np.arange(2_000)))
        assert alone.statistic == pytest.approx(plain.statistic, rel=0.15), bend


@given(st.lists(st.lists(st.integers(5, 60), min_size=2, max_size=2), min_size=3, max_size=7))
@settings(max_examples=40, deadline=None)
def test_what_a_line_leaves_of_chi_square_has_two_degrees_less_than_levels(counts):
    crossing = table_of(counts)
    left = stats.chi2_contingency(counts, correction=False)[0] - crossing.trend().statistic
    seen = crossing.not_on_a_line()
    if left > 1e-9:
        assert seen.p == pytest.approx(stats.chi2.sf(left, len(counts) - 2), rel=1e-6, abs=1e-12)


@given(st.lists(st.floats(-1e3, 1e3), min_size=2, max_size=30))
def test_a_variance_is_that_of_the_rows_less_one_in_whole_numbers_and_fractions(values):
    x = np.array(values)
    assert _variance(x) == pytest.approx(np.var(x, ddof=1), rel=1e-9, abs=1e-9)
    whole = x.astype(np.int64)
    assert _variance(whole) == pytest.approx(np.var(whole, ddof=1), rel=1e-12, abs=1e-9)


def test_what_is_surely_left_within_levels_has_not_vanished():
    asked = Demands(turned=0.1, least=0.05, left=0.5, vanish=0.01, only=0.01)
    crude = Relation(0.3, True)
    assert becomes(crude, Relation(0.04, True), 0.001, asked) == VANISHES
    assert becomes(crude, Relation(0.1, False), 0.001, asked) == VANISHES
    assert becomes(crude, Relation(0.1, True), 0.001, asked) is None  # surely more than the least
    assert becomes(crude, Relation(0.04, True), 0.02, asked) is None
    assert becomes(Relation(0.04, True), crude, 0.001, asked) == ONLY
    assert becomes(crude, Relation(-0.2, True), 0.9, asked) == TURNS


def test_v_of_one_row_is_nothing_and_a_group_without_spread_is_left_out_of_welchs_test():
    assert v_of_phi_squared(0.5, 1, 2, 2) == 0.0
    r = np.random.default_rng(0)
    frame = pd.DataFrame({"y": np.concatenate([r.normal(0, 1, 40), r.normal(0.4, 2, 40), np.full(40, 9.0)])})
    frame["g"] = np.repeat(["a", "b", "c"], 40)
    two = frame[frame["g"] != "c"]
    whole, part = (Study(f, outcome="y").against("g").tests for f in (frame, two))
    assert whole.loc["welch_anova", "p"] == pytest.approx(part.loc["welch_t", "p"], rel=1e-9)


def test_of_sizes_that_an_outcome_grows_with_the_nearest_is_named():
    r = np.random.default_rng(2)
    rooms = r.lognormal(3, 1, 200)
    frame = pd.DataFrame({"near": rooms * r.lognormal(0, 0.2, 200), "far": rooms * r.lognormal(0, 0.45, 200)})
    frame["cost"] = rooms * 3.7
    for order in (["near", "far", "cost"], ["far", "near", "cost"]):
        told = found(frame[order], "outcome-in-proportion", "against", outcome="cost")
        assert [f.columns for f in told] == [("near", "cost")]


def test_levels_that_tell_half_of_a_number_are_not_too_good():
    r = np.random.default_rng(1)
    frame = pd.DataFrame({"g": r.choice(list("abcd"), 400)})
    frame["y"] = frame["g"].map({"a": 0, "b": 2, "c": 4, "d": 6}) + r.normal(0, 1, 400)
    view = Study(frame, outcome="y").rank()
    assert 0.7 < view.table.loc["g", "held_out_share"] < 0.95
    assert "too-good-to-be-true" not in {f.code for f in view.findings}


def test_a_map_of_places_is_true_at_its_middle_latitude():
    r = np.random.default_rng(0)
    frame = pd.DataFrame({"lon": r.uniform(5, 15, 300), "lat": r.uniform(40, 60, 300)})
    axes = Study(frame).pairwise("lon", "lat").draw().axes[0]
    low, high = axes.get_ylim()
    assert axes.get_aspect() == pytest.approx(1 / np.cos(np.deg2rad((low + high) / 2)), rel=0.02)


def test_operations_are_numbered_from_one_and_an_outcome_of_another_length_is_refused():
    made = Preparation().then("drop", "a").then("drop", "b")
    numbers = [line.split()[0] for line in str(made).splitlines() if line.split()[1:2] == ["drop:"]]
    assert numbers == ["1", "2"]
    frame = pd.DataFrame({"x": np.arange(20.0) % 7})
    for rows_of_outcome in (19, 21):
        with pytest.raises(PreparationError, match="rows"):
            Preparation().then("encode", "x", using="rate").fit(
                frame, ["no", "yes"] * 9 + ["no"] * (rows_of_outcome - 18)
            )


def test_a_later_text_that_is_no_date_is_refused_by_name():
    days = pd.DataFrame({"day": pd.date_range("2024-01-01", periods=30), "x": np.arange(30.0) % 7})
    made = Preparation().then("parts_of_date", "day").fit(days)
    with pytest.raises(PreparationError, match=r"day.*soon"):
        made.transform(pd.DataFrame({"day": ["2024-03-01", "soon"], "x": [1.0, 2.0]}))


def test_a_difference_without_spread_has_a_size_and_no_interval():
    frame = pd.DataFrame({"x": [300.0] * 6 + [500.0] * 6, "y": ["no"] * 6 + ["yes"] * 6})
    effects = Study(frame, outcome="y", kinds={"x": "continuous"}).against("x").effects
    assert effects.loc["mean_difference", "estimate"] == pytest.approx(200)
    assert np.isnan(effects.loc["mean_difference", "low"])


@pytest.mark.parametrize(("theta", "m", "n"), [(0.6, 1, 9), (0.25, 4, 1), (0.5, 8, 8)])
def test_the_ends_of_an_interval_of_superiority_are_where_its_test_stands(theta, m, n):
    found, star, z = superiority_at_end(theta, m, n), (m + n) / 2 - 1, stats.norm.ppf(0.975)
    assert 0 < found.low < theta < found.high < 1
    for t in (found.low, found.high):
        variance = t * (1 - t) * (1 + star * ((1 - t) / (2 - t) + t / (1 + t))) / (m * n)
        assert (theta - t) ** 2 == pytest.approx(z**2 * variance, rel=1e-6)


def test_rates_by_units_are_one_wherever_they_are_shown():
    r = np.random.default_rng(4)
    unit = np.repeat(np.arange(60), 5)
    frame = pd.DataFrame({"u": unit, "term": np.array(["Jan", "Feb", "Mar"])[r.integers(0, 3, 300)]})
    frame["y"] = np.array(["calm", "rain", "snow"])[np.clip(r.integers(0, 3, 60)[unit] + r.integers(-1, 2, 300), 0, 2)]
    study = Study(frame, outcome="y", event="calm", unit="u")
    along, levels = study.series("term").table, study.against("term").rates
    for name in ("n", "rate", "low", "high"):
        assert along.loc[["Jan", "Feb", "Mar"], name].tolist() == pytest.approx(
            levels.loc[["Jan", "Feb", "Mar"], name].tolist()
        )


def test_what_turns_round_by_next_to_nothing_is_not_said_of_a_large_number_either():
    r = np.random.default_rng(1)
    n = 60_000
    g, x = r.integers(0, 2, n), r.normal(size=n)
    z = r.normal(size=n)
    for slope, says in ((0.03, False), (1.0, True)):
        y = slope * x * np.where(g == 1, 1, -1) + 0.8 * z
        frame = pd.DataFrame({"x": x, "g": np.where(g == 1, "b", "a"), "y": 7_000 * y + 50_000})
        codes = {f.code for f in Study(frame, outcome="y").against().findings}
        assert ("turns-between-groups" in codes) == says


def test_held_out_intervals_of_units_of_a_row_are_those_of_rows():
    r = np.random.default_rng(6)
    frame = pd.DataFrame({"x": r.normal(size=500), "u": np.arange(500)})
    frame["y"] = 0.6 * frame["x"] + r.normal(size=500)
    wide = [
        float(np.diff(Study(frame, outcome="y", unit=u).rank("x").table.loc["x", ["low", "high"]])[0])
        for u in ("u", None)
    ]
    assert wide[0] == pytest.approx(wide[1], rel=0.15)


def test_an_unrelated_pair_has_no_form_or_too_few_rows_for_one():
    r = np.random.default_rng(9)
    for n, form in ((400, "none"), (20, "not decided")):
        frame = pd.DataFrame({"a": r.normal(size=n), "b": r.normal(size=n)})
        assert Study(frame).relations("a", "b").pairs["form"].tolist() == [form]


def test_rows_without_a_unit_are_a_case_each():
    r = np.random.default_rng(2)
    frame = pd.DataFrame({"g": ["a", "b"] * 60, "u": [None] * 110 + list(range(10))})
    frame["y"] = np.where(r.random(120) < np.where(frame["g"] == "a", 0.9, 0.2), "yes", "no")
    rates = Preparation(outcome="y", unit="u").then("encode", "g", using="rate").fit_transform(frame)["g"]
    assert rates[:110][frame["g"][:110] == "a"].nunique() > 2  # out of fold, and they are in different ones


def test_what_leaves_no_difference_between_the_ends_is_refused():
    frame = pd.DataFrame({"x": [1e16, 1e16 + 2] * 10})
    with pytest.raises(PreparationError, match="leaves the range"):
        Preparation().then("reexpress", "x", transform="log").fit(frame)


def test_a_code_that_no_level_has_is_missing_on_the_way_back():
    frame = pd.DataFrame({"g": pd.Categorical(["low", "high"] * 10, ["low", "high"], ordered=True)})
    made = Preparation().then("encode", "g", using="ordered").fit(frame)
    column = pd.Series([0, 1, 2, -1, 0.5, np.nan, 7, -4], name=next(iter(made.transform(frame))))
    back = made.inverse(column)
    assert [None if pd.isna(v) else v for v in back] == ["low", "high", *[None] * 6]


def test_amounts_that_go_below_zero_have_no_ratio():
    r = np.random.default_rng(3)
    size = r.lognormal(3, 0.8, 900)
    frame = pd.DataFrame({"a": size * r.lognormal(0, 0.4, 900), "b": size * r.lognormal(0, 0.4, 900)})
    frame["y"] = np.log(frame["a"] / frame["b"]) + r.normal(0, 0.2, 900)

    def told(f):
        return [x.code for x in Study(f, outcome="y").against().findings if "ratio" in x.code]

    assert told(frame)
    frame.loc[:8, "b"] = -1.0
    assert not told(frame)


@pytest.mark.parametrize("sparse", [False, True])
def test_the_spread_of_units_along_one_direction_is_written_out(sparse):
    r = np.random.default_rng(7)
    wide = np.outer(r.normal(size=40) * np.repeat([1, 4], 20), r.normal(size=3))
    factor = scipy.sparse.csr_array(wide) if sparse else wide
    found = spread_of([(1.0, factor)], 1)
    away = np.sum((wide - wide.mean(axis=0)) ** 2, axis=1)
    trace = 40 / 39 * away.sum()
    uneven = np.sum((away - away.mean()) ** 2) * (40 / 39) ** 3
    assert found.length == pytest.approx(np.sum(wide.sum(axis=0) ** 2))
    assert (found.mean, found.df) == (pytest.approx(trace), 1.0)
    assert found.df_within == pytest.approx(max(min(39, 2 * trace**2 / uneven), 1))
    assert found.df_within < 39


def test_slopes_within_groups_follow_the_unit_of_measure_to_the_ends_of_floats():
    r = np.random.default_rng(4)
    group = np.repeat(np.arange(6), 30)
    x = r.normal(size=180) + group
    y = 2 * x + r.normal(size=180) - group
    plain = stratified_slope(x, y, group, Sampling.of_rows(180))
    for of_x, of_y in ((1e-120, 1.0), (1e120, 1.0), (1e-120, 1e120), (3.0, 1e-120)):
        far = stratified_slope(of_x * x, of_y * y, group, Sampling.of_rows(180))
        assert far.pooled.estimate == pytest.approx(plain.pooled.estimate * of_y / of_x, rel=1e-9)
        assert far.pooled.low == pytest.approx(plain.pooled.low * of_y / of_x, rel=1e-9)


def test_three_units_are_enough_for_a_difference_and_its_degrees_of_freedom():
    frame = pd.DataFrame({"u": np.repeat(["a", "b", "c"], 20), "g": np.tile(["no", "yes"], 30)})
    frame["y"] = np.random.default_rng(2).normal(size=60) + (frame["g"] == "yes")
    for units, told in ((3, True), (2, False)):
        kept = frame[frame["u"] < "abcd"[units]]
        row = Study(kept, outcome="y", unit="u").against("g").effects.loc["mean_difference"]
        want = kept.groupby("g")["y"].mean()
        assert abs(row["estimate"]) == pytest.approx(abs(want["yes"] - want["no"]))
        assert np.isfinite(row["low"]) == told
    factor = scipy.sparse.csr_array(np.random.default_rng(1).normal(size=(3, 2)))
    assert np.isfinite(spread_of([(1.0, factor)], 2).mean)
    assert np.isnan(spread_of([(1.0, factor[:2])], 2).mean)


@pytest.mark.parametrize(("low", "high"), [(-0.1, 0.9), (0.1, 1.1)])
def test_quantiles_to_clip_at_lie_between_0_and_1(low, high):
    with pytest.raises(OptionError, match="between 0 and 1"):
        Preparation().then("clip", "x", to="quantiles", low=low, high=high)


def test_at_which_levels_no_row_has_the_event_is_counted_on_the_event_alone():
    r = np.random.default_rng(0)
    level = np.repeat(["a", "b", "c"], [300, 300, 60])
    event = np.where(level == "c", False, r.random(660) < 0.3)
    for turned in (False, True):  # none has the event, and all have it
        frame = pd.DataFrame({"level": level, "y": np.where(event ^ turned, "yes", "no")})
        found = [f for f in Study(frame, outcome="y", event="yes").against("level").findings if "'c'" in f.statement]
        assert len(found) == 1
        assert "60 rows" in found[0].statement
        otherwise = int((frame["y"] == ("no" if turned else "yes")).sum())
        expected = 60 * otherwise / 600
        assert found[0].evidence["expected"] == pytest.approx(expected)


def test_a_pair_without_a_common_row_is_not_listed_and_the_others_are_the_strongest_first():
    r = np.random.default_rng(1)
    frame = pd.DataFrame({"a": r.normal(size=60), "b": r.normal(size=60), "c": r.normal(size=60)})
    frame.loc[:29, "a"] = np.nan
    frame.loc[30:, "b"] = np.nan
    pairs = Study(frame).relations().pairs
    assert set(zip(pairs["first"], pairs["second"], strict=True)) == {("a", "c"), ("b", "c")}
    assert pairs["coefficient"].abs().is_monotonic_decreasing


def test_of_six_columns_that_are_gone_five_are_named():
    frame = pd.DataFrame({f"c{k}": np.arange(20) * 1.5 for k in range(6)} | {"kept": np.arange(20) * 2.5})
    made = Preparation().then("rescale", *frame.columns).fit(frame)
    with pytest.raises(EnveltError) as caught:
        made.transform(frame[["kept"]])
    assert all(repr(f"c{k}") in str(caught.value) for k in range(5))
    assert "'c5'" not in str(caught.value)
