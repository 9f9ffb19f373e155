"""The steps on the demo data: what each returns, what it finds, what it leaves alone."""

import json
import re
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import envelt
from envelt import Study, View
from envelt.core.catalogue import FINDINGS, catalogue_page
from envelt.demo import hives, planted
from envelt.demo.generator import make_hives
from envelt.errors import OutputError

DESCRIBED = [
    "n", "missing", "mean", "mean_low", "mean_high", "sd", "min", "q1", "median", "q3", "max", "mode", "skewness",
    "excess_kurtosis", "outliers",
]  # fmt: skip


def codes(view):
    return {(f.code, f.columns[0]) for f in view.findings}


def test_public_names_are_what_can_be_imported():
    assert sorted(envelt.__all__) == sorted(n for n in dir(envelt) if getattr(envelt, n) is not None)


def test_the_shipped_data_is_what_the_generator_makes_and_holds_what_is_listed():
    made = make_hives()
    assert made.shape == hives().shape == (3000, 58)
    assert (made["record"] == hives()["record"]).all()
    assert made["weight_kg"].equals(hives()["weight_kg"])
    assert made.duplicated().sum() == 12
    for item in planted()["planted"]:
        assert set(item["columns"]) <= set(made.columns), item["what"]
    twice = made.groupby("colony")["inspected_on"].nunique()
    assert (twice > 1).mean() == pytest.approx(1 / 3, abs=0.02)


def test_inventory_has_the_contract(wintered):
    table = wintered.inventory().table
    contract = ["kind", "reason", "present", "missing", "missing_share", "distinct", "examples", "label", "unit"]
    assert list(table.columns) == [*contract, "findings"]
    assert (table["present"] + table["missing"] == 3000).all()
    frame = hives()
    frame["pollen_g"] = pd.to_numeric(frame["pollen_g"], errors="coerce")  # its few texts are missing
    assert (table["distinct"] == frame.nunique().reindex(table.index)).all()
    assert wintered.inventory().kinds.sum() == 58
    assert wintered.inventory().kinds["continuous"] == (table["kind"] == "continuous").sum()


def test_balance_of_classes_and_of_numbers(wintered, honey, state):
    view = wintered.balance()
    assert view.table["count"].tolist() == hives()["wintered"].value_counts()[["no", "yes"]].tolist()
    assert view.largest_share == view.table["share"].max()
    drift = ("outcome-drift", "wintered")
    assert codes(view) == {("lopsided-outcome", "wintered"), ("outcome-missing", "wintered"), drift}
    assert ("small-class", "colony_state") in codes(state.balance())
    assert honey.balance().table.loc["honey_kg", "mean"] == pytest.approx(hives()["honey_kg"].mean())
    even = Study(pd.DataFrame({"x": range(900), "y": ["a", "b", "c"] * 300}), outcome="y").balance()
    assert even.findings == ()


def test_against_a_number(wintered):
    view = wintered.against("humidity")
    assert list(view.table.columns) == DESCRIBED
    known = hives().dropna(subset="wintered")
    want = known.groupby("wintered")["humidity"].agg(["count", "mean", "std", "median"])
    assert view.table[["n", "mean", "sd", "median"]].to_numpy() == pytest.approx(want.to_numpy())
    assert list(view.tests.index) == ["welch_t", "mann_whitney"]
    assert codes(view) == {("bend-without-trend", "humidity"), ("spread-differs", "humidity")}
    assert view.rates["n"].sum() == known["humidity"].count()
    assert codes(wintered.against("cell_width_mm")) == set()


def test_against_levels(wintered):
    view = wintered.against("fed")
    known = hives().dropna(subset="wintered")
    assert view.table.to_numpy().tolist() == pd.crosstab(known["fed"], known["wintered"]).to_numpy().tolist()
    assert list(view.effects.index) == ["cramers_v", "risk_difference", "risk_ratio", "odds_ratio"]
    rate = known["wintered"].eq("yes").groupby(known["fed"]).mean()
    assert view.effects.loc["risk_difference", "estimate"] == pytest.approx(rate["yes"] - rate["no"])
    many = wintered.where("altitude_m < 600").against("inspector")
    assert ("small-expected-counts", "inspector") in codes(wintered.where("altitude_m < 180").against("inspector"))
    assert (many.rates["low"] <= many.rates["rate"]).all()


