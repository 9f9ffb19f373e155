"""What a preparation may know: never the outcome, never half a unit; and one row as the table has it."""

import datetime

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from envelt import Preparation, Study
from envelt.core.finding import by_weight
from envelt.errors import EnveltError, OptionError, PreparationError

ROWS = 60


def table(seed=0):
    r = np.random.default_rng(seed)
    frame = pd.DataFrame(
        {
            "number": r.lognormal(1, 0.8, ROWS).round(3),
            "count": r.integers(0, 5, ROWS),
            "code": r.choice(["1", "2", "10"], ROWS),
            "level": r.choice(["north", "south", "Ost", "rare"], ROWS, p=[0.4, 0.3, 0.28, 0.02]),
            "flag": r.random(ROWS) < 0.4,
            "day": pd.Timestamp("2023-02-27") + pd.to_timedelta(r.integers(0, 6, ROWS), "D"),
            "moment": pd.Timestamp("2023-02-27 07:30") + pd.to_timedelta(r.integers(0, 9_000, ROWS), "min"),
            "y": np.where(r.random(ROWS) < 0.5, "yes", "no"),
        }
    )
    for name in ("number", "level", "day"):
        frame.loc[r.random(ROWS) < 0.15, name] = None
    return frame


LEVELS = ["level", "code", "flag", "day", "count", "moment"]
NUMBERS = ["number", "count"]
of = st.sampled_from
steps = st.one_of(
    st.builds(lambda c: ("drop", [c], {}), of(["flag", "code"])),
    st.builds(lambda c: ("rename", [c], {"to": f"{c} new"}), of([*LEVELS, "number"])),
    st.builds(lambda c: ("retype", [c], {"to": "category", "fold": True}), of(LEVELS)),
    st.builds(lambda c, m: ("retype", [c], {"to": "category", "marks": m}), of(LEVELS), of([["north"], ["1"], [2]])),
    st.builds(lambda: ("retype", ["code"], {"to": "number"})),
    st.builds(lambda u: ("relabel", ["level"], {"labels": {"north": "N", "south": "S"}, "unseen": u}),
              of(["keep", "missing"])),
    st.builds(lambda c, v: ("replace", [c], {"values": v}), of([*LEVELS, "number"]),
              of([{"1": "one"}, {"2023-02-28": None}, {"north": None, "2": 9}, {"2023-03-01": "2023-03-02"}])),
    st.builds(lambda e: ("derive", ["made"], {"expression": e}),
              of(["number * 2 + count", "count > 2 and not is_missing(number)", "month(day)", "level = 'north'"])),
    st.builds(lambda c, u, f: ("fill", [c], {"using": u, "flag": f}), of(NUMBERS), of(["median", "mean"]),
              st.booleans()),
    st.builds(lambda c: ("fill", [c], {"using": "most_frequent"}), of(LEVELS)),
    st.builds(lambda b: ("fill", ["number"], {"using": "median", "by": b}),
              of([["level"], ["day"], ["code", "flag"], ["count"]])),
    st.builds(lambda c, t: ("clip", [c], {"to": t}), of(NUMBERS), of(["fences"])),
    st.builds(lambda c, t: ("reexpress", [c], {"transform": t, "outside": "nearest"}), of(NUMBERS),
              of(["log1p", "sqrt", "rank_normal", "yeo_johnson", "cube_root"])),
    st.builds(lambda c: ("bin", [c], {"bins": 3}), of(NUMBERS)),
    st.builds(lambda c, u: ("merge_rare", [c], {"under": 5, "unseen": u}), of(LEVELS), of(["other", "missing"])),
    st.builds(lambda b, g: ("group_feature", ["number"], {"by": b, "give": g}),
              of([["level"], ["day"], ["flag"], ["moment", "code"]]), of(["mean", "difference"])),
    st.builds(lambda c, k: ("parts_of_date", [c], {"keep": k, "parts": ["month", "weekday", "hour", "days_since"]}),
              of(["day", "moment"]), st.booleans()),
    st.builds(lambda c: ("rescale", [c], {}), of(NUMBERS)),
    st.builds(lambda c, u: ("encode", [c], {"using": u}), of(LEVELS), of(["levels", "rate"])),
)  # fmt: skip


