"""A view in a person's hands: read, asked for what it has not, pasted, and told in words."""

import re

import numpy as np
import pandas as pd
import pytest
from markdown_it import MarkdownIt

from envelt import Study
from envelt.demo import planted
from envelt.errors import EnveltError, OutputError, UnknownColumnError


@pytest.fixture(scope="module")
def pasted():
    """A study whose names and levels hold what markup is made of."""
    r = np.random.default_rng(0)
    frame = pd.DataFrame(
        {"a|b": r.choice(["*x*", "_y_", "`z`"], 90), "n": r.normal(size=90), "y": r.choice(["no", "yes"], 90)}
    )
    return Study(frame, outcome="y")


def test_a_view_answers_for_what_it_has_and_names_the_nearest_for_what_it_has_not(wintered):
    view = wintered.against("humidity")
    assert view.rates.equals(view.tables["rates"])
    rates, table = view.rates, view.table  # a table handed out is the caller's own
    rates.iloc[:, :] = -1
    table["n"] = -1
    assert view.rates.iloc[0, 0] > 0
    assert view.table["n"].min() > 0
    assert {"table", "rates", "tests", "effects", "findings"} <= set(dir(view))
    with pytest.raises(AttributeError, match="Did you mean 'effects'"):
        _ = view.effect
    assert repr(view) == "<AgainstView: humidity by wintered (2 × 15, 2 findings)>"
    assert wintered.balance().largest_share == pytest.approx(0.7762, abs=1e-4)


def test_steps_are_made_once_and_a_new_study_makes_its_own(wintered):
    assert wintered.rank() is wintered.rank()
    part = wintered.where("mites < 10")
    assert part.rank() is not wintered.rank()
    assert part.rank().rows < wintered.rank().rows


def test_markdown_pastes_as_tables_with_nothing_lost(pasted, tmp_path):
    view = pasted.against("a|b")
    view.save(tmp_path / "v.md")
    tokens = MarkdownIt("commonmark").enable("table").parse((tmp_path / "v.md").read_text())
    assert sum(t.type == "table_open" for t in tokens) == len(view.tables)
    text = [t for t in tokens if t.type == "inline"]
    shown = {"".join(child.content for child in t.children) for t in text}
    assert {"*x*", "_y_", "`z`", "a|b"} <= shown
    assert not any(
        child.type in ("em_open", "code_inline", "html_inline") for t in text for child in t.children if t.level == 4
    )


def test_findings_are_complete_and_ordered_by_weight(wintered):
    order = {"stop": 0, "caution": 1, "note": 2}
    for view in (wintered.inventory(), wintered.balance(), wintered.rank()):
        weights = [order[f.weight] for f in view.findings]
        assert weights == sorted(weights)
        for f in view.findings:
            assert f.statement[0] == f.statement[0].strip()
            assert f.statement.endswith(".")
            assert f.advice.endswith((".", "?"))
            assert set(f.to_dict()) == {"code", "weight", "columns", "statement", "evidence", "advice"}
            assert all(isinstance(c, str) for c in f.columns)


def test_labels_stand_for_names_in_every_finding_but_not_in_what_is_to_be_typed():
    """Every planted finding of a study in which each column has a label."""
    plain = Study("demo")
    study = Study("demo", outcome="wintered", columns={n: {"label": f"<{n.upper()}>"} for n in plain.table.columns})
    views = [study.inventory(), study.balance(), study.rank(), study.against(), study.contingency("hive_type", "roof")]
    views += [study.contingency(n) for n in ("hive_type", "lid_damp", "altitude_band", "frames_brood", "weight_kg")]
    for item in (p for p in planted()["planted"] if p["step"] == "distribution"):
        look = {"picture": item["picture"]} if "picture" in item else {}
        views.append(study.distribution(item["columns"][0], by=item.get("by", ()), **look))
    texts = [t for v in views for f in v.findings for t in (f.statement, f.advice)] + [
        t for v in views for t in v.about
    ]
    assert sum("<" in t for t in texts) > 60
    for text in texts:
        for name in re.findall(r"[a-z]+_[a-z0-9_]+", text):
            typed = (
                f"--unit {name}" in text or f"--kind {name}=" in text or f"by='{name}'" in text or f"{name} !=" in text
            )
            assert typed or name not in plain.table.columns, text


def test_labels_with_minus_signs_are_left_as_they_are():
    frame = pd.DataFrame({"a-1": [-5.0, -3.0, -4.0] * 20 + [-99.0] * 5, "y": ["yes", "no", "no"] * 20 + ["no"] * 5})
    study = Study(frame, outcome="y", columns={"a-1": {"label": "at -5 m"}})
    told = next(f for f in study.inventory().findings if f.code == "sentinel-value").statement
    assert told.startswith("at -5 m is −99 in")


def test_errors_of_every_kind_can_be_caught_as_one(pasted, tmp_path):
    for attempt in (
        lambda: pasted.against("nn"),
        lambda: pasted.where("nn > 1"),
        lambda: pasted.derive("n", "n + 1"),
        lambda: pasted.inventory(rows=-1),
        lambda: pasted.rank().save(tmp_path / "x.doc"),
        lambda: pasted.begin(tmp_path / "study.toml"),
    ):
        with pytest.raises(EnveltError) as caught:
            attempt()
        assert "\n" not in str(caught.value)
    with pytest.raises(UnknownColumnError, match="'n'"):
        pasted.against("nn")
    (tmp_path / "x.png").mkdir()
    with pytest.raises(OutputError, match="it is a folder"):
        pasted.rank().save(tmp_path / "x.png")


def test_pictures_leave_the_callers_settings_alone(wintered):
    import matplotlib as mpl

    before = dict(mpl.rcParams)
    wintered.balance().draw()
    assert dict(mpl.rcParams) == before


def test_a_table_of_every_kind_of_column_can_be_printed_and_pasted(tmp_path):
    """What one kind has no number for is a dash, in a table wide enough for the window or on its side."""
    r = np.random.default_rng(4)
    frame = pd.DataFrame({"x": r.normal(size=60), "c": r.choice(["a", "b"], 60), "gone": [None] * 60})
    frame["d"] = pd.Timestamp("2024-01-01") + pd.to_timedelta(r.integers(0, 90, 60), "D")
    view = Study(frame).distribution()
    assert "–" in str(view)
    view.save(tmp_path / "sheet.md")
    assert "<NA>" not in (tmp_path / "sheet.md").read_text() + str(view)