def test_small_levels_top_no_list():
    rng = np.random.default_rng(0)
    place = np.r_[np.repeat(["mill", "hill"], 150), ["pond"] * 3]
    frame = pd.DataFrame({"place": place, "y": np.where(rng.random(303) < 0.5, "yes", "no")})
    frame.loc[300:, "y"] = "yes"
    assert ("small-levels", "place") in codes(Study(frame, outcome="y").against("place"))


def test_against_classes_more_than_two_and_a_numeric_outcome(state, honey):
    bands = state.against("sound_b03")
    assert list(bands.tests.index) == ["welch_anova", "kruskal_wallis"]
    assert bands.effects.loc["omega_squared", "low"] > 0.3
    assert list(honey.against("frames_bees").effects.index) == [
        "omega_squared",
        "epsilon_squared",
        "pearson",
        "spearman",
        "r_squared",
    ]
    forage = honey.against("forage")
    want = hives().groupby("forage")["honey_kg"].mean()
    assert forage.table["mean"].to_dict() == pytest.approx(want.to_dict())
    assert set(honey.against("wintered").tests.index) == {"welch_t", "mann_whitney"}


def test_event_and_order_decide_what_a_difference_means():
    study = Study("demo", outcome="wintered", event="no")
    usual, turned = Study("demo", outcome="wintered").against("mites"), study.against("mites")
    assert turned.effects.loc["mean_difference", "estimate"] == -usual.effects.loc["mean_difference", "estimate"]
    assert turned.effects.loc["superiority", "low"] == pytest.approx(1 - usual.effects.loc["superiority", "high"])
    assert "event: wintered = no" in turned.about[0]


def test_rank_has_the_contract_and_finds_what_was_planted(wintered, honey):
    view = wintered.rank()
    table = view.table
    assert list(table.columns) == [
        "kind",
        "held_out_share",
        "low",
        "high",
        "auc",
        "p",
        "q",
        "missing_share",
        "advice",
    ]
    assert table["held_out_share"].is_monotonic_decreasing
    assert "wintered" not in table.index
    assert codes(view) == {("too-good-to-be-true", "spring_frames")}
    for name in ("record", "inspector", "remarks"):
        assert table.loc[name, "low"] <= 0 <= table.loc[name, "high"]
    assert table.loc["humidity", "low"] > 0.05
    assert table.loc["apiary", "low"] > 0
    assert (table["q"].dropna() >= table["p"].dropna()).all()
    second = honey.rank().table
    assert second["auc"].isna().all()
    assert second.index[:2].tolist() == ["gain_august", "gain_july"]


def test_rank_by_unit_says_what_it_changed():
    view = Study("demo", outcome="wintered", unit="colony", ignore=["remarks"]).rank()
    assert "colony" not in view.table.index
    assert "remarks" not in view.table.index
    finding = next(f for f in view.findings if f.code == "units-kept-whole")
    assert finding.evidence["units"] == hives().dropna(subset="wintered")["colony"].nunique()
    assert (view.units["change"] == view.units["held_out_share"] - view.units["share_over_rows"]).all()


def test_where_is_a_new_study_and_views_say_so(wintered):
    part = wintered.where("altitude_band == 'high'").where("mites < 20")
    frame = hives().query("altitude_band == 'high' and mites < 20")
    assert len(part.table) == len(frame)
    assert len(wintered.table) == 3000
    assert part.balance().about[1:3] == (
        "only rows where altitude_band == 'high'",
        "only rows where mites < 20",
    )
    assert part.balance().table["count"].sum() == frame["wintered"].count()


STEPS = ["inventory", "balance", "rank", "against", "against humidity", "against apiary", "against inspected_on",
         "distribution mites", "contingency altitude_band forage"]  # fmt: skip


def view_of(study, step) -> View:
    name, *args = step.split()
    return getattr(study, name)(*args)


