"""Groups of rows described by every column, against pandas and against what other steps say of the same."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study
from envelt.errors import EnveltError, OptionError


def made(n, seed, groups=3):
    rng = np.random.default_rng(seed)
    g = rng.integers(0, groups, n)
    frame = pd.DataFrame(
        {
            "g": np.array([f"g{k:02d}" for k in g]), "far": g * 2.0 + rng.normal(size=n), "near": rng.normal(size=n),
            "whole": rng.poisson(4, n),
            "colour": rng.choice(["red", "green", "blue", "white"], n, p=[0.4, 0.3, 0.2, 0.1]),
            "yes": np.where(rng.random(n) < 0.2 + 0.2 * g / groups, "yes", "no"), "unit": rng.integers(0, n // 3, n),
        }
    )  # fmt: skip
    frame.loc[rng.choice(n, n // 10, replace=False), "far"] = np.nan
    frame.loc[rng.choice(n, n // 12, replace=False), "colour"] = None
    return frame


def profile_of(frame, **roles):
    return Study(frame, kinds={"whole": "discrete", "near": "continuous", "far": "continuous"}, **roles)


@settings(max_examples=15, deadline=None)
@given(st.sampled_from([60, 90, 400]), st.integers(0, 10**6), st.sampled_from([2, 3, 5]), st.booleans())
def test_each_number_and_share_is_that_of_pandas(n, seed, groups, clustered):
    frame = made(n, seed, groups)
    study = profile_of(frame, unit="unit" if clustered else None)
    view = study.distribution(by="g")
    by = frame.groupby("g")
    labels = sorted(frame["g"].unique())
    for name in ("far", "near", "whole"):
        table = view.groups.loc[name].set_index("g").loc[labels]
        for column, want in (("mean", "mean"), ("median", "median"), ("sd", "std"), ("n", "count")):
            assert table[column].tolist() == pytest.approx(by[name].agg(want).tolist(), nan_ok=True)
        assert table["missing"].tolist() == by[name].apply(lambda v: v.isna().sum()).tolist()
        assert [view.table.loc[name, f"mean, {k}"] for k in labels] == pytest.approx(
            by[name].mean().tolist(), nan_ok=True
        )
    shares = pd.crosstab(frame["g"], frame["colour"], normalize="index")
    leading = frame.loc[frame["colour"].notna(), "colour"].value_counts()
    told = [name.removeprefix("colour = ") for name in view.levels.index if name.startswith("colour")]
    assert len(told) == 3
    assert leading[told].min() >= max([*leading.drop(told), 0])
    for level in told:
        for k in labels:
            assert view.levels.loc[f"colour = {level}", f"share, {k}"] == pytest.approx(shares.loc[k, level])
    assert (view.shares["count"] / view.shares["n"]).tolist() == pytest.approx(view.shares["share"].tolist())
    assert [k for k in view.levels.index if k.startswith("yes")] == [f"yes = {frame['yes'].value_counts().idxmax()}"]
    # sorted by how far the groups differ, which is what relations say of the same pairs
    for sure in (view.table["q"] < 0.05, ~(view.table["q"] < 0.05)):  # what chance makes comes last
        assert view.table.loc[sure, "differs"].is_monotonic_decreasing
    assert (view.table["q"] < 0.05).is_monotonic_decreasing
    if groups == 2:
        return  # of two levels relations say the correlation, which has a sign
    pairs = study.relations("g", "far", "near", "whole", "colour").pairs
    for first, second, coefficient, p in pairs[["first", "second", "coefficient", "p"]].itertuples(index=False):
        other = {first, second} - {"g"}
        if len(other) == 1:
            name = other.pop()
            row = view.levels.loc[f"colour = {told[0]}"] if name == "colour" else view.table.loc[name]
            assert row["differs"] == pytest.approx(coefficient)
            assert row["p"] == pytest.approx(p)


def test_what_differs_is_said_and_drawn():
    frame = made(300, 4)
    view = profile_of(frame).distribution(by="g")
    assert view.answer.startswith("2 of 6 columns differ between the 3 groups of g more than chance makes")
    ends = frame.groupby("g")["far"].mean()
    assert f"far ({ends.max():.2f} in g02" in view.answer
    assert view.draw().alternative.count("6 columns in 3 groups")
    panels = [axes for axes in view.draw().axes if axes.get_title(loc="left")]
    assert panels[0].get_title(loc="left") == "far"
    dots = next(line for line in panels[0].lines if line.get_marker() == "o")
    assert sorted(dots.get_xdata()) == pytest.approx(sorted(ends))


def test_many_groups_stand_in_the_long_tables():
    frame = made(2_000, 1, 30)
    view = profile_of(frame).distribution(by="g")
    assert len([c for c in view.table if c.startswith("mean")]) == 12
    assert view.groups.loc["far", "g"].nunique() == 30
    assert "all 30 in .groups" in " ".join(view.about)
    two = profile_of(made(500, 2)).distribution(by=["g", "yes"])
    assert "mean, g00, no" in two.table
    assert "yes" not in " ".join(two.levels.index)


def test_groups_of_a_number_and_of_few_rows(run):
    study = profile_of(made(12, 3))
    for by in ("near", "g", ["near", "g"]):
        view = study.distribution(by=by)
        assert view.answer
        assert view.draw()
    one = Study({"a": ["x"] * 6, "b": [1.5, 2, 3, 4, 5, 6.5]}, kinds={"a": "nominal", "b": "continuous"})
    with pytest.raises(OptionError, match="no number or category"):
        Study({"a": ["x", "y"] * 3, "day": pd.date_range("2024", periods=6)}).distribution(by="a")
    try:
        assert "nothing to compare" in one.distribution(by="a").answer
    except EnveltError as error:
        assert "one value" in str(error)  # noqa: PT017
    with pytest.raises(OptionError, match="Name a column"):
        study.distribution(by="g", picture="box")
    status, out, err = run("distribution", "demo", "--by", "fed", columns=80)
    assert (status, err) == (0, "")
    assert "columns differ between the 2 groups of fed" in out
    assert len(out.splitlines()) <= 40
    assert run("distribution", "demo", "--by", "fed", "--sort", "name")[0] == 2


def test_all_candidates_have_it_for_classes(wintered):
    shares = wintered.against().shares
    frame = wintered.to_frame()
    fed = shares.loc[["fed"]].set_index("class")["share"]
    level = shares.loc[["fed"], "level"].iloc[0]
    want = frame.groupby("wintered", observed=True)["fed"].apply(lambda v: (v == level).sum() / v.notna().sum())
    assert fed[want.index].tolist() == pytest.approx(want.tolist())
    assert wintered.against().groups.loc["mites"].shape[0] == 2
    assert "shares" not in Study("demo", outcome="honey_kg").against().tables


def test_the_sheet_of_all_columns_has_quartiles_and_deviation(wintered):
    table = wintered.distribution().table
    frame = wintered.to_frame()
    for name in ("mites", "weight_kg"):
        want = frame[name].describe()
        got = table.loc[name, ["mean", "sd", "min", "q1", "median", "q3", "max"]].astype(float)
        assert got.tolist() == pytest.approx(want[["mean", "std", "min", "25%", "50%", "75%", "max"]].tolist())


def test_the_leading_levels_are_those_of_rows_enough(honey, wintered, run):
    frame = honey.to_frame()
    means = frame.groupby("apiary", observed=True)["honey_kg"].agg(["mean", "count"])
    want = means[means["count"] >= 60].sort_values("mean", ascending=False).head(4)
    view = honey.against("apiary", top=4, least=60)
    assert view.table.index.tolist() == want.index.tolist()
    assert view.table["mean"].tolist() == pytest.approx(want["mean"].tolist())
    assert f"with rows enough honey_kg is highest on average in {want.index[0]}" in view.answer
    whole = honey.against("apiary")
    assert view.tests.equals(whole.tests)  # of all levels
    assert view.effects.equals(whole.effects)
    labels = [t.get_text() for t in view.draw().axes[0].get_yticklabels()]
    assert labels == want.index.tolist()
    rates = wintered.against("apiary", least=100).rates
    known = frame[frame["wintered"].notna()]
    share = known.groupby("apiary", observed=True)["wintered"].agg([lambda v: (v == "yes").mean(), "count"])
    share = share[share["count"] >= 100].iloc[:, 0].sort_values(ascending=False)
    assert rates["rate"].tolist() == pytest.approx(share.tolist())
    assert honey.against("apiary", top=2).table["n"].min() >= 10
    for ask in (
        lambda: honey.against("apiary", least=4_000), lambda: wintered.against("mites", least=5),
        lambda: honey.against("apiary", top=3, picture="box"),
    ):  # fmt: skip
        with pytest.raises(OptionError, match=r"least|largest has"):
            ask()
    assert len(wintered.against("mites", top=3).top_values) == 6
    out = run("against", "demo", "apiary", "-o", "honey_kg", "--top", "4", "--least", "60")[1]
    assert "4 levels of 40, of at least 60 rows" in out


def test_of_the_outcome_the_event_is_told():
    for event in ("yes", "no"):
        view = Study("demo", outcome="wintered", event=event).distribution(by="altitude_band")
        assert [k for k in view.levels.index if k.startswith("wintered")] == [f"wintered = {event}"]
