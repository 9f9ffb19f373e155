"""What an expression is made of: three-valued truth, numbers, times and texts."""

from __future__ import annotations

import ast
from collections.abc import Callable
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from ...errors import ExpressionError
from .readings import dates_as
from .table import CategoryColumn, Table
from .yes_no import truth_of

Mask = NDArray[np.bool_]
Floats = NDArray[np.float64]

EXAMPLE = "Write it like: altitude_m > 300 and hive_type == 'skep'"

COMPARE: dict[type[ast.cmpop], Callable[..., Mask]] = {
    ast.Eq: np.equal,
    ast.NotEq: np.not_equal,
    ast.Lt: np.less,
    ast.LtE: np.less_equal,
    ast.Gt: np.greater,
    ast.GtE: np.greater_equal,
}
FLIP: dict[type[ast.cmpop], type[ast.cmpop]] = {ast.Lt: ast.Gt, ast.LtE: ast.GtE, ast.Gt: ast.Lt, ast.GtE: ast.LtE}


class Truth(NamedTuple):
    """Three-valued truth of each row: true, false, or neither where a value is missing."""

    true: Mask
    false: Mask


class Numbers(NamedTuple):
    """A number a row (or one for all), NaN where missing."""

    values: Floats


class Times(NamedTuple):
    """Microseconds since 1970 a row as the clock showed, where missing, and how far clocks were from universal time."""

    values: NDArray[np.int64]
    absent: Mask
    zone: str = ""
    offset: NDArray[np.int64] | None = None


class Text(NamedTuple):
    """A text written in the expression."""

    text: str


Value = Truth | Numbers | Times | Text | CategoryColumn


class Evaluator(Protocol):
    """What a function asks of the expression around it."""

    table: Table
    weight: Floats
    """How often each row counts."""

    def value(self, node: ast.expr) -> Value:
        """Return what a part of the expression is."""

    def numbers(self, node: ast.expr) -> Floats:
        """Return it as numbers, or refuse."""

    def times(self, node: ast.expr) -> Times:
        """Return it as times, or refuse."""

    def truth(self, node: ast.expr) -> Truth:
        """Return it as truth, or refuse."""


def as_truth(value: Value) -> Truth | None:
    """Return what is true or false as such, also a column of yes and no; nothing for anything else."""
    if isinstance(value, Truth):
        return value
    says = truth_of(value.written) if isinstance(value, CategoryColumn) else None
    if says is None or not isinstance(value, CategoryColumn):
        return None
    true = np.array([*says, False])[value.codes]
    return Truth(true, ~true & ~value.missing)


def refuse(node: ast.AST) -> ExpressionError:
    """Build the error for a part of the grammar that is not in the language."""
    what = {
        ast.Call: "calls a function that is not allowed",
        ast.Attribute: "reaches into something with a dot, which is not allowed",
        ast.Subscript: "reaches into something with brackets, which is not allowed",
    }.get(type(node), "is not allowed here")
    return ExpressionError(f"{ast.unparse(node)!r} {what}. {EXAMPLE}")


def finite(node: ast.AST, values: Floats, *given: Floats) -> Numbers:
    """Turn what arithmetic cannot give (a division by zero, a root of −1) into missing; refuse an overflow."""
    infinite = np.isinf(values)
    if np.any(infinite):
        if isinstance(node, ast.BinOp) and isinstance(node.op, (ast.Div, ast.FloorDiv, ast.Mod)):
            return Numbers(np.where(infinite, np.nan, values))
        if isinstance(node, ast.Call):
            return Numbers(np.where(infinite, np.nan, values))
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow):  # 0 ** −1 is a division by zero
            values = np.where(infinite & (given[0] == 0), np.nan, values)
            if not np.isinf(values).any():
                return Numbers(values)
        raise ExpressionError(f"{ast.unparse(node)!r} is too large a number.")
    return Numbers(values)


def all_of(parts: list[Truth]) -> Truth:
    """Return what holds where all parts hold."""
    trues, falses = [p.true for p in parts], [p.false for p in parts]
    return Truth(np.logical_and.reduce(trues), np.logical_or.reduce(falses))


def any_of(parts: list[Truth]) -> Truth:
    """Return what holds where some part holds."""
    trues, falses = [p.true for p in parts], [p.false for p in parts]
    return Truth(np.logical_or.reduce(trues), np.logical_and.reduce(falses))


def held(op: ast.cmpop, left: object, right: object, missing: Mask) -> Truth:
    """Compare two sides; neither true nor false where a value is missing."""
    held = COMPARE[type(op)](left, right)
    return Truth(held & ~missing, ~held & ~missing)


def plain(value: Numbers | Text) -> float | str:
    """Return what one number or text says."""
    if isinstance(value, Text):
        return value.text
    return float(value.values) if np.ndim(value.values) == 0 else value.values  # type: ignore[return-value]


def number_in(label: str, text: str) -> Floats:
    """Return a text that is compared with a number as that number, or refuse."""
    try:
        return np.float64(text)  # type: ignore[return-value]  # one for all rows
    except ValueError:
        raise ExpressionError(f"{label!r} is a number and cannot be compared with {text!r}.") from None


def moment(label: str, text: str) -> tuple[int, int | None]:
    """Return a text that is compared with a date as microseconds since 1970, and its offset or none; or refuse."""
    read, absent = dates_as([text], "ISO8601")
    if absent.any():
        raise ExpressionError(f"{label!r} is a date: compare it with one like '2024-09-30', not {text!r}.")
    return int(read.values[0]), None if read.offset is None else int(read.offset[0])
