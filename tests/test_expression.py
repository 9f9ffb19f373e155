"""Choosing rows: against pandas and Python, and what is refused."""

import ast
import math
import re

import numpy as np
import pandas as pd
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from envelt import Preparation, Study
from envelt.core.columns.expression import rows_where
from envelt.errors import EnveltError, ExpressionError

FRAME = pd.DataFrame(
    {
        "a": [1.5, 2.5, np.nan, 4.5, -5.5, 6.0] * 5,
        "b": [3.5, np.nan, 3.0, 2.0, 1.0, 0.5] * 5,
        "c": ["oak", "elm", None, "oak", "it's", "elm"] * 5,
        "hive name": ["x", "y", "z", "x", "y", "z"] * 5,
        "day": pd.date_range("2024-03-01", periods=30),
    }
)
TABLE = Study(FRAME).table

numbers = st.recursive(
    st.sampled_from(["a", "b", "2", "0.5", "7"]),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "//", "%"]), inner).map(
            lambda t: f"({t[0]} {t[1]} {t[2]})"
        ),
        st.tuples(st.sampled_from(["abs", "sqrt"]), inner).map(lambda t: f"{t[0]}({t[1]})"),
        st.tuples(st.sampled_from(["min", "max"]), inner, inner).map(lambda t: f"{t[0]}({t[1]}, {t[2]})"),
        st.tuples(inner, inner).map(lambda t: f"where(a > 1, {t[0]}, {t[1]})"),
        inner.map(lambda e: f"-{e}"),
    ),
    max_leaves=4,
)
atoms = st.one_of(
    st.tuples(numbers, st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), st.sampled_from("ab")).map(" ".join),
    st.tuples(numbers, st.integers(-6, 6)).map(lambda t: f"a < {t[1]} <= b + {t[0]}"),
    st.sampled_from(["c == 'oak'", "c != 'elm'", "c in ['oak', \"it's\"]", "c not in ['elm']", "1 < a <= 4.5"]),
)
expressions = st.recursive(
    atoms,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda t: f"({t[0]}) {t[1]} ({t[2]})"),
        inner.map(lambda e: f"not ({e})"),
        inner.map(lambda e: f"is_missing(a) or ({e})"),
    ),
    max_leaves=6,
)


def where(test, yes, no):
    return yes if test else no


def three_valued(node, row):
    """Python's own result for one row, with unknown for what is missing or cannot be computed."""
    if isinstance(node, ast.BoolOp):
        parts = [three_valued(v, row) for v in node.values]
        stop = isinstance(node.op, ast.Or)
        return stop if stop in parts else (None if None in parts else not stop)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        inner = three_valued(node.operand, row)
        return None if inner is None else not inner
    if isinstance(node, ast.Call) and node.func.id == "is_missing":
        return bool(pd.isna(row[node.args[0].id]))
    if isinstance(node, ast.Compare) and len(node.ops) > 1:
        sides = [node.left, *node.comparators]
        pairs = [ast.Compare(x, [op], [y]) for x, op, y in zip(sides, node.ops, sides[1:], strict=False)]
        return three_valued(ast.BoolOp(ast.And(), pairs), row)
    names = {n.id for n in ast.walk(node) if isinstance(n, ast.Name)}
    known = {"abs": abs, "sqrt": math.sqrt, "min": min, "max": max, "where": where, **row}
    if any(n in row and pd.isna(row[n]) for n in names):
        return None
    try:
        return bool(eval(compile(ast.fix_missing_locations(ast.Expression(node)), "", "eval"), {}, known))
    except (ZeroDivisionError, ValueError, OverflowError):
        return None


@given(expressions)
@settings(max_examples=400, deadline=None)
def test_it_agrees_with_python_row_by_row(expression):
    tree = ast.parse(expression, mode="eval").body
    try:
        got = rows_where(TABLE, expression)
    except ExpressionError as error:
        assume("name no column" not in str(error))  # two constants compared
        raise
    for row, mine in zip(FRAME.to_dict("records"), got, strict=True):
        want = three_valued(tree, row)
        if "where(" in expression and (pd.isna(row["a"]) or pd.isna(row["b"]) or want is None):
            continue  # Python evaluates one branch, columns both
        assert mine == (want is True), row


