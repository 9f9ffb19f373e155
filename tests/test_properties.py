"""What must hold whatever the data: invariances, symmetries, round trips, and naive second implementations."""

import csv
from datetime import date, timedelta

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.columns.grades import SCALES, grade_order
from envelt.core.columns.readings import read_dates, read_numbers
from envelt.core.shapes.bins import readable_bins
from envelt.core.shapes.calendar import UNITS, calendar_bins
from envelt.core.shapes.resolution import recorded_step
from envelt.core.stats.expected import adjusted_residuals, expected_counts, without_empty
from envelt.core.stats.folds import deal, hash_blocks
from envelt.core.stats.groups import GroupedRows
from envelt.core.stats.of_rows import tables as ct
from envelt.core.stats.of_rows.proportions import odds_ratio, risk_difference, risk_ratio, wilson
from envelt.core.stats.rates import quantile_bins
from envelt.core.stats.targets import ClassTarget, NumberTarget
from envelt.views.written import RATES
from envelt.write.digits import as_text, measured, pasted, percent, places, probability, significant
from envelt.write.shown import ShownTable
from samples import rows

values = st.lists(st.integers(-40, 40).map(lambda k: k / 4), min_size=2, max_size=30)
quick = settings(max_examples=60, deadline=None)


def compared(a, b):
    return GroupedRows(np.array(a + b), np.repeat([0, 1], [len(a), len(b)]), ("rest", "event"), rows(a + b))


@given(values, values)
@quick
def test_swapping_two_groups_turns_every_difference_round(a, b):
    assume(len(set(a)) > 1 and len(set(b)) > 1)
    one, other = compared(a, b), compared(b, a)
    for name in ("mean_difference", "hedges_g"):
        e, low, high = one.effects[name]
        assert other.effects[name] == pytest.approx((-e, -high, -low), rel=1e-9, abs=1e-12)
    e, low, high = one.effects["superiority"]
    assert other.effects["superiority"] == pytest.approx((1 - e, 1 - high, 1 - low), rel=1e-6, abs=1e-7)
    for name in ("welch_t", "mann_whitney"):
        assert other.tests[name].p == pytest.approx(one.tests[name].p, rel=1e-9)


@given(values, values, st.sampled_from([1e9, -2e9, 1024.0]), st.sampled_from([0.5, 4.0]))
@quick
def test_tests_do_not_depend_on_the_unit_of_measure(a, b, offset, scale):
    assume(len(set(a)) > 1 and len(set(b)) > 1)
    plain = compared(a, b)
    moved = compared([offset + scale * v for v in a], [offset + scale * v for v in b])
    for name, test in plain.tests.items():
        assert moved.tests[name].p == pytest.approx(test.p, rel=1e-9)
    for name in ("hedges_g", "superiority", "omega_squared", "epsilon_squared"):
        assert moved.effects[name] == pytest.approx(plain.effects[name], rel=1e-7, abs=1e-9, nan_ok=True)
    assert moved.effects["mean_difference"] == pytest.approx(
        [scale * v for v in plain.effects["mean_difference"]], rel=1e-9
    )


@given(values, values)
@example([0.0, 0.0], [0.25, 0.25])  # groups that do not vary, but for rounding
@quick
def test_every_interval_holds_its_estimate(a, b):
    for name, (estimate, low, high) in compared(a, b).effects.items():
        if not np.isnan([estimate, low, high]).any() and name not in ("omega_squared", "epsilon_squared"):
            assert low - 1e-12 <= estimate <= high + 1e-12, name  # those two are bias-corrected, or not


two_by_two = st.tuples(*[st.integers(0, 60)] * 4).filter(lambda t: t[0] + t[1] > 0 and t[2] + t[3] > 0)


@given(two_by_two)
@example((0, 3, 1, 0))
@quick
def test_two_by_two_effects_agree_with_each_other(cells):
    a, b, c, d = cells  # events and rest of the first group, then of the second
    difference = risk_difference(a, a + b, c, c + d)
    assert difference.low - 1e-9 <= difference.estimate <= difference.high + 1e-9
    assert -1 <= difference.low <= difference.high <= 1
    turned = risk_difference(c, c + d, a, a + b)
    assert turned == pytest.approx((-difference.estimate, -difference.high, -difference.low), abs=1e-7)
    odds, ratio = odds_ratio(a, a + b, c, c + d), risk_ratio(a, a + b, c, c + d)
    if min(cells) > 0:
        assert np.sign(round(np.log(odds.estimate), 12)) == np.sign(round(difference.estimate, 12))
        assert np.sign(round(np.log(ratio.estimate), 12)) == np.sign(round(difference.estimate, 12))
        assert odds_ratio(c, c + d, a, a + b).estimate == pytest.approx(1 / odds.estimate)
    if 0 < a + c < sum(cells):
        assert np.isfinite(odds).all()


