"""What real tables brought to light, each on made-up data of the same shape."""

import re

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from envelt import Study
from envelt.core.shapes.dip import dip_test
from envelt.core.stats.of_rows.many_groups import explained_interval
from envelt.core.stats.of_rows.noncentral import noncentral_chi_square, noncentral_f
from envelt.demo import planted
from envelt.demo.others import OTHERS
from envelt.errors import OptionError


def rng(seed=0):
    return np.random.default_rng(seed)


def codes(view):
    return {f.code: f for f in view.findings}


@pytest.mark.parametrize(
    ("written", "first"),
    [
        ([f"0,{i:03d}" for i in range(100, 200)], 0.1),
        (["1,250", "1250", "2,5"] * 20, 1.25),
        (["1,250", "1250", "2,500"] * 20, 1.25),
        (["1,250", "17,500", "980"] * 20, 1250.0),
        (["1.250.000", "17.500", "980"] * 20, 1_250_000.0),
    ],
)
def test_commas_before_three_digits_are_read_by_what_else_the_column_holds(tmp_path, written, first):
    path = tmp_path / "some.csv"
    path.write_text("v;w\n" + "\n".join(f"{v};{i}" for i, v in enumerate(written)))
    assert Study(path, kinds={"v": "continuous"}).table["v"].numbers[0] == first


def test_points_that_divide_and_points_that_do_not_are_no_number():
    column = Study(pd.DataFrame({"v": ["1.5", "1.234.567", "x1"] * 20})).table["v"]
    assert set(column.levels) == {"1.5", "1.234.567", "x1"}


@pytest.mark.parametrize("form", ["csv", "parquet", "frame"])
def test_whole_numbers_beyond_what_floating_point_holds_are_codes_and_keep_every_digit(tmp_path, form):
    frame = pd.DataFrame({"key": rng().integers(2**60, 2**62, 300), "x": rng(1).normal(size=300)})
    path = tmp_path / f"some.{form}"
    if form != "frame":
        getattr(frame, f"to_{form}")(path, index=False)
    column = Study(frame if form == "frame" else path).table["key"]
    assert column.kind == "identifier"
    assert "2^53" in column.reason
    assert column.labels() == [str(v) for v in frame["key"]]


def test_names_of_columns_that_are_no_text_are_turned_into_it_and_said():
    frame = pd.DataFrame(rng().normal(size=(40, 2)), columns=pd.MultiIndex.from_tuples([("a", 1), ("a", 2)]))
    assert list(Study(frame).table.columns) == ["a 1", "a 2"]
    view = Study(pd.DataFrame(rng().normal(size=(40, 2)))).inventory()
    assert list(view.table.index) == ["0", "1"]
    assert "turned into text" in str(view)


def test_control_characters_reach_no_terminal():
    frame = pd.DataFrame({"a\x1b[31m": ["x\x1b[2Jy", "z\x07"] * 40, "b": rng().normal(size=80)})
    study = Study(frame, outcome="a\x1b[31m")
    for view in (study.inventory(), study.balance(), study.against("b"), study.contingency("a\x1b[31m")):
        assert not {"\x1b", "\x07"} & set(str(view))
    assert "␛" in str(study.balance())


def test_copies_of_copies_are_one_finding_and_two_rows_say_nothing():
    two = Study(pd.DataFrame({f"c{i}": ["a", "b"] for i in range(300)})).inventory()
    assert "same-column" not in codes(two)
    base = rng().choice(["p", "q", "r"], 400)
    copies = {f"c{i}": np.char.add(base, str(i)) for i in range(60)}
    found = [f for f in Study(pd.DataFrame(copies)).inventory().findings if f.code == "same-column"]
    assert len(found) == 1
    assert set(found[0].columns) == set(copies)
    other = pd.DataFrame({"a": base, "b": rng(1).permutation(base)})
    assert "same-column" not in codes(Study(other).inventory())


def test_a_part_of_the_rows_keeps_the_event_of_the_whole():
    n = 600
    z = np.arange(n)
    y = np.where(z < 200, np.where(z % 3 == 0, "p", "q"), np.where(z % 9 == 0, "q", "p"))
    study = Study(pd.DataFrame({"z": z, "y": y}), outcome="y")
    part = study.where("z < 200")
    assert np.mean(y[:200] == "q") > 0.5  # by itself it would speak of p
    assert study.outcome.event == part.outcome.event == "q"