def alike(one, other):
    if one is None or other is None or one is pd.NaT or other is pd.NaT or one != one or other != other:
        missing = [v is None or v is pd.NaT or v != v for v in (one, other)]
        return all(missing)
    if isinstance(one, (pd.Timestamp, np.datetime64, datetime.date)):
        return pd.Timestamp(one) == pd.Timestamp(other)
    if isinstance(one, (bool, np.bool_)) or isinstance(other, (bool, np.bool_)):
        return bool(one) == other and isinstance(other, (bool, np.bool_)) == isinstance(one, (bool, np.bool_))
    return one == pytest.approx(other, rel=1e-12) if isinstance(one, (int, float, np.number)) else one == other


@pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")
@given(st.lists(steps, min_size=1, max_size=6), st.integers(0, 3))
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.filter_too_much])
def test_one_row_is_what_the_table_has_in_its_place(chosen, seed):
    frame = table(seed)
    try:
        made = Preparation(
            [{"operation": name, "columns": columns, **options} for name, columns, options in chosen], outcome="y"
        ).fit(frame)
        whole = made.transform(frame)
    except EnveltError:
        assume(False)
    for k in range(0, ROWS, 7):
        row = made.transform_row(frame.iloc[k].to_dict())
        assert list(row) == list(whole.columns)
        for name, value in row.items():
            assert alike(whole[name].iloc[k], value), (name, whole[name].iloc[k], value)


@pytest.mark.filterwarnings("ignore::envelt.LaterRowsWarning")
@given(st.lists(steps, min_size=1, max_size=5), st.integers(0, 3))
@settings(max_examples=25, deadline=None,
          suppress_health_check=[HealthCheck.filter_too_much, HealthCheck.function_scoped_fixture])  # fmt: skip
def test_the_command_the_study_and_the_library_give_the_same(run, tmp_path, chosen, seed):
    frame, later = table(seed), table(seed + 10)
    try:
        plain = Preparation(
            [{"operation": name, "columns": columns, **options} for name, columns, options in chosen], outcome="y"
        )
        plain.save(tmp_path / "p.json")
    except EnveltError:
        assume(False)
    frame.to_csv(tmp_path / "rows.csv", index=False)
    later.to_csv(tmp_path / "later.csv", index=False)
    status, _, err = run("prepare", "rows.csv", "-o", "y", "--using", "p.json", "--fit", "--out", "out.parquet")
    study = Study(tmp_path / "rows.csv", outcome="y")
    view, refused = None, ""
    try:
        view = study.prepare(plain, fit=True)
    except EnveltError as error:
        refused = " ".join(str(error).split()[:8])
    assert refused in " ".join(err.split())
    assert status == (0 if view else 2), err
    if view is None:
        return
    alike_frames(pd.read_parquet(tmp_path / "out.parquet"), view.prepared)
    made = Preparation.load(tmp_path / "p.json")
    assert made.to_dict() == view.preparation.to_dict()
    status, _, err = run("prepare", "later.csv", "--using", "p.json", "--out", "out.parquet")
    whole = made.transform(tmp_path / "later.csv")
    assert status == 0, err
    alike_frames(pd.read_parquet(tmp_path / "out.parquet"), whole)
    alike_frames(Study(later).prepare(made).prepared, whole)
    alike_frames(made.transform(later), whole)


def alike_frames(one, other):
    """Hold the same values; a file of Parquet keeps levels as another type of text."""
    one, other = (f.reset_index(drop=True) for f in (one, other))
    pd.testing.assert_frame_equal(one, other, check_dtype=False, check_categorical=False)


