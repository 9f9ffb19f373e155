"""Distributions: densities, bands, dips, what is found in a column and what is left alone, and bad input."""

import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from envelt import Study
from envelt.core.shapes.density import densities
from envelt.core.shapes.dip import dip_statistic, dip_test
from envelt.core.shapes.dots import dot_levels, fitted_dots
from envelt.core.shapes.qq import normal_positions, normal_qq
from envelt.core.stats.cut import best_cut
from envelt.core.stats.form import relation_form
from envelt.core.stats.group_pairs import all_pairs, holm
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.trend import least_squares, smooth_trend
from envelt.core.tallies.moments import Moments
from envelt.demo import planted
from envelt.errors import EnveltError, OptionError
from samples import rows

DESCRIBED = [
    "n", "missing", "mean", "mean_low", "mean_high", "sd", "min", "q1", "median", "q3", "max", "mode", "skewness",
    "excess_kurtosis", "outliers",
]  # fmt: skip


def rng(seed=0):
    return np.random.default_rng(seed)


def found(view):
    return {f.code for f in view.findings}


def test_the_contract_of_one_column_and_of_groups(wintered):
    view = wintered.distribution("mites", top=4)
    frame = pd.read_csv("src/envelt/demo/hives.csv")
    assert list(view.table.columns) == DESCRIBED
    assert view.table.index.tolist() == ["all"]
    counts = frame["mites"].value_counts()
    assert view.table.loc["all", "mode"] == counts.index[0]
    assert list(view.top_values.columns) == ["value", "count", "share"]
    assert view.top_values["count"].tolist() == counts.head(4).tolist()
    assert list(view.bins.columns) == ["left", "right", "count", "share"]
    assert view.bins["count"].sum() == view.table.loc["all", "n"] == 3000
    assert list(view.density.columns) == ["at", "density"]
    assert list(view.outliers.columns) == ["row", "value", "group", "side"]
    q1, q3 = frame["mites"].quantile([0.25, 0.75])
    beyond = frame.index[frame["mites"] > q3 + 1.5 * (q3 - q1)] + 1
    assert sorted(view.outliers["row"]) == beyond.tolist()
    parts = wintered.distribution("mites", by=("altitude_band", "fed"))
    want = frame.groupby(["altitude_band", "fed"])["mites"].agg(["count", "mean", "std", "median"])
    for (band, fed), row in want.iterrows():
        assert parts.table.loc[f"{band}, {fed}", ["n", "mean", "sd", "median"]].tolist() == pytest.approx(row.tolist())
    assert parts.bins.groupby("group")["count"].sum().sum() == 3000
    low, high = stats.t.interval(0.95, 2999, frame["mites"].mean(), frame["mites"].sem())
    assert view.table.loc["all", ["mean_low", "mean_high"]].tolist() == pytest.approx([low, high], rel=1e-10)


def test_several_columns_of_one_unit_stand_on_one_axis_and_others_are_refused(wintered):
    view = wintered.distribution("gain_july", "gain_august")
    assert view.table.index.tolist() == ["gain_july", "gain_august"]
    assert view.table["n"].tolist() == [wintered.distribution(c).table.loc["all", "n"] for c in view.table.index]
    labelled = Study("demo", columns={"weight_kg": {"unit": "kg"}, "humidity": {"unit": "%"}})
    with pytest.raises(OptionError, match="in kg and 'humidity' in %"):
        labelled.distribution("weight_kg", "humidity")


def test_dates_by_the_calendar_and_the_sheet_of_all(wintered):
    view = wintered.distribution("inspected_on")
    when = pd.read_csv("src/envelt/demo/hives.csv", parse_dates=["inspected_on"])["inspected_on"]
    assert view.months["count"].to_dict() == {
        **dict.fromkeys(view.months.index, 0),
        **when.dt.month_name().value_counts().to_dict(),
    }
    assert view.weekdays["count"].to_dict() == when.dt.day_name().value_counts().to_dict()
    by_week = wintered.distribution("inspected_on", calendar="week").bins
    assert (pd.DatetimeIndex(by_week["left"]).day_of_week == 0).all()
    sheet = wintered.distribution().table
    skew = sheet["skewness"].dropna().abs()
    assert skew.is_monotonic_decreasing
    assert sheet.loc["mites", "findings"].count("round-number-spikes") == 1
    assert wintered.distribution(sort="missing").table["missing"].is_monotonic_decreasing


