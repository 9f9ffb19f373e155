"""A small language of columns: for choosing rows and for deriving new columns.

The grammar is Python's expression grammar, read with `ast` and never compiled or run. What is not in the
fixed lists below is refused: no attributes, no subscripts, no calls but of the named functions. Numbers are
float64, so every expression takes bounded time. A comparison with a missing value is neither true nor false,
arithmetic with one is missing, and a row is kept only where the whole is true.
"""

from __future__ import annotations

import ast
from collections.abc import Callable

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import ExpressionError, did_you_mean
from .expression_values import (
    COMPARE,
    EXAMPLE,
    FLIP,
    Numbers,
    Text,
    Times,
    Truth,
    Value,
    all_of,
    any_of,
    as_truth,
    finite,
    held,
    moment,
    number_in,
    plain,
    refuse,
)
from .expression_words import parsed, written_column
from .functions import FUNCTIONS
from .over_rows import OVER_ROWS
from .raw import EXACT, RawColumn, RawNumbers, RawTimes, RawWords
from .table import CategoryColumn, NumericColumn, Table, TimeColumn
from .yes_no import affirms, denies, truth_of
from .zones import compared

Mask = NDArray[np.bool_]
Floats = NDArray[np.float64]

_ARITHMETIC: dict[type[ast.operator], Callable[..., Floats]] = {
    ast.Add: np.add,
    ast.Sub: np.subtract,
    ast.Mult: np.multiply,
    ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide,
    ast.Mod: np.mod,
    ast.Pow: np.power,
}


def rows_where(table: Table, expression: str, weight: Floats | None = None) -> Mask:
    """Return which rows an expression holds for.

    Parameters
    ----------
    table
        Its columns are the names the expression may use; of any but a plain word ``column("weight.kg")``.
    expression
        Comparisons (``== != < <= > >= in not in``) joined by ``and``, ``or``, ``not``; of columns, values,
        arithmetic and the functions of `FUNCTIONS`. A column of yes and no, true and false or 1 and 0 is true or
        false by itself.
    weight
        How often each row counts; once by default.

    Raises
    ------
    ExpressionError
        Anything else, with what is wrong.

    Examples
    --------
    >>> from envelt.core.columns.encode import encode_table
    >>> from envelt.core.columns.raw import RawNumbers
    >>> table = encode_table({"mites": RawNumbers(np.array([0.5, 7.5, np.nan]))}, pd.RangeIndex(3), {})
    >>> rows_where(table, "mites > 3 or log1p(mites) < 1").tolist()
    [True, True, False]
    """
    value = as_truth(_evaluate(table, expression, weight))
    if value is None:
        raise ExpressionError(f"{expression!r} is not true or false. {EXAMPLE}")
    return np.broadcast_to(value.true, len(table)).copy()


def derived_column(table: Table, expression: str, weight: Floats | None = None) -> RawColumn:
    """Return the column an expression makes: numbers, times, or yes and no for what is true or false.

    Raises
    ------
    ExpressionError
    """
    value = _evaluate(table, expression, weight)
    n = len(table)
    if isinstance(value, Numbers):
        values = np.broadcast_to(value.values, n).astype(np.float64)
        if np.isinf(values).any():
            raise ExpressionError(f"{expression!r} gives infinity in {int(np.isinf(values).sum()):,} rows.")
        return RawNumbers(values)
    if isinstance(value, Times):
        return RawTimes(np.where(value.absent, 0, value.values), value.absent, value.zone, offset=value.offset)
    if isinstance(value, Truth):
        true, false = np.broadcast_to(value.true, n), np.broadcast_to(value.false, n)
        return RawWords(np.where(true, 1, np.where(false, 0, -1)).astype(np.int32), ["no", "yes"])
    if isinstance(value, CategoryColumn):
        return RawWords(value.codes, list(value.levels), value.ordered)
    raise ExpressionError(f"{expression!r} names no column.")


def _evaluate(table: Table, expression: str, weight: Floats | None = None) -> Value:
    names: dict[str, str] = {}
    try:
        tree, names = parsed(expression)
        with np.errstate(all="ignore"):
            return _Evaluator(table, names, weight).value(tree)
    except ExpressionError as error:
        told = str(error.args[0])
        for placeholder, name in names.items():
            told = told.replace(placeholder, name)
        raise ExpressionError(told + _how_named(table, expression, names)) from error


def _how_named(table: Table, expression: str, names: dict[str, str]) -> str:
    """Say how a column is named that an expression seems to mean, and that is no plain word."""
    meant = [n for n in table.columns if n.strip() and n in expression and written_column(n) != n]
    meant = [n for n in meant if n not in names.values()]
    longest = max(meant, key=len, default=None)
    return "" if longest is None else f" The column {longest!r} is named by {written_column(longest)}."