@given(st.integers(0, 200), st.integers(1, 200))
@quick
def test_wilson_solves_the_score_equation(events, n):
    assume(events <= n)
    rate, low, high = (float(v) for v in wilson(np.array(events), np.array(n)))
    z2 = stats.norm.ppf(0.975) ** 2
    for bound in (low, high):
        if 0 < bound < 1:
            assert (rate - bound) ** 2 == pytest.approx(z2 * bound * (1 - bound) / n, rel=1e-7)


@given(st.lists(st.lists(st.integers(0, 30), min_size=3, max_size=3), min_size=2, max_size=5))
@quick
def test_association_does_not_depend_on_the_order_of_levels(rows):
    table = np.array(rows)
    assume(min(without_empty(table).shape) >= 2)
    chi, v = ct.chi_square(table), ct.cramers_v(table)
    for other in (table[::-1], table[:, ::-1], table.T, np.vstack([table, np.zeros((1, 3), int)])):
        assert ct.chi_square(other).statistic == pytest.approx(chi.statistic)
        assert ct.cramers_v(other) == pytest.approx(v, rel=1e-6, abs=1e-9)
    residuals = adjusted_residuals(table, 1.0)
    expected = expected_counts(table)
    assert np.sum(table - expected) == pytest.approx(0, abs=1e-9)
    if table.shape == (2, 2):
        assert residuals[0, 0] ** 2 == pytest.approx(chi.statistic)


@given(st.lists(st.none() | st.integers(-20, 20).map(float), min_size=1, max_size=80), st.integers(2, 10))
@quick
def test_quantile_bins_hold_every_value_once_in_order(column, bins):
    x = np.array([np.nan if v is None else v for v in column])
    cut = quantile_bins(x, bins)
    assert (cut.codes == -1).tolist() == np.isnan(x).tolist()
    for i, (left, right) in enumerate(zip(cut.ends.left, cut.ends.right, strict=True)):
        inside = x[cut.codes == i]
        assert (inside.min(), inside.max()) == (left, right)
    assert (np.diff(cut.ends.left) > 0).all()
    assert len(cut.ends.left) <= bins


FEW_YEARS, MANY_YEARS = st.integers(0, 9_000), st.integers(-200_000, 106_000)
ASKED = st.sampled_from(UNITS)
DAYS_AND_UNITS = st.one_of(
    st.tuples(st.lists(FEW_YEARS, min_size=1, max_size=60), st.none() | ASKED),
    st.tuples(st.lists(MANY_YEARS, min_size=1, max_size=60), st.none()),
)


@given(DAYS_AND_UNITS)
@quick
def test_calendar_bins_begin_where_the_unit_does_and_hold_every_date(given_days):
    days, asked = given_days
    ordered = np.sort(np.array(days, float))
    bins, unit = calendar_bins(ordered, asked)
    assert bins.count(ordered).sum() == len(days)
    starts = pd.DatetimeIndex(bins.edges.astype("datetime64[D]").astype("datetime64[s]"))
    right = {
        "day": np.full(len(starts), True),
        "week": starts.day_of_week == 0,
        "month": starts.day == 1,
        "quarter": (starts.day == 1) & (starts.month % 3 == 1),
        "year": starts.day_of_year == 1,
        "decade": (starts.day_of_year == 1) & (starts.year % 10 == 0),
        "century": (starts.day_of_year == 1) & (starts.year % 100 == 0),
    }
    assert right[unit].all()
    assert asked or len(bins.edges) - 1 <= (202 if unit in ("year", "decade") else 42)


