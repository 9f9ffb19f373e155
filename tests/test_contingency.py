"""Cross-tabulations: counts, shares, tests, effects, what turns round, and bad input."""

from fractions import Fraction

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.columns.coarse import coarse_of
from envelt.core.columns.outcome import Classes, ClassOutcome
from envelt.core.stats.expected import expected_are_small
from envelt.core.stats.of_rows import tables as ct
from envelt.core.stats.sampling import Sampling
from envelt.core.within.search import turn_rounds
from envelt.demo import hives, planted
from envelt.errors import EnveltError, OptionError
from samples import table_of


def rng(seed=0):
    return np.random.default_rng(seed)


def found(view):
    return {f.code for f in view.findings}


def made(n=900, seed=0):
    r = rng(seed)
    return pd.DataFrame(
        {
            "sex": r.choice(["f", "m"], n),
            "zone": r.choice(["north", "east", "south"], n, p=[0.6, 0.3, 0.1]),
            "grade": r.choice(["low", "medium", "high"], n),
            "dose": np.round(r.gamma(2, 5, n), 1),
            "when": pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 360, n), "D"),
            "yield": r.normal(10, 2, n),
            "case": r.integers(0, 300, n),
            "y": r.choice(["yes", "no"], n, p=[0.3, 0.7]),
        }
    )


def test_the_contract(wintered):
    view = wintered.contingency("altitude_band", "forage")
    frame = hives()
    want = pd.crosstab(frame["altitude_band"], frame["forage"])
    assert view.table.loc[want.index, want.columns].equals(want.rename_axis(index="altitude_band", columns="forage"))
    assert view.table.index.name == "altitude_band"
    assert list(view.tests.index) == ["chi_square", "fisher_exact", "trend"]
    assert list(view.effects.index) == ["cramers_v", "gamma", "risk_difference", "risk_ratio", "odds_ratio"]
    assert view.totals.loc["all", "count"] == 3000
    for name in ("expected", "residuals"):
        assert getattr(view, name).shape == view.table.shape
    known = frame.dropna(subset="wintered")
    rate = known["wintered"].eq("yes").groupby(known["altitude_band"]).mean()
    assert view.rates["rate"].to_dict() == pytest.approx(rate.to_dict())
    alone = wintered.contingency("forage").table
    assert alone["count"].to_dict() == frame["forage"].value_counts().to_dict()
    assert alone["share"].sum() == pytest.approx(1)


@given(st.integers(0, 2**30), st.sampled_from(["row", "column", "all"]), st.booleans())
@settings(max_examples=25, deadline=None)
def test_shares_add_up_along_their_axis_and_bins_hold_every_row(seed, of, missing):
    frame = made(200, seed)
    frame.loc[rng(seed).random(200) < 0.1, "zone"] = None
    view = Study(frame).contingency("dose", "zone", missing=missing)
    shares = view.shares(of).fillna(0.0)
    total = {"row": shares.sum(axis=1), "column": shares.sum(axis=0), "all": pd.Series(shares.to_numpy().sum())}[of]
    filled = {"row": view.table.sum(axis=1), "column": view.table.sum(axis=0), "all": pd.Series([1])}[of] > 0
    assert total.to_numpy() == pytest.approx(filled.to_numpy().astype(float))
    assert view.table.to_numpy().sum() == (200 if missing else frame["zone"].notna().sum())
    edges = [float(label.split(" ")[-1]) for label in view.table.index[:-1] if not label.endswith("up")]
    for edge, counted in zip(edges, view.table.sum(axis=1).cumsum(), strict=False):
        below = frame["dose"] < edge
        assert counted == (below if missing else below & frame["zone"].notna()).sum()


@pytest.mark.parametrize("table", [[[12, 5], [7, 20]], [[40, 11], [0, 9]], [[300, 200], [90, 110]]])
def test_two_by_two_agrees_with_scipy(table):
    t = np.array(table)
    frame = pd.DataFrame(
        [("ab"[i], "xy"[j]) for i in (0, 1) for j in (0, 1) for _ in range(t[i, j])], columns=["g", "h"]
    )
    view = Study(frame, kinds={"g": "nominal", "h": "nominal"}).contingency("g", "h")
    rows, columns = view.table.index, view.table.columns
    t = view.table.to_numpy()
    assert sorted(t.ravel()) == sorted(np.array(table).ravel())
    fisher = stats.fisher_exact(t)
    assert view.tests.loc["fisher_exact", "p"] == pytest.approx(fisher.pvalue, rel=1e-10)
    if not expected_are_small(t):
        x2 = stats.chi2_contingency(t, correction=False)
        assert view.tests.loc["chi_square"].tolist() == pytest.approx([x2.statistic, x2.pvalue], rel=1e-10)
    p = t[:, 1] / t.sum(axis=1)  # later level less earlier, of the later column
    assert view.effects.loc["risk_difference", "estimate"] == pytest.approx(p[1] - p[0], rel=1e-10)
    assert np.isfinite(view.effects.loc[["risk_difference", "odds_ratio"]].to_numpy()).all()
    assert len(rows) == len(columns) == 2


