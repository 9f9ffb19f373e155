"""What the stalls' table shows: ratios, rhythms, levels that bring others, and gaps that another column explains."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

from envelt import Study
from envelt.demo.others import OTHERS
from samples import found


@pytest.fixture(scope="module")
def stalls():
    return OTHERS["stalls"]()


@pytest.fixture(scope="module")
def twin():
    return OTHERS["stalls"](planted=False)


@pytest.mark.parametrize("factor", [1, 1000, 1e-6])
def test_a_ratio_has_spearmans_correlation_the_way_round_that_it_rises_in_any_unit(stalls, factor):
    frame = stalls.assign(takings=stalls["takings"] * factor, rating=-stalls["rating"])
    (told,) = found(frame, "together-as-ratio", "against", outcome="rating")
    assert told.columns == ("visitors", "takings", "rating")  # of fewer for each coin ratings are worse
    rho = stats.spearmanr(frame["visitors"] / frame["takings"], frame["rating"])[0]
    assert told.evidence["ratio"][0] == pytest.approx(rho)
    assert told.evidence["ratio"][1] < rho < told.evidence["ratio"][2]
    alone = [stats.spearmanr(frame[c], frame["rating"])[0] for c in told.columns[:2]]
    assert told.evidence["alone"] == pytest.approx(alone)
    assert f"{rho:+.2f}" in told.statement


def test_ratios_of_a_class_are_told_and_those_of_amounts_that_go_their_own_way_or_hold_by_rows_only_are_not(stalls):
    good = stalls.assign(good=np.where(stalls["rating"] > stalls["rating"].median(), "yes", "no")).drop(
        columns="rating"
    )
    (told,) = found(good, "together-as-ratio", "against", outcome="good")
    assert told.columns == ("takings", "visitors", "good")
    r = np.random.default_rng(1)
    apart = pd.DataFrame({"a": r.lognormal(0, 1, 900), "b": r.lognormal(0, 1, 900)})
    apart["y"] = np.log(apart["a"] / apart["b"]) + r.normal(size=900)
    assert found(apart, "together-as-ratio", "against", outcome="y") == []  # two columns, and no size of one thing
    made = stalls.assign(rating=stalls["takings"] / stalls["visitors"])
    assert found(made, "together-as-ratio", "against", outcome="rating") == []  # the outcome is the ratio
    r = np.random.default_rng(0)
    case = np.repeat(np.arange(12), 75)
    size, share = r.lognormal(0, 1.5, 12)[case], r.lognormal(0, 1, 12)[case]
    frame = pd.DataFrame({"case": case, "all": size * r.lognormal(0, 0.1, 900)})
    frame["part"], frame["y"] = frame["all"] * share, np.log(share) + r.normal(0, 1, 12)[case] + r.normal(size=900)
    rows = found(frame.drop(columns="case"), "together-as-ratio", "against", outcome="y")
    assert len(rows) == 1
    assert found(frame, "together-as-ratio", "against", outcome="y", unit="case") == []


def test_of_pure_noise_no_ratio_is_told():
    told = 0
    for seed in range(40):
        r = np.random.default_rng(seed)
        size = r.lognormal(0, 1, 200)
        frame = pd.DataFrame({f"a{k}": size * r.lognormal(0, 0.5, 200) for k in range(6)})
        told += len(found(frame.assign(y=r.normal(size=200)), "together-as-ratio", "against", outcome="y"))
    assert told <= 1


@pytest.mark.parametrize("wanted", [True, False])
def test_ratings_come_round_with_the_weekday_and_no_more_where_a_column_tells_it(stalls, wanted):
    frame = stalls if wanted else stalls.assign(weekday=pd.to_datetime(stalls["sold"]).dt.day_name().str[:3])
    told = found(frame, "outcome-rhythm", "balance", outcome="rating")
    assert bool(told) is wanted
    if wanted:
        means = stalls.groupby(pd.to_datetime(stalls["sold"]).dt.day_name())["rating"].mean()
        assert told[0].evidence["at"] == pytest.approx(means.to_dict())
        assert "(Sunday)" in told[0].statement


@pytest.mark.parametrize(("part", "times"), [("month", "D"), ("hour", "h")])
def test_months_and_hours_come_round_and_what_only_goes_on_does_not(part, times):
    r = np.random.default_rng(2)
    at = pd.date_range("2020-01-01", periods=2_000, freq=times)
    place = at.month if part == "month" else at.hour
    turns = pd.DataFrame({"at": at, "y": np.sin(place / place.max() * 2 * np.pi) + r.normal(size=2_000)})
    (told,) = found(turns, "outcome-rhythm", "balance", outcome="y")
    assert told.evidence["part"] == part
    goes_on = turns.assign(y=np.arange(2_000) / 500 + r.normal(size=2_000))
    assert found(goes_on, "outcome-rhythm", "balance", outcome="y") == []
    event = turns.assign(y=np.where(turns["y"] > 0, "yes", "no"))
    assert [f.evidence["part"] for f in found(event, "outcome-rhythm", "balance", outcome="y")] == [part]


def test_a_level_that_brings_another_is_counted_beside_the_rest_and_cases_count(stalls):
    (told,) = found(stalls, "redundancy-of-levels", outcome="rating")
    (pair,) = told.evidence["pairs"]
    gate = stalls["stall"] == "gate"
    cash = stalls["payment"] == "cash"
    assert pair[:4] == ["stall", "'gate'", "payment", "'cash'"]
    assert pair[4:] == [int((gate & cash).sum()), int(gate.sum()), pytest.approx(cash[~gate].mean())]
    assert found(stalls.assign(day=np.arange(900) // 60), "redundancy-of-levels", outcome="rating", unit="day") == []
    flags = pd.DataFrame({"a": np.repeat([1, 0, 0], 300), "b": np.repeat([0, 1, 0], 300), "y": stalls["rating"]})
    assert found(flags, "redundancy-of-levels", outcome="y") == []  # never both: that is told of flags
    r = np.random.default_rng(3)
    noise = pd.DataFrame(r.choice(list("abcd"), (900, 8)), columns=list("stuvwxyz")).assign(y=r.normal(size=900))
    assert found(noise, "redundancy-of-levels", outcome="y") == []


def test_gaps_that_another_column_explains_are_told_of_that_one_and_others_of_the_outcome(stalls, twin):
    follows = lambda frame: [f.columns[0] for f in found(frame, "missing-follows-outcome", outcome="rating")]  # noqa: E731
    assert follows(stalls) == []
    twice = stalls.assign(snow_mm=stalls["rain_mm"] / 7)
    assert follows(twice) == []  # gaps of the same rows
    shop = stalls["stall"] == "shop"
    half = stalls.assign(rain_mm=stalls["rain_mm"].where(~shop | (np.arange(900) % 3 > 0), 1.0))
    assert follows(half) == ["rain_mm"]  # two in three of the shop's days: not explained whole
    high = stalls["rating"] > stalls["rating"].quantile(0.7)
    assert follows(twin.assign(rain_mm=np.where(high, np.nan, 1.0 + np.arange(900) % 9), rating=stalls["rating"])) == [
        "rain_mm"
    ]
    (told,) = found(stalls, "missing-follows-column", outcome="rating")
    assert told.evidence["explains"] == pytest.approx(1.0)
    assert Study(stalls, outcome="rating").preparation().operations


def recipes(frame, **options):
    return {
        k: (f.weight, v) for f in found(frame, "made-up-of-others", **options) for k, v in f.evidence["recipes"].items()
    }


def test_what_is_made_from_the_row_before_or_is_a_distance_is_told_with_its_recipe(stalls, twin):
    made = recipes(stalls, outcome="rating")
    assert made == {
        "change": ("caution", "takings less that of the row before"),
        "away": ("caution", "the distance of visitors from 60"),
    }
    assert recipes(stalls, outcome="takings")["change"][0] == "stop"
    assert recipes(twin, outcome="rating") == {}
    upwards = stalls.iloc[::-1].reset_index(drop=True)
    assert recipes(upwards, outcome="rating")["change"][1] == "takings less that of the row after"
    share = stalls.assign(change=stalls["takings"].pct_change())
    assert recipes(share)["change"][1] == "the change of takings since the row before, as a share"
    percent = stalls.assign(change=(100 * stalls["takings"].pct_change()).round(1))
    assert recipes(percent)["change"][1] == "the change of takings since the row before, in percent"
    before = stalls.assign(change=stalls["takings"].shift(1))
    assert recipes(before, outcome="takings")["change"] == ("note", "takings of the row before")
    slow = stalls[["rating"]].assign(a=np.repeat(np.arange(90), 10) * 1.5, b=np.repeat(np.arange(90), 10) * 1.5)
    assert "row before" not in str(recipes(slow, outcome="rating"))  # copies of what seldom changes
    stall = stalls.sort_values("stall", kind="stable").reset_index(drop=True)
    stall["change"] = stall.groupby("stall")["takings"].diff()
    assert recipes(stall)["change"][1] == "takings less that of the row before"  # three histories
    lags = stalls[["takings", "rating"]].assign(**{f"lag{k}": stalls["takings"].shift(k) for k in (1, 2, 3, 4)})
    (story,) = found(lags, "made-up-of-others", outcome="rating")
    assert story.evidence["recipes"] == {
        f"lag{k}": f"{'takings' if k == 1 else f'lag{k - 1}'} of the row before" for k in (1, 2, 3, 4)
    }
    assert story.statement.endswith("to within rounding; and 1 more so.")
    shuffled = stalls.sample(frac=1, random_state=1)
    assert "change" not in recipes(shuffled)
    wrong = stalls.assign(change=stalls["change"].where(np.arange(900) % 2 > 0, 0.5))
    assert "change" not in recipes(wrong)  # of every second row


def test_values_of_a_row_each_are_not_read_off_a_date(stalls):
    days = stalls[["sold", "takings", "rating"]].iloc[:200]
    assert found(days.assign(takings=np.arange(200) * 1.5), "made-from-date", outcome="rating") == []
    assert found(days, "made-from-date", outcome="rating") == []
    first = pd.concat([days, days]).assign(day=np.tile(np.arange(200) + 3, 2))  # 3 January is the third day
    (told,) = found(first, "made-from-date", outcome="rating")
    assert told.evidence["parts"] == {"day": "day of the year"}


@pytest.mark.parametrize("each", [1, 3])
def test_people_of_as_many_rows_each_are_likely_units_though_they_are_few_and_agree_on_nothing(each):
    r = np.random.default_rng(4)
    people = np.repeat([f"p{k}" for k in range(15)], each)
    frame = pd.DataFrame({"person": people, "x": r.normal(size=15 * each), "y": r.normal(size=15 * each)})
    frame = frame.sample(frac=1, random_state=1)
    assert bool(found(frame, "likely-unit", outcome="y")) is (each > 1)
    assert found(frame.rename(columns={"person": "colour"}), "likely-unit", outcome="y") == []


def test_a_product_with_one_of_few_values_has_its_recipe(stalls):
    boxes = np.random.default_rng(5).choice([1, 2, 4, 8, 12], 900)
    made = recipes(stalls.assign(boxes=boxes, jars=boxes * stalls["shelf_months"]), outcome="rating")
    assert made["jars"][1] == "shelf_months × boxes"


@pytest.mark.parametrize(("value", "weight"), [("mean", "caution"), (2.5, "note"), (3.0, None)])
def test_a_cell_between_the_steps_of_a_scale_is_told_and_whether_it_is_their_mean(value, weight):
    r = np.random.default_rng(6)
    grades = r.integers(1, 6, 400).astype(float)
    grades[123] = grades[np.arange(400) != 123].mean() if value == "mean" else value
    told = found(pd.DataFrame({"grade": grades, "x": r.normal(size=400)}), "impossible-value")
    assert [f.weight for f in told] == ([] if weight is None else [weight])
    if told:
        assert told[0].evidence["rows"] == ["123"]
        assert ("mean of the others" in told[0].statement) is (value == "mean")
    halves = pd.DataFrame({"grade": np.round(2 * grades) / 2 + r.choice([0, 0.5], 400), "x": r.normal(size=400)})
    assert found(halves, "impossible-value") == []


@pytest.mark.parametrize(("far", "weight"), [(9.0, "caution"), (5.2, "note"), (4.2, None)])
def test_a_value_that_sets_the_axis_alone_is_a_caution(far, weight):
    x = stats.norm.ppf((np.arange(200) + 0.5) / 200)
    x[100] = far
    told = found(pd.DataFrame({"x": x, "y": np.arange(200) % 7 * 1.5}), "outliers-apart", "distribution")
    assert [f.weight for f in told] == ([] if weight is None else [weight])
    if told:
        gap = far - np.sort(x)[-2]
        assert bool(gap >= (far - x.min()) / 3) is (weight == "caution")


def test_a_tail_of_eighty_rows_is_told_and_of_few_normal_ones_hardly_ever():
    r = np.random.default_rng(7)
    assert found(pd.DataFrame({"x": r.gamma(2.5, 2, 80)}), "long-tail", "distribution")
    noise = pd.DataFrame(r.normal(size=(60, 150)), columns=[f"c{k}" for k in range(150)])
    tails = found(noise, "long-tail", "distribution")
    assert sum(len(f.columns) for f in tails) <= 2


def test_columns_that_are_missing_on_the_same_rows_are_told_once():
    r = np.random.default_rng(8)
    y = r.normal(size=600)
    gone = y > np.quantile(y, 0.4)
    frame = pd.DataFrame({f"m{k}": np.where(gone, np.nan, r.normal(size=600)) for k in range(5)}).assign(y=y)
    frame["other"] = np.where(y > np.quantile(y, 0.8), np.nan, r.normal(size=600))
    for code, names in (("mostly-missing", 5), ("missing-follows-outcome", 6)):
        told = found(frame, code, outcome="y")
        assert sum(len([c for c in f.columns if c != "y"]) for f in told) == names
        assert told[0].statement.endswith("The same rows lack m1, m2, m3, m4.")
        assert {*told[0].columns} >= {f"m{k}" for k in range(5)}
    columns = {
        f"{c}{k}": np.where(y > np.quantile(y, 0.5 + 0.08 * k), np.nan, y * r.normal(size=600))
        for c in "ab"
        for k in range(5)
    }
    (many,) = found(pd.DataFrame(columns).assign(y=y), "missing-follows-outcome", outcome="y")
    assert many.statement.startswith("10 columns are missing more often")
    assert len(many.columns) == 11


def test_no_row_of_a_class_at_a_level_is_told_of_three_classes_too():
    r = np.random.default_rng(9)
    place = r.choice(["a", "b"], 500)
    job = np.where(r.random(500) < np.where(place == "a", 0.12, 0), "rare", r.choice(["x", "z"], 500))
    frame = pd.DataFrame({"place": place, "noise": r.choice(["p", "q"], 500), "job": job})
    (told,) = found(frame, "step-to-none", "against", outcome="job")
    n = int((place == "b").sum())
    assert told.statement.startswith(f"None of the {n} rows where place is 'b' is 'rare'; of the others")
    share = np.mean(job[place == "a"] == "rare")
    assert told.evidence["rest"] == pytest.approx(share)
    assert told.evidence["expected"] == pytest.approx(n * share)


@pytest.mark.parametrize(("outcome", "other", "wanted"), [
    ("score", "raw_score", True), ("adj_score", "score", True), ("score_raw", "score_adjusted", True),
    ("score", "draw_score", False), ("score", "score2", False),
])  # fmt: skip
def test_the_outcome_before_it_was_adjusted_is_told_by_its_name(outcome, other, wanted):
    r = np.random.default_rng(10)
    y = r.normal(size=300)
    frame = pd.DataFrame({outcome: y, other: y + r.normal(0, 0.3, 300), "x": r.normal(size=300)})
    told = [f for f in found(frame, "known-later", outcome=outcome) if other in f.columns]
    assert bool(told) is wanted
    loose = frame.assign(**{other: r.normal(size=300)})
    assert found(loose, "known-later", outcome=outcome) == []
