"""What is left of a difference within groups: against textbook formulas written out row by row, and by properties."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from envelt import Study
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.mantel_haenszel import stratified_rates
from envelt.core.stats.sampling import Sampling
from envelt.core.stats.within_groups import stratified_means, stratified_slope
from envelt.errors import OptionError

ADMISSIONS = {  # made up: one side asks for the hard places, and is let in no less often at each of them
    "open": ((600, 380), (80, 48)), "wide": ((400, 250), (30, 19)), "narrow": ((200, 60), (300, 96)),
    "hard": ((150, 21), (420, 63)),
}  # fmt: skip


def counted():
    rows = [
        (place, side, event, n)
        for place, ((n0, x0), (n1, x1)) in ADMISSIONS.items()
        for side, total, hits in (("east", n0, x0), ("west", n1, x1))
        for event, n in (("yes", hits), ("no", total - hits))
    ]
    return pd.DataFrame(rows, columns=["place", "side", "let_in", "n"])


tables = st.lists(st.lists(st.integers(1, 60), min_size=4, max_size=4), min_size=1, max_size=7).map(
    lambda rows: np.array(rows).reshape(-1, 2, 2)
)


def naive(cells):
    """Mantel–Haenszel by the published sums, one group at a time."""
    r = s = pr = psqr = qs = top = weight = 0.0
    for (d, c), (b, a) in cells.astype(float):
        n, n1, n0 = a + b + c + d, a + b, c + d
        if n == 0:
            continue
        r, s = r + a * d / n, s + b * c / n
        pr += (a + d) / n * a * d / n
        psqr += (a + d) / n * b * c / n + (b + c) / n * a * d / n
        qs += (b + c) / n * b * c / n
        top, weight = top + (a * n0 - c * n1) / n, weight + n1 * n0 / n
    variance = pr / (2 * r * r) + psqr / (2 * r * s) + qs / (2 * s * s)
    return r / s, variance, top / weight


def breslow_day(cells, odds):
    total = away = inverse = 0.0
    for (d, c), (b, a) in cells.astype(float):
        n1, n0, m = a + b, c + d, a + c
        low, high = max(0.0, m - n0), min(n1, m)
        fit = lambda x, n1=n1, n0=n0, m=m: x * (n0 - m + x) - odds * (n1 - x) * (m - x)  # noqa: E731
        expected = optimize.brentq(fit, low, high, xtol=1e-14)
        v = 1 / sum(1 / part for part in (expected, n1 - expected, m - expected, n0 - m + expected))
        total, away, inverse = total + (a - expected) ** 2 / v, away + a - expected, inverse + v
    return total - away**2 / inverse


def rates_of(cells, sampling=None):
    """Mantel and Haenszel's of counted cells, each row a case or as the sampling has it."""
    at = np.repeat(np.arange(cells.size), cells.ravel())
    return stratified_rates(cells, at, sampling or Sampling.of_rows(len(at)))


@given(tables)
@settings(deadline=None)
def test_pooled_odds_and_risks_are_the_published_sums(cells):
    out = rates_of(cells)
    odds, variance, risk = naive(cells)
    pooled = out["odds_ratio"].pooled
    assert pooled.estimate == pytest.approx(odds, rel=1e-10)
    assert np.log(pooled.high / pooled.low) / (2 * stats.norm.ppf(0.975)) == pytest.approx(variance**0.5, rel=1e-10)
    assert out["risk_difference"].pooled.estimate == pytest.approx(risk, rel=1e-9, abs=1e-13)
    if len(cells) == 1:  # one group is all rows: Woolf's interval, and nothing changes
        s = out["odds_ratio"]
        assert list(s.pooled) == pytest.approx(list(s.crude), rel=1e-9)
        assert not s.change.p < 0.999
        x, n = cells[0, :, 1], cells[0].sum(axis=1)
        if n.min() > 1 and (x > 0).all() and (x < n).all():  # HC2 of two groups is Welch's variance
            welch = sum(a / m * (1 - a / m) / (m - 1) for a, m in zip(x, n, strict=True))
            s = out["risk_difference"].pooled
            fourth = sum(m * (1 - m / n.sum()) ** 4 for m in n)
            df = min(n.sum() - 2, (n[0] * n[1] / n.sum()) ** 2 / fourth)
            assert (s.high - s.low) / 2 == pytest.approx(welch**0.5 * stats.t.ppf(0.975, df), rel=1e-9)