TABLES = [
    np.array([[1, 3, 10, 6], [2, 3, 10, 7], [1, 6, 14, 12], [0, 1, 9, 11]]),
    np.array([[20, 10, 5], [9, 14, 12]]),
    np.array([[7, 0, 3], [0, 0, 0], [2, 5, 4]]),
]


@pytest.mark.parametrize("table", TABLES)
def test_gamma_and_trend_agree_with_all_pairs_and_with_pearson(table):
    pairs = [(i, j) for i in range(table.shape[0]) for j in range(table.shape[1]) for _ in range(table[i, j])]
    concordant = sum((a[0] - b[0]) * (a[1] - b[1]) > 0 for k, a in enumerate(pairs) for b in pairs[:k])
    discordant = sum((a[0] - b[0]) * (a[1] - b[1]) < 0 for k, a in enumerate(pairs) for b in pairs[:k])
    gamma = table_of(table).gamma()
    assert gamma.estimate == pytest.approx(float(Fraction(concordant - discordant, concordant + discordant)), rel=1e-12)
    assert gamma.low < gamma.estimate < gamma.high
    assert table_of(table[::-1]).gamma().estimate == pytest.approx(-gamma.estimate)
    filled = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    rows = [(i, j) for i in range(filled.shape[0]) for j in range(filled.shape[1]) for _ in range(filled[i, j])]
    r = stats.pearsonr(*np.array(rows).T).statistic
    m2, p = table_of(table).trend()
    assert m2 == pytest.approx((len(rows) - 1) * r**2, rel=1e-10)
    assert p == pytest.approx(stats.chi2.sf(m2, 1), rel=1e-10)


def test_agrestis_example_of_gamma():
    # Agresti (2002), table 2.8 and section 2.4.4: C = 1331, D = 849, gamma = 0.221
    assert table_of(TABLES[0]).gamma().estimate == pytest.approx((1331 - 849) / (1331 + 849), rel=1e-12)


def test_gamma_covers_its_value_and_has_no_interval_where_pairs_all_agree():
    r = rng(3)
    p = np.array([[0.2, 0.1, 0.05], [0.1, 0.1, 0.1], [0.05, 0.1, 0.2]])
    truth = table_of((p * 1_000_000).astype(int)).gamma().estimate
    seen = [table_of(r.multinomial(150, p.ravel()).reshape(3, 3)).gamma() for _ in range(600)]
    assert np.mean([e.low <= truth <= e.high for e in seen]) == pytest.approx(0.95, abs=0.03)
    one = table_of([[5, 0], [0, 7]]).gamma()
    assert one.estimate == 1
    assert np.isnan([one.low, one.high]).all()


def test_simulated_p_values_lie_within_their_sampling_error():
    table = np.array([[3, 1, 0], [0, 4, 2], [1, 1, 5]])
    got = ct.chi_square_simulated(table, seed=1)
    a, b = (np.repeat([0, 1, 2], table.sum(axis=k)) for k in (1, 0))
    expected = np.outer(table.sum(axis=1), table.sum(axis=0)) / table.sum()
    drawn = []  # a second simulation, by shuffling rows one by one
    for k in range(3000):
        shuffled = np.bincount(3 * a + rng(k).permutation(b), minlength=9).reshape(3, 3)
        drawn.append(np.sum((shuffled - expected) ** 2 / expected))
    exact = np.mean(np.array(drawn) >= got.statistic * (1 - 1e-9))
    assert got.p == pytest.approx(exact, abs=4 * np.sqrt(exact * (1 - exact) / 3000))
    assert ct.chi_square_simulated(table, seed=1) == got


