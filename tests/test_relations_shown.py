"""What a person sees of relations and pairs: pictures, sentences, narrow terminals, labels."""

import re

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study
from envelt.core.stats.form import relation_form
from samples import rows


def rng(seed=0):
    return np.random.default_rng(seed)


@pytest.fixture(scope="module")
def small():
    """Six numbers in two blocks, and an outcome."""
    r = rng(1)
    one, two = r.normal(size=(2, 500))
    frame = pd.DataFrame({f"a{k}": one * (-1) ** k + 0.5 * r.normal(size=500) for k in range(3)})
    for k in range(3):
        frame[f"b{k}"] = two + 0.5 * r.normal(size=500)
    frame = frame[["a0", "b0", "a1", "b1", "a2", "b2"]]
    frame["wintered"] = np.where(one + r.normal(size=500) > 0, "yes", "no")
    return Study(frame, outcome="wintered")


def cells(figure):
    """The colours of the cells."""
    (drawn,) = figure.axes[0].collections
    assert len(drawn.get_paths()) == len(drawn.get_facecolor())
    return [tuple(c) for c in drawn.get_facecolor()]


def rows_of(figure):
    return [t.get_text() for t in figure.axes[0].get_yticklabels()]


def test_a_heat_map_draws_each_pair_once_the_outcome_apart_and_blocks_together(small):
    figure = small.relations().draw()
    assert len(cells(figure)) == 15 + 6
    names = rows_of(figure)
    assert names[-1] == "wintered"
    assert {n[0] for n in names[:3]} in ({"a"}, {"b"})  # the file has them in turns
    assert rows_of(small.relations(order="file").draw())[:-1] == ["a0", "b0", "a1", "b1", "a2", "b2"]
    assert len(cells(small.relations(whole=True).draw())) == 36 + 6
    few = small.relations(at_least=0.5)
    assert len(cells(few.draw())) == 6
    assert len(few.pairs) == 6 + int((few.with_outcome["coefficient"].abs() >= 0.5).sum())
    written = [t.get_text() for t in figure.axes[0].texts]
    assert len(written) == 21
    assert all(re.fullmatch("−?(1)?\\.\\d\\d", t) for t in written)


def test_a_falling_pair_is_red_a_rising_one_blue_and_strength_without_direction_grey(small):
    figure = small.relations("a0", "a1", "a2").draw()
    colours = sorted(cells(figure), key=lambda c: c[0] - c[2])
    assert colours[0][2] > colours[0][0]  # a0 with a2
    assert colours[-1][0] > colours[-1][2]
    r = rng(2)
    place = r.choice(["hill", "shore", "wood"], 400)
    frame = pd.DataFrame({"place": place, "x": (place == "hill") * 3 + r.normal(size=400)})
    red, green, blue, _ = cells(Study(frame).relations().draw())[0]
    assert max(red, green, blue) - min(red, green, blue) < 0.1


@given(
    st.integers(0, 10**6), st.sampled_from(["line", "rise", "bend", "nothing"]), st.sampled_from([1e-6, 1.0, 1e7]),
    st.floats(-100, 100),
)  # fmt: skip
@settings(deadline=None, max_examples=25)
def test_the_form_does_not_depend_on_units_or_on_which_way_is_up(seed, shape, factor, shift):
    r = rng(seed)
    x = r.random(600)
    y = {"line": 2 * x, "rise": np.exp(3 * x) / 5, "bend": 8 * (x - 0.5) ** 2, "nothing": 0 * x}[shape]
    y = y + 0.4 * r.normal(size=600)
    form = relation_form(x, y, rows(x), seed)
    assert relation_form(x, -y, rows(x), seed) == form
    assert relation_form((x + shift) * factor, y * factor - shift, rows(x), seed) == form