def test_near_values_that_become_one_do_not_break_the_dip():
    x = np.sort(np.r_[np.nextafter(1.0, 2) + np.arange(3) * 2.2e-16, 1e9 * rng().random(200)])
    significance, _ = dip_test(x, 1.0, 0.0)
    assert 0 < significance.statistic <= 0.25


def test_noncentralities_agree_with_scipy_and_never_fail():
    for x2, df in ((20.0, 3), (400.0, 30), (5.0, 4)):
        lam = noncentral_chi_square(x2, df, 0.025)
        assert lam == 0 or stats.ncx2.cdf(x2, df, lam) == pytest.approx(0.025, rel=1e-6)
    for f, a, b in ((4.0, 3, 90), (30.0, 2, 500)):
        assert stats.ncf.cdf(f, a, b, noncentral_f(f, a, b, 0.025)) == pytest.approx(0.025, rel=1e-6)
    for a in (1.0, 3.0, 40.0, 2_000.0, 20_000.0):
        for f in 10.0 ** np.arange(-6, 6, 0.5):
            low, high = explained_interval(float(f), a, 58_000.0, 60_000.0)
            assert 0 <= low <= high <= 1


@pytest.mark.parametrize(("values", "rows"), [(2, 400), (7, 25)])
def test_form_says_no_more_and_no_less_than_it_can(values, rows):
    x = rng().integers(0, values, rows).astype(float)
    frame = pd.DataFrame({"x": x, "y": 3 * x + rng(1).normal(size=rows), "e": rng(2).normal(size=rows)})
    kinds = {"x": "continuous", "y": "continuous", "e": "continuous"}
    study = Study(frame, outcome="y", kinds=kinds)
    assert study.against("x").form == "not decided"
    assert "for want of rows or of different values" in str(study.against("x"))
    assert Study(frame, outcome="e", kinds=kinds).against("x").form in ("not decided", "none")


def test_strong_is_a_note_and_only_what_repeats_the_outcome_or_comes_later_stops():
    r = rng()
    n = 1500
    z = r.normal(size=n)
    y = z + 0.35 * r.normal(size=n)
    frame = pd.DataFrame(
        {
            "one": z + 0.15 * r.normal(size=n),
            "two": z + 0.15 * r.normal(size=n),
            "site": np.char.add("s", np.digitize(z, np.linspace(-2, 2, 29)).astype(str)),
            "noise": r.normal(size=n),
            "amount": y,
        }
    )
    found = codes(Study(frame, outcome="amount").rank())
    assert "too-good-to-be-true" not in found
    assert set(found["strong-candidate"].columns) == {"one", "two", "site", "amount"}
    assert found["strong-candidate"].weight == "note"
    later = codes(Study(frame.rename(columns={"one": "score_after"}), outcome="amount").rank())
    assert later["too-good-to-be-true"].columns == ("score_after", "amount")
    copied = codes(Study(frame.assign(copy=y + 0.01 * r.normal(size=n)), outcome="amount").rank())
    assert copied["too-good-to-be-true"].columns == ("copy", "amount")


FIXED_DIGITS = {
    "micrometres": lambda r, n: np.round(r.gamma(3, 2, n), 6),
    "hundredths": lambda r, n: np.round(r.normal(5, 3, n), 2),
    "years": lambda r, n: r.choice(np.r_[1950:1990, 1950, 1960, 1970, 1980], n).astype(float),
    "dozen": lambda r, n: r.binomial(11, 0.4, n).astype(float),
    "popular": lambda r, n: np.where(r.random(n) < 0.1, 12.0, np.round(r.normal(14, 3, n))),
}


@pytest.mark.parametrize("case", FIXED_DIGITS)
def test_digits_years_and_few_values_raise_nothing_loud(case):
    x = FIXED_DIGITS[case](rng(), 3000)
    found = Study(pd.DataFrame({"born" if case == "years" else case: x})).distribution(
        "born" if case == "years" else case
    )
    assert not [f for f in found.findings if f.weight != "note"]