def test_saved_tables_paste_with_sensible_digits(wintered, tmp_path):
    wintered.distribution("humidity", by="exposure").save(tmp_path / "h.md")
    wintered.distribution("humidity", by="exposure").save(tmp_path / "h.csv")
    read = pd.read_csv(tmp_path / "h.csv", index_col=0)
    assert read["mean"].to_numpy() == pytest.approx(
        wintered.distribution("humidity", by="exposure").table["mean"], rel=1e-5
    )
    assert all(len(cell) <= 9 for line in (tmp_path / "h.csv").read_text().splitlines()[1:] for cell in line.split(","))
    text = (tmp_path / "h.md").read_text()
    assert "| sheltered |" in text
    assert not any(
        len(cell.strip()) > 24 for line in text.splitlines() if line.startswith("|") for cell in line.split("|")
    )


@pytest.mark.parametrize(
    ("draw", "bounds"),
    [
        (lambda r, n: r.normal(3, 2, n), (-np.inf, np.inf)),
        (lambda r, n: r.exponential(2, n), (0, np.inf)),
        (lambda r, n: r.beta(0.9, 1.4, n), (0, 1)),
        (lambda r, n: np.round(r.gamma(2, 3, n)), (0, np.inf)),
        (lambda r, n: -r.lognormal(0, 1.5, n), (-np.inf, 0)),
    ],
)
@pytest.mark.parametrize("n", [2, 40, 3000])
def test_densities_hold_one_and_keep_to_their_bounds(draw, bounds, n):
    made = densities([np.sort(draw(rng(n), n))], bounds)
    assert np.trapezoid(made.density[0], made.at) == pytest.approx(1, abs=0.002)
    assert made.at[0] >= bounds[0]
    assert made.at[-1] <= bounds[1]
    assert (made.density >= 0).all()


def test_densities_agree_with_the_sum_of_kernels_and_hold_at_a_bound():
    r = rng(2)
    x = np.r_[r.normal(size=2000), r.normal(4, 0.3, 700)]
    made = densities([np.sort(x)])
    naive = stats.gaussian_kde(x, bw_method=made.bandwidths[0] / x.std(ddof=1))(made.at)
    assert np.abs(made.density[0] - naive).max() < 0.001 * naive.max()
    at_zero = [densities([np.sort(rng(s).exponential(size=20_000))], (0, np.inf)).density[0][0] for s in range(8)]
    assert np.mean(at_zero) == pytest.approx(1, abs=0.05)


def dip_by_linear_programs(x):
    """The largest distance to the nearest unimodal distribution, one linear program for each place of the mode."""
    n, best = len(x), 1.0
    for m in range(n):  # convex up to x_m (variables 0 … m), concave from it on (m + 1 … n), then the distance
        rows, right = [], []

        def add(coefficients, bound, rows=rows, right=right):
            row = np.zeros(n + 2)
            for k, c in coefficients:
                row[k] += c
            rows.append(row)
            right.append(bound)

        place = [*range(m), None, *range(m + 2, n + 1)]
        for i in range(n):
            for height, k in ((i / n, m if i == m else place[i]), ((i + 1) / n, m + 1 if i == m else place[i])):
                add([(k, 1), (n + 1, -1)], height)
                add([(k, -1), (n + 1, -1)], -height)
        left = list(range(m + 1))
        for side, sign, at in ((left, 1, x[: m + 1]), (list(range(m + 1, n + 1)), -1, x[m:])):
            for j in range(1, len(side) - 1):
                a, b = at[j] - at[j - 1], at[j + 1] - at[j]
                add([(side[j], sign * (1 / a + 1 / b)), (side[j - 1], -sign / a), (side[j + 1], -sign / b)], 0)
        for k in range(n):
            add([(k, 1), (k + 1, -1)], 0)
        objective = np.zeros(n + 2)
        objective[-1] = 1
        best = min(best, optimize.linprog(objective, A_ub=np.array(rows), b_ub=right, bounds=(0, 1)).fun)
    return best


