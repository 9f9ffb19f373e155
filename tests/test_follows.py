"""What follows from what, what was made even, what stands along the file: found where it is, silent where it is not."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.core.inventory.quality.units import _intraclass
from samples import found

N = 400


# --- levels that follow from another column ---------------------------------------------------------------


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.lists(st.integers(8, 92), min_size=1, max_size=4, unique=True))
def test_a_number_that_was_cut_is_said_with_its_cuts_and_levels_drawn_again_are_not(seed, at):
    r = np.random.default_rng(seed)
    weeks = r.permutation(np.resize(np.arange(1, 101), N))
    cuts = sorted(a for a, b in zip(sorted(at), [*sorted(at)[1:], 999], strict=True) if b - a > 2)
    names = np.array(list("qzmak"))
    level = names[np.searchsorted(cuts, weeks, "right")]
    frame = pd.DataFrame({"weeks": weeks, "stage": level, "noise": r.normal(size=N)})
    (made,) = found(frame, "made-up-of-others")
    assert (made.columns, made.weight, made.evidence["against"]) == (("stage", "weeks"), "caution", 0)
    assert all(f"{c} or more" in made.statement or f"| {c}" in made.statement for c in cuts)
    assert not found(frame.assign(stage=r.permutation(level)), "made-up-of-others")
    if len(cuts) == 1:  # a few rows that contradict are counted and named
        some = r.permutation(N)[:2]
        frame.loc[some, "stage"] = ["q" if v == "z" else "z" for v in frame.loc[some, "stage"]]
        slips = found(frame, "made-up-of-others")
        rest = min(pd.Series(frame["stage"]).value_counts())
        if 0.02 * rest >= 2:
            (made,) = slips
            assert (made.weight, made.evidence["against"]) == ("note", 2)
            assert all(str(k) in made.statement for k in some)


def test_two_kinds_that_lie_apart_were_not_cut():
    r = np.random.default_rng(1)
    kind = r.choice(["small", "large"], N)
    frame = pd.DataFrame({"kind": kind, "length": np.where(kind == "small", 10, 30) + r.normal(size=N).round(2)})
    assert not found(frame, "made-up-of-others")
    frame["length"] = np.where(kind == "small", r.uniform(0, 20, N), r.uniform(20, 40, N)).round(1)
    assert found(frame, "made-up-of-others")


def test_levels_joined_renamed_or_set_apart_are_said_and_near_ones_with_their_rows():
    r = np.random.default_rng(2)
    feed = r.choice(["syrup", "sugar", "fondant", "pollen", "none"], 600)
    frame = pd.DataFrame({"feed": feed, "y": r.choice(["a", "b"], 600)})
    frame["sweet"] = np.isin(feed, ["syrup", "sugar", "fondant"])
    frame["fed_kg"] = np.where(feed == "none", 0.0, r.gamma(2, 3, 600) + 0.1)
    frame["fed"] = np.where(frame["fed_kg"] == 0, "no", "yes")
    frame["coarse"] = pd.Series(feed).replace({"syrup": "wet", "sugar": "dry", "fondant": "dry", "pollen": "protein"})
    made = found(frame, "made-up-of-others")
    assert any({"sweet", "coarse", "feed"} <= set(f.columns) for f in made)
    (about,) = (f for f in found(frame, "made-up-of-others", outcome="fed") if f.weight == "stop")
    assert "fed is 'no' exactly where" in about.statement
    near = frame[["feed", "coarse"]].copy()
    near.loc[[17, 300], "coarse"] = "wet" if near.loc[17, "coarse"] != "wet" else "dry"
    wrong = int((near["coarse"] != frame["coarse"]).sum())
    (made,) = found(near, "made-up-of-others")
    assert (made.weight, made.evidence["against"]) == ("note", wrong)
    assert f"all but {wrong} of 600 rows" in made.statement
    assert "exactly" not in made.statement
    lost = frame[["feed", "y"]].assign(given=frame["fed"]).replace({"feed": {"none": None}})
    (made,) = found(lost, "made-up-of-others")
    assert made.statement.startswith("given is 'no' exactly where feed is missing, in all 600 rows")


def test_a_sum_is_written_with_its_parts_its_constant_and_the_rows_that_contradict():
    r = np.random.default_rng(3)
    frame = pd.DataFrame(
        {"came": r.integers(0, 90, 300), "left": r.integers(91, 300, 300), "other": r.normal(size=300)}
    )
    frame["stayed"] = frame["left"] - frame["came"]
    frame.loc[[8, 77], "stayed"] += [40, -13]
    (made,) = found(frame, "made-up-of-others")
    assert made.statement.startswith("stayed is left − came in all but 2 of 300 rows (rows 8, 77)")
    whole = pd.DataFrame(r.normal(50, 9, (300, 2)), columns=["p", "q"])
    whole["both"] = (0.731 * whole["p"] + 0.269 * whole["q"] + r.normal(0, 0.02, 300)).round(2)
    assert not found(whole, "made-up-of-others")  # no weights that a person would take


# --- what was made even -----------------------------------------------------------------------------------


@settings(max_examples=20, deadline=None)
@given(st.integers(2, 5), st.integers(2, 4), st.integers(2, 4), st.integers(1, 4), st.integers(0, 99))
def test_crossed_factors_are_said_and_chance_makes_none(a, b, c, each, seed):
    r = np.random.default_rng(seed)
    parts = [[f"{n}{k}" for k in range(m)] for n, m in (("p", a), ("q", b), ("s", c))]
    even = pd.MultiIndex.from_product(parts, names=["feed", "strain", "site"]).to_frame(index=False)
    frame = even.loc[even.index.repeat(each)].reset_index(drop=True)
    frame = frame.iloc[r.permutation(len(frame))].reset_index(drop=True)
    frame["honey_kg"] = r.normal(20, 3, len(frame))
    if len(even) >= 24:
        (made,) = found(frame, "by-design")
        assert set(made.columns) == {"feed", "strain", "site"}
        assert made.evidence == {"combinations": len(even), "filled": len(even), "each": each, "rows": len(frame)}
        gone = frame.iloc[: int(0.9 * len(frame))] if each == 1 and len(even) >= 60 else frame
        assert found(gone, "by-design")
    drawn = frame.apply(lambda column: r.permutation(column))  # each by itself is as even as it was
    assert not [f for f in found(drawn, "by-design") if len(f.columns) > 1]


def test_cases_picked_to_match_are_said_once_with_all_that_is_the_same_in_a_set():
    r = np.random.default_rng(5)
    stratum = np.repeat(np.arange(60), 4)
    frame = pd.DataFrame({"stratum": stratum, "age": np.repeat(r.integers(20, 40, 60), 4), "dose": r.poisson(5, 240)})
    frame["case"] = np.tile(["yes", "no", "no", "no"], 60)
    (made,) = found(frame, "by-design", outcome="case")
    assert made.weight == "caution"
    assert {"stratum", "age", "case"} == set(made.columns)
    assert "in 25% of the rows" in made.statement
    assert not found(frame.assign(case=r.permutation(frame["case"])), "by-design", outcome="case")


# --- along the file, and without an outcome ---------------------------------------------------------------


def test_a_file_in_the_order_of_the_outcome_or_of_something_like_it_is_said():
    r = np.random.default_rng(6)
    x, y = r.normal(size=600), r.gamma(2, 3, 600)
    sold = pd.DataFrame({"x": x, "y": np.sort(y)})
    told = lambda frame, **o: [f.statement for f in found(frame, "drift-along-rows", "balance", outcome="y", **o)]  # noqa: E731
    assert told(sold) == ["The 600 rows are sorted by y: the smallest first, the largest last."]
    assert told(sold.iloc[::-1]) == ["The 600 rows are sorted by y: the largest first, the smallest last."]
    assert told(sold.sample(frac=1, random_state=1)) == []
    blocks = pd.DataFrame({"x": x, "y": np.repeat(["b", "a", "c"], 200)})
    assert told(blocks) == [
        "The 600 rows are sorted by y: first 200 rows of 'b', then 200 rows of 'a', then 200 rows of 'c'."
    ]
    none = pd.DataFrame({"x": x, "y": np.where(np.arange(600) < 430, y, 0)})
    assert told(none) == ["The 600 rows are sorted by y: all 170 rows that are 0 stand last."]
    none.loc[[0, 500], "y"] = none.loc[[500, 0], "y"].to_numpy()
    assert "sorted" not in "".join(told(none))
    (drift,) = told(pd.DataFrame({"x": x, "y": y + np.linspace(0, 6, 600)}))
    assert "in rows 0 to 49," in drift or "in rows 550 to 599" in drift
    walk = pd.DataFrame({"x": x, "y": np.cumsum(r.normal(size=600))})
    (series,) = found(walk, "drift-along-rows", "balance", outcome="y")
    assert series.weight == "caution"
    assert series.evidence["neighbours"] == pytest.approx(stats.pearsonr(walk["y"][:-1], walk["y"][1:])[0])
    assert not told(
        pd.DataFrame({"day": pd.date_range("2024-01-01", periods=600), "y": walk["y"]})
    )  # that is said of day
    assert len(told(pd.DataFrame({"x": x[:120], "y": np.repeat([3, 9, 5, 1], 30)}))) == 1  # stretches that never vary
    for n in (66, 130, 300):  # fewer stretches, of as many rows each
        few = pd.DataFrame({"x": x[:n], "y": (y[:n] + np.linspace(0, 12, n)).round(2)})
        assert len(told(few)) == 1, n
        assert told(few.sample(frac=1, random_state=n)) == [], n
        years = few.assign(year=2024 - n + np.arange(n))
        (over,) = found(years, "outcome-drift", "balance", outcome="y")
        assert over.evidence["last"] > over.evidence["first"] + 3
        assert told(years) == []
    unit = np.repeat(np.arange(4), 150)
    assert told(pd.DataFrame({"u": unit, "x": x, "y": unit + y}), unit="u") == []  # four cases


def test_outcomes_that_are_missing_follow_a_column_or_none():
    r = np.random.default_rng(7)
    site = r.choice(["valley", "ridge"], 800)
    frame = pd.DataFrame({"site": site, "x": r.normal(size=800), "y": r.normal(size=800)})
    gone = r.random(800) < np.where(site == "ridge", 0.3, 0.05)
    (made,) = found(frame.assign(y=frame["y"].mask(gone)), "outcome-missing", "balance", outcome="y")
    share = [gone[site == s].mean() for s in ("valley", "ridge")]
    assert (made.weight, made.columns, made.evidence["column"]) == ("caution", ("y", "site"), "site")
    assert made.evidence["shares"] == pytest.approx(share)
    few = frame["y"].mask(r.random(800) < 0.04)
    (made,) = found(frame.assign(y=few), "outcome-missing", "balance", outcome="y")
    assert (made.weight, made.columns) == ("note", ("y",))


def test_an_outcome_that_is_mostly_zero_asks_two_questions_and_a_poisson_one_does_not():
    r = np.random.default_rng(8)
    many = pd.DataFrame({"x": r.normal(size=500), "y": np.where(r.random(500) < 0.6, 0, r.poisson(6, 500))})
    assert found(many, "outcome-zeros", "balance", outcome="y")
    assert not found(many, "excess-zeros", "balance", outcome="y")  # said once
    assert not found(many.assign(y=r.poisson(0.7, 500)), "outcome-zeros", "balance", outcome="y")


# --- units, copies, levels, values ------------------------------------------------------------------------


def test_rows_of_a_case_resemble_each_other_as_the_mean_squares_say():
    r = np.random.default_rng(9)
    codes = np.repeat(np.arange(40), 6)
    y = r.normal(size=40)[codes] + r.normal(size=240)
    table = y.reshape(40, 6)
    f = stats.f_oneway(*table).statistic
    assert _intraclass(y, codes, 1) == pytest.approx((f - 1) / (f + 5))
    assert _intraclass(r.normal(size=240), codes, 1) == 0.0
    frame = pd.DataFrame({"id": codes + 700, "y": y, "x": r.normal(size=240)})
    (unit,) = found(frame, "likely-unit", outcome="y")
    assert unit.evidence["alike"] == pytest.approx((f - 1) / (f + 5))
    assert not found(frame.assign(y=r.permutation(y)), "likely-unit", outcome="y")
    assert not found(frame.assign(id=np.where(codes < 20, 0, codes)), "likely-unit", outcome="y")  # a place-holder


def test_rows_that_were_copied_are_told_from_rows_that_are_alike_by_chance():
    r = np.random.default_rng(10)
    wide = pd.DataFrame(r.integers(1, 10, (120, 14))).add_prefix("item")
    twice = pd.concat([wide, wide.iloc[[4]]], ignore_index=True)
    (made,) = found(twice, "duplicate-rows")
    assert (made.weight, made.evidence["rows"]) == ("note", ["120"])
    assert not found(wide, "duplicate-rows")
    assert not found(pd.DataFrame(r.integers(1, 4, (120, 3))), "duplicate-rows")  # 27 ways to be
    assert "no row twice" in str(Study(wide).inventory())
    assert "1 row repeats an earlier one" in str(Study(twice).inventory())


@pytest.mark.parametrize(
    ("levels", "said"),
    [
        (["meadow", "meadwo", "forest"], True),
        (["Meadow", "meadow ", "forest"], True),
        (["north hill", "north-hill", "forest"], True),
        (["A", "A-", "B", "B+"], False),
        (["table", "cable", "sable", "forest"], False),
        (["caple", "cable", "camle", "forest"], False),  # one place takes three letters
        (["HX21B", "HX21C", "forest"], False),
    ],
)
def test_spellings_are_of_words_and_not_of_marks_codes_and_other_words(levels, said):
    counts = [200, *([4] * (len(levels) - 2)), 90] if said else [100] * len(levels)
    frame = pd.DataFrame({"place_kind": np.repeat(levels, counts)})
    assert bool(found(frame, "level-spelling")) == said


def test_few_rows_at_a_level_are_said_of_all_columns_at_once():
    r = np.random.default_rng(11)
    frame = pd.DataFrame(
        {"hive": ["skep"] * 7 + ["box"] * 493, "supers": r.choice([0, 1, 2], 500), "y": r.normal(size=500)}
    )
    frame.loc[:4, "supers"] = 5
    frame["kind"] = r.choice(["a", "b"], 500)
    (made,) = found(frame, "rare-levels")
    assert made.evidence["levels"] == {"supers": {"5": 5}, "hive": {"'skep'": 7}}
    assert not found(frame[["kind", "y"]], "rare-levels")


def test_values_before_all_others_beyond_what_can_be_and_of_another_unit():
    r = np.random.default_rng(12)
    age = r.uniform(18, 80, 500).round(1)
    few = age.copy()
    few[[3, 200]] = [0.3, 0.9]
    (made,) = found(pd.DataFrame({"age": few}), "impossible-value")
    assert (made.evidence["rows"], made.evidence["low"]) == (["3", "200"], few[few > 1].min())
    assert not found(pd.DataFrame({"age": age}), "impossible-value")
    assert not found(pd.DataFrame({"span": r.gamma(2, 9, 500)}), "impossible-value")  # thins out towards zero
    months = r.uniform(0, 132, 2_000)
    (unit,) = found(pd.DataFrame({"age": months}), "impossible-value")
    assert unit.weight == "note"
    assert "another unit of measure" in unit.statement


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ([1, 2, 3, 4, 5, 9], True), ([0, 1, 2, 3, -9], True), ([1, 2, 3, 4, 5, 6], False), ([1, 2, 3, 5, 6, 9], False),
        ([1, 2, 3, 4, 5, 7], False),
    ],
)  # fmt: skip
def test_a_mark_beside_a_scale_is_one_that_no_grade_leads_to(values, said):
    frame = pd.DataFrame({"quality_rating": np.resize([*values[:-1]] * 9 + [values[-1]], 600)})
    assert bool(found(frame, "sentinel-value", kinds={"quality_rating": "ordinal"})) == said


def test_columns_that_are_nearly_constant_are_said_at_once_and_all_left_out_of_a_proposal():
    frame = pd.DataFrame({f"k{i}": ["y"] * 800 for i in range(5)})
    for i in range(5):
        frame.loc[: i + 1, f"k{i}"] = "x"
    frame["y"] = np.random.default_rng(13).normal(size=800)
    frame = frame.sample(frac=1, random_state=1)
    (made,) = found(frame, "nearly-constant", outcome="y")
    assert made.columns == tuple(f"k{i}" for i in range(5))
    assert "k0 (2), k1 (3), k2 (4), k3 (5), k4 (6)" in made.statement
    proposed = Study(frame, outcome="y").preparation()
    dropped = {c for o in proposed if o.name == "drop" for c in o.columns}
    assert {*made.columns} == dropped | {c for s in proposed.suggestions for c in s.columns}
    assert dropped


def test_all_that_was_joined_from_the_outcome_is_left_out_of_a_proposal():
    r = np.random.default_rng(8)
    fed = r.choice(list("abcd"), 600)
    frame = pd.DataFrame({"fed": fed, "load": r.normal(size=600)})
    for name, some in (("sweet", "ab"), ("wet", "ac"), ("cheap", "ad")):
        frame[name] = np.where(np.isin(fed, list(some)), "yes", "no")
    (made,) = (f for f in found(frame, "made-up-of-others", outcome="fed") if f.weight == "stop")
    assert made.advice.startswith("Leave them out")
    dropped = {c for o in Study(frame, outcome="fed").preparation() if o.name == "drop" for c in o.columns}
    assert {"sweet", "wet", "cheap"} <= dropped


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.lists(st.integers(4, 40), min_size=3, max_size=6))
def test_levels_made_even_within_another_column_are_said_and_even_ones_by_chance_are_not(seed, sizes):
    assume(len(set(sizes)) > 1)  # of places of one size every combination occurs as often, which is said of both
    r = np.random.default_rng(seed)
    place = np.repeat([f"p{k}" for k in range(len(sizes))], 2 * np.array(sizes))
    frame = pd.DataFrame({"place": place, "x": r.normal(size=len(place))})
    even = frame.assign(team=np.concatenate([r.permutation(np.tile(["red", "blue"], n)) for n in sizes]))
    chance = np.prod([stats.binom.pmf(n, 2 * n, 0.5) for n in sizes])
    over_all = stats.binom.pmf(sum(sizes), 2 * sum(sizes), 0.5)
    # two columns may be it, within nothing or the other
    said = min(chance / over_all, over_all) < 0.001 / 4
    assert bool([f for f in found(even, "by-design") if f.columns[0] == "team"]) == said
    free = frame.assign(team=r.choice(["red", "blue"], len(place)))
    assert [f for f in found(free, "by-design") if f.columns[0] == "team"] == []
