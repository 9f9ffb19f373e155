"""Searches over random files, tables and options: whatever is given, what comes back is a result or one sentence.

`make search` looks at some thousands.
"""

import inspect
import io
import json
import os
import re

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pyarrow.csv import ConvertOptions

from envelt import Preparation, Study
from envelt.core.distribution.look import LookOptions
from envelt.errors import EnveltError
from envelt.view import View

SLOW = settings(
    max_examples=int(os.environ.get("ENVELT_SEARCHES", "30")), deadline=None, suppress_health_check=list(HealthCheck)
)

CELLS = st.one_of(
    st.integers(-(10**20), 10**20).map(str), st.floats(width=64).map(repr), st.text(max_size=12), st.just(""),
    st.sampled_from(["NA", "1e400", "9999-12-31", "0001-01-01", "12%", "€5", "(3)", "1,5", "=1+1", "007", "TRUE"]),
    st.dates().map(str), st.sampled_from(["\0", "\x1b[31m", "\u202e", "\r", "\ud800", "\ufeff", '"', "'"]),
)  # fmt: skip


def is_a_sentence(error, pattern="[a-z]"):
    """Ask whether a message says something, and no more than a screen holds."""
    assert re.search(pattern, str(error))
    assert 10 < len(str(error)) < 1_100


def read_whole(study):
    """Read every table and finding of the first steps, and print them."""
    for view in (study.inventory(), study.distribution()):
        assert view.to_dict()["step"]
        assert str(view)
        assert view.findings is not None


@SLOW
@given(
    st.binary(max_size=400),
    st.sampled_from(["a.csv", "a.tsv", "a.jsonl", "a.parquet", "a.arrow", "a.xlsx", "a.gz", "a.toml"]),
)
def test_any_bytes_are_a_table_or_refused_in_a_sentence(tmp_path_factory, contents, name):
    path = tmp_path_factory.mktemp("any") / name
    path.write_bytes(contents)
    try:
        read_whole(Study(path))
    except EnveltError as error:
        is_a_sentence(error)


HEADS = [
    "a,b\n",
    "PAR1\n",
    "PK\x03\x04",
    "\x1f\x8b",
    '{"a": ',
    "BZh9",
    "ARROW1\0\0",
    "sep=;\n",
    '"',
    "\n\n",
    "[study]\ndata = ",
]


@SLOW
@given(
    st.sampled_from(HEADS), st.lists(st.lists(CELLS, min_size=1, max_size=4), max_size=12), st.sampled_from(",;\t|"),
    st.sampled_from(["\n", "\r\n", "\r"]), st.sampled_from(["utf-8", "utf-16", "cp1252"]),
)  # fmt: skip
def test_any_text_is_a_table_or_refused_in_a_sentence(tmp_path_factory, head, rows, delimiter, end, coding):
    path = tmp_path_factory.mktemp("text") / "a.csv"
    path.write_bytes((head + end.join(delimiter.join(r) for r in rows)).encode(coding, errors="replace"))
    try:
        read_whole(Study(path))
    except EnveltError as error:
        is_a_sentence(error)


@SLOW
@given(st.lists(st.lists(CELLS.filter(lambda c: "\0" not in c), min_size=3, max_size=3), min_size=2, max_size=30))
def test_texts_written_as_csv_are_read_as_they_were(tmp_path_factory, rows):
    from envelt.write.csv import table_csv

    rows = [[cell.encode("utf-8", "replace").decode() for cell in row] for row in rows]
    frame = pd.DataFrame(rows, columns=["a", "b", "c"]).replace(ConvertOptions().null_values, "")
    written = table_csv(frame, index=False)
    path = tmp_path_factory.mktemp("csv") / "a.csv"
    path.write_bytes(written.encode())
    try:
        study = Study(path, kinds=dict.fromkeys("abc", "text"))
    except EnveltError as error:
        is_a_sentence(error, "has no|binary")
        return
    read = study.to_frame()
    frame = frame.mask(frame.apply(lambda c: c.str.strip() == ""), "")  # a cell of blanks is missing
    kept = frame.loc[~(frame == "").all(axis=1)] if len(read) < len(frame) else frame
    for name in frame.columns:
        assert read[name].astype(object).where(read[name].notna(), "").tolist() == kept[name].tolist()


