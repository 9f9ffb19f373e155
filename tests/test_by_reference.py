"""Numbers that other tests reach but do not pin: each beside a reference, or by what must hold of it."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.relations.panels import BINS, GRID, _ends
from envelt.core.stats.cut import best_cut
from envelt.core.stats.of_rows.tables import fisher_exact
from envelt.core.stats.trend import smooth_trend
from envelt.core.within.joint import slopes_of_each, z_of_slopes
from samples import found, rows


def test_a_curves_band_is_as_wide_as_the_curve_strays():
    r = np.random.default_rng(1)
    x = np.sort(r.uniform(0, 1, 300))
    drawn = [smooth_trend(x, np.sin(6 * x) + r.normal(0, 0.5, 300), rows(x)) for _ in range(150)]
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
