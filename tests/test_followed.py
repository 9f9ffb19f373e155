"""What tables of colonies that were followed, and of yards of many sizes, show; and what their clean twins do not."""

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.demo.others import OTHERS
from samples import found


@pytest.fixture(scope="module")
def followed():
    return OTHERS["followed"]()


@pytest.fixture(scope="module")
def harvests():
    return OTHERS["harvests"]()


def test_a_span_whose_largest_value_is_where_watching_ended_is_told_with_both_shares(followed):
    (told,) = (f for f in found(followed, "known-later", outcome="swarmed") if "week" in f.columns)
    last, swarmed = followed["week"] == followed["week"].max(), followed["swarmed"] == "yes"
    assert told.evidence["with"] == pytest.approx(swarmed[~last].mean())
    assert told.evidence["without"] == pytest.approx(swarmed[last].mean())
    assert told.evidence["rows"] == [int((~last).sum()), int(last.sum())]
    assert told.statement.startswith("Below the largest value of week, 26, swarmed is 'yes' in 100.0% of")
    stayed = followed.assign(swarmed=np.where(swarmed, "left", "stayed"))
    (other,) = (f for f in found(stayed, "known-later", outcome="swarmed", event="stayed") if "week" in f.columns)
    assert "At the largest value of week, 26, swarmed is 'stayed' in 98" in other.statement
    mixed = followed.assign(week=followed["week"].where(np.arange(480) % 3 > 0, 10))
    assert not [f for f in found(mixed, "known-later", outcome="swarmed") if "week" in f.columns]
    few = followed.assign(box=np.arange(480) // 32)  # fifteen cases are too few to tell by
    assert not [f for f in found(few, "known-later", outcome="swarmed", unit="box") if "week" in f.columns]


@pytest.mark.parametrize(("span", "end", "wanted"), [
    ("follow_up", "died", True), ("survival.time", "status", True), ("stime", "censored", True),
    ("time", "event", True), ("diag.time", "status", False), ("bedtime", "died", False),
    ("follow_up", "married", False),
])  # fmt: skip
def test_how_long_and_how_it_ended_are_told_by_their_names_where_they_go_together(followed, span, end, wanted):
    frame = followed[["follow_up", "died", "comb_pollen"]].set_axis([span, end, "comb_pollen"], axis=1)
    told = found(frame, "known-later", outcome="comb_pollen")
    assert [set(f.columns) for f in told] == ([{span, end}] if wanted else [])
    loose = frame.assign(**{end: np.random.default_rng(0).permutation(frame[end])})
    assert found(loose, "known-later", outcome="comb_pollen") == []


@pytest.mark.parametrize("rows", [45, 100, 158, 480])
def test_shares_that_sum_to_one_are_told_with_the_rows_that_do_not(followed, rows):
    frame = followed[["comb_nectar", "comb_pollen", "comb_brood", "week"]].iloc[:rows].copy()
    total = frame[["comb_nectar", "comb_pollen", "comb_brood"]].sum(axis=1)
    frame["comb_brood"] -= (total - 1).round(3)
    slips = [] if rows < 100 else [3, 50]
    frame.loc[slips, "comb_brood"] += 0.2
    (told,) = found(frame, "made-up-of-others")
    assert told.evidence["how"] == "1 − comb_nectar − comb_pollen"
    assert told.evidence["against"] == len(slips)
    assert ("(rows 3, 50)" in told.statement) is bool(slips)


@pytest.mark.parametrize("sizes", [(10, 9, 9, 8, 8), (30, 5, 5), (400, 20, 6, 5)])
def test_flags_of_which_just_one_is_set_in_every_row_are_one_column_however_seldom_they_are_set(sizes):
    r = np.random.default_rng(1)
    level = r.permutation(np.repeat(np.arange(len(sizes)), sizes))
    flags = {f"in_{'abcde'[k]}": (level == k).astype(int) for k in range(len(sizes))}
    frame = pd.DataFrame(flags).assign(x=r.normal(size=len(level)))
    (told,) = found(frame, "redundancy-of-flags")
    assert told.columns == tuple(flags)
    assert told.weight == "caution"
    assert found(frame, "made-up-of-others", "relations") == []  # it is told already
    two = frame.drop(columns="in_b")
    assert not [f for f in found(two, "redundancy-of-flags") if f.weight == "caution"]
    both = frame.assign(in_b=np.where(np.arange(len(level)) == 0, 1, frame["in_b"]))
    both.loc[0, "in_a"] = 1
    assert not [f for f in found(both, "redundancy-of-flags") if f.weight == "caution"]


def test_an_index_beside_its_years_is_one_column_and_a_line_is_told_as_one(followed):
    (told,) = found(followed, "same-column", outcome="swarmed")
    assert told.columns == ("sugar_price", "year")
    assert "8 of each (2014 with 0.61, 2015 with 0.64" in told.statement
    assert not [f for f in found(followed, "made-up-of-others", outcome="swarmed") if "year" in f.columns]
    line = followed.assign(sugar_price=followed["year"] * 0.02)
    (straight,) = found(line, "same-column", outcome="swarmed")
    assert "slope" in straight.evidence
    case = np.repeat(np.arange(40), 12)
    r = np.random.default_rng(21)
    built = pd.DataFrame(
        {"height": r.normal(170, 9, 40)[case], "weight": r.normal(70, 12, 40)[case], "y": r.normal(size=480)}
    )
    assert found(built, "same-column", outcome="y") == []  # two properties of one case
    once = followed.assign(sugar_price=followed["sugar_price"].where(np.arange(480) != 9, 2.5))
    assert found(once, "same-column", outcome="swarmed") == []


def test_columns_that_go_missing_one_after_another_are_one_story(followed):
    (told,) = found(followed, "missing-together", outcome="swarmed")
    names = [f"look{k}" for k in range(1, 7)]
    assert told.columns == tuple(names)
    assert told.evidence["missing"] == followed[names].isna().sum().to_dict()
    back = followed.assign(look2=followed["look2"].where(followed.index % 2 > 0))
    (rest,) = found(back, "missing-together", outcome="swarmed")
    assert "look2" not in rest.columns
    three = followed.drop(columns=names[3:])
    assert found(three, "missing-together", outcome="swarmed") == []


def test_a_yard_of_a_row_each_year_is_a_likely_unit_and_a_treatment_of_even_numbers_is_none(harvests):
    (told,) = found(harvests, "likely-unit", outcome="honey_kg")
    assert told.columns == ("yard",)
    r = np.random.default_rng(2)
    noise = harvests.assign(honey_kg=r.normal(size=len(harvests)), colonies=r.normal(size=len(harvests)))
    assert [f.columns for f in found(noise, "likely-unit", outcome="honey_kg")] == [("yard",)]
    colour = noise.rename(columns={"yard": "colour", "year": "dose"}).assign(dose=noise["year"] - 2000)
    assert found(colour, "likely-unit", outcome="honey_kg") == []


@pytest.mark.parametrize(("kg", "each"), [(1, 1), (1000, 1), (1, 1e-6)])
def test_an_outcome_in_proportion_is_told_with_the_line_of_both_logarithms_in_any_unit(harvests, kg, each):
    frame = harvests.assign(honey_kg=harvests["honey_kg"] * kg, colonies=harvests["colonies"] * each)
    (told,) = found(frame, "outcome-in-proportion", "against", outcome="honey_kg")
    a, b = np.log(harvests["colonies"]), np.log(harvests["honey_kg"])
    assert told.evidence["correlation_of_logarithms"][0] == pytest.approx(np.corrcoef(a, b)[0, 1])
    assert told.evidence["slope"] == pytest.approx(b.std() / a.std())
    assert told.evidence["rows"] == len(frame)
    rows = told.evidence["correlation_of_logarithms"]
    (units,) = found(frame, "outcome-in-proportion", "against", outcome="honey_kg", unit="yard")
    assert units.evidence["correlation_of_logarithms"][2] - units.evidence["correlation_of_logarithms"][1] > (
        rows[2] - rows[1]
    )


def test_squares_one_size_and_loose_relations_are_no_proportion(harvests):
    told = lambda frame: found(frame, "outcome-in-proportion", "against", outcome="honey_kg")  # noqa: E731
    assert told(harvests.assign(honey_kg=harvests["honey_kg"] ** 2)) == []
    assert told(harvests.assign(honey_kg=1_000 + harvests["honey_kg"])) == []
    r = np.random.default_rng(3)
    assert told(harvests.assign(honey_kg=harvests["honey_kg"] * r.lognormal(0, 1.5, len(harvests)))) == []
    weaker = harvests.assign(honey_kg=harvests["honey_kg"] * r.lognormal(0, 0.65, len(harvests)))
    assert [f.weight for f in told(weaker)] == ["note"]
    assert told(harvests.assign(honey_kg=harvests["colonies"] * 2.5)) == []  # it is the outcome
    assert told(harvests.assign(honey_kg=1 / harvests["honey_kg"])) == []


def test_a_sign_makes_another_level_and_a_slip_does_not():
    grades = np.repeat(["master", "master+", "bachelor", "bachelr"], [200, 20, 180, 2])
    (told,) = found(pd.DataFrame({"grade": grades, "x": np.arange(402) % 7 * 1.1}), "level-spelling")
    assert told.evidence["levels"] == [["bachelor", "bachelr"]]


@pytest.mark.parametrize(("year", "wanted"), [(2019, False), (1921, True), (2091, True)])
def test_a_tail_of_dates_leads_to_its_last_and_a_mistyped_year_stands_apart(year, wanted):
    r = np.random.default_rng(4)
    born = pd.Timestamp("2021-06-01") - pd.to_timedelta((r.exponential(120, 2_000)).round(), "D")
    days = pd.Series(born).astype("datetime64[s]")
    if wanted:
        days[5] = days[5].replace(year=year, day=1)
    told = found(pd.DataFrame({"born": days, "x": r.normal(size=2_000)}), "date-apart")
    assert bool(told) is wanted
    if wanted:
        assert told[0].evidence["rows"] == ["5"]


def test_a_series_that_rises_has_no_peaks_and_two_kinds_of_row_have():
    r = np.random.default_rng(5)
    rises = np.concatenate([np.linspace(10, 20, 250), np.linspace(20, 60, 60), np.linspace(60, 72, 250)])
    frame = pd.DataFrame({"index": rises + r.normal(0, 0.3, 560), "y": r.normal(size=560)})
    assert found(frame, "two-peaks", "distribution", outcome="y") == []
    assert found(frame.sample(frac=1, random_state=1), "two-peaks", "distribution", outcome="y")
    assert found(frame.sort_values("index"), "two-peaks", "distribution", outcome="y")  # the file was sorted by it


def test_a_dose_that_somebody_set_is_strong_and_no_leak_and_repeated_readings_are_no_slips():
    r = np.random.default_rng(6)
    dose = np.repeat(2.0 ** np.arange(-3, 7), 30)
    frame = pd.DataFrame({"plate": np.tile(np.arange(10), 30), "dose": dose})
    frame["reading"] = np.log(dose) + r.normal(0, 0.05, 300)
    frame.loc[10:15, "reading"] = frame.loc[0:5, "reading"].to_numpy()  # of the same plates at the same dose
    assert found(frame, "too-good-to-be-true", "rank", outcome="reading") == []
    assert [f.columns[0] for f in found(frame, "strong-candidate", "rank", outcome="reading")] == ["dose"]
    (again,) = found(frame, "duplicate-rows", outcome="reading")
    assert again.weight == "note"
    uneven = frame.drop(index=range(0, 15))
    (stop,) = found(uneven, "too-good-to-be-true", "rank", outcome="reading")
    assert stop.columns[0] == "dose"


def test_a_line_that_leaves_far_less_open_in_few_rows_is_told_and_chance_is_not():
    r = np.random.default_rng(7)
    x = r.lognormal(0, 1, 44)
    frame = pd.DataFrame({"x": x, "y": np.log(x) + r.normal(0, 0.4, 44)})
    (told,) = found(frame, "straighter-with", "transforms", outcome="y")
    assert told.evidence["transform"] in ("log", "log1p", "box_cox", "log_offset")
    lines = 0
    for _ in range(40):
        x = r.normal(5, 1, 44)
        frame = pd.DataFrame({"x": x, "y": x + r.normal(0, 0.7, 44)})
        lines += len(found(frame, "straighter-with", "transforms", outcome="y"))
    assert lines <= 2


def test_the_proposal_of_followed_colonies_takes_nothing_that_is_known_later(followed):
    proposed = Study(followed, outcome="swarmed").preparation()
    assert "week" in {c for o in proposed if o.name == "drop" for c in o.columns}
    assert "known too late" in next(s.says for s in proposed.suggestions if s.columns == ("look6",))


def test_rows_that_share_what_is_nearly_their_own_are_copies_only_where_they_share_more_than_chance():
    r = np.random.default_rng(8)
    frame = pd.DataFrame({"income": r.permutation(np.arange(200) // 1.12).round(), "a": r.random(200) < 0.3,
                          "b": r.random(200) < 0.4}).astype(int)  # fmt: skip
    assert frame.duplicated().sum() >= 4
    assert found(frame, "duplicate-rows") == []
    copied = pd.concat([frame.drop_duplicates("income"), frame.drop_duplicates("income").iloc[:10]], ignore_index=True)
    (told,) = found(copied, "duplicate-rows")
    assert told.evidence["count"] == 10
    counts = pd.DataFrame({f"brood{k}": r.poisson(2, 60) for k in (1, 2)})
    counts["total"] = counts.sum(axis=1)
    assert counts.duplicated().sum() > 10
    assert found(counts, "duplicate-rows") == []  # of a total and its parts none can differ alone


def test_a_column_that_equals_another_but_in_a_few_rows_is_told_with_them_and_stops_where_it_is_the_outcome():
    r = np.random.default_rng(9)
    frame = pd.DataFrame({"x": r.normal(size=58), "y": r.gamma(2, 50, 58)})
    frame["mended"] = frame["y"]
    frame.loc[[1, 4, 40], "mended"] *= 100
    (told,) = found(frame, "same-column")
    assert (told.weight, told.evidence["unlike"]) == ("caution", ["1", "4", "40"])
    assert "equals y in all but 3 of 58 rows (rows 1, 4, 40)" in told.statement
    (stop,) = found(frame, "same-column", outcome="y")
    assert stop.weight == "stop"
    zeros = pd.DataFrame(
        {"a": r.poisson(0.05, 300) * r.gamma(2, 3, 300), "b": r.poisson(0.05, 300) * r.gamma(2, 3, 300)}
    )
    assert found(zeros, "same-column") == []
    assert found(frame.assign(mended=frame["y"].where(np.arange(58) % 5 > 0, 1.5)), "same-column") == []


def test_many_copies_are_told_at_once_and_the_proposal_drops_them_all():
    r = np.random.default_rng(10)
    frame = pd.DataFrame({f"p{k}": r.normal(size=200) for k in range(5)})
    frame = frame.assign(**{f"q{k}": frame[f"p{k}"] * (k + 1) for k in range(5)}, y=r.normal(size=200))
    (told,) = found(frame, "same-column", outcome="y")
    assert told.statement.startswith("5 columns say what another says already: q0 is p0, q1 is p1")
    dropped = {c for o in Study(frame, outcome="y").preparation() if o.name == "drop" for c in o.columns}
    assert dropped >= {f"q{k}" for k in range(5)}


def test_a_combination_that_stands_twice_where_another_lacks_is_a_slip_and_two_such_are_no_crossing():
    r = np.random.default_rng(11)
    cells = pd.MultiIndex.from_product(
        [list("ABCDE"), [60, 65, 70, 75], ["early", "late"]], names=["kind", "built", "ran"]
    )
    frame = cells.to_frame(index=False).assign(y=r.gamma(2, 3, 40))
    assert [f.weight for f in found(frame, "by-design", outcome="y")] == ["note"]
    slip = frame.copy()
    slip.loc[33, "built"] = 65 if slip.loc[33, "built"] != 65 else 60
    (told,) = found(slip, "by-design", outcome="y")
    assert told.weight == "caution"
    assert "33" in told.evidence["twice"]
    assert "38 occur once, 1 twice (rows" in told.statement
    slip.loc[[3, 5, 8, 20], "built"] = 70
    assert not [f for f in found(slip, "by-design", outcome="y") if f.weight == "caution"]


def test_hours_and_minutes_in_one_number_are_told_with_a_step_and_amounts_are_not():
    minutes = np.arange(100, 1_380, 10)
    clock = minutes // 60 * 100 + minutes % 60
    r = np.random.default_rng(12)
    frame = pd.DataFrame(
        {"left": clock, "came": np.roll(clock, 9), "paid": r.permutation(clock * 1.3).round(), "y": r.normal(size=128)}
    )
    (told,) = found(frame, "mixed-units", outcome="y")
    assert told.columns == ("left", "came")
    assert "(150, and then 200;" in told.statement


def test_the_shares_of_visits_are_no_times_and_waves_are():
    r = np.random.default_rng(13)
    visits = np.sort(r.gamma(3, 10, 120))
    frame = pd.DataFrame(
        {"visit": visits, "teacher": r.integers(2, 20, 120), "y": np.log(visits) + r.normal(0, 0.1, 120)}
    )
    assert found(frame, "ordered-in-time", "rank", outcome="y") == []
    assert found(frame, "likely-unit", outcome="y") == []
    assert found(frame.assign(visit=np.arange(120) / 2), "ordered-in-time", "rank", outcome="y")


def test_rows_in_the_order_of_a_table_of_ages_drift_for_no_other_reason():
    ages = np.tile(np.arange(120), 2)
    r = np.random.default_rng(14)
    frame = pd.DataFrame(
        {"age": ages, "sex": np.repeat(["f", "m"], 120), "risk": np.exp(ages / 20) + r.normal(0, 0.1, 240)}
    )
    assert found(frame, "drift-along-rows", "balance", outcome="risk") == []
    assert found(frame.drop(columns="age"), "drift-along-rows", "balance", outcome="risk")


def test_what_is_taken_after_as_the_outcome_is_is_told_by_its_name_and_days_that_are_units_drift():
    r = np.random.default_rng(15)
    names = ["pretest.1", "post.test.1", "post.test.2", "poster", "y"]
    frame = pd.DataFrame(r.normal(size=(90, 5)), columns=names)
    (told,) = found(frame, "known-later", outcome="post.test.2")
    assert told.columns == ("post.test.1", "post.test.2")
    assert found(frame.drop(columns="pretest.1"), "known-later", outcome="post.test.2") == []
    assert found(frame, "known-later", outcome="y") == []
    day = pd.date_range("2024-01-01", periods=300).repeat(2)
    rises = pd.DataFrame({"day": day, "x": r.normal(size=600), "y": np.arange(600) / 100 + r.normal(size=600)})
    (drift,) = found(rises, "outcome-drift", "balance", outcome="y", unit="day")
    assert drift.columns == ("y", "day")


def test_of_few_columns_a_turn_needs_less_and_of_many_four_errors(monkeypatch):
    r = np.random.default_rng(3)
    old = r.random(1_300) < 0.2
    smokes = r.random(1_300) < np.where(old, 0.2, 0.55)
    died = r.random(1_300) < np.where(old, 0.85, 0.12) + 0.06 * smokes
    frame = pd.DataFrame({"old": old, "smokes": smokes, "died": died}).replace({True: "yes", False: "no"})
    (told,) = (f for f in found(frame, "turns-round", "against", outcome="died") if f.columns[0] == "smokes")
    rates = frame["died"].eq("yes").groupby([frame["old"], frame["smokes"]]).mean().unstack()
    assert (rates["yes"] > rates["no"]).all()
    assert told.weight == "caution"
    many = frame.assign(**{f"n{k}": r.choice(["a", "b"], 1_300) for k in range(40)})
    assert not [f for f in found(many, "turns-round", "against", outcome="died") if f.columns[0] == "smokes"]


def test_shares_and_persons_of_a_few_are_units_and_numbers_that_carry_one_of_their_own():
    r = np.random.default_rng(16)
    firm, year = np.repeat(np.arange(1, 7), 15), np.tile(np.arange(2000, 2015), 6)
    panel = pd.DataFrame({"firm": firm, "year": year, "x": r.normal(size=90), "y": r.normal(size=90)})
    assert [f.columns for f in found(panel, "likely-unit", outcome="y")] == [("firm",)]
    assert found(panel.rename(columns={"firm": "grade"}), "likely-unit", outcome="y") == []
    size = r.integers(1, 14, 25)
    quake = np.repeat(np.arange(1, 26), size)
    strength = r.normal(6, 1, 25).round(2)
    shaken = pd.DataFrame({"quake": quake, "strength": strength[quake - 1], "y": r.normal(size=len(quake))})
    assert [f.columns[0] for f in found(shaken, "likely-unit", outcome="y")] == ["quake"]
    again = shaken.assign(strength=np.log(quake + 5.0))  # the same amount in another form
    assert found(again, "likely-unit", outcome="y") == []
    mixed = shaken.sample(frac=1, random_state=1)
    assert found(mixed, "likely-unit", outcome="y") == []


@pytest.mark.parametrize(("name", "kind"), [("age", "continuous"), ("score", "continuous"), ("row", "identifier")])
def test_each_age_of_a_table_once_is_an_age(name, kind):
    table = Study(pd.DataFrame({name: np.arange(1, 101), "n": np.arange(100) % 13})).table
    assert (table[name].kind in ("continuous", "discrete")) is (kind == "continuous")


def test_months_that_are_numbered_on_are_made_from_year_and_month(harvests):
    frame = pd.DataFrame({"year": np.repeat(np.arange(2012, 2018), 12), "month": np.tile(np.arange(1, 13), 6)})
    frame = frame.assign(t=np.arange(1, 73), y=np.random.default_rng(17).normal(size=72))
    made = {k: v for f in found(frame, "made-up-of-others", outcome="y") for k, v in f.evidence["recipes"].items()}
    assert made == {"t": "12 × year + month − 24144"} or made["t"].startswith("12 × year + month")


def test_rows_sorted_in_stretches_are_told_so_and_a_series_is_none():
    r = np.random.default_rng(18)
    stretches = np.concatenate([np.sort(r.normal(size=80)) for _ in range(4)])
    frame = pd.DataFrame({"x": r.normal(size=320), "y": stretches})
    (told,) = found(frame, "drift-along-rows", "balance", outcome="y")
    assert (told.weight, told.statement) == (
        "note",
        "The 320 rows are sorted by y: the smallest first, in 4 stretches.",
    )
    series = frame.assign(y=np.cumsum(r.normal(size=320)))
    assert [f.weight for f in found(series, "drift-along-rows", "balance", outcome="y")] == ["caution"]


@pytest.mark.parametrize(("noise", "weight"), [(0.1, "caution"), (0.5, "note")])
def test_what_all_but_says_the_same_is_a_caution(noise, weight):
    r = np.random.default_rng(19)
    x = r.normal(size=300)
    frame = pd.DataFrame({"a": x, "b": x + r.normal(0, noise, 300), "c": r.normal(size=300)})
    (told,) = found(frame, "say-nearly-the-same", "relations")
    assert told.weight == weight
    assert (told.evidence["weakest"] >= 0.95) is (weight == "caution")


def test_a_level_of_three_rows_is_told_in_a_small_table_too():
    role = np.repeat(["union", "other", "south", "border"], [21, 15, 11, 3])
    (told,) = found(pd.DataFrame({"role": role, "y": np.arange(50) * 1.3}), "rare-levels", outcome="y")
    assert "role 'border' (3)" in told.statement


@pytest.mark.parametrize(("outcome", "told"), [("rate1", ["rate2", "rate3"]), ("rate2", ["rate3"]), ("rate3", [])])
def test_what_is_numbered_after_the_outcome_and_goes_with_it_is_told_by_its_name(outcome, told):
    r = np.random.default_rng(20)
    rate = r.normal(size=200)
    frame = pd.DataFrame({f"rate{k}": rate + r.normal(0, 0.4, 200) for k in (1, 2, 3)})
    frame["rate4"], frame["ratio9"] = r.normal(size=200), rate
    of = [f for f in found(frame, "known-later", outcome=outcome) if "set with" in f.statement]
    assert [list(f.columns[:-1]) for f in of] == ([told] if told else [])
    for name, r_ in of[0].evidence["r"].items() if of else ():
        assert r_ == pytest.approx(frame[name].corr(frame[outcome], method="spearman"))


@pytest.mark.parametrize("empty", [[], [7], [3, 99]])
def test_rows_without_any_value_are_told_with_their_names(empty):
    r = np.random.default_rng(22)
    frame = pd.DataFrame({"a": r.normal(size=100), "b": r.choice(["p", "q"], 100), "c": r.normal(size=100)})
    for k, name in enumerate(frame):
        frame.loc[[10 + k, *empty], name] = None
    told = found(frame, "empty-rows")
    assert [f.evidence["rows"] for f in told] == ([list(map(str, empty))] if empty else [])
    assert found(frame.assign(d=1.5), "empty-rows") == []


def test_how_long_and_how_it_ended_of_rows_that_are_few_cases_are_not_told_to_agree():
    r = np.random.default_rng(23)
    case = np.repeat(np.arange(12), 40)
    died = (np.arange(12) < 6).astype(int)[case]
    days = (np.arange(12) * 25.0)[r.permutation(12)][case] + r.integers(1, 20, 480) - 60 * died
    frame = pd.DataFrame({"case": case, "follow_up": days, "died": died, "y": r.normal(size=480)})
    assert abs(frame["follow_up"].corr(frame["died"], method="spearman")) > 0.2  # sure if rows were cases
    assert found(frame.drop(columns="case"), "known-later", outcome="y")
    assert found(frame, "known-later", outcome="y", unit="case") == []