KINDS_OF_NUMBER = {
    "normal": lambda r, n: r.normal(r.normal(0, 50), 10 ** r.uniform(-4, 6), n),
    "whole": lambda r, n: np.round(r.gamma(1.5, 10 ** r.uniform(0, 4), n)) - r.integers(0, 50),
    "quarters": lambda r, n: r.integers(-400, 400, n) / 4,
    "tenths": lambda r, n: np.round(r.integers(0, 10 ** r.integers(1, 4), n) * 0.1, 1),
    "tail": lambda r, n: r.random(n) ** -r.uniform(0.5, 4),
    "few": lambda r, n: r.choice(r.normal(size=2), n),
}


@given(st.integers(0, 2**40), st.sampled_from(sorted(KINDS_OF_NUMBER)))
@example(47789, "whole")  # a table of which all values happen to be multiples of three
@settings(max_examples=200, deadline=None)
def test_bins_of_fifty_tables_each_hold_every_value_once_between_round_edges(seed, kind):
    r = np.random.default_rng(seed)
    for n in r.integers(1, 300, 50):
        check_bins(np.sort(KINDS_OF_NUMBER[kind](r, n)))


def is_round(width):
    return float(f"{width / 10.0 ** np.floor(np.log10(width)):.6g}") in (1, 2, 2.5, 5, 10)


def check_bins(ordered):
    bins = readable_bins(ordered)
    edges, counts = bins.all_edges, bins.count_all(ordered)
    assert counts.sum() == len(ordered)
    assert len(counts) <= 60
    naive = ((ordered[:, None] >= edges[:-1]) & (ordered[:, None] < edges[1:])).sum(axis=0)
    naive[-1] += np.sum(ordered == edges[-1])
    body_end = int(bins.below > 0) + len(bins.edges) - 2
    if bins.above:  # the last bin of the body is closed on both sides too
        at_end = np.sum(ordered == bins.edges[-1])
        naive[body_end] += at_end
        naive[body_end + 1] -= at_end
    assert (counts == naive).all()
    if ordered[0] == ordered[-1]:
        return
    width = float(f"{np.median(np.diff(bins.edges)):.6g}")  # what subtraction loses far from zero is put back
    step = recorded_step(ordered)  # of dozens, or by chance of threes, so many of these are as round
    assert is_round(width) or (step and not is_round(step) and is_round(width / step))
    whole = bool((ordered == np.floor(ordered)).all())
    if whole:
        assert width == int(width)
        assert (np.mod(edges, 1) == 0.5).all()
        return
    shifted = edges / width
    steps = recorded_step(ordered)
    centred = steps > 0 and width < 1.5 * steps
    assert np.abs(shifted + 0.5 * centred - np.rint(shifted + 0.5 * centred)).max() < 1e-6


@pytest.mark.parametrize("numeric", [False, True])
def test_held_out_share_depends_only_on_what_a_column_says(numeric):
    r = np.random.default_rng(8)
    x = np.round(r.normal(size=900), 2)
    y = x + r.normal(size=900) if numeric else np.where(r.random(900) < 1 / (1 + np.exp(-x)), "yes", "no")
    levels = r.choice(["oak", "elm", "ash"], 900)
    frame = pd.DataFrame({"x": x, "scaled": 12 - 3 * x, "levels": levels, "y": y})
    frame["renamed"] = frame["levels"].map({"oak": "a", "elm": "b", "ash": "c"})
    table = Study(frame, outcome="y").rank().table
    assert table.loc["renamed", "held_out_share"] == pytest.approx(table.loc["levels", "held_out_share"])
    # turned round, a value equal to an edge falls on its other side: close, not equal
    assert table.loc["scaled", "held_out_share"] == pytest.approx(table.loc["x", "held_out_share"], abs=0.01)
    assert table.loc["scaled", "p"] == pytest.approx(table.loc["x", "p"], rel=0.2)


