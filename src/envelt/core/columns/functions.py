"""The functions that expressions know."""

from __future__ import annotations

import ast
from collections.abc import Callable

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ...errors import ExpressionError
from .date_parts import month_named
from .expression_values import Evaluator, Numbers, Text, Times, Truth, Value, finite
from .over_rows import OVER_ROWS
from .table import CategoryColumn

Floats = NDArray[np.float64]


def _of_numbers(apply: Callable[..., Floats]) -> Callable[[Evaluator, ast.Call], Value]:
    def call(at: Evaluator, node: ast.Call) -> Value:
        return finite(node, apply(*(at.numbers(a) for a in node.args)))

    return call


def _of_dates(part: str) -> Callable[[Evaluator, ast.Call], Value]:
    def call(at: Evaluator, node: ast.Call) -> Value:
        times = at.times(node.args[0])
        stamps = pd.Series(times.values.astype("datetime64[us]")).dt
        found = stamps.isocalendar().day if part == "weekday" else getattr(stamps, part)
        return Numbers(np.where(times.absent, np.nan, found.to_numpy(np.float64)))

    return call


def _where(at: Evaluator, node: ast.Call) -> Value:
    test = at.truth(node.args[0])
    yes, no = at.numbers(node.args[1]), at.numbers(node.args[2])
    return Numbers(np.where(test.true, yes, np.where(test.false, no, np.nan)))


def _is_missing(at: Evaluator, node: ast.Call) -> Value:
    value = at.value(node.args[0])
    if isinstance(value, Text):
        raise ExpressionError(f"is_missing() takes a column, not {value.text!r}.")
    if isinstance(value, Truth):
        absent = ~(value.true | value.false)
    elif isinstance(value, CategoryColumn):
        absent = value.missing
    else:
        absent = value.absent if isinstance(value, Times) else np.isnan(value.values)
    return Truth(absent, ~absent)


def _date(at: Evaluator, node: ast.Call) -> Value:
    given = [_part(at, a, k) for k, a in enumerate(node.args)]
    ones = np.ones(len(at.table))
    year, month, day = (np.broadcast_to(v, len(at.table)) for v in (*given, ones, ones)[:3])
    parts = pd.DataFrame({"year": year, "month": month, "day": day})
    stamps = pd.to_datetime(parts, errors="coerce").astype("datetime64[us]")
    absent = stamps.isna().to_numpy(bool)
    micro = stamps.to_numpy("datetime64[us]").astype(np.int64)
    return Times(np.where(absent, 0, micro), absent)


def _part(at: Evaluator, node: ast.expr, place: int) -> Floats:
    """Return a part of a date as a number; months may be named."""
    value = at.value(node)
    if place == 1 and isinstance(value, CategoryColumn):
        named = [month_named(level) for level in value.levels]
        if all(named):
            return np.array([*named, np.nan])[value.codes]
    return at.numbers(node)


def _fold(pick: Callable[..., Floats]) -> Callable[..., Floats]:
    def apply(*values: Floats) -> Floats:
        out = values[0]
        for v in values[1:]:
            out = pick(out, v)
        return out

    return apply


FUNCTIONS: dict[str, tuple[int, int, Callable[[Evaluator, ast.Call], Value]]] = {
    "exp": (1, 1, _of_numbers(np.exp)),
    "log": (1, 1, _of_numbers(np.log)),
    "log1p": (1, 1, _of_numbers(np.log1p)),
    "sqrt": (1, 1, _of_numbers(np.sqrt)),
    "abs": (1, 1, _of_numbers(np.abs)),
    "min": (2, 20, _of_numbers(_fold(np.minimum))),
    "max": (2, 20, _of_numbers(_fold(np.maximum))),
    "where": (3, 3, _where),
    "is_missing": (1, 1, _is_missing),
    "year": (1, 1, _of_dates("year")),
    "month": (1, 1, _of_dates("month")),
    "weekday": (1, 1, _of_dates("weekday")),
    "hour": (1, 1, _of_dates("hour")),
    "date": (1, 3, _date),
    **OVER_ROWS,
}
"""Least and most values each function takes, and what it does; weekday is 1 on Monday, as ISO 8601 has it.

``date(year)``, ``date(year, month)`` are the first day of these; a part that no calendar has makes it missing.
"""
