"""What options do: bins, groups, calendars, scales, folded tables, whole commands."""

import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study
from envelt.core.columns.axes import Cuts, axis_of
from envelt.core.columns.grouping import crossed, grouping_of, groups_of
from envelt.core.distribution.look import Look, Scale, checked_scale
from envelt.core.shapes.bins import readable_bins
from envelt.core.shapes.calendar import calendar_bins, calendar_profile, fitting_unit
from envelt.errors import OptionError


def rng(seed=0):
    return np.random.default_rng(seed)


def made(n=400, seed=0):
    r = rng(seed)
    return pd.DataFrame(
        {
            "x": r.gamma(2, 10, n).round(1),
            "few": r.integers(0, 4, n),
            "g": r.choice(["one", "two", "three"], n),
            "h": r.choice(["left", "right"], n),
            "when": pd.Timestamp("2023-02-10") + pd.to_timedelta(r.integers(0, 500, n), "D"),
            "y": r.choice(["yes", "no"], n),
        }
    )


@given(st.floats(0.05, 80), st.floats(-50, 50), st.integers(0, 10_000))
@settings(max_examples=80, deadline=None)
def test_bins_of_a_given_width_and_start_have_them(width, start, seed):
    ordered = np.sort(rng(seed).normal(0, 40, 150))
    bins = readable_bins(ordered, width=width, start=start)
    assert np.diff(bins.edges) == pytest.approx(width)
    steps = (bins.edges - start) / width
    assert steps == pytest.approx(np.rint(steps), abs=1e-6)
    assert bins.count_all(ordered).sum() == 150
    assert not bins.below
    assert not bins.above