OBJECTS = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=5), st.dates(), st.datetimes(),
    st.decimals(allow_nan=False), st.binary(max_size=3), st.timedeltas(), st.lists(st.integers(), max_size=2),
    st.complex_numbers(), st.fractions(),
)  # fmt: skip


@SLOW
@given(
    st.lists(
        st.one_of(st.lists(OBJECTS, min_size=20, max_size=20), st.lists(CELLS, min_size=20, max_size=20)),
        min_size=1,
        max_size=3,
    )
)
def test_any_frame_of_objects_is_a_study_or_refused_in_a_sentence(columns):
    frame = pd.DataFrame({f"c{i}": pd.Series(c, dtype=object) for i, c in enumerate(columns)})
    before = frame.copy(deep=True)
    try:
        study = Study(frame)
        read_whole(study)
        study.relations().to_dict()
    except EnveltError as error:
        is_a_sentence(error)
    assert all(a is b or a == b or a != a for n in frame for a, b in zip(frame[n], before[n], strict=True))


# any study through every step

VALUES = {
    "numbers": st.floats(allow_nan=True, allow_infinity=False, width=64), "small": st.integers(0, 4),
    "whole": st.integers(-(10**6), 10**6), "words": st.sampled_from(["a", "b", "c", "NA", "", "é", "low", "yes", "no"]),
    "flags": st.sampled_from([True, False, None]),
    "times": st.datetimes(pd.Timestamp("1900-01-01"), pd.Timestamp("2100-01-01")),
    "zoned": st.datetimes(pd.Timestamp("1990-01-01"), pd.Timestamp("2030-01-01"), timezones=st.timezones()),
    "spans": st.timedeltas(pd.Timedelta("-9D"), pd.Timedelta("900D")), "same": st.just(3.5),
    "steps": st.integers(0, 30).map(lambda k: k * 0.1), "sevens": st.integers(0, 50).map(lambda k: 7 * k),
}  # fmt: skip


@st.composite
def studies(draw):
    n = draw(st.integers(2, 60))
    kinds = draw(st.lists(st.sampled_from(sorted(VALUES)), min_size=2, max_size=5))
    frame = pd.DataFrame({
        f"{kind}{i}": pd.Series(draw(st.lists(VALUES[kind], min_size=n, max_size=n))) for i, kind in enumerate(kinds)
    })  # fmt: skip
    columns = st.none() | st.sampled_from(list(frame))
    return frame, {
        "outcome": draw(columns),
        "unit": draw(columns),
        "counts": draw(columns.filter(lambda c: c is None or "small" in c)),
    }


@SLOW
@given(studies(), st.integers(0, 3))
def test_any_study_answers_every_step_or_says_why_not(drawn, at):
    frame, roles = drawn
    names = list(frame)
    try:
        study = Study(frame, **{role: name for role, name in roles.items() if name is not None})
    except EnveltError as error:
        is_a_sentence(error)
        return
    name, other = names[at % len(names)], names[(at + 1) % len(names)]
    asked = {
        "inventory": (), "balance": (), "distribution": (), "against": (), "relations": (), "transforms": (),
        "rank": (), "pairwise": (), "contingency": (name, other), "embed": (),
    }  # fmt: skip
    calls = [(step, columns, {}) for step, columns in asked.items()]
    calls += [
        ("distribution", (name,), {"by": other}),
        ("against", (name,), {"by": other}),
        ("relations", (), {"by": name}),
        ("relations", (name, other), {}),
        ("distribution", (), {"by": name}),
        ("series", (name,), {}),
        ("series", (name, other), {"by": names[(at + 2) % len(names)]}),
    ]
    for step, columns, more in calls:
        try:
            view = getattr(study, step)(*columns, **more)
            told = view.to_dict()
            assert str(view)
            json.dumps(told, allow_nan=False)
        except EnveltError as error:
            is_a_sentence(error)
    try:
        training, test = study.split(0.3)
        fitted = training.prepare(training.preparation(), fit=True).preparation
        assert len(test.prepare(fitted).prepared) == len(test.to_frame()) or roles["counts"] is not None
    except EnveltError as error:
        is_a_sentence(error)