def test_combinations_cuts_calendars_and_the_largest_levels():
    frame = made()
    study = Study(frame, outcome="y")
    both = study.contingency(["sex", "zone"], "grade")
    want = pd.crosstab([frame["sex"], frame["zone"]], frame["grade"])
    assert both.table.index.names == ["sex", "zone"]
    assert both.table.loc[("f", "east"), "low"] == want.loc[("f", "east"), "low"]
    cut = study.contingency("dose", cuts=[5, 12])
    assert cut.table["count"].tolist() == [
        (frame["dose"] < 5).sum(), ((frame["dose"] >= 5) & (frame["dose"] < 12)).sum(), (frame["dose"] >= 12).sum()
    ]  # fmt: skip
    assert cut.table.index.tolist() == ["under 5", "5 to 12", "12 up"]
    quarters = study.contingency("when", "sex", calendar="quarter").table
    assert quarters.sum(axis=1).tolist() == frame.groupby(frame["when"].dt.quarter).size().tolist()
    joined = study.contingency("zone", "sex", largest=1)
    assert joined.table.index.tolist() == ["north", "other (2 levels)"]
    assert "the 1 largest levels of zone; 2 joined as other" in joined.about
    assert study.contingency("zone", order="rate").shown["table"].frame.index.tolist() == (
        study.contingency("zone").rates.sort_values("shrunken", ascending=False).index.tolist()
    )


def test_a_counted_table_gives_what_its_rows_would():
    frame = made()
    counted = frame.groupby(["sex", "zone", "y"]).size().rename("n").reset_index()
    rows = Study(frame, outcome="y").contingency("sex", "zone")
    short = Study(counted, outcome="y", kinds={"n": "discrete"}).contingency("sex", "zone", counts="n")
    for name in ("table", "rates", "tests", "effects"):
        a, b = getattr(rows, name), getattr(short, name).reindex_like(getattr(rows, name))
        assert a.to_numpy(float) == pytest.approx(b.to_numpy(float), rel=1e-12, nan_ok=True)


def test_units_stand_beside_rows_and_repeating_rows_adds_no_certainty():
    frame = made()
    frame["case"] = range(len(frame))
    twice = pd.concat([frame, frame], ignore_index=True)
    once = Study(frame, outcome="y").contingency("sex", "y")
    units = Study(twice, outcome="y", unit="case").contingency("sex", "y")
    assert (units.table == 2 * once.table).all().all()
    assert units.units.equals(once.table.rename_axis(columns=None).rename_axis(columns=units.units.columns.name))
    assert units.tests.loc["chi_square", "p"] == pytest.approx(once.tests.loc["chi_square", "p"], rel=0.01)
    got, want = (v.effects.loc["risk_difference"].tolist() for v in (units, once))
    assert got == pytest.approx(want, abs=0.005)


def test_parts_have_a_table_each_and_numeric_outcomes_have_means():
    frame = made()
    parts = Study(frame, outcome="y").contingency("sex", "y", by="zone")
    for zone in ("north", "east", "south"):
        alone = Study(frame, outcome="y").where(f"zone == '{zone}'").contingency("sex", "y")
        assert parts.table.loc[zone].to_numpy().tolist() == alone.table.to_numpy().tolist()
        got, want = parts.effects.loc[zone, "estimate"], alone.effects["estimate"]
        assert got.tolist() == pytest.approx(want.tolist(), nan_ok=True)
    means = Study(frame, outcome="yield").contingency("zone").rates
    assert means["mean"].to_dict() == pytest.approx(frame.groupby("zone")["yield"].mean().to_dict())
    shares = Study(frame, outcome="grade").contingency("zone").rates
    assert shares[[c for c in shares if c.startswith("share of")]].sum(axis=1).tolist() == pytest.approx([1, 1, 1])


def test_every_planted_finding_is_found(wintered):
    items = [i for i in planted()["planted"] if i["step"] in ("contingency", "balance") and i["finding"]]
    assert len(items) >= 10
    for item in items:
        if item["step"] == "contingency":
            assert item["finding"] in found(wintered.contingency(*item["columns"][:: len(item["columns"]) - 1])), item
    turn = next(f for f in wintered.contingency("fed", "wintered").findings if f.code == "turns-round")
    assert turn.columns == ("fed", "altitude_band", "wintered")
    assert turn.evidence["overall"][2] < 0 < turn.evidence["within"][1]
    assert "falls from 'no' to 'yes' of fed" in turn.statement
    assert "rises within the levels of altitude_band" in turn.statement
    assert "outcome-drift" in found(wintered.balance())
    assert "turns-round" not in found(wintered.contingency("forage", "wintered"))


