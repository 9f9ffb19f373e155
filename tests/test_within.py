"""What is left of a difference within groups: against textbook formulas written out row by row, and by properties."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from envelt import Study
from envelt.core.stats.stratified import stratified_means, stratified_odds, stratified_slope
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
    r = s = pr = psqr = qs = top = weight = spread = 0.0
    for (d, c), (b, a) in cells.astype(float):
        n, n1, n0 = a + b + c + d, a + b, c + d
        r, s = r + a * d / n, s + b * c / n
        pr += (a + d) / n * a * d / n
        psqr += (a + d) / n * b * c / n + (b + c) / n * a * d / n
        qs += (b + c) / n * b * c / n
        top, weight = top + (a * n0 - c * n1) / n, weight + n1 * n0 / n
        spread += (a * b * n0**3 + c * d * n1**3) / (n1 * n0 * n**2)
    variance = pr / (2 * r * r) + psqr / (2 * r * s) + qs / (2 * s * s)
    return r / s, variance, top / weight, spread / weight**2


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


@given(tables)
@settings(deadline=None)
def test_pooled_odds_and_risks_are_the_published_sums(cells):
    out = stratified_odds(cells)
    odds, variance, risk, spread = naive(cells)
    pooled = out["odds_ratio"].pooled
    assert pooled.estimate == pytest.approx(odds, rel=1e-10)
    assert np.log(pooled.high / pooled.low) / (2 * stats.norm.ppf(0.975)) == pytest.approx(variance**0.5, rel=1e-10)
    pooled = out["risk_difference"].pooled
    assert pooled.estimate == pytest.approx(risk, rel=1e-10, abs=1e-14)
    assert (pooled.high - pooled.low) / (2 * stats.norm.ppf(0.975)) == pytest.approx(spread**0.5, rel=1e-10)
    if len(cells) == 1:  # one group is all rows: Woolf's interval, and nothing changes
        s = out["odds_ratio"]
        assert list(s.pooled) == pytest.approx(list(s.crude), rel=1e-9)
        assert not s.change.p < 0.999
    else:
        agreement = out["odds_ratio"].agreement.statistic
        assert agreement == pytest.approx(breslow_day(cells, odds), rel=1e-6, abs=1e-6)


@given(tables, st.integers(1, 4))
@settings(deadline=None, max_examples=40)
def test_rows_that_are_repeated_as_units_change_nothing(cells, times):
    at = np.repeat(np.arange(cells.size), cells.ravel())
    once, many = (stratified_odds(k * cells, np.tile(at, k), np.tile(np.arange(len(at)), k)) for k in (1, times))
    for effect in once:
        assert list(many[effect].pooled) == pytest.approx(list(once[effect].pooled), rel=1e-9, abs=1e-12)
        assert many[effect].change.statistic == pytest.approx(
            once[effect].change.statistic, rel=1e-7, abs=1e-6, nan_ok=True
        )


def test_intervals_hold_the_truth_and_the_change_is_by_chance_where_groups_do_not_matter():
    r = np.random.default_rng(5)
    held, moved = 0, 0
    for _ in range(600):
        group, side = r.integers(0, 5, 800), r.integers(0, 2, 800)
        event = r.random(800) < 1 / (1 + np.exp(-(group * 0.5 - 1 + 0.6 * side)))
        cells = np.bincount((group * 2 + side) * 2 + event, minlength=20).reshape(5, 2, 2)
        s = stratified_odds(cells)["odds_ratio"]
        held += s.pooled.low <= np.exp(0.6) <= s.pooled.high
        y = group + r.normal(size=800)
        moved += stratified_means(y, side, group).change.p < 0.05
    assert 0.93 <= held / 600 <= 0.97
    assert 0.03 <= moved / 600 <= 0.07


def test_means_and_slopes_are_weighted_by_inverse_variances():
    r = np.random.default_rng(2)
    group, side, x = r.integers(0, 4, 500), r.integers(0, 2, 500), r.normal(size=500)
    y = group + 0.5 * side + x * (1 + 0.1 * group) + r.normal(size=500) * (1 + group)
    difference, variance, slope, of_slope = [], [], [], []
    for k in range(4):
        a, b = y[(group == k) & (side == 0)], y[(group == k) & (side == 1)]
        difference.append(b.mean() - a.mean())
        variance.append(a.var(ddof=1) / len(a) + b.var(ddof=1) / len(b))
        line = stats.linregress(x[group == k], y[group == k])
        slope.append(line.slope)
        of_slope.append(line.stderr**2)
    for s, value, v in (
        (stratified_means(y, side, group), difference, variance), (stratified_slope(x, y, group), slope, of_slope),
    ):  # fmt: skip
        w = 1 / np.array(v)
        assert s.pooled.estimate == pytest.approx(np.sum(w * value) / w.sum(), rel=1e-10)
        q = np.sum(w * (np.array(value) - s.pooled.estimate) ** 2)
        assert s.agreement.statistic == pytest.approx(q, rel=1e-9)
        assert s.agreement.p == pytest.approx(stats.chi2.sf(q, 3), rel=1e-9)
    assert stratified_slope(x, y, 0 * group).crude.estimate == pytest.approx(stats.linregress(x, y).slope, rel=1e-12)
    s = stratified_means(y * 1e200, side, group)
    assert s.pooled.estimate == pytest.approx(1e200 * stratified_means(y, side, group).pooled.estimate, rel=1e-9)


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