class _Evaluator:
    def __init__(self, table: Table, names: dict[str, str], weight: Floats | None) -> None:
        self.table, self.names = table, names
        self.weight = np.ones(len(table)) if weight is None else weight

    def value(self, node: ast.expr) -> Value:
        if isinstance(node, ast.Name):
            return self.column(node.id)
        if isinstance(node, ast.Constant):
            return self.constant(node)
        if isinstance(node, ast.BoolOp):
            return self.joined(node)
        if isinstance(node, ast.UnaryOp):
            return self.unary(node)
        if isinstance(node, ast.BinOp) and type(node.op) in _ARITHMETIC:
            left, right = self.numbers(node.left), self.numbers(node.right)
            return finite(node, _ARITHMETIC[type(node.op)](left, right), left, right)
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            return all_of([self.compare(a, op, b) for a, op, b in zip(sides, node.ops, sides[1:], strict=False)])
        if isinstance(node, ast.Call):
            return self.call(node)
        raise refuse(node)

    def column(self, name: str) -> Value:
        name = self.names.get(name, name)
        if name not in self.table.columns:
            hint = did_you_mean(name, self.table.columns)
            raise ExpressionError(f"The expression names no column: {name!r}.{hint} Put text in quotes.")
        column = self.table[name]
        if isinstance(column, NumericColumn):
            return Numbers(column.values)
        if isinstance(column, TimeColumn):
            return Times(column.values, column.absent, column.zone, column.offset)
        assert isinstance(column, CategoryColumn)
        return column

    def constant(self, node: ast.Constant) -> Value:
        if isinstance(node.value, str):
            return Text(node.value)
        if isinstance(node.value, bool):
            return Text(str(node.value))
        if isinstance(node.value, int) and abs(node.value) > EXACT:
            return Text(str(node.value))  # as a code is written: floating point would lose digits
        if isinstance(node.value, (int, float)):
            try:
                number = float(node.value)
            except OverflowError:
                number = np.inf
            if np.isinf(number):
                raise ExpressionError("A number in the expression is too large.")
            return Numbers(np.float64(number))  # type: ignore[arg-type]  # one for all rows
        raise refuse(node)

    def joined(self, node: ast.BoolOp) -> Truth:
        parts = [self.truth(v) for v in node.values]
        return all_of(parts) if isinstance(node.op, ast.And) else any_of(parts)

    def unary(self, node: ast.UnaryOp) -> Value:
        if isinstance(node.op, ast.Not):
            inner = self.truth(node.operand)
            return Truth(inner.false, inner.true)
        if isinstance(node.op, (ast.USub, ast.UAdd)):
            values = self.numbers(node.operand)
            return Numbers(-values if isinstance(node.op, ast.USub) else values)
        raise refuse(node)

    def truth(self, node: ast.expr) -> Truth:
        value = as_truth(self.value(node))
        if value is None:
            raise ExpressionError(f"{ast.unparse(node)!r} is not true or false; compare it with something. {EXAMPLE}")
        return value

    def numbers(self, node: ast.expr) -> Floats:
        value = self.value(node)
        if isinstance(value, Numbers):
            return value.values
        if isinstance(value, CategoryColumn):
            read = _level_numbers(value)
            if read is not None:
                return read[value.codes]
        what = "dates" if isinstance(value, Times) else "text or levels" if not isinstance(value, Truth) else "truth"
        raise ExpressionError(f"{ast.unparse(node)!r} is {what}, and a number is needed there.")

    def times(self, node: ast.expr) -> Times:
        value = self.value(node)
        if not isinstance(value, Times):
            raise ExpressionError(f"{ast.unparse(node)!r} is not a date, and a date is needed there.")
        return value

    def call(self, node: ast.Call) -> Value:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        others = {k.arg for k in node.keywords} - ({"by"} if name in OVER_ROWS else set())
        if name in FUNCTIONS and others:
            takes = "by= and no other option" if name in OVER_ROWS else "values, and no option by name"
            raise ExpressionError(f"{ast.unparse(node)!r}: {name}() takes {takes}.")
        if name not in FUNCTIONS or any(isinstance(a, ast.Starred) for a in node.args):
            if name:
                raise ExpressionError(
                    f"{ast.unparse(node)!r} calls a function that is not allowed.{did_you_mean(name, FUNCTIONS)}"
                )
            raise refuse(node)
        least, most, apply = FUNCTIONS[name]
        if not least <= len(node.args) <= most:
            wanted = str(least) if least == most else f"{least} or more"
            raise ExpressionError(f"{name}() takes {wanted} values, not {len(node.args)}.")
        return apply(self, node)

    def compare(self, left: ast.expr, op: ast.cmpop, right: ast.expr) -> Truth:
        if isinstance(op, (ast.In, ast.NotIn)):
            return self.among(left, op, right)
        if type(op) not in COMPARE:
            raise ExpressionError(f"Only == != < <= > >= and in can compare. {EXAMPLE}")
        a, b = self.value(left), self.value(right)
        if isinstance(a, Text) and not isinstance(b, Text):
            a, b, op = b, a, FLIP.get(type(op), type(op))()
        if isinstance(b, CategoryColumn) and not isinstance(a, CategoryColumn):
            a, b, op = b, a, FLIP.get(type(op), type(op))()
        if isinstance(a, Numbers) and np.ndim(a.values) == 0 and isinstance(b, Numbers) and np.ndim(b.values) == 0:
            raise ExpressionError(f"{ast.unparse(left)!r} and {ast.unparse(right)!r} name no column. {EXAMPLE}")
        return self.compared(left, a, op, b)

    def compared(self, node: ast.expr, a: Value, op: ast.cmpop, b: Value) -> Truth:
        label = ast.unparse(node)
        if isinstance(a, Numbers):
            if isinstance(b, Text):
                b = Numbers(number_in(label, b.text))
            if isinstance(b, Numbers):
                return held(op, a.values, b.values, np.isnan(a.values) | np.isnan(b.values))
        if isinstance(a, Times) and isinstance(b, Text):
            at, offset = moment(label, b.text)
            b = Times(np.array(at), np.array(False), "", None if offset is None else np.array(offset))
        if isinstance(a, Times) and isinstance(b, Times):
            return held(op, *compared(a, b), a.absent | b.absent)
        if isinstance(a, CategoryColumn) and isinstance(b, (Numbers, Text)) and np.ndim(plain(b)) == 0:
            return self.level(a, op, plain(b))
        if isinstance(a, CategoryColumn) and isinstance(b, Numbers):
            read = _level_numbers(a)
            if read is not None:
                return self.compared(node, Numbers(read[a.codes]), op, b)
        raise ExpressionError(
            f"{label!r} cannot be compared with that: numbers go with numbers, dates with dates, levels with text."
        )

    def among(self, left: ast.expr, op: ast.cmpop, right: ast.expr) -> Truth:
        if not isinstance(right, (ast.List, ast.Tuple, ast.Set)):
            raise ExpressionError(f"After 'in' give a list, such as ['a', 'b'], not {ast.unparse(right)!r}.")
        if not right.elts:
            raise ExpressionError("The list after 'in' is empty.")
        either = any_of([self.compare(left, ast.Eq(), item) for item in right.elts])
        return either if isinstance(op, ast.In) else Truth(either.false, either.true)

    def level(self, column: CategoryColumn, op: ast.cmpop, value: float | str) -> Truth:
        missing = column.missing
        if isinstance(op, (ast.Eq, ast.NotEq)):
            same = np.array([_same_level(column, i, value) for i in range(len(column.levels))] + [False])
            says = None if same.any() else truth_of(column.written)
            if says is not None and (affirms(f"{value}") or denies(f"{value}")):
                same = np.array([*(level == affirms(f"{value}") for level in says), False])
            if not same.any() and isinstance(value, str):
                hint = did_you_mean(value, column.levels)
                raise ExpressionError(f"Column {column.name!r} has no level {value!r}.{hint}")
            return held(op, same[column.codes], True, missing)
        read = _level_numbers(column)
        if not isinstance(value, str) and read is not None:
            return held(op, read[column.codes], value, missing)
        at = [i for i in range(len(column.levels)) if _same_level(column, i, value)]
        if column.ordered and at:
            return held(op, column.codes, at[0], missing)
        raise ExpressionError(
            f"Column {column.name!r} is {column.kind}: no order to compare with {value!r} by; use == or in."
        )


def _same_level(column: CategoryColumn, i: int, value: float | str) -> bool:
    """Compare with a level as it is shown and as it stands in the data."""
    for written in (column.levels[i], column.written[i]):
        if written == value:
            return True
        try:
            if not isinstance(value, str) and float(written) == value:
                return True
        except ValueError:
            continue
    return False


def _level_numbers(column: CategoryColumn) -> Floats | None:
    """Return the levels as numbers, with NaN for missing at the end, if all of them are: true is 1, and false 0."""
    says = truth_of(column.written)
    if says is not None:
        return np.array([*says, np.nan], np.float64)
    numbers = pd.to_numeric(pd.Series(column.written, dtype=object), errors="coerce").to_numpy(np.float64)
    lost = np.isnan(numbers) | (np.abs(numbers) > EXACT)
    return None if lost.any() else np.append(numbers, np.nan)
