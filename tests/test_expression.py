"""Choosing rows: against pandas and Python, and what is refused."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from envelt import Study
from envelt.core.expression import rows_where
from envelt.errors import ExpressionError

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

atoms = st.one_of(
    st.tuples(st.sampled_from("ab"), st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), st.integers(-6, 6)).map(
        lambda t: f"{t[0]} {t[1]} {t[2]}"
    ),
    st.tuples(st.sampled_from(["<", ">", "==", "!="])).map(lambda t: f"a {t[0]} b"),
    st.sampled_from(["c == 'oak'", "c != 'elm'", "c in ['oak', \"it's\"]", "c not in ['elm']", "1 < a <= 4.5"]),
)
expressions = st.recursive(
    atoms,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda t: f"({t[0]}) {t[1]} ({t[2]})"),
        inner.map(lambda e: f"not ({e})"),
    ),
    max_leaves=6,
)


def three_valued(node, row):
    """Python's own comparison of each row, with unknown for what is missing."""
    import ast

    if isinstance(node, ast.BoolOp):
        parts = [three_valued(v, row) for v in node.values]
        stop = isinstance(node.op, ast.Or)
        return stop if stop in parts else (None if None in parts else not stop)
    if isinstance(node, ast.UnaryOp):
        inner = three_valued(node.operand, row)
        return None if inner is None else not inner
    names = {n.id for n in ast.walk(node) if isinstance(n, ast.Name)}
    if any(pd.isna(row[n]) for n in names):
        return None
    return bool(eval(compile(ast.Expression(node), "", "eval"), {}, dict(row)))  # the test's own text


@given(expressions)
@settings(max_examples=250, deadline=None)
def test_it_agrees_with_python_row_by_row(expression):
    import ast

    tree = ast.parse(expression, mode="eval").body
    want = [three_valued(tree, row) is True for row in FRAME.to_dict("records")]
    assert rows_where(TABLE, expression).tolist() == want


def test_names_with_spaces_dates_and_quotes():
    assert rows_where(TABLE, "`hive name` == 'x' and c == 'oak'").sum() == 10
    assert rows_where(TABLE, "day >= '2024-03-11' and day < '2024-03-21'").sum() == 10
    assert rows_where(TABLE, 'c == "it\'s"').sum() == 5
    graded = Study(pd.DataFrame({"g": ["low", "high", "medium", "low"] * 9, "zone": [101, 204, 412, 101] * 9}))
    assert len(graded.where("g >= 'medium'").table) == 18
    assert len(graded.where("zone == 101").table) == 18
    assert graded.where("g != 'high'").table["g"].levels == ("low", "medium")


@pytest.mark.parametrize(
    "expression",
    [
        "__import__('os').system('x')", "(1).__class__", "a.real > 1", "a[0] > 1", "9**9**9", "lambda: 1",
        "[x for x in a]", "a", "a if b else c", "print(a)", "f'{a}' == 'x'", "a > 'oak'", "c > 3", "c == 'oka'",
        "z > 1",
        "a >", "a = 1", "", "a in 3", "a in []", "day > 'yesterday-ish'", "a is None", "1 < 2", "a > " + "9" * 3000,
        " and ".join(["a > 1"] * 100), "not " * 150 + "a > 1", "a > 1; b", "a > {1}", "a == b == c", "a > 1e999999j",
    ],
)  # fmt: skip
def test_everything_else_is_refused_with_a_reason(expression):
    with pytest.raises(ExpressionError) as caught:
        rows_where(TABLE, expression)
    assert str(caught.value)
