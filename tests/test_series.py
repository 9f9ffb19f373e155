"""What happens along time, against pandas and SciPy, and dates that stand in parts."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from envelt import Study
from envelt.errors import EnveltError, OptionError

RULES = {"day": "D", "month": "MS", "quarter": "QS", "year": "YS", "week": "W-MON"}


def made(n, seed, days=900):
    rng = np.random.default_rng(seed)
    day = pd.Timestamp("2019-11-20") + pd.to_timedelta(rng.integers(0, days, n), "D")
    frame = pd.DataFrame(
        {
            "day": day, "amount": rng.gamma(2, 5, n), "won": np.where(rng.random(n) < 0.3, "yes", "no"),
            "place": rng.choice(["north", "south", "west"], n), "case": rng.integers(0, max(n // 4, 2), n),
        }
    )  # fmt: skip
    frame.loc[rng.choice(n, n // 9, replace=False), "day"] = pd.NaT
    frame.loc[rng.choice(n, n // 9, replace=False), "amount"] = np.nan
    return frame


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from([30, 400]), st.integers(0, 10**6), st.sampled_from(sorted(RULES)), st.sampled_from([None, "place"])
)
def test_as_pandas_resamples(n, seed, unit, by):
    frame = made(n, seed, 60 if unit == "day" else 900)
    study = Study(frame)
    groups = [("", frame)] if by is None else list(frame.groupby(by))
    for measure in ("mean", "sum", "count"):
        of_what = None if measure == "count" else "amount"
        table = study.series("day", of_what, measure=measure, by=by, calendar=unit).table
        for label, part in groups:
            mine = table if by is None else table[table[by] == label]
            there = part.dropna(subset=["day"]).set_index("day")["amount"]
            closed = {"label": "left", "closed": "left"} if unit == "week" else {}
            of = there.resample(RULES[unit], **closed)
            want = of.size() if measure == "count" else of.sum(min_count=1) if measure == "sum" else of.mean()
            got = mine.set_index("start")[measure]
            assert got.loc[want.index].tolist() == pytest.approx(want.tolist(), nan_ok=True)
            rest = got.drop(want.index)  # spans beyond this group's own rows
            assert (rest == 0).all() if measure == "count" else rest.isna().all()
            if measure != "count":
                assert mine.set_index("start")["n"].loc[want.index].tolist() == of.count().tolist()
    starts = table["start"].drop_duplicates()
    assert (starts.diff().dropna() > pd.Timedelta(0)).all()  # none is left out


def test_intervals_are_student_s_and_wilson_s():
    frame = made(500, 3)
    study = Study(frame, outcome="won")
    year = frame["day"].dt.year
    mean = study.series("day", "amount", calendar="year").table
    rate = study.series("day", calendar="year").table
    for k, (_, part) in enumerate(frame.dropna(subset=["day"]).groupby(year)):
        values = part["amount"].dropna()
        ends = stats.t.interval(0.95, len(values) - 1, values.mean(), stats.sem(values))
        assert mean.iloc[k][["low", "high"]].tolist() == pytest.approx(list(ends))
        won = int((part["won"] == "yes").sum())
        wilson = stats.binomtest(won, len(part)).proportion_ci(method="wilson")
        assert rate.iloc[k][["rate", "low", "high"]].tolist() == pytest.approx([won / len(part), *wilson])
    assert rate.index.tolist() == ["2019", "2020", "2021", "2022"]


def test_over_units_it_is_what_the_outcome_over_a_date_is():
    frame = made(400, 8)
    study = Study(frame, outcome="amount", unit="case")
    series, against = study.series("day", calendar="quarter").table, study.against("day", calendar="quarter").table
    filled = series[series["n"] > 0]
    for mine, theirs in (("mean", "mean"), ("low", "mean_low"), ("high", "mean_high")):
        assert filled[mine].tolist() == pytest.approx(against[theirs].tolist(), nan_ok=True)
    rows = Study(frame, outcome="amount").series("day", calendar="quarter").table
    assert rows["low"].tolist() != series["low"].tolist()


def test_months_have_names_and_a_grid():
    view = Study(made(600, 5)).series("day", "amount", calendar="month")
    assert view.table.index[:3].tolist() == ["Nov 2019", "Dec 2019", "Jan 2020"]
    values = view.table.assign(year=view.table["start"].dt.year, month=view.table["start"].dt.strftime("%b"))
    for row in values.itertuples():
        assert view.grid.loc[row.year, row.month] == pytest.approx(row.mean, nan_ok=True)
    assert np.isnan(view.grid.loc[2019, "Jan"])
    assert view.grid.columns.tolist()[0::11] == ["Jan", "Dec"]
    drawn = Study(made(600, 5)).series("day", "amount", calendar="month", grid=True)
    assert "a row a year, a column a month" in drawn.draw().alternative
    assert Study(made(60, 5)).series("day", calendar="quarter").table.index[0] == "Q4 2019"


def test_a_line_breaks_where_there_are_no_rows():
    day = pd.to_datetime(["2021-01-05"] * 12 + ["2021-02-03"] * 12 + ["2021-06-09"] * 12)
    frame = pd.DataFrame({"day": day, "x": np.arange(36.0)})
    view = Study(frame, kinds={"x": "continuous"}).series("day", "x", calendar="month")
    assert "3 months of 6 have no row" in view.answer
    line = next(k for k in view.draw().axes[1].lines if k.get_linestyle() == "-")
    assert np.isnan(line.get_ydata()[2:5]).all()
    counted = Study(frame).series("day", measure="count", calendar="month").table["count"]
    assert counted.tolist() == [12, 12, 0, 0, 0, 12]
    assert "highest in Jun 2021" in view.answer
    assert "It goes from 5.5 in Jan 2021 to 29.5 in Jun 2021" in view.answer


def test_years_and_grades_are_time_too():
    rng = np.random.default_rng(2)
    frame = pd.DataFrame({"year": rng.integers(2001, 2012, 300), "x": rng.normal(size=300),
                          "term": rng.choice(["Jan", "Feb", "Mar", "Apr"], 300)})  # fmt: skip
    frame.loc[frame["year"] == 2005, "year"] = 2006
    study = Study(frame)
    table = study.series("year", "x").table
    assert table.index.tolist() == [str(y) for y in range(2001, 2012)]
    assert table["n"].tolist() == [int((frame["year"] == y).sum()) for y in range(2001, 2012)]
    assert table.loc["2007", "mean"] == pytest.approx(frame.loc[frame["year"] == 2007, "x"].mean())
    months = study.series("term", "x").table
    assert months.index.tolist() == ["Jan", "Feb", "Mar", "Apr"]
    for view in (study.series("year", by="term"), study.series("term"), study.series("year")):
        assert view.draw().alternative
        assert view.answer.endswith(".")


def test_a_line_a_group_up_to_twelve(wintered):
    view = wintered.series("hived_on", by="apiary", calendar="year")
    assert "the 12 largest of 40 groups are drawn" in " ".join(view.about)
    axes = view.draw().axes[1]
    looks = {(k.get_color(), str(k.get_linestyle()), k.get_marker()) for k in axes.lines if len(k.get_xdata()) > 4}
    assert len({(c, d) for c, d, m in looks if m == "None"}) == 12
    assert view.table["apiary"].nunique() == 40
    two = wintered.series("hived_on", "weight_kg", by=["fed", "altitude_band"], calendar="year")
    assert two.table["fed × altitude_band"].nunique() == 6


def test_what_is_no_time_or_no_measure_is_refused(wintered, run):
    for ask, said in (
        (lambda: wintered.series("weight_kg"), "no time"),
        (lambda: wintered.series("hive_type"), "no order in time"),
        (lambda: wintered.series("inspected_on", measure="mean"), "measure='rate'"),
        (lambda: wintered.series("inspected_on", "weight_kg", measure="rate"), "measure='mean'"),
        (lambda: Study("demo").series("inspected_on", measure="sum"), "Of what"),
        (lambda: wintered.series("inspected_on", grid=True, calendar="year"), "calendar='month'"),
        (lambda: wintered.series("inspected_on", by="wintered"), "wintered"),
        (lambda: wintered.series("inspected_on", "inspected_on"), "inspected_on"),
        (lambda: wintered.series("queen_born", calendar="month"), "no date"),
        (lambda: wintered.series("inspected_on", "weight_kg", measure="count"), "count is of rows"),
        (lambda: wintered.series("inspected_on", measure="count", level="weak"), "count is of rows"),
        (lambda: wintered.series("inspected_on", "colony_state", level="weka"), "weak"),
    ):
        with pytest.raises(EnveltError, match=said):
            ask()
    status, out, err = run("series", "demo", "inspected_on", "honey_kg", "--calendar", "month", columns=80)
    assert (status, err) == (0, "")
    assert "Mean of honey_kg over inspected_on, by month" in out
    assert len(out.splitlines()) <= 40
    assert run("series", "demo")[0] == 2


def test_a_date_in_parts_is_one_date(tmp_path, run):
    rng = np.random.default_rng(0)
    day = pd.Timestamp("2018-01-01") + pd.to_timedelta(rng.integers(0, 1500, 80), "D")
    frame = pd.DataFrame(
        {"year": day.year, "month": day.strftime("%B"), "Day of month": day.day, "x": rng.normal(size=80)}
    )
    whole = Study(frame).derive("on", expression='date(year, month, column("Day of month"))')
    assert (whole.to_frame()["on"].to_numpy() == day.to_numpy()).all()
    first = Study(frame).derive("on", expression="date(year, month)").to_frame()["on"]
    assert (first.to_numpy() == day.to_period("M").start_time.to_numpy()).all()
    assert (Study(frame).derive("on", expression="date(year)").to_frame()["on"].dt.day_of_year == 1).all()
    odd = Study({"y": [2020, 2021, 2021], "m": [2, 13, 2], "d": [30, 1, 28]}).derive("on", expression="date(y, m, d)")
    assert odd.to_frame()["on"].isna().tolist() == [True, True, False]
    frame.to_csv(tmp_path / "parts.csv", index=False)
    assert run("begin", "parts.csv", folder=tmp_path)[0] == 0
    text = (tmp_path / "study.toml").read_text()
    offered = "# [derived.date]\n# expression = 'date(year, month, column(\"Day of month\"))'\n"
    assert offered in text
    (tmp_path / "study.toml").write_text(text.replace(offered, offered.replace("# ", "")))
    assert "Mean of x over date" in run("series", "date", "x", folder=tmp_path)[1]
    frame.assign(on=day).drop(columns="month").to_csv(tmp_path / "whole.csv", index=False)
    assert run("begin", "whole.csv", "--out", "whole.toml", folder=tmp_path)[0] == 0
    assert "derived.date" not in (tmp_path / "whole.toml").read_text()
    with pytest.raises(OptionError, match="date"):
        Study(frame.assign(month=rng.choice(["a", "b"], 80))).series("month")


def test_what_is_told_of_spans_and_groups_has_rows_enough():
    r = np.random.default_rng(5)
    day = pd.Timestamp("2021-01-04") + pd.to_timedelta(r.integers(0, 170, 120), "D")
    frame = pd.DataFrame({"day": day, "x": r.normal(size=120), "g": r.choice(["a", "b"], 120)})
    study = Study(frame, kinds={"x": "continuous"})
    assert study.series("day", "x").title.endswith("by month")  # weeks would hold five rows each
    assert study.series("day", "x", measure="sum").title.endswith("by week")
    weeks = study.series("day", "x", calendar="day").answer
    assert "too few rows to tell one from another" in weeks
    assert "highest" not in weeks
    table, answer = study.series("day", "x", by="g").table, study.series("day", "x", by="g").answer
    for g in ("a", "b"):
        mine = table[(table["g"] == g) & (table["n"] >= 10)]
        assert (f"in {mine.index[-1]} where g is {g}" in answer) == (len(mine) > 1)
    assert "where g is a" in answer


def test_years_that_reach_far_are_told_in_round_spans():
    r = np.random.default_rng(1)
    frame = pd.DataFrame({"year": r.integers(20, 2001, 600), "x": r.normal(size=600)})
    table = Study(frame, kinds={"year": "discrete"}).series("year", "x").table
    assert table.index[[0, -1]].tolist() == ["0 to 49", "2000 to 2049"] or table.index[0] == "0 to 49"
    assert table["n"].sum() == 600
    assert table.loc["100 to 149", "n"] == int(((frame["year"] >= 100) & (frame["year"] < 150)).sum())


def test_a_number_that_is_the_same_in_all_rows_can_be_summed():
    frame = {"year": np.repeat(np.arange(2000, 2010), [3, 1, 4, 1, 5, 9, 2, 6, 5, 3]), "one": np.ones(39)}
    assert Study(frame).series("year", "one", measure="sum").table["sum"].tolist() == [3, 1, 4, 1, 5, 9, 2, 6, 5, 3]


@pytest.mark.parametrize("unit", ["day", "month", "year"])
def test_whether_it_rises_does_not_hang_on_the_spans(unit):
    frame = made(200, 5).dropna()
    rho = stats.spearmanr(frame["day"].astype("int64"), frame["amount"]).statistic
    answer = Study(frame).series("day", "amount", calendar=unit).answer
    assert f"rank correlation {rho:.2f}".replace("-", "−") in answer


def test_few_rows_far_apart_are_joined_in_spans_that_most_have_a_row():
    days = pd.date_range("2020-01-03", periods=40, freq="17D")
    view = Study({"day": days, "y": np.arange(40.0) / 7}).series("day", "y")
    assert view.title.endswith("by month")
    assert (view.table["n"] > 0).mean() > 0.9