def test_rank_p_values_are_scipys_where_nothing_is_missing():
    r = np.random.default_rng(3)
    n = 500
    x = r.normal(size=n).round(1)
    classes = np.where(r.random(n) < 1 / (1 + np.exp(-0.3 * x)), "yes", "no")
    number = r.normal(size=n) + 0.1 * x
    levels = r.choice(["a", "b", "c"], n)
    by_class = Study(pd.DataFrame({"x": x, "levels": levels, "y": classes}), outcome="y").rank().table["p"]
    edges = np.unique(np.quantile(x, np.arange(1, 20) / 20))
    binned = pd.crosstab(np.searchsorted(edges, x, "right"), classes).to_numpy()
    trend = stats.mannwhitneyu(x[classes == "yes"], x[classes == "no"], method="asymptotic").pvalue
    over_bins = stats.chi2_contingency(binned, correction=False).pvalue
    assert by_class["x"] == pytest.approx(min(1, 2 * min(trend, over_bins)), rel=1e-9)
    want = stats.chi2_contingency(pd.crosstab(levels, classes), correction=False).pvalue
    assert by_class["levels"] == pytest.approx(want, rel=1e-9)
    by_number = Study(pd.DataFrame({"x": x, "levels": levels, "y": number}), outcome="y").rank().table["p"]
    groups = [number[np.searchsorted(edges, x, "right") == b] for b in range(len(edges) + 1)]
    over_bins = stats.kruskal(*[g for g in groups if len(g)]).pvalue
    trend = stats.spearmanr(x, number).pvalue
    assert by_number["x"] == pytest.approx(min(1, 2 * min(trend, over_bins)), rel=1e-9)
    assert by_number["levels"] == pytest.approx(stats.kruskal(*[number[levels == k] for k in "abc"]).pvalue, rel=1e-9)


@given(st.lists(st.integers(0, 3), min_size=60, max_size=300), st.integers(0, 50))
@quick
def test_folds_give_every_class_its_share(classes, seed):
    codes = np.array(classes)
    target = ClassTarget(codes, 4)
    folds = deal(hash_blocks(np.arange(len(codes)), seed), target.load, seed)
    for fold_of_block in folds.fold_of_block:
        assert np.bincount(fold_of_block, minlength=5).tolist() == [10] * 5
        rare = np.bincount(fold_of_block[folds.blocks], weights=target.load, minlength=5)
        # a run of five neighbouring blocks is spread over the five folds, so totals differ by one block at most
        largest = np.bincount(folds.blocks, weights=target.load, minlength=50).max()
        assert rare.max() - rare.min() <= largest + 1e-9


def test_power_sums_of_a_numeric_outcome_give_its_losses():
    y = np.random.default_rng(0).gamma(2, size=300)
    target = NumberTarget.of(y)
    cell = np.arange(300) % 4
    sums = target.sums(cell, 4)
    rates = np.array([[0.1], [-0.4], [0.0], [2.0]])
    assert target.loss(sums, rates) == pytest.approx(np.sum((target.values - rates[cell, 0]) ** 2))
    gain = target.gain(rates, np.array([0.2]), np.array(0.3), np.array(0.9))
    z = (0.7 * (target.values - 0.2) ** 2 - (target.values - rates[cell, 0]) ** 2) / 0.9
    assert target.gain_of_rows(gain, cell) == pytest.approx(z)
    assert [float(v) for v in target.gain_moments(sums, gain)] == pytest.approx([z.sum(), np.sum(z**2)])


numbers = st.lists(st.integers(-10_000_000, 10_000_000).map(lambda k: k / 100), min_size=3, max_size=12)
STYLES = {
    "plain": "{:.2f}".format,
    "thousands": "{:,.2f}".format,
    "decimal comma": lambda v: f"{v:,.2f}".translate(str.maketrans(",.", ".,")),
    "spaces": lambda v: f"{v:,.2f}".replace(",", " "),
    "currency": lambda v: f"€ {v:,.2f}",
    "percent": "{:.2f} %".format,
    "brackets": lambda v: f"({-v:.2f})" if v < 0 else f"{v:.2f}",
}


@given(numbers, st.sampled_from(sorted(STYLES)))
@quick
def test_numbers_written_in_any_style_are_read_back(column, style):
    reading = read_numbers([STYLES[style](v) for v in column])
    assert reading is not None
    assert reading.values == pytest.approx(column)


FORMS = ["%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d %b %Y", "%B %d, %Y", "%Y/%m/%d", "%d-%b-%Y", "%d-%m-%Y"]