@given(st.integers(1, 300), st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_the_number_of_bins_asked_for_is_about_what_comes(asked, seed):
    ordered = np.sort(rng(seed).normal(0, 3, 400))
    made = len(readable_bins(ordered, bins=asked).edges) - 1
    assert made <= max(asked, 2)  # about zero there is always one on either side
    assert made >= asked / 3 - 1


def test_heaped_values_get_bins_of_one_step_or_of_whole_heaps():
    r = rng(4)
    x = np.sort(np.round(r.gamma(3, 6, 2000)))
    assert np.diff(readable_bins(x, heaps=5).edges)[0] == 1
    wide = np.sort(np.round(r.gamma(3, 60, 2000)))
    assert np.diff(readable_bins(wide, heaps=5).edges)[0] % 5 == 0


def test_groups_come_from_levels_few_values_quarters_and_the_calendar():
    study = Study(made())
    table = study.table
    assert groups_of(table["g"]).labels == table["g"].levels
    assert groups_of(table["few"]).labels == ("0", "1", "2", "3")
    quarters = groups_of(table["x"])
    counts = np.bincount(quarters.codes)
    assert len(quarters) == 4
    assert counts.min() > 0.15 * len(table)
    assert quarters.labels[0].startswith("under ")
    assert "cut near its quarters" in quarters.groups.note
    months = groups_of(table["when"])
    assert months.labels[0] == "2023-02"
    assert months.groups.ordered
    with pytest.raises(OptionError, match="up to 2 columns"):
        grouping_of([table["g"], table["h"], table["few"]], len(table))


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_crossed_groups_are_the_pairs_that_occur(seed):
    frame = made(60, seed)
    table = Study(frame, kinds={"g": "nominal", "h": "nominal"}).table
    both = crossed(groups_of(table["g"]), groups_of(table["h"]))
    pairs = (frame["g"] + ", " + frame["h"]).tolist()
    assert set(both.labels) == set(pairs)
    assert [both.labels[k] for k in both.codes] == pairs
    assert set(both.groups.places) <= {0, 1}  # the second column decides the colour


@pytest.mark.parametrize(
    ("days", "unit"), [(10, "day"), (200, "week"), (900, "month"), (3000, "quarter"), (20_000, "year")]
)
def test_the_unit_that_fits_gives_about_forty_bars(days, unit):
    assert fitting_unit(0, days) == unit
    bins, chosen = calendar_bins(np.array([0.0, float(days)]))
    assert chosen == unit
    assert len(bins.edges) - 1 <= 58
    with pytest.raises(OptionError, match="Did you mean 'month'"):
        calendar_bins(np.array([0.0, 3.0]), "months")


def test_profiles_count_months_and_weekdays():
    when = made(300, 5)["when"].sort_values()
    days = (when - pd.Timestamp("1970-01-01")).dt.days.to_numpy(float)
    profile = calendar_profile([days])
    assert profile.months[0].tolist() == [int((when.dt.month == m).sum()) for m in range(1, 13)]
    assert profile.weekdays[0].tolist() == [int((when.dt.day_of_week == d).sum()) for d in range(7)]


@given(st.floats(1e-3, 1e6), st.sampled_from(["linear", "log", "log1p"]))
@settings(max_examples=60, deadline=None)
def test_a_scale_and_its_inverse_cancel(value, name):
    scale = Scale(name)
    place = scale.place(np.array([value]))
    assert scale.value(place)[0] == pytest.approx(value, rel=1e-9)
    step = 1e-6 * max(value, 1.0)
    slope = (scale.place(np.array([value + step]))[0] - place[0]) / step
    assert scale.slope(place)[0] == pytest.approx(slope, rel=1e-3)


def test_looks_are_checked_when_they_are_made():
    assert Look.of({"picture": "box", "limits": [0, 5]}).limits == (0.0, 5.0)
    for options, message in (
        ({"measure": "counts"}, "Did you mean 'count'"),
        ({"arrange": "stack"}, "Did you mean 'stacked'"),
        ({"scale": "logg"}, "Did you mean 'log'"),
        ({"limits": "ab"}, "two numbers, low and high"),
        ({"wdith": 3}, "Did you mean 'width'"),
    ):
        with pytest.raises(OptionError, match=message):
            Look.of(options)
    with pytest.raises(OptionError, match="goes down to -2"):
        checked_scale("log1p", -2.0, "x")


@given(st.integers(0, 10_000), st.lists(st.integers(1, 60), min_size=1, max_size=5, unique=True).map(sorted))
@settings(max_examples=30, deadline=None)
def test_cut_points_count_as_comparisons_do(seed, cuts):
    frame = made(120, seed)
    axis = axis_of([Study(frame).table["x"]], Cuts(at=tuple(map(float, cuts))))
    want = np.digitize(frame["x"], cuts)
    assert axis.codes.tolist() == want.tolist()
    assert len(axis.axis.levels) == len(cuts) + 1
    assert axis.axis.ordered


@pytest.mark.parametrize("whole", [False, True])
def test_the_outer_bins_of_a_table_say_what_they_hold(whole):
    x = np.r_[rng(6).normal(100, 10, 500), -400.0, 900.0]
    x = np.round(x) if whole else x
    axis = axis_of([Study(pd.DataFrame({"x": x}), kinds={"x": "continuous"}).table["x"]], Cuts())
    first, last = axis.axis.labels[0], axis.axis.labels[-1]
    assert axis.codes[np.argmin(x)] == 0
    assert axis.codes[np.argmax(x)] == len(axis.axis.levels) - 1
    assert first.startswith("under ")
    assert last.endswith(" up")
    assert ((axis.codes == 0) == (x < float(first.split(" ")[1]))).all()
    assert ((axis.codes == len(axis.axis.levels) - 1) == (x >= float(last.split(" ")[0]))).all()


def test_long_tables_are_folded_for_a_person_and_whole_in_the_data(wintered, tmp_path):
    view = wintered.distribution("mites")
    assert len(view.outliers) == 103
    assert len(view.shown["outliers"].frame) == 5
    assert "density" in view.shown or len(view.shown.get("density", [])) == 0
    assert "bins" not in view.needed
    view.save(tmp_path / "v.md")
    assert "### bins" in (tmp_path / "v.md").read_text()
    data = json.loads(json.dumps(view.to_dict()))
    assert len(data["tables"]["outliers"]) == 103
    assert len(data["tables"]["density"]) == 512
    assert data["values"]["chosen"] == "histogram"


def test_sorted_views_show_what_the_picture_shows_and_keep_their_data(honey):
    view = honey.against("forage")
    shown = view.shown["table"].frame
    assert shown["shrunken_mean"].is_monotonic_decreasing
    assert set(shown.index) == set(view.table.index)
    assert view.table.index.tolist() == list(honey.table["forage"].levels)


@pytest.mark.parametrize("step", ["balance", "distribution", "against", "contingency"])
def test_every_step_takes_by_and_says_what_was_left_out(step):
    frame = made(300, 8)
    frame.loc[:19, "g"] = None
    study = Study(frame, outcome="y")
    view = {
        "balance": lambda: study.balance(by="g"),
        "distribution": lambda: study.distribution("x", by="g"),
        "against": lambda: study.against("x", by="g"),
        "contingency": lambda: study.contingency("h", "y", by="g"),
    }[step]()
    labels = " ".join(map(str, view.table.index))
    assert all(level in labels for level in ("one", "two", "three"))
    total = view.table["n"].sum() if "n" in view.table else int(view.table.to_numpy().sum())
    assert total == 280
    view.picture()


def test_a_study_file_declares_what_distributions_use(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    frame = made()
    frame.to_csv("t.csv", index=False)
    (tmp_path / "study.toml").write_text(
        '[study]\ndata = "t.csv"\noutcome = "y"\n\n[columns.x]\nlabel = "Dose"\nunit = "mg"\nrange = [0, 100]\n'
    )
    study = Study.open("study.toml")
    view = study.distribution("x")
    assert view.title == "How Dose (mg) is distributed"
    assert view.density["at"].min() >= 0
    assert view.density["at"].max() <= 100
    assert "Dose (mg) by y" in study.against("x").title
    assert study.contingency("x", "y").title == "Counts of Dose (mg) by y"


NAN, INF = float("nan"), float("inf")
SILENT = {
    "a cut that is no number": lambda s: s.contingency("mites", "fed", cuts=[NAN]),
    "a cut at infinity": lambda s: s.contingency("mites", "fed", cuts=[INF]),
    "half a bin": lambda s: s.distribution("mites", bins=2.5),
    "a yes for a number of bins": lambda s: s.distribution("mites", bins=True),
    "half a bin of a table": lambda s: s.contingency("mites", "fed", bins=2.5),
    "half a level": lambda s: s.contingency("apiary", "fed", largest=2.5),
    "a yes for a number of levels": lambda s: s.contingency("apiary", "fed", largest=True),
    "a yes for a width": lambda s: s.contingency("mites", "fed", width=True),
    "an axis to infinity": lambda s: s.distribution("mites", limits=(0, INF)),
    "a cut of a recipe": lambda s: s.derive("q", cut="mites", at=[NAN], names=["a", "b"]),
    "a range to infinity": lambda s: Study("demo", columns={"mites": {"range": [0, INF]}}),
    "a level twice in an order": lambda s: Study("demo", columns={"roof": {"order": ["tin", "tin", "felt"]}}),
    "a level joined twice": lambda s: s.derive("q", regroup="roof", into={"a": ["tin"], "b": ["tin", "felt"]}),
}


@pytest.mark.parametrize("what", SILENT)
def test_what_was_accepted_in_silence_is_refused(what, wintered):
    with pytest.raises(OptionError, match=r"finite|whole|twice"):
        SILENT[what](wintered)
