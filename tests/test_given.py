"""Figures that a table holds already are shown as they are."""

import numpy as np
import pandas as pd
import pytest

from envelt import Study
from envelt.errors import OptionError

FIGURES = pd.DataFrame(
    {
        "country": ["Aland", "Aland", "Aland", "Borla", "Borla", "Borla", "Cerva", "Cerva"],
        "year": [2019, 2020, 2021, 2019, 2020, 2021, 2019, 2021],
        "percent": [12.5, 13.1, 15.0, 48.0, 44.2, 41.0, 7.0, 9.3],
    }
)


def test_each_figure_stands_in_its_cell_and_nothing_is_made_of_it():
    view = Study(FIGURES).contingency("country", "year", values="percent")
    want = FIGURES.pivot(index="country", columns="year", values="percent")
    assert view.table.to_numpy() == pytest.approx(want.to_numpy(), nan_ok=True)
    assert view.table.index.tolist() == want.index.tolist()
    assert view.table.columns.tolist() == ["2019", "2020", "2021"]
    assert list(view.tables) == ["table"]  # no interval, no test
    assert "8 figures of percent" in view.answer
    assert "highest in Borla, 2019 (48), lowest in Cerva, 2019 (7)" in view.answer
    bars = [bar.get_width() for bars in view.draw().axes[0].containers for bar in bars]
    assert sorted(b for b in bars if b == b) == pytest.approx(sorted(FIGURES["percent"]))


def test_one_column_the_largest_first_and_figures_below_zero():
    frame = pd.DataFrame({"place": list("abcdef"), "change": [0.5, -2.0, 3.25, 0.0, -0.1, 1.0]})
    view = Study(frame, kinds={"place": "nominal"}).contingency("place", values="change", order="rate")
    assert view.table["change"].tolist() == sorted(frame["change"], reverse=True)
    axes = view.draw().axes[0]
    assert axes.get_xlim()[0] < -2 < 3.25 < axes.get_xlim()[1]
    assert [p.get_x() for p in axes.patches] == [0] * 6


def test_several_figures_a_cell_and_options_without_use_are_refused(tmp_path, run):
    study = Study(FIGURES)
    for ask, said in (
        (lambda: study.contingency("country", values="percent"), "3 figures for Aland"),
        (lambda: study.contingency("country", "year", values="country"), "figures are numbers|own figures"),
        (lambda: study.contingency("country", "year", values="percent", picture="cells"), "leave picture out"),
        (lambda: study.contingency("country", values="percent", by="year"), "leave by out"),
        (lambda: study.contingency("country", "year", values="percent", order="count"), "no counts"),
        (lambda: study.contingency("percent", "year", values="percent"), "own figures"),
    ):
        with pytest.raises(OptionError, match=said):
            ask()
    FIGURES.to_csv(tmp_path / "f.csv", index=False)
    status, out, err = run("contingency", "f.csv", "country", "year", "--values", "percent", folder=tmp_path)
    assert (status, err) == (0, "")
    assert "48.0  44.2  41.0" in out
    gap = study.where("percent != 44.2").contingency("country", "year", values="percent").table
    assert np.isnan(gap.loc["Borla", "2020"])


def test_numbers_dates_and_many_levels_stand_apart():
    years = pd.DataFrame({"year": np.repeat(np.arange(1990, 2021), 3), "place": ["A", "B", "C"] * 31})
    years["rate"] = np.arange(93) / 8
    table = Study(years).contingency("place", "year", values="rate").table
    assert table.columns.tolist() == [str(y) for y in range(1990, 2021)]
    assert table.to_numpy().T.ravel().tolist() == years["rate"].tolist()
    drawn = Study(years).contingency("place", "year", values="rate").draw().axes[0]  # turned: three colours, not 31
    assert [len(bars) for bars in drawn.containers] == [31] * 3

    months = pd.DataFrame({"month": pd.date_range("2010-01-01", periods=48, freq="MS"), "total": np.arange(48) + 0.5})
    table = Study(months).contingency("month", values="total").table
    assert (len(table), table.index[0], table.index[-1]) == (48, "2010-01", "2013-12")

    codes = pd.DataFrame({"code": [f"k{i:04d}" for i in range(2_001)], "people": np.arange(2_001)})
    few = Study(codes).where("people < 900").contingency("code", values="people")  # told apart, they look like a name
    assert few.table["people"].tolist() == list(range(900))
    with pytest.raises(OptionError, match="2,001 levels; at most 2,000"):
        Study(codes).contingency("code", values="people")