@pytest.mark.parametrize("seed", range(5))
def test_the_dip_is_what_linear_programming_finds(seed):
    r = rng(seed)
    x = np.sort(r.normal(size=14) if seed % 2 else np.r_[r.normal(size=7), r.normal(4, 1, 8)])
    assert dip_statistic(x) == pytest.approx(dip_by_linear_programs(x), abs=1e-9)


@pytest.mark.parametrize("n", [20, 170, 1500])
def test_p_values_of_the_dip_are_uniform_on_uniform_data(n):
    p = np.array([dip_test(np.sort(rng(s).random(n)), 1.0)[0].p for s in range(1200)])
    for share in (0.05, 0.2, 0.5, 0.8):
        assert np.mean(p < share) == pytest.approx(share, abs=3.5 * np.sqrt(share * (1 - share) / len(p)))


@pytest.mark.parametrize("n", [50, 500])
def test_the_band_holds_95_percent_of_normal_samples_whole(n):
    whole = [normal_qq(np.sort(rng(s).normal(5, 3, n))).outside == 0 for s in range(2500)]
    assert 0.93 < np.mean(whole) < 0.97
    assert n < 500 or normal_qq(np.sort(rng().exponential(size=n))).outside > 5
    assert normal_positions(n) == pytest.approx(stats.norm.ppf((np.arange(1, n + 1) - 0.5) / n), rel=1e-10)


def test_every_planted_finding_is_found(wintered):
    items = [i for i in planted()["planted"] if i["step"] == "distribution" and i["finding"]]
    assert len(items) >= 16
    for item in items:
        how = {k: item[k] for k in ("by", "picture") if k in item}
        assert item["finding"] in found(wintered.distribution(item["columns"][0], **how)), item["what"]


CLEAN = {
    "normal": lambda r, n: r.normal(50, 8, n),
    "hundredths": lambda r, n: np.round(r.normal(5, 3, n), 2),
    "counts": lambda r, n: r.poisson(300, n),
    "gamma": lambda r, n: r.gamma(25, 2, n),  # skewness 0.4: of nine, 0.67, one sample of 50 rows in thirty has a tail
    "uniform": lambda r, n: r.uniform(10, 20, n),
    "mixture": lambda r, n: r.normal(r.choice([0, 1.2], n), 1),
}


@pytest.mark.parametrize("kind", CLEAN)
def test_clean_columns_raise_nothing_at_twenty_sizes(kind):
    for n in np.geomspace(10, 30_000, 20).astype(int):
        r = rng(n)
        frame = pd.DataFrame({"x": CLEAN[kind](r, n).astype(float), "g": r.choice(["one", "two"], n)})
        study = Study(frame, kinds={"x": "continuous"})
        assert found(study.distribution("x")) == set(), n
        assert found(study.distribution("x", by="g")) <= ({"few-rows"} if n < 40 else set()), n


def test_spikes_are_named_with_their_spacing_and_other_grids_are_not_taken_for_them(wintered):
    spikes = next(f for f in wintered.distribution("mites").findings if f.code == "round-number-spikes")
    assert spikes.evidence["spacing"] == 5
    assert "round-number-spikes" not in found(wintered.distribution("weight_lb"))  # kilograms in another unit
    tail = next(f for f in wintered.distribution("mites").findings if f.code == "long-tail")
    assert tail.evidence["side"] == "right"
    assert "long right tail" in tail.statement