PARTS = [
    "n",
    "w",
    "b",
    "t",
    "column('odd name')",
    "3",
    "-1.5",
    "0",
    "'a'",
    "'2024-01-01'",
    "'2024-01-01T00:00Z'",
    "True",
    "1e308",
]
JOINS = ["+", "-", "*", "/", "//", "%", "**", "==", "!=", "<", ">=", "and", "or", "in", "not in"]
FUNCTIONS = ["log", "sqrt", "abs", "exp", "min", "max", "where", "is_missing", "year", "hour", "weekday", "date"]


def joined(inner):
    """An expression of others."""
    calls = st.tuples(st.sampled_from(FUNCTIONS), st.lists(inner, min_size=1, max_size=3))
    return st.one_of(
        st.tuples(inner, st.sampled_from(JOINS), inner).map(lambda t: f"({' '.join(t)})"),
        calls.map(lambda t: f"{t[0]}({', '.join(t[1])})"), inner.map("not {}".format), inner.map("[{}]".format),
    )  # fmt: skip


@SLOW
@given(st.recursive(st.sampled_from(PARTS), joined, max_leaves=8))
def test_any_expression_keeps_rows_makes_a_column_or_is_refused_in_a_sentence(expression):
    frame = pd.DataFrame({
        "n": [0.0, 1, -2, np.nan, 1e300] * 4, "w": ["a", "b", None, "c", "a"] * 4, "b": [True, False] * 10,
        "t": pd.date_range("2024-01-01", periods=20, freq="7h", tz="Asia/Kathmandu"), "odd name": range(20),
    })  # fmt: skip
    study = Study(frame, kinds={"n": "continuous", "odd name": "continuous"})
    for call in (study.where, lambda e: study.derive("new", e)):
        try:
            assert 0 < len(call(expression).to_frame()) <= 20
        except EnveltError as error:
            is_a_sentence(error)


@SLOW
@given(
    st.lists(
        st.tuples(
            st.sampled_from([",", ";", "\t"]), st.sampled_from(["plain", "comma", "iso", "dots", "words", "none"])
        ),
        min_size=2,
        max_size=4,
    )
)
def test_any_files_are_one_table_of_each_ones_own_form(tmp_path_factory, forms):
    folder, paths = tmp_path_factory.mktemp("several"), []
    write = {
        "plain": lambda k: f"{k / 8}", "comma": lambda k: f'"{k / 8}"'.replace(".", ","),
        "iso": lambda k: f"2024-03-{k + 1:02d}",
        "dots": lambda k: f"{k + 1:02d}.03.2024", "words": lambda k: f"w{k % 3}", "none": lambda k: "",
    }  # fmt: skip
    for i, (mark, form) in enumerate(forms):
        paths.append(folder / f"{i}.csv")
        paths[-1].write_text(f"id{mark}x\n" + "".join(f"{i}_{k}{mark}{write[form](k)}\n" for k in range(25)))
    study = Study(paths)
    read_whole(study)
    holds = {f for _, f in forms} - {"none"}
    values = study.to_frame()["x"]
    if holds and holds <= {"plain", "comma"}:
        wanted = np.concatenate([np.arange(25) / 8 if f != "none" else np.full(25, np.nan) for _, f in forms])
        assert values.astype(float).to_numpy() == pytest.approx(wanted, nan_ok=True)
    if holds and holds <= {"iso", "dots"}:
        assert (values.dropna().dt.month == 3).all()


# every option of every method, given what it is not

WRONG = [
    object(), 5, -1, 2.5, True, float("nan"), float("inf"), "a", "", b"x", [1], ["a", "a"], [None], {1: 2},
    {"a": object()}, ("a", 5), pd.Series([1, 2]), np.array([1.0]), Study, None, range(3), {"mites"}, 10**30,
]  # fmt: skip
FIRST = {
    "distribution": ("mites",), "against": ("mites",), "contingency": ("fed", "hive_type"), "derive": ("new",),
    "transforms": ("mites",), "embed": ("mites", "weight_kg"), "relations": ("mites", "weight_kg"),
    "series": ("inspected_on",), "pairwise": ("mites", "weight_kg"), "rank": ("mites",), "inventory": (), "balance": (),
    "split": (),
    "where": (), "begin": (), "report": (), "prepare": (),
}  # fmt: skip
RECIPES = {
    "at": {"cut": "mites", "names": ["x", "y"]},
    "names": {"cut": "mites", "at": [3]},
    "into": {"regroup": "fed"},
}
NOT_CHECKED = ("on_step",)  # a function of the caller's, whose own faults are the caller's