@pytest.mark.parametrize("step", STEPS)
def test_every_view_can_be_read_and_saved_in_every_form(wintered, honey, step, tmp_path):
    for study in (wintered, honey):
        view = view_of(study, step)
        data = json.loads(json.dumps(view.to_dict(), allow_nan=False))
        assert len(data["tables"]["table"]) == len(view.table)
        assert view.title in str(view)
        for extension in ("png", "svg", "pdf", "html", "md", "csv", "json"):
            view.save(tmp_path / f"view.{extension}")
        back = pd.read_csv(tmp_path / "view.csv", index_col=0)
        assert back.shape == view.table.shape
        number = view.table.select_dtypes("number").columns[0]
        assert back[number].to_numpy() == pytest.approx(view.table[number].to_numpy(), rel=5.1e-6)
        exact = [r[number] for r in json.loads((tmp_path / "view.json").read_text())["tables"]["table"]]
        assert [v for v in exact if v is not None] == view.table[number].dropna().tolist()
        assert not re.search("https?:", (tmp_path / "view.html").read_text().replace("http://www.w3.org", ""))
    assert sorted(p.suffix for p in tmp_path.iterdir()) == [
        ".csv",
        ".html",
        ".json",
        ".md",
        ".pdf",
        ".png",
        ".svg",
    ]


def test_every_finding_is_in_the_catalogue_and_the_readme_example_runs(tmp_path, monkeypatch):
    root = Path(__file__).parents[1]
    assert (root / "docs/findings.md").read_text() == catalogue_page()  # see CONTRIBUTING
    listed = set(FINDINGS)
    source = "".join(p.read_text() for p in (root / "src").rglob("*.py") if p.name != "catalogue.py")
    assert set(re.findall(r'Finding\(\s*"([a-z-]+)"', source)) <= listed
    assert listed <= set(re.findall(r'"([a-z]+(?:-[a-z]+)*)"', source))
    named = {item["finding"] for item in planted()["planted"]} - {None}
    assert named <= listed
    example = re.search(r"```python\n(.*?)```", (root / "README.md").read_text(), re.S).group(1)
    assert example.strip().count("\n") == 16
    monkeypatch.chdir(tmp_path)
    exec(example, {})
    assert {p.name for p in tmp_path.iterdir()} == {"humidity.png", "report.html"}


def test_text_from_data_is_escaped_wherever_it_is_shown(tmp_path, capsys):
    name, level = "<script>x</script>", "[red]|<b>"
    frame = pd.DataFrame({name: [level, "plain"] * 40, "y": ["yes", "no", "no", "yes"] * 20})
    study = Study(frame, outcome="y")
    study.report(tmp_path / "r.html")
    study.against(name).save(tmp_path / "v.html")
    for page in ("r.html", "v.html"):
        text = (tmp_path / page).read_text()
        assert "<script" not in text
        assert "&lt;script&gt;" in text
        assert "<b>" not in text
    assert "<script" not in study.against(name)._repr_html_()
    assert "[red]|<b>" in str(study.against(name))
    study.against(name).save(tmp_path / "v.md")
    assert "<" not in (tmp_path / "v.md").read_text()


def test_report_is_one_page_in_the_order_of_the_work(wintered, tmp_path):
    path = wintered.report(tmp_path / "hives.html")
    text = path.read_text()
    places = [text.index(f'id="{a}"') for a in ("columns", "outcome", "ranking", "candidates", "candidate-1")]
    assert places == sorted(places)
    assert text.count("<img ") == text.count('alt="') >= 8
    assert 'alt=""' not in text
    assert 'src="http' not in text
    assert len(text) < 5_000_000


def test_files_are_written_whole_or_not_at_all(wintered, tmp_path, monkeypatch):
    view = wintered.balance()
    with pytest.raises(OutputError, match="no folder"):
        view.save(tmp_path / "none" / "x.png")
    with pytest.raises(OutputError, match=r"Did you mean 'svg'\?"):
        view.save(tmp_path / "x.svgg")
    with pytest.raises(OutputError, match=r"end .* in \.html"):
        wintered.report(tmp_path / "r.txt")
    (tmp_path / "old.csv").write_text("old")

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.replace", full)
    with pytest.raises(OutputError, match="No space left"):
        view.save(tmp_path / "old.csv")
    assert [(p.name, p.read_text()) for p in tmp_path.iterdir()] == [("old.csv", "old")]