def test_pairs_are_welchs_and_holms():
    r = rng(4)
    parts = [np.round(r.normal(m, s, n), 1) for m, s, n in ((0, 1, 30), (1, 2, 18), (0.2, 1, 44), (0, 1, 1))]
    codes = np.repeat(range(4), [len(p) for p in parts])
    pairs = all_pairs(GroupedRows(np.concatenate(parts), codes, ("a", "b", "c", "d"), rows(codes)))
    assert pairs.left_out == 1
    for k in range(3):
        a, b = parts[pairs.first[k]], parts[pairs.second[k]]
        t = stats.ttest_ind(b, a, equal_var=False)
        interval = t.confidence_interval()
        got = (pairs.difference[k], pairs.low[k], pairs.high[k], pairs.p[k])
        assert got == pytest.approx((b.mean() - a.mean(), interval.low, interval.high, t.pvalue), rel=1e-10)
    p = np.sort(pairs.p)  # Holm (1979): reject while p(i) ≤ α / (m − i + 1)
    assert np.sort(pairs.p_holm) == pytest.approx(np.minimum(1, np.maximum.accumulate(p * [3, 2, 1])))
    assert holm(np.array([0.01, 0.04, 0.03])) == pytest.approx([0.03, 0.06, 0.06])


@pytest.mark.parametrize(
    ("form", "f"),
    [("none", lambda x: 0 * x), ("linear", lambda x: x), ("monotone", np.exp), ("curved", lambda x: x**2)],
)
def test_forms_are_told_apart(form, f):
    told = []
    for seed in range(40):
        r = rng(seed)
        x = r.normal(size=1000)
        told.append(relation_form(x, f(x) + r.normal(size=1000), rows(x)))
    assert told.count(form) >= 38


def test_lines_agree_with_scipy_and_trends_follow_the_mean():
    r = rng(6)
    x = 1e6 + r.normal(size=4000)
    y = np.sin(2 * (x - 1e6)) + r.normal(0, 0.5, 4000)
    line, want = least_squares(x, y), stats.linregress(x - 1e6, y)
    assert (line.slope, line.r_squared) == pytest.approx((want.slope, want.rvalue**2), rel=1e-8)
    trend = smooth_trend(x, y, rows(x))
    truth = np.sin(2 * (trend.at - 1e6))
    middle = slice(20, -20)
    assert np.mean((trend.low <= truth) & (truth <= trend.high)) > 0.7
    assert np.abs(trend.mean - truth)[middle].max() < 0.25
    other = Study(pd.DataFrame({"x": x - 1e6, "y": y}), outcome="y").against("x")
    assert other.form == "curved"
    assert list(other.effects.index)[-3:] == ["pearson", "spearman", "r_squared"]
    assert other.effects.loc["r_squared", "estimate"] == pytest.approx(want.rvalue**2)


def test_the_best_cut_is_found_and_judged_on_other_rows():
    cuts = []
    for seed in range(40):
        r = rng(seed)
        x = r.normal(size=2000)
        cuts.append(best_cut(x, r.random(2000) < np.where(x > 0.5, 0.8, 0.2), rows(x)))
    assert all(c.above and c.low <= c.at <= c.high for c in cuts)
    assert np.mean([c.low <= 0.5 <= c.high or abs(c.at - 0.5) < 0.03 for c in cuts]) > 0.9
    up = 1 - stats.norm.cdf(0.5)  # the share above the cut: sensitivity and specificity follow
    sensitivity, specificity = 0.8 * up / (0.8 * up + 0.2 * (1 - up)), 0.8 * (1 - up) / (0.8 * (1 - up) + 0.2 * up)
    truth = (sensitivity + specificity) / 2
    assert np.mean([c.balanced_accuracy for c in cuts]) == pytest.approx(truth, abs=0.006)
    assert np.mean([c.accuracy_low <= truth <= c.accuracy_high for c in cuts]) > 0.85
    noise = [
        best_cut(rng(s).normal(size=300), rng(s + 99).random(300) < 0.4, rows(range(300))).balanced_accuracy
        for s in range(60)
    ]
    assert np.mean(noise) == pytest.approx(0.5, abs=0.02)  # on its own rows the best cut of noise has 0.56


@given(st.lists(st.floats(0, 900), max_size=150).map(sorted), st.sampled_from([2.0, 5.0, 9.0]))
@settings(max_examples=80, deadline=None)
def test_no_two_dots_hide_each_other(places, diameter):
    x, level = np.array(places), dot_levels(np.array(places), diameter)
    for k in set(level.tolist()):
        assert (np.diff(x[level == k]) >= diameter).all()