def test_gaps_of_many_columns_that_follow_the_outcome_are_one_finding_and_small_ones_none():
    r = rng()
    n = 4000
    y = r.choice(["kept", "left"], n)
    late = {f"week{i}": np.where((y == "left") & (r.random(n) < 0.02 * i), None, "yes") for i in range(4, 24)}
    found = Study(pd.DataFrame({**late, "y": y}), outcome="y").inventory().findings
    follows = [f for f in found if f.code == "missing-follows-outcome"]
    assert len(follows) == 1
    assert set(follows[0].columns) >= {*late, "y"} - {"week4"}
    assert follows[0].columns[0] in ("week21", "week22", "week23")
    small = pd.DataFrame({"a": np.where((y == "left") & (r.random(n) < 0.03), np.nan, 1.0 + r.random(n)), "y": y})
    assert "missing-follows-outcome" not in codes(Study(small, outcome="y").inventory())
    zeros = np.where(r.random(n) < 0.7, 0.0, r.gamma(2, 2, n))
    gap = np.where(r.random(n) < np.where(zeros > 0, 0.16, 0.1), np.nan, r.normal(size=n))
    assert "missing-follows-outcome" not in codes(Study(pd.DataFrame({"a": gap, "y": zeros}), outcome="y").inventory())


def test_drift_names_the_extremes_and_is_silent_where_it_changes_nothing():
    r = rng(1)
    n = 60_000
    days = r.integers(0, 365, n)
    when = pd.Timestamp("2024-01-01") + pd.to_timedelta(days, "D")
    summer = np.abs(days - 182) < 40
    found = codes(Study(pd.DataFrame({"when": when, "y": r.random(n) < 0.2 + 0.2 * summer}), outcome="y").balance())
    drift = found["outcome-drift"]
    assert abs(drift.evidence["last"] - drift.evidence["first"]) > 0.15  # the ends alone are alike
    slight = pd.DataFrame({"when": when, "y": r.random(n) < 0.2 + 0.03 * summer})
    assert "outcome-drift" not in codes(Study(slight, outcome="y").balance())


def test_a_turn_or_a_bend_too_small_to_matter_is_not_raised():
    r = rng(2)
    n = 80_000
    third = r.integers(0, 2, n)
    first = (r.random(n) < np.where(third == 1, 0.7, 0.3)).astype(int)
    small = r.random(n) < 0.3 + 0.05 * third - 0.012 * first
    large = r.random(n) < 0.3 + 0.40 * third - 0.10 * first
    frame = pd.DataFrame({"first": np.where(first, "b", "a"), "third": np.where(third, "d", "c")})
    assert "turns-round" in codes(Study(frame.assign(y=large), outcome="y").against())
    assert "turns-round" not in codes(Study(frame.assign(y=small), outcome="y").against())
    x = r.random(n)
    jumps = np.isin((x * 10).astype(int), [1, 4, 8])  # up and down three times: no bend
    assert "bend-without-trend" not in codes(
        Study(pd.DataFrame({"x": x, "y": r.random(n) < 0.3 + 0.2 * jumps}), outcome="y").against("x")
    )
    hump = r.random(n) < 0.2 + 0.4 * (1 - 4 * (x - 0.5) ** 2)
    assert "bend-without-trend" in codes(Study(pd.DataFrame({"x": x, "y": hump}), outcome="y").against("x"))


def test_rows_alike_by_chance_are_no_duplicates_and_named_ones_are():
    r = rng(3)
    plain = pd.DataFrame({"a": r.choice(["p", "q"], 900), "b": r.integers(0, 4, 900), "c": r.choice(["u", "v"], 900)})
    assert "duplicate-rows" not in codes(Study(plain).inventory())
    named = plain.assign(weight=r.normal(50, 9, 900))
    assert "duplicate-rows" in codes(Study(pd.concat([named, named.head(5)])).inventory())