@given(tables.map(lambda cells: cells + 60))
@example(np.array([[[10, 400], [900, 1500]], [[12, 500], [800, 1600]], [[30, 200], [700, 500]]]))  # odds near 0
@settings(deadline=None, max_examples=30)
def test_agreement_of_odds_is_breslow_and_days_with_tarones_correction(cells):
    if len(cells) > 1:
        s = rates_of(cells)["odds_ratio"]
        want = breslow_day(cells, s.pooled.estimate)
        assert s.agreement.statistic == pytest.approx(want, rel=1e-6, abs=1e-6)
        assert s.agreement.p == pytest.approx(stats.chi2.sf(max(want, 0), len(cells) - 1), rel=1e-4, abs=1e-8)


def sides(r, n, groups):
    group, side = r.integers(0, groups, n), r.integers(0, 2, n)
    return group, side, group * 0.5 + r.normal(size=n) + 0.4 * side


def without(keep, group, *columns):
    """The least-squares slope of deviations from group means, of some rows."""
    x, y = (pd.Series(c[keep]) - pd.Series(c[keep]).groupby(group[keep]).transform("mean") for c in columns)
    return float(x @ y / (x @ x))


@pytest.mark.parametrize("seed", range(4))
def test_over_units_variances_are_the_jackknifes_which_leaves_out_a_unit(seed):
    r = np.random.default_rng(seed)
    unit = np.repeat(np.arange(25), r.integers(1, 8, 25))
    n = len(unit)
    group, side, y = sides(r, n, 5)
    x = r.normal(size=25)[unit] + r.normal(size=n)
    sampling = Sampling.of_units(unit)
    event = (y > 1).astype(int)
    at = (group * 2 + side) * 2 + event
    cells = np.bincount(at, minlength=20).reshape(5, 2, 2)
    made = stratified_rates(cells, at, sampling)
    kept = [unit != u for u in range(25)]

    def spread(values):
        return float(np.sqrt(24 / 25 * np.sum((np.array(values) - np.mean(values)) ** 2)))

    for s, seen in (
        (stratified_slope(x, y, group, sampling), [without(k, group, x, y) for k in kept]),
        (stratified_means(y, side, group, sampling), [without(k, group, side, y) for k in kept]),
        (made["risk_difference"], [without(k, group, side, event) for k in kept]),
    ):
        reach = (s.pooled.high - s.pooled.low) / 2 / spread(seen)
        assert stats.t.ppf(0.975, 24) * (1 - 1e-9) <= reach < stats.t.ppf(0.975, 8)  # of U - 1 freedoms at most
    odds = [np.log(naive(np.bincount(at[k], minlength=20).reshape(5, 2, 2))[0]) for k in kept]
    s = made["odds_ratio"].pooled
    assert np.log(s.high / s.low) / 2 == pytest.approx(spread(odds) * stats.t.ppf(0.975, 24), rel=1e-9)


def test_what_is_pooled_does_not_jump_with_a_row_and_crude_is_the_one_of_the_comparison():
    r = np.random.default_rng(2)
    group, side, y = sides(r, 400, 12)
    sampling = Sampling.of_rows(400)
    s = stratified_means(y, side, group, sampling)
    crude = GroupedRows(y, side, ("a", "b"), sampling).effects["mean_difference"]
    assert list(s.crude) == pytest.approx(list(crude), rel=1e-12)
    pooled = [stratified_means(y[:n], side[:n], group[:n], Sampling.of_rows(n)).pooled for n in range(150, 300)]
    half = np.array([p.high - p.low for p in pooled])
    assert np.abs(np.diff(half)).max() < 0.05 * half[0]
    z = r.normal(size=400) + y
    line = stratified_slope(y, z, 0 * group, sampling)
    assert line.crude.estimate == pytest.approx(stats.linregress(y, z).slope, rel=1e-12)
    far = stratified_means(y * 1e200, side, group, sampling)
    assert far.pooled.estimate == pytest.approx(1e200 * s.pooled.estimate, rel=1e-9)
    moved = stratified_slope(y + 3e8, z, group, sampling)
    assert moved.pooled.estimate == pytest.approx(stratified_slope(y, z, group, sampling).pooled.estimate, rel=1e-6)


