"""A small language for choosing rows: comparisons of columns, joined by and, or, not.

The grammar is Python's expression grammar, read with `ast` and never compiled or run. What is not in the
fixed list of nodes below is refused: no calls, no attributes, no subscripts. A comparison with a missing
value is neither true nor false, and a row is kept only where the whole is true.
"""

from __future__ import annotations

import ast
import re
from typing import NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ..errors import ExpressionError, did_you_mean
from .table import MICROSECONDS_A_DAY, CategoryColumn, NumericColumn, Table, TimeColumn

Mask = NDArray[np.bool_]

LONGEST = 2_000  # characters
DEEPEST = 200  # nodes

_COMPARE = {
    ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
}
_FLIP: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.Gt,
    ast.LtE: ast.GtE,
    ast.Gt: ast.Lt,
    ast.GtE: ast.LtE,
}
_EXAMPLE = "Write it like: altitude_m > 300 and hive_type == 'long'"


class Truth(NamedTuple):
    """Three-valued truth of each row: true, false, or neither where a value is missing."""

    true: Mask
    false: Mask


def rows_where(table: Table, expression: str) -> Mask:
    """Return which rows an expression holds for.

    Parameters
    ----------
    table
        Its columns are the names the expression may use; a name with spaces stands in backticks.
    expression
        Comparisons (``== != < <= > >= in not in``) of a column with a value or another numeric column,
        joined by ``and``, ``or``, ``not``.

    Raises
    ------
    ExpressionError
        Anything else, with what is wrong.

    Examples
    --------
    >>> from envelt.core.encode import encode_table
    >>> from envelt.core.raw import RawNumbers
    >>> table = encode_table({"mites": RawNumbers(np.array([0.5, 7.5, np.nan]))}, pd.RangeIndex(3), {})
    >>> rows_where(table, "mites > 3 or mites < 1").tolist()
    [True, True, False]
    """
    if len(expression) > LONGEST:
        raise ExpressionError(f"The expression is too long: {len(expression):,} characters, at most {LONGEST:,}.")
    names: dict[str, str] = {}
    text = _unquote(expression, names)
    try:
        tree = ast.parse(text.strip(), mode="eval")
    except (SyntaxError, ValueError, MemoryError, RecursionError) as error:
        raise ExpressionError(f"Cannot read the expression {expression!r}. {_EXAMPLE}") from error
    if sum(1 for _ in ast.walk(tree)) > DEEPEST:
        raise ExpressionError(f"The expression has too many parts; at most {DEEPEST} are allowed.")
    return _Evaluator(table, names).truth(tree.body).true


def _unquote(expression: str, names: dict[str, str]) -> str:
    """Replace names in backticks, outside quoted text, by placeholders that Python's grammar can read."""

    def swap(match: re.Match[str]) -> str:
        if match.group(1) is None:
            return match.group(0)
        placeholder = f"_column_{len(names)}_"
        names[placeholder] = match.group(1)
        return placeholder

    return re.sub(r"'(?:[^'\\]|\\.)*'|\"(?:[^\"\\]|\\.)*\"|`([^`]+)`", swap, expression)


