"""Two numbers are the same in every step that shows them, and as SciPy and plain formulas have them."""

import re

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.stats.fitted_line import fitted_line
from envelt.core.stats.sampling import Sampling
from envelt.errors import OptionError

STEPS = ("against", "pairwise", "relations")
METHODS = {"pearson": stats.pearsonr, "spearman": stats.spearmanr, "kendall": stats.kendalltau}


def shown(frame, unit=None, **options):
    """The two numbers x and y in each step."""
    study = Study(frame, outcome="y", kinds={"x": "continuous", "y": "continuous"}, unit=unit)
    return {
        "against": study.against("x", **options),
        "pairwise": study.pairwise("x", "y", **options),
        "relations": study.relations("x", "y", **options),
    }


def made(n, seed, ties=False, gaps=0):
    rng = np.random.default_rng(seed)
    x = rng.normal(30, 4, n)
    y = 0.3 * x + rng.normal(0, 3, n)
    if ties:
        x, y = np.round(x / 3), np.round(y / 2)
    frame = pd.DataFrame({"x": x, "y": y, "u": np.arange(n) // 3})
    frame.loc[rng.choice(n, gaps, replace=False), "x"] = np.nan
    return frame


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from([7, 9, 12, 40, 400]), st.integers(0, 10**6), st.booleans(), st.sampled_from([None, "u"]),
    st.sampled_from([*METHODS, "auto"]), st.sampled_from([0.8, 0.95, 0.99]),
    st.sampled_from(["two-sided", "greater", "less"]),
)  # fmt: skip
def test_three_steps_say_the_same(n, seed, ties, unit, method, confidence, alternative):
    frame = made(n, seed, ties, gaps=n // 10)
    alternative = "two-sided" if method == "auto" else alternative
    views = shown(frame, unit, method=method, confidence=confidence, alternative=alternative)
    first = views["against"]
    for step in STEPS[1:]:
        for name in ("coefficients", "line", "residuals"):
            pd.testing.assert_frame_equal(getattr(first, name), getattr(views[step], name), check_exact=True)
        assert (views[step].form, views[step].slope) == (first.form, first.slope)
        assert ("trend" in views[step].tables) == ("trend" in first.tables)
        if "trend" in first.tables:
            pd.testing.assert_frame_equal(first.trend, views[step].trend)
    if method != "auto":  # the one row that relations and pairwise show is that of the method
        for row in (views["relations"].pairs.iloc[0], views["pairwise"].table.iloc[0]):
            want = first.coefficients.loc[method]
            assert row[["n", "coefficient", "low", "high", "p"]].tolist() == pytest.approx(want.tolist(), nan_ok=True)
    assert views["relations"].answer == views["pairwise"].answer
    assert first.answer.startswith(views["relations"].answer)


@pytest.mark.parametrize("alternative", ["two-sided", "greater", "less"])
@pytest.mark.parametrize(("n", "ties"), [(6, False), (6, True), (60, False), (60, True), (900, False)])
def test_as_scipy_has_them(n, ties, alternative):
    frame = made(n, n, ties, gaps=n // 20)
    view = shown(frame, method="pearson", alternative=alternative, confidence=0.9)["relations"]
    there = frame.dropna()
    x, y = there["x"].to_numpy(), there["y"].to_numpy()
    for method, of in METHODS.items():
        row, want = view.coefficients.loc[method], of(x, y, alternative=alternative)
        assert row["n"] == len(x)
        assert row["coefficient"] == pytest.approx(want.statistic)
        if method == "pearson" or (n >= 10 and (method == "spearman" or not ties)):
            assert row["p"] == pytest.approx(want.pvalue, rel=1e-6, abs=1e-12)
        elif n < 10:  # over all orders, as a permutation test of SciPy's draws them all
            exact = stats.permutation_test(
                (x,), lambda a, of=of: of(a, y).statistic, permutation_type="pairings", n_resamples=np.inf,
                alternative=alternative,
            )  # fmt: skip
            if alternative != "two-sided" or abs(stats.skew(exact.null_distribution)) < 1e-9:
                assert row["p"] == pytest.approx(exact.pvalue)
    ends = stats.pearsonr(x, y, alternative=alternative).confidence_interval(0.9)
    assert view.coefficients.loc["pearson", ["low", "high"]].tolist() == pytest.approx([ends.low, ends.high])
    line, want = view.line, stats.linregress(x, y)
    assert line["estimate"].tolist() == pytest.approx(
        [
            want.slope,
            want.intercept,
            want.rvalue**2,
            np.sqrt(np.sum((y - want.intercept - want.slope * x) ** 2) / (len(x) - 2)),
        ]
    )
    rows = view.residuals
    assert rows["residual"].tolist() == pytest.approx((y - want.intercept - want.slope * x).tolist())
    assert rows["rank of x"].tolist() == stats.rankdata(x).tolist()
    assert rows["row"].tolist() == there.index.tolist()


def test_intervals_of_the_line_are_the_written_out_formulas():
    rng = np.random.default_rng(3)
    x = rng.lognormal(1, 0.7, 31)
    y = 5 - 2 * x + rng.normal(size=31) * x
    design = np.column_stack([np.ones(31), x])
    inverse = np.linalg.inv(design.T @ design)
    left = y - design @ (inverse @ design.T @ y)
    hat = np.einsum("ij,jk,ik->i", design, inverse, design)
    meat = design.T @ (design * (left / (1 - hat))[:, None] ** 2)
    covariance = inverse @ meat @ inverse
    found = fitted_line(x, y, Sampling.of_rows(31), 0.9)
    for at, e in ((1, found.slope), (0, found.intercept)):
        weights = (inverse @ design.T)[at] ** 2
        df = min(29, weights.sum() ** 2 / np.sum(weights**2))
        half = stats.t.ppf(0.95, df) * np.sqrt(covariance[at, at])
        assert (e.high - e.low) / 2 == pytest.approx(half)
        assert (e.high + e.low) / 2 == pytest.approx(e.estimate)
    shifted = fitted_line(x + 1e6, y * 1e-9, Sampling.of_rows(31), 0.9)
    assert shifted.slope.low == pytest.approx(found.slope.low * 1e-9, rel=1e-6)


def test_over_units_the_line_leaves_out_a_unit_at_a_time():
    rng = np.random.default_rng(5)
    unit = np.repeat(np.arange(12), [1, 2, 3, 4, 5, 6, 1, 2, 3, 4, 5, 6])
    x = rng.normal(size=12)[unit] + rng.normal(size=len(unit)) + 4
    y = x + rng.normal(size=12)[unit] + rng.normal(size=len(unit))
    found = fitted_line(x, y, Sampling.of_units(unit))
    without = np.array([np.polyfit(x[unit != u], y[unit != u], 1) for u in range(12)])
    weights = np.stack([(x - x.mean()) / np.sum((x - x.mean()) ** 2)] * 2)
    weights[1] = 1 / len(x) - x.mean() * weights[1]
    for at, e in ((0, found.slope), (1, found.intercept)):
        spread = 11 / 12 * np.sum((without[:, at] - without[:, at].mean()) ** 2)
        share = np.bincount(unit, weights=weights[at] ** 2)
        df = min(11, share.sum() ** 2 / np.sum(share**2))
        assert (e.high - e.low) / 2 == pytest.approx(stats.t.ppf(0.975, df) * np.sqrt(spread))
    two = fitted_line(x[:3], y[:3], Sampling.of_units(np.array([0, 0, 1])))
    assert np.isnan(two.slope.low)
    assert not np.isnan(two.slope.estimate)


def test_over_all_rows_the_slope_has_one_interval(honey):
    view = honey.against("weight_kg", by="apiary")
    crude = view.pooled.loc["slope", ["crude", "crude_low", "crude_high"]].tolist()
    assert view.line.loc["slope"].tolist() == pytest.approx(crude)


@pytest.mark.parametrize("step", STEPS)
def test_ranks_and_residuals_are_drawn(step):
    frame = made(60, 1)
    plain, ranks, left = (shown(frame, **o)[step] for o in ({}, {"ranks": True}, {"residuals": True}))
    for view, across, up in ((plain, "x", "y"), (ranks, "rank of x", "rank of y"), (left, "x", "y less the line")):
        axes = view.draw().axes[0]
        assert (axes.get_xlabel(), axes.get_ylabel()) == (across, up)
        drawn = np.concatenate([line.get_xydata() for line in axes.lines if line.get_linestyle() == "None"])
        rows = view.residuals
        want = {"x": rows["x"], "rank of x": rows["rank of x"], "y": rows["y"], "rank of y": rows["rank of y"],
                "y less the line": rows["residual"]}  # fmt: skip
        assert np.sort(drawn[:, 0]).tolist() == pytest.approx(sorted(want[across]))
        assert np.sort(drawn[:, 1]).tolist() == pytest.approx(sorted(want[up]))


def test_what_is_not_of_two_numbers_is_refused(wintered, honey):
    for ask in (
        lambda: wintered.against("weight_kg", confidence=0.9),
        lambda: honey.against("apiary", method="spearman"),
        lambda: honey.against("apiary", ranks=True),
        lambda: honey.against("weight_kg", alternative="greater"),
        lambda: wintered.relations("apiary", "weight_kg", residuals=True),
        lambda: wintered.relations("mites", "weight_kg", "humidity", ranks=True),
        lambda: wintered.pairwise("mites", "weight_kg", "humidity", residuals=True),
        lambda: wintered.pairwise("mites", "apiary", residuals=True),
        lambda: wintered.distribution("mites", ranks=True),
        lambda: honey.against("weight_kg", confidence=1),
        lambda: wintered.relations("mites", "weight_kg", by=["apiary", "hive_type"], ranks=True),
        lambda: wintered.relations("mites", "weight_kg", whole=True),
        lambda: wintered.relations("mites", "weight_kg", order="file"),
        lambda: wintered.pairwise("mites", "apiary", method="spearman"),
    ):
        with pytest.raises(
            OptionError, match=r"[Tt]wo numbers|two columns|has levels|one-sided|between 0|has no order|name one in by"
        ):
            ask()


def test_what_a_line_leaves_stands_along_dates_that_stay_dates(wintered):
    axes = wintered.pairwise("inspected_on", "weight_kg", residuals=True).draw().axes[0]
    assert any("20" in t.get_text() for t in axes.get_xticklabels())
    assert axes.get_ylabel() == "weight_kg less the line"


def test_one_line_at_the_command_line(run):
    status, out, err = run(
        "relations", "demo", "weight_kg", "mites", "--method", "spearman", "--alternative", "greater",
        "--confidence", "0.9",
    )  # fmt: skip
    assert (status, err) == (0, "")
    assert "one-sided p" in out
    assert "intervals of 90 %" in out
    same = run("pairwise", "demo", "weight_kg", "mites", "--method", "spearman", "--alternative", "greater",
               "--confidence", "0.9", "--outcome", "honey_kg")[1]  # fmt: skip
    assert out.splitlines()[1] == same.splitlines()[1]
    assert len(out.splitlines()) < 12


def test_of_few_rows_the_sentence_says_what_the_exact_p_does():
    frame = pd.DataFrame({"x": [2.1, 3.4, 2.9, 8.8, 4.0, 3.1], "y": [10.5, 14, 12, 30, 15, 13]})
    for turn, way in ((1, "y rises with x"), (-1, "y falls with x")):
        study = Study(frame.assign(y=turn * frame["y"]), outcome="y")
        for view in (study.against("x"), study.relations("x", "y"), study.pairwise("x", "y")):
            assert view.answer.startswith(way)
            assert "(n 6)" in view.answer
    shuffled = Study(frame.assign(y=[13.0, 10, 30, 12, 15, 14]), outcome="y")
    assert shuffled.against("x").coefficients.loc["spearman", "p"] > 0.5
    assert "do not go together more than chance makes" in shuffled.against("x").answer
    assert "cannot be told" in Study(frame.head(3), outcome="y").relations("x", "y").answer


def test_where_nothing_can_be_said_the_rows_that_would_tell_are():
    r = np.random.default_rng(8)
    frame = pd.DataFrame({"x": r.normal(size=40)})
    frame["y"] = 0.15 * frame["x"] + r.normal(size=40)
    view = Study(frame).relations("x", "y")
    n, rho, low, high = (view.coefficients.loc["spearman", k] for k in ("n", "coefficient", "low", "high"))
    assert low < 0 < high
    needed = n * ((high - low) / 2 / abs(rho)) ** 2
    said = int(re.search(r"Some ([\d,]+) rows would tell a correlation", view.answer)[1].replace(",", ""))
    assert needed <= said <= 2 * needed
    many = pd.DataFrame({"x": r.normal(size=3_000), "y": r.normal(size=3_000)})  # what is ruled out needs no rows
    assert "would tell" not in Study(many).relations("x", "y").answer