@pytest.mark.parametrize("sign", [1, -1])
def test_the_end_of_a_long_tail_is_no_slip_and_a_code_is(sign):
    r = rng(4)
    tail = sign * r.lognormal(0, 1.2, 3000)
    assert "gross-outliers" not in codes(Study(pd.DataFrame({"v": tail})).distribution("v"))
    coded = np.where(r.random(3000) < 0.03, -999.0, r.normal(20, 3, 3000))
    found = codes(Study(pd.DataFrame({"v": coded})).distribution("v"))
    assert found["sentinel-value"].evidence["rows"] == np.sum(coded == -999)
    assert "gross-outliers" not in found
    slips = np.append(r.normal(20, 3, 3000), [-999, -998, -997])
    assert codes(Study(pd.DataFrame({"v": slips})).distribution("v"))["gross-outliers"].evidence["count"] == 3


def test_two_heaps_are_two_peaks_and_a_wrinkle_or_a_popular_value_is_none():
    r = rng(5)
    apart = np.r_[r.normal(0, 1, 1500), r.normal(6, 1, 1500)]
    assert "two-peaks" in codes(Study(pd.DataFrame({"v": apart})).distribution("v"))
    wrinkle = np.r_[r.normal(0, 1, 2500), r.normal(2.4, 0.5, 400)]
    grades = r.choice(np.arange(4.0, 10.5, 0.5), 3000, p=np.r_[[0.02] * 3, 0.2, [0.05] * 4, 0.3, 0.1, 0.06, 0.04, 0.04])
    years = np.r_[r.normal(1970, 2, 900).round(), r.normal(1990, 2, 900).round()]
    for name, x in {"v": wrinkle, "mean_of_school": grades, "born": years}.items():
        assert "two-peaks" not in codes(Study(pd.DataFrame({name: x})).distribution(name)), name


def panel(seed, cases=120, waves=6):
    r = rng(seed)
    case, wave = np.repeat(np.arange(cases), waves), np.tile(np.arange(1, waves + 1), cases)
    tall = np.repeat(r.normal(170, 9, cases).round(1), waves)
    return pd.DataFrame({"nr": 5000 + 7 * case, "wave": wave, "tall": tall, "y": r.normal(size=cases * waves)})


@pytest.mark.parametrize("name", ["nr", "subject", "household_id"])
def test_a_numeric_column_that_names_cases_is_the_likely_unit(name):
    frame = panel(6).rename(columns={"nr": name})
    for columns in ([name, "wave", "tall", "y"], [name, "wave", "y"], [name, "tall", "y"]):
        found = codes(Study(frame[columns], outcome="y").inventory())
        assert found["likely-unit"].columns == (name,), columns
        assert found["likely-unit"].evidence["units"] == 120


def test_numbers_that_name_nothing_and_cases_of_one_row_are_no_unit():
    r = rng(7)
    frame = panel(7)
    mixed = frame.assign(nr=r.permutation(frame["nr"]), tall=r.normal(size=len(frame)))
    assert "likely-unit" not in codes(Study(mixed, outcome="y").inventory())
    assert "likely-unit" not in codes(Study(frame.rename(columns={"nr": "price"}), outcome="y").inventory())
    assert "likely-unit" not in codes(Study(frame[frame["wave"] == 1], outcome="y").inventory())
    assert "likely-unit" not in codes(Study(frame, outcome="y", unit="nr").inventory())


def marked_frame():
    r = rng(8)
    income = r.normal(50, 9, 400).round(1).astype(str)
    income[::9] = "."
    income[5] = "-9"
    return pd.DataFrame({"income": income, "code": np.where(r.random(400) < 0.1, "-9", "12"), "y": ["no", "yes"] * 200})


def test_a_mark_among_numbers_is_missing_and_said_and_a_person_may_name_one(tmp_path):
    frame = marked_frame()
    frame.to_csv(tmp_path / "t.csv", index=False)
    study = Study(tmp_path / "t.csv", outcome="y")
    column = study.table["income"]
    assert column.kind == "continuous"
    assert column.missing.sum() == (frame["income"] == ".").sum()
    assert "'.' in 45 rows" in codes(study.inventory())["marks-for-missing"].statement
    named = Study(tmp_path / "t.csv", outcome="y", missing=[".", -9])
    assert named.table["income"].missing.sum() == 46
    assert named.table["code"].missing.sum() == (frame["code"] == "-9").sum()
    assert "marks-for-missing" not in codes(named.inventory())
    one = Study(frame, outcome="y", columns={"income": {"missing": [".", "-9"]}})
    assert one.table["income"].missing.sum() == 46
    assert one.table["code"].missing.sum() == 0
    assert Study(frame, kinds={"income": "nominal"}).table["income"].kind == "nominal"


