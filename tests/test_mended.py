"""What real tables brought to light, each on made-up data of the same shape."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from envelt import Study
from envelt.core.shapes.dip import dip_test
from envelt.core.stats.many_groups import explained_interval
from envelt.core.stats.noncentral import noncentral_chi_square, noncentral_f


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
    significance, _ = dip_test(x, 0.0)
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
    assert study.against("x").form == "related"
    assert "to say how" in str(study.against("x"))
    assert Study(frame, outcome="e", kinds=kinds).against("x").form in ("unknown", "none")


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