@pytest.mark.parametrize("rows", [3, 10])
def test_pooled_slopes_hold_the_truth_in_small_groups(rows):
    held = []
    for seed in range(400):
        r = np.random.default_rng([seed, rows])
        group = np.repeat(np.arange(60), rows)
        shift = r.normal(size=60)[group]
        x = shift + r.normal(size=len(group))
        y = 0.5 * x + shift + r.normal(size=len(group))
        s = stratified_slope(x, y, group, Sampling.of_rows(len(group)))
        held.append(s.pooled.low <= 0.5 <= s.pooled.high)
    assert 0.92 <= np.mean(held) <= 0.98


@pytest.mark.parametrize("clustered", [False, True])
def test_groups_that_agree_are_seldom_said_to_disagree(clustered):
    p = []
    for seed in range(200):
        r = np.random.default_rng([seed, clustered])
        unit = np.repeat(np.arange(60), 8)
        group, side, y = sides(r, len(unit), 24)
        y = y + r.normal(size=60)[unit] * clustered
        z = 2 * y + r.normal(size=len(unit)) * (1 + group)  # groups scatter unlike
        sampling = Sampling.of_units(unit) if clustered else Sampling.of_rows(len(unit))
        seen = (stratified_means(y, side, group, sampling), stratified_slope(y, z, group, sampling))
        p.append([s.agreement.p for s in seen])
    assert (np.mean(np.array(p) < 0.05, axis=0) <= 0.095).all()
    assert (np.array(p) < 1e-4).sum() == 0


def test_intervals_hold_the_truth_and_the_change_is_by_chance_where_groups_do_not_matter():
    r = np.random.default_rng(5)
    held, moved = 0, 0
    for _ in range(600):
        group, side = r.integers(0, 5, 800), r.integers(0, 2, 800)
        event = r.random(800) < 1 / (1 + np.exp(-(group * 0.5 - 1 + 0.6 * side)))
        cells = np.bincount((group * 2 + side) * 2 + event, minlength=20).reshape(5, 2, 2)
        s = rates_of(cells)["odds_ratio"]
        held += s.pooled.low <= np.exp(0.6) <= s.pooled.high
        y = group + r.normal(size=800)
        moved += stratified_means(y, side, group, Sampling.of_rows(800)).change.p < 0.05
    assert 0.93 <= held / 600 <= 0.97
    assert 0.03 <= moved / 600 <= 0.07


@pytest.mark.parametrize("step", ["against", "contingency", "counted"])
def test_a_difference_that_vanishes_within_groups_is_said(step):
    frame = counted()
    if step == "against":
        whole = frame.loc[frame.index.repeat(frame["n"])].drop(columns="n")
        view = Study(whole, outcome="let_in").against("side", by="place")
    elif step == "counted":
        view = Study(frame, outcome="let_in", counts="n").against("side", by="place")
    else:
        view = Study(frame, outcome="let_in").contingency("side", "let_in", by="place", counts="n")
    odds = view.pooled.loc["odds_ratio"]
    assert odds["crude_high"] < 1
    assert odds["low"] < 1 < odds["high"]
    found = {f.code: f for f in view.findings}["vanishes-within"]
    assert found.columns == ("side", "place", "let_in")
    assert "4 groups of place" in found.statement


@pytest.mark.parametrize("kind", ["classes", "levels", "numbers"])
def test_numbers_that_differ_only_by_their_groups_are_said_and_clean_ones_are_not(kind):
    r = np.random.default_rng(8)
    group = r.integers(0, 3, 2_000)
    y = group + r.normal(size=2_000)
    side = r.random(2_000) < 0.2 + 0.3 * group
    x = side.astype(float) if kind != "numbers" else group + r.normal(size=2_000)
    frame = pd.DataFrame({"g": np.array(list("abc"))[group], "clean": r.normal(size=2_000)})
    frame["y"], frame["x"] = (np.where(side, "yes", "no"), y) if kind == "classes" else (y, x)
    frame["x"] = np.where(x > 0, "east", "west") if kind == "levels" else frame["x"]
    study = Study(frame, outcome="y")
    assert "vanishes-within" in {f.code for f in study.against("x", by="g").findings}
    assert not {"vanishes-within", "turns-round", "groups-disagree"} & {
        f.code for f in study.against("clean", by="g").findings
    }


