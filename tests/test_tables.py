"""Tables of counts: what their pictures show, what is left unsaid on clean data, whole commands."""

import json

import numpy as np
import pandas as pd
import pytest
from matplotlib.colors import to_hex

from envelt import Study
from envelt.core.balance.balance import drifts, lopsidedness
from envelt.core.contingency.crosstab import checked_counts
from envelt.core.stats.sampling import Sampling
from envelt.draw.parts import style
from envelt.errors import OptionError


def rng(seed=0):
    return np.random.default_rng(seed)


def texts(figure):
    return [t.get_text() for t in figure.findobj(match=lambda a: hasattr(a, "get_text") and a.get_text().strip())]


def found(view):
    return {f.code for f in view.findings}


def clean(n, seed):
    r = rng(seed)
    return pd.DataFrame(
        {
            "g": r.choice(["one", "two", "three"], n),
            "grade": r.choice(["low", "medium", "high", "very high"], n),
            "x": r.normal(size=n),
            "when": pd.Timestamp("2023-01-01") + pd.to_timedelta(r.integers(0, 900, n), "D"),
            "y": np.where(r.random(n) < 0.4, "yes", "no"),
            "z": r.normal(5, 1, n),
        }
    )


@pytest.mark.parametrize("outcome", ["y", "z"])
def test_clean_tables_raise_nothing_at_twenty_sizes(outcome):
    for n in np.geomspace(120, 20_000, 20).astype(int):
        study = Study(clean(n, int(n)), outcome=outcome)
        for rows in ("g", "grade", "x"):
            raised = found(study.contingency(rows, "g" if rows != "g" else "grade"))
            assert raised <= ({"small-levels", "small-expected-counts"} if n < 2500 and rows == "x" else set()), (
                n,
                rows,
            )
        assert "outcome-drift" not in found(study.balance())


@pytest.fixture(scope="module")
def crossed():
    frame = clean(1200, 3)
    frame["y"] = np.where(rng(4).random(1200) < np.where(frame["g"] == "one", 0.7, 0.3), "yes", "no")
    return Study(frame, outcome="y")


def test_stacked_lengths_and_side_by_side_bars_are_the_counts(crossed):
    view = crossed.contingency("grade", "g")
    for picture in ("bars", "stacked"):
        axes = crossed.contingency("grade", "g", picture=picture).draw().axes[0]
        drawn = sorted(round(p.get_width()) for p in axes.patches)
        assert drawn == sorted(view.table.to_numpy().ravel().tolist())
        assert axes.get_xlim()[0] == 0


def test_shares_fill_the_bar_and_mosaics_the_square(crossed):
    table = crossed.contingency("grade", "g").table.to_numpy()
    shares = crossed.contingency("grade", "g", picture="shares").draw().axes[0]
    assert sum(p.get_width() for p in shares.patches) == pytest.approx(4)
    mosaic = crossed.contingency("grade", "g", picture="mosaic").draw().axes[0]
    areas = sorted(p.get_width() * p.get_height() for p in mosaic.patches)
    assert areas == pytest.approx(sorted((table / table.sum()).ravel()))


def test_cells_hold_counts_and_shares_and_residuals_are_centred_on_zero(crossed):
    view = crossed.contingency("grade", "g", picture="cells", colour="residual")
    figure = view.draw()
    mesh = figure.axes[0].collections[0]
    assert mesh.norm.vmin == -mesh.norm.vmax
    drawn = view.residuals.to_numpy()
    assert np.asarray(mesh.get_array()).ravel() == pytest.approx(drawn.ravel())
    written = " ".join(texts(figure))
    for n in view.table.to_numpy().ravel():
        assert str(n) in written


def test_rates_are_drawn_from_zero_in_the_events_colour_with_their_intervals(crossed):
    view = crossed.contingency("g", "y")
    axes = view.draw().axes[0]
    assert axes.get_xlim()[0] == 0
    dots = {round(float(line.get_xdata()[0]), 9) for line in axes.lines if line.get_marker() == "o"}
    assert dots == {round(v, 9) for v in view.rates["rate"]}
    spans = {tuple(np.round(line.get_xdata(), 9)) for line in axes.lines if len(line.get_xdata()) == 2}
    assert {tuple(np.round(v, 9)) for v in view.rates[["low", "high"]].to_numpy()} <= spans
    colours = {to_hex(line.get_color()) for line in axes.lines if line.get_marker() == "o"}
    assert colours == {style.PALETTE[1]}  # the event is the second class in every picture