@pytest.mark.parametrize("numeric", [False, True])
def test_turning_round_is_found_with_its_size_and_not_where_a_third_column_only_confounds(numeric):
    r = rng(21)
    n = 6000
    third = r.integers(0, 3, n)
    x = r.random(n) < np.array([0.15, 0.5, 0.85])[third]
    score = -1.2 * third + 0.5 * x
    y = score + r.normal(size=n) if numeric else np.where(r.random(n) < 1 / (1 + np.exp(-score - 1)), "yes", "no")
    frame = pd.DataFrame({"x": np.where(x, "b", "a"), "third": np.array(["k", "l", "m"])[third], "y": y})
    view = Study(frame, outcome="y").contingency("x")
    turn = next(f for f in view.findings if f.code == "turns-round")
    if numeric:
        assert turn.evidence["within"][0] == pytest.approx(0.5, abs=0.1)
        gaps = frame.groupby("x")["y"].mean()
        assert turn.evidence["overall"][0] == pytest.approx(gaps["b"] - gaps["a"])
    flat = -1.2 * third + r.normal(size=n)
    frame["y"] = flat if numeric else np.where(flat > -1, "yes", "no")
    assert "turns-round" not in found(Study(frame, outcome="y").contingency("x"))


@pytest.mark.parametrize("shift", [0.0, 3e8, -7e10])
def test_a_turn_is_found_at_any_offset_of_the_outcome(shift):
    r = rng(21)
    third = r.integers(0, 2, 3000)
    x = np.where(r.random(3000) < 0.2 + 0.6 * third, "b", "a")
    frame = pd.DataFrame({"x": x, "third": np.array(["u", "v"])[third]})
    frame["y"] = shift + 2.0 * third - 0.8 * (frame["x"] == "b") + r.normal(size=3000)
    found = [f for f in Study(frame, outcome="y").against().findings if f.code == "turns-round"]
    assert [f.columns for f in found] == [("x", "third", "y")]
    assert found[0].evidence["within"][0] == pytest.approx(-0.8, abs=0.1)


def test_tables_without_a_turn_raise_none():
    raised = 0
    for seed in range(60):
        r = rng(seed)
        base = r.normal(size=400)
        frame = pd.DataFrame({f"x{i}": base * r.normal() + r.normal(size=400) for i in range(8)})
        for i in range(4):
            frame[f"c{i}"] = np.where(base + r.normal(size=400) > r.normal(), "up", "down")
        y = base + r.normal(size=400) > 0
        columns = Study(frame).table
        outcome = ClassOutcome(Classes("y", ("no", "yes"), "yes"), y.astype(np.int32))
        made_of = [c for c in map(coarse_of, columns) if c is not None]
        # what vanishes within another does: both are the same cause, and noise
        raised += any(t.code != "vanishes-within" for t in turn_rounds(made_of, outcome, Sampling.of_rows(400)))
    assert raised <= 3


BAD = {
    "itself": (("sex", "sex"), {}, "against itself"),
    "pie": (("sex", "zone"), {"picture": "pie"}, "Angles are hard to compare"),
    "unknown picture": (("sex", "zone"), {"picture": "mozaic"}, "Did you mean 'mosaic'"),
    "shares": (("sex", "zone"), {"shares": "rows"}, "Did you mean 'row'"),
    "cuts out of order": (("dose", "sex"), {"cuts": [5, 2]}, "from low to high"),
    "fractional counts": (("sex", "zone"), {"counts": "yield"}, "whole numbers from 0 up"),
    "counts of names": (("sex", "grade"), {"counts": "zone"}, "counts must be whole numbers"),
    "by itself": (("sex", "zone"), {"by": "sex"}, "grouped by itself"),
    "no column": (("sexx",), {}, "Did you mean 'sex'"),
    "calendar of levels": (("sex", "zone"), {"calendar": "month"}, "calendar is for dates"),
    "bins of levels": (("sex", "zone"), {"width": 2}, "cut points are for numbers"),
    "no such unit": (("when", "zone"), {"calendar": "weeks"}, "Did you mean 'week'"),
    "no levels": (("zone",), {"largest": 0}, "from 1 up"),
    "too many": ((["key", "dose", "when"],), {"width": 0.1, "calendar": "day"}, "combinations; at most"),
}


@pytest.mark.parametrize("case", BAD)
def test_bad_input_says_what_to_do(case):
    words, options, message = BAD[case]
    frame = made().assign(key=lambda f: [f"k{i % 150}" for i in range(len(f))])
    with pytest.raises(EnveltError, match=message):
        Study(frame, kinds={"key": "nominal"}).contingency(*words, **options)