def test_a_table_that_is_counted_gives_what_its_rows_would():
    frame = counted()
    whole = frame.loc[frame.index.repeat(frame["n"])].drop(columns="n").reset_index(drop=True)
    of_counts, of_rows = Study(frame, outcome="let_in", counts="n"), Study(whole, outcome="let_in")
    assert of_counts.candidates == of_rows.candidates
    for step in ("balance", "rank"):
        pd.testing.assert_frame_equal(getattr(of_counts, step)().table, getattr(of_rows, step)().table)
    pd.testing.assert_frame_equal(of_counts.against("place").table, of_rows.against("place").table)
    pd.testing.assert_frame_equal(
        of_counts.contingency("place", "side").table, of_rows.contingency("place", "side").table
    )
    assert len(of_counts.inventory().table) == 4
    assert of_counts.inventory().about[0].startswith("16 rows")
    assert "16 rows of the data, each counted n times" in of_counts.rank().about
    for bad, said in (([0] * 16, "stands for no row"), ([1e9] * 16, "more than"), ([0.5] * 16, "whole numbers")):
        with pytest.raises(OptionError, match=said):
            Study(frame.assign(n=bad), outcome="let_in", counts="n")
    with pytest.raises(OptionError, match="already"):
        of_counts.contingency("side", by="place", counts="place")


def test_counts_with_a_unit_count_units():
    r = np.random.default_rng(3)
    frame = pd.DataFrame({"who": np.arange(300) % 60, "a": r.integers(0, 2, 300), "b": r.integers(0, 2, 300)})
    frame["n"] = r.integers(0, 5, 300)
    whole = frame.loc[frame.index.repeat(frame["n"])].drop(columns="n")
    kinds = {"a": "nominal", "b": "nominal"}
    by_call = Study(frame, unit="who", kinds=kinds).contingency("a", "b", counts="n")
    rows = Study(whole, unit="who", kinds=kinds).contingency("a", "b")
    for name in ("table", "tests", "effects", "units"):
        pd.testing.assert_frame_equal(getattr(by_call, name), getattr(rows, name))


@pytest.mark.parametrize("units", [False, True])
@pytest.mark.parametrize(("of_x", "of_y"), [(1e-4, 1.0), (1e4, 1.0), (1.0, 1e-5), (1e-3, 1e3)])
def test_what_is_left_within_groups_does_not_depend_on_the_units_of_measure(units, of_x, of_y):
    r = np.random.default_rng(4)
    group = np.repeat(np.arange(12), 20)
    sampling = Sampling.of_units(np.tile(np.arange(24), 10)) if units else Sampling.of_rows(240)
    x, side = r.normal(size=240) + group % 3, r.integers(0, 2, 240)
    y = (1 + group % 4) * x + side + 3 * group + r.normal(size=240)
    first, second = stratified_slope(x, y, group, sampling), stratified_slope(of_x * x, of_y * y, group, sampling)
    means, other = stratified_means(y, side, group, sampling), stratified_means(of_y * y, side, group, sampling)
    for one, two, scale in ((first, second, of_y / of_x), (means, other, of_y)):
        assert two.agreement == pytest.approx(one.agreement, rel=1e-6)
        assert two.change == pytest.approx(one.change, rel=1e-6)
        for estimate in ("crude", "pooled"):
            assert np.array(getattr(two, estimate)) == pytest.approx(scale * np.array(getattr(one, estimate)), rel=1e-6)
        assert two.apart == pytest.approx(scale * one.apart)
    assert first.agreement.p < 1e-4


def test_two_levels_of_several_are_compared_as_if_alone():
    r = np.random.default_rng(6)
    level = r.choice(list("abcd"), 700, p=[0.2, 0.4, 0.25, 0.15])
    frame = pd.DataFrame({"level": level, "g": r.choice(list("xyz"), 700)})
    frame["y"] = frame["level"].map({"a": 9.0, "b": 0.0, "c": 1.0, "d": -1.0}) + r.normal(size=700)
    frame["won"] = np.where(r.random(700) < frame["level"].map({"a": 0.9, "b": 0.3, "c": 0.5, "d": 0.4}), "yes", "no")
    for outcome, other in (("y", "won"), ("won", "y")):
        every = Study(frame.drop(columns=other), outcome=outcome).against("level", by="g").pooled
        for name in ("c", "d"):
            two = frame[frame["level"].isin(["b", name])].drop(columns=other)
            alone = Study(two, outcome=outcome).against("level", by="g").pooled
            some = every[every["contrast"] == f"{name} against b"]
            assert len(some) == len(alone) > 0
            numbers = list(alone.select_dtypes("number").columns)
            assert some[numbers].to_numpy() == pytest.approx(alone[numbers].to_numpy(), rel=1e-9)