def test_joined_levels_are_drawn_once_with_their_rows():
    r = rng(9)
    frame = pd.DataFrame({"k": [f"k{i}" for i in r.integers(0, 500, 6000)], "y": r.choice(["yes", "no"], 6000)})
    view = Study(frame, outcome="y", kinds={"k": "nominal"}).contingency("k", "y")
    written = texts(view.draw())
    assert {t for t in written if t.startswith("other (")} == {f"other ({frame['k'].nunique() - 29} levels)"}
    largest = frame["k"].value_counts().head(29).sum()
    assert f"{6000 - largest:,}" in written


def test_labels_alike_at_their_start_stay_apart():
    names = [f"a place with a very long name indeed, number {i}" for i in range(5)]
    cut = [style.shorten_middle(n, 20) for n in names]
    assert len(set(cut)) == 5
    assert all(len(c) <= 20 for c in cut)
    assert style.shorten_middle("short", 20) == "short"


def test_balance_in_words_by_groups_and_of_numbers(crossed, honey):
    assert [lopsidedness(np.array(c)) for c in ([50, 50], [40, 60], [20, 80], [5, 95])] == [
        "about even", "about even", "lopsided", "very lopsided"
    ]  # fmt: skip
    view = crossed.balance(by="g")
    table = crossed.table
    assert view.table.to_numpy().sum() == len(table)
    assert view.rows_a_candidate == pytest.approx(view.smallest / len(crossed.candidates))
    assert view.shares("row").sum(axis=1).tolist() == pytest.approx([1, 1, 1])
    numbers = honey.balance(by="fed")
    want = pd.read_csv("src/envelt/demo/hives.csv").groupby("fed")["honey_kg"].mean()
    assert numbers.table["mean"].to_dict() == pytest.approx(want.to_dict())
    assert "outliers" in numbers.tables
    with pytest.raises(OptionError, match="grouped by itself"):
        crossed.balance(by="y")


@pytest.mark.parametrize("numeric", [False, True])
def test_a_drift_is_found_with_where_it_starts_and_ends(numeric):
    frame = clean(3000, 11)
    late = (frame["when"] - frame["when"].min()).dt.days / 900
    frame["y"] = np.where(rng(12).random(3000) < 0.2 + 0.5 * late, "yes", "no")
    frame["z"] += 2 * late
    study = Study(frame, outcome="z" if numeric else "y")
    drift = next(f for f in study.balance().findings if f.code == "outcome-drift")
    assert drift.columns == ("z" if numeric else "y", "when")
    assert drift.evidence["first"] < drift.evidence["last"]
    assert drifts(study.outcome, [], Sampling.of_rows(3000), study.table.rows) == []


def test_counts_must_be_whole_and_name_the_row_that_is_not():
    assert checked_counts(np.array([3.0, 0.0]), "n").tolist() == [3, 0]
    for bad, place in (([1.0, -2.0], 2), ([0.5, 1.0], 1), ([1.0, np.nan], 2)):
        with pytest.raises(OptionError, match=f"place {place}"):
            checked_counts(np.array(bad), "n")


def test_whole_commands_cross_and_refuse(run, tmp_path):
    words = ("contingency", "demo", "fed", "wintered", "-o", "wintered")
    status, out, _ = run(*words, "--out", "c.png", "--out", "c.md")
    assert status == 0
    assert "turns-round" in out
    assert {p.name for p in tmp_path.iterdir()} == {"c.png", "c.md"}
    assert "| no | 222 | 923 |" in (tmp_path / "c.md").read_text()
    assert "80.6%" in (tmp_path / "c.md").read_text()
    status, out, _ = run("contingency", "demo", "altitude_m", "--cuts", "300,520", "--json")
    rows = json.loads(out)["tables"]["table"]
    assert [r["altitude_m"] for r in rows] == ["under 300", "300 to 520", "520 up"]
    for more, message in (
        (("--picture", "pie"), "Angles are hard to compare"),
        (("--cuts", "a"), "numbers joined by commas"),
        (("--by", "fed"), "grouped by itself"),
    ):
        status, _, err = run(*words, *more)
        assert status == 2
        assert message in err
        assert "Traceback" not in err
    status, out, _ = run("contingency", "--help")
    assert status == 0
    assert "Example: envelt contingency demo fed wintered" in out