@pytest.mark.parametrize(
    "operation",
    [
        ("group_feature", ["y"], {"by": ["level"]}),
        ("group_feature", ["number"], {"by": ["y"]}),
        ("derive", ["leak"], {"expression": "y == 'yes'"}),
        ("rename", ["y"], {"to": "z"}),
        ("fill", ["number"], {"by": ["y"], "using": "median"}),
        ("encode", ["y"], {"using": "levels"}),
        ("replace", ["y"], {"values": {"yes": "1"}}),
    ],
)
def test_no_operation_reads_the_outcome(operation):
    name, columns, options = operation
    with pytest.raises(OptionError, match="outcome"):
        Preparation(outcome="y").then(name, *columns, **options)
    study = Study(table(), outcome="y")
    with pytest.raises(OptionError, match="outcome"):
        study.prepare(Preparation().then(name, *columns, **options), fit=True)


def test_what_is_derived_from_the_outcome_never_comes_out():
    study = Study(table(), outcome="y").derive("leak", "y == 'yes'").derive("twice", "number * 2")
    prepared = study.prepare(Preparation().then("fill", "number"), fit=True).prepared
    assert "leak" not in prepared.columns
    assert "twice" in prepared.columns
    with pytest.raises(OptionError, match="made from it"):
        study.prepare(Preparation().then("encode", "leak"), fit=True)
    for f in by_weight(list(study.inventory().findings)):
        assert f.code


def test_rates_are_still_learned_from_the_outcome():
    made = Preparation(outcome="y").then("encode", "level", using="rate").then("drop", "y")
    assert "level" in made.fit_transform(table()).columns


def test_a_unit_that_is_not_there_is_refused_at_fit():
    made = Preparation(unit="case").then("fill", "number")
    with pytest.raises(PreparationError, match="unit 'case' is not among"):
        made.fit(table())
    assert made.fit(table().assign(case=1)).is_fitted


def panel():
    r = np.random.default_rng(1)
    frame = pd.DataFrame({"case": np.repeat(np.arange(40), 5), "site": np.repeat(list("abcd"), 50)})
    frame["year"] = np.tile(np.arange(2018, 2023), 40)
    frame["joined"] = np.repeat(r.permutation(40), 5) + 1980.0
    frame["mixed"] = r.choice(["p", "q"], 200)
    frame["y"] = np.where(r.random(200) < 0.4, "yes", "no")
    frame["x"] = r.normal(size=200)
    return frame


def test_split_never_divides_a_unit_and_says_where_it_cannot():
    study = Study(panel(), outcome="y", unit="case")
    for by in (None, "site", "joined"):
        training, test = study.split(0.25, by=by)
        assert not set(training.table["case"].labels()) & set(test.table["case"].labels())
        assert 0 < len(test.table) < 200
    assert len(set(study.split(0.25, by="site")[1].table["site"].labels())) == 1
    with pytest.raises(OptionError, match=r"40 cases have .* on both sides"):
        study.split(0.25, by="year")
    with pytest.raises(OptionError, match="hang together"):
        study.split(0.25, by="mixed")  # each case has rows of both
    assert len(Study(panel(), outcome="y").split(0.25, by="year")[1].table) == 40


def test_four_even_levels_can_be_split_whatever_their_outcomes():
    for seed in range(6):
        likely = np.where(np.isin(np.repeat(np.arange(4), 50), [seed % 4, 0]), 0.9, 0.1)
        frame = panel().assign(y=np.where(np.random.default_rng(seed).random(200) < likely, "yes", "no"))
        training, test = Study(frame, outcome="y").split(0.25, by="site")
        assert (len(training.table), len(test.table)) == (150, 50)


def test_rank_over_time_follows_the_same_rule():
    frame = panel()
    frame["month"] = frame["year"] * 12.0 + np.arange(200) % 12
    study = Study(frame, outcome="y", unit="case")
    with pytest.raises(OptionError, match="times cannot be kept apart while units stay whole"):
        study.rank(time="month")
    view = study.rank(time="joined")
    assert {f.code for f in view.findings} >= {"times-kept-apart"}