def test_odds_of_groups_in_which_one_side_has_only_events_are_not_pooled():
    cells = np.array([[[10, 5], [0, 8]], [[7, 3], [0, 9]]])
    made = rates_of(cells)
    assert np.isnan(made["odds_ratio"].pooled.estimate)
    assert made["risk_difference"].pooled.estimate == pytest.approx(naive_risk(cells), rel=1e-9)


def naive_risk(cells):
    """The difference of rates in each group, weighed by how many rows tell it."""
    told = [
        (x1 / (y1 + x1) - x0 / (y0 + x0), (y1 + x1) * (y0 + x0) / (x0 + y0 + x1 + y1)) for (y0, x0), (y1, x1) in cells
    ]
    return sum(d * w for d, w in told) / sum(w for _, w in told)


def panel(seed, between, within, cases=80, each=8):
    """Rows of cases whose means go together by one slope, and rows within them by another."""
    r = np.random.default_rng(seed)
    case = np.repeat(np.arange(cases), each)
    mean, inner = r.normal(size=cases)[case], r.normal(size=cases * each)
    y = between * mean + within * inner + r.normal(size=cases)[case] + r.normal(size=cases * each)
    frame = pd.DataFrame({"case_id": case + 100, "x": 2 * mean + inner, "y": y, "z": r.normal(size=cases * each)})
    return frame.sample(frac=1, random_state=seed).reset_index(drop=True)


@pytest.mark.parametrize(
    ("between", "within", "code"),
    [(3.0, -1.5, "turns-round"), (2.0, 0.0, "vanishes-within"), (-0.5, 1.2, "only-within"), (1.2, 1.0, None)],
)
@pytest.mark.parametrize("declared", [True, False])
def test_what_goes_otherwise_within_cases_is_told_with_the_correlation_of_distances_from_their_means(
    between, within, code, declared
):
    frame = panel(1, between, within)
    study = Study(frame, outcome="y", unit="case_id" if declared else None)
    told = [f for f in study.against().findings if f.columns[:2] == ("x", "case_id")]
    assert [f.code for f in told] == ([] if code is None else [code])
    for f in told:
        inner = frame[["x", "y"]] - frame.groupby("case_id")[["x", "y"]].transform("mean")
        assert f.evidence["overall"][0] == pytest.approx(frame["x"].corr(frame["y"]))
        assert f.evidence["within"][0] == pytest.approx(inner["x"].corr(inner["y"]))
        assert f.weight == ("caution" if code == "turns-round" else "note")
        assert len(f.evidence["overall"]) == (3 if declared else 1)  # tables count rows until a unit is declared
        assert [g for g in study.against("x").findings if g.columns[:2] == ("x", "case_id")] == [f]


def test_cases_tell_nothing_by_chance_nor_of_what_hardly_varies_within_them():
    codes, raised = ("turns-round", "vanishes-within", "only-within"), 0
    for seed in range(40):
        frame = panel(seed, 0.0, 0.0)
        raised += any(f.code in codes for f in Study(frame, outcome="y", unit="case_id").against().findings)
    assert raised <= 1
    frame = panel(2, 2.0, 0.0)
    frame["x"] = frame.groupby("case_id")["x"].transform("mean") + 0.01 * frame["z"]
    assert not [f for f in Study(frame, outcome="y", unit="case_id").against().findings if f.code in codes]
    gaps = panel(3, 3.0, -1.5)
    gaps.loc[gaps.index % 5 == 0, "x"] = np.nan
    gaps.loc[gaps.index % 7 == 0, "y"] = np.nan
    kept = gaps.dropna()
    kept = kept[kept.groupby("case_id")["x"].transform("size") > 1]
    (found,) = [f for f in Study(gaps, outcome="y", unit="case_id").against().findings if f.code == "turns-round"]
    inner = kept[["x", "y"]] - kept.groupby("case_id")[["x", "y"]].transform("mean")
    assert found.evidence["within"][0] == pytest.approx(inner["x"].corr(inner["y"]))
    assert found.evidence["rows"] == len(kept)