@given(
    st.lists(st.lists(st.integers(0, 12), max_size=400).map(sorted), min_size=1, max_size=3),
    st.sampled_from([0.0, 6.0, 40.0]),
    st.sampled_from([20.0, 90.0, 500.0]),
)
@settings(max_examples=80, deadline=None)
def test_dots_of_one_value_keep_to_its_step_and_to_the_height(groups, step, height):
    places = [np.array(g, float) * (step or 15.0) for g in groups]
    made = fitted_dots(places, height, step)
    assert sum(len(p) for p in made.places) + made.left_out == sum(len(p) for p in places)
    for before, x, level in zip(places, made.places, made.levels, strict=True):
        assert (2 * np.abs(level) + 1).max(initial=0) * made.diameter <= height + made.diameter
        for k in set(level.tolist()):
            assert (np.diff(x[level == k]) >= made.diameter - 1e-9).all()
        if not made.left_out:
            assert np.abs(x - before).max(initial=0) <= step / 2


def test_merged_moments_keep_nine_digits_far_from_zero():
    x = 1e7 + rng().normal(size=3000)
    whole, exact = Moments(), (x - 1e7).std(ddof=1)
    for part in np.array_split(x, 7):
        other = Moments()
        other.add(part)
        whole.merge(other)
    assert whole.finish().sd[0] == pytest.approx(exact, rel=1e-9)
    assert whole.finish().skewness[0] == pytest.approx(stats.skew(x - 1e7, bias=False), rel=1e-7)


@pytest.mark.parametrize("scale", [1e-300, 1e-9, 1.0, 1e9, 1e150])
def test_descriptions_hold_at_any_size(scale):
    x = np.r_[rng(1).gamma(2, 1, 200), 3.0, 3.0]
    view = Study(pd.DataFrame({"x": x * scale}), kinds={"x": "continuous"}).distribution("x")
    got = view.table.loc["all"]
    assert [got[k] / scale for k in ("mean", "sd", "q1", "median", "max", "mode")] == pytest.approx(
        [x.mean(), x.std(ddof=1), *np.quantile(x, [0.25, 0.5]), x.max(), 3.0], rel=1e-10
    )
    assert got["skewness"] == pytest.approx(stats.skew(x, bias=False), rel=1e-10)
    assert view.bins["count"].sum() == len(x)
    view.draw()