class _Evaluator:
    def __init__(self, table: Table, names: dict[str, str]) -> None:
        self.table, self.names = table, names

    def truth(self, node: ast.expr) -> Truth:
        if isinstance(node, ast.BoolOp):
            parts = [self.truth(v) for v in node.values]
            trues, falses = [p.true for p in parts], [p.false for p in parts]
            if isinstance(node.op, ast.And):
                return Truth(np.logical_and.reduce(trues), np.logical_or.reduce(falses))
            return Truth(np.logical_or.reduce(trues), np.logical_and.reduce(falses))
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            inner = self.truth(node.operand)
            return Truth(inner.false, inner.true)
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            parts = [self.compare(a, op, b) for a, op, b in zip(sides, node.ops, sides[1:], strict=False)]
            return Truth(np.logical_and.reduce([p.true for p in parts]), np.logical_or.reduce([p.false for p in parts]))
        raise self.refuse(node)

    def refuse(self, node: ast.AST) -> ExpressionError:
        what = {
            ast.Call: "calls a function",
            ast.Attribute: "reaches into something with a dot",
            ast.Subscript: "reaches into something with brackets",
            ast.Name: "is a bare name; compare it with something",
        }.get(type(node), "is not a comparison")
        return ExpressionError(f"{ast.unparse(node)!r} {what}, which is not allowed here. {_EXAMPLE}")

    def compare(self, left: ast.expr, op: ast.cmpop, right: ast.expr) -> Truth:
        if isinstance(op, (ast.In, ast.NotIn)):
            if not isinstance(right, (ast.List, ast.Tuple, ast.Set)):
                raise ExpressionError(f"After 'in' give a list, such as ['a', 'b'], not {ast.unparse(right)!r}.")
            parts = [self.compare(left, ast.Eq(), item) for item in right.elts]
            if not parts:
                raise ExpressionError("The list after 'in' is empty.")
            either = Truth(
                np.logical_or.reduce([p.true for p in parts]), np.logical_and.reduce([p.false for p in parts])
            )
            return either if isinstance(op, ast.In) else Truth(either.false, either.true)
        if type(op) not in _COMPARE:
            raise ExpressionError(f"Only == != < <= > >= and in can compare. {_EXAMPLE}")
        if not isinstance(left, ast.Name) and isinstance(right, ast.Name):
            left, right, op = right, left, _FLIP.get(type(op), type(op))()
        if not isinstance(left, ast.Name):
            raise ExpressionError(f"One side of {ast.unparse(left)!r} … must be a column. {_EXAMPLE}")
        column = self.column(left.id)
        if isinstance(right, ast.Name):
            return self.two_columns(column, op, self.column(right.id))
        return self.column_and_value(column, op, self.value(right))

    def column(self, name: str) -> NumericColumn | CategoryColumn | TimeColumn:
        name = self.names.get(name, name)
        if name not in self.table.columns:
            hint = did_you_mean(name, self.table.columns)
            raise ExpressionError(f"The expression names no column: {name!r}.{hint} Put text in quotes.")
        column = self.table[name]
        assert isinstance(column, (NumericColumn, CategoryColumn, TimeColumn))
        return column

    def value(self, node: ast.expr) -> float | str:
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd)):
            number = self.value(node.operand)
            if isinstance(number, float):
                return -number if isinstance(node.op, ast.USub) else number
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            return node.value
        if isinstance(node, ast.Constant) and isinstance(node.value, (int, float)):
            if isinstance(node.value, bool):
                return str(node.value)
            try:
                return float(node.value)
            except OverflowError:
                raise ExpressionError("A number in the expression is too large.") from None
        raise self.refuse(node)

    def two_columns(self, a: object, op: ast.cmpop, b: object) -> Truth:
        if isinstance(a, NumericColumn) and isinstance(b, NumericColumn):
            return _truth(op, a.values, b.values, a.missing | b.missing)
        if isinstance(a, TimeColumn) and isinstance(b, TimeColumn):
            return _truth(op, a.values, b.values, a.missing | b.missing)
        raise ExpressionError("Two columns can be compared when both are numbers or both are dates.")

    def column_and_value(self, column: object, op: ast.cmpop, value: float | str) -> Truth:
        if isinstance(column, NumericColumn):
            number = self.number(column.name, value)
            return _truth(op, column.values, number, column.missing)
        if isinstance(column, TimeColumn):
            try:
                stamp = pd.Timestamp(value if isinstance(value, str) else "not a date")
            except ValueError:
                raise ExpressionError(
                    f"Column {column.name!r} holds dates: compare it with one like '2024-09-30', not {value!r}."
                ) from None
            day = int((stamp - pd.Timestamp(0)) / pd.Timedelta(days=1) * MICROSECONDS_A_DAY)
            return _truth(op, column.values, day, column.missing)
        assert isinstance(column, CategoryColumn)
        return self.level(column, op, value)

    def number(self, name: str, value: float | str) -> float:
        try:
            return float(value)
        except ValueError:
            raise ExpressionError(f"Column {name!r} holds numbers and cannot be compared with {value!r}.") from None

    def level(self, column: CategoryColumn, op: ast.cmpop, value: float | str) -> Truth:
        if isinstance(op, (ast.Eq, ast.NotEq)):
            same = np.array([_same_level(level, value) for level in column.levels] + [False])
            if not same.any() and not isinstance(value, float):
                hint = did_you_mean(value, column.levels)
                raise ExpressionError(f"Column {column.name!r} has no level {value!r}.{hint}")
            hit = same[column.codes]
            return _truth(op, hit, True, column.missing)
        numbers = pd.to_numeric(pd.Series(column.levels, dtype=object), errors="coerce").to_numpy(np.float64)
        if isinstance(value, float) and not np.isnan(numbers).any():
            return _truth(op, np.append(numbers, np.nan)[column.codes], value, column.missing)
        if column.ordered and value in column.levels:
            return _truth(op, column.codes, column.levels.index(str(value)), column.missing)
        raise ExpressionError(
            f"Column {column.name!r} is {column.kind}: no order to compare with {value!r} by; use == or in."
        )


def _same_level(level: str, value: float | str) -> bool:
    if level == value:
        return True
    try:
        return isinstance(value, float) and float(level) == value
    except ValueError:
        return False


def _truth(op: ast.cmpop, left: object, right: object, missing: Mask) -> Truth:
    with np.errstate(invalid="ignore"):
        held = _COMPARE[type(op)](left, right)  # type: ignore[call-overload]
    return Truth(held & ~missing, ~held & ~missing)