@pytest.mark.parametrize(("expression", "says"), [
    ("weight.kg > 20", "weight.kg"), ("hive name == 'x'", "hive name"), ("`hive name` == 'x'", "hive name"),
    ("column(hive name) == 'x'", "hive name"),
])  # fmt: skip
def test_a_name_that_is_no_word_is_refused_with_how_it_is_written(expression, says):
    study = Study(pd.DataFrame({"weight.kg": np.arange(40.0), "hive name": list("xy") * 20}))
    with pytest.raises(ExpressionError, match=re.escape(f'column("{says}")')):
        study.where(expression)
    assert len(study.where('column("weight.kg") > 20 and column(\'hive name\') == "x"').table) == 9
    with pytest.raises(ExpressionError, match="no level 'column"):
        study.where("column('hive name') == 'column(\"a\")'")


def test_names_with_spaces_dates_and_quotes():
    assert rows_where(TABLE, "column('hive name') == 'x' and c == 'oak'").sum() == 10
    assert rows_where(TABLE, "day >= '2024-03-11' and day < '2024-03-21'").sum() == 10
    assert rows_where(TABLE, 'c == "it\'s"').sum() == 5
    graded = Study(pd.DataFrame({"g": ["low", "high", "medium", "low"] * 9, "zone": [101, 204, 412, 101] * 9}))
    assert len(graded.where("g >= 'medium'").table) == 18
    assert len(graded.where("zone == 101").table) == 18
    assert graded.where("g != 'high'").table["g"].levels == ("low", "medium")


ILLEGAL = [
    "__import__('os').system('x')", "(1).__class__", "a.real", "a[0]", "a[0:2]", "9**9**9", "(lambda: 1)",
    "[x for x in a]",
    "(a if b else c)", "print(a)", "f'{a}'", "open('x')", "(z := 1)", "{1: 2}", "{a}", "(a, b)", "[a, b]", "a @ b",
    "a & b",
    "a | b", "a << 2", "~a", "None", "...", "b'x'", "1j", "eval('1')", "max(a)", "min(*a)", "log(a, 2)", "year(a)",
    "sqrt()",
    "getattr(a, 'b')", "log(x=a)", "is_missing()", "zz", "(yield a)", "1e999", "(a > 1).any()", "{}",
]  # fmt: skip
AROUND = ["{}", "({}) > 1", "a > 1 and ({}) > 1", "not ({})", "max(a, {}) > 1", "b == ({})"]


@pytest.mark.parametrize("part", ILLEGAL)
def test_what_is_not_in_the_language_is_refused_wherever_it_stands(part):
    for around in AROUND:
        with pytest.raises(ExpressionError):
            rows_where(TABLE, around.format(part))


@pytest.mark.parametrize(
    "expression",
    [
        "a", "a > 'oak'", "c > 3", "c == 'oka'", "a >", "a = 1", "", "a in 3", "a in []", "day > 'yesterday-ish'",
        "a is None",
        "1 < 2", "a > " + "9" * 3000, " and ".join(["a > 1"] * 100), "not " * 150 + "a > 1", "a > 1; b", "a == b == c",
        "day > 5", "c < 'oak'", "month(c) > 1", "day + 1 > 2", "c + 1 > 2",
    ],
)  # fmt: skip
def test_errors_say_what_is_wrong(expression):
    with pytest.raises(ExpressionError) as caught:
        rows_where(TABLE, expression)
    assert len(str(caught.value)) > 20


def summaries(frame, by):
    """Return what pandas gives each row: the summary of its group, or of all rows."""
    groups = frame.assign(big=(frame["x"] > 1).where(frame["x"].notna()).astype(float)).groupby(by or (lambda _: 0))
    return {
        "mean(x{})": groups["x"].transform("mean"), "median(x{})": groups["x"].transform("median"),
        "sum(x{})": groups["x"].transform(lambda v: v.sum(min_count=1)), "count(x{})": groups["x"].transform("count"),
        "share(x > 1{})": groups["big"].transform("mean"),
    }  # fmt: skip


