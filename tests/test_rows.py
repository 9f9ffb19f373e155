"""Rows behind a number: the same that pandas finds, in its order, and where they lie among all."""

import re
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study
from envelt.errors import EnveltError

ROWS = st.lists(
    st.tuples(st.sampled_from([None, 1.5, -2.5, 7.5, 3.25]), st.sampled_from([None, "p", "q", "r"]), st.integers(0, 9)),
    min_size=3, max_size=30,
)  # fmt: skip


@given(ROWS, st.sampled_from(["x", "-x", "n", "-n"]), st.integers(1, 12), st.integers(0, 5))
@settings(max_examples=60, deadline=None)
def test_rows_are_those_that_pandas_finds_in_its_order(rows, sort, most, shift):
    frame = pd.DataFrame(rows, columns=["x", "g", "n"]).astype({"x": float})
    frame["n"] = frame["n"].astype(float)
    frame.index += shift
    if frame["x"].isna().all() or frame["g"].isna().all():
        return
    kinds = {"x": "continuous", "n": "continuous", "g": "nominal"}
    view = Study(frame, kinds=kinds).rows(
        "n > 3 and g != 'p'" if (frame["g"] == "p").any() else "n > 3", sort=sort, most=most
    )
    wanted = frame[(frame["n"] > 3) & ((frame["g"].notna() & (frame["g"] != "p")) | ~(frame["g"] == "p").any())]
    wanted = wanted.sort_values(sort.lstrip("-"), ascending=sort[0] != "-", kind="stable", na_position="last")
    assert (view.rows, view.of_all) == (len(wanted), len(frame))
    assert list(view.table.index) == list(wanted.index[:most])
    assert str(view.rows) in view.answer or not view.rows
    for name, part in view.beside.groupby("column"):
        assert part["of_all"].sum() == frame[name].notna().sum()
        assert part["rows"].sum() == wanted[name].notna().sum()


def test_a_finding_says_the_call_that_shows_its_rows(run):
    study = Study("demo", outcome="wintered")
    named = 0
    for view in (study.inventory(), study.distribution("humidity"), study.distribution("brood_temp")):
        for finding in view.findings:
            call = re.search(r"rows, at='([\d,]+)'", finding.advice)
            if call:
                named += 1
                shown = study.rows(at=call[1], columns=finding.columns[:1])
                assert {str(r) for r in shown.table.index} == set(call[1].split(","))
                assert all(r in finding.statement for r in call[1].split(","))
    assert named >= 5
    assert "rows, --at 1034" in run("distribution", "demo", "humidity")[1].replace("\n", " ").replace("  ", "")


def test_levels_dates_and_labels_are_sorted_and_shown_and_pictures_drawn(tmp_path):
    study = Study("demo", outcome="wintered")
    days = study.rows("weight_kg > 45", sort=["-inspected_on", "weight_kg"]).table
    assert days["inspected_on"].is_monotonic_decreasing
    bands = study.rows("weight_kg > 45", sort="altitude_band").table["altitude_band"]
    assert list(bands.cat.codes) == sorted(bands.cat.codes)
    view = study.rows("weight_kg > 45", columns=["weight_kg", "inspected_on", "apiary", "fed"])
    assert list(view.table.columns[:3]) == ["record", "weight_kg", "inspected_on"]
    assert set(view.table.columns) == set(study.table.columns)
    figure = view.draw()
    assert len(figure.axes) == 4
    assert "weight_kg" in figure.alternative
    view.save(tmp_path / "rows.csv")
    pd.testing.assert_index_equal(pd.read_csv(tmp_path / "rows.csv", index_col="row").index, view.table.index)
    assert not len(study.rows("weight_kg > 100").table)
    study.rows("weight_kg > 100").draw()


def test_what_cannot_be_shown_is_refused_with_what_to_do():
    study = Study("demo")
    for asked, said in (
        ({"at": [3, 99_999]}, "no row 99999"), ({"sort": "-weigth"}, "weight"),
        ({"expression": "mites >"}, "Cannot read"),
                ({"expression": "mites"}, "true or false"), ({"most": 0}, "most"),
        ({"expression": "mites > 1", "at": "3"}, "both"),
        ({"columns": "mitez"}, "mites"), ({"at": {"a": 1}}, "list"),
    ):  # fmt: skip
        with pytest.raises(EnveltError, match=said):
            study.rows(**asked)


def test_counted_rows_are_shown_as_they_stand():
    frame = pd.DataFrame({"x": np.arange(8) + 0.5, "times": [1, 2, 3, 4, 0, 1, 1, 1]})
    view = Study(frame, counts="times").rows("x > mean(x)")
    assert view.of_all == 8
    assert list(view.table["x"]) == [v for v in frame["x"] if v > np.average(frame["x"], weights=frame["times"])]


def test_commands_take_the_study_of_their_folder_where_no_data_is_named(run):
    assert "Name the data" in run("rank")[2]
    run("begin", "demo", "-o", "wintered")
    for words, said in (
        (("against", "mites"), "mites by wintered"), (("contingency", "fed", "wintered"), "Counts of fed by wintered"),
        (("rows", "weight_kg > 48"), "5 of 3,000"), (("relations", "mites", "fed"), "mites and fed"),
        (("balance",), "spread"),
    ):  # fmt: skip
        status, out, err = run(*words)
        assert (status, "study of this folder" in err) == (0, True), err
        assert said in out
        assert run(*words[:1], "demo", *words[1:], "-o", "wintered")[2] == ""
    for words, said in (
        (("against", "hive.csv"), "no file"),
        (("against", "mitez"), "mites"),
        (("contingency",), "Name a column"),
    ):
        status, _, err = run(*words)
        assert status == 2
        assert said in err
    assert Path("study.toml").exists()