def options_of(method):
    parameters = inspect.signature(method).parameters.values()
    named = [p.name for p in parameters if p.kind is inspect.Parameter.KEYWORD_ONLY]
    return named + (list(LookOptions.__annotations__) if any(p.name == "look" for p in parameters) else [])


OPTIONS = [(m, o) for m in FIRST for o in options_of(getattr(Study, m)) if o not in NOT_CHECKED]
OPTIONS += [("__init__", o) for o in options_of(Study.__init__)]


@pytest.fixture(scope="module")
def small():
    columns = ["mites", "weight_kg", "fed", "hive_type", "wintered"]
    return Study(Study("demo").to_frame()[columns].head(80), outcome="wintered")


@pytest.mark.parametrize(("method", "option"), OPTIONS)
def test_an_option_of_a_wrong_type_is_refused_with_what_was_expected(small, tmp_path, monkeypatch, method, option):
    monkeypatch.chdir(tmp_path)
    for wrong in WRONG:
        try:
            if method == "__init__":
                Study(small.to_frame(), **{option: wrong})
            else:
                first = (small.preparation(),) if method == "prepare" else FIRST[method]
                recipe = (
                    {"expression": "mites + 1"} if method == "derive" and option in ("kind", "label", "unit") else {}
                )
                recipe = {**recipe, **RECIPES.get(option, {})} if method == "derive" else {}
                made = getattr(small, method)(*first, **{**recipe, option: wrong})
                if isinstance(made, View):
                    made.to_dict()
        except EnveltError as error:
            is_a_sentence(error)


@pytest.mark.parametrize("method", [*FIRST, "open", "__init__", "save", "draw", "load", "then", "without"])
def test_a_first_argument_of_a_wrong_type_is_refused(small, tmp_path, monkeypatch, method):
    monkeypatch.chdir(tmp_path)
    view, proposed = small.balance(), small.preparation()
    calls = {"open": Study.open, "__init__": Study, "save": view.save, "draw": view.draw, "load": Preparation.load}
    calls |= {"then": proposed.then, "without": proposed.without}
    call = calls.get(method) or getattr(small, method)
    for wrong in WRONG:
        if method in ("begin", "report", "save") and isinstance(wrong, str) and wrong:
            continue
        try:
            call(wrong)
        except EnveltError as error:
            is_a_sentence(error)
        except TypeError as error:  # of Python: too few, or too many, arguments
            is_a_sentence(error, "argument")


# narrow and wide windows

STEPS = {
    "inventory": (), "balance": ("-o", "wintered"), "distribution": ("mites", "--by", "fed"),
    "against": ("hive_type", "-o", "wintered"), "contingency": ("colony_state", "hive_type", "-o", "wintered"),
    "relations": ("mites", "weight_kg", "fed", "altitude_m"), "pairwise": ("mites", "weight_kg"),
    "transforms": ("mites",), "rank": ("-o", "wintered"), "series": ("inspected_on", "honey_kg", "--by", "fed"),
}  # fmt: skip


@pytest.mark.parametrize("step", STEPS)
def test_no_number_is_cut_and_nothing_is_empty_in_a_window_of_any_width(run, monkeypatch, step):
    outs = {}
    for width in (0, 1, 20, 40, 80, 200, 400):
        status, outs[width], _ = run(step, "demo", *STEPS[step], columns=width)
        assert status == 0

    def numbers(text):
        return set(re.findall(r"[−-]?[\d,]*\.?\d+(?:e[−-]?\d+)?%?", text))

    everything = numbers(outs[400])
    for width, out in outs.items():
        assert len(out.splitlines()) > 4
        cut = numbers(table_part(out)) - everything
        assert not cut, (width, sorted(cut)[:5])


def table_part(out):
    """Return the lines of tables: those between rules of the table and the empty line after."""
    lines, inside = [], False
    for line in io.StringIO(out):
        if "──" in line:
            inside = True
        elif not line.strip():
            inside = False
        elif inside:
            lines.append(line)
    return "".join(lines)