def as_asked(by):
    return f", by=[{', '.join(by)}]" if len(by) > 1 else "".join(f", by={g}" for g in by)


@given(
    st.lists(
        st.tuples(st.sampled_from([None, 0.5, 1e8, 1e8 + 1, 3, -2]), st.sampled_from("pq"), st.sampled_from([1.5, 2]),
                  st.integers(0, 3)),
        min_size=8, max_size=40,
    ),
    st.sampled_from([[], ["g"], ["h"], ["g", "h"]]),
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_what_groups_of_rows_have_is_what_pandas_gives_and_counted_rows_count(rows, by):
    frame = pd.DataFrame(rows, columns=["x", "g", "h", "times"]).astype({"x": float})
    assume(frame["x"].notna().any() and frame["times"].sum() > 0)
    kinds = {"x": "continuous", "h": "continuous"}
    study = Study(frame, kinds=kinds)
    for text, wanted in summaries(frame, by).items():
        made = study.derive("m", text.format(as_asked(by)), kind="continuous").to_frame()["m"]
        np.testing.assert_allclose(made, wanted.to_numpy(), rtol=1e-12)
    full = frame.loc[frame.index.repeat(frame["times"])].reset_index(drop=True)
    counted = Study(frame, counts="times", kinds=kinds)
    for text, wanted in summaries(full, by).items():
        made = counted.derive("m", text.format(as_asked(by)), kind="continuous").to_frame()["m"]
        np.testing.assert_allclose(made, wanted.to_numpy(), rtol=1e-12)


def test_groups_that_a_row_is_not_in_give_it_nothing_and_what_makes_none_is_refused():
    study = Study(FRAME).derive("n", "count(by=c)").derive("m", "mean(a, by=month(day))")
    assert study.to_frame()["n"].isna().equals(FRAME["c"].isna())
    assert study.where("a > mean(a)").to_frame()["a"].min() > FRAME["a"].mean()
    assert (
        study.where("a > mean(a, by=c)").to_frame().shape[0]
        == (FRAME["a"] > FRAME.groupby("c")["a"].transform("mean")).sum()
    )
    for wrong, said in (
        ("mean(c)", "number is needed"), ("mean(a, by='c')", "makes no groups"), ("mean(a, of=c)", "by= and no other"),
        ("log(a, by=c)", "no option by name"), ("mean(a, by=q)", "no column"), ("share(a)", "not true or false"),
        ("mean(a, b)", "takes 1 values"), ("mean(a, by=[])", "names no column|takes"),
    ):  # fmt: skip
        with pytest.raises(ExpressionError, match=said):
            study.derive("z", wrong)


def test_a_preparation_learns_means_of_groups_and_says_what_it_cannot():
    x = np.random.default_rng(0).normal(size=80)
    frame = pd.DataFrame({"x": x, "g": list("abcd") * 20, "y": ["no", "yes"] * 40})
    study = Study(frame, outcome="y").derive("usual", "mean(x, by=g)").derive("off", "x - mean(x, by=g)")
    study = study.derive("many", "count(by=g)").derive("more", "many * 2")
    proposed = study.preparation()
    told = {s.columns for s in proposed.suggestions if s.operation == "group_feature"}
    assert told == {("many",), ("more",)}
    made = study.prepare(proposed, fit=True)
    assert not {"many", "more"} & set(made.prepared)
    later = made.preparation.transform(frame.head(3).drop(columns="y"))
    first = made.prepared.head(3)
    pd.testing.assert_frame_equal(later[list(first)].reset_index(drop=True), first.reset_index(drop=True))
    with pytest.raises(EnveltError, match="group_feature"):
        Preparation().then("derive", "m", expression="mean(x, by=g)")