@pytest.mark.parametrize("scale", [1e-300, 1e-150, 1e150, 1e300])
def test_comparisons_do_not_depend_on_the_unit_of_measure(scale):
    r = rng(9)
    n = 240
    frame = pd.DataFrame({"x": r.normal(3, 1, n), "level": r.choice(["a", "b", "c"], n), "unit": np.arange(n) // 3})
    frame["y"] = frame["x"] + (frame["level"] == "b") + r.normal(size=n)
    frame["yes"] = np.where(frame["y"] + r.normal(size=n) > 3, "yes", "no")
    scaled = frame.assign(x=frame["x"] * scale, y=frame["y"] * scale)
    for unit in (None, "unit"):
        for outcome, candidate in (("yes", "x"), ("y", "x"), ("y", "level")):
            one, other = (Study(f, outcome=outcome, unit=unit).against(candidate) for f in (frame, scaled))
            assert other.tests["p"].to_numpy() == pytest.approx(one.tests["p"].to_numpy(), rel=1e-7, nan_ok=True)
            for name, values in one.effects.iterrows():
                per = scale if name == "mean_difference" else 1.0
                assert (other.effects.loc[name] / per).to_numpy() == pytest.approx(
                    values.to_numpy(), rel=1e-7, nan_ok=True
                )
            if outcome == "y":
                middle = "trend" if candidate == "x" else "pairs"
                column = "mean" if candidate == "x" else "difference"
                got, want = other.tables[middle][column] / scale, one.tables[middle][column]
                assert got.to_numpy() == pytest.approx(want.to_numpy(), rel=1e-6)


def test_intervals_of_means_count_units():
    r = rng(3)
    frame = pd.DataFrame({"x": r.normal(size=80), "case": range(80)})
    twice = pd.concat([frame, frame])
    once, units = Study(frame).distribution("x").table, Study(twice, unit="case").distribution("x").table
    assert units.loc["all", "n"] == 160
    ends = ["mean_low", "mean_high"]
    assert units.loc["all", ends].tolist() == pytest.approx(once.loc["all", ends].tolist(), rel=1e-10)


ODD = {
    "one row": [3.0],
    "all equal": [2.0] * 50,
    "all missing": [np.nan] * 9,
    "two values": [1.0, 4.0] * 30,
    "huge": [1e300, -1e300, 5.0, 7.0],
    "tiny": [5e-324, 1e-320, 3e-310, 0.0],
    "one far": [*np.arange(40.0), 1e9],
}


@pytest.mark.parametrize("case", ODD)
@pytest.mark.parametrize("picture", ["auto", "density", "box", "violin", "dots", "qq", "interval", "cumulative"])
def test_odd_columns_are_taken_as_they_are(case, picture):
    frame = pd.DataFrame({"x": ODD[case], "g": ["a"] + ["b"] * (len(ODD[case]) - 1)})
    frame.loc[frame["g"] == "a", "x"] = frame["x"].to_numpy()[0]
    study = Study(frame, kinds={"x": "continuous", "g": "nominal"})
    for by in ((), "g"):
        view = study.distribution("x", by=by, picture=picture)
        assert view.table["n"].sum() == frame["x"].notna().sum()
        json.dumps(view.to_dict(), allow_nan=False)
        view.picture()


def test_ten_thousand_groups_and_a_group_without_values(tmp_path):
    r = rng(5)
    frame = pd.DataFrame({"x": r.normal(size=30_000), "g": [f"place {k}" for k in r.integers(0, 10_000, 30_000)]})
    frame.loc[frame["g"] == "place 7", "x"] = np.nan
    view = Study(frame, kinds={"g": "nominal"}).distribution("x", by="g")
    assert len(view.table) == frame["g"].nunique()
    assert view.table.loc["place 7", "n"] == 0
    view.save(tmp_path / "x.png")
    assert "too many" in str(view)


BAD = {
    "width 0": ({"width": 0}, "above zero, not 0"),
    "negative width": ({"width": -2}, "above zero, not -2"),
    "a million bins": ({"width": 1e-5}, "would be 13,200,000"),
    "unknown picture": ({"picture": "boxx"}, "Did you mean 'box'"),
    "known by another name": ({"picture": "kde"}, "Did you mean 'density'"),
    "unknown option": ({"colour": "red"}, "no option 'colour'"),
    "log with zeros": ({"scale": "log"}, "use scale='log1p'"),
    "limits": ({"limits": (5, 1)}, "from low to high"),
    "bandwidth": ({"bandwidth": 0}, "above zero"),
    "itself": ({"by": "mites"}, "grouped by itself"),
    "three columns": ({"by": ("fed", "zone", "forage")}, "up to 2 columns"),
    "top": ({"top": 0}, "from 1 up"),
    "calendar of numbers": ({"calendar": "month"}, "mites is none"),
    "no such unit": ({"calendar": "weeks"}, "Did you mean 'week'"),
    "hidden numbers": ({"by": "fed", "arrange": "overlaid", "numbers": True}, "hide each other"),
    "normal over a box": ({"picture": "box", "normal": True}, "belongs to picture='histogram'"),
    "box under bars": ({"picture": "histogram", "box": True}, "belongs to picture='dots'"),
    "normal over a stack": ({"by": "fed", "arrange": "stacked", "normal": True}, "no place over stacked"),
    "residuals": ({"residuals": True}, "against with a numeric outcome"),
}


@pytest.mark.parametrize("case", BAD)
def test_bad_options_say_what_to_do(wintered, case):
    options, message = BAD[case]
    with pytest.raises(EnveltError, match=message):
        wintered.distribution("mites", **options)


def test_the_sheet_takes_no_options_of_single_pictures(wintered):
    for options in ({"by": "fed", "numbers": True}, {"picture": "box"}, {"bins": 5}):
        with pytest.raises(OptionError, match="Name a column"):
            wintered.distribution(**options)


def test_a_picture_for_numbers_is_refused_for_levels_and_log_below_zero(wintered):
    with pytest.raises(OptionError, match="use picture='bars'"):
        wintered.distribution("forage", picture="density")
    with pytest.raises(OptionError, match="use the linear scale"):
        wintered.distribution("brood_temp", scale="log1p")
    with pytest.raises(OptionError, match="one axis cannot hold both"):
        wintered.distribution("mites", "forage")


def test_against_all_candidates_and_within_parts(wintered, honey):
    glance = wintered.against()
    assert glance.table["association"].dropna().is_monotonic_decreasing
    assert glance.first == ["spring_frames", "humidity", "altitude_m"]  # humidity has no trend at all
    assert [(f.code, f.columns[0]) for f in glance.findings] == [
        ("turns-round", "fed"),
        ("bend-without-trend", "humidity"),
        ("turns-between-groups", "entrance"),
        ("only-together", "sound_b03"),  # where its neighbour is loud too
        ("step-not-trend", "spring_frames"),  # none in spring is what it means not to have wintered
        ("curved-relation", "altitude_m"),
    ]
    assert glance.findings[0] == wintered.contingency("fed").findings[0]
    for f in glance.findings[1:]:
        assert f in wintered.against(f.columns[0]).findings
    assert {f.weight for f in honey.against().findings} <= {"note"}
    for name in ("mites", "weight_kg"):
        assert glance.table.loc[name, "estimate"] == wintered.against(name).effects.loc["hedges_g", "estimate"]
    assert glance.table.loc["record", "measure"] == "none"
    assert honey.against().table.loc["frames_bees", "estimate"] == pytest.approx(
        honey.against("frames_bees").effects.loc["spearman", "estimate"]
    )
    parts = wintered.against("fed", by="altitude_band").by
    overall = wintered.against("fed").effects.loc["risk_difference", "estimate"]
    assert overall < 0 < parts["estimate"].min()  # feeding helps within every band
    low = wintered.where("altitude_band == 'low'").against("fed").effects.loc["risk_difference"]
    assert parts.loc["low", ["estimate", "low", "high"]].tolist() == pytest.approx(low.tolist())
    levels = honey.against("apiary")
    small = levels.table["n"].idxmin()
    overall = honey.balance().table.loc["honey_kg", "mean"]
    mean, drawn = levels.table.loc[small, ["mean", "shrunken_mean"]]
    assert abs(drawn - overall) < abs(mean - overall)
    assert len(levels.pairs) == 40 * 39 // 2
    assert len(levels.shown["pairs"].frame) == 20


def test_a_bin_of_a_log_scale_that_holds_two_round_numbers_is_named():
    r = np.random.default_rng(0)
    amounts = np.concatenate([r.choice([1_000, 2_000, 4_000, 5_000, 10_000], 900), r.lognormal(8.2, 0.8, 600).round()])
    study = Study({"amount": amounts}, kinds={"amount": "continuous"})
    found = [f for f in study.distribution("amount", scale="log", bins=8).findings if f.code == "bin-of-several-heaps"]
    assert found
    for f in found:
        assert f.evidence["from"] <= min(f.evidence["values"]) < max(f.evidence["values"]) < f.evidence["to"]
        assert f.evidence["rows"] == [int((amounts == v).sum()) for v in f.evidence["values"]]
    assert any(set(f.evidence["values"]) >= {4_000, 5_000} for f in found)
    plain = Study({"amount": r.lognormal(8.2, 0.8, 1500)})
    assert "bin-of-several-heaps" not in {f.code for f in plain.distribution("amount", scale="log", bins=8).findings}
    assert "bin-of-several-heaps" not in {f.code for f in study.distribution("amount").findings}


def test_the_tails_that_are_cut_make_no_bin_of_heaps():
    r = np.random.default_rng(1)
    body = r.lognormal(4.0, 0.05, 900)
    tail = np.repeat([2_000.0, 4_000.0, 5_000.0, 9_000.0], 25)  # each a heap, all beyond the last edge
    view = Study({"amount": np.concatenate([body, tail])}).distribution("amount", scale="log")
    assert view.bins["count"].iloc[-1] >= 100
    assert "bin-of-several-heaps" not in {f.code for f in view.findings}