@pytest.mark.parametrize("cases", [(12, 0), (0, 7), (40, 25), (18, 40), (40, 40)])
def test_empty_cells_leave_every_interval_finite_and_about_its_estimate(cases):
    frame = pd.DataFrame(
        {"a": ["u"] * 40 + ["v"] * 40, "y": [v for k in cases for v in ["yes"] * k + ["no"] * (40 - k)]}
    )
    if cases == (40, 40):
        frame.loc[80] = ["u", "no"]
    study = Study(frame, outcome="y", event="yes")
    for view in (study.contingency("a", "y"), study.against("a")):
        assert any("a cell is empty" in line for line in view.about)
        for name in ("risk_difference", "risk_ratio", "odds_ratio"):
            estimate, low, high = view.effects.loc[name]
            assert np.isfinite([estimate, low, high]).all()
            assert low <= estimate <= high
            assert low < high


def test_levels_that_differ_in_the_last_digit_stay_apart():
    x = 1e9 + np.array([0.3155253, 0.3155264, 0.3155275])
    frame = pd.DataFrame({"x": np.repeat(x, 20), "g": ["a", "b"] * 30})
    table = Study(frame, kinds={"x": "continuous"}).contingency("g", "x").table
    assert table.columns.is_unique
    assert table.to_numpy().tolist() == [[10] * 3, [10] * 3]


def test_odd_tables_are_taken_as_they_are():
    frame = made()
    frame["one"] = "same"
    frame["gone"] = np.nan
    frame["key"] = [f"k{i}" for i in range(len(frame))]
    study = Study(frame, outcome="y", kinds={"one": "nominal", "key": "nominal"})
    assert np.isnan(study.contingency("one", "sex").tests["p"]).all()
    assert len(study.contingency("key", "sex").table) == 201
    with pytest.raises(OptionError, match="missing in every row"):
        study.contingency("gone", "sex")
    frame["left"] = np.where(frame["sex"] == "f", "only f", None)
    frame["right"] = np.where(frame["sex"] == "m", "only m", None)
    with pytest.raises(OptionError, match="No row has both"):
        Study(frame).contingency("left", "right")


def test_pictures_say_counts_and_shares_at_every_size():
    r = rng(30)
    n = 3000
    frame = pd.DataFrame(
        {f"l{k}": [f"a level with a long name, number {i}" for i in r.integers(0, k, n)] for k in (2, 5, 40, 400)}
    )
    frame["y"] = r.choice(["yes", "no"], n)
    study = Study(frame, outcome="y", kinds={"l400": "nominal"})
    for k, pictures in ((2, "bars shares mosaic"), (5, "auto"), (40, "stacked rates"), (400, "auto cells mosaic")):
        for picture in pictures.split():
            figure = study.contingency(f"l{k}", "l5" if k != 5 else "l2", picture=picture).draw()
            figure.canvas.draw()
            renderer = figure.canvas.get_renderer()
            for text in figure.texts + [t for a in figure.axes for t in a.texts if t.get_text()]:
                box = text.get_window_extent(renderer)
                assert box.x0 >= -1, text.get_text()
                assert box.x1 <= 1281, text.get_text()
    shares = study.contingency("l2", "y", picture="shares").draw()
    written = {t.get_text() for t in shares.axes[0].texts}
    table = study.contingency("l2", "y").table
    for i in range(2):
        for j in range(2):
            assert f"{table.iloc[i, j] / table.iloc[i].sum():.0%} ({table.iloc[i, j]:,})" in written


def test_a_table_of_the_outcome_speaks_of_its_event():
    study = Study("demo", outcome="wintered", event="no")
    view = study.contingency("fed", "wintered")
    rates = study.contingency("fed").rates["rate"]
    assert view.answer.startswith(f"wintered is no in {rates['yes']:.0%} where fed is yes and in {rates['no']:.0%}")
    difference, low, high = view.effects.loc["risk_difference"]
    assert f"{100 * abs(difference):.1f} points" in view.answer
    ends = sorted(abs(100 * v) for v in (low, high))
    assert f"({ends[0]:.1f} to {ends[1]:.1f})" in view.answer
    assert ("more often" in view.answer) == (rates["yes"] > rates["no"])
    assert study.contingency("forage", "wintered").answer.startswith("wintered is no most often where forage is")