def test_few_texts_among_numbers_are_missing_and_many_keep_a_column_from_being_one():
    numbers = [f"{v:.1f}" for v in rng(9).normal(20, 3, 300)]
    few = Study(pd.DataFrame({"v": [*numbers, "trace", "<5", "<5"]}))
    assert few.table["v"].kind == "continuous"
    assert few.table["v"].missing.sum() == 3
    assert codes(few.inventory())["mixed-types"].evidence["texts"] == [["<5", 2], ["trace", 1]]
    assert Study(pd.DataFrame({"v": numbers + ["trace", "<5"] * 30})).table["v"].numbers is None
    assert (
        Study(pd.DataFrame({"flat_code": [*(str(v) for v in range(100, 400)), "12B"]})).table["flat_code"].numbers
        is None
    )


def test_begin_writes_all_that_was_decided_and_the_file_gives_the_same_study(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    frame = marked_frame().assign(n=[1, 2] * 200, size=rng(1).normal(5, 1, 400), zone=rng(2).integers(1, 4, 400))
    frame.to_csv("demo-hives.csv", index=False)
    decided = Study(
        "demo-hives.csv", outcome="y", event="no", unit="code", counts="n", missing=["."], ignore=["size"], seed=7,
        where="income > 30 or is_missing(income)", kinds={"code": "nominal"},
        columns={"zone": {"labels": {"1": "north"}, "order": ["3", "1", "2"], "label": "Zone"},
                 "income": {"range": [0, 100], "unit": "k", "missing": ["-9"]}},
    ).derive("rich", "income > 55", label="Well off").where("zone != 'north'")  # fmt: skip
    decided.begin("s.toml")
    opened = Study("s.toml")
    assert str(opened.rank().table) == str(decided.rank().table)
    assert str(opened.inventory().table) == str(decided.inventory().table)
    for what in ("unit", "seed", "candidates"):
        assert getattr(opened, what) == getattr(decided, what)
    assert opened.outcome.event == "no"
    assert opened.table["rich"].title == "Well off"
    assert opened.table["zone"].levels == decided.table["zone"].levels == ("3", "2")
    assert Study("s.toml", seed=0).seed == 0
    assert Study.open("s.toml", ignore="size", where="is_missing(income)").table["income"].empty
    assert Study("s.toml", columns={"zone": {"label": "Z"}}).table["zone"].levels == ("3", "2")


@pytest.mark.parametrize(
    "written",
    [
        'columns = {a = {kind = "discrete"}, gone = {}}\n[study]\ndata = "t.csv"\n',
        '[study]\ndata="t.csv" # mine\n\n\n[columns]\na.kind = "discrete"\ngone.label = "x"  # note\n',
        '[study]\r\ndata = "t.csv"\r\n[columns."a"]\r\n[columns.gone]   # gone?\r\nlabel=\'q\'\r\n',
    ],
)
def test_a_study_file_of_any_style_is_brought_up_to_date_and_stays_as_written(tmp_path, monkeypatch, written):
    monkeypatch.chdir(tmp_path)
    pd.DataFrame({"a": range(30), "b": ["u", "v"] * 15}).to_csv("t.csv", index=False)
    (tmp_path / "s.toml").write_bytes(written.encode())
    assert Study("t.csv").begin("s.toml") == (["b"], ["gone"])
    after = (tmp_path / "s.toml").read_bytes().decode()
    for line in written.splitlines():
        assert line.strip().rstrip("}") in after
    assert Study("t.csv").begin("s.toml") == ([], ["gone"])
    assert (tmp_path / "s.toml").read_bytes().decode() == after


def test_small_things_of_the_interface():
    r = rng(10)
    frame = pd.DataFrame({"a": r.choice([*"pqrst", None], 300), "x": r.normal(size=300), "y": ["no", "yes"] * 150})
    study = Study(frame, outcome="y").derive("high", "x > 1", label="High", kind="nominal")
    index = study.contingency("a", largest=2, missing=True).table.index
    assert list(index[2:]) == ["missing", "other (3 levels)"]
    assert len({hash(f) for f in study.inventory().findings}) == len(study.inventory().findings)
    assert list(study.rank("x", ["a"]).table.index.sort_values()) == ["a", "x"]
    given_back = study.where("x > 0").to_frame()
    assert list(given_back.columns) == ["a", "x", "y", "high"]
    np.testing.assert_array_equal(given_back["x"], frame["x"][frame["x"] > 0])
    given_back["x"] = 0.0
    assert study.table["x"].numbers.any()
    with pytest.raises(OptionError, match="outcome or the unit"):
        study.rank("y")


@pytest.mark.parametrize("times", [1, 3])
def test_rows_repeated_as_units_change_no_pair_mean_trend_or_cut(times):
    r = rng(11)
    n = 600
    grade = r.integers(1, 5, n)
    y = grade * 0.3 + r.normal(size=n)
    once = pd.DataFrame({"grade": grade, "y": y, "high": np.where(y + r.normal(size=n) > 1, "yes", "no")})
    once["who"] = [f"w{i}" for i in range(n)]
    kinds = {"grade": "ordinal", "who": "identifier"}
    alone = Study(once.drop(columns="who"), outcome="y", kinds={"grade": "ordinal"})
    whole = Study(once.loc[once.index.repeat(times)], outcome="y", unit="who", kinds=kinds)
    some, more = alone.against("grade").pairs, whole.against("grade").pairs
    assert list(more["difference"]) == pytest.approx(list(some["difference"]), rel=1e-9)
    for name in ("low", "high", "p"):  # one variance over units for both groups, and no Welch degrees of freedom
        assert list(more[name]) == pytest.approx(list(some[name]), rel=0.05, abs=0.01)
    some, more = (s.contingency("grade").rates for s in (alone, whole))
    np.testing.assert_allclose(more[["mean_low", "mean_high"]], some[["mean_low", "mean_high"]], rtol=0.01)
    some, more = (s.contingency("grade", "high") for s in (alone, whole))
    assert list(more.effects.loc["gamma"]) == pytest.approx(list(some.effects.loc["gamma"]), rel=0.01)
    assert more.tests.loc["trend", "p"] == pytest.approx(some.tests.loc["trend", "p"], rel=0.3)
    classes = [Study(f, outcome="high", kinds=k, **u) for f, k, u in (
        (once.drop(columns="who"), {}, {}), (once.loc[once.index.repeat(times)], kinds, {"unit": "who"}),
    )]  # fmt: skip
    some, more = (s.against("y").cut.iloc[0] for s in classes)
    assert more["cut"] == pytest.approx(some["cut"], abs=0.1)
    for ends in (("cut_low", "cut_high"), ("accuracy_low", "accuracy_high")):
        assert 0.6 < (more[ends[1]] - more[ends[0]]) / (some[ends[1]] - some[ends[0]]) < 1.6


def test_of_two_units_there_are_estimates_and_no_tests():
    r = rng(12)
    frame = pd.DataFrame({"who": np.repeat(["a", "b"], 200), "g": r.choice(["u", "v"], 400), "y": r.normal(size=400)})
    view = Study(frame, outcome="y", unit="who").against("g")
    assert view.tests["p"].isna().all()
    assert np.isfinite(view.effects.loc["mean_difference", "estimate"])
    assert view.effects[["low", "high"]].isna().all(axis=None)


def test_each_of_few_values_is_a_bin_and_rare_neighbours_are_joined():
    r = rng(13)
    n = 3_000
    month, stoves = r.integers(1, 13, n), r.choice(7, n, p=[0.7, 0.15, 0.1, 0.04, 0.006, 0.002, 0.002])
    y = r.random(n) < np.where(month == 12, 0.21, 0.1)
    frame = pd.DataFrame({"month": month, "stoves": stoves, "calls": r.poisson(30, n) * (r.random(n) < 0.6)})
    study = Study(frame.assign(y=np.where(y, "yes", "no")), outcome="y", kinds={"stoves": "discrete"})
    rates = study.against("month").rates
    assert list(rates.index) == [str(m) for m in range(1, 13)]
    assert rates.loc["12", "rate"] == pytest.approx(y[month == 12].mean())
    rates = study.against("stoves").rates
    assert (rates["n"] >= 10).all()
    assert list(rates.index[:4]) == ["0", "1", "2", "3"]
    assert study.against("calls").rates["n"].iloc[0] == np.sum(frame["calls"] == 0)
    bins = study.distribution("month").bins
    assert list(bins["right"] - bins["left"]) == [1.0] * 12


def test_a_jump_at_one_end_is_no_bend():
    r = rng(14)
    x = r.choice(4, 4_000, p=[0.8, 0.15, 0.04, 0.01])
    y = r.random(4_000) < 0.1 + 0.5 * (x == 3)
    assert "bend-without-trend" not in codes(Study(pd.DataFrame({"x": x, "y": y}), outcome="y").against("x"))


def test_a_table_in_the_order_of_time_is_said_and_folds_may_keep_times_apart():
    r = rng(15)
    n = 600
    level = np.cumsum(r.normal(size=n))
    frame = pd.DataFrame({"sold_on": pd.date_range("2020-01-01", periods=n), "y": level + r.normal(size=n) * 0.3})
    frame["drifts"] = np.cumsum(r.normal(size=n))
    frame["real"] = frame["y"] + r.normal(size=n) * 5
    study = Study(frame, outcome="y")
    found = codes(study.rank())["ordered-in-time"]
    assert found.columns == ("sold_on", "y")
    assert found.evidence["correlation_of_neighbours"] > 0.9
    assert "time='sold_on'" in found.advice
    apart = study.rank(time="sold_on")
    assert "ordered-in-time" not in codes(apart)
    assert codes(apart)["times-kept-apart"].evidence["stretches"] == 50
    changed = apart.units.loc["drifts"]
    assert changed["share_over_rows"] > 0.3
    assert changed["held_out_share"] < changed["share_over_rows"] / 2
    assert apart.table.loc["real", "low"] > 0
    shuffled = Study(frame.assign(y=r.permutation(frame["y"])), outcome="y")
    assert "ordered-in-time" not in codes(shuffled.rank())
    with pytest.raises(OptionError, match="at least 10"):
        Study(frame.assign(half=np.arange(n) // 300), outcome="y", kinds={"half": "discrete"}).rank(time="half")
    with pytest.raises(OptionError, match="times cannot be kept apart while units stay whole"):
        Study(frame.assign(who=np.arange(n) % 7), outcome="y", unit="who").rank(time="sold_on")


@pytest.mark.parametrize("numeric", [False, True])
def test_what_one_candidate_raises_leaves_the_others_standing(monkeypatch, tmp_path, numeric):
    from envelt.core.against import glance
    from envelt.core.rank import rank

    r = rng(16)
    x = r.normal(size=(300, 3))
    y = x[:, 0] + r.normal(size=300)
    frame = pd.DataFrame(x, columns=["good", "bad", "other"]).assign(y=y if numeric else np.where(y > 0, "yes", "no"))
    whole = Study(frame, outcome="y")
    expected = whole.rank().table.drop("bad").drop(columns="q")

    def breaking(real):
        def broken(column, *rest):
            if column.name == "bad":
                raise ValueError("the root is not bracketed")
            return real(column, *rest)

        return broken

    monkeypatch.setattr(glance, "_glimpse", breaking(glance._glimpse))
    monkeypatch.setattr(rank, "_counted", breaking(rank._counted))
    study = Study(frame, outcome="y")
    for view in (study.rank(), study.against()):
        assert "the root is not bracketed" in codes(view)["candidate-failed"].statement
        assert len(view.table) == 3
        assert view.draw().axes
    table = study.rank().table
    assert table.loc["bad", "advice"] == "failed: see findings"
    pd.testing.assert_frame_equal(table.drop("bad").drop(columns="q"), expected)
    study.report(tmp_path / "r.html")


def shown(item, whole):
    study = Study(OTHERS[item["table"]](planted=whole), **item["options"])
    by = {"by": item["by"]} if "by" in item else {}
    return getattr(study, item["step"])(*item.get("asked", ()), **by)


@pytest.mark.parametrize("item", planted()["others"], ids=lambda i: i["finding"])
def test_what_was_planted_in_tables_of_other_shapes_is_found_and_clean_twins_are_silent(item):
    found = [f for f in shown(item, True).findings if f.code == item["finding"]]
    assert any(set(item["columns"]) <= set(f.columns) for f in found)
    if item["table"] == "crossing" or item["finding"] == "read-from-text":
        return  # a clean twin of the one is not counted; the other says how dates are written, in both
    loud = [f.code for f in shown(item, False).findings if f.weight != "note" or f.code == item["finding"]]
    assert [code for code in loud if code != "say-nearly-the-same"] == []  # bees weigh what they weigh, in both


def texts(figure):
    figure.canvas.draw()  # names the ticks
    return " | ".join(t.get_text() for t in figure.findobj(lambda a: hasattr(a, "get_text")))


def test_pictures_of_caps_humps_years_few_bars_and_residuals():
    r = rng(17)
    n = 1_500
    frame = pd.DataFrame({"score": np.minimum(r.normal(80, 18, n), 100), "year": r.integers(1936, 1990, n)})
    frame["hump"], frame["two"] = r.normal(size=n), np.where(r.random(n) < 0.4, "left", "right")
    frame["grade"] = r.choice(["poor", "fair", "good"], n)
    frame["who"] = [f"P-{i}" for i in r.permutation(n)]
    frame["cost"] = r.lognormal(3, 1, n)
    frame["y"] = np.where(r.random(n) < 1 / (1 + np.exp(2 * frame["hump"] ** 2 - 1)), "yes", "no")
    study = Study(frame, outcome="y")
    assert study.distribution("score", picture="density").density["at"].max() == 100
    assert "no one cut" in texts(study.against("hump").draw())
    drawn = texts(study.against("year").draw())
    assert "1,9" not in drawn
    assert "1940" in drawn
    for view in (study.contingency("two"), study.against("two")):
        assert view.draw().get_size_inches()[1] < study.against("cost").draw().get_size_inches()[1]
    cells = study.contingency("grade", "two", picture="cells", colour="residual").draw()
    assert "residual | " in texts(cells) + " | "
    outliers = study.distribution("cost").outliers
    assert list(outliers.index) == [frame["who"][i] for i in outliers["row"]]
    bins = study.against("cost")._result.bins
    ends = zip(bins.left, bins.right, strict=True)
    assert list(bins.middle) == pytest.approx([frame["cost"][frame["cost"].between(a, b)].median() for a, b in ends])


def test_tables_beside_the_main_one_follow_the_order_and_findings_beyond_five_are_counted(capsys):
    study = Study("demo", outcome="wintered")
    view = study.contingency("apiary", order="rate")
    assert list(view.needed["rates"].frame.index) == list(view.shown["table"].frame.index)
    rate = view.needed["rates"].frame["shrunken"]
    assert rate.is_monotonic_decreasing
    view = study.inventory()
    text = str(view)
    assert len(view.findings) > 10
    said = sum(f.code in text for f in view.findings)
    assert int(re.search(r"(\d+) more findings: ", text)[1]) + text.count("→") == len(view.findings) > said > 2
    assert [f.code for f in view.findings[:2]] == ["made-up-of-others", "likely-unit"]
    assert view._repr_html_().count("<details>") == 1


def test_nothing_is_said_twice_of_one_column_and_sentences_fit_one_and_many():
    frame = panel(18)
    found = [f for f in Study(frame, outcome="y").inventory().findings if f.columns[:1] == ("nr",)]
    assert [f.code for f in found] == ["likely-unit"]
    own = frame.assign(own=np.arange(len(frame)) * 1.5)
    one = pd.concat([own, own.head(1)])
    assert codes(Study(one, outcome="y").inventory())["duplicate-rows"].statement.startswith("1 row repeats an earlier")
