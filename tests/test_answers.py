"""Answers: every number in one is in the view's tables, they lead wherever a view is shown, and they say what is so."""

import json
import re
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from answers_page import page, views
from envelt import Study
from envelt.write.terminal import IN_PYTHON, view_text

PAGE = Path(__file__).parents[1] / "docs" / "answers.md"
NUMBER = re.compile(r"[−-]?\d[\d,]*(?:\.\d+)?(?:e[−-]?\d+)?")
COUNTED = re.compile(
    r"of \d+ in all|\b\d+ of \d+ |Some [\d,]+ rows|under 0\.05|"
    r"[\d,]+ (?:rows?|columns?|numbers?|pairs?|candidates?|groups?|levels?|things?|"
    r"more|of them|have|features?|classes)\b"
)
"""What an answer counts itself."""


@pytest.fixture(scope="module")
def made():
    return views()


def numbers_in(thing):
    """Return every number in tables, values and evidence, and those that texts in them are written with."""
    if isinstance(thing, dict):
        return [n for k, v in thing.items() for part in (k, v) for n in numbers_in(part)]
    if isinstance(thing, (list, tuple, pd.Index)):
        return [n for v in thing for n in numbers_in(v)]
    if isinstance(thing, (bool, np.bool_)) or thing is None:
        return []
    if isinstance(thing, (int, float, np.number)):
        return [float(thing)]
    return [as_number(t) for t in NUMBER.findall(str(thing))]


def as_number(text):
    return float(text.replace(",", "").replace("−", "-"))


def numbers_of(view):
    """Give the numbers of a view source by source: its tables, values and sums, then what findings have as evidence."""
    yield numbers_in(view.title)
    for name in view.tables:
        table = view.tables[name]
        if len(table) <= 5_000:
            texts = table.select_dtypes(exclude="number")
            labels = [] if isinstance(table.index, pd.RangeIndex) else list(table.index)
            yield [
                *table.select_dtypes("number").to_numpy(float, na_value=np.nan).ravel().tolist(),
                *numbers_in([labels, list(table.columns), *(list(texts[c]) for c in texts)]),
                *(float(table[c].sum()) for c in ("n", "count") if c in table),
            ]
    yield [n for v in dict(view.values).values() if not isinstance(v, pd.Series) for n in numbers_in(v)]
    if view.step == "contingency" and "tests" in view.tables:
        yield numbers_in(view.shares("row").to_numpy().ravel().tolist())
    yield [n for f in view.findings for n in numbers_in([f.evidence, f.statement])]


def test_every_number_in_an_answer_is_in_the_tables_of_its_view(made):
    for call, view in [pair for of in made.values() for pair in of.items()]:
        left = NUMBER.findall(COUNTED.sub(" ", view.answer))
        for source in numbers_of(view):
            there = np.abs(np.array(source, float))
            left = [text for text in left if not stands_in(text, there)]
            if not left:
                break
        assert not left, f"{call}: {left} in {view.answer!r} are in no table"


def stands_in(text, there):
    """Whether a number stands among others to the digits it is written with, or does as a share in percent."""
    value, decimals = abs(as_number(text)), len(text.partition("e")[0].partition(".")[2])
    half = 0.5 * 10.0**-decimals * (1 + 1e-9)
    return bool(((np.abs(there - value) <= half) | (np.abs(100 * there - value) <= half)).any())


def test_the_page_of_answers_is_what_they_are(made):
    assert PAGE.read_text("utf-8") == page(made)


def test_an_answer_leads_wherever_a_view_is_shown(made, tmp_path):
    for call in ("study.against('mites')", "study.balance()", "study.transforms('mites')"):
        view = next(of[call] for of in made.values() if call in of)
        assert view.answer.split()[:5] == str(view).splitlines()[1].split()[:5]
        for ending in ("md", "html", "json"):
            view.save(tmp_path / f"v.{ending}")
        assert (tmp_path / "v.md").read_text().splitlines()[2].replace("\\", "") == view.answer
        whole = (tmp_path / "v.html").read_text()
        assert whole.index(view.answer) < whole.index("<img")
        assert view.answer in view._repr_html_()
        assert json.loads((tmp_path / "v.json").read_text())["answer"] == view.answer
        figure = view.draw()
        assert figure.alternative.startswith(view.answer)
        assert view.answer.split(". ")[0].rstrip(".") in " ".join(t.get_text() for t in figure.texts).replace("\n", " ")


@pytest.mark.parametrize("width", [80, 120])
def test_the_terminal_answers_first_in_forty_lines_and_cuts_no_number(made, width):
    for call, view in ((c, v) for of in made.values() for c, v in of.items()):
        text = view.in_words(width)
        lines, whole = text.splitlines(), view.in_words(1_000, everything=True)
        assert len(lines) <= 40, call
        assert max(map(len, lines)) <= width, call
        assert " ".join(lines[1:5]).startswith(" ".join(view.answer.split())[: width - 20]), call
        told, _, left = text.partition("Not shown: ")
        told = re.sub(r"\d+ more findings?: [^:]*: \.findings", "", told)
        there = np.abs([*numbers_in(whole), *(n for source in numbers_of(view) for n in source)])
        assert not [w for w in NUMBER.findall(told) if not stands_in(w, there)], call
        for name, table in view.needed.items():
            if f"the tables {name}" not in left and "n" in table.frame:
                assert "n" in told.split(), call
        for name in view.shown:
            heads = {name.replace("_", " ")} if name != "table" else {"the main table", ""}
            assert name in view.needed or any(h in " ".join(left.split()) for h in heads), call