@given(st.lists(st.integers(0, 15_000), min_size=2, max_size=12), st.sampled_from(FORMS))
@quick
def test_dates_written_in_any_form_are_read_back_or_said_to_be_unsure(days, form):
    dates = [date(1990, 1, 1) + timedelta(days=d) for d in [*days, 24, 10_000]]  # 25 January: the day shows
    reading = read_dates([d.strftime(form) for d in dates])
    assert reading is not None
    assert not reading.ambiguous
    assert (reading.values // 86_400_000_000 + date(1970, 1, 1).toordinal()).tolist() == [d.toordinal() for d in dates]


def test_grades_are_ordered_whatever_their_case_and_what_is_no_scale_is_left_alone():
    for scale in SCALES:
        shuffled = [g.upper() for g in sorted(scale)]
        if len(scale) >= 3:
            ordered = [g.casefold() for g in grade_order(shuffled)]
            assert sorted(ordered) == sorted(scale)
    assert grade_order(["(20,Inf]", "[0, 10)", "(10,20]"]) == ("[0, 10)", "(10,20]", "(20,Inf]")
    assert grade_order(["(1e+03,2e+03]", "(-3.5,0]", "(0,1e+03]"])[::2] == ("(-3.5,0]", "(1e+03,2e+03]")
    assert grade_order(["(a, b]", "(c, d]", "(e, f]"]) == grade_order(["[3, 1)", "[1, 2)", "[2, 3)"]) == ()
    assert grade_order(["65+", "18-24", "under 18", "25-64"]) == ("under 18", "18-24", "25-64", "65+")
    assert grade_order(["over 60k", "20k to 40k", "under 20k", "40k to 60k"])[0] == "under 20k"
    for levels in (
        ["low", "high"],
        ["low", "LOW", "high"],
        ["red", "low", "high"],
        ["1-2", "a", "b"],
        ["3-4", "x9", "1-2"],
    ):
        assert grade_order(levels) == ()


cells = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=12)


@given(
    rows=st.lists(st.tuples(cells, cells, st.integers(-999, 999)), min_size=4, max_size=20),
    delimiter=st.sampled_from(",;\t|"),
)
@settings(max_examples=40, deadline=None)
def test_any_text_survives_a_file(rows, delimiter, tmp_path_factory):
    path = tmp_path_factory.mktemp("csv") / "t.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, delimiter=delimiter, quoting=csv.QUOTE_ALL)
        writer.writerows([("left", "right", "n"), *rows])
    table = Study(path, kinds={"left": "text", "right": "text", "n": "discrete"}).table
    absent = {"", "<NA>", "NA", "N/A", "n/a", "nan", "NaN", "null", "NULL", "#N/A", "-nan", "-NaN"}
    assert table["left"].labels() == [None if a in absent or not a.strip() else a for a, _, _ in rows]
    assert table["n"].values.tolist() == [n for _, _, n in rows]


@given(st.floats(-1e15, 1e15))
@quick
def test_written_numbers_stay_within_half_a_last_digit(value):
    def back(text):
        return float(text.replace(",", "").replace("−", "-"))

    in_full = 1000 <= abs(value) < (1e7 if value % 1 else 1e12)
    assert back(significant(value)) == pytest.approx(value, rel=1e-15 if in_full else 5.1e-4, abs=0.5 * in_full)
    assert float(pasted(value)) == pytest.approx(value, rel=5.1e-6)
    if 0.0005 <= abs(value) < 1:
        assert back(measured(value)) == pytest.approx(value, abs=0.00051)
    elif abs(value) < 1:
        assert back(measured(value)) == pytest.approx(value, rel=0.051)


def test_digits_that_people_read():
    assert [percent(v) for v in (0.0, 1.0, 0.5, 0.12345, 0.0001)] == ["0%", "100%", "50.0%", "12.3%", "<0.1%"]
    assert [probability(v) for v in (0.04999, 1e-9, 1.0)] == ["0.050", "<0.001", "1.000"]
    assert [places(v) for v in (-0.0001, -0.5, 0.12345)] == ["0.000", "−0.500", "0.123"]
    assert [significant(v) for v in (1234567.8, 0.00012345, -12.3456, np.inf)] == [
        "1,234,568",
        "0.0001234",
        "−12.35",
        "∞",
    ]
    frame = pd.DataFrame(
        {"n": [1234], "rate": [0.25], "low": [0.2], "high": [np.nan]}, index=pd.Index(["oak "], name="kind")
    )
    assert as_text(ShownTable(frame, RATES)).to_numpy().tolist() == [["'oak '", "1,234", "25.0%", "20.0%", "–"]]