def test_labels_stand_in_tables_pictures_and_sentences(tmp_path):
    r = rng(3)
    x = r.normal(size=300)
    pd.DataFrame({"w": x, "v": x + 0.1 * r.normal(size=300), "u": r.normal(size=300)}).to_csv(
        tmp_path / "t.csv", index=False
    )
    (tmp_path / "study.toml").write_text(
        '[study]\ndata = "t.csv"\n[columns.w]\nlabel = "Hive weight"\nunit = "kg"\n[columns.v]\nlabel = "Wall"\n'
    )
    study = Study.open(tmp_path / "study.toml")
    view = study.relations()
    assert set(view.table.columns) == {"w", "v", "u"}  # names for code
    assert "Hive weight" in str(view)
    assert any("Hive weight" in n for n in rows_of(view.draw()))
    said = next(f for f in view.findings if f.code == "say-nearly-the-same").statement
    assert "Hive weight" in said
    assert "Wall" in said
    axes = study.pairwise("w", "v").draw().axes[0]
    assert axes.get_xlabel() == "Hive weight (kg)" or axes.get_xlabel().startswith("Hive weight")


@pytest.mark.parametrize("words", [("relations",), ("pairwise",), ("pairwise", "mites", "weight_kg")])
def test_eighty_columns_keep_what_matters_most(run, words):
    status, out, _ = run(words[0], "demo", *words[1:], "--outcome", "wintered", columns=80)
    assert status == 0
    assert max(map(len, out.splitlines())) <= 80
    heads = next(line for line in out.splitlines() if {"coefficient", "low"} <= set(line.split()))
    assert {"high", "q"} <= set(heads.split())


def test_what_to_do_is_written_as_it_is_typed_where_it_is_typed(run, wintered):
    typed = run("relations", "demo", "--outcome", "wintered", "--findings")[1]
    assert "--by colony_state" in " ".join(typed.split())
    assert any("by='colony_state'" in f.advice for f in wintered.relations().findings)


def test_mistakes_on_the_command_line_say_what_to_type(run):
    for words, said in (
        (("relations", "demo", "mitez", "humidity"), "mites"),
        (("relations", "demo", "--method", "pearsen"), "pearson"),
        (("relations", "demo", "apiary", "forage", "--method", "spearman"), "no order"),
        (("pairwise", "demo", "mites"), "two columns"),
        (("pairwise", "demo", "mites", "fed", "--ranks"), "two numbers"),
    ):
        status, _, err = run(*words)
        assert status == 2
        assert said in " ".join(err.split())
        assert "Traceback" not in err


def test_one_pair_large_has_its_line_its_trend_and_a_map_has_none():
    r = rng(4)
    x = r.uniform(0, 10, 800)
    frame = pd.DataFrame({"x": x, "y": 2 * x + r.normal(size=800), "z": 10 * x + r.normal(size=800)})
    figure = Study(frame).pairwise("x", "y").draw()
    lines = [line for line in figure.axes[0].lines if len(line.get_xdata()) > 1]
    dashed = next(line for line in lines if line.get_linestyle() == "--")
    at, up = np.asarray(dashed.get_xdata(), float), np.asarray(dashed.get_ydata(), float)
    slope, start = np.polyfit(x, frame["y"], 1)
    np.testing.assert_allclose(up, start + slope * at, rtol=1e-9)
    trend = next(line for line in lines if line.get_linestyle() == "-")
    away = np.asarray(trend.get_ydata(), float) - (start + slope * np.asarray(trend.get_xdata(), float))
    assert np.abs(away).max() < 0.7
    coloured = Study(frame).pairwise("x", "y", colour="z").draw()
    assert "colour: z" in " ".join(t.get_text() for t in coloured.texts)
    ranks = Study(frame).pairwise("x", "y", ranks=True).draw().axes[0]
    assert ranks.get_xlabel().startswith("rank of")
    assert 790 < ranks.get_xlim()[1] < 830
    far = frame.assign(y=np.where(np.arange(800) < 1, 1e6, frame["y"]))
    note = " ".join(t.get_text() for t in Study(far).pairwise("x", "y").draw().texts)
    assert "Beyond the axes, not drawn: 1 of y" in " ".join(note.split())