@given(st.floats(-3, 3), st.integers(30, 200), st.integers(0, 1000))
@settings(max_examples=25, deadline=None)
def test_a_difference_is_said_the_way_it_goes_and_only_where_its_interval_is_clear_of_nothing(shift, n, seed):
    r = np.random.default_rng(seed)
    y = np.repeat(["no", "yes"], n)
    frame = pd.DataFrame({"x": r.normal(size=2 * n) + shift * (y == "yes"), "y": y})
    view = Study(frame, outcome="y", kinds={"x": "continuous"}).against("x")
    low, high = view.effects.loc["mean_difference", ["low", "high"]]
    assert ("higher on average" in view.answer) == (low > 0)
    assert ("lower on average" in view.answer) == (high < 0)
    assert ("no more than chance makes" in view.answer) == (low <= 0 <= high)
    turned = Study(frame.assign(y=np.where(y == "yes", "no", "yes")), outcome="y", kinds={"x": "continuous"})
    if low > 0:
        assert "lower on average" in turned.against("x").answer


@given(st.integers(5, 95), st.integers(5, 95), st.integers(0, 100))
@settings(max_examples=25, deadline=None)
def test_rates_are_said_more_or_less_often_as_they_are(first, second, seed):
    frame = pd.DataFrame({"fed": np.repeat(["no", "yes"], 100), "y": "no"})
    frame.loc[:first, "y"] = "yes"
    frame.loc[100 : 100 + second, "y"] = "yes"
    frame = frame.sample(frac=1, random_state=seed)
    view = Study(frame, outcome="y").against("fed")
    low, high = view.effects.loc["risk_difference", ["low", "high"]]
    assert ("more often" in view.answer) == (low > 0)
    assert ("less often" in view.answer) == (high < 0)
    fed, not_fed = (f"{v:.0f}%" if v >= 9.95 else f"{v:.1f}%" for v in 100 * view.rates["rate"][["yes", "no"]])
    assert f"in {fed} where fed is yes and in {not_fed} where it is no" in view.answer


def test_what_turns_round_within_groups_is_said(made):
    said = made["A candidate and the outcome"]["study.against('fed', by='altitude_band')"].answer
    pooled = made["A candidate and the outcome"]["study.against('fed', by='altitude_band')"].pooled
    row = pooled.loc["risk_difference"]
    assert row["crude"] < 0 < row["pooled"]
    assert "turns round" in said


def test_about_how_many_rows_would_tell():
    r = np.random.default_rng(5)
    y = np.repeat(["no", "yes"], 100)
    x = r.normal(size=200)
    x[y == "yes"] += 0.12 - x[y == "yes"].mean() + x[y == "no"].mean()
    said = Study(pd.DataFrame({"x": x, "y": y}), outcome="y").against("x").answer
    told = int(re.search(r"Some ([\d,]+) rows", said)[1].replace(",", ""))
    many = max(1, told // 200)
    seen = Study(pd.DataFrame({"x": np.tile(x, 2 * many), "y": np.tile(y, 2 * many)}), outcome="y").against("x")
    assert seen.effects.loc["mean_difference", "low"] > 0
    few = max(1, many // 4)
    less = Study(pd.DataFrame({"x": np.tile(x, few), "y": np.tile(y, few)}), outcome="y").against("x")
    assert less.effects.loc["mean_difference", "low"] < 0


@given(st.floats(-1, 1), st.integers(0, 1000))
@settings(max_examples=20, deadline=None)
def test_a_number_beside_two_levels_is_higher_where_its_mean_is(shift, seed):
    r = np.random.default_rng(seed)
    fed = r.choice(["no", "yes"], 300)
    frame = pd.DataFrame({"x": r.normal(size=300) + shift * (fed == "yes"), "fed": fed})
    study = Study(frame, kinds={"x": "continuous"})
    said = {study.relations(*pair).answer.split(":")[0] for pair in (("x", "fed"), ("fed", "x"))}
    assert said == {study.pairwise("x", "fed").answer.split(":")[0]} or len(said) == 2
    sure = study.relations("x", "fed").pairs["p"].iloc[0] < 0.05
    higher = frame.groupby("fed")["x"].mean().rank()["yes"] == 2
    way = f"x is {'higher' if higher else 'lower'} where fed is yes than where it is no"
    assert all(s == way if sure else "do not go together" in s for s in said)


def test_what_is_the_same_at_every_level_is_said_to_be():
    frame = pd.DataFrame({"level": list("abcd") * 25, "y": [0.0, 0, 0, 0, 1, 1, 1, 1, 2, 2] * 10})
    frame["z"] = np.where(np.arange(100) % 8 < 4, "no", "yes")
    assert "at every level of level" in Study(frame[["level", "z"]], outcome="z").contingency("level").answer
    frame["y"] = np.repeat(np.arange(25.0), 4)
    said = Study(frame[["level", "y"]], outcome="y", kinds={"y": "continuous"}).against("level").answer
    assert said == "y is 12 on average at every level of level with rows enough (n 100)."


def test_the_inventory_of_a_counted_table_speaks_of_the_rows_it_stands_for():
    frame = pd.DataFrame({"level": list("abcd") * 5, "z": np.arange(20) % 3, "n": 7})
    assert Study(frame, counts="n").inventory().answer.startswith("140 rows of")


def test_every_finding_that_says_stop_is_shown_whatever_the_room(made):
    view = next(of["study.rank()"] for of in made.values() if "study.rank()" in of)
    stop = next(f for f in view.findings if f.weight == "stop")
    screen = view.on_screen()._replace(findings=(stop,) * 8 + tuple(f for f in view.findings if f.weight == "note") * 3)
    text = view_text(screen, IN_PYTHON, 80)
    assert text.count("stop: ") >= 8
    assert re.search(r"\d more findings?: ", text)
